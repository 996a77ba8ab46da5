using Rhabdon.Core.Connectors;

namespace Rhabdon.Core.Inspection;

/// <summary>A finding with its place on the end face. A scratch is a line with a width, anything else a spot with a diameter.
/// Places are micrometres from the fiber's centre, x to the right and y down, as in the picture.</summary>
/// <param name="XUm">Centre of a spot.</param>
/// <param name="DiameterUm">Above 0, at most 250.</param>
/// <param name="X0Um">One end of a scratch.</param>
/// <param name="WidthUm">Above 0, at most 250.</param>
public sealed record SeenFinding(
    FindingKind Kind, double? XUm = null, double? YUm = null, double? DiameterUm = null,
    double? X0Um = null, double? Y0Um = null, double? X1Um = null, double? Y1Um = null, double? WidthUm = null)
{
    public static SeenFinding Spot(FindingKind kind, double xUm, double yUm, double diameterUm) => new(kind, xUm, yUm, diameterUm);

    public static SeenFinding Scratch(double x0Um, double y0Um, double x1Um, double y1Um, double widthUm) =>
        new(FindingKind.Scratch, X0Um: x0Um, Y0Um: y0Um, X1Um: x1Um, Y1Um: y1Um, WidthUm: widthUm);

    /// <summary>Width of a scratch, diameter of anything else.</summary>
    public double SizeUm => (Kind == FindingKind.Scratch ? WidthUm : DiameterUm) ?? 0;

    /// <summary>Least and greatest distance of the finding from the fiber's centre.</summary>
    public (double NearUm, double FarUm) Reach()
    {
        if (Kind != FindingKind.Scratch)
        {
            var r = double.Hypot(XUm ?? 0, YUm ?? 0);
            return (Math.Max(0, r - (SizeUm / 2)), r + (SizeUm / 2));
        }

        var (x0, y0, x1, y1) = (X0Um ?? 0, Y0Um ?? 0, X1Um ?? 0, Y1Um ?? 0);
        var (dx, dy) = (x1 - x0, y1 - y0);
        var squared = (dx * dx) + (dy * dy);
        var t = squared == 0 ? 0 : Math.Clamp(-((x0 * dx) + (y0 * dy)) / squared, 0, 1);
        var near = double.Hypot(x0 + (t * dx), y0 + (t * dy));
        return (Math.Max(0, near - (SizeUm / 2)), Math.Max(double.Hypot(x0, y0), double.Hypot(x1, y1)) + (SizeUm / 2));
    }

    /// <summary>What is missing or out of range, under the field of its list.</summary>
    public IEnumerable<Refusal> Faults(string field)
    {
        double?[] needed = Kind == FindingKind.Scratch ? [X0Um, Y0Um, X1Um, Y1Um, WidthUm] : [XUm, YUm, DiameterUm];
        string[] names = Kind == FindingKind.Scratch ? ["x0Um", "y0Um", "x1Um", "y1Um", "widthUm"] : ["xUm", "yUm", "diameterUm"];
        for (var i = 0; i < needed.Length; i++)
        {
            if (needed[i] is not { } v)
            {
                yield return new("missing", $"{field}.{names[i]}", $"A {Wire.Name(Kind)} needs {names[i]}.");
            }
            else if (i < needed.Length - 1 ? !(Math.Abs(v) <= 500) : !(v is > 0 and <= 250))
            {
                yield return new("out-of-range", $"{field}.{names[i]}", i < needed.Length - 1
                    ? "A place lies within 500 µm of the centre."
                    : "A finding's size is above 0 and at most 250 µm.");
            }
        }
    }
}

/// <summary>Findings with places, graded: a scratch counts in every zone that it crosses, a spot in the innermost zone that it reaches.</summary>
public static class SeenEndFaces
{
    /// <summary>The zones in which a finding counts, innermost first; none when it lies outside the contact zone.</summary>
    public static IEnumerable<Zone> ZonesOf(SeenFinding finding, EndFaceTable table)
    {
        var (near, far) = finding.Reach();
        var crossed = table.Zones.Where(z => near < z.OuterUm / 2 && far > z.InnerUm / 2).OrderBy(z => z.InnerUm).Select(z => z.Zone);
        return finding.Kind == FindingKind.Scratch ? crossed : crossed.Take(1);
    }

    /// <summary>Grades what was seen. The breaches' <see cref="EndFaceBreach.Findings"/> are places in <paramref name="seen"/>.</summary>
    /// <exception cref="RefusedException">A finding lacks a value or is out of range, or the set has no table for the class.</exception>
    public static EndFaceVerdict Grade(IReadOnlyList<SeenFinding> seen, EndFaceClass endFaceClass, EndFaceLimitSet limits, TerminationMethod? method = null, string field = "findings")
    {
        var faults = seen.SelectMany((f, i) => f.Faults($"{field}[{i}]")).ToList();
        if (faults.Count > 0)
        {
            throw new RefusedException(faults);
        }

        var table = limits.Table(endFaceClass);
        var counted = seen.SelectMany((f, i) => ZonesOf(f, table).Select(z => (Index: i, Finding: new Finding(z, f.Kind, f.SizeUm)))).ToList();
        var verdict = EndFaces.Grade([.. counted.Select(c => c.Finding)], endFaceClass, limits, method);
        return verdict with { DecidedBy = [.. verdict.DecidedBy.Select(b => b with { Findings = [.. b.Findings.Select(i => counted[i].Index)] })] };
    }
}
