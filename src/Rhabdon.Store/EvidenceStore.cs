using Dapper;
using Npgsql;

namespace Rhabdon.Store;

public enum EvidenceKind
{
    Picture, Trace,
}

/// <summary>A picture or trace as the instrument gave it.</summary>
public sealed record Evidence(Guid EvidenceId, Guid EndId, EvidenceKind Kind, string ContentType, byte[] Bytes, DateTime MadeAt, string MadeBy);

/// <param name="SizeBytes">Of the file.</param>
public sealed record EvidenceLine(Guid EvidenceId, Guid EndId, EvidenceKind Kind, string ContentType, long SizeBytes, DateTime MadeAt, string MadeBy);

/// <summary>Keeps what instruments gave. Nothing in it is ever changed.</summary>
public sealed class EvidenceStore(NpgsqlDataSource db)
{
    /// <summary>Keeps a file; keeping it again under the same id is harmless.</summary>
    public async Task Keep(Guid companyId, Guid personId, Guid evidenceId, Guid endId, EvidenceKind kind, string contentType, byte[] bytes, DateTime now)
    {
        await using var c = await db.OpenConnectionAsync();
        await c.ExecuteAsync("""
            insert into evidence (company_id, evidence_id, end_id, kind, content_type, bytes, made_at, made_by)
            values (@companyId, @evidenceId, @endId, @kind, @contentType, @bytes, @now, @personId)
            on conflict (company_id, evidence_id) do nothing
            """, new { companyId, evidenceId, endId, kind = kind.ToString().ToLowerInvariant(), contentType, bytes, now, personId });
    }

    public async Task<Evidence?> Find(Scope scope, Guid evidenceId)
    {
        await using var c = await db.OpenConnectionAsync();
        return await c.QuerySingleOrDefaultAsync<Evidence>($"""
            select v.evidence_id, v.end_id, initcap(v.kind) as kind, v.content_type, v.bytes, v.made_at, p.name as made_by
            from evidence v
            join cable_end e on e.company_id = v.company_id and e.end_id = v.end_id
            join job j on j.company_id = e.company_id and j.job_id = e.job_id
            join person p on p.company_id = v.company_id and p.person_id = v.made_by
            where v.company_id = @CompanyId and v.evidence_id = @evidenceId and {Scope.SeesJob}
            """, Jobs.Params(scope, new { evidenceId }));
    }

    /// <summary>What was kept of an end, newest first.</summary>
    public async Task<IReadOnlyList<EvidenceLine>> Of(Guid companyId, Guid endId)
    {
        await using var c = await db.OpenConnectionAsync();
        return [.. await c.QueryAsync<EvidenceLine>("""
            select v.evidence_id, v.end_id, initcap(v.kind) as kind, v.content_type, octet_length(v.bytes)::bigint as size_bytes, v.made_at, p.name as made_by
            from evidence v join person p on p.company_id = v.company_id and p.person_id = v.made_by
            where v.company_id = @companyId and v.end_id = @endId order by v.evidence_id desc limit 200
            """, new { companyId, endId })];
    }
}
