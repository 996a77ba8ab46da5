using Rhabdon.Core.Fiber;
using Rhabdon.Core.Loss;
using Rhabdon.Core.Planning;
using Rhabdon.Core.Procedures;

namespace Rhabdon.Core.Ledger;

/// <summary>From which side the light came.</summary>
public enum Direction
{
    /// <summary>From cable side A to side B.</summary>
    AToB,
    BToA,
}

/// <summary>What a link's reading was measured into, by somebody who saw it.</summary>
public enum MeasuredInto
{
    /// <summary>The connector of this job, finished, though its own record does not say so yet.</summary>
    FinishedConnector,
    /// <summary>A connector that was there before.</summary>
    ExistingConnector,
    /// <summary>Something else; the note says what.</summary>
    Other,
}

/// <summary>One reading of the meter. The link, its limits and the meter's repeatability are the plan's and the instrument's own.</summary>
/// <param name="ReferenceAt">When the reference was set; a reading on one that is older than a shift is refused.</param>
/// <param name="ReferenceCords">What the reference cords are called, so that a worn one can be found.</param>
/// <param name="ReferenceDriftDb">What the last check of the reference had drifted; one that has drifted too far is refused.</param>
/// <param name="ReferenceCheckedAt">When the reference of this wavelength was read again and had held: its age counts from there.</param>
/// <param name="InstrumentId">The meter that read it.</param>
/// <param name="SourceOnMinutes">How long the source had been on when the reference was set; less than its warm-up is kept as a difference.</param>
/// <param name="CordLossDb">What launch cord against receive cord lost; more than the fiber mode allows is refused.</param>
/// <param name="ReferencePlaceId">The panel, or the jumper's cable, at which the reference was set or read again last; another than the end's own is kept as a difference.</param>
/// <param name="Into">What lay at the far end, where somebody said it.</param>
/// <param name="LimitSetId">Like class, length, connections, splices and repeatability, best left out: where it says otherwise than the plan, that is kept as a difference.</param>
public sealed record Measured(
    RunId RunId, ReferenceMethod Reference, int WavelengthNm, double ReferenceDbm, double ReadingDbm, string? Note = null,
    Instant? ReferenceAt = null, Direction? Direction = null, string? ReferenceCords = null, double? ReferenceDriftDb = null,
    Instant? ReferenceCheckedAt = null, MeasuredInto? Into = null, InstrumentId? InstrumentId = null,
    double? SourceOnMinutes = null, double? CordLossDb = null, PlaceId? ReferencePlaceId = null,
    string? LimitSetId = null, FiberClass? FiberClass = null, double? LengthM = null, int? Connections = null, int? Splices = null, double? RepeatabilityDb = null) : INoted;

/// <param name="WavelengthsNm">All that must be measured before it can be accepted.</param>
/// <param name="RepeatabilityDb">Of the meter; null in what was judged before it was kept.</param>
public sealed record LossJudged(LossJudgement Loss, IReadOnlyList<int> WavelengthsNm, IReadOnlyList<Difference>? Differences, double? RepeatabilityDb = null) : Judged;

/// <summary>Whether the far end was made when this was read, as far as its own record goes. Said again when that record changes.</summary>
public sealed record FarJudged(bool Made) : Judged;

internal sealed class MeasuredRule : EventRule<Measured, LossJudged>
{
    private const int LongestName = 60;

    private const double MostCordDb = 20;

    protected override IEnumerable<Refusal> Faults(Measured body)
    {
        if (body.Into is MeasuredInto.Other && string.IsNullOrWhiteSpace(body.Note))
        {
            yield return FarEndSaidRule.NoteMissing;
        }

        if (body.ReferenceCords?.Length > LongestName)
        {
            yield return new("text-too-long", "body.referenceCords", $"The cords' name holds at most {LongestName} characters.");
        }

        if (body.ReferenceDriftDb is { } drift && !(Math.Abs(drift) <= References.MostDriftDb + 1e-9))
        {
            yield return new("reference-drifted", "body.referenceDriftDb", $"The reference had drifted by more than {References.MostDriftDb} dB; set it again.");
        }

        if (body.SourceOnMinutes is < 0)
        {
            yield return Refusal.Of("source-minutes", "body.sourceOnMinutes");
        }

        if (body.CordLossDb is < 0 or > MostCordDb)
        {
            yield return Refusal.Of("cord-loss", "body.cordLossDb", ("mostDb", MostCordDb));
        }
    }

    protected override Judged Decide(Question q, Measured body)
    {
        Runs.Finished(q, body.RunId);
        if (q.Before is LossJudged before)
        {
            return before;
        }

        if (body.ReferenceAt is { } referenceAt)
        {
            References.Check(referenceAt, body.ReferenceCheckedAt, q.Event.At, "body.referenceAt");
        }

        if (body.LimitSetId is { } named)
        {
            _ = q.Rules.LossSet(named);
        }

        var plan = q.Plan;
        if (body.CordLossDb > References.MostCordDb(plan.Mode) + 1e-9)
        {
            throw new RefusedException(Refusal.Of("cord-worn", "body.cordLossDb", ("mostDb", References.MostCordDb(plan.Mode))));
        }

        var (repeatabilityDb, due) = Instrument(q, body);
        var loss = InsertionLoss.Judge(new(body.WavelengthNm, body.Reference, body.ReferenceDbm, body.ReadingDbm, repeatabilityDb), plan.Link, q.Rules.LossSet(plan.LossLimitSetId));
        return new LossJudged(loss, plan.FiberClass.TestWavelengthsNm(), Differences.Of(
            ("fiberClass", body.FiberClass is { } said ? Wire.Name(said) : null, Wire.Name(plan.FiberClass)),
            ("lengthM", Differences.Figure(body.LengthM), Differences.Figure(plan.LengthM)),
            ("connections", Differences.Figure(body.Connections), Differences.Figure(plan.Connections)),
            ("splices", Differences.Figure(body.Splices), Differences.Figure(plan.Splices)),
            ("limitSetId", body.LimitSetId, plan.LossLimitSetId),
            ("repeatabilityDb", Differences.Figure(body.RepeatabilityDb), Differences.Figure(repeatabilityDb)),
            ("sourceOnMinutes", Differences.Figure(body.SourceOnMinutes), body.SourceOnMinutes < References.WarmUpMinutes ? $"at least {References.WarmUpMinutes}" : Differences.Figure(body.SourceOnMinutes ?? 0)),
            ("referencePlaceId", body.ReferencePlaceId is null ? null : plan.PlaceId is { } here && body.ReferencePlaceId != here ? "another panel" : "this panel", "this panel"),
            ("instrumentId", "calibrated", due is { } day && SiteDates.On(q.Event.At, plan.TimeZone) > day ? $"calibration was due on {day:yyyy-MM-dd}" : "calibrated")), repeatabilityDb);
    }

    /// <summary>What the meter's own record says of it. A meter that is not named reads as meters usually do.</summary>
    private static (double RepeatabilityDb, LocalDate? DueOn) Instrument(Question q, Measured body) =>
        body.InstrumentId is not { } id || q.Plan.Instruments is not { } known ? (InsertionLoss.UsualRepeatabilityDb, null)
        : known.TryGetValue(id, out var meter) ? (meter.RepeatabilityDb ?? InsertionLoss.UsualRepeatabilityDb, meter.DueOn)
        : throw new RefusedException(Refusal.Of("instrument-unknown", "body.instrumentId"));

    protected override EndState Evolve(EndState state, LedgerEvent e, Measured body, LossJudged judged) => Runs.With(state, body.RunId, a => a with
    {
        Phase = Phase.Test,
        Losses = [.. a.Losses.Where(l => (l.Judgement.WavelengthNm, l.Reading.Direction) != (body.WavelengthNm, body.Direction)),
            new LossState(e.Id, e.At, e.ActorId, body with { RepeatabilityDb = judged.RepeatabilityDb ?? body.RepeatabilityDb }, judged.Loss) { Differences = judged.Differences ?? [] }],
        Wavelengths = judged.WavelengthsNm,
    });
}
