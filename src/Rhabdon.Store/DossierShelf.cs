using System.IO.Compression;
using System.Runtime.CompilerServices;
using System.Text.Json;
using Npgsql;
using NpgsqlTypes;
using Rhabdon.Core;
using Rhabdon.Core.Handover;
using Rhabdon.Core.Ledger;

namespace Rhabdon.Store;

public enum DossierStage
{
    Waiting, Drawing, Done,
    /// <summary>Somebody stopped it.</summary>
    Stopped,
    Failed,
}

/// <summary>A dossier that was asked for.</summary>
/// <param name="Handover">The number of the handover that it was made for; null for a copy.</param>
/// <param name="Progress">0 to 1.</param>
/// <param name="DataSha256">Null until it is done, as <paramref name="Seal"/>.</param>
/// <param name="Fault">Why it failed.</param>
public sealed record MadeDossier(
    DossierId DossierId, JobId JobId, DossierChoice Choice, int? Handover, DossierStage Stage, double Progress, string AskedBy, Instant AskedAt, Instant? DoneAt, string? DataSha256, DossierSummary? Summary, Seal? Seal, long? FileBytes, string? Fault);

/// <summary>A dossier whose turn it is.</summary>
public sealed record NextDossier(CompanyId CompanyId, DossierId DossierId, JobId JobId, DossierChoice Choice, int? Handover);

/// <summary>Dossiers: asked for, drawn in the background by whichever server has room, kept with the data that they were drawn from.</summary>
public sealed class DossierShelf(NpgsqlDataSource db, Records records, Plan plan, People people, Methods methods)
{
    /// <summary>Copies of a job that are kept beside those that were handed over.</summary>
    private const int MostCopies = 10;

    private const int PartBytes = 1 << 20;

    /// <summary>A server that has not told of a dossier for so long draws it no more.</summary>
    private static readonly Duration Lost = Duration.FromSeconds(30);

    /// <summary>How often a dossier is begun whose server did not come to its end.</summary>
    private const int MostTries = 3;

    private sealed record Row(
        DossierId DossierId, JobId JobId, string Choice, int? Handover, DossierStage Stage, double Progress, string AskedBy, Instant AskedAt, Instant? DoneAt, string? DataSha256, string? Summary, string? Seal, long? FileBytes, string? Fault)
    {
        public MadeDossier Read() => new(
            DossierId, JobId, As<DossierChoice>(Choice)!, Handover, Stage, Progress, AskedBy, AskedAt, DoneAt, DataSha256, As<DossierSummary>(Summary), As<Seal>(Seal), FileBytes, Fault);
    }

    private const string Columns = """
        d.dossier_id, d.job_id, d.choice::text as choice, d.handover, d.stage, d.progress::float8 as progress, p.name as asked_by, d.asked_at, d.done_at, d.data_sha256, d.summary::text as summary, d.seal::text as seal, d.file_bytes, d.fault
        """;

    private static T? As<T>(string? json) where T : class => json is null ? null : JsonSerializer.Deserialize<T>(json, Wire.Json);

    /// <summary>All that a dossier of a job is made from.</summary>
    /// <param name="scope">Whoever asks: an office's or a lead's, who see all of it.</param>
    public async Task<DossierSource> Source(Scope scope, Job job, CancellationToken cancel = default)
    {
        var company = scope.CompanyId;
        var ends = await records.OfJob(scope, job.JobId, cancel);
        var spaces = (await plan.Layout(company, job.JobId, cancel)).Panels.ToDictionary(p => p.PanelId, p => p.SpaceId);
        var runs = ends.SelectMany(e => e.State.Attempts).ToList();
        var instruments = runs.SelectMany(r => r.Losses).Select(l => l.Reading.InstrumentId).OfType<InstrumentId>().Select(i => i.As<Ids.Stream>());
        var tools = runs.SelectMany(r => r.ToolIds).Select(t => t.As<Ids.Stream>());
        var batches = runs.Select(r => r.BatchId).OfType<BatchId>().Select(b => b.As<Ids.Stream>());
        await using var c = await db.OpenConnectionAsync(cancel);
        var known = (await c.Query<string>(cancel, "select state::text from stream_state where company_id = @company and stream in ('Instrument', 'Tool', 'Batch') and stream_id = any(@ids) order by stream_id",
            new { company, ids = instruments.Concat(tools).Concat(batches).Distinct().ToArray() })).Select(Streams.Read).ToList();
        var files = (await c.Query<(EvidenceId Id, string Hash)>(cancel, """
            select v.evidence_id, encode(v.content_hash, 'hex') from evidence v join cable_end e on e.company_id = v.company_id and e.end_id = v.end_id where v.company_id = @company and e.job_id = @JobId
            union all select v.evidence_id, encode(v.content_hash, 'hex') from evidence v join panel p on p.company_id = v.company_id and p.panel_id = v.panel_id where v.company_id = @company and p.job_id = @JobId
            union all select v.evidence_id, encode(v.content_hash, 'hex') from evidence v where v.company_id = @company and v.job_id = @JobId
            """, new { company, job.JobId })).ToDictionary(f => f.Id, f => f.Hash);
        var photos = (await c.Query<SourcePhoto>(cancel, """
            select v.evidence_id, v.panel_id as place_id, v.made_at as at, v.made_by as by, v.end_id
            from evidence v left join panel p on p.company_id = v.company_id and p.panel_id = v.panel_id left join cable_end e on v.kind = 'photo' and e.company_id = v.company_id and e.end_id = v.end_id
            where v.company_id = @company and v.kind <> 'trace' and (v.job_id = @JobId or p.job_id = @JobId or e.job_id = @JobId) order by v.made_at, v.evidence_id
            """, new { company, job.JobId })).ToList();
        var named = runs.SelectMany(r => r.Losses.Select(l => l.By).Concat(r.Traces.Select(t => t.By)).Concat(r.Looks.Select(l => l.By)).Append(r.StartedBy)).Concat(photos.Select(p => p.By)).Distinct().ToList();
        return new(
            await c.Scalar<string>(cancel, "select record_of from job where company_id = @company and job_id = @JobId", new { company, job.JobId }) ?? await people.CompanyName(company, cancel), job.Number, job.Customer, job.Site, job.TimeZone, NodaTime.Text.LocalDatePattern.Iso.Parse(job.DueOn).Value,
            [
                .. ends.Select(e => new SourceEnd(
                    e.EndId, e.Address(), e.PanelId is { } panel ? spaces[panel] : null, e.SpaceCode, e.SpaceName, e.PlaceId, e.PanelCode.Length > 0 ? $"{e.SpaceCode}-{e.PanelCode}" : e.CableCode, e.Port, e.Position, e.CableCode, e.StrandAt(), e.Side.ToString(),
                    e.FarAddress, e.FiberClass, e.Construction, e.LengthM, e.Form, e.Polish, e.Mode, e.Method, e.StubClass, e.ProcedureId, e.ProcedureVersion, e.State)),
            ],
            await records.Names(company, named, cancel), known.OfType<InstrumentState>().ToDictionary(i => i.Id.As<Ids.Instrument>()), known.OfType<ToolState>().ToDictionary(t => t.Id.As<Ids.Tool>()), [.. known.OfType<BatchState>()], files,
            await methods.Rules(company, cancel))
        {
            Photos = photos,
        };
    }

    /// <summary>When something was said of each end of a job.</summary>
    public async Task<ILookup<EndId, Instant>> Said(CompanyId companyId, JobId jobId, CancellationToken cancel = default)
    {
        await using var c = await db.OpenConnectionAsync(cancel);
        return (await c.Query<(EndId EndId, Instant At)>(cancel, """
            select e.end_id, l.at from cable_end e join ledger l on l.company_id = e.company_id and l.stream = 'End' and l.stream_id = e.end_id where e.company_id = @companyId and e.job_id = @jobId
            """, new { companyId, jobId })).ToLookup(x => x.EndId, x => x.At);
    }

    public async Task Ask(CompanyId companyId, DossierId dossierId, JobId jobId, DossierChoice choice, int? handover, PersonId by, Instant now, CancellationToken cancel = default)
    {
        await using var c = await db.OpenConnectionAsync(cancel);
        await c.Run(cancel, """
            insert into dossier (company_id, dossier_id, job_id, choice, handover, stage, asked_by, asked_at, told_at)
            values (@companyId, @dossierId, @jobId, @choice::jsonb, @handover, 'Waiting', @by, @now, @now)
            """, new { companyId, dossierId, jobId, choice = JsonSerializer.Serialize(choice, Wire.Json), handover, by, now });
    }

    /// <summary>Those of a job, newest first.</summary>
    public async Task<IReadOnlyList<MadeDossier>> Of(CompanyId companyId, JobId jobId, CancellationToken cancel = default)
    {
        await using var c = await db.OpenConnectionAsync(cancel);
        return [.. (await c.Query<Row>(cancel, $"""
            select {Columns} from dossier d join person p on p.company_id = d.company_id and p.person_id = d.asked_by
            where d.company_id = @companyId and d.job_id = @jobId order by d.dossier_id desc limit 100
            """, new { companyId, jobId })).Select(r => r.Read())];
    }

    public async Task<MadeDossier?> Find(CompanyId companyId, DossierId dossierId, CancellationToken cancel = default)
    {
        await using var c = await db.OpenConnectionAsync(cancel);
        return (await c.One<Row>(cancel, $"""
            select {Columns} from dossier d join person p on p.company_id = d.company_id and p.person_id = d.asked_by where d.company_id = @companyId and d.dossier_id = @dossierId
            """, new { companyId, dossierId }))?.Read();
    }

    /// <summary>True where one waits, or has been lost by a server.</summary>
    public async Task<bool> Waits(Instant now, CancellationToken cancel = default)
    {
        await using var c = await db.OpenConnectionAsync(cancel);
        return await c.Scalar<bool>(cancel, "select exists (select 1 from dossier where stage = 'Waiting' or (stage = 'Drawing' and told_at < @lost))", new { lost = now - Lost });
    }

    /// <summary>Takes the next one that waits, or that a server has lost.</summary>
    public async Task<NextDossier?> Next(Instant now, CancellationToken cancel = default)
    {
        await using var c = await db.OpenConnectionAsync(cancel);
        await c.Run(cancel, "update dossier set stage = 'Failed', fault = '' where stage = 'Drawing' and told_at < @lost and tries >= @MostTries", new { lost = now - Lost, MostTries });
        var row = await c.One<(CompanyId CompanyId, DossierId DossierId, JobId JobId, string Choice, int? Handover)?>(cancel, """
            update dossier d set stage = 'Drawing', told_at = @now, progress = 0, tries = tries + 1
            from (select company_id, dossier_id from dossier where stage = 'Waiting' or (stage = 'Drawing' and told_at < @lost) order by asked_at limit 1 for update skip locked) n
            where d.company_id = n.company_id and d.dossier_id = n.dossier_id
            returning d.company_id, d.dossier_id, d.job_id, d.choice::text, d.handover
            """, new { now, lost = now - Lost });
        return row is { } r ? new(r.CompanyId, r.DossierId, r.JobId, As<DossierChoice>(r.Choice)!, r.Handover) : null;
    }

    /// <summary>Says how far it is.</summary>
    /// <returns>False where somebody has stopped it.</returns>
    public async Task<bool> Tell(NextDossier d, double progress, Instant now, CancellationToken cancel = default)
    {
        await using var c = await db.OpenConnectionAsync(cancel);
        return await c.Run(cancel, "update dossier set progress = @progress, told_at = @now where company_id = @CompanyId and dossier_id = @DossierId and stage = 'Drawing'", new { d.CompanyId, d.DossierId, progress, now }) == 1;
    }

    public async Task<bool> Stop(CompanyId companyId, DossierId dossierId, CancellationToken cancel = default)
    {
        await using var c = await db.OpenConnectionAsync(cancel);
        return await c.Run(cancel, "update dossier set stage = 'Stopped' where company_id = @companyId and dossier_id = @dossierId and stage in ('Waiting', 'Drawing')", new { companyId, dossierId }) == 1;
    }

    public async Task Fail(NextDossier d, string fault, CancellationToken cancel = default)
    {
        await using var c = await db.OpenConnectionAsync(cancel);
        await c.Run(cancel, "update dossier set stage = 'Failed', fault = @fault where company_id = @CompanyId and dossier_id = @DossierId and stage = 'Drawing'", new { d.CompanyId, d.DossierId, fault });
    }

    /// <summary>Keeps what was drawn, and lets older copies go; what was handed over stays for good.</summary>
    /// <returns>False where somebody has stopped it.</returns>
    public async Task<bool> Keep(NextDossier d, DossierSummary summary, byte[] data, Stream pdf, Seal seal, Instant now, CancellationToken cancel = default)
    {
        await using var c = await db.OpenConnectionAsync(cancel);
        await using var t = await c.BeginTransactionAsync(cancel);
        var kept = await c.Run(cancel, """
            update dossier set stage = 'Done', progress = 1, done_at = @now, told_at = @now, data_sha256 = @DataSha256, summary = @summary::jsonb, seal = @seal::jsonb, file_bytes = @bytes
            where company_id = @CompanyId and dossier_id = @DossierId and stage = 'Drawing'
            """, new { d.CompanyId, d.DossierId, now, seal.DataSha256, summary = JsonSerializer.Serialize(summary, Wire.Json), seal = JsonSerializer.Serialize(seal, Wire.Json), bytes = (long)pdf.Length }, t);
        if (kept == 0)
        {
            return false;
        }

        pdf.Position = 0;
        await using (var put = new NpgsqlCommand("insert into dossier_file (company_id, dossier_id, pdf, data) values (@company, @dossier, @pdf, @packed)", c, t))
        {
            put.Parameters.AddWithValue("company", d.CompanyId.Value);
            put.Parameters.AddWithValue("dossier", d.DossierId.Value);
            put.Parameters.Add(new("pdf", NpgsqlDbType.Bytea) { Value = pdf });
            put.Parameters.AddWithValue("packed", Packed(data));
            await put.ExecuteNonQueryAsync(cancel);
        }

        await c.Run(cancel, """
            delete from dossier where company_id = @CompanyId and job_id = @JobId and handover is null and stage in ('Done', 'Stopped', 'Failed')
              and dossier_id not in (select dossier_id from dossier where company_id = @CompanyId and job_id = @JobId and handover is null order by dossier_id desc limit @MostCopies)
            """, new { d.CompanyId, d.JobId, MostCopies }, t);
        await t.CommitAsync(cancel);
        return true;
    }

    /// <summary>The paper, a part at a time: with its pictures it may be large.</summary>
    public async IAsyncEnumerable<byte[]> Pdf(CompanyId companyId, DossierId dossierId, [EnumeratorCancellation] CancellationToken cancel = default)
    {
        for (var from = 1; ; from += PartBytes)
        {
            await using var c = await db.OpenConnectionAsync(cancel);
            var part = await c.Scalar<byte[]>(cancel, "select substring(pdf from @from for @PartBytes) from dossier_file where company_id = @companyId and dossier_id = @dossierId", new { companyId, dossierId, from, PartBytes });
            if (part is not { Length: > 0 })
            {
                yield break;
            }

            yield return part;
        }
    }

    /// <summary>The data that it was drawn from, to the byte.</summary>
    public async Task<byte[]?> Data(CompanyId companyId, DossierId dossierId, CancellationToken cancel = default)
    {
        await using var c = await db.OpenConnectionAsync(cancel);
        return await c.Scalar<byte[]>(cancel, "select data from dossier_file where company_id = @companyId and dossier_id = @dossierId", new { companyId, dossierId }) is { } packed ? Unpacked(packed) : null;
    }

    /// <summary>Those whose data's hash begins so, of any company: whoever has the printed code may ask.</summary>
    public async Task<IReadOnlyList<(CompanyId CompanyId, MadeDossier Dossier)>> ByCode(string code, CancellationToken cancel = default)
    {
        await using var c = await db.OpenConnectionAsync(cancel);
        var ids = await c.Query<(CompanyId CompanyId, DossierId DossierId)>(cancel, "select company_id, dossier_id from dossier where left(data_sha256, 16) = @code and stage = 'Done' order by handover desc nulls last, dossier_id limit 5", new { code });
        var found = new List<(CompanyId, MadeDossier)>();
        foreach (var id in ids)
        {
            if (await Find(id.CompanyId, id.DossierId, cancel) is { } dossier)
            {
                found.Add((id.CompanyId, dossier));
            }
        }

        return found;
    }

    private static byte[] Packed(byte[] data)
    {
        using var to = new MemoryStream();
        using (var gzip = new GZipStream(to, CompressionLevel.Optimal))
        {
            gzip.Write(data);
        }

        return to.ToArray();
    }

    private static byte[] Unpacked(byte[] packed)
    {
        using var gzip = new GZipStream(new MemoryStream(packed), CompressionMode.Decompress);
        using var to = new MemoryStream();
        gzip.CopyTo(to);
        return to.ToArray();
    }
}
