using Rhabdon.Core.Inspection;
using Rhabdon.Core.Ledger;
using Rhabdon.Core.Loss;

namespace Rhabdon.Core.Rework;

public enum WaitingFor
{
    /// <summary>Two runs, or two devices in one: the lead settles it.</summary>
    Conflict,
    /// <summary>It was damaged, and has to be made again.</summary>
    Damage,
    /// <summary>The end face broke its limit.</summary>
    Face,
    /// <summary>A reading broke its limit.</summary>
    Loss,
    /// <summary>A reading lies over its limit, within what the meter can tell.</summary>
    MarginalLoss,
    /// <summary>A trace broke its limit.</summary>
    Trace,
}

/// <summary>Why an end waits for somebody's decision: what was found, since when, and by whom.</summary>
/// <param name="By">Who found it.</param>
/// <param name="ValueDb">The loss that broke the limit.</param>
/// <param name="Finding">The finding that broke it, where a face did.</param>
public sealed record Waiting(WaitingFor For, Instant Since, PersonId By, int? WavelengthNm = null, double? ValueDb = null, double? LimitDb = null, Finding? Finding = null)
{
    /// <returns>Null for an end that waits for nobody.</returns>
    public static Waiting? Of(EndState state)
    {
        if (state.Conflict)
        {
            // The later of two runs made it one; else what another device said of the one.
            return state.Attempts.Where(a => a.Open).ToList() is [_, .., { } second] ? new(WaitingFor.Conflict, second.StartedAt, second.StartedBy)
                : state.Attempts.Where(a => a.Open).SelectMany(a => a.Strays).FirstOrDefault() is { } stray ? new(WaitingFor.Conflict, stray.At, stray.By)
                : null;
        }

        if (state.Status != EndStatus.NeedsDecision || state.Current is not { } run)
        {
            return null;
        }

        if (run.Damages.FirstOrDefault(d => !d.Usable) is { } damage)
        {
            return new(WaitingFor.Damage, damage.At, damage.By);
        }

        if (run.Inspection is { Verdict.Pass: false } look)
        {
            return new(WaitingFor.Face, look.At, look.By, Finding: look.Findings.MaxBy(f => f.SizeUm));
        }

        if (Worst(run, LossVerdict.Fail) is { } fail)
        {
            return Reading(WaitingFor.Loss, fail);
        }

        if (run.Traces.FirstOrDefault(t => !t.Verdict.Pass) is { } trace)
        {
            return new(WaitingFor.Trace, trace.At, trace.By, trace.Reading.WavelengthNm);
        }

        return Worst(run, LossVerdict.MarginalOver) is { } marginal ? Reading(WaitingFor.MarginalLoss, marginal) : null;
    }

    private static LossState? Worst(AttemptState run, LossVerdict verdict) => run.Losses.Where(l => l.Judgement.Verdict == verdict).MinBy(l => l.Judgement.MarginDb);

    private static Waiting Reading(WaitingFor what, LossState l) => new(what, l.At, l.By, l.Judgement.WavelengthNm, l.Judgement.LossDb, l.Judgement.Limit.LimitDb);
}
