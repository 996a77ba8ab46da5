using System.Text.Json;
using System.Text.Json.Serialization;
using Dapper;
using Npgsql;
using Rhabdon.Core;
using Rhabdon.Core.Ledger;

namespace Rhabdon.Store;

public enum IntakeOutcome
{
    Stored, Duplicate, Quarantined,
}

/// <summary>What became of one event that was sent.</summary>
/// <param name="Id">The event's id, where it had one that could be read.</param>
/// <param name="Refusal">Why it went to quarantine.</param>
public sealed record Intake(Guid? Id, IntakeOutcome Outcome, Refusal? Refusal);

/// <param name="Touched">The jobs that something was stored for.</param>
public sealed record IntakeResult(IReadOnlyList<Intake> Events, IReadOnlyList<EndState> Ends, [property: JsonIgnore] IReadOnlyList<Guid> Touched);

/// <summary>An event as it stands in the ledger.</summary>
public sealed record StoredEvent(Guid EventId, Guid EndId, int Attempt, EventKind Kind, DateTime At, Guid DeviceId, long DeviceSeq, Guid ActorId, string ActorName, string Body, DateTime ReceivedAt)
{
    public LedgerEvent ToEvent() => new(EventId, EndId, Attempt, Kind, new DateTimeOffset(At, TimeSpan.Zero), DeviceId, DeviceSeq, ActorId, JsonDocument.Parse(Body).RootElement) { Taken = true };
}

/// <summary>Takes events in, folds them, and keeps the projection beside them in one transaction.</summary>
public sealed class LedgerStore(NpgsqlDataSource db, Methods methods)
{
    public const string HistorySql = """
        select l.event_id, l.end_id, l.attempt, l.kind, l.at, l.device_id, l.device_seq, l.actor_id, p.name as actor_name, l.body::text as body, l.received_at
        from ledger l join person p on p.company_id = l.company_id and p.person_id = l.actor_id
        where l.company_id = @companyId and l.end_id = @endId order by l.seq
        """;

    private const string EventColumns = "l.event_id, l.end_id, l.attempt, l.kind, l.at, l.device_id, l.device_seq, l.actor_id, '' as actor_name, l.body::text as body, l.received_at";

    private sealed record EndRow(Guid EndId, Guid JobId, Guid CrewId, string? StateJson, Guid? FarEndId, string? SetAside);

    private sealed class Touched
    {
        private readonly EndStatus _before;
        private EndState _state;

        public Touched(EndRow row)
        {
            Row = row;
            _state = row.StateJson is null ? EndState.Empty(row.EndId) : EndStates.Read(row.StateJson);
            _before = _state.Status;
        }

        public EndRow Row { get; }

        /// <summary>True when the batch speaks of it, and it is not only the far end of one.</summary>
        public bool Asked { get; init; }

        public EndState State
        {
            get => _state;
            set => (_state, Changed) = (value, Changed || !ReferenceEquals(_state, value));
        }

        /// <summary>True when the state has to be written.</summary>
        public bool Changed { get; private set; }

        /// <summary>True when it became accepted, or is so no longer: the job's standing hangs on it.</summary>
        public bool Turned => (_before == EndStatus.Accepted) != (_state.Status == EndStatus.Accepted);

        /// <summary>Events taken in by this very batch, which a later correction in it may speak of.</summary>
        public List<LedgerEvent> New { get; } = [];
    }

    /// <summary>The ends that a batch speaks of, and those at their far sides that it needs. All of them are locked.</summary>
    private sealed class Ends(NpgsqlConnection c, NpgsqlTransaction t, Guid companyId)
    {
        private readonly Dictionary<Guid, Touched> _read = [];
        private readonly HashSet<Touched> _toTell = [];

        public IEnumerable<Touched> Changed => _read.Values.Where(x => x.Changed);

        public IEnumerable<Touched> All => _read.Values;

        public Touched? Find(Guid endId) => _read.GetValueOrDefault(endId);

        /// <summary>Reads those of these ends that are not read yet, all in one question.</summary>
        public async Task Read(IEnumerable<Guid> endIds, bool asked = false)
        {
            var ids = endIds.Where(id => !_read.ContainsKey(id)).Distinct().ToArray();
            if (ids.Length > 0)
            {
                foreach (var row in await c.QueryAsync<EndRow>(ReadSql, new { companyId, ids }, t))
                {
                    _read[row.EndId] = new(row) { Asked = asked };
                }
            }
        }

        /// <summary>Notes for the readings of an end whether its far end was made. That one has been read, where it matters.</summary>
        public void Settle(Touched end) => end.State = FarEnds.Settle(end.State, end.Row.FarEndId is { } id ? Find(id)?.State : null);

        /// <summary>Something of an end has changed that the readings at its far end hang on: told now where that one is at hand, else with the others.</summary>
        public void Tell(Touched end)
        {
            if (end.Row.FarEndId is { } id && Find(id) is { Row.SetAside: null } far)
            {
                Settle(far);
            }
            else
            {
                _toTell.Add(end);
            }
        }

        /// <summary>Tells the far ends that were not at hand.</summary>
        public async Task TellAll()
        {
            await Read(_toTell.Select(e => e.Row.FarEndId).OfType<Guid>());
            foreach (var far in _toTell.Select(e => e.Row.FarEndId is { } id ? Find(id) : null).OfType<Touched>().Where(f => f.Row.SetAside is null))
            {
                Settle(far);
            }
        }
    }

    private const string ReadSql = """
        select e.end_id, e.job_id, j.crew_id, s.state::text as state_json,
               (select f.end_id from cable_end f where f.company_id = @companyId and f.cable_id = e.cable_id and f.strand = e.strand and f.side <> e.side) as far_end_id,
               (select a.reason from end_set_aside a where a.company_id = @companyId and a.end_id = e.end_id) as set_aside
        from cable_end e
        join job j on j.company_id = e.company_id and j.job_id = e.job_id
        left join end_state s on s.company_id = e.company_id and s.end_id = e.end_id
        where e.company_id = @companyId and e.end_id = any(@ids)
        """;

    /// <summary>Takes in what a device sent. Each event is stored, known already, or quarantined with the reason; none is lost.</summary>
    /// <param name="mayVouch">True when the sender may send what others did, as a lead settling a quarantine.</param>
    public async Task<IntakeResult> Append(Scope sender, IReadOnlyList<Incoming> incoming, DateTime now, bool mayVouch = false)
    {
        var rules = await methods.Rules(sender.CompanyId);
        await using var c = await db.OpenConnectionAsync();
        await using var t = await c.BeginTransactionAsync();
        var readable = incoming.Where(i => i.Event is not null).Select(i => i.Event!).ToList();
        var ends = await LockEnds(c, t, sender.CompanyId, readable);
        var known = await Known(c, t, sender.CompanyId, readable);
        var actors = (await c.QueryAsync<Guid>("select person_id from person where company_id = @CompanyId and person_id = any(@ids)",
            new { sender.CompanyId, ids = readable.Select(e => e.ActorId).Distinct().ToArray() }, t)).ToHashSet();

        var outcomes = new Intake[incoming.Count];
        var stored = new List<LedgerEvent>();
        var refused = new List<(Incoming In, Refusal Why)>();
        // Device order is the order that counts; different devices keep the order they came in.
        var order = Enumerable.Range(0, incoming.Count).GroupBy(i => incoming[i].Event?.DeviceId).SelectMany(g => g.OrderBy(i => incoming[i].Event?.DeviceSeq ?? 0));
        foreach (var i in order)
        {
            var item = incoming[i];
            Refusal? why = item.Fault;
            if (item.Event is { } e)
            {
                if (known.TryGetValue(e.Id, out var earlier) && Same(earlier, e))
                {
                    outcomes[i] = new(e.Id, IntakeOutcome.Duplicate, null);
                    continue;
                }

                why = earlier is not null ? new("id-reused", "id", "Another event has this id already.")
                    : await Take(c, t, rules, sender, mayVouch, e, ends, actors);
                if (why is null)
                {
                    stored.Add(e);
                    known[e.Id] = e;
                    outcomes[i] = new(e.Id, IntakeOutcome.Stored, null);
                    continue;
                }
            }

            refused.Add((item, why!));
            outcomes[i] = new(item.Event?.Id, IntakeOutcome.Quarantined, why);
        }

        await ends.TellAll();
        await WriteEvents(c, t, sender, stored, now);
        await Projector.Write(c, t, sender.CompanyId, [.. ends.Changed.Select(x => x.State)]);
        await WriteKit(c, t, sender.CompanyId, [.. ends.All.SelectMany(x => x.New.Select(e => (x.Row.CrewId, e)))]);
        await Quarantine.Write(c, t, sender, refused, now);
        await Jobs.Stand(c, t, sender.CompanyId, [.. ends.All.Where(x => x.Turned).Select(x => x.Row.JobId).Distinct()]);
        await t.CommitAsync();
        return new(outcomes, [.. ends.All.Where(x => (x.Asked || x.Changed) && Sees(sender, x.Row)).Select(x => x.State)], [.. ends.Changed.Select(x => x.Row.JobId).Distinct()]);
    }

    private static bool Sees(Scope sender, EndRow end) => sender.Office || end.CrewId == sender.WorkCrewId;

    private static async Task<Refusal?> Take(NpgsqlConnection c, NpgsqlTransaction t, Rules rules, Scope sender, bool mayVouch, LedgerEvent e, Ends ends, HashSet<Guid> actors)
    {
        if (ends.Find(e.EndId) is not { } end)
        {
            return new("end-unknown", "endId", "No such end is planned.");
        }

        if (!Sees(sender, end.Row))
        {
            return new("not-your-crews-job", "endId", "This end belongs to another crew's job.");
        }

        if (!actors.Contains(e.ActorId))
        {
            return new("actor-unknown", "actorId", "Nobody here has this id.");
        }

        if (e.ActorId != sender.PersonId && !mayVouch)
        {
            return new("sent-for-another", "actorId", "This was done by one person and sent under another's sign-in; a lead has to confirm it.");
        }

        if (end.Row.SetAside is { } reason)
        {
            return new("end-set-aside", "endId", $"This end's entries could not be read again ({reason}). What is sent waits here until that is mended.");
        }

        try
        {
            if (Rights.Against(sender.Role, end.State, e) is { } against)
            {
                return against;
            }

            var before = end.State;
            end.State = e.Kind == EventKind.Corrected
                ? EndFold.Correct([.. await Events(c, t, sender.CompanyId, e.EndId), .. end.New], e, rules)
                : EndFold.Fold(end.State, e, rules);
            end.New.Add(e with { Taken = true });
            if (NeedsFar(e))
            {
                ends.Settle(end);
            }

            if (FarEnds.Tells(before, end.State))
            {
                ends.Tell(end);
            }

            return null;
        }
        catch (RefusedException x)
        {
            return x.Refusals[0] with { Message = x.Message };
        }
        catch (Exception x) when (x is not (NpgsqlException or OperationCanceledException))
        {
            // A fault of ours in one event costs nobody else theirs: it waits, with its words, until we have mended it.
            return new("server-fault", "body", $"This entry broke the fold ({x.GetType().Name}: {x.Message}). It is kept.");
        }
    }

    private static async Task<Ends> LockEnds(NpgsqlConnection c, NpgsqlTransaction t, Guid companyId, List<LedgerEvent> events)
    {
        // The lock is one statement and the reading another: a statement that has waited for a lock still sees the states of before.
        // An end's readings hang on its far end, so both are held, always in the same order.
        var ids = events.Select(e => e.EndId).Distinct().ToArray();
        var far = await c.QueryAsync<Guid>("""
            select f.end_id from cable_end e join cable_end f on f.company_id = e.company_id and f.cable_id = e.cable_id and f.strand = e.strand and f.side <> e.side
            where e.company_id = @companyId and e.end_id = any(@ids)
            """, new { companyId, ids }, t);
        await c.ExecuteAsync("select end_id from cable_end where company_id = @companyId and end_id = any(@held) order by end_id for update",
            new { companyId, held = ids.Concat(far).Distinct().ToArray() }, t);
        var ends = new Ends(c, t, companyId);
        await ends.Read(ids, asked: true);
        await ends.Read(events.Where(NeedsFar).Select(e => ends.Find(e.EndId)?.Row.FarEndId).OfType<Guid>());
        return ends;
    }

    /// <summary>A reading is worth what its far end is.</summary>
    private static bool NeedsFar(LedgerEvent e) => e.Kind is EventKind.Measured or EventKind.Corrected;

    private static async Task<Dictionary<Guid, LedgerEvent>> Known(NpgsqlConnection c, NpgsqlTransaction t, Guid companyId, List<LedgerEvent> events) =>
        (await c.QueryAsync<StoredEvent>($"select {EventColumns} from ledger l where l.company_id = @companyId and l.event_id = any(@ids)",
            new { companyId, ids = events.Select(e => e.Id).Distinct().ToArray() }, t)).ToDictionary(s => s.EventId, s => s.ToEvent());

    internal static async Task<IReadOnlyList<LedgerEvent>> Events(NpgsqlConnection c, NpgsqlTransaction? t, Guid companyId, Guid endId) =>
        [.. (await c.QueryAsync<StoredEvent>($"select {EventColumns} from ledger l where l.company_id = @companyId and l.end_id = @endId order by l.seq", new { companyId, endId }, t))
            .Select(s => s.ToEvent())];

    private static bool Same(LedgerEvent a, LedgerEvent b) =>
        a.EndId == b.EndId && a.Attempt == b.Attempt && a.Kind == b.Kind && a.DeviceId == b.DeviceId && a.DeviceSeq == b.DeviceSeq && a.ActorId == b.ActorId
        && Math.Abs((a.At - b.At).TotalMicroseconds) < 2 && JsonElement.DeepEquals(a.Body, b.Body);

    private static async Task WriteEvents(NpgsqlConnection c, NpgsqlTransaction t, Scope sender, List<LedgerEvent> events, DateTime now)
    {
        if (events.Count == 0)
        {
            return;
        }

        await c.ExecuteAsync("""
            insert into ledger (company_id, event_id, end_id, attempt, kind, at, device_id, device_seq, actor_id, sender_id, body, received_at)
            select @CompanyId, event_id, end_id, attempt, kind, at, device_id, device_seq, actor_id, @PersonId, body::jsonb, @now
            from unnest(@ids, @ends, @attempts, @kinds, @ats, @devices, @seqs, @actors, @bodies)
              as n (event_id, end_id, attempt, kind, at, device_id, device_seq, actor_id, body)
            """, new
        {
            sender.CompanyId,
            sender.PersonId,
            now,
            ids = events.Select(e => e.Id).ToArray(),
            ends = events.Select(e => e.EndId).ToArray(),
            attempts = events.Select(e => e.Attempt).ToArray(),
            kinds = events.Select(e => e.Kind.ToString()).ToArray(),
            ats = events.Select(e => e.At.UtcDateTime).ToArray(),
            devices = events.Select(e => e.DeviceId).ToArray(),
            seqs = events.Select(e => e.DeviceSeq).ToArray(),
            actors = events.Select(e => e.ActorId).ToArray(),
            bodies = events.Select(e => e.Body.GetRawText()).ToArray(),
        }, t);
    }

    /// <summary>Remembers what a crew said of its lots and tools, so that the next batch need not say it again.</summary>
    private static async Task WriteKit(NpgsqlConnection c, NpgsqlTransaction t, Guid companyId, IReadOnlyList<(Guid CrewId, LedgerEvent Event)> events)
    {
        var said = events.SelectMany(x => x.Event.Kind switch
        {
            EventKind.AttemptStarted => EventBodies.Read<AttemptStarted>(x.Event).Preflight ?? [],
            EventKind.PreflightAnswered => [EventBodies.Read<PreflightAnswered>(x.Event).Answer],
            _ => [],
        }, (x, a) => (x.CrewId, Answer: a)).Where(x => x.Answer.Lot is not null || x.Answer.UseBy is not null || x.Answer.Number is not null)
            // One order for all, so that two batches never wait for each other.
            .GroupBy(x => (x.CrewId, x.Answer.ItemId)).Select(g => g.Last()).OrderBy(x => x.CrewId).ThenBy(x => x.Answer.ItemId, StringComparer.Ordinal).ToList();
        if (said.Count > 0)
        {
            await c.ExecuteAsync("""
                insert into kit (company_id, crew_id, item_id, answer) values (@companyId, @CrewId, @ItemId, @answer::jsonb)
                on conflict (company_id, crew_id, item_id) do update set answer = excluded.answer
                """, said.Select(x => new { companyId, x.CrewId, x.Answer.ItemId, answer = JsonSerializer.Serialize(x.Answer, Wire.Json) }), t);
        }
    }

    /// <summary>Everything that was written down about an end, in ledger order.</summary>
    public async Task<IReadOnlyList<StoredEvent>> History(Guid companyId, Guid endId)
    {
        await using var c = await db.OpenConnectionAsync();
        return [.. await c.QueryAsync<StoredEvent>(HistorySql, new { companyId, endId })];
    }
}
