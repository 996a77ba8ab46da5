namespace Rhabdon.Core.Prep;

/// <summary>What a point on the prepared cable is the edge of.</summary>
public enum Layer
{
    Jacket, Aramid, Tube, Buffer, Coating, Glass,
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
public sealed record PrepPoint(string Id, string Name, Layer Layer);

/// <summary>The point <paramref name="To"/> lies <paramref name="LengthMm"/> further from the cable's end than <paramref name="From"/>.</summary>
public sealed record Span(string Id, string From, string To, double LengthMm);

/// <summary>Where the glass is cleaved, measured from a point toward the cable's end.</summary>
public sealed record Cleave(string From, double LengthMm, double ToleranceMm);

/// <summary>How the glass is bared. Thermal strippers take it in one; 250 µm coating comes off in one pass.</summary>
/// <param name="BiteMm">Length of one pull; null where it comes off at once.</param>
public sealed record Strip(string To, double? BiteMm = null);
