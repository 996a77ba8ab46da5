using Rhabdon.Core.Diagnosis;
using Rhabdon.Core.Inspection;
using Rhabdon.Core.Ledger;
using Rhabdon.Core.Loss;
using Rhabdon.Core.Procedures;

namespace Rhabdon.Core.Rework;

/// <summary>Why something is advised.</summary>
public enum Because
{
    /// <summary>Dirt is the first suspect of any failed look or reading.</summary>
    DirtFirst,
    /// <summary>It was cleaned, and is no better.</summary>
    CleanedInVain,
    /// <summary>What is seen can be polished off.</summary>
    PolishesOff,
    /// <summary>The core is chipped or cracked: polishing more is pointless.</summary>
    CoreDamaged,
    /// <summary>The longer wavelength loses well more than the shorter: a bend or a pinch, not the connector.</summary>
    BendFirst,
    /// <summary>The meter cannot tell the reading from its limit.</summary>
    MeterCannotTell,
    Damaged,
    /// <summary>Two devices worked it at once: which of them counts is the lead's to say.</summary>
    LeadSettles,
    /// <summary>By all that is known of it, this costs least until it is accepted.</summary>
    CostsLeast,
}

/// <summary>What is advised for an end that waits.</summary>
/// <param name="Kind">Null where nothing is to be done to the connector: it is to be settled, or looked for elsewhere.</param>
/// <param name="StepId">Where the run goes on, as of the choice.</param>
/// <param name="Reason">What the record would say of it, to be said otherwise where it was otherwise.</param>
/// <param name="Next">The act, with what it is to cost; null where it follows from a rule and not from what was seen.</param>
public sealed record Advice(ReworkKind? Kind, string? StepId, Because Because, ReworkReason? Reason, NextAct? Next = null);

/// <summary>
/// Advises the cheapest thing that may cure: nothing that uses up slack before dirt, and no blade before a bend is ruled out. The procedure's
/// films say what can be polished off.
/// </summary>
public static class Advices
{
    /// <param name="choices">What can be done, the cheapest first.</param>
    /// <param name="found">What may ail it: where that is known, what is advised follows from it. Null falls back on the order of the trade.</param>
    /// <returns>Null for an end that waits for nobody, or about which nothing can be done.</returns>
    public static Advice? Of(EndState state, Waiting? why, RunTable? table, IReadOnlyList<ReworkChoice> choices, DiagnosisFound? found = null)
    {
        if (why is null || state.Current is not { } run)
        {
            return null;
        }

        if (why.For == WaitingFor.Conflict)
        {
            return new(null, null, Because.LeadSettles, null);
        }

        if (choices.Count == 0)
        {
            return null;
        }

        if (why.For != WaitingFor.Damage && found is { Next: { } next })
        {
            return From(next, found.Causes[0].Reason, run, table, choices);
        }

        var cleaned = run.Loops.Any(l => l.To == Phase.Look);
        var clean = new Advice(ReworkKind.Clean, null, Because.DirtFirst, ReworkReason.Contamination);
        return why.For switch
        {
            WaitingFor.Damage => new(ReworkKind.CutOff, null, Because.Damaged, ReworkReason.DamagedAfterAcceptance),
            WaitingFor.Face => Face(run.Inspection!.Verdict.Advice, cleaned, clean, table, choices),
            _ when Bend.Seen(run.Losses.Select(l => (l.Judgement.WavelengthNm, l.Judgement.LossDb))) => new(null, null, Because.BendFirst, null),
            WaitingFor.MarginalLoss when cleaned => new(null, null, Because.MeterCannotTell, null),
            _ when !cleaned => clean,
            _ => Cheapest(choices, Because.CleanedInVain, ReworkReason.NotSeatedOrGap),
        };
    }

    /// <summary>What the diagnosis advises, as one of the things that can be done here.</summary>
    private static Advice From(NextAct next, ReworkReason likeliest, AttemptState run, RunTable? table, IReadOnlyList<ReworkChoice> choices)
    {
        var reason = next.Cause ?? likeliest;
        var said = run.Inspection?.Verdict.Advice ?? EndFaceAdvice.None;
        var how = next.Act switch
        {
            "clean" => new(ReworkKind.Clean, null, Because.CostsLeast, reason),
            "more-polish" => (said == EndFaceAdvice.BackOneFilm ? Film(table, choices, 2) : null) ?? Film(table, choices, 1) ?? Cheapest(choices, Because.CostsLeast, reason),
            "reseat" => Cheapest(choices, Because.CostsLeast, reason),
            "re-cleave" or "replace" or "splice-on" or "re-pull" => new(ReworkKind.CutOff, null, Because.CostsLeast, reason),
            _ => new Advice(null, null, Because.CostsLeast, reason),
        };
        return how with { Because = Because.CostsLeast, Reason = reason, Next = next };
    }

    private static Advice Face(EndFaceAdvice said, bool cleaned, Advice clean, RunTable? table, IReadOnlyList<ReworkChoice> choices) => said switch
    {
        EndFaceAdvice.CutOff or EndFaceAdvice.Replace => new(ReworkKind.CutOff, null, Because.CoreDamaged, ReworkReason.CoreChippedOrCracked),
        EndFaceAdvice.MoreOnLastFilm => Film(table, choices, 1) ?? Cheapest(choices, Because.PolishesOff, ReworkReason.Scratched),
        EndFaceAdvice.BackOneFilm => Film(table, choices, 2) ?? Film(table, choices, 1) ?? Cheapest(choices, Because.PolishesOff, ReworkReason.Scratched),
        _ => cleaned ? Cheapest(choices, Because.CleanedInVain, ReworkReason.Contamination) : clean,
    };

    /// <summary>Back to a film, counted from the last one.</summary>
    private static Advice? Film(RunTable? table, IReadOnlyList<ReworkChoice> choices, int fromLast) =>
        table?.States.Where(s => s.Count?.Film is not null && choices.Any(c => c.Kind == ReworkKind.Back && c.StepId == s.Id)).Reverse().ElementAtOrDefault(fromLast - 1) is { } film
            ? new(ReworkKind.Back, film.Id, Because.PolishesOff, ReworkReason.Scratched) : null;

    private static Advice Cheapest(IReadOnlyList<ReworkChoice> choices, Because because, ReworkReason reason) =>
        choices.Where(c => c is { Kind: ReworkKind.Back, OnLadder: true }).MinBy(c => c.Minutes) is { } back ? new(ReworkKind.Back, back.StepId, because, reason) : new(ReworkKind.CutOff, null, because, reason);
}
