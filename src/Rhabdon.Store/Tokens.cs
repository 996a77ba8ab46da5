using System.Security.Cryptography;
using Npgsql;
using Rhabdon.Core.Ledger;

namespace Rhabdon.Store;

/// <param name="JobIds">Of a reader: the jobs that it sees.</param>
/// <param name="UsedAt">To the minute; null where it never was.</param>
public sealed record Token(PersonId TokenId, string Name, Role Role, string? CrewName, IReadOnlyList<JobId> JobIds, string MadeBy, Instant MadeAt, Instant? UsedAt, Instant? RevokedAt);

/// <summary>Tokens for scripts: each is somebody without a password, who sees the jobs named to it, or records as one of a crew.</summary>
public sealed class Tokens(NpgsqlDataSource db)
{
    /// <summary>What every token begins with, so that one that got out is known for what it is.</summary>
    public const string Prefix = "rhabdon_";

    private sealed record Row(PersonId PersonId, string Name, Role Role, string? CrewName, string JobIds, string MadeBy, Instant MadeAt, Instant? UsedAt, Instant? RevokedAt);

    /// <returns>The token; it is not kept, and cannot be shown again.</returns>
    public async Task<(PersonId Id, string Secret)> Make(CompanyId companyId, PersonId madeBy, string name, Role role, CrewId? crewId, JobId[] jobIds, Instant now, CancellationToken cancel = default)
    {
        var (id, secret) = (PersonId.New(), Prefix + Convert.ToHexStringLower(RandomNumberGenerator.GetBytes(32)));
        await using var c = await db.OpenConnectionAsync(cancel);
        await using var t = await c.BeginTransactionAsync(cancel);
        await c.Run(cancel, """
            insert into person (company_id, person_id, crew_id, name, login, role, password_hash, security_stamp, is_token)
            values (@companyId, @id, @crewId, @name, @login, @role, '', gen_random_uuid(), true);
            insert into token (company_id, person_id, hash, made_by, made_at) values (@companyId, @id, @hash, @madeBy, @now);
            insert into job_viewer (company_id, job_id, person_id) select @companyId, unnest(@jobIds), @id;
            """, new { companyId, id, crewId, name, login = $"token {id}", role = role.ToString(), hash = Hash(secret), madeBy, now, jobIds }, t);
        await t.CommitAsync(cancel);
        return (id, secret);
    }

    /// <summary>Whose token it is; null for one that is not known, or holds no more.</summary>
    public async Task<(Credentials Who, IReadOnlyList<JobId> Jobs)?> Find(string secret, Instant now, CancellationToken cancel = default)
    {
        await using var c = await db.OpenConnectionAsync(cancel);
        // When it was last seen is kept to the minute.
        var who = await c.One<Credentials>(cancel, """
            with seen as (update token set used_at = @now where hash = @hash and revoked_at is null and (used_at is null or used_at < @now - interval '1 minute'))
            select p.company_id, p.person_id, p.crew_id, p.name, p.role, p.password_hash, p.security_stamp, p.disabled_at is not null as disabled
            from token k join person p on p.company_id = k.company_id and p.person_id = k.person_id
            where k.hash = @hash and k.revoked_at is null and p.disabled_at is null
            """, new { hash = Hash(secret), now });
        return who is null ? null : (who, [.. await c.Query<JobId>(cancel, "select job_id from job_viewer where company_id = @CompanyId and person_id = @PersonId", new { who.CompanyId, who.PersonId })]);
    }

    /// <summary>Newest first, those that hold before those that do not.</summary>
    public async Task<IReadOnlyList<Token>> List(CompanyId companyId, CancellationToken cancel = default)
    {
        await using var c = await db.OpenConnectionAsync(cancel);
        var rows = await c.Query<Row>(cancel, """
            select p.person_id, p.name, p.role, w.name as crew_name,
                   coalesce((select string_agg(v.job_id::text, ' ') from job_viewer v where v.company_id = k.company_id and v.person_id = k.person_id), '') as job_ids,
                   m.name as made_by, k.made_at, k.used_at, k.revoked_at
            from token k join person p on p.company_id = k.company_id and p.person_id = k.person_id
            join person m on m.company_id = k.company_id and m.person_id = k.made_by
            left join crew w on w.company_id = p.company_id and w.crew_id = p.crew_id
            where k.company_id = @companyId order by k.revoked_at is not null, k.made_at desc, p.person_id limit 500
            """, new { companyId });
        return [.. rows.Select(r => new Token(r.PersonId, r.Name, r.Role, r.CrewName, [.. r.JobIds.Split(' ', StringSplitOptions.RemoveEmptyEntries).Select(j => JobId.Parse(j))], r.MadeBy, r.MadeAt, r.UsedAt, r.RevokedAt))];
    }

    /// <returns>False where there is no such token that holds.</returns>
    public async Task<bool> Revoke(CompanyId companyId, PersonId tokenId, Instant now, CancellationToken cancel = default)
    {
        await using var c = await db.OpenConnectionAsync(cancel);
        return await c.Run(cancel, "update token set revoked_at = @now where company_id = @companyId and person_id = @tokenId and revoked_at is null", new { companyId, tokenId, now }) == 1;
    }

    private static byte[] Hash(string secret) => SHA256.HashData(System.Text.Encoding.UTF8.GetBytes(secret));
}
