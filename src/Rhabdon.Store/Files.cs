using Npgsql;

namespace Rhabdon.Store;

/// <summary>Where the bytes of files lie. Each is kept once, by its content; another place, as a disk or an object store, is another of these.</summary>
public interface IFiles
{
    /// <summary>Keeps a file; one that is there already is not kept twice.</summary>
    /// <param name="contentHash">SHA-256 of the bytes.</param>
    Task Keep(CompanyId companyId, byte[] contentHash, ReadOnlyMemory<byte> bytes, CancellationToken cancel);

    /// <summary>What this company's files take, and how many they are.</summary>
    Task<(long Bytes, int Count)> Taken(CompanyId companyId, CancellationToken cancel);

    /// <returns>Null where there is none.</returns>
    Task<byte[]?> Find(CompanyId companyId, byte[] contentHash, CancellationToken cancel);
}

/// <summary>Files in the database, beside what speaks of them: one backup holds all.</summary>
public sealed class DatabaseFiles(NpgsqlDataSource db) : IFiles
{
    public async Task Keep(CompanyId companyId, byte[] contentHash, ReadOnlyMemory<byte> bytes, CancellationToken cancel)
    {
        await using var c = await db.OpenConnectionAsync(cancel);
        // Not by Dapper, which knows no bytes that lie in another's room.
        await using var insert = new NpgsqlCommand("insert into file (company_id, content_hash, bytes) values ($1, $2, $3) on conflict (company_id, content_hash) do nothing", c)
        {
            Parameters = { new() { Value = companyId.Value }, new() { Value = contentHash }, new NpgsqlParameter<ReadOnlyMemory<byte>> { TypedValue = bytes, NpgsqlDbType = NpgsqlTypes.NpgsqlDbType.Bytea } },
        };
        if (await insert.ExecuteNonQueryAsync(cancel) == 1)
        {
            await c.Run(cancel, "update company set files_bytes = files_bytes + @bytes, files = files + 1 where company_id = @companyId", new { companyId, bytes = (long)bytes.Length });
        }
    }

    public async Task<(long Bytes, int Count)> Taken(CompanyId companyId, CancellationToken cancel)
    {
        await using var c = await db.OpenConnectionAsync(cancel);
        return await c.One<(long, int)>(cancel, "select files_bytes, files from company where company_id = @companyId", new { companyId });
    }

    public async Task<byte[]?> Find(CompanyId companyId, byte[] contentHash, CancellationToken cancel)
    {
        await using var c = await db.OpenConnectionAsync(cancel);
        return await c.Scalar<byte[]>(cancel, "select bytes from file where company_id = @companyId and content_hash = @contentHash", new { companyId, contentHash });
    }
}
