using Rhabdon.Core.Bench;
using Rhabdon.Core.Procedures;
using Rhabdon.Core.Rework;

namespace Rhabdon.Core.Ledger;

/// <summary>Where an act or an answer took the run, and what it cost.</summary>
/// <param name="Rung">The rung of the ladder that was taken, if any.</param>
public sealed record Moved(RunPosition Position, Phase Phase, int Shards, int Cleaves, int Arcs, RungTaken? Rung, IReadOnlyList<Deviation>? Deviations) : Judged;

/// <summary>Another device has moved this run on meanwhile, as two do that work one end with no signal: kept, not counted.</summary>
public sealed record Strayed : Judged;

public sealed record RungTaken(Phase From, string Act, ReworkReason? Reason, double Minutes, double SlackMm, IReadOnlyList<string> Parts);

/// <summary>What acts and answers have in common: they move a run.</summary>
internal static class Moves
{
    private const int MostEnds = Batches.MostStrands;

    /// <summary>Nothing that another device said is lost, and nothing moves twice.</summary>
    public static bool Strays(AttemptState attempt, LedgerEvent e, string stepId) =>
        attempt.Strays.Any(s => s.DeviceId == e.DeviceId) || (attempt.LastDeviceId != e.DeviceId && attempt.Position.StateId != stepId);

    public static Judged Decide(Question q, RunId runId, string stepId, string input, double? elapsedS, StepDone? done)
    {
        var attempt = Runs.Open(q, runId);
        if (Strays(attempt, q.Event, stepId))
        {
            return new Strayed();
        }

        var table = Runs.Table(q, attempt);
        var move = RunWalk.Advance(table, attempt.Position, stepId, input);
        elapsedS ??= attempt.Timer is { } running && running.StepId == move.Left.Id ? (q.Event.At - running.StartedAt).TotalSeconds : null;
        var phase = move.Position.StateId is { } id ? table.State(id)!.Phase
            : move.Position.Outcome == RunOutcome.Finished ? Phase.Look : move.Left.Phase;
        IReadOnlyList<Deviation> deviations = [.. Deviations(move.Left, q.Event.Id, elapsedS, done), .. Unready(table, attempt, move.Left, q.Event, q.Plan.TimeZone)];
        return new Moved(move.Position, phase, move.Left.Shards, move.Left.Cleaves, move.Left.Arcs,
            move.Rung is { } r ? new(move.Left.Phase, r.Act, move.Reason, r.Minutes, r.SlackMm, r.Parts) : null, deviations.Count == 0 ? null : deviations);
    }

    public static EndState Evolve(EndState state, LedgerEvent e, RunId runId, string stepId, int? together, string? note, Moved moved)
    {
        var rung = moved.Rung;
        var next = Runs.With(state, runId, a => a with
        {
            Position = moved.Position,
            Phase = moved.Phase,
            Shards = a.Shards + moved.Shards,
            ShardActs = moved.Shards > 0 ? [.. a.ShardActs, new(e.ToldAt, moved.Shards)] : a.ShardActs,
            Cleaves = a.Cleaves + moved.Cleaves,
            Arcs = a.Arcs + moved.Arcs,
            LastDeviceId = e.DeviceId,
            Timer = null,
            FinishedAt = moved.Position.Outcome == RunOutcome.Finished ? e.At : null,
            Deviations = [.. a.Deviations, .. moved.Deviations ?? []],
            SaidTogether = together > 1 ? [.. a.SaidTogether, new(e.Id, stepId, together.Value)] : a.SaidTogether,
            Loops = rung is null ? a.Loops : [.. a.Loops, new Loop(e.Id, e.At, rung.From, moved.Phase, rung.Act, rung.Reason, rung.Minutes, rung.SlackMm, rung.Parts, note)],
            ReworkMinutes = a.ReworkMinutes + (rung?.Minutes ?? 0),
            SlackMm = a.SlackMm + (rung?.SlackMm ?? 0),
            PartsLost = [.. a.PartsLost, .. rung?.Parts ?? []],
        });
        return rung is null ? next : next with { SlackUsedMm = next.SlackUsedMm + rung.SlackMm };
    }

    public static EndState Stray(EndState state, LedgerEvent e, RunId runId, string stepId, string input) =>
        Runs.With(state, runId, a => a.Strays.Count < AttemptState.MostStrays || a.Strays.All(s => s.DeviceId != e.DeviceId)
            ? a with { Strays = [.. a.Strays, new Stray(e.Id, e.At, e.ActorId, e.DeviceId, stepId, input)] }
            : a with { MoreStrays = a.MoreStrays + 1 });

    public static IEnumerable<Refusal> Faults(int? together)
    {
        if (together is not (null or (>= 1 and <= MostEnds)))
        {
            yield return new("out-of-range", "body.together", $"One tap speaks of 1 to {MostEnds} ends.");
        }
    }

    private static IEnumerable<Deviation> Unready(RunTable table, AttemptState attempt, RunState left, LedgerEvent e, string timeZone)
    {
        // A run from before there were batches had no pre-flight.
        var missing = attempt.BatchId is null ? 0 : Preflights.Missing(table, attempt.Preflight, left.Id, e.At, timeZone).Count();
        if (missing > 0)
        {
            yield return new(e.Id, left.Id, DeviationKind.PreflightMissing, missing, 0);
        }
    }

    private static IEnumerable<Deviation> Deviations(RunState step, EventId eventId, double? elapsedS, StepDone? done)
    {
        if (step.Count?.SheetLimit is { } limit && done?.SheetTotal is { } total && total > limit)
        {
            yield return new(eventId, step.Id, DeviationKind.SheetOver, total, limit);
        }

        if (step.Timer is { } timer && (elapsedS ?? 0) < timer.DurationS)
        {
            yield return new(eventId, step.Id, DeviationKind.TimerShort, elapsedS ?? 0, timer.DurationS);
        }

        if (step.Count is { } c && done?.Count is { } n && n < c.Min)
        {
            yield return new(eventId, step.Id, DeviationKind.CountLow, n, c.Min);
        }

        if (step.Count is { } d && done?.Count is { } m && m > d.Max)
        {
            yield return new(eventId, step.Id, DeviationKind.CountHigh, m, d.Max);
        }
    }
}
