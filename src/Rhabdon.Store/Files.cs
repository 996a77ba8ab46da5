using Npgsql;

namespace Rhabdon.Store;

/// <summary>Where the bytes of files lie. Each is kept once, by its content; another place, as a disk or an object store, is another of these.</summary>
public interface IFiles
{
    /// <summary>Keeps a file; one that is there already is not kept twice.</summary>
    /// <param name="contentHash">SHA-256 of the bytes.</param>
    Task Keep(CompanyId companyId, byte[] contentHash, byte[] bytes, CancellationToken cancel);

    /// <returns>Null where there is none.</returns>
    Task<byte[]?> Find(CompanyId companyId, byte[] contentHash, CancellationToken cancel);
}

/// <summary>Files in the database, beside what speaks of them: one backup holds all.</summary>
public sealed class DatabaseFiles(NpgsqlDataSource db) : IFiles
{
    public async Task Keep(CompanyId companyId, byte[] contentHash, byte[] bytes, CancellationToken cancel)
    {
        await using var c = await db.OpenConnectionAsync(cancel);
        await c.Run(cancel, "insert into file (company_id, content_hash, bytes) values (@companyId, @contentHash, @bytes) on conflict (company_id, content_hash) do nothing", new { companyId, contentHash, bytes });
    }

    public async Task<byte[]?> Find(CompanyId companyId, byte[] contentHash, CancellationToken cancel)
    {
        await using var c = await db.OpenConnectionAsync(cancel);
        return await c.Scalar<byte[]>(cancel, "select bytes from file where company_id = @companyId and content_hash = @contentHash", new { companyId, contentHash });
    }
}
