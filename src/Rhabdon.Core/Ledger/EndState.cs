using System.Text.Json.Serialization;
using Rhabdon.Core.Bench;
using Rhabdon.Core.Inspection;
using Rhabdon.Core.Loss;
using Rhabdon.Core.Procedures;
using Rhabdon.Core.Rework;

namespace Rhabdon.Core.Ledger;

/// <summary>Where an end stands, in the order of the work.</summary>
public enum EndStatus
{
    Planned,
    /// <summary>A run is under way.</summary>
    AtBench,
    ToLook,
    ToMeasure,
    ToAccept,
    /// <summary>It failed a look or a measurement, or two runs are open at once: a person has to say how it goes on.</summary>
    NeedsDecision,
    /// <summary>The last connector was given up; a new attempt is due.</summary>
    ToRemake,
    Accepted,
}

/// <summary>The verdict that an end wears on the loom.</summary>
public enum EndVerdict
{
    None, Pass, Marginal, Fail,
}

/// <summary>Everything that is known of one end, folded from its events.</summary>
/// <param name="Attempts">Oldest first. Two with the same number mean that two people worked it at once.</param>
/// <param name="SlackUsedMm">How far the jacket edge has moved back.</param>
public sealed record EndState(Guid EndId, IReadOnlyList<AttemptState> Attempts, double SlackUsedMm, DateTimeOffset? LastAt)
{
    public static EndState Empty(Guid endId) => new(endId, [], 0, null);

    [JsonIgnore]
    public AttemptState? Current => Attempts.LastOrDefault(a => a.Open) ?? Attempts.LastOrDefault();

    /// <summary>True when more than one run is open, or two devices worked one run apart: the crew lead settles it.</summary>
    public bool Conflict => Attempts.Count(a => a.Open) > 1 || Attempts.Any(a => a.Open && a.Strays.Count > 0);

    public EndStatus Status => Conflict ? EndStatus.NeedsDecision : Current?.Status ?? EndStatus.Planned;

    public EndVerdict Verdict => Current?.Verdict ?? EndVerdict.None;

    /// <summary>Why a reading would be refused now, or could be of either of two runs; null when it would be taken. Asked before anything is sent.</summary>
    [JsonIgnore]
    public NotMeasurable? NotMeasurable => Conflict ? Ledger.NotMeasurable.Conflict : Current switch
    {
        null => Ledger.NotMeasurable.NotBegun,
        { Open: false } => Ledger.NotMeasurable.GivenUp,
        { AcceptedAt: not null } => Ledger.NotMeasurable.Accepted,
        { Position.Outcome: not RunOutcome.Finished } => Ledger.NotMeasurable.AtBench,
        _ => null,
    };

    /// <summary>The band that the loom's line has reached.</summary>
    public Phase? Phase => Current?.Phase;
}

/// <summary>Why a reading of an end could not be recorded now.</summary>
public enum NotMeasurable
{
    Conflict, NotBegun, GivenUp, Accepted, AtBench,
}

/// <summary>One connector on one end.</summary>
/// <param name="No">1 and up.</param>
/// <param name="RunId">Id of the event that started it.</param>
/// <param name="BatchId">The batch at the bench; null for a run from before there were batches.</param>
/// <param name="Schools">Which school was followed, by option.</param>
/// <param name="LastDeviceId">The device that moved the run last.</param>
/// <param name="Timer">The timer that runs for the step that waits, if any.</param>
/// <param name="Strays">What another device said of this run when it had gone on already; kept, not counted.</param>
/// <param name="Looks">Every look at this connector, oldest first: before and after cleaning.</param>
/// <param name="CleavesSeen">Every cleave that was looked at from the side, oldest first.</param>
/// <param name="Lights">Every judgement of the red light, oldest first.</param>
/// <param name="Traces">What traces showed of it, the last one for each wavelength.</param>
/// <param name="Wavelengths">Wavelengths that must be measured before it can be accepted, in nanometres.</param>
public sealed record AttemptState(
    int No,
    Guid RunId,
    string ProcedureId,
    int ProcedureVersion,
    Guid StartedBy,
    Guid DeviceId,
    DateTimeOffset StartedAt,
    RunPosition Position,
    Phase Phase,
    IReadOnlyList<Loop> Loops,
    IReadOnlyList<Deviation> Deviations,
    int Shards,
    double ReworkMinutes,
    double SlackMm,
    IReadOnlyList<string> PartsLost,
    InspectionState? Inspection,
    IReadOnlyList<LossState> Losses,
    IReadOnlyList<int> Wavelengths,
    ClosedState? Closed,
    DateTimeOffset? AcceptedAt,
    Guid? BatchId,
    IReadOnlyDictionary<string, string> Schools,
    IReadOnlyList<PreflightAnswer> Preflight,
    int Cleaves,
    int Arcs,
    Guid LastDeviceId,
    TimerState? Timer,
    ShardCount? ShardCount,
    IReadOnlyList<Stray> Strays,
    IReadOnlyList<InspectionState> Looks,
    IReadOnlyList<TraceState> Traces,
    IReadOnlyList<CleaveState> CleavesSeen,
    IReadOnlyList<LightState> Lights)
{
    /// <summary>When the run came to its last step; null before, and while it is worked again.</summary>
    public DateTimeOffset? FinishedAt { get; init; }

    /// <summary>True while a reading says nothing of this connector, because nobody knows what lay at the far end.</summary>
    public bool FarEndUnknown => Open && AcceptedAt is null && Losses.Any(l => l.FarEndUnknown);

    /// <summary>True until it is given up.</summary>
    public bool Open => Closed is null && Position.Outcome != RunOutcome.GivenUp;

    public EndStatus Status => Proven is EndStatus.ToAccept && FarEndUnknown ? EndStatus.ToMeasure : Proven;

    /// <summary>As <see cref="Status"/>, were every far end known.</summary>
    [JsonIgnore]
    public EndStatus Proven =>
        !Open ? EndStatus.ToRemake
        : AcceptedAt is not null ? EndStatus.Accepted
        : Position.Outcome == RunOutcome.Running ? EndStatus.AtBench
        : Inspection is { Verdict.Pass: false } || Losses.Any(l => l.Judgement.Verdict == LossVerdict.Fail) || Traces.Any(t => !t.Verdict.Pass) ? EndStatus.NeedsDecision
        : Inspection is null ? EndStatus.ToLook
        : Wavelengths.Count == 0 || Wavelengths.Any(w => Losses.All(l => l.Judgement.WavelengthNm != w))
            || Losses.Any(l => l.Judgement.Verdict == LossVerdict.BadReference) ? EndStatus.ToMeasure
        : EndStatus.ToAccept;

    public EndVerdict Verdict =>
        !Open || Status == EndStatus.NeedsDecision ? EndVerdict.Fail
        : Status is not (EndStatus.ToAccept or EndStatus.Accepted) ? EndVerdict.None
        : Losses.Any(l => l.Judgement.Verdict == LossVerdict.Marginal) ? EndVerdict.Marginal
        : EndVerdict.Pass;
}

/// <summary>A time the line looped back: what was tried, why, and what it cost.</summary>
public sealed record Loop(Guid EventId, DateTimeOffset At, Phase From, Phase To, string Act, ReworkReason? Reason, double Minutes, double SlackMm, IReadOnlyList<string> Parts, string? Note);

public enum DeviationKind
{
    /// <summary>The timer was ended before its time; the numbers are seconds.</summary>
    TimerShort,
    CountLow,
    CountHigh,
    /// <summary>The film sheet has done more strokes than it is good for.</summary>
    SheetOver,
    /// <summary>The step was done while something of the pre-flight was not so; the numbers are how many items, and 0.</summary>
    PreflightMissing,
}

/// <summary>The hand did other than the sheet says. Recorded, not refused.</summary>
public sealed record Deviation(Guid EventId, string StepId, DeviationKind Kind, double Actual, double Asked);

public sealed record TimerState(Guid EventId, string StepId, DateTimeOffset StartedAt, DateTimeOffset EndsAt);

/// <param name="RunShards">Shards of this run when they were counted.</param>
public sealed record ShardCount(Guid EventId, DateTimeOffset At, Guid By, int Made, int Counted, int RunShards)
{
    public bool Off => Made != Counted;
}

/// <param name="Input">The answer it gave, or <c>done</c>.</param>
public sealed record Stray(Guid EventId, DateTimeOffset At, Guid By, Guid DeviceId, string StepId, string Input);

public sealed record InspectionState(Guid EventId, DateTimeOffset At, Guid By, IReadOnlyList<Finding> Findings, EndFaceVerdict Verdict, SeenFace? Picture);

public sealed record TraceState(Guid EventId, DateTimeOffset At, Guid By, Traced Reading, TracedVerdict Verdict);

public sealed record CleaveState(Guid EventId, DateTimeOffset At, Guid By, CleaveSeen Seen, CleaveVerdict Verdict);

public sealed record LightState(Guid EventId, DateTimeOffset At, Guid By, LightJudged Seen, LightJudgement Judgement);

/// <param name="FarMade">The far end's own record says that its connector was finished when this was read.</param>
/// <param name="Said">What somebody said afterwards that it was measured into.</param>
public sealed record LossState(Guid EventId, DateTimeOffset At, Guid By, Measured Reading, LossJudgement Judgement, bool FarMade = false, MeasuredInto? Said = null)
{
    public bool FarEndUnknown => !FarMade && Said is null && Reading.Into is null;
}

public sealed record ClosedState(DateTimeOffset At, Guid By, ReworkReason Reason, bool CutOff, string? Note);
