using System.Text.Json;
using System.Text.Json.Serialization;
using Dapper;
using Npgsql;
using Rhabdon.Core;
using Rhabdon.Core.Connectors;
using Rhabdon.Core.Fiber;
using Rhabdon.Core.Ledger;
using Rhabdon.Core.Planning;

namespace Rhabdon.Store;

public enum IntakeOutcome
{
    Stored, Duplicate, Quarantined,
}

/// <summary>What became of one event that was sent.</summary>
/// <param name="Id">The event's id, where it had one that could be read.</param>
/// <param name="Refusal">Why it went to quarantine.</param>
public sealed record IntakeLine(Guid? Id, IntakeOutcome Outcome, Refusal? Refusal);

/// <param name="Touched">The jobs that something was stored for.</param>
public sealed record IntakeResult(IReadOnlyList<IntakeLine> Events, IReadOnlyList<EndState> Ends, [property: JsonIgnore] IReadOnlyList<Guid> Touched);

/// <summary>
/// The door of the ledger. Events come in; the ends that they speak of are locked, then read; Core decides each event, or tells its end
/// again; event, judgement and the state they come to are written in one transaction. What is refused goes to quarantine.
/// </summary>
public sealed class Intake(NpgsqlDataSource db, Methods methods)
{
    /// <summary>Takes in what a device sent. Each event is stored, known already, or quarantined with the reason; none is lost.</summary>
    /// <param name="mayVouch">True when the sender may send what others did, as a lead settling a quarantine.</param>
    public async Task<IntakeResult> Append(Scope sender, IReadOnlyList<Incoming> incoming, DateTime now, bool mayVouch = false, CancellationToken cancel = default)
    {
        var rules = await methods.Rules(sender.CompanyId);
        await using var c = await db.OpenConnectionAsync(cancel);
        await using var t = await c.BeginTransactionAsync(cancel);
        var readable = incoming.Where(i => i.Event is not null).Select(i => i.Event!).ToList();
        var ends = await Ends.Lock(c, t, sender.CompanyId, readable, cancel);
        var known = await EventLog.Known(c, t, sender.CompanyId, [.. readable.Select(e => e.Id).Distinct()], cancel);
        var actors = (await c.QueryAsync<Guid>(new CommandDefinition("select person_id from person where company_id = @CompanyId and person_id = any(@ids)",
            new { sender.CompanyId, ids = readable.Select(e => e.ActorId).Distinct().ToArray() }, t, cancellationToken: cancel))).ToHashSet();

        await ends.Cite(readable, cancel);
        var why = new Refusal?[incoming.Count];
        var duplicate = new bool[incoming.Count];
        var takeable = new List<int>();
        for (var i = 0; i < incoming.Count; i++)
        {
            why[i] = incoming[i].Fault;
            if (incoming[i].Event is not { } e)
            {
                continue;
            }

            if (known.TryGetValue(e.Id, out var earlier))
            {
                duplicate[i] = Same(earlier, e);
                why[i] = duplicate[i] ? null : new("id-reused", "id", "Another event has this id already.");
                continue;
            }

            known[e.Id] = e;
            why[i] = Against(sender, mayVouch, e, ends.Find(e.EndId), actors);
            if (why[i] is null)
            {
                takeable.Add(i);
            }
        }

        // Ends are told one by one, each device's events in the device's own order; different devices keep the order they came in.
        foreach (var group in takeable.GroupBy(i => incoming[i].Event!.EndId))
        {
            var order = group.GroupBy(i => incoming[i].Event!.DeviceId).SelectMany(g => g.OrderBy(i => incoming[i].Event!.DeviceSeq));
            await Take(ends, ends.Find(group.Key)!, [.. order.Select(i => (i, incoming[i].Event!))], sender, rules, why, cancel);
        }

        foreach (var (end, cause) in await ends.TellFar(cancel))
        {
            // What was said too early of the far end may fit now.
            if (end.Plan.Waits && (await ends.Log(end, cancel)).Log.All(x => x.Judged is not TakenOver))
            {
                await Retell(ends, end, [], cause, sender, rules, why, cancel);
            }
        }

        await EventLog.Write(c, t, sender.CompanyId, [.. ends.All.SelectMany(x => x.Stored)], now, cancel);
        await EventLog.Write(c, t, sender.CompanyId, [.. ends.All.SelectMany(x => x.Added)], now, cancel);
        await Projector.Write(c, t, sender.CompanyId, [.. ends.Changed.Select(x => x.State)]);
        await WriteKit(c, t, sender.CompanyId, [.. ends.All.SelectMany(x => x.Stored.Select(e => (x.Plan.CrewId, e.Event)))]);
        await Quarantine.Write(c, t, sender, [.. incoming.Select((x, i) => (In: x, Why: why[i])).Where(x => x.Why is not null).Select(x => (x.In, x.Why!))], now);
        await Quarantine.SettleTold(c, t, sender.CompanyId, [.. ends.All.SelectMany(x => x.Settled)], now);
        await Jobs.Stand(c, t, sender.CompanyId, [.. ends.All.Where(x => x.Turned).Select(x => x.Plan.JobId).Distinct()]);
        await t.CommitAsync(cancel);
        return new(
            [.. incoming.Select((x, i) => new IntakeLine(x.Event?.Id, duplicate[i] ? IntakeOutcome.Duplicate : why[i] is null ? IntakeOutcome.Stored : IntakeOutcome.Quarantined, why[i]))],
            [.. ends.All.Where(x => (x.Asked || x.Changed) && Sees(sender, x.Plan)).Select(x => x.State)],
            [.. ends.Changed.Select(x => x.Plan.JobId).Distinct()]);
    }

    private static bool Sees(Scope sender, EndPlanRow end) => sender.Office || end.CrewId == sender.WorkCrewId;

    /// <summary>Why an event is not even asked about.</summary>
    private static Refusal? Against(Scope sender, bool mayVouch, LedgerEvent e, OpenEnd? end, HashSet<Guid> actors) =>
        end is null ? new("end-unknown", "endId", "No such end is planned.")
        : !Sees(sender, end.Plan) ? new("not-your-crews-job", "endId", "This end belongs to another crew's job.")
        : !actors.Contains(e.ActorId) ? new("actor-unknown", "actorId", "Nobody here has this id.")
        : e.ActorId != sender.PersonId && !mayVouch ? new("sent-for-another", "actorId", "This was done by one person and sent under another's sign-in; a lead has to confirm it.")
        : end.Plan.SetAside is { } reason ? new("end-set-aside", "endId", $"This end's entries could not be read again ({reason}). What is sent waits here until that is mended.")
        : null;

    /// <summary>Tells an end the events of this batch that speak of it.</summary>
    private static async Task Take(Ends ends, OpenEnd end, IReadOnlyList<(int At, LedgerEvent Event)> events, Scope sender, Rules rules, Refusal?[] why, CancellationToken cancel)
    {
        for (var i = 0; i < events.Count; i++)
        {
            var (at, e) = events[i];
            if (end.Plan.Waits || Telling.NeedsRetelling(end.State, e))
            {
                var log = await ends.Log(end, cancel);
                if (e.Kind == EventKind.Corrected || log.Log.All(x => x.Judged is not TakenOver))
                {
                    await Retell(ends, end, [.. events.Skip(i)], e.Id, sender, rules, why, cancel);
                    return;
                }
            }

            try
            {
                var told = Telling.Tell(new(ends.Planned(end), end.State, rules, e, sender.Role));
                ends.Note(end, told.State, [(e, sender.PersonId)], [new(e, told.Judged)], e.Id);
            }
            catch (RefusedException x)
            {
                why[at] = x.Refusals[0] with { Message = x.Message };
                if (Retelling.Waits(why[at]!))
                {
                    end.NowWaits(at, e);
                }
            }
            catch (Exception x) when (x is not (NpgsqlException or OperationCanceledException))
            {
                why[at] = Fault(x);
            }
        }
    }

    /// <param name="cause">The event for whose sake it is told again.</param>
    private static async Task Retell(Ends ends, OpenEnd end, IReadOnlyList<(int At, LedgerEvent Event)> events, Guid cause, Scope sender, Rules rules, Refusal?[] why, CancellationToken cancel)
    {
        try
        {
            var log = await ends.Log(end, cancel);
            // What this batch brought before and did not fit then is not in quarantine yet.
            events = [.. end.Early, .. events];
            end.Early.Clear();
            var sent = events.Select(e => e.Event.Id).ToHashSet();
            var waiting = (await ends.Waiting(end, cancel)).Where(w => !sent.Contains(w.Event.Id)).ToList();
            await ends.Cite([.. waiting.Select(w => w.Event)], cancel);
            IReadOnlyList<(LedgerEvent Event, Role Sender)> more = [.. events.Select(e => (e.Event, sender.Role)), .. waiting.Select(w => (w.Event, w.Role))];
            var told = Retelling.Tell(ends.Planned(end), end.State.EndId, await ends.Far(end, cancel), [.. log.Events, .. end.Stored.Select(s => s.Event)], [.. log.Log, .. end.Added], more, rules, cause);
            foreach (var (at, e) in events)
            {
                why[at] = told.Refused.GetValueOrDefault(e.Id);
                if (why[at] is { } against && Retelling.Waits(against))
                {
                    end.NowWaits(at, e);
                }
            }

            var late = waiting.Where(w => !told.Refused.ContainsKey(w.Event.Id)).ToList();
            ends.Note(end, told.State,
                [.. events.Where(e => why[e.At] is null).Select(e => (e.Event, sender.PersonId)), .. late.Select(w => (w.Event, w.SenderId))], told.Added, cause);
            end.Settled.AddRange(late.Select(w => w.QuarantineId));
        }
        catch (Exception x) when (x is not (NpgsqlException or OperationCanceledException))
        {
            foreach (var (at, _) in events)
            {
                why[at] = Fault(x);
            }
        }
    }

    /// <summary>A fault of ours in one event costs nobody else theirs: it waits, with its words, until we have mended it.</summary>
    private static Refusal Fault(Exception x) => new("server-fault", "body", $"This entry broke the fold ({x.GetType().Name}: {x.Message}). It is kept.");

    private static bool Same(LedgerEvent a, LedgerEvent b) =>
        a.EndId == b.EndId && a.Attempt == b.Attempt && a.Kind == b.Kind && a.DeviceId == b.DeviceId && a.DeviceSeq == b.DeviceSeq && a.ActorId == b.ActorId
        && Math.Abs((a.At - b.At).TotalMicroseconds) < 2 && JsonElement.DeepEquals(a.Body, b.Body);

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
}

/// <summary>What is planned of an end, as far as the ledger needs it.</summary>
/// <param name="Waits">True when events of it wait in quarantine for others.</param>
internal sealed record EndPlanRow(
    Guid EndId, Guid JobId, Guid CrewId, string LimitSetId, FiberClass FiberClass, double LengthM, int Connections, int CableSplices, Polish Polish, TerminationMethod Method,
    TerminationMethod? FarMethod, string? StateJson, Guid? FarEndId, string? SetAside, bool Waits)
{
    public PlannedConnector Planned() => new(FiberClass, LengthM, Polish, Method, LimitSetId, Connections, Links.Splices(CableSplices, Method, FarMethod));
}

/// <summary>An end that this batch speaks of, or the far end of one.</summary>
internal sealed class OpenEnd
{
    private readonly EndStatus _before;

    public OpenEnd(EndPlanRow plan)
    {
        Plan = plan;
        State = plan.StateJson is null ? EndState.Empty(plan.EndId) : EndStates.Read(plan.StateJson);
        _before = State.Status;
    }

    public EndPlanRow Plan { get; private set; }

    public EndState State { get; private set; }

    /// <summary>True when the batch speaks of it, and it is not only the far end of one.</summary>
    public bool Asked { get; init; }

    /// <summary>True when the state has to be written.</summary>
    public bool Changed { get; private set; }

    /// <summary>True when it became accepted, or is so no longer: the job's standing hangs on it.</summary>
    public bool Turned => (_before == EndStatus.Accepted) != (State.Status == EndStatus.Accepted);

    /// <summary>Events that are to be stored, with who sent them.</summary>
    public List<(LedgerEvent Event, Guid SenderId)> Stored { get; } = [];

    /// <summary>Lines that are to be added to its log.</summary>
    public List<Entry> Added { get; } = [];

    /// <summary>Quarantined events that fit now.</summary>
    public List<Guid> Settled { get; } = [];

    /// <summary>As it was read; null until somebody needed it.</summary>
    public EndLog? Log { get; set; }

    public void Note(EndState state, IEnumerable<(LedgerEvent Event, Guid SenderId)> stored, IEnumerable<Entry> added)
    {
        (State, Changed) = (state, true);
        Stored.AddRange(stored.Select(s => (s.Event with { Taken = true }, s.SenderId)));
        Added.AddRange(added);
    }

    /// <summary>Events of this batch that did not fit yet, with their places in it.</summary>
    public List<(int At, LedgerEvent Event)> Early { get; } = [];

    /// <summary>Something of it did not fit yet: from now on it is told as a whole.</summary>
    public void NowWaits(int at, LedgerEvent e)
    {
        Early.Add((at, e));
        Plan = Plan with { Waits = true };
    }
}

/// <summary>The ends that a batch speaks of, and those at their far sides that it needs. All of them are locked.</summary>
internal sealed class Ends(NpgsqlConnection c, NpgsqlTransaction t, Guid companyId)
{
    private const string ReadSql = """
        select e.end_id, e.job_id, j.crew_id, j.limit_set_id, k.fiber_class, k.length_m, k.connections, k.splices as cable_splices, e.polish, e.method,
               f.method as far_method, s.state::text as state_json, f.end_id as far_end_id,
               (select a.reason from end_set_aside a where a.company_id = @companyId and a.end_id = e.end_id) as set_aside,
               exists (select 1 from quarantine q where q.company_id = @companyId and q.end_id = e.end_id and q.settled_at is null and q.waits) as waits
        from cable_end e
        join job j on j.company_id = e.company_id and j.job_id = e.job_id
        join cable k on k.company_id = e.company_id and k.cable_id = e.cable_id
        left join cable_end f on f.company_id = @companyId and f.cable_id = e.cable_id and f.strand = e.strand and f.side <> e.side
        left join end_state s on s.company_id = e.company_id and s.end_id = e.end_id
        where e.company_id = @companyId and e.end_id = any(@ids)
        """;

    private readonly Dictionary<Guid, OpenEnd> _read = [];
    private readonly Dictionary<OpenEnd, LedgerEvent> _toTell = [];
    private readonly Dictionary<Guid, (Guid EndId, KeptEvidence Kept)> _evidence = [];

    public IEnumerable<OpenEnd> All => _read.Values;

    public IEnumerable<OpenEnd> Changed => _read.Values.Where(x => x.Changed);

    public OpenEnd? Find(Guid endId) => _read.GetValueOrDefault(endId);

    public static async Task<Ends> Lock(NpgsqlConnection c, NpgsqlTransaction t, Guid companyId, List<LedgerEvent> events, CancellationToken cancel)
    {
        // The lock is one statement and the reading another: a statement that has waited for a lock still sees the states of before.
        // An end's readings hang on its far end, so both are held, always in the same order.
        var ids = events.Select(e => e.EndId).Distinct().ToArray();
        var far = await c.QueryAsync<Guid>(new CommandDefinition("""
            select f.end_id from cable_end e join cable_end f on f.company_id = e.company_id and f.cable_id = e.cable_id and f.strand = e.strand and f.side <> e.side
            where e.company_id = @companyId and e.end_id = any(@ids)
            """, new { companyId, ids }, t, cancellationToken: cancel));
        await c.ExecuteAsync(new CommandDefinition("select end_id from cable_end where company_id = @companyId and end_id = any(@held) order by end_id for update",
            new { companyId, held = ids.Concat(far).Distinct().ToArray() }, t, cancellationToken: cancel));
        var ends = new Ends(c, t, companyId);
        await ends.Read(ids, cancel, asked: true);
        // A reading is worth what its far end is; where an end is told again, its readings are.
        await ends.Read(ends.All.Where(e => e.State.Attempts.Any(a => a.Losses.Count > 0) || events.Any(x => x.EndId == e.Plan.EndId && x.Kind == EventKind.Measured))
            .Select(e => e.Plan.FarEndId).OfType<Guid>().ToList(), cancel);
        return ends;
    }

    /// <summary>Reads those of these ends that are not read yet, all in one question.</summary>
    private async Task Read(IEnumerable<Guid> endIds, CancellationToken cancel, bool asked = false)
    {
        var ids = endIds.Where(id => !_read.ContainsKey(id)).Distinct().ToArray();
        if (ids.Length > 0)
        {
            foreach (var row in await c.QueryAsync<EndPlanRow>(new CommandDefinition(ReadSql, new { companyId, ids }, t, cancellationToken: cancel)))
            {
                _read[row.EndId] = new(row) { Asked = asked };
            }
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

    /// <summary>What is planned and kept of an end. A trace shows both connectors of its fiber, so what is kept of the far end is this end's, too.</summary>
    public PlannedConnector Planned(OpenEnd end) => end.Plan.Planned() with
    {
        Evidence = _evidence.Where(x => x.Value.EndId == end.Plan.EndId || x.Value.EndId == end.Plan.FarEndId).ToDictionary(x => x.Key, x => x.Value.Kept),
    };

    public async Task<EndLog> Log(OpenEnd end, CancellationToken cancel) =>
        end.Log ??= (await EventLog.Read(c, t, companyId, [end.Plan.EndId], cancel)).GetValueOrDefault(end.Plan.EndId) ?? new([], [], []);

    public Task<IReadOnlyList<Waiting>> Waiting(OpenEnd end, CancellationToken cancel) => Quarantine.Waiting(c, t, companyId, end.Plan.EndId, cancel);

    /// <summary>Notes what an end has come to, what its readings are worth by its far end, and whether the far end's hang on it.</summary>
    public void Note(OpenEnd end, EndState state, IReadOnlyList<(LedgerEvent Event, Guid SenderId)> stored, IReadOnlyList<Entry> added, Guid cause)
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
    public async Task<IReadOnlyList<(OpenEnd End, Guid Cause)>> TellFar(CancellationToken cancel)
    {
        var turned = new List<(OpenEnd, Guid)>();
        await Read(_toTell.Keys.Select(e => e.Plan.FarEndId).OfType<Guid>().ToList(), cancel);
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

    private static bool Settle(OpenEnd near, EndState? far, Guid cause)
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
