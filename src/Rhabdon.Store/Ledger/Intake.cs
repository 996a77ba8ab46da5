using System.Diagnostics;
using System.Text.Json;
using System.Text.Json.Serialization;
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
public sealed record IntakeLine(EventId? Id, IntakeOutcome Outcome, Refusal? Refusal);

/// <param name="Touched">The jobs that something was stored for.</param>
public sealed record IntakeResult(IReadOnlyList<IntakeLine> Events, IReadOnlyList<EndState> Ends, IReadOnlyList<StreamState> Streams, [property: JsonIgnore] IReadOnlyList<JobId> Touched);

/// <summary>
/// The door of the ledger. Events come in; the ends and streams that they speak of are locked, then read; Core decides each event, or
/// tells its end again; event, judgement and the state they come to are written in one transaction. What is refused goes to quarantine.
/// </summary>
public sealed class Intake(NpgsqlDataSource db, Methods methods)
{
    private long _asked = long.MinValue;

    /// <summary>How long nobody has sent anything to this server.</summary>
    public TimeSpan Quiet => _asked == long.MinValue ? TimeSpan.MaxValue : Stopwatch.GetElapsedTime(_asked);

    /// <summary>Takes in what a device sent. Each event is stored, known already, or quarantined with the reason; none is lost.</summary>
    /// <param name="mayVouch">True when the sender may send what others did, as a lead settling a quarantine.</param>
    public Task<IntakeResult> Append(Scope sender, IReadOnlyList<Incoming> incoming, Instant now, bool mayVouch = false, CancellationToken cancel = default) => Append(sender, incoming, now, mayVouch, true, cancel);

    /// <summary>Takes in what is said here and now, at no device: whoever says it is told what stands against it, and nobody has to settle it later.</summary>
    /// <exception cref="RefusedException">It was refused, and nothing is kept.</exception>
    public async Task<IntakeResult> Say(Scope sender, StreamEvent e, Instant now, CancellationToken cancel = default)
    {
        var result = await Append(sender, [Incoming.Of(e)], now, false, false, cancel);
        return result.Events[0].Refusal is { } refusal ? throw new RefusedException([refusal with { Field = refusal.Field.Replace("body.", "", StringComparison.Ordinal) }]) : result;
    }

    private async Task<IntakeResult> Append(Scope sender, IReadOnlyList<Incoming> incoming, Instant now, bool mayVouch, bool keepsRefused, CancellationToken cancel)
    {
        _asked = Stopwatch.GetTimestamp();
        await using var c = await db.OpenConnectionAsync(cancel);
        await using var t = await c.BeginTransactionAsync(cancel);
        var result = await Take(c, t, sender, incoming, now, mayVouch, cancel);
        if (!keepsRefused && result.Events.Any(e => e.Refusal is not null))
        {
            return result;
        }

        await t.CommitAsync(cancel);
        if (result.Streams.Any(s => s is BatchState or CrewState or InstrumentState or ToolState))
        {
            await TellWaiting(sender, now, cancel);
        }

        return result;
    }

    /// <summary>The same within a transaction, which stays open.</summary>
    internal async Task<IntakeResult> Take(NpgsqlConnection c, NpgsqlTransaction t, Scope sender, IReadOnlyList<Incoming> incoming, Instant now, bool mayVouch, CancellationToken cancel)
    {
        // Which edition of the rulebook holds is read with each intake; what is published never changes.
        var rules = await methods.Rules(c, t, sender.CompanyId, cancel);
        var door = new Door(sender, mayVouch, incoming, now);
        var (ends, known) = await Ends.Open(c, t, sender.CompanyId, door.Readable, door.Ids, cancel);
        var streams = await OpenStreams.Lock(c, t, sender.CompanyId, door.Streams, ends.BatchesOf(door.Readable), cancel);
        await door.Look(c, t, ends, known, streams, cancel);

        await TakeStreams(streams, door, s => s != StreamKind.Batch, ends, cancel);
        await ends.Know(door.Readable, streams, door.Takeable(StreamKind.Batch).Select(x => x.Event), cancel);
        // Ends are told one by one, each device's events in the device's own order; different devices keep the order they came in.
        foreach (var group in door.TakeableEnds.GroupBy(x => x.Event.EndId))
        {
            var order = group.GroupBy(x => x.Event.DeviceId).SelectMany(g => g.OrderBy(x => x.Event.DeviceSeq));
            await Take(ends, ends.Find(group.Key)!, [.. order], sender, rules, door.Why, cancel);
        }

        foreach (var (end, cause) in await ends.TellFar(cancel))
        {
            // What was said too early of the far end may fit now.
            if (end.Plan.Waits && (await ends.Log(end, cancel)).Log.All(x => x.Judged is not TakenOver))
            {
                await Retell(ends, end, [], cause, sender, rules, door.Why, cancel);
            }
        }

        await TakeStreams(streams, door, s => s == StreamKind.Batch, ends, cancel);
        await Write(c, t, sender, ends, streams, rules, now, cancel);
        await Quarantine.Write(c, t, sender, door.Refused, now, cancel);
        return new(
            door.Outcomes,
            [.. ends.All.Where(x => (x.Asked || x.Changed) && Sees(sender, x.Plan)).Select(x => x.State)],
            [.. streams.Changed.Select(s => s.State!)],
            [.. ends.Changed.Select(x => x.Plan.JobId).Concat(streams.Changed.Where(s => s.Kind == StreamKind.Job).Select(s => s.Id.As<Ids.Job>())).Distinct()]);
    }

    /// <summary>Tells ends again for which something waited that was not theirs to say: a picture has arrived, a container was counted.</summary>
    public async Task TellWaiting(Scope sender, Instant now, CancellationToken cancel = default)
    {
        await using var c = await db.OpenConnectionAsync(cancel);
        var rules = await methods.Rules(c, null, sender.CompanyId, cancel);
        foreach (var endId in await Quarantine.EndsWaiting(c, sender.CompanyId, cancel))
        {
            await using var t = await c.BeginTransactionAsync(cancel);
            var ends = await Ends.Lock(c, t, sender.CompanyId, endId, cancel);
            if (ends.Find(endId) is { Plan: { Waits: true, SetAside: null } } end && (await ends.Waiting(end, cancel)) is { Count: > 0 } waiting)
            {
                IReadOnlyList<LedgerEvent> events = [.. waiting.Select(w => w.In.Event!)];
                var streams = await OpenStreams.Lock(c, t, sender.CompanyId, [], ends.BatchesOf(events), cancel);
                await ends.Know(events, streams, [], cancel);
                await Retell(ends, end, [], events[0].Id, sender, rules, [], cancel);
                await ends.TellFar(cancel);
                await Write(c, t, sender, ends, streams, rules, now, cancel);
            }

            await t.CommitAsync(cancel);
        }
    }

    private static async Task Write(NpgsqlConnection c, NpgsqlTransaction t, Scope sender, Ends ends, OpenStreams streams, Rules rules, Instant now, CancellationToken cancel)
    {
        foreach (var (batchId, cause) in ends.MadeShards)
        {
            var (crew, job, batch) = await streams.EndsOf(batchId, ends.States, cancel);
            await streams.Recount(batchId, batch, cause, crew, job, cancel);
        }

        await EventLog.Write(c, t, sender.CompanyId,
            [.. ends.All.SelectMany(x => x.Stored).Select(x => LedgerRow.Of(x.Event, x.SenderId)), .. streams.Rows], [.. ends.All.SelectMany(x => x.Added).Select(JudgementRow.Of), .. streams.Lines], now, cancel);
        await Projector.Write(c, t, sender.CompanyId, [.. ends.Changed.Select(x => x.State)], cancel);
        await NearlyOut.Stand(c, t, sender.CompanyId, [.. ends.Changed.Where(x => x.SlackTurned).Select(x => x.Plan.EndId)], rules, cancel);
        await Projector.WriteBatches(c, t, sender.CompanyId, [.. ends.All.Where(x => x.Stored.Any(s => s.Event.Kind == EventKind.AttemptStarted)).Select(x => x.State)], cancel);
        await streams.Write(cancel);
        await WriteKit(c, t, sender.CompanyId, [.. ends.All.SelectMany(x => x.Stored.Select(e => (x.Plan.CrewId, e.Event)))], streams, cancel);
        await Quarantine.SettleTold(c, t, sender.CompanyId, [.. ends.All.SelectMany(x => x.Settled), .. streams.Settled], now, cancel);
        await Jobs.Stand(c, t, sender.CompanyId, [.. ends.All.Where(x => x.Turned).Select(x => x.Plan.JobId).Distinct()], cancel);
    }

    /// <summary>Decides events of streams, each stream on its own, in each device's own order.</summary>
    private static async Task TakeStreams(OpenStreams streams, Door door, Func<StreamKind, bool> which, Ends ends, CancellationToken cancel)
    {
        foreach (var group in door.Takeable().Where(x => which(x.Event.Stream)).GroupBy(x => (x.Event.Stream, x.Event.StreamId)))
        {
            IReadOnlyList<EndState>? batch = null;
            CrewId? crew = null;
            if (group.Key.Stream == StreamKind.Batch)
            {
                var batchId = group.Key.StreamId.As<Ids.Batch>();
                (crew, var job, batch) = await streams.EndsOf(batchId, ends.States, cancel);
                streams.Belongs(batchId, crew, job);
            }

            var order = group.GroupBy(x => x.Event.DeviceId).SelectMany(g => g.OrderBy(x => x.Event.DeviceSeq)).ToList();
            door.Refuse(await streams.Take(group.Key.Stream, group.Key.StreamId, [.. order.Select(x => (x.Event, door.Worker))], batch, crew, cancel));
        }
    }

    private static bool Sees(Scope sender, EndPlanRow end) =>
        sender.Reaches(end.JobId) && (sender.Office || (sender.MayPlan && end.PlannedBy == sender.WorkCrewId) || (end.CrewId == sender.WorkCrewId && (end.PersonId is null || end.PersonId == sender.PersonId || sender.MayPlan)));

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
                why[at] = x.Refusals[0];
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
    private static async Task Retell(Ends ends, OpenEnd end, IReadOnlyList<(int At, LedgerEvent Event)> events, EventId cause, Scope sender, Rules rules, Refusal?[] why, CancellationToken cancel)
    {
        try
        {
            var log = await ends.Log(end, cancel);
            // What this batch brought before and did not fit then is not in quarantine yet.
            events = [.. end.Early, .. events];
            end.Early.Clear();
            var sent = events.Select(e => e.Event.Id).ToHashSet();
            var waiting = (await ends.Waiting(end, cancel)).Where(w => w.In.Event is { } e && !sent.Contains(e.Id)).Select(w => (w.QuarantineId, Event: w.In.Event!, w.Sender)).ToList();
            await ends.Cite([.. waiting.Select(w => w.Event)], cancel);
            IReadOnlyList<(LedgerEvent Event, Role Sender)> more = [.. events.Select(e => (e.Event, sender.Role)), .. waiting.Select(w => (w.Event, w.Sender.Role))];
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
                [.. events.Where(e => why[e.At] is null).Select(e => (e.Event, sender.PersonId)), .. late.Select(w => (w.Event, w.Sender.PersonId))], told.Added, cause);
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
    internal static Refusal Fault(Exception x) => new("server-fault", "body", $"This entry broke the fold ({x.GetType().Name}: {x.Message}). It is kept.");

    /// <summary>Remembers what a crew said of its lots and tools, so that the next batch need not say it again.</summary>
    private static async Task WriteKit(NpgsqlConnection c, NpgsqlTransaction t, CompanyId companyId, IReadOnlyList<(CrewId CrewId, LedgerEvent Event)> events, OpenStreams streams, CancellationToken cancel)
    {
        var said = events.SelectMany(x => x.Event.Kind switch
        {
            EventKind.AttemptStarted => EventBodies.Read<AttemptStarted>(x.Event).Preflight ?? [],
            EventKind.PreflightAnswered => [EventBodies.Read<PreflightAnswered>(x.Event).Answer],
            _ => [],
        }, (x, a) => (x.CrewId, Answer: a)).Where(x => x.Answer.SaidIn is null)
            .Concat(streams.Changed.Select(x => x.State).OfType<CrewState>().SelectMany(x => x.Kit, (x, k) => (CrewId: x.Id.As<Ids.Crew>(), Answer: k.Answer with { SaidIn = k.EventId })))
            .Where(x => x.Answer.Lot is not null || x.Answer.UseBy is not null || x.Answer.Number is not null)
            // One order for all, so that two batches never wait for each other.
            .GroupBy(x => (x.CrewId, x.Answer.ItemId)).Select(g => g.Last()).OrderBy(x => x.CrewId).ThenBy(x => x.Answer.ItemId, StringComparer.Ordinal).ToList();
        if (said.Count > 0)
        {
            await c.Run(cancel, """
                insert into kit (company_id, crew_id, item_id, answer) values (@companyId, @CrewId, @ItemId, @answer::jsonb)
                on conflict (company_id, crew_id, item_id) do update set answer = excluded.answer
                """, said.Select(x => new { companyId, x.CrewId, x.Answer.ItemId, answer = JsonSerializer.Serialize(x.Answer, Wire.Json) }), t);
        }
    }
}
