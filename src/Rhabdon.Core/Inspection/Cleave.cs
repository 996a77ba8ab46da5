using Rhabdon.Core.Connectors;

namespace Rhabdon.Core.Inspection;

/// <summary>A cleave seen from the side. Sizes in micrometres, angles in degrees.</summary>
/// <param name="AngleDeg">Of the end against a square cut; 0 is square.</param>
/// <param name="LipUm">How far an edge stands out beyond the end; 0 without a lip.</param>
/// <param name="ChipUm">How deep a piece is missing at an edge; 0 without a chip.</param>
/// <param name="RoughUm">Root mean square of the end about its straight line: hackle.</param>
public sealed record CleaveView(double AngleDeg, double LipUm, double ChipUm, double RoughUm);

/// <param name="NominalDeg">0 for a square cleave.</param>
/// <param name="Source">Where the figures come from.</param>
public sealed record CleaveRule(double NominalDeg, double ToleranceDeg, double MostLipUm, double MostChipUm, double MostRoughUm, string Source);

public enum CleaveFault
{
    Angle, Lip, Chip, Hackle,
}

/// <param name="Doubtful">A light lip at the edge: look at it, and rather cleave again.</param>
public sealed record CleaveVerdict(bool Pass, bool Doubtful, IReadOnlyList<CleaveFault> Faults, CleaveRule Rule);

/// <summary>Judges cleaves. A bad one is stripped and cleaved again.</summary>
public static class Cleaves
{
    /// <summary>
    /// Fusion under 2° (common practice). An angled connector is cleaved at an angle only where it is wedge-locked: cam-locked and hardened ones have an angled
    /// factory end, and the field cleave stays flat (common practice). Mechanical and the angled cleave are ours: 3° square, 8° ± 1.5°; the procedure's sheet governs.
    /// </summary>
    public static CleaveRule RuleFor(TerminationMethod method, Polish polish) => (method, polish) switch
    {
        (TerminationMethod.SpliceOn or TerminationMethod.PigtailSplice, _) => new(0, 2, 3, 4, 1.2, "common practice"),
        (TerminationMethod.WedgeLocked, Polish.APC) => new(8, 1.5, 4, 5, 1.5, "ours: edit to your sheet"),
        _ => new(0, 3, 4, 5, 1.5, "ours: edit to your sheet"),
    };

    public static CleaveVerdict Judge(CleaveView view, CleaveRule rule)
    {
        var faults = new List<CleaveFault>();
        void Check(bool bad, CleaveFault fault)
        {
            if (bad)
            {
                faults.Add(fault);
            }
        }

        // A square cleave is under its limit; an angled one lies within its tolerance of the nominal.
        Check(rule.NominalDeg == 0 ? Math.Abs(view.AngleDeg) >= rule.ToleranceDeg : Math.Abs(Math.Abs(view.AngleDeg) - rule.NominalDeg) > rule.ToleranceDeg, CleaveFault.Angle);
        Check(view.LipUm > rule.MostLipUm, CleaveFault.Lip);
        Check(view.ChipUm > rule.MostChipUm, CleaveFault.Chip);
        Check(view.RoughUm > rule.MostRoughUm, CleaveFault.Hackle);
        return new(faults.Count == 0, faults.Count == 0 && view.LipUm > rule.MostLipUm / 2, faults, rule);
    }
}
