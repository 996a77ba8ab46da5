using System.Security.Cryptography;
using System.Text;
using Npgsql;
using Rhabdon.Core.Ledger;

namespace Rhabdon.Store;

/// <param name="Secret">As the server's keys protect it; null where codes are off.</param>
/// <param name="Pending">One that was begun and not confirmed.</param>
/// <param name="LastStep">The last step of time of which a code was used.</param>
/// <param name="RecoveryLeft">Codes for a lost telephone that were not used yet.</param>
/// <param name="Compulsory">The company asks them of this person's role.</param>
public sealed record CodeState(string? Secret, string? Pending, Instant? Since, long? LastStep, long RecoveryLeft, bool Compulsory);

/// <summary>One-time codes beside the password. Secrets come and go protected; what they are, the store does not know.</summary>
public sealed class Codes(NpgsqlDataSource db, People people)
{
    public async Task<CodeState?> Of(CompanyId companyId, PersonId personId, CancellationToken cancel = default)
    {
        await using var c = await db.OpenConnectionAsync(cancel);
        return await c.One<CodeState>(cancel, """
            select p.code_secret as secret, p.code_pending as pending, p.code_since as since, p.code_step as last_step,
                   (select count(*) from recovery_code r where r.company_id = p.company_id and r.person_id = p.person_id and r.used_at is null) as recovery_left,
                   p.role = any(m.codes_for) as compulsory
            from person p join company m on m.company_id = p.company_id where p.company_id = @companyId and p.person_id = @personId
            """, new { companyId, personId });
    }

    public async Task Begin(CompanyId companyId, PersonId personId, string pending, CancellationToken cancel = default)
    {
        await using var c = await db.OpenConnectionAsync(cancel);
        await c.Run(cancel, "update person set code_pending = @pending where company_id = @companyId and person_id = @personId", new { companyId, personId, pending });
    }

    /// <summary>What was begun holds from now on, with these codes for a lost telephone.</summary>
    public async Task Confirm(CompanyId companyId, PersonId personId, long step, IReadOnlyList<string> recovery, Instant now, CancellationToken cancel = default)
    {
        await using var c = await db.OpenConnectionAsync(cancel);
        await using var t = await c.BeginTransactionAsync(cancel);
        await c.Run(cancel, """
            update person set code_secret = code_pending, code_pending = null, code_since = @now, code_step = @step where company_id = @companyId and person_id = @personId;
            delete from recovery_code where company_id = @companyId and person_id = @personId;
            insert into recovery_code (company_id, person_id, hash) select @companyId, @personId, unnest(@hashes);
            """, new { companyId, personId, step, now, hashes = recovery.Select(Hash).ToArray() }, t);
        await t.CommitAsync(cancel);
        people.Forget();
    }

    public async Task TurnOff(CompanyId companyId, PersonId personId, CancellationToken cancel = default)
    {
        await using var c = await db.OpenConnectionAsync(cancel);
        await c.Run(cancel, """
            update person set code_secret = null, code_pending = null, code_since = null, code_step = null where company_id = @companyId and person_id = @personId;
            delete from recovery_code where company_id = @companyId and person_id = @personId;
            """, new { companyId, personId });
        people.Forget();
    }

    /// <returns>False where a code of this step, or of a later one, was used already.</returns>
    public async Task<bool> Use(CompanyId companyId, PersonId personId, long step, CancellationToken cancel = default)
    {
        await using var c = await db.OpenConnectionAsync(cancel);
        return await c.Run(cancel, "update person set code_step = @step where company_id = @companyId and person_id = @personId and coalesce(code_step, 0) < @step", new { companyId, personId, step }) == 1;
    }

    /// <returns>False where there is no such code, or it was used.</returns>
    public async Task<bool> UseRecovery(CompanyId companyId, PersonId personId, string code, Instant now, CancellationToken cancel = default)
    {
        await using var c = await db.OpenConnectionAsync(cancel);
        return await c.Run(cancel, "update recovery_code set used_at = @now where company_id = @companyId and person_id = @personId and hash = @hash and used_at is null", new { companyId, personId, hash = Hash(code), now }) == 1;
    }

    public async Task<IReadOnlyList<Role>> CompulsoryFor(CompanyId companyId, CancellationToken cancel = default)
    {
        await using var c = await db.OpenConnectionAsync(cancel);
        return [.. await c.Query<Role>(cancel, "select unnest(codes_for) from company where company_id = @companyId", new { companyId })];
    }

    public async Task SetCompulsory(CompanyId companyId, IReadOnlyList<Role> roles, CancellationToken cancel = default)
    {
        await using var c = await db.OpenConnectionAsync(cancel);
        await c.Run(cancel, "update company set codes_for = @roles where company_id = @companyId", new { companyId, roles = roles.Select(r => r.ToString()).ToArray() });
        people.Forget();
    }

    private static byte[] Hash(string code) => SHA256.HashData(Encoding.UTF8.GetBytes(code));
}
