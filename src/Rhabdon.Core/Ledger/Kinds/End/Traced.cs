using Rhabdon.Core.Connectors;
using Rhabdon.Core.Fiber;
using Rhabdon.Core.Loss;
using Rhabdon.Core.Procedures;

namespace Rhabdon.Core.Ledger;

/// <summary>One end's connector as a trace shows it.</summary>
/// <param name="TraceId">The trace's file.</param>
/// <param name="DistanceM">Where the connector lies on the trace.</param>
/// <param name="OtherTraceId">The trace from the other side, where the loss is the mean of both.</param>
/// <param name="ReflectanceDb">Null where it reflects too little to be seen.</param>
/// <param name="LengthM">Of the link, as the trace shows it.</param>
/// <param name="Mode">Like polish and limit set best left out: where it says otherwise than the plan, that is kept as a difference.</param>
public sealed record Traced(
    RunId RunId, EvidenceId TraceId, int WavelengthNm, double DistanceM, double LossDb, double? ReflectanceDb, double LengthM, string? Note = null, EvidenceId? OtherTraceId = null,
    FiberMode? Mode = null, Polish? Polish = null, string? LimitSetId = null) : INoted;

/// <summary>What one mated pair may show in a trace.</summary>
/// <param name="LossDb">What it may lose.</param>
/// <param name="ReflectanceDb">The most that it may reflect.</param>
public sealed record TraceLimits(double LossDb, double ReflectanceDb, string Edition)
{
    /// <returns>Null where the limits know nothing of this fiber mode.</returns>
    public static TraceLimits? Of(FiberMode mode, Polish polish, LossLimitSet limits) =>
        limits.Connections.FirstOrDefault(c => c.Mode == mode)?.PairDb is { } pair ? new(pair, -ReturnLoss.LeastDb(mode, polish), limits.Edition) : null;

    public bool LossPass(double lossDb) => lossDb <= LossDb + 1e-9;

    /// <param name="reflectanceDb">Null where it reflects too little to be seen.</param>
    public bool ReflectancePass(double? reflectanceDb) => reflectanceDb is null || reflectanceDb <= ReflectanceDb + 1e-9;
}

/// <summary>A connector's verdict from a trace.</summary>
/// <param name="LossLimitDb">What a mated pair may lose.</param>
/// <param name="ReflectanceLimitDb">The most that it may reflect.</param>
public sealed record TracedVerdict(bool LossPass, bool ReflectancePass, double LossLimitDb, double ReflectanceLimitDb, string Edition)
{
    public bool Pass => LossPass && ReflectancePass;

    /// <summary>Loss against the limit of one pair, reflection against what the polish has to hold.</summary>
    /// <exception cref="RefusedException">The limits know nothing of this fiber mode.</exception>
    public static TracedVerdict Of(double lossDb, double? reflectanceDb, FiberMode mode, Polish polish, LossLimitSet limits)
    {
        var to = TraceLimits.Of(mode, polish, limits) ?? throw new RefusedException("mode-unknown", "body.mode", $"{limits.Edition} has no connection limit for this fiber mode.");
        return new(to.LossPass(lossDb), to.ReflectancePass(reflectanceDb), to.LossDb, to.ReflectanceDb, to.Edition);
    }
}

public sealed record TraceJudged(TracedVerdict Verdict, IReadOnlyList<Difference>? Differences) : Judged;

internal sealed class TracedRule : EventRule<Traced, TraceJudged>
{
    protected override IEnumerable<Refusal> Faults(Traced body)
    {
        if (body is not { WavelengthNm: >= 600 and <= 1700, LossDb: >= -10 and <= 60, LengthM: >= 0 and <= 200_000, DistanceM: >= -1000 and <= 200_000, ReflectanceDb: null or (>= -100 and <= 0) })
        {
            yield return OutOf("body.lossDb", "A trace's loss is −10 to 60 dB, its reflectance −100 to 0 dB, its wavelength 600 to 1700 nm, its length at most 200,000 m.");
        }
    }

    protected override Judged Decide(Question q, Traced body)
    {
        Runs.Finished(q, body.RunId);
        if (q.Before is TraceJudged before)
        {
            return before;
        }

        Citations.Check(q);
        if (body.LimitSetId is { } named)
        {
            _ = q.Rules.LossSet(named);
        }

        return new TraceJudged(
            TracedVerdict.Of(body.LossDb, body.ReflectanceDb, q.Plan.Mode, q.Plan.Polish, q.Rules.LossSet(q.Plan.LossLimitSetId)),
            Differences.Of(("mode", body.Mode is { } mode ? Wire.Name(mode) : null, Wire.Name(q.Plan.Mode)), ("polish", body.Polish is { } polish ? Wire.Name(polish) : null, Wire.Name(q.Plan.Polish)), ("limitSetId", body.LimitSetId, q.Plan.LossLimitSetId)));
    }

    protected override EndState Evolve(EndState state, LedgerEvent e, Traced body, TraceJudged judged) => Runs.With(state, body.RunId, a => a with
    {
        Phase = Phase.Test,
        Traces = [.. a.Traces.Where(t => t.Reading.WavelengthNm != body.WavelengthNm), new TraceState(e.Id, e.At, e.ActorId, body, judged.Verdict)],
    });
}
