using System.Text.Json;
using Npgsql;
using Rhabdon.Core;
using Rhabdon.Core.Inspection;
using Rhabdon.Core.Ledger;

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
    /// <summary>Rises when the program reads pictures otherwise: what it read then stays with the picture.</summary>
    private const int ReaderVersion = 1;

    /// <summary>Keeps a file; keeping it again under the same id is harmless.</summary>
    /// <param name="found">What the program found in a picture of an end face.</param>
    public async Task Keep(Guid companyId, Guid personId, Guid evidenceId, Guid endId, EvidenceKind kind, string contentType, byte[] bytes, DateTime now, IReadOnlyList<SeenFinding>? found = null, CancellationToken cancel = default)
    {
        await using var c = await db.OpenConnectionAsync(cancel);
        await c.Run(cancel, """
            insert into evidence (company_id, evidence_id, end_id, kind, content_type, bytes, made_at, made_by, reading)
            values (@companyId, @evidenceId, @endId, @kind, @contentType, @bytes, @now, @personId, @reading::jsonb)
            on conflict (company_id, evidence_id) do nothing
            """, new { companyId, evidenceId, endId, kind = kind.ToString().ToLowerInvariant(), contentType, bytes, now, personId, reading = found is null ? null : JsonSerializer.Serialize(new Reading(ReaderVersion, found), Wire.Json) });
    }

    private sealed record Reading(int ReaderVersion, IReadOnlyList<SeenFinding> Found);

    /// <summary>Which of these are kept, of which end, and what was found in them.</summary>
    internal static async Task<IReadOnlyList<(Guid Id, Guid EndId, KeptEvidence Kept)>> Cited(NpgsqlConnection c, NpgsqlTransaction t, Guid companyId, Guid[] ids, CancellationToken cancel) =>
        [.. (await c.Query<(Guid Id, Guid EndId, string? Reading)>(cancel,
            "select evidence_id, end_id, reading::text from evidence where company_id = @companyId and evidence_id = any(@ids)", new { companyId, ids }, t))
            .Select(r => (r.Id, r.EndId, new KeptEvidence(r.Reading is null ? null : JsonSerializer.Deserialize<Reading>(r.Reading, Wire.Json)!.Found)))];

    public async Task<Evidence?> Find(Scope scope, Guid evidenceId, CancellationToken cancel = default)
    {
        await using var c = await db.OpenConnectionAsync(cancel);
        return await c.One<Evidence>(cancel, $"""
            select v.evidence_id, v.end_id, initcap(v.kind) as kind, v.content_type, v.bytes, v.made_at, p.name as made_by
            from evidence v
            join cable_end e on e.company_id = v.company_id and e.end_id = v.end_id
            join job j on j.company_id = e.company_id and j.job_id = e.job_id
            join person p on p.company_id = v.company_id and p.person_id = v.made_by
            where v.company_id = @CompanyId and v.evidence_id = @evidenceId and {Scope.SeesEnd}
            """, Jobs.Params(scope, new { evidenceId }));
    }

    /// <summary>What was kept of an end, newest first.</summary>
    public async Task<IReadOnlyList<EvidenceLine>> Of(Guid companyId, Guid endId, CancellationToken cancel = default)
    {
        await using var c = await db.OpenConnectionAsync(cancel);
        return [.. await c.Query<EvidenceLine>(cancel, """
            select v.evidence_id, v.end_id, initcap(v.kind) as kind, v.content_type, octet_length(v.bytes)::bigint as size_bytes, v.made_at, p.name as made_by
            from evidence v join person p on p.company_id = v.company_id and p.person_id = v.made_by
            where v.company_id = @companyId and v.end_id = @endId order by v.evidence_id desc limit 200
            """, new { companyId, endId })];
    }
}
