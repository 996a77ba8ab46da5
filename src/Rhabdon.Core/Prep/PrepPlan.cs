namespace Rhabdon.Core.Prep;

/// <summary>What a point on the prepared cable is the edge of.</summary>
public enum Layer
{
    Jacket, Aramid, Tube, Buffer, Coating, Glass,
}

/// <summary>Where a figure comes from.</summary>
public enum Basis
{
    /// <summary>Shown in practice, for a connector of this kind; the maker's sheet governs.</summary>
    Shown,
    /// <summary>Common practice, ours.</summary>
    Ours,
}

/// <summary>The dimensions of a procedure as its sheet states them: distances between named points.</summary>
/// <param name="Points">Named points. The point <c>cable-end</c> is always there, at 0.</param>
/// <param name="Spans">Stated distances. More may be stated than needed; those that contradict each other are refused.</param>
/// <param name="CutBehindJacketMm">How far behind the jacket edge the cable is cut when the end is made again.</param>
/// <param name="ClampFromEndMm">Where the cable is held while working.</param>
public sealed record PrepPlan(
    IReadOnlyList<PrepPoint> Points,
    IReadOnlyList<Span> Spans,
    Cleave? Cleave = null,
    Strip? Strip = null,
    double CutBehindJacketMm = 0,
    double? ClampFromEndMm = null);

/// <param name="Id">As in <c>jacket-edge</c>.</param>
/// <param name="Mark">True for a mark that is drawn on the layer; else the layer ends there.</param>
/// <param name="When">Where it is there only for some connectors or schools: the seat of an LC, not that of an SC.</param>
public sealed record PrepPoint(string Id, string Name, Layer Layer, bool Mark = false, Procedures.When? When = null);

/// <summary>The point <paramref name="To"/> lies <paramref name="LengthMm"/> further from the cable's end than <paramref name="From"/>.</summary>
public sealed record Span(string Id, string From, string To, double LengthMm, Basis? Basis = null);

/// <summary>Where the glass is cleaved, measured from a point toward the cable's end.</summary>
public sealed record Cleave(string From, double LengthMm, double ToleranceMm, Basis? Basis = null);

/// <summary>How the glass is bared. Thermal strippers take it in one; 250 µm coating comes off in one pass.</summary>
/// <param name="BiteMm">Length of one pull; null where it comes off at once.</param>
public sealed record Strip(string To, double? BiteMm = null);
