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
    None, Pass,
    /// <summary>Under its limit by less than the meter can tell.</summary>
    Marginal,
    Fail,
    /// <summary>Over its limit by less than the meter can tell: only a lead accepts it, with the reason.</summary>
    MarginalOver,
}

/// <param name="Seq">The highest number that was heard from it.</param>
public sealed record DeviceHeard(DeviceId DeviceId, long Seq);

/// <param name="Ends">How many ends the one tap spoke of.</param>
public sealed record SaidTogether(EventId EventId, string StepId, int Ends);

/// <summary>Everything that is known of one end, folded from its events.</summary>
/// <param name="Attempts">Oldest first. Two with the same number mean that two people worked it at once.</param>
/// <param name="SlackUsedMm">How far the jacket edge has moved back.</param>
public sealed record EndState(EndId EndId, IReadOnlyList<AttemptState> Attempts, double SlackUsedMm, Instant? LastAt)
{
    /// <summary>How far each device that spoke of this end has been heard, by device.</summary>
    public IReadOnlyList<DeviceHeard> Devices { get; init; } = [];

    public static EndState Empty(EndId endId) => new(endId, [], 0, null);

    [JsonIgnore]
    public AttemptState? Current => Attempts.LastOrDefault(a => a.Open) ?? Attempts.LastOrDefault();

    /// <summary>The batches that its open runs belong to.</summary>
    public IEnumerable<BatchId> BatchesAtWork() => Attempts.Where(a => a.Open && a.BatchId is not null).Select(a => a.BatchId!.Value);

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
public sealed record AttemptState
{
    /// <summary>1 and up.</summary>
    public required int No { get; init; }

    /// <summary>Id of the event that started it.</summary>
    public required RunId RunId { get; init; }

    public required string ProcedureId { get; init; }

    public required int ProcedureVersion { get; init; }

    /// <summary>Of the procedure's structure; null for a run from before hashes were kept.</summary>
    public string? ProcedureHash { get; init; }

    /// <summary>Which school was followed, by option.</summary>
    public IReadOnlyDictionary<string, string> Schools { get; init; } = new Dictionary<string, string>();

    /// <summary>The batch at the bench; null for a run from before there were batches.</summary>
    public BatchId? BatchId { get; init; }

    /// <summary>The tools that it is made with, as far as somebody said so.</summary>
    public IReadOnlyList<ToolId> ToolIds { get; init; } = [];

    /// <summary>Why a tool that was overdue was used all the same; null where none was.</summary>
    public string? InSpiteOf { get; init; }

    public required PersonId StartedBy { get; init; }

    /// <summary>The device that began it.</summary>
    public required DeviceId DeviceId { get; init; }

    public required Instant StartedAt { get; init; }

    public required RunPosition Position { get; init; }

    public required Phase Phase { get; init; }

    /// <summary>The device that moved the run last.</summary>
    public DeviceId LastDeviceId { get; init; }

    /// <summary>The timer that runs for the step that waits, if any.</summary>
    public TimerState? Timer { get; init; }

    public IReadOnlyList<PreflightAnswer> Preflight { get; init; } = [];

    public IReadOnlyList<Loop> Loops { get; init; } = [];

    public IReadOnlyList<Deviation> Deviations { get; init; } = [];

    /// <summary>Strays that a state lists; what there is beyond them is counted.</summary>
    internal const int MostStrays = 50;

    /// <summary>What another device said of this run when it had gone on already; kept, not counted. The first of them, and of each device at least one.</summary>
    public IReadOnlyList<Stray> Strays { get; init; } = [];

    /// <summary>How many there are beyond those that <see cref="Strays"/> lists: they come up as the listed ones are settled.</summary>
    public int MoreStrays { get; init; }

    /// <summary>Acts that one tap said of several ends at once: nobody timed each of them.</summary>
    public IReadOnlyList<SaidTogether> SaidTogether { get; init; } = [];

    public int Shards { get; init; }

    /// <summary>When which of them were made.</summary>
    public IReadOnlyList<ShardAct> ShardActs { get; init; } = [];

    /// <summary>As counted by a device of before; now the batch's own count says it.</summary>
    public ShardCount? ShardCount { get; init; }

    public int Cleaves { get; init; }

    public int Arcs { get; init; }

    public double ReworkMinutes { get; init; }

    public double SlackMm { get; init; }

    public IReadOnlyList<string> PartsLost { get; init; } = [];

    public InspectionState? Inspection { get; init; }

    /// <summary>Every look at this connector, oldest first: before and after cleaning.</summary>
    public IReadOnlyList<InspectionState> Looks { get; init; } = [];

    public IReadOnlyList<LossState> Losses { get; init; } = [];

    /// <summary>Wavelengths that must be measured before it can be accepted, in nanometres.</summary>
    public IReadOnlyList<int> Wavelengths { get; init; } = [];

    /// <summary>What traces showed of it, the last one for each wavelength.</summary>
    public IReadOnlyList<TraceState> Traces { get; init; } = [];

    /// <summary>Every cleave that was looked at from the side, oldest first.</summary>
    public IReadOnlyList<CleaveState> CleavesSeen { get; init; } = [];

    /// <summary>Every judgement of the red light, oldest first.</summary>
    public IReadOnlyList<LightState> Lights { get; init; } = [];

    public IReadOnlyList<DamageState> Damages { get; init; } = [];

    /// <summary>Why it failed, where somebody found out.</summary>
    public CauseState? Cause { get; init; }

    /// <summary>Readings of its splice, oldest first.</summary>
    public IReadOnlyList<SpliceState> Splices { get; init; } = [];

    public ClosedState? Closed { get; init; }

    public Instant? AcceptedAt { get; init; }

    /// <summary>When the run came to its last step; null before, and while it is worked again.</summary>
    public Instant? FinishedAt { get; init; }

    /// <summary>True while a reading says nothing of this connector, because nobody knows what lay at the far end.</summary>
    public bool FarEndUnknown => Open && AcceptedAt is null && Losses.Any(l => l.FarEndUnknown);

    /// <summary>True until it is given up.</summary>
    public bool Open => Closed is null && Position.Outcome != RunOutcome.GivenUp;

    /// <summary>True where it was damaged so that it has to be made again.</summary>
    [JsonIgnore]
    public bool Broken => Damages.Any(d => !d.Usable);

    public EndStatus Status => Open && Broken ? EndStatus.NeedsDecision : Proven is not EndStatus.ToAccept ? Proven : FarEndUnknown ? EndStatus.ToMeasure : MarginalOver ? EndStatus.NeedsDecision : Proven;

    /// <summary>True where a reading lies over its limit, but within what the meter can tell.</summary>
    [JsonIgnore]
    public bool MarginalOver => Losses.Any(l => l.Judgement.Verdict == LossVerdict.MarginalOver);

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
        Open && MarginalOver && (Proven is EndStatus.Accepted || (Proven is EndStatus.ToAccept && !FarEndUnknown)) ? EndVerdict.MarginalOver
        : !Open || Status == EndStatus.NeedsDecision ? EndVerdict.Fail
        : Status is not (EndStatus.ToAccept or EndStatus.Accepted) ? EndVerdict.None
        : Losses.Any(l => l.Judgement.Verdict == LossVerdict.MarginalUnder) ? EndVerdict.Marginal
        : EndVerdict.Pass;
}

/// <summary>A time the line looped back: what was tried, why, and what it cost.</summary>
public sealed record Loop(EventId EventId, Instant At, Phase From, Phase To, string Act, ReworkReason? Reason, double Minutes, double SlackMm, IReadOnlyList<string> Parts, string? Note);

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
    /// <summary>It was begun with a tool whose service or calibration was overdue, and nobody said why; the numbers are days, and 0.</summary>
    ToolOverdue,
}

/// <summary>The hand did other than the sheet says. Recorded, not refused.</summary>
public sealed record Deviation(EventId EventId, string StepId, DeviationKind Kind, double Actual, double Asked);

public sealed record TimerState(EventId EventId, string StepId, Instant StartedAt, Instant EndsAt);

/// <param name="At">By our clock.</param>
public sealed record ShardAct(Instant At, int Count);

/// <param name="Usable">False where it has to be made again.</param>
public sealed record DamageState(EventId EventId, Instant At, PersonId By, DamageKind What, bool Usable, string? Note);

public sealed record CauseState(EventId EventId, Instant At, PersonId By, ReworkReason Cause, string? Shown);

public sealed record SpliceState(EventId EventId, Instant At, PersonId By, double LossDb, bool Estimated, int? WavelengthNm, double? LeftAngleDeg = null, double? RightAngleDeg = null);

/// <param name="RunShards">Shards of this run when they were counted.</param>
public sealed record ShardCount(EventId EventId, Instant At, PersonId By, int Made, int Counted, int RunShards)
{
    public bool Off => Made != Counted;
}

/// <param name="Input">The answer it gave, or <c>done</c>.</param>
public sealed record Stray(EventId EventId, Instant At, PersonId By, DeviceId DeviceId, string StepId, string Input);

public sealed record InspectionState(EventId EventId, Instant At, PersonId By, IReadOnlyList<Finding> Findings, EndFaceVerdict Verdict, SeenFace? Picture)
{
    /// <summary>What the device said of its class or limits otherwise than they are planned.</summary>
    public IReadOnlyList<Difference> Differences { get; init; } = [];

    /// <summary>A picture that is kept beside a judgement by eye.</summary>
    public EvidenceId? PhotoId { get; init; }
}

public sealed record TraceState(EventId EventId, Instant At, PersonId By, Traced Reading, TracedVerdict Verdict);

public sealed record CleaveState(EventId EventId, Instant At, PersonId By, CleaveSeen Seen, CleaveVerdict Verdict);

public sealed record LightState(EventId EventId, Instant At, PersonId By, LightJudged Seen, LightJudgement Judgement);

/// <param name="Judgement">Of the link as it is planned.</param>
/// <param name="FarMade">The far end's own record says that its connector was finished when this was read.</param>
/// <param name="Said">What somebody said afterwards that it was measured into.</param>
public sealed record LossState(EventId EventId, Instant At, PersonId By, Measured Reading, LossJudgement Judgement, bool FarMade = false, MeasuredInto? Said = null)
{
    /// <summary>What the device said of the link otherwise than the plan has it.</summary>
    public IReadOnlyList<Difference> Differences { get; init; } = [];

    /// <summary>True for a reading of before far ends had to be known: it counts as it did.</summary>
    public bool TakenOver { get; init; }

    public bool FarEndUnknown => !FarMade && !TakenOver && Said is null && Reading.Into is null;
}

public sealed record ClosedState(Instant At, PersonId By, ReworkReason Reason, bool CutOff, string? Note);
