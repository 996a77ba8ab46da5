namespace Rhabdon.Imaging;

/// <summary>A straight scratch in micrometres.</summary>
internal sealed record ScratchLine(double X0, double Y0, double X1, double Y1, double Width)
{
    public double Length => double.Hypot(X1 - X0, Y1 - Y0);

    /// <summary>How far a dot lies from it.</summary>
    public double Away(Dot d) => Math.Abs((-(d.X - X0) * (Y1 - Y0)) + ((d.Y - Y0) * (X1 - X0))) / Math.Max(1e-6, Length);

    /// <summary>True for a dot beside it, not beyond its ends.</summary>
    public bool Spans(Dot d) => (((d.X - X0) * (X1 - X0)) + ((d.Y - Y0) * (Y1 - Y0))) / Math.Max(1e-6, Length) is var t && t > -1.5 && t < Length + 1.5;

    /// <summary>The two as one; null where they are two.</summary>
    public static ScratchLine? Join(ScratchLine a, ScratchLine b, FindingThresholds limits)
    {
        var (ux, uy) = ((a.X1 - a.X0) / a.Length, (a.Y1 - a.Y0) / a.Length);
        var cross = Math.Abs((ux * (b.Y1 - b.Y0)) - (uy * (b.X1 - b.X0))) / b.Length;
        if (cross > Math.Sin(limits.SameLineDeg * Math.PI / 180) + (0.8 / b.Length))
        {
            return null;
        }

        double Aside(double x, double y) => Math.Abs((-(x - a.X0) * uy) + ((y - a.Y0) * ux));
        double Along(double x, double y) => ((x - a.X0) * ux) + ((y - a.Y0) * uy);
        var near = Math.Max(1.2, (a.Width + b.Width) / 2.5);
        if (Aside((b.X0 + b.X1) / 2, (b.Y0 + b.Y1) / 2) > near + (0.03 * a.Length) || Math.Min(Aside(b.X0, b.Y0), Aside(b.X1, b.Y1)) > near)
        {
            return null;
        }

        var (from, to) = (Math.Min(Along(b.X0, b.Y0), Along(b.X1, b.Y1)), Math.Max(Along(b.X0, b.Y0), Along(b.X1, b.Y1)));
        var gap = Math.Max(from - a.Length, -to);
        if (gap > limits.SameLineGapUm)
        {
            return null;
        }

        var points = new[] { (a.X0, a.Y0), (a.X1, a.Y1), (b.X0, b.Y0), (b.X1, b.Y1) };
        var (first, last) = (points.MinBy(p => Along(p.Item1, p.Item2)), points.MaxBy(p => Along(p.Item1, p.Item2)));
        return new(first.Item1, first.Item2, last.Item1, last.Item2, ((a.Width * a.Length) + (b.Width * b.Length)) / (a.Length + b.Length));
    }
}
