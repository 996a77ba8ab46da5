using System.Security.Cryptography;
using System.Text;
using Npgsql;

namespace Rhabdon.Store;

/// <summary>A link that lets whoever has it look at one job.</summary>
/// <param name="Opened">How often, and when last.</param>
public sealed record JobLink(LinkId LinkId, JobId JobId, string Name, string MadeBy, Instant MadeAt, Instant ExpiresAt, Instant? RevokedAt, int Opened, Instant? OpenedAt);

/// <param name="Device">As it says of itself; shown, never trusted.</param>
public sealed record LinkOpening(Instant At, string Device, string Address);

/// <summary>Links that need no account: unguessable, with an end, kept as hashes only.</summary>
public sealed class JobLinks(NpgsqlDataSource db)
{
    private const int SecretBytes = 32;

    /// <returns>What it is opened by; it is not kept, and cannot be shown again.</returns>
    public async Task<(LinkId Id, string Secret)> Make(CompanyId companyId, JobId jobId, string name, PersonId by, Instant now, Instant expiresAt, CancellationToken cancel = default)
    {
        var (id, secret) = (LinkId.New(), Convert.ToBase64String(RandomNumberGenerator.GetBytes(SecretBytes)).TrimEnd('=').Replace('+', '-').Replace('/', '_'));
        await using var c = await db.OpenConnectionAsync(cancel);
        await c.Run(cancel, """
            insert into job_link (company_id, link_id, job_id, hash, name, made_by, made_at, expires_at) values (@companyId, @id, @jobId, @hash, @name, @by, @now, @expiresAt)
            """, new { companyId, id, jobId, hash = Hash(secret), name, by, now, expiresAt });
        return (id, secret);
    }

    /// <summary>Newest first.</summary>
    public async Task<IReadOnlyList<JobLink>> Of(CompanyId companyId, JobId jobId, CancellationToken cancel = default)
    {
        await using var c = await db.OpenConnectionAsync(cancel);
        return [.. await c.Query<JobLink>(cancel, """
            select l.link_id, l.job_id, l.name, p.name as made_by, l.made_at, l.expires_at, l.revoked_at, l.opened, l.opened_at
            from job_link l join person p on p.company_id = l.company_id and p.person_id = l.made_by
            where l.company_id = @companyId and l.job_id = @jobId order by l.link_id desc limit 200
            """, new { companyId, jobId })];
    }

    /// <returns>False where there is none such.</returns>
    public async Task<bool> Revoke(CompanyId companyId, JobId jobId, LinkId linkId, Instant now, CancellationToken cancel = default)
    {
        await using var c = await db.OpenConnectionAsync(cancel);
        return await c.Run(cancel, "update job_link set revoked_at = coalesce(revoked_at, @now) where company_id = @companyId and job_id = @jobId and link_id = @linkId", new { companyId, jobId, linkId, now }) == 1;
    }

    /// <summary>The job that a link opens.</summary>
    /// <param name="by">Who opens it; null where it is only asked again for a part of it.</param>
    /// <returns>Null where it is not known, has ended or was revoked: who asks is not told which.</returns>
    public async Task<(CompanyId CompanyId, JobId JobId, Instant ExpiresAt)?> Open(string secret, LinkOpening? by, Instant now, CancellationToken cancel = default)
    {
        await using var c = await db.OpenConnectionAsync(cancel);
        return await c.One<(CompanyId, JobId, Instant)?>(cancel, by is null
            ? "select company_id, job_id, expires_at from job_link where hash = @hash and revoked_at is null and expires_at > @now"
            : """
            with opened as (update job_link set opened = opened + 1, opened_at = @now where hash = @hash and revoked_at is null and expires_at > @now returning company_id, link_id, job_id, expires_at),
                 kept as (insert into job_link_opening (company_id, link_id, at, device, address) select company_id, link_id, @now, @Device, @Address from opened)
            select company_id, job_id, expires_at from opened
            """, new { hash = Hash(secret), now, by?.Device, by?.Address });
    }

    /// <summary>The last times that a link was opened, newest first.</summary>
    public async Task<IReadOnlyList<LinkOpening>> Openings(CompanyId companyId, JobId jobId, LinkId linkId, CancellationToken cancel = default)
    {
        await using var c = await db.OpenConnectionAsync(cancel);
        return [.. await c.Query<LinkOpening>(cancel, """
            select o.at, o.device, o.address from job_link_opening o join job_link l on l.company_id = o.company_id and l.link_id = o.link_id
            where o.company_id = @companyId and o.link_id = @linkId and l.job_id = @jobId order by o.at desc limit 100
            """, new { companyId, jobId, linkId })];
    }

    private static byte[] Hash(string secret) => SHA256.HashData(Encoding.UTF8.GetBytes(secret));
}
