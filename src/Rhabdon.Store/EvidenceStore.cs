using System.Security.Cryptography;
using System.Text.Json;
using Npgsql;
using Rhabdon.Core;
using Rhabdon.Core.Inspection;
using Rhabdon.Core.Ledger;

namespace Rhabdon.Store;

public enum EvidenceKind
{
    Picture, Trace,
    /// <summary>Of an end, to be looked at by people alone.</summary>
    Photo,
}

/// <summary>What a picture or trace is of: one end, one panel or one job.</summary>
public sealed record Holder
{
    public EndId? EndId { get; private init; }
    public PanelId? PanelId { get; private init; }
    public JobId? JobId { get; private init; }

    public static Holder OfEnd(EndId endId) => new() { EndId = endId };

    public static Holder OfPanel(PanelId panelId) => new() { PanelId = panelId };

    public static Holder OfJob(JobId jobId) => new() { JobId = jobId };
}

/// <summary>A picture or trace as the instrument gave it.</summary>
/// <param name="EndId">Null where it is of a panel or a job.</param>
public sealed record Evidence(EvidenceId EvidenceId, EndId? EndId, EvidenceKind Kind, string ContentType, byte[] Bytes, Instant MadeAt, string MadeBy);

/// <param name="SizeBytes">Of the file.</param>
public sealed record EvidenceLine(EvidenceId EvidenceId, EndId? EndId, EvidenceKind Kind, string ContentType, long SizeBytes, Instant MadeAt, string MadeBy);

/// <summary>A company's files take what they may. What was sent is not kept; its device keeps it and sends it again.</summary>
public sealed class StorageFullException(long mostMb) : Exception($"{mostMb} MB are used.")
{
    public long MostMb { get; } = mostMb;
}

/// <summary>Keeps what instruments gave, under the ids that devices gave them. Nothing in it is ever changed.</summary>
/// <param name="quotaBytes">Most that a company's files take.</param>
public sealed class EvidenceStore(NpgsqlDataSource db, IFiles files, long quotaBytes)
{
    /// <summary>Rises when the program reads pictures otherwise: what it read then stays with the picture.</summary>
    private const int ReaderVersion = 1;

    /// <summary>Keeps a file; keeping it again is harmless: under the same id, or, where none is given, the same file of the same thing with the same reading.</summary>
    /// <param name="given">The device's id for it; null where it gave none.</param>
    /// <param name="read">What the program read in it.</param>
    /// <exception cref="RefusedException">Something else is kept under that id.</exception>
    /// <returns>The id under which it is kept.</returns>
    public async Task<EvidenceId> Keep(
        CompanyId companyId, PersonId personId, EvidenceId? given, Holder of, EvidenceKind kind, string contentType, ReadOnlyMemory<byte> bytes, Instant now, KeptEvidence? read = null, CancellationToken cancel = default)
    {
        var hash = await KeepBytes(companyId, bytes, cancel);
        var reading = read is null ? null : JsonSerializer.Serialize(new Reading(ReaderVersion, read.Found, read.Glow, read.Cleave), Wire.Json);
        await using var c = await db.OpenConnectionAsync(cancel);
        if (given is null && await c.Scalar<EvidenceId?>(cancel, """
            select evidence_id from evidence
            where company_id = @companyId and content_hash = @hash and kind = @kind and (end_id = @EndId or panel_id = @PanelId or job_id = @JobId) and reading is not distinct from @reading::jsonb
            order by evidence_id limit 1
            """, new { companyId, hash, kind = kind.ToString().ToLowerInvariant(), of.EndId, of.PanelId, of.JobId, reading }) is { } before)
        {
            return before;
        }

        var evidenceId = given ?? EvidenceId.New();
        var kept = await c.Run(cancel, """
            insert into evidence (company_id, evidence_id, end_id, panel_id, job_id, kind, content_type, content_hash, size_bytes, made_at, made_by, reading)
            values (@companyId, @evidenceId, @EndId, @PanelId, @JobId, @kind, @contentType, @hash, @size, @now, @personId, @reading::jsonb)
            on conflict (company_id, evidence_id) do nothing
            """, new
        {
            companyId,
            evidenceId,
            of.EndId,
            of.PanelId,
            of.JobId,
            kind = kind.ToString().ToLowerInvariant(),
            contentType,
            hash,
            size = (long)bytes.Length,
            now,
            personId,
            reading,
        });
        var same = kept == 1 || await c.Scalar<bool>(cancel, """
            select exists (select 1 from evidence where company_id = @companyId and evidence_id = @evidenceId and content_hash = @hash and (end_id = @EndId or panel_id = @PanelId or job_id = @JobId))
            """, new { companyId, evidenceId, hash, of.EndId, of.PanelId, of.JobId });
        if (!same)
        {
            throw new RefusedException("id-reused", "id", "Another file, or one of something else, is kept under this id already.");
        }

        return evidenceId;
    }

    /// <returns>Their SHA-256.</returns>
    internal async Task<byte[]> KeepBytes(CompanyId companyId, ReadOnlyMemory<byte> bytes, CancellationToken cancel)
    {
        var hash = SHA256.HashData(bytes.Span);
        if ((await files.Taken(companyId, cancel)).Bytes + bytes.Length > quotaBytes)
        {
            throw new StorageFullException(quotaBytes / 1024 / 1024);
        }

        await files.Keep(companyId, hash, bytes, cancel);
        return hash;
    }

    private sealed record Reading(int ReaderVersion, IReadOnlyList<SeenFinding>? Found, KeptGlow? Glow = null, CleaveView? Cleave = null)
    {
        public static KeptEvidence Kept(string? json)
        {
            var r = json is null ? null : JsonSerializer.Deserialize<Reading>(json, Wire.Json);
            return new(r?.Found, r?.Glow, r?.Cleave);
        }
    }

    /// <summary>Which of these are kept, of which end, and what was found in them.</summary>
    internal static async Task<IReadOnlyList<(EvidenceId Id, EndId EndId, KeptEvidence Kept)>> Cited(NpgsqlConnection c, NpgsqlTransaction t, CompanyId companyId, EvidenceId[] ids, CancellationToken cancel) =>
        [.. (await c.Query<(EvidenceId Id, EndId EndId, string? Reading)>(cancel,
            "select evidence_id, end_id, reading::text from evidence where company_id = @companyId and evidence_id = any(@ids) and end_id is not null", new { companyId, ids }, t))
            .Select(r => (r.Id, r.EndId, Reading.Kept(r.Reading)))];

    private sealed record Row(EvidenceId EvidenceId, EndId? EndId, EvidenceKind Kind, string ContentType, byte[] ContentHash, Instant MadeAt, string MadeBy);

    public async Task<Evidence?> Find(Scope scope, EvidenceId evidenceId, CancellationToken cancel = default)
    {
        await using var c = await db.OpenConnectionAsync(cancel);
        var row = await c.One<Row>(cancel, $"""
            select v.evidence_id, v.end_id, initcap(v.kind) as kind, v.content_type, v.content_hash, v.made_at, p.name as made_by
            from evidence v
            left join cable_end e on e.company_id = v.company_id and e.end_id = v.end_id
            left join panel n on n.company_id = v.company_id and n.panel_id = v.panel_id
            join job j on j.company_id = v.company_id and j.job_id = coalesce(e.job_id, n.job_id, v.job_id)
            join person p on p.company_id = v.company_id and p.person_id = v.made_by
            where v.company_id = @CompanyId and v.evidence_id = @evidenceId and (case when v.end_id is null then {Scope.SeesJob} else {Scope.SeesEnd} end)
            """, Jobs.Params(scope, new { evidenceId }));
        return row is null ? null : new(row.EvidenceId, row.EndId, row.Kind, row.ContentType, await files.Find(scope.CompanyId, row.ContentHash, cancel) ?? [], row.MadeAt, row.MadeBy);
    }

    /// <summary>What was kept of an end, a panel or a job, newest first.</summary>
    public async Task<IReadOnlyList<EvidenceLine>> Of(CompanyId companyId, Holder of, CancellationToken cancel = default)
    {
        await using var c = await db.OpenConnectionAsync(cancel);
        return [.. await c.Query<EvidenceLine>(cancel, """
            select v.evidence_id, v.end_id, initcap(v.kind) as kind, v.content_type, v.size_bytes, v.made_at, p.name as made_by
            from evidence v join person p on p.company_id = v.company_id and p.person_id = v.made_by
            where v.company_id = @companyId and (v.end_id = @EndId or v.panel_id = @PanelId or v.job_id = @JobId) order by v.evidence_id desc limit 200
            """, new { companyId, of.EndId, of.PanelId, of.JobId })];
    }
}
