using Npgsql;
using Rhabdon.Core;
using Rhabdon.Core.Ledger;
using Rhabdon.Core.Procedures;

namespace Rhabdon.Store;

/// <summary>The ends that a batch speaks of, and those at their far sides that it needs. All of them are locked.</summary>
internal sealed class Ends(NpgsqlConnection c, NpgsqlTransaction t, CompanyId companyId)
{
    // One look-up by key for each end and what belongs to it, whatever the planner believes of tables that have just grown.
    private const string ReadSql = """
        select e.end_id, e.job_id, e.crew_id, e.person_id, j.crew_id as planned_by, j.time_zone, j.limit_set_id, j.face_limit_set_id, k.fiber_class, k.length_m, k.connections, k.splices as cable_splices, e.place_id, e.panel_id is not null as on_panel, k.strand_count, e.form, e.polish, e.method,
               f.method as far_method, (select s.state::text from end_state s where s.company_id = @companyId and s.end_id = e.end_id) as state_json, f.end_id as far_end_id,
               coalesce((select true from end_state s where s.company_id = @companyId and s.end_id = f.end_id), false) as far_begun,
               (select a.reason from end_set_aside a where a.company_id = @companyId and a.end_id = e.end_id) as set_aside,
               exists (select 1 from quarantine q where q.company_id = @companyId and q.stream_id = e.end_id and q.settled_at is null and q.waits) as waits
        from unnest(@ids) as asked (end_id)
        cross join lateral (select * from cable_end x where x.company_id = @companyId and x.end_id = asked.end_id limit 1) e
        cross join lateral (select * from job x where x.company_id = @companyId and x.job_id = e.job_id limit 1) j
        cross join lateral (select * from cable x where x.company_id = @companyId and x.cable_id = e.cable_id limit 1) k
        left join lateral (
          select x.end_id, x.method from cable_end x where x.company_id = @companyId and x.cable_id = e.cable_id and x.strand = e.strand
            and x.side = case e.side when 'A' then 'B' else 'A' end limit 1) f on true
        """;

    private readonly Dictionary<EndId, OpenEnd> _read = [];
    private readonly Dictionary<OpenEnd, LedgerEvent> _toTell = [];
    private readonly Dictionary<EvidenceId, (EndId EndId, KeptEvidence Kept)> _evidence = [];

    public IEnumerable<OpenEnd> All => _read.Values;

    public IEnumerable<OpenEnd> Changed => _read.Values.Where(x => x.Changed);

    public OpenEnd? Find(EndId endId) => _read.GetValueOrDefault(endId);

    // The lock is one statement and the reading another: a statement that has waited for a lock still sees the states of before.
    // An end's readings hang on its far end, so both are held, always in the same order. All that follows looks up by key, row by
    // row: its plans are the same each time, and what the planner believes of tables that have just grown does not matter.
    // Nobody waits for ever for what another holds: after some seconds the device keeps its events and sends them again.
    private const string LockSql = """
        set local lock_timeout = '8s';
        set local plan_cache_mode = force_generic_plan;
        set local enable_seqscan = off;
        set local enable_hashjoin = off;
        set local enable_mergejoin = off;
        select h.end_id from cable_end h
        where h.company_id = @companyId and h.end_id = any(array(
            select unnest(@ids)
            union
            select f.end_id from cable_end e join cable_end f on f.company_id = @companyId and f.cable_id = e.cable_id and f.strand = e.strand and f.side = case e.side when 'A' then 'B' else 'A' end
            where e.company_id = @companyId and e.end_id = any(@ids)))
        order by h.end_id for update
        """;

    /// <summary>Locks and reads the ends that these events speak of, and asks which of the events are known already: one trip to the database.</summary>
    /// <param name="eventIds">All that was sent, of ends or not.</param>
    public static async Task<(Ends Ends, Dictionary<EventId, LedgerEvent> Known)> Open(
        NpgsqlConnection c, NpgsqlTransaction t, CompanyId companyId, IReadOnlyList<LedgerEvent> events, EventId[] eventIds, CancellationToken cancel)
    {
        var ends = new Ends(c, t, companyId);
        Dictionary<EventId, LedgerEvent> known;
        await using (var grid = await c.Several(cancel, $"{LockSql};\n{ReadSql};\n{EventLog.KnownSql}", new { companyId, ids = events.Select(e => e.EndId).Distinct().ToArray(), eventIds }, t))
        {
            await grid.ReadAsync<EndId>();
            ends.Add(await grid.ReadAsync<EndPlanRow>(), asked: true);
            known = (await grid.ReadAsync<StoredEvent>()).ToDictionary(s => s.EventId, s => s.ToEvent());
        }

        // A reading is worth what its far end is; where an end is told again, its readings are.
        await ends.Read(ends.All.Where(e => e.State.Attempts.Any(a => a.Losses.Count > 0) || events.Any(x => x.EndId == e.Plan.EndId && x.Kind == EventKind.Measured))
            .Select(e => e.Plan.FarEndId).OfType<EndId>().ToList(), cancel);
        return (ends, known);
    }

    /// <summary>Locks and reads one end that no new event speaks of, and its far end where it has readings.</summary>
    public static async Task<Ends> Lock(NpgsqlConnection c, NpgsqlTransaction t, CompanyId companyId, EndId endId, CancellationToken cancel)
    {
        var ends = new Ends(c, t, companyId);
        await c.Run(cancel, LockSql, new { companyId, ids = new[] { endId } }, t);
        await ends.Read([endId], cancel, asked: true);
        await ends.Read(ends.All.Where(e => e.State.Attempts.Any(a => a.Losses.Count > 0)).Select(e => e.Plan.FarEndId).OfType<EndId>().ToList(), cancel);
        return ends;
    }

    /// <summary>Reads those of these ends that are not read yet, all in one question.</summary>
    private async Task Read(IEnumerable<EndId> endIds, CancellationToken cancel, bool asked = false)
    {
        var ids = endIds.Where(id => !_read.ContainsKey(id)).Distinct().ToArray();
        if (ids.Length > 0)
        {
            Add(await c.Query<EndPlanRow>(cancel, ReadSql, new { companyId, ids }, t), asked);
        }
    }

    private void Add(IEnumerable<EndPlanRow> rows, bool asked)
    {
        foreach (var row in rows)
        {
            _read[row.EndId] = new(row) { Asked = asked };
        }
    }

    /// <summary>Reads which of the pictures and traces that these events name are kept.</summary>
    public async Task Cite(IReadOnlyList<LedgerEvent> events, CancellationToken cancel)
    {
        var ids = events.SelectMany(Citations.Of).Select(x => x.Id).Where(id => !_evidence.ContainsKey(id)).Distinct().ToArray();
        if (ids.Length > 0)
        {
            foreach (var (id, endId, kept) in await EvidenceStore.Cited(c, t, companyId, ids, cancel))
            {
                _evidence[id] = (endId, kept);
            }
        }
    }

    private IReadOnlyDictionary<InstrumentId, KnownInstrument> _instruments = new Dictionary<InstrumentId, KnownInstrument>();
    private IReadOnlyDictionary<ToolId, LocalDate?> _tools = new Dictionary<ToolId, LocalDate?>();
    private IReadOnlyDictionary<EventId, PreflightAnswer> _kit = new Dictionary<EventId, PreflightAnswer>();
    private IReadOnlyDictionary<BatchId, Instant> _countedAt = new Dictionary<BatchId, Instant>();

    public IReadOnlyDictionary<EndId, EndState> States => _read.Values.ToDictionary(e => e.Plan.EndId, e => e.State);

    /// <summary>Batches whose counts have to be told again, with the event that made it so.</summary>
    public IReadOnlyList<(BatchId BatchId, EventId Cause)> MadeShards =>
        [.. Changed.Where(e => e.Stored.Count > 0).SelectMany(e => e.MadeShards, (e, b) => (b, Cause: e.Stored[^1].Event.Id)).GroupBy(x => x.b).Select(g => (g.Key, g.First().Cause)).OrderBy(x => x.Key)];

    /// <summary>The batches in which these ends are worked, or will be.</summary>
    public IEnumerable<BatchId> BatchesOf(IReadOnlyList<LedgerEvent> events) =>
        All.SelectMany(e => e.State.Attempts).Select(a => a.BatchId)
            .Concat(events.Where(e => e.Kind == EventKind.AttemptStarted).Select(e => EventBodies.Try<AttemptStarted>(e)?.BatchId)).OfType<BatchId>().Distinct();

    /// <summary>Reads what these events rest on beside their ends: pictures, instruments, tools, the crew's kit, the counts of batches.</summary>
    public async Task Know(IReadOnlyList<LedgerEvent> events, OpenStreams streams, IEnumerable<StreamEvent> counts, CancellationToken cancel)
    {
        await Cite(events, cancel);
        _countedAt = streams.CountedAt(counts);
        _instruments = await streams.Instruments([.. events.Where(e => e.Kind == EventKind.Measured).Select(e => EventBodies.Try<Measured>(e)?.InstrumentId).OfType<InstrumentId>().Distinct()], cancel);
        var begun = events.Where(e => e.Kind == EventKind.AttemptStarted).Select(EventBodies.Try<AttemptStarted>).OfType<AttemptStarted>().ToList();
        _tools = await streams.Tools([.. begun.SelectMany(b => b.ToolIds ?? []).Distinct()], cancel);
        _kit = await streams.Kit([.. begun.SelectMany(b => b.Preflight ?? []).Select(a => a.SaidIn).OfType<EventId>().Distinct()], cancel);
    }

    /// <summary>What is planned and kept of an end. A trace shows both connectors of its fiber, so what is kept of the far end is this end's, too.</summary>
    public PlannedConnector Planned(OpenEnd end) => end.Plan.Planned() with
    {
        Evidence = _evidence.Where(x => x.Value.EndId == end.Plan.EndId || x.Value.EndId == end.Plan.FarEndId).ToDictionary(x => x.Key, x => x.Value.Kept),
        Instruments = _instruments,
        Kit = _kit,
        Tools = _tools,
        ContainersCountedAt = _countedAt,
    };

    public async Task<EndLog> Log(OpenEnd end, CancellationToken cancel) =>
        end.Log ??= (await EventLog.Read(c, t, companyId, [end.Plan.EndId], cancel)).GetValueOrDefault(end.Plan.EndId) ?? new([], [], []);

    public Task<IReadOnlyList<Waiting>> Waiting(OpenEnd end, CancellationToken cancel) => Quarantine.Waiting(c, t, companyId, end.Plan.EndId.As<Ids.Stream>(), cancel);

    /// <summary>Notes what an end has come to, what its readings are worth by its far end, and whether the far end's hang on it.</summary>
    public void Note(OpenEnd end, EndState state, IReadOnlyList<(LedgerEvent Event, PersonId SenderId)> stored, IReadOnlyList<Entry> added, EventId cause)
    {
        var before = end.State;
        end.Note(state, stored, added);
        Settle(end, end.Plan.FarEndId is { } id ? Find(id)?.State : null, cause);
        if (FarEnds.Tells(before, end.State) && stored.Count > 0)
        {
            _toTell[end] = stored[^1].Event;
        }
    }

    /// <summary>The state of an end's far end; null where none is planned.</summary>
    public async Task<EndState?> Far(OpenEnd end, CancellationToken cancel)
    {
        if (end.Plan.FarEndId is not { } id)
        {
            return null;
        }

        await Read([id], cancel);
        return Find(id)?.State;
    }

    /// <summary>Tells the far ends what has changed for their readings.</summary>
    /// <returns>Those for which it made a difference, with the event that made it.</returns>
    public async Task<IReadOnlyList<(OpenEnd End, EventId Cause)>> TellFar(CancellationToken cancel)
    {
        var turned = new List<(OpenEnd, EventId)>();
        await Read(_toTell.Keys.Where(e => e.Plan.FarBegun).Select(e => e.Plan.FarEndId).OfType<EndId>().ToList(), cancel);
        foreach (var (end, cause) in _toTell)
        {
            if (end.Plan.FarEndId is { } id && Find(id) is { Plan.SetAside: null } far)
            {
                if (Settle(far, end.State, cause.Id))
                {
                    turned.Add((far, cause.Id));
                }
            }
        }

        return turned;
    }

    private static bool Settle(OpenEnd near, EndState? far, EventId cause)
    {
        var turned = FarEnds.Turned(near.State, far);
        if (turned.Count > 0)
        {
            near.Note(FarEnds.Settle(near.State, turned), [],
                turned.Select(x => new Entry(FarEnds.Reading(near.State, x.EventId), x.Judged, cause == x.EventId ? null : cause)));
        }

        return turned.Count > 0;
    }
}
