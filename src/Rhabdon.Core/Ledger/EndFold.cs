using Rhabdon.Core.Bench;
using Rhabdon.Core.Fiber;
using Rhabdon.Core.Inspection;
using Rhabdon.Core.Loss;
using Rhabdon.Core.Procedures;

namespace Rhabdon.Core.Ledger;

/// <summary>Folds events into the state of an end. Pure: the same events in the same order always give the same state.</summary>
public static class EndFold
{
    /// <summary>The state after all events, with corrected ones left out.</summary>
    /// <exception cref="RefusedException">An event breaks a rule; in a ledger that took them in one by one, none does.</exception>
    public static EndState Replay(Guid endId, IReadOnlyList<LedgerEvent> events, Rules rules)
    {
        var struck = events.Where(e => e.Kind == EventKind.Corrected).Select(e => EventBodies.Read<Corrected>(e).EventId).ToHashSet();
        var state = EndState.Empty(endId);
        foreach (var e in events)
        {
            state = e.Kind == EventKind.Corrected || struck.Contains(e.Id) ? state with { LastAt = Later(state.LastAt, e.At) } : Fold(state, e, rules);
        }

        return state;
    }

    /// <summary>The state after a correction: everything is told again without the struck event.</summary>
    /// <param name="earlier">All events of the end before <paramref name="correction"/>, in ledger order.</param>
    /// <exception cref="RefusedException">The event is not of this end, is struck already, or later events rest on it.</exception>
    public static EndState Correct(IReadOnlyList<LedgerEvent> earlier, LedgerEvent correction, Rules rules)
    {
        var target = EventBodies.Read<Corrected>(correction).EventId;
        var struck = earlier.FirstOrDefault(e => e.Id == target)
            ?? throw new RefusedException("event-unknown", "body.eventId", "This end has no such event to correct.");
        if (struck.Kind == EventKind.Corrected || earlier.Any(e => e.Kind == EventKind.Corrected && EventBodies.Read<Corrected>(e).EventId == target))
        {
            throw new RefusedException("already-corrected", "body.eventId", "That event is struck already, or is itself a correction.");
        }

        try
        {
            return Replay(correction.EndId, [.. earlier, correction], rules);
        }
        catch (RefusedException e)
        {
            throw new RefusedException("later-events-rest-on-it", "body.eventId", $"Later entries rest on this one; undo those first. {e.Message}");
        }
    }

    /// <summary>The state after one more event.</summary>
    /// <exception cref="RefusedException">The event breaks a rule of the job; nothing has changed.</exception>
    public static EndState Fold(EndState state, LedgerEvent e, Rules rules)
    {
        var next = e.Kind switch
        {
            EventKind.AttemptStarted => Start(state, e, EventBodies.Read<AttemptStarted>(e), rules),
            EventKind.StepDone => Step(state, e, EventBodies.Read<StepDone>(e), rules),
            EventKind.CheckAnswered => Answer(state, e, EventBodies.Read<CheckAnswered>(e), rules),
            EventKind.Inspected => Inspect(state, e, EventBodies.Read<Inspected>(e), rules),
            EventKind.Measured => Measure(state, e, EventBodies.Read<Measured>(e), rules),
            EventKind.Reworked => Rework(state, e, EventBodies.Read<Reworked>(e), rules),
            EventKind.AttemptClosed => Close(state, e, EventBodies.Read<AttemptClosed>(e), rules),
            EventKind.Accepted => Accept(state, e, EventBodies.Read<Accepted>(e)),
            EventKind.TimerStarted => StartTimer(state, e, EventBodies.Read<TimerStarted>(e), rules),
            EventKind.PreflightAnswered => Preflight(state, e, EventBodies.Read<PreflightAnswered>(e), rules),
            EventKind.ShardsCounted => CountShards(state, e, EventBodies.Read<ShardsCounted>(e)),
            EventKind.Traced => Trace(state, e, EventBodies.Read<Traced>(e), rules),
            EventKind.CleaveSeen => See(state, e, EventBodies.Read<CleaveSeen>(e)),
            EventKind.LightJudged => Light(state, e, EventBodies.Read<LightJudged>(e)),
            EventKind.FarEndSaid => SayFarEnd(state, e, EventBodies.Read<FarEndSaid>(e), rules),
            EventKind.Noted => Note(state, EventBodies.Read<Noted>(e)),
            _ => throw new RefusedException("needs-replay", "kind", "A correction is folded with the events before it."),
        };
        return next with { LastAt = Later(state.LastAt, e.At) };
    }

    private static DateTimeOffset Later(DateTimeOffset? a, DateTimeOffset b) => a > b ? a.Value : b;

    private static EndState Start(EndState state, LedgerEvent e, AttemptStarted body, Rules rules)
    {
        var table = rules.Table(body.ProcedureId, body.ProcedureVersion, body.Schools);
        if (body.Preflight?.FirstOrDefault(a => table.Preflight.All(i => i.Id != a.ItemId)) is { } unknown)
        {
            throw new RefusedException("preflight-unknown", "body.preflight", $"This procedure asks for no '{unknown.ItemId}'.");
        }

        var last = state.Attempts.LastOrDefault();
        var due = last is null ? 1 : last.Open ? last.No : last.No + 1;
        // A device with no signal numbers its attempt by what it knew; what it did is kept beside what others did meanwhile.
        var late = e.Attempt < due && state.Attempts.All(a => a.No != e.Attempt || a.DeviceId != e.DeviceId);
        if (e.Attempt != due && !late)
        {
            throw new RefusedException("attempt-number", "attempt", $"The next attempt on this end is number {due}, not {e.Attempt}.");
        }

        if (state.Attempts.LastOrDefault(a => a.Open && a.DeviceId == e.DeviceId) is { } own)
        {
            throw new RefusedException("attempt-open", "attempt", own.AcceptedAt is not null
                ? "This end is accepted. Close that attempt, with the reason, before making it again."
                : $"Attempt {own.No} is still open on this device. Finish it or close it first.");
        }

        var position = RunPosition.At(table);
        var attempt = new AttemptState(e.Attempt, e.Id, body.ProcedureId, body.ProcedureVersion, e.ActorId, e.DeviceId, e.At, position,
            table.State(table.Start)!.Phase, [], [], 0, 0, 0, [], null, [], [], null, null,
            body.BatchId, table.Schools.ToDictionary(s => s.Option, s => s.Choice), body.Preflight ?? [], 0, 0, e.DeviceId, null, null, [], [], [], [], []);
        return state with { Attempts = [.. state.Attempts.Append(attempt).OrderBy(a => a.No).ThenBy(a => a.StartedAt).ThenBy(a => a.RunId)] };
    }

    private static EndState Step(EndState state, LedgerEvent e, StepDone body, Rules rules)
    {
        var (attempt, table) = OpenRun(state, e, body.RunId, rules);
        if (IsStray(attempt, e, body.StepId))
        {
            return Put(state, WithStray(attempt, e, body.StepId, RunTable.Done));
        }

        var move = RunWalk.Advance(table, attempt.Position, body.StepId, RunTable.Done);
        return Moved(state, attempt, table, move, e, body.ElapsedS, body, null);
    }

    private static EndState Answer(EndState state, LedgerEvent e, CheckAnswered body, Rules rules)
    {
        var (attempt, table) = OpenRun(state, e, body.RunId, rules);
        if (IsStray(attempt, e, body.StepId))
        {
            return Put(state, WithStray(attempt, e, body.StepId, body.AnswerId));
        }

        var move = RunWalk.Advance(table, attempt.Position, body.StepId, body.AnswerId);
        return Moved(state, attempt, table, move, e, body.ElapsedS, null, body.Note);
    }

    /// <summary>Another device has moved this run on meanwhile, as two do that work one end with no signal: nothing said is lost, nothing moves twice.</summary>
    private static bool IsStray(AttemptState attempt, LedgerEvent e, string stepId) =>
        attempt.Strays.Any(s => s.DeviceId == e.DeviceId) || (attempt.LastDeviceId != e.DeviceId && attempt.Position.StateId != stepId);

    private static AttemptState WithStray(AttemptState attempt, LedgerEvent e, string stepId, string input) =>
        attempt with { Strays = [.. attempt.Strays, new Stray(e.Id, e.At, e.ActorId, e.DeviceId, stepId, input)] };

    private static EndState StartTimer(EndState state, LedgerEvent e, TimerStarted body, Rules rules)
    {
        var (attempt, table) = OpenRun(state, e, body.RunId, rules);
        if (IsStray(attempt, e, body.StepId))
        {
            return Put(state, WithStray(attempt, e, body.StepId, "timer"));
        }

        if (attempt.Position.StateId != body.StepId || table.State(body.StepId)?.Timer is not { } timer)
        {
            throw new RefusedException("timer-none", "body.stepId", "The run does not wait at a step of that name with a timer.");
        }

        return Put(state, attempt with { Timer = new(e.Id, body.StepId, e.At, e.At.AddSeconds(timer.DurationS)), LastDeviceId = e.DeviceId });
    }

    private static EndState Preflight(EndState state, LedgerEvent e, PreflightAnswered body, Rules rules)
    {
        var (attempt, table) = OpenRun(state, e, body.RunId, rules);
        if (table.Preflight.All(i => i.Id != body.Answer.ItemId))
        {
            throw new RefusedException("preflight-unknown", "body.answer.itemId", $"This procedure asks for no '{body.Answer.ItemId}'.");
        }

        return Put(state, attempt with { Preflight = [.. attempt.Preflight.Where(a => a.ItemId != body.Answer.ItemId), body.Answer] });
    }

    private static EndState CountShards(EndState state, LedgerEvent e, ShardsCounted body)
    {
        var attempt = state.Attempts.FirstOrDefault(a => a.RunId == body.RunId)
            ?? throw new RefusedException("run-unknown", "body.runId", "This end has no such run.");
        return attempt.BatchId != body.BatchId
            ? throw new RefusedException("batch-differs", "body.batchId", "This run belongs to another batch.")
            : Put(state, attempt with { ShardCount = new(e.Id, e.At, e.ActorId, body.Made, body.Counted, attempt.Shards) });
    }

    private static EndState Moved(EndState state, AttemptState attempt, RunTable table, RunMove move, LedgerEvent e, double? elapsedS, StepDone? step, string? note)
    {
        elapsedS ??= attempt.Timer is { } running && running.StepId == move.Left.Id ? (e.At - running.StartedAt).TotalSeconds : null;
        var phase = move.Position.StateId is { } id ? table.State(id)!.Phase
            : move.Position.Outcome == RunOutcome.Finished ? Phase.Look : move.Left.Phase;
        var next = attempt with
        {
            Position = move.Position,
            Phase = phase,
            Shards = attempt.Shards + move.Left.Shards,
            Cleaves = attempt.Cleaves + move.Left.Cleaves,
            Arcs = attempt.Arcs + move.Left.Arcs,
            LastDeviceId = e.DeviceId,
            Timer = null,
            FinishedAt = move.Position.Outcome == RunOutcome.Finished ? e.At : null,
            Deviations = [.. attempt.Deviations, .. Deviations(move.Left, e.Id, elapsedS, step), .. Unready(table, attempt, move.Left, e)],
        };
        if (move.Rung is not { } rung)
        {
            return Put(state, next);
        }

        return Put(state with { SlackUsedMm = state.SlackUsedMm + rung.SlackMm }, next with
        {
            Loops = [.. attempt.Loops, new Loop(e.Id, e.At, move.Left.Phase, phase, rung.Act, move.Reason, rung.Minutes, rung.SlackMm, rung.Parts, note)],
            ReworkMinutes = attempt.ReworkMinutes + rung.Minutes,
            SlackMm = attempt.SlackMm + rung.SlackMm,
            PartsLost = [.. attempt.PartsLost, .. rung.Parts],
        });
    }

    private static IEnumerable<Deviation> Unready(RunTable table, AttemptState attempt, RunState left, LedgerEvent e)
    {
        // A run from before there were batches had no pre-flight.
        var missing = attempt.BatchId is null ? 0 : Preflights.Missing(table, attempt.Preflight, left.Id, e.At).Count();
        if (missing > 0)
        {
            yield return new(e.Id, left.Id, DeviationKind.PreflightMissing, missing, 0);
        }
    }

    private static IEnumerable<Deviation> Deviations(RunState step, Guid eventId, double? elapsedS, StepDone? done)
    {
        var count = done?.Count;
        if (step.Count?.SheetLimit is { } limit && done?.SheetTotal is { } total && total > limit)
        {
            yield return new(eventId, step.Id, DeviationKind.SheetOver, total, limit);
        }

        if (step.Timer is { } timer && (elapsedS ?? 0) < timer.DurationS)
        {
            yield return new(eventId, step.Id, DeviationKind.TimerShort, elapsedS ?? 0, timer.DurationS);
        }

        if (step.Count is { } c && count is { } n && n < c.Min)
        {
            yield return new(eventId, step.Id, DeviationKind.CountLow, n, c.Min);
        }

        if (step.Count is { } d && count is { } m && m > d.Max)
        {
            yield return new(eventId, step.Id, DeviationKind.CountHigh, m, d.Max);
        }
    }

    private static EndState Inspect(EndState state, LedgerEvent e, Inspected body, Rules rules)
    {
        var (attempt, table) = FinishedRun(state, e, body.RunId, rules);
        var looked = new InspectionState(e.Id, e.At, e.ActorId, body.Findings, Judgements.Of(body, rules, table.Method), body.Picture);
        return Put(state, attempt with
        {
            Phase = looked.Verdict.Pass ? Phase.Test : Phase.Look,
            Inspection = looked,
            Looks = [.. attempt.Looks, looked],
        });
    }

    private static EndState Trace(EndState state, LedgerEvent e, Traced body, Rules rules)
    {
        var (attempt, _) = FinishedRun(state, e, body.RunId, rules);
        return Put(state, attempt with
        {
            Phase = Phase.Test,
            Traces = [.. attempt.Traces.Where(t => t.Reading.WavelengthNm != body.WavelengthNm), new TraceState(e.Id, e.At, e.ActorId, body, Judgements.Of(body, rules))],
        });
    }

    /// <summary>Evidence of the bench: the step's own check says how the run goes on.</summary>
    private static EndState See(EndState state, LedgerEvent e, CleaveSeen body)
    {
        var attempt = Find(state, e, body.RunId);
        return Put(state, attempt with { CleavesSeen = [.. attempt.CleavesSeen, new CleaveState(e.Id, e.At, e.ActorId, body, Cleaves.Judge(body.View, body.Rule))] });
    }

    private static EndState Light(EndState state, LedgerEvent e, LightJudged body)
    {
        var attempt = Find(state, e, body.RunId);
        return Put(state, attempt with { Lights = [.. attempt.Lights, new LightState(e.Id, e.At, e.ActorId, body, Judgements.Of(body))] });
    }

    private static EndState Measure(EndState state, LedgerEvent e, Measured body, Rules rules)
    {
        var (attempt, _) = FinishedRun(state, e, body.RunId, rules);
        if (body.ReferenceAt is { } referenceAt)
        {
            References.Check(referenceAt, body.ReferenceCheckedAt, e.At, "body.referenceAt");
        }

        var judgement = Judgements.Of(body, rules);
        return Put(state, attempt with
        {
            Phase = Phase.Test,
            Losses = [.. attempt.Losses.Where(l => (l.Judgement.WavelengthNm, l.Reading.Direction) != (body.WavelengthNm, body.Direction)), new LossState(e.Id, e.At, e.ActorId, body, judgement)],
            Wavelengths = body.FiberClass.TestWavelengthsNm(),
        });
    }

    private static EndState SayFarEnd(EndState state, LedgerEvent e, FarEndSaid body, Rules rules)
    {
        var (attempt, _) = FinishedRun(state, e, body.RunId, rules);
        return attempt.Losses.Count == 0
            ? throw new RefusedException("nothing-measured", "body.runId", "Nothing was measured on this run yet.")
            : Put(state, attempt with { Losses = [.. attempt.Losses.Select(l => l with { Said = body.Into })] });
    }

    private static EndState Rework(EndState state, LedgerEvent e, Reworked body, Rules rules)
    {
        var (attempt, table) = FinishedRun(state, e, body.RunId, rules);
        var step = body.StepId is null ? null
            : table.State(body.StepId) ?? throw new RefusedException("step-unknown", "body.stepId", $"There is no step '{body.StepId}'.");
        var phase = step?.Phase ?? Phase.Look;
        return Put(state, attempt with
        {
            Position = step is null ? attempt.Position : attempt.Position with { StateId = step.Id, Outcome = RunOutcome.Running },
            FinishedAt = step is null ? attempt.FinishedAt : null,
            Phase = phase,
            Inspection = null,
            Losses = [],
            Traces = [],
            ReworkMinutes = attempt.ReworkMinutes + body.Minutes,
            Loops = [.. attempt.Loops, new Loop(e.Id, e.At, attempt.Phase, phase, step?.Act ?? "Clean and look again", body.Reason, body.Minutes, 0, [], body.Note)],
        });
    }

    private static EndState Close(EndState state, LedgerEvent e, AttemptClosed body, Rules rules)
    {
        var attempt = Find(state, e, body.RunId);
        var table = rules.Table(attempt.ProcedureId, attempt.ProcedureVersion, attempt.Schools);
        var slackMm = body.CutOff ? table.Prep.CutOffUsesMm : 0;
        return Put(state with { SlackUsedMm = state.SlackUsedMm + slackMm }, attempt with
        {
            Closed = new(e.At, e.ActorId, body.Reason, body.CutOff, body.Note),
            AcceptedAt = null,
            SlackMm = attempt.SlackMm + slackMm,
            PartsLost = body.CutOff ? [.. attempt.PartsLost, "connector"] : attempt.PartsLost,
        });
    }

    private static EndState Accept(EndState state, LedgerEvent e, Accepted body)
    {
        var attempt = Find(state, e, body.RunId);
        // What the ledger took before far ends had to be known stays accepted.
        if ((e.Taken ? attempt.Proven : attempt.Status) != EndStatus.ToAccept || state.Conflict)
        {
            throw new RefusedException("not-proven", "kind", attempt.Status switch
            {
                EndStatus.ToMeasure when attempt.Proven == EndStatus.ToAccept => "The far end is not known to be made. Say what it was measured into, or send the far end's entries first.",
                EndStatus.AtBench => "The run is not finished.",
                EndStatus.ToLook => "The end face has not been looked at.",
                EndStatus.ToMeasure => "A wavelength has no valid loss reading yet.",
                EndStatus.NeedsDecision => "It failed; rework it or close the attempt.",
                EndStatus.Accepted => "It is accepted already.",
                _ => "Two devices worked this end at once; settle that first.",
            });
        }

        if (attempt.BatchId is not null && attempt.Shards > 0 && attempt.ShardCount?.RunShards != attempt.Shards)
        {
            throw new RefusedException("shards-uncounted", "kind", "The shards of this batch are not counted yet: count them into the container first.");
        }

        return Put(state, attempt with { AcceptedAt = e.At });
    }

    private static EndState Note(EndState state, Noted body) => body.Text.Trim().Length > 0 ? state
        : throw new RefusedException("note-empty", "body.text", "A note needs some text.");

    private static (AttemptState, RunTable) OpenRun(EndState state, LedgerEvent e, Guid runId, Rules rules)
    {
        var attempt = Find(state, e, runId);
        return (attempt, rules.Table(attempt.ProcedureId, attempt.ProcedureVersion, attempt.Schools));
    }

    private static (AttemptState, RunTable) FinishedRun(EndState state, LedgerEvent e, Guid runId, Rules rules)
    {
        var (attempt, table) = OpenRun(state, e, runId, rules);
        if (attempt.Position.Outcome != RunOutcome.Finished)
        {
            throw new RefusedException("run-not-finished", "body.runId", "The run is not finished; this comes after its last step.");
        }

        return attempt.AcceptedAt is null ? (attempt, table)
            : throw new RefusedException("already-accepted", "body.runId", "This end is accepted. Correct the acceptance, or close the attempt, first.");
    }

    private static AttemptState Find(EndState state, LedgerEvent e, Guid runId)
    {
        var attempt = state.Attempts.FirstOrDefault(a => a.RunId == runId)
            ?? throw new RefusedException("run-unknown", "body.runId", "This end has no such run.");
        if (attempt.No != e.Attempt)
        {
            throw new RefusedException("attempt-number", "attempt", $"That run is attempt {attempt.No}, not {e.Attempt}.");
        }

        return attempt.Open ? attempt : throw new RefusedException("attempt-closed", "body.runId", $"Attempt {attempt.No} is closed; start a new one.");
    }

    private static EndState Put(EndState state, AttemptState attempt) =>
        state with { Attempts = [.. state.Attempts.Select(a => a.RunId == attempt.RunId ? attempt : a)] };
}
