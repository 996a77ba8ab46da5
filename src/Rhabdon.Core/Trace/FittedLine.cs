namespace Rhabdon.Core.Trace;

/// <summary>Weighted sums from which a straight line follows; points are added and taken out again, so that a scan pays for each once.</summary>
internal readonly record struct LineSums(double W, double X, double Y, double XX, double XY)
{
    public LineSums With(double weight, double x, double y) => new(W + weight, X + (weight * x), Y + (weight * y), XX + (weight * x * x), XY + (weight * x * y));

    public double MeanX => X / W;

    public double MeanY => Y / W;

    /// <summary>How far the points lie from the middle of their places, weighed and squared.</summary>
    public double SpreadX => XX - (X * MeanX);

    /// <summary>How places and levels go together about their middles.</summary>
    public double SpreadXY => XY - (Y * MeanX);
}

/// <summary>A line with how well it is known.</summary>
internal readonly record struct FittedLine(double Weight, double X, double Y, double Slope, double SlopeVariance)
{
    /// <param name="fiber">The slope that the fiber has elsewhere, on which a short line leans.</param>
    /// <param name="fiberVariance">How far fibers of one link differ in it; infinite where the line stands alone.</param>
    /// <param name="firstX">Where the sums' own zero lies.</param>
    public static FittedLine Of(LineSums s, double fiber, double fiberVariance, double firstX)
    {
        var spread = Math.Max(0, s.SpreadX);
        var own = spread > 0 ? s.SpreadXY / spread : 0;
        if (!double.IsFinite(fiberVariance))
        {
            return new(s.W, s.MeanX + firstX, s.MeanY, own, spread > 0 ? 1 / spread : 0);
        }

        var weight = spread + (1 / fiberVariance);
        return new(s.W, s.MeanX + firstX, s.MeanY, ((own * spread) + (fiber / fiberVariance)) / weight, 1 / weight);
    }

    public double At(double x) => Y + (Slope * (x - X));

    public double VarianceAt(double x) => (1 / Weight) + ((x - X) * (x - X) * SlopeVariance);
}
