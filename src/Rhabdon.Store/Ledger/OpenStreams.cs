using System.Text.Json;
using Npgsql;
using Rhabdon.Core;
using Rhabdon.Core.Ledger;
using Rhabdon.Core.Planning;
using Rhabdon.Core.Procedures;

namespace Rhabdon.Store;

/// <summary>A stream that a batch of events speaks of, or rests on.</summary>
internal sealed class OpenStream(StreamKind kind, StreamId id)
{
    public StreamKind Kind { get; } = kind;

    public StreamId Id { get; } = id;

    public StreamState? State { get; set; }

    public bool Changed { get; set; }

    /// <summary>Whose it is, outside its own events: of the job or the crew; the crew of a batch's ends.</summary>
    public CrewId? CrewId { get; set; }

    public JobId? JobId { get; set; }

    /// <summary>False for a job or a crew that the company does not have.</summary>
    public bool Exists { get; set; } = true;
}

/// <summary>The streams of a batch of events, beside the ends'. All of them are locked.</summary>
internal sealed class OpenStreams(NpgsqlConnection c, NpgsqlTransaction t, CompanyId companyId)
{
    private readonly Dictionary<(StreamKind, StreamId), OpenStream> _open = [];
    private readonly List<(StreamEvent Event, PersonId SenderId)> _stored = [];
    private readonly List<JudgementRow> _lines = [];
    private readonly List<QuarantineId> _settled = [];
    private ILookup<CrewId, PersonId>? _crews;

    public IEnumerable<OpenStream> Changed => _open.Values.Where(s => s.Changed);

    public IEnumerable<LedgerRow> Rows => _stored.Select(x => LedgerRow.Of(x.Event, x.SenderId));

    public IEnumerable<JudgementRow> Lines => _lines;

    public IEnumerable<QuarantineId> Settled => _settled;

    /// <param name="batches">Batches of the ends that are spoken of.</param>
    public static async Task<OpenStreams> Lock(NpgsqlConnection c, NpgsqlTransaction t, CompanyId companyId, IReadOnlyList<StreamEvent> events, IEnumerable<BatchId> batches, CancellationToken cancel)
    {
        var open = new OpenStreams(c, t, companyId);
        var keys = events.Select(e => (e.Stream, e.StreamId)).Concat(batches.Select(b => (Stream: StreamKind.Batch, StreamId: b.As<Ids.Stream>()))).Distinct().ToList();
        if (keys.Count == 0)
        {
            return open;
        }

        // Locked in one order by all, before anything of them is read.
        await c.Run(cancel, "select pg_advisory_xact_lock(hashtextextended(id::text, 0)) from (select distinct id from unnest(@ids) as n (id) order by id) n", new { ids = keys.Select(k => k.StreamId).ToArray() }, t);
        await open.Read(keys, cancel);
        return open;
    }

    private sealed record StateRow(StreamKind Stream, StreamId StreamId, string State);

    private async Task Read(IReadOnlyList<(StreamKind Stream, StreamId StreamId)> keys, CancellationToken cancel)
    {
        if (keys.Count == 0)
        {
            return;
        }

        foreach (var key in keys)
        {
            _open[key] = new(key.Stream, key.StreamId);
        }

        foreach (var row in await c.Query<StateRow>(cancel, "select stream, stream_id, state::text as state from stream_state where company_id = @companyId and stream_id = any(@ids)",
            new { companyId, ids = keys.Select(k => k.StreamId).ToArray() }, t))
        {
            if (_open.TryGetValue((row.Stream, row.StreamId), out var stream))
            {
                stream.State = Streams.Read(row.State);
                stream.CrewId = stream.State.Whose();
            }
        }

        var jobs = keys.Where(k => k.Stream == StreamKind.Job).Select(k => k.StreamId).ToArray();
        if (jobs.Length > 0)
        {
            var known = (await c.Query<(JobId JobId, CrewId CrewId)>(cancel, "select job_id, crew_id from job where company_id = @companyId and job_id = any(@jobs)", new { companyId, jobs }, t)).ToDictionary(j => j.JobId, j => j.CrewId);
            foreach (var stream in _open.Values.Where(s => s.Kind == StreamKind.Job))
            {
                stream.JobId = stream.Id.As<Ids.Job>();
                stream.Exists = known.TryGetValue(stream.JobId.Value, out var crew);
                stream.CrewId = stream.Exists ? crew : null;
            }
        }

        foreach (var stream in _open.Values.Where(s => s.Kind == StreamKind.Crew))
        {
            stream.Exists = (await Crews(cancel)).Contains(stream.Id.As<Ids.Crew>());
            stream.CrewId = stream.Id.As<Ids.Crew>();
        }
    }

    /// <summary>The company's crews with their people; a crew without any has one that nobody is.</summary>
    private async Task<ILookup<CrewId, PersonId>> Crews(CancellationToken cancel) => _crews ??= (await c.Query<(CrewId CrewId, PersonId? PersonId)>(cancel,
        "select w.crew_id, p.person_id from crew w left join person p on p.company_id = w.company_id and p.crew_id = w.crew_id where w.company_id = @companyId", new { companyId }, t)).ToLookup(r => r.CrewId, r => r.PersonId ?? default);

    /// <summary>Those of these ids that the ledger has already, each as it was said.</summary>
    public async Task<Dictionary<EventId, StreamEvent>> Known(EventId[] ids, CancellationToken cancel) => ids.Length == 0 ? []
        : (await c.Query<EventRow>(cancel, $"select {EventColumns} from ledger l where l.company_id = @companyId and l.event_id = any(@ids) and l.stream <> 'End'", new { companyId, ids }, t)).ToDictionary(r => r.EventId, r => r.Read());

    private const string EventColumns = "l.event_id, l.stream, l.stream_id, l.kind, l.at, l.device_id, l.device_seq, l.actor_id, l.body::text as body, l.clock_behind_ms";

    private sealed record EventRow(EventId EventId, StreamKind Stream, StreamId StreamId, StreamEventKind Kind, Instant At, DeviceId DeviceId, long DeviceSeq, PersonId ActorId, string Body, long ClockBehindMs)
    {
        public StreamEvent Read() => new(EventId, Stream, StreamId, Kind, At, DeviceId, DeviceSeq, ActorId, JsonDocument.Parse(Body).RootElement)
        {
            Taken = true,
            ClockBehind = Duration.FromMilliseconds(ClockBehindMs),
        };
    }

    /// <summary>Decides these events of one stream, and those that waited for them.</summary>
    /// <returns>Why each that was refused was refused.</returns>
    public async Task<Dictionary<EventId, Refusal>> Take(StreamKind kind, StreamId id, IReadOnlyList<(StreamEvent Event, Worker Sender)> events, IReadOnlyList<EndState>? batchEnds, CrewId? batchCrew, CancellationToken cancel)
    {
        var stream = _open[(kind, id)];
        stream.CrewId ??= batchCrew;
        if (kind == StreamKind.Batch)
        {
            stream.State ??= Shards.Before(batchEnds!, id.As<Ids.Batch>());
        }

        var refused = new Dictionary<EventId, Refusal>();
        var waiting = (await Quarantine.Waiting(c, t, companyId, id, cancel)).Where(w => w.In.Stream is { } s && events.All(e => e.Event.Id != s.Id)).ToList();
        foreach (var (e, sender, waits) in events.Select(e => (e.Event, e.Sender, Waits: (QuarantineId?)null)).Concat(waiting.Select(w => (Event: w.In.Stream!, w.Sender, Waits: (QuarantineId?)w.QuarantineId))))
        {
            try
            {
                if (!stream.Exists)
                {
                    throw new RefusedException("stream-unknown", "streamId", $"You have no such {Wire.Name(kind)}.");
                }

                var judged = Streams.Decide(new(e, stream.State, await Facts(stream, e, batchEnds, cancel), sender));
                await Note(stream, e, judged, sender.PersonId, batchEnds, cancel);
                if (waits is { } settled)
                {
                    _settled.Add(settled);
                }
            }
            catch (RefusedException x)
            {
                refused[e.Id] = x.Refusals[0];
            }
            catch (Exception x) when (x is not (NpgsqlException or OperationCanceledException))
            {
                refused[e.Id] = Intake.Fault(x);
            }
        }

        return refused;
    }

    private async Task<StreamFacts> Facts(OpenStream stream, StreamEvent e, IReadOnlyList<EndState>? batchEnds, CancellationToken cancel)
    {
        var named = e.Kind is StreamEventKind.Assigned or StreamEventKind.HandedOver && e.Body.TryGetProperty("endIds", out var ids) && ids.ValueKind == JsonValueKind.Array
            ? ids.EnumerateArray().Select(x => x.ValueKind == JsonValueKind.String && x.TryGetGuid(out var g) ? new EndId(g) : default).ToArray() : [];
        var ends = named.Length == 0 ? [] : (await c.Query<EndId>(cancel, "select end_id from cable_end where company_id = @companyId and job_id = @Id and end_id = any(@named)", new { companyId, stream.Id, named }, t)).ToHashSet();
        return new(stream.CrewId, ends, batchEnds is null ? 0 : Shards.MadeBy(batchEnds, stream.Id.As<Ids.Batch>(), e.ToldAt), await Crews(cancel));
    }

    private async Task Note(OpenStream stream, StreamEvent e, Judged judged, PersonId senderId, IReadOnlyList<EndState>? batchEnds, CancellationToken cancel)
    {
        var taken = e with { Taken = true };
        var last = Streams.ComesLast(stream.State, taken);
        _stored.Add((taken, senderId));
        _lines.Add(new(e.StreamId, e.Id, null, false, judged));
        stream.State = last ? Streams.Evolve(stream.State, taken, judged) : Streams.Fold(await Log(stream, cancel), Before(stream, batchEnds));
        stream.CrewId ??= stream.State!.Whose();
        stream.Changed = true;
        if (e.Kind == StreamEventKind.Assigned)
        {
            var body = EventBodies.Read<Assigned>(taken);
            await Assignments.Write(c, t, companyId, [.. body.EndIds.Distinct()], new(taken.ToldAt, body.CrewId, body.PersonId), e.Id, cancel);
        }
    }

    private static BatchState? Before(OpenStream stream, IReadOnlyList<EndState>? batchEnds) => stream.Kind == StreamKind.Batch && batchEnds is not null ? Shards.Before(batchEnds, stream.Id.As<Ids.Batch>()) : null;

    /// <summary>All that the ledger has of a stream, with what this batch brought, each as it was judged last.</summary>
    private async Task<IReadOnlyList<(StreamEvent Event, Judged Judged)>> Log(OpenStream stream, CancellationToken cancel)
    {
        var rows = (await Log(c, t, companyId, stream.Kind, stream.Id, cancel)).ToDictionary(x => x.Event.Id);
        foreach (var (e, _) in _stored.Where(x => x.Event.Stream == stream.Kind && x.Event.StreamId == stream.Id))
        {
            rows[e.Id] = (e, new Kept());
        }

        foreach (var line in _lines.Where(l => l.StreamId == stream.Id && rows.ContainsKey(l.EventId)))
        {
            rows[line.EventId] = (rows[line.EventId].Event, line.Judged);
        }

        return [.. rows.Values];
    }

    private sealed record JudgedRow(EventId EventId, string Judged);

    internal static async Task<IReadOnlyList<(StreamEvent Event, Judged Judged)>> Log(NpgsqlConnection c, NpgsqlTransaction? t, CompanyId companyId, StreamKind kind, StreamId id, CancellationToken cancel)
    {
        var events = await c.Query<EventRow>(cancel, $"select {EventColumns} from ledger l where l.company_id = @companyId and l.stream_id = @id and l.stream = @kind order by l.seq", new { companyId, id, kind = kind.ToString() }, t);
        var judged = (await c.Query<JudgedRow>(cancel, "select distinct on (event_id) event_id, judged::text as judged from judgement where company_id = @companyId and stream_id = @id order by event_id, seq desc", new { companyId, id }, t))
            .ToDictionary(r => r.EventId, r => Judged.Read(r.Judged));
        return [.. events.Select(e => (e.Read(), judged.GetValueOrDefault(e.EventId) ?? new Kept()))];
    }

    /// <summary>Counts of a batch are told again when a run is heard of that had made shards before them.</summary>
    public async Task Recount(BatchId batchId, IReadOnlyList<EndState> ends, EventId cause, CrewId? crewId, JobId? jobId, CancellationToken cancel)
    {
        await Read([.. new[] { (StreamKind.Batch, batchId.As<Ids.Stream>()) }.Where(k => !_open.ContainsKey(k))], cancel);
        Belongs(batchId, crewId, jobId);
        var stream = _open[(StreamKind.Batch, batchId.As<Ids.Stream>())];
        if ((stream.State ?? Shards.Before(ends, batchId)) is not BatchState { Counts.Count: > 0 } state)
        {
            return;
        }

        var log = await Log(stream, cancel);
        foreach (var (e, judged) in log)
        {
            if (judged is ContainerJudged was && Shards.MadeBy(ends, batchId, e.ToldAt) is var made && made != was.Made)
            {
                _lines.Add(new(batchId.As<Ids.Stream>(), e.Id, cause, false, new ContainerJudged(made)));
            }
        }

        stream.State = Streams.Fold(await Log(stream, cancel), Shards.Before(ends, batchId)) ?? state;
        stream.Changed = true;
    }

    /// <summary>The ends of a batch, those of this request as they are now.</summary>
    public async Task<(CrewId? CrewId, JobId? JobId, IReadOnlyList<EndState> Ends)> EndsOf(BatchId batchId, IReadOnlyDictionary<EndId, EndState> now, CancellationToken cancel)
    {
        var rows = (await c.Query<(EndId EndId, JobId JobId, CrewId CrewId, string? State)>(cancel, """
            select e.end_id, e.job_id, e.crew_id, s.state::text as state
            from cable_end e left join end_state s on s.company_id = e.company_id and s.end_id = e.end_id
            where e.company_id = @companyId and (e.end_id = any(@more) or e.end_id in (select b.end_id from batch_end b where b.company_id = @companyId and b.batch_id = @batchId))
            """, new { companyId, batchId, more = now.Values.Where(s => s.Attempts.Any(a => a.BatchId == batchId)).Select(s => s.EndId).ToArray() }, t)).ToList();
        var first = rows.Select(r => ((CrewId, JobId)?)(r.CrewId, r.JobId)).FirstOrDefault();
        return (first?.Item1, first?.Item2, [.. rows.Select(r => now.GetValueOrDefault(r.EndId) ?? (r.State is null ? EndState.Empty(r.EndId) : EndStates.Read(r.State)))]);
    }

    public void Belongs(BatchId batchId, CrewId? crewId, JobId? jobId)
    {
        var stream = _open[(StreamKind.Batch, batchId.As<Ids.Stream>())];
        (stream.CrewId, stream.JobId) = (crewId, jobId);
    }

    /// <summary>When the containers of these batches were counted last, with what this request brings of it.</summary>
    public IReadOnlyDictionary<BatchId, Instant> CountedAt(IEnumerable<StreamEvent> coming) =>
        _open.Values.Select(s => s.State).OfType<BatchState>().SelectMany(s => s.Counts.Select(n => (s.Id, n.At)))
            .Concat(coming.Where(e => e.Kind == StreamEventKind.ContainerCounted).Select(e => (Id: e.StreamId, At: e.ToldAt)))
            .GroupBy(x => x.Id.As<Ids.Batch>(), x => x.At).ToDictionary(g => g.Key, g => g.Max());

    /// <summary>The instruments that readings name, as they are now.</summary>
    public async Task<IReadOnlyDictionary<InstrumentId, KnownInstrument>> Instruments(InstrumentId[] ids, CancellationToken cancel) =>
        (await OfKind(StreamKind.Instrument, Array.ConvertAll(ids, id => id.Value), cancel)).OfType<InstrumentState>()
            .ToDictionary(s => s.Id.As<Ids.Instrument>(), s => new KnownInstrument(s.RepeatabilityDb, s.Calibrations.LastOrDefault()?.DueOn));

    /// <summary>Which of these tools there are, and until when each one's service or calibration holds.</summary>
    public async Task<IReadOnlyDictionary<ToolId, LocalDate?>> Tools(ToolId[] ids, CancellationToken cancel) =>
        (await OfKind(StreamKind.Tool, Array.ConvertAll(ids, id => id.Value), cancel)).OfType<ToolState>().ToDictionary(s => s.Id.As<Ids.Tool>(), s => s.DueOn);

    /// <summary>What these streams have come to, with what has just been told of them.</summary>
    private async Task<IReadOnlyCollection<StreamState>> OfKind(StreamKind kind, Guid[] ids, CancellationToken cancel)
    {
        var known = ids.Length == 0 ? [] : (await c.Query<StateRow>(cancel, "select stream, stream_id, state::text as state from stream_state where company_id = @companyId and stream = @kind and stream_id = any(@ids)",
            new { companyId, kind = kind.ToString(), ids }, t)).Select(r => Streams.Read(r.State)).ToDictionary(s => s.Id);
        foreach (var changed in Changed.Where(s => s.Kind == kind))
        {
            known[changed.Id] = changed.State!;
        }

        return known.Values;
    }

    /// <summary>What crews said of their kit, by the events that runs cite.</summary>
    public async Task<IReadOnlyDictionary<EventId, PreflightAnswer>> Kit(EventId[] eventIds, CancellationToken cancel)
    {
        var said = (await Known(eventIds, cancel)).Values.Concat(_stored.Select(x => x.Event)).Where(e => e.Kind == StreamEventKind.KitSaid);
        return said.DistinctBy(e => e.Id).ToDictionary(e => e.Id, e => EventBodies.Read<KitSaid>(e).Answer);
    }

    /// <summary>Writes what the streams have come to.</summary>
    public async Task Write(CancellationToken cancel)
    {
        var changed = Changed.OrderBy(s => s.Id).ToList();
        if (changed.Count == 0)
        {
            return;
        }

        await c.Run(cancel, WriteSql, new
        {
            companyId,
            streams = changed.Select(s => s.Kind.ToString()).ToArray(),
            ids = changed.Select(s => s.Id).ToArray(),
            crews = changed.Select(s => s.State!.Whose() ?? s.CrewId).ToArray(),
            jobs = changed.Select(s => s.JobId).ToArray(),
            opens = changed.Select(s => s.State!.IsOpen()).ToArray(),
            lastAts = changed.Select(s => (s.State!.LastAt ?? NodaConstants.UnixEpoch)).ToArray(),
            states = changed.Select(s => Streams.Write(s.State!)).ToArray(),
        }, t);
    }

    internal const string WriteSql = """
        insert into stream_state (company_id, stream, stream_id, crew_id, job_id, is_open, last_at, state)
        select @companyId, stream, id, crew_id, job_id, is_open, last_at, state::jsonb
        from unnest(@streams, @ids, @crews, @jobs, @opens, @lastAts, @states) as n (stream, id, crew_id, job_id, is_open, last_at, state)
        on conflict (company_id, stream, stream_id) do update set
            crew_id = excluded.crew_id, job_id = excluded.job_id, is_open = excluded.is_open, last_at = excluded.last_at, state = excluded.state
        """;
}
