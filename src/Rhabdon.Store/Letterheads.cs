using System.Text.Json;
using Npgsql;
using Rhabdon.Core;
using Rhabdon.Core.Handover;

namespace Rhabdon.Store;

/// <param name="Mark">PNG; null where there is none.</param>
public sealed record StoredLetterhead(byte[]? Mark, string Foot);

/// <param name="PrivateKey">As the server's own key protects it.</param>
public sealed record SealKey(string KeyId, byte[] PublicKey, string PrivateKey);

/// <summary>A company's look on paper, the sheets that it prints labels on, and the keys that it seals with.</summary>
public sealed class Letterheads(NpgsqlDataSource db)
{
    public async Task<StoredLetterhead> Of(CompanyId companyId, CancellationToken cancel = default)
    {
        await using var c = await db.OpenConnectionAsync(cancel);
        return await c.One<StoredLetterhead>(cancel, "select mark, foot from letterhead where company_id = @companyId", new { companyId }) ?? new(null, "");
    }

    public async Task SetFoot(CompanyId companyId, string foot, PersonId by, Instant now, CancellationToken cancel = default)
    {
        await using var c = await db.OpenConnectionAsync(cancel);
        await c.Run(cancel, """
            insert into letterhead (company_id, foot, changed_by, changed_at) values (@companyId, @foot, @by, @now)
            on conflict (company_id) do update set foot = @foot, changed_by = @by, changed_at = @now
            """, new { companyId, foot, by, now });
    }

    /// <param name="mark">Null takes it away.</param>
    public async Task SetMark(CompanyId companyId, byte[]? mark, PersonId by, Instant now, CancellationToken cancel = default)
    {
        await using var c = await db.OpenConnectionAsync(cancel);
        await c.Run(cancel, """
            insert into letterhead (company_id, mark, foot, changed_by, changed_at) values (@companyId, @mark::bytea, '', @by, @now)
            on conflict (company_id) do update set mark = @mark::bytea, changed_by = @by, changed_at = @now
            """, new { companyId, mark, by, now });
    }

    /// <summary>The sheets that labels are printed on: the company's own, else the usual ones.</summary>
    public async Task<IReadOnlyList<LabelSheet>> LabelSheets(CompanyId companyId, CancellationToken cancel = default)
    {
        await using var c = await db.OpenConnectionAsync(cancel);
        return await c.Scalar<string>(cancel, "select sheets::text from label_sheets where company_id = @companyId", new { companyId }) is { } json ? JsonSerializer.Deserialize<IReadOnlyList<LabelSheet>>(json, Wire.Json)! : LabelSheet.Usual;
    }

    public async Task SetLabelSheets(CompanyId companyId, IReadOnlyList<LabelSheet> sheets, PersonId by, Instant now, CancellationToken cancel = default)
    {
        await using var c = await db.OpenConnectionAsync(cancel);
        await c.Run(cancel, """
            insert into label_sheets (company_id, sheets, changed_by, changed_at) values (@companyId, @json::jsonb, @by, @now)
            on conflict (company_id) do update set sheets = @json::jsonb, changed_by = @by, changed_at = @now
            """, new { companyId, json = JsonSerializer.Serialize(sheets, Wire.Json), by, now });
    }

    /// <summary>Newest first.</summary>
    public async Task<IReadOnlyList<SealKey>> Keys(CompanyId companyId, CancellationToken cancel = default)
    {
        await using var c = await db.OpenConnectionAsync(cancel);
        return [.. await c.Query<SealKey>(cancel, "select key_id, public_key, private_key from seal_key where company_id = @companyId order by made_at desc, key_id", new { companyId })];
    }

    public async Task AddKey(CompanyId companyId, SealKey key, Instant now, CancellationToken cancel = default)
    {
        await using var c = await db.OpenConnectionAsync(cancel);
        await c.Run(cancel, "insert into seal_key (company_id, key_id, public_key, private_key, made_at) values (@companyId, @KeyId, @PublicKey, @PrivateKey, @now) on conflict do nothing", new { companyId, key.KeyId, key.PublicKey, key.PrivateKey, now });
    }

    /// <summary>Whose key it is; null where no company has it.</summary>
    public async Task<string?> OwnerOf(string keyId, CancellationToken cancel = default)
    {
        await using var c = await db.OpenConnectionAsync(cancel);
        return await c.Scalar<string>(cancel, "select c.name from seal_key k join company c on c.company_id = k.company_id where k.key_id = @keyId", new { keyId });
    }
}
