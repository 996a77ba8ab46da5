using System.Text.Json;
using System.Text.RegularExpressions;
using Npgsql;
using Rhabdon.Core;
using Rhabdon.Core.Ledger;

namespace Rhabdon.Store;

/// <param name="Event">As a device sends it.</param>
/// <param name="ClockBehindMs">How far its device's clock was behind the server's.</param>
public sealed record PackedEvent(JsonElement Event, long ClockBehindMs);

/// <summary>A job with its whole record, on its way into another company's books.</summary>
/// <param name="Company">Whose record it is.</param>
/// <param name="Mark">The company's picture, as PNG; null where it has none.</param>
/// <param name="Rows">What is planned, by table; who worked, without what they sign in with; the company's own procedures and limits that were worked by.</param>
/// <param name="Events">Of the job's connectors, and of the batches, instruments and tools that they name, in the order in which they came.</param>
public sealed record JobPack(string Format, JobId JobId, string Company, string Foot, byte[]? Mark, IReadOnlyDictionary<string, JsonElement> Rows, IReadOnlyList<PackedEvent> Events);

/// <param name="Ends">That were planned,</param>
/// <param name="Events">that were said of them,</param>
/// <param name="Files">and pictures and traces.</param>
public sealed record CarriedJob(JobId JobId, int Ends, int Events, int Files);

/// <summary>
/// Carries a job from one company's books into another's. Rows keep their ids, and what was said is said again, event by event, in the order in
/// which it came: the state of each connector is what Core makes of it, and not what a file claims.
/// </summary>
public sealed partial class JobPacks(NpgsqlDataSource db, Intake intake, Methods methods, Letterheads letterheads, EvidenceStore evidence)
{
    public const string Format = "rhabdon-record/1";

    /// <summary>Events that are told in one go, or some more.</summary>
    private const int AtOnce = 400;

    private sealed record Table(string Name, string[] Columns, string Where);

    private const string OfJob = "t.job_id = @jobId";

    private const string OfEnds = "exists (select 1 from cable_end e where e.company_id = t.company_id and e.end_id = t.end_id and e.job_id = @jobId)";

    private const string Crews = """
        (t.crew_id = (select crew_id from job where company_id = @companyId and job_id = @jobId)
         or exists (select 1 from assigned a join cable_end e on e.company_id = a.company_id and e.end_id = a.end_id where a.company_id = t.company_id and a.crew_id = t.crew_id and e.job_id = @jobId)
         or exists (select 1 from person p where p.company_id = t.company_id and p.crew_id = t.crew_id and p.person_id = any(@people)))
        """;

    private const string OfEvidence = $"(t.job_id = @jobId or exists (select 1 from panel n where n.company_id = t.company_id and n.panel_id = t.panel_id and n.job_id = @jobId) or {OfEnds})";

    /// <summary>In the order in which they rest on one another.</summary>
    private static readonly Table[] Tables =
    [
        new("crew", ["crew_id", "name"], Crews),
        new("person", ["person_id", "crew_id", "name", "login", "role", "password_hash", "security_stamp", "disabled_at"], "t.person_id = any(@people)"),
        new("own_procedure", ["procedure_id", "version", "document", "changed_at", "changed_by", "published_at"], "t.published_at is not null"),
        new("own_limit_set", ["limit_set_id", "kind", "document", "made_at", "made_by"], "true"),
        new("school", ["option_id", "choice_id"], "true"),
        new("job", ["job_id", "number", "customer", "site", "time_zone", "due_on", "limit_set_id", "face_limit_set_id", "crew_id", "created_at", "record_of"], OfJob),
        new("space", ["space_id", "job_id", "code", "name"], OfJob),
        new("panel", ["panel_id", "job_id", "space_id", "code", "ports", "adapter_form", "angled", "reach_mm", "loop_turns"], OfJob),
        new("cable", ["cable_id", "job_id", "code", "fiber_class", "construction", "strand_count", "length_m", "slack_a_mm", "slack_b_mm", "unit_size", "colour_order", "connections", "splices", "diameter_mm", "ordered_length_mm", "ordered_tolerance_mm"], OfJob),
        new("module", ["module_id", "job_id", "panel_id", "code", "fiber_class", "fibers", "rear_form", "front_form", "loss_db"], OfJob),
        new("cord", ["cord_id", "job_id", "code", "fiber_class", "fibers", "form_a", "polish_a", "form_b", "polish_b", "length_m"], OfJob),
        new("chain", ["chain_id", "job_id", "code", "parts"], OfJob),
        new("cable_end", ["end_id", "job_id", "cable_id", "strand", "side", "panel_id", "port", "position", "form", "polish", "mode", "method", "stub_class", "procedure_id", "procedure_version", "crew_id", "person_id"], OfJob),
        // What was assigned by an event of the job is assigned by it again.
        new("assigned", ["end_id", "since", "crew_id", "person_id"], $"t.event_id is null and {OfEnds}"),
        new("evidence", ["evidence_id", "end_id", "panel_id", "job_id", "kind", "content_type", "content_hash", "size_bytes", "made_at", "made_by", "reading"], OfEvidence),
    ];

    private sealed record LedgerLine(EventId EventId, string Stream, StreamId StreamId, int Attempt, string Kind, Instant At, DeviceId DeviceId, long DeviceSeq, PersonId ActorId, string Body, long ClockBehindMs, long Seq)
    {
        public PackedEvent Pack() => new(
            Stream == "End"
                ? JsonSerializer.SerializeToElement(new LedgerEvent(EventId, StreamId.As<Ids.End>(), Attempt, Enum.Parse<EventKind>(Kind), At, DeviceId, DeviceSeq, ActorId, JsonSerializer.Deserialize<JsonElement>(Body)), Wire.Json)
                : JsonSerializer.SerializeToElement(new StreamEvent(EventId, Enum.Parse<StreamKind>(Stream), StreamId, Enum.Parse<StreamEventKind>(Kind), At, DeviceId, DeviceSeq, ActorId, JsonSerializer.Deserialize<JsonElement>(Body)), Wire.Json),
            ClockBehindMs);
    }

    private const string LedgerColumns = "event_id, stream, stream_id, attempt, kind, at, device_id, device_seq, actor_id, body::text as body, clock_behind_ms, seq";

    [GeneratedRegex("[0-9a-f]{8}-[0-9a-f]{4}-[0-9a-f]{4}-[0-9a-f]{4}-[0-9a-f]{12}")]
    private static partial Regex AnyId();

    /// <param name="names">False: people have numbers and no names.</param>
    public async Task<JobPack> Pack(CompanyId companyId, JobId jobId, bool names, CancellationToken cancel = default)
    {
        await using var c = await db.OpenConnectionAsync(cancel);
        await using var t = await c.BeginTransactionAsync(System.Data.IsolationLevel.RepeatableRead, cancel);
        var company = await c.One<(string Name, string? RecordOf)>(cancel, "select c.name, j.record_of from company c join job j using (company_id) where c.company_id = @companyId and j.job_id = @jobId", new { companyId, jobId }, t);
        var said = (await c.Query<LedgerLine>(cancel, $"""
            select {LedgerColumns} from ledger l where l.company_id = @companyId and stream = 'End' and exists (select 1 from cable_end e where e.company_id = l.company_id and e.end_id = l.stream_id and e.job_id = @jobId)
            union all select {LedgerColumns} from ledger where company_id = @companyId and stream = 'Job' and stream_id = @jobId
            union all select {LedgerColumns} from ledger l where l.company_id = @companyId and stream = 'Batch'
              and exists (select 1 from batch_end b join cable_end e on e.company_id = b.company_id and e.end_id = b.end_id where b.company_id = l.company_id and b.batch_id = l.stream_id and e.job_id = @jobId)
            order by seq
            """, new { companyId, jobId }, t)).ToList();
        // Instruments, tools and crews are of the whole company: those that the job's own entries name.
        var named = said.SelectMany(l => AnyId().Matches(l.Body).Select(m => Guid.Parse(m.Value))).Distinct().ToArray();
        said = (await c.Query<LedgerLine>(cancel, $"""
            select {LedgerColumns} from ledger where company_id = @companyId and (event_id = any(@events) or (stream in ('Instrument', 'Tool', 'Crew') and stream_id = any(@named))) order by seq
            """, new { companyId, events = said.Select(l => l.EventId).ToArray(), named }, t)).ToList();
        var people = (await c.Query<Guid>(cancel, $"""
            select unnest(@actors::uuid[])
            union select t.person_id from assigned t where t.company_id = @companyId and t.person_id is not null and {OfEnds}
            union select t.person_id from cable_end t where t.company_id = @companyId and t.person_id is not null and {OfJob}
            union select t.made_by from evidence t where t.company_id = @companyId and {OfEvidence}
            union select t.changed_by from own_procedure t where t.company_id = @companyId and t.published_at is not null
            union select t.made_by from own_limit_set t where t.company_id = @companyId
            """, new { companyId, jobId, actors = said.Select(l => l.ActorId.Value).Concat(named).Distinct().ToArray() }, t)).ToArray();
        var rows = new Dictionary<string, JsonElement>();
        foreach (var table in Tables)
        {
            // What a person signs in with stays where it is; whoever is carried over signs in nowhere.
            var columns = string.Join(", ", table.Columns.Select(x => (table.Name, x) switch
            {
                ("person", "name") when !names => "'Person ' || row_number() over (order by t.person_id) as name",
                ("person", "login") => "t.person_id::text as login",
                ("person", "password_hash") => "'' as password_hash",
                ("person", "security_stamp") => "t.person_id as security_stamp",
                ("person", "disabled_at") => "to_timestamp(0) as disabled_at",
                _ => $"t.{x}",
            }));
            var json = await c.Scalar<string>(cancel, $"select coalesce(jsonb_agg(to_jsonb(r)), '[]')::text from (select {columns} from {table.Name} t where t.company_id = @companyId and {table.Where} order by 1, 2) r", new { companyId, jobId, people }, t);
            rows[table.Name] = JsonSerializer.Deserialize<JsonElement>(json!);
        }

        var head = await letterheads.Of(companyId, cancel);
        return new(Format, jobId, company.RecordOf ?? company.Name, head.Foot, head.Mark, rows, [.. said.Select(l => l.Pack())]);
    }

    /// <summary>Writes a job into the books of a company that has none yet: all of it or nothing.</summary>
    /// <param name="file">The bytes of a picture or trace by their SHA-256 in hexadecimal; null where there are none.</param>
    /// <exception cref="RefusedException">The company has jobs; or something in it cannot be: the field says what.</exception>
    public async Task<CarriedJob> Unpack(Scope office, JobPack pack, Func<string, Task<byte[]?>> file, Instant now, CancellationToken cancel = default)
    {
        var companyId = office.CompanyId;
        await using var c = await db.OpenConnectionAsync(cancel);
        await using var t = await c.BeginTransactionAsync(cancel);
        var at = "";
        try
        {
            // Two who bring one at once: the second finds that the company has a job. Not by the company's own row, which its files are counted on.
            await c.Run(cancel, "select pg_advisory_xact_lock(hashtextextended('rhabdon record ' || @companyId::text, 0))", new { companyId }, t);
            if (await c.Scalar<bool>(cancel, """
                select exists (select 1 from job where company_id = @companyId) or exists (select 1 from own_procedure where company_id = @companyId) or exists (select 1 from own_limit_set where company_id = @companyId)
                """, new { companyId }, t))
            {
                throw new RefusedException(Refusal.Of("record-company-filled", "archive"));
            }

            foreach (var table in Tables)
            {
                at = $"rows.{table.Name}";
                var rows = pack.Rows.TryGetValue(table.Name, out var given) ? given.GetRawText() : "[]";
                if (table.Name == "crew")
                {
                    // A crew of this company may have the name already.
                    rows = (await c.Scalar<string>(cancel, """
                        select coalesce(jsonb_agg(case when exists (select 1 from crew where company_id = @companyId and name = r ->> 'name') then jsonb_set(r, '{name}', to_jsonb(r ->> 'name' || ' (' || @from || ')')) else r end), '[]')::text
                        from jsonb_array_elements(@rows::jsonb) r
                        """, new { companyId, rows, from = pack.Company }, t))!;
                }

                var columns = string.Join(", ", table.Columns);
                await c.Run(cancel, $"""
                    insert into {table.Name} (company_id, {columns}) select @companyId, {columns} from jsonb_populate_recordset(null::{table.Name}, @rows::jsonb)
                    {(table.Name == "school" ? "on conflict do nothing" : "")}
                    """, new { companyId, rows }, t);
            }

            at = "rows.person";
            await c.Run(cancel, "update person set login = gen_random_uuid()::text, password_hash = '', security_stamp = gen_random_uuid(), disabled_at = @now where company_id = @companyId and person_id = any(select (r ->> 'person_id')::uuid from jsonb_array_elements(@rows::jsonb) r)",
                new { companyId, now, rows = pack.Rows["person"].GetRawText() }, t);
            at = "rows.job";
            var ends = (await c.Query<EndId>(cancel, "select end_id from cable_end where company_id = @companyId and job_id = @JobId", new { companyId, pack.JobId }, t)).ToArray();
            if (await c.Run(cancel, "update job set record_of = @Company where company_id = @companyId and job_id = @JobId", new { companyId, pack.JobId, pack.Company }, t) != 1
                || await c.Scalar<long>(cancel, "select count(*) from job where company_id = @companyId", new { companyId }, t) != 1)
            {
                throw Bad("rows.job", "It holds one job.");
            }

            at = "rows.own_procedure";
            var rules = await methods.Rules(c, t, companyId, cancel);
            at = "rows.cable_end";
            await NearlyOut.Stand(c, t, companyId, ends, rules, cancel);
            await Say(c, t, office, pack.Events, now, x => at = x, cancel);
            at = "rows.evidence";
            var files = await c.Query<(string Hash, long Bytes)>(cancel, "select distinct encode(content_hash, 'hex'), size_bytes from evidence where company_id = @companyId", new { companyId }, t);
            var kept = 0;
            foreach (var (hash, _) in files)
            {
                await evidence.KeepBytes(companyId, await file(hash) ?? throw Bad("files", $"The picture or trace {hash} is missing."), cancel);
                kept++;
            }

            at = "letterhead";
            await c.Run(cancel, "insert into letterhead (company_id, mark, foot, changed_by, changed_at) values (@companyId, @Mark::bytea, @Foot, @PersonId, @now) on conflict do nothing", new { companyId, pack.Mark, pack.Foot, office.PersonId, now }, t);
            at = "rows.job";
            await Jobs.Stand(c, t, companyId, [pack.JobId], cancel);
            await t.CommitAsync(cancel);
            return new(pack.JobId, ends.Length, pack.Events.Count, kept);
        }
        catch (Exception x)
        {
            methods.Forget(companyId);
            throw x switch
            {
                RefusedException or OperationCanceledException => x,
                PostgresException p when p.SqlState is ['2', '2' or '3', ..] => Bad(at, p.MessageText),
                JsonException or InvalidOperationException or KeyNotFoundException or ArgumentException or FormatException or OverflowException or NotSupportedException or NullReferenceException => Bad(at, x.Message),
                _ => x,
            };
        }
    }

    /// <summary>Says again what was said, in the order in which it came.</summary>
    private async Task Say(NpgsqlConnection c, NpgsqlTransaction t, Scope office, IReadOnlyList<PackedEvent> events, Instant now, Action<string> at, CancellationToken cancel)
    {
        // The order in which they lie is the order in which they were written: within one telling, what ends rest on may lie behind them. So
        // instruments, tools, crews and the job come first; then ends together with the batches that they are made of, as a device would send them.
        var read = events.Index().Select(e => (No: e.Index, In: Incoming.Read(e.Item.Event, Duration.FromMilliseconds(e.Item.ClockBehindMs)))).ToList();
        var rest = read.ToLookup(x => x.In.Stream is { } s && s.Stream != StreamKind.Batch);
        foreach (var some in rest[true].Chunk(AtOnce).Concat(Together(rest[false])))
        {
            at($"events.{some[0].No}");
            var told = some.Select(x => x.In with { Event = x.In.Event is { } e ? e with { Taken = true } : null, Stream = x.In.Stream is { } s ? s with { Taken = true } : null }).ToList();
            var result = await intake.Take(c, t, office, told, now, mayVouch: true, cancel);
            if (result.Events.Index().FirstOrDefault(e => e.Item.Outcome != IntakeOutcome.Stored) is { Item: { } refused, Index: var nth })
            {
                throw Bad($"events.{some[nth].No}", refused.Refusal?.Plain ?? "It is there twice.");
            }
        }
    }

    /// <summary>Events of ends and of batches, so that what is of one batch is never torn apart.</summary>
    private static IEnumerable<(int No, Incoming In)[]> Together(IEnumerable<(int No, Incoming In)> events)
    {
        var of = new Dictionary<Guid, Guid>();
        Guid Root(Guid id)
        {
            while (of.TryGetValue(id, out var next) && next != id)
            {
                id = next;
            }

            return id;
        }

        var all = events.ToList();
        foreach (var e in all.Select(x => x.In.Event).OfType<LedgerEvent>().Where(e => e.Kind == EventKind.AttemptStarted))
        {
            if (e.Body.TryGetProperty("batchId", out var batch) && batch.ValueKind == JsonValueKind.String && batch.TryGetGuid(out var id))
            {
                of[Root(e.EndId.Value)] = Root(id);
            }
        }

        var some = new List<(int No, Incoming In)>();
        foreach (var group in all.GroupBy(x => Root(x.In.Event?.EndId.Value ?? x.In.Stream!.StreamId.Value)))
        {
            some.AddRange(group);
            if (some.Count >= AtOnce)
            {
                yield return [.. some];
                some.Clear();
            }
        }

        if (some.Count > 0)
        {
            yield return [.. some];
        }
    }

    private static RefusedException Bad(string field, string why) => new(Refusal.Of("record-damaged", field, ("why", why)));
}
