using System.Text.Json;
using Rhabdon.Core.Connectors;
using Rhabdon.Core.Diagnosis;
using Rhabdon.Core.Inspection;
using Rhabdon.Core.Ledger;
using Rhabdon.Core.Loss;
using Rhabdon.Core.Procedures;
using Rhabdon.Core.Rework;

namespace Rhabdon.Core.Yield;

/// <summary>How an attempt ended, or that it has not.</summary>
public enum AttemptOutcome
{
    Open, Accepted, GivenUp,
}

/// <summary>One connector on one end: what statistics count.</summary>
/// <param name="FirstPass">Accepted without once going back.</param>
/// <param name="Reason">Why it was given up or last went back: the confirmed cause where there is one.</param>
/// <param name="ActsTogether">Acts that one tap said of several ends: nobody timed each of them.</param>
/// <param name="TimersShort">Timed acts that were passed before their time.</param>
public sealed record AttemptFact(
    int Attempt, RunId RunId, BatchId? BatchId, PersonId PersonId, string ProcedureId, int ProcedureVersion, IReadOnlyDictionary<string, string> Schools, IReadOnlyList<string> Lots, IReadOnlyList<ToolId> ToolIds,
    Instant StartedAt, Instant? FinishedAt, Instant? AcceptedAt, Instant? GivenUpAt, AttemptOutcome Outcome, bool FirstPass, ReworkReason? Reason, bool CauseConfirmed,
    int Loops, double ReworkMinutes, double SlackMm, int PartsLost, int Shards, int Cleaves, int Arcs, int Acts, int ActsTogether, int TimersShort)
{
    /// <summary>Where its cause was confirmed: the signs that it showed before anything was tried on it;</summary>
    public IReadOnlyList<Observation> Seen { get; init; } = [];

    /// <summary>and what was tried.</summary>
    public IReadOnlyList<TriedAct> Tried { get; init; } = [];
}

/// <summary>One act, or one answer, of a run.</summary>
/// <param name="Input">The answer, or <c>done</c>.</param>
/// <param name="AttendedS">Seconds since what the same hands did before in that batch, shared by the ends that were said together; null where that is not known or a break lay between.</param>
/// <param name="Together">Of how many ends one tap said it.</param>
/// <param name="TimerShort">Passed before its time.</param>
public sealed record ActFact(int Attempt, RunId RunId, EventId EventId, string StepId, string Input, PersonId PersonId, Instant At, double? AttendedS, int Together, bool TimerShort, bool WentBack);

public enum ReadingKind
{
    /// <summary>Source and meter, against the limit of the link.</summary>
    Link,
    /// <summary>The connector alone, from a trace.</summary>
    Trace,
    /// <summary>The splice behind it.</summary>
    Splice,
}

/// <summary>A loss that was read, against what it may be.</summary>
/// <param name="LimitDb">Null where it is held to none.</param>
public sealed record ReadingFact(
    int Attempt, RunId RunId, EventId EventId, ReadingKind Kind, PersonId PersonId, Instant At, int? WavelengthNm, double LossDb, double? LimitDb, double? ReflectanceDb, LossVerdict? Verdict, Direction? Direction, InstrumentId? InstrumentId);

public enum LookKind
{
    Face, Cleave, Light,
}

public enum LookVerdict
{
    Pass, Doubtful, Fail,
}

/// <summary>A look at a connector: its end face, its cleave from the side, the red light.</summary>
/// <param name="ByPicture">A picture is kept of it that the program read.</param>
public sealed record LookFact(int Attempt, RunId RunId, EventId EventId, LookKind Kind, PersonId PersonId, Instant At, LookVerdict Verdict, int Findings, bool ByPicture);

/// <summary>What is counted of one end. Facts are made of judgements; no rule is asked. What was said before judgements were kept is counted as attempts only.</summary>
public sealed record Facts(IReadOnlyList<AttemptFact> Attempts, IReadOnlyList<ActFact> Acts, IReadOnlyList<ReadingFact> Readings, IReadOnlyList<LookFact> Looks)
{
    /// <summary>Raised by whoever changes what is counted: all facts are then made anew beside the old ones.</summary>
    public const int Version = 3;

    /// <param name="attendedS">How long the hands were at each act; see <see cref="Pace.AttendedS"/>.</param>
    public static Facts Of(EndState state, IReadOnlyList<Entry> log, IReadOnlyDictionary<EventId, double> attendedS, TerminationMethod method)
    {
        var struck = Telling.Struck(log);
        // The last line of an event holds; what a correction took back, or what no longer fits, does not count.
        IReadOnlyList<Entry> lines = [.. Telling.Live(log).Where(x => x.Judged is not FarJudged).GroupBy(x => x.Event.Id).Select(g => g.Last()).Where(x => !struck.Contains(x.Event.Id) && x.Judged is not (Voided or Strayed))];
        var runs = state.Attempts.ToDictionary(a => a.RunId);
        IReadOnlyList<ActFact> acts = [.. lines.Select(x => Act(x, attendedS)).OfType<ActFact>().Where(x => runs.ContainsKey(x.RunId))];
        return new(
            Confirmed([.. state.Attempts.Select(a => Attempt(a, acts.Where(x => x.RunId == a.RunId).ToList()))], state, log, struck, DiagnosisTables.FamilyOf(method)),
            acts,
            [.. lines.Select(Reading).OfType<ReadingFact>().Where(x => runs.ContainsKey(x.RunId))],
            [.. lines.Select(Look).OfType<LookFact>().Where(x => runs.ContainsKey(x.RunId))]);
    }

    /// <summary>What the hands did, by an end's own events: each in the batch of its run.</summary>
    public static IEnumerable<Done> Hands(IReadOnlyList<LedgerEvent> events)
    {
        var batches = events.Where(e => e.Kind == EventKind.AttemptStarted).ToDictionary(e => e.Id.Value, e => Id(e.Body, "batchId"));
        return events.Select(e => new Done(
            e.Id, batches.GetValueOrDefault(Id(e.Body, "runId") ?? e.Id.Value) is { } batch ? new BatchId(batch) : null, e.DeviceId, e.DeviceSeq, e.ToldAt, e.Kind is EventKind.StepDone or EventKind.CheckAnswered));
    }

    private static Guid? Id(JsonElement body, string name) => body.ValueKind == JsonValueKind.Object && body.TryGetProperty(name, out var id) && id.ValueKind == JsonValueKind.String && id.TryGetGuid(out var value) ? value : null;

    /// <summary>Of connectors whose cause was confirmed: what they showed before anything was tried, which only the log still says.</summary>
    private static IReadOnlyList<AttemptFact> Confirmed(IReadOnlyList<AttemptFact> attempts, EndState state, IReadOnlyList<Entry> log, IReadOnlySet<EventId> struck, GlassFamily family)
    {
        if (attempts.All(a => !a.CauseConfirmed))
        {
            return attempts;
        }

        var (first, at) = (new Dictionary<RunId, AttemptState>(), EndState.Empty(state.EndId));
        foreach (var x in Telling.Live(log))
        {
            var next = struck.Contains(x.Event.Id) ? Telling.Heard(at, x.Event) : Telling.Evolve(at, x.Event, x.Judged);
            foreach (var run in next.Attempts.Where(a => a.Loops.Count > 0 || !a.Open))
            {
                first.TryAdd(run.RunId, at.Attempts.FirstOrDefault(a => a.RunId == run.RunId) ?? run);
            }

            at = next;
        }

        return [.. attempts.Zip(state.Attempts, (fact, run) => !fact.CauseConfirmed ? fact : fact with
        {
            Seen = Seen.Signs(first.GetValueOrDefault(run.RunId, run), family, []),
            Tried = Seen.Acts(run, family, state.Attempts.FirstOrDefault(a => a.No > run.No)),
        })];
    }

    private static AttemptFact Attempt(AttemptState a, List<ActFact> acts)
    {
        var outcome = !a.Open ? AttemptOutcome.GivenUp : a.AcceptedAt is not null ? AttemptOutcome.Accepted : AttemptOutcome.Open;
        return new(
            a.No, a.RunId, a.BatchId, a.StartedBy, a.ProcedureId, a.ProcedureVersion, a.Schools, [.. a.Preflight.Select(p => p.Lot).OfType<string>().Distinct(StringComparer.Ordinal)], a.ToolIds,
            a.StartedAt, a.FinishedAt, a.AcceptedAt, outcome != AttemptOutcome.GivenUp ? null : a.Closed?.At ?? a.Loops.LastOrDefault()?.At ?? acts.LastOrDefault()?.At, outcome,
            outcome == AttemptOutcome.Accepted && a.Loops.Count == 0, a.Cause?.Cause ?? a.Closed?.Reason ?? a.Loops.LastOrDefault()?.Reason, a.Cause is not null,
            a.Loops.Count, a.ReworkMinutes, a.SlackMm, a.PartsLost.Count, a.Shards, a.Cleaves, a.Arcs,
            acts.Count, a.SaidTogether.Count, a.Deviations.Count(d => d.Kind == DeviationKind.TimerShort));
    }

    private static ActFact? Act(Entry x, IReadOnlyDictionary<EventId, double> attendedS)
    {
        if (x.Judged is not Moved moved)
        {
            return null;
        }

        var (e, shortened) = (x.Event, moved.Deviations?.Any(d => d.Kind == DeviationKind.TimerShort) == true);
        double? attended = attendedS.TryGetValue(e.Id, out var s) ? s : null;
        if (e.Kind == EventKind.StepDone)
        {
            var done = EventBodies.Read<StepDone>(e with { Taken = true });
            return new(e.Attempt, done.RunId, e.Id, done.StepId, RunTable.Done, e.ActorId, e.ToldAt, attended, done.Together ?? 1, shortened, moved.Rung is not null);
        }

        var answered = EventBodies.Read<CheckAnswered>(e with { Taken = true });
        return new(e.Attempt, answered.RunId, e.Id, answered.StepId, answered.AnswerId, e.ActorId, e.ToldAt, attended, answered.Together ?? 1, shortened, moved.Rung is not null);
    }

    private static ReadingFact? Reading(Entry x)
    {
        var e = x.Event with { Taken = true };
        switch (e.Kind, x.Judged)
        {
            case (EventKind.Measured, LossJudged loss):
                var measured = EventBodies.Read<Measured>(e);
                return new(e.Attempt, measured.RunId, e.Id, ReadingKind.Link, e.ActorId, e.ToldAt, loss.Loss.WavelengthNm, loss.Loss.LossDb, loss.Loss.Limit.LimitDb, null, loss.Loss.Verdict, measured.Direction, measured.InstrumentId);
            case (EventKind.Traced, TraceJudged trace):
                var traced = EventBodies.Read<Traced>(e);
                return new(e.Attempt, traced.RunId, e.Id, ReadingKind.Trace, e.ActorId, e.ToldAt, traced.WavelengthNm, traced.LossDb, trace.Verdict.LossLimitDb, traced.ReflectanceDb, trace.Verdict.Pass ? LossVerdict.Pass : LossVerdict.Fail, null, null);
            case (EventKind.SpliceRead, Kept):
                var splice = EventBodies.Read<SpliceRead>(e);
                return new(e.Attempt, splice.RunId, e.Id, ReadingKind.Splice, e.ActorId, e.ToldAt, splice.WavelengthNm, splice.LossDb, null, null, null, null, null);
            default:
                return null;
        }
    }

    private static LookFact? Look(Entry x)
    {
        var e = x.Event with { Taken = true };
        switch (e.Kind, x.Judged)
        {
            case (EventKind.Inspected, FaceGraded face):
                var inspected = EventBodies.Read<Inspected>(e);
                return new(e.Attempt, inspected.RunId, e.Id, LookKind.Face, e.ActorId, e.ToldAt, face.Verdict.Pass ? LookVerdict.Pass : LookVerdict.Fail, inspected.Findings.Count, inspected.Picture is not null);
            case (EventKind.CleaveSeen, CleaveJudged cleave):
                var seen = EventBodies.Read<CleaveSeen>(e);
                return new(e.Attempt, seen.RunId, e.Id, LookKind.Cleave, e.ActorId, e.ToldAt, cleave.Verdict.Doubtful ? LookVerdict.Doubtful : cleave.Verdict.Pass ? LookVerdict.Pass : LookVerdict.Fail, cleave.Verdict.Faults.Count, true);
            case (EventKind.LightJudged, GlowJudged glow):
                var light = EventBodies.Read<LightJudged>(e);
                return new(e.Attempt, light.RunId, e.Id, LookKind.Light, e.ActorId, e.ToldAt, glow.Judgement.Verdict switch { LightVerdict.Good => LookVerdict.Pass, LightVerdict.Bad => LookVerdict.Fail, _ => LookVerdict.Doubtful }, 0, light.Photos is not null);
            default:
                return null;
        }
    }
}
