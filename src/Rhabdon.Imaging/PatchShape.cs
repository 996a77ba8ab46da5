using OpenCvSharp;

namespace Rhabdon.Imaging;

/// <summary>A pixel of a patch, in micrometres from the centre.</summary>
/// <param name="Index">Its place in the picture.</param>
internal readonly record struct Dot(double X, double Y, float Value, int Index);

/// <summary>A patch along its main axis, in micrometres.</summary>
internal sealed record PatchShape(double X, double Y, double Ux, double Uy, double From, double To, double Length, double Elongation)
{
    public (double X0, double Y0, double X1, double Y1) Ends => (X + (From * Ux), Y + (From * Uy), X + (To * Ux), Y + (To * Uy));

    public static PatchShape Of(List<Dot> dots, double px)
    {
        var (x, y) = (dots.Average(d => d.X), dots.Average(d => d.Y));
        var axis = Cv2.FitLine(dots.Select(d => new Point2f((float)(d.X - x), (float)(d.Y - y))), DistanceTypes.L2, 0, 0.01, 0.01);
        var (ux, uy) = (axis.Vx, axis.Vy);
        var (from, to) = (double.MaxValue, double.MinValue);
        foreach (var d in dots)
        {
            var t = ((d.X - x) * ux) + ((d.Y - y) * uy);
            (from, to) = (Math.Min(from, t), Math.Max(to, t));
        }

        var length = to - from + px;
        return new(x, y, ux, uy, from, to, length, length * length / (dots.Count * px * px));
    }

    public (double X, double Y) Middle => (X + ((From + To) / 2 * Ux), Y + ((From + To) / 2 * Uy));

    /// <summary>One thin stroke that bends: a crack. Strokes that cross lie apart from each other beside the main axis.</summary>
    public bool Jagged(List<Dot> dots, double px, StrokeThresholds limits)
    {
        var cells = Math.Clamp((int)(Length / Math.Max(1, 2 * px)), 4, 60);
        var (sum, count) = (new double[cells], new int[cells]);
        var (low, high) = (new double[cells], new double[cells]);
        Array.Fill(low, double.MaxValue);
        Array.Fill(high, double.MinValue);
        foreach (var d in dots)
        {
            var cell = Math.Clamp((int)(((((d.X - X) * Ux) + ((d.Y - Y) * Uy)) - From) / (To - From + 1e-9) * cells), 0, cells - 1);
            var aside = (-(d.X - X) * Uy) + ((d.Y - Y) * Ux);
            sum[cell] += aside;
            count[cell]++;
            (low[cell], high[cell]) = (Math.Min(low[cell], aside), Math.Max(high[cell], aside));
        }

        var used = Enumerable.Range(0, cells).Where(i => count[i] > 0).ToList();
        var bent = Math.Sqrt(used.Average(i => Math.Pow(sum[i] / count[i], 2)));
        var filled = used.Count(i => count[i] * px * px / (Length / cells) > limits.JaggedFill * (high[i] - low[i] + px));
        return bent > Math.Max(limits.JaggedBentUm, limits.JaggedBentShare * Length) && bent > limits.JaggedBentWidths * dots.Count * px * px / Length && filled > used.Count * limits.JaggedFilled && used.Count > cells * limits.JaggedUsed;
    }

    /// <summary>How far the middle of the stroke strays from a straight line, in micrometres.</summary>
    public double Bent(List<Dot> dots, double px, StrokeThresholds limits)
    {
        var cells = dots.GroupBy(d => (int)((((d.X - X) * Ux) + ((d.Y - Y) * Uy)) / Math.Max(limits.LineGapUm, limits.LineGapPx * px)));
        var strays = cells.Select(c => Math.Abs(c.Average(d => (-(d.X - X) * Uy) + ((d.Y - Y) * Ux)))).Order().ToList();
        // Where another stroke crosses the middle is drawn aside; the rest tells.
        return strays[(int)(strays.Count * limits.CrossedQuantile)] * limits.CrossedShare;
    }

    /// <summary>One straight stroke of about the same width all along.</summary>
    public bool Straight(List<Dot> dots, double px, StrokeThresholds limits)
    {
        var cells = Math.Clamp((int)(Length / Math.Max(limits.LineGapUm, limits.LineGapPx * px)), 3, 60);
        var (sum, count) = (new double[cells], new int[cells]);
        foreach (var d in dots)
        {
            var cell = Math.Clamp((int)(((((d.X - X) * Ux) + ((d.Y - Y) * Uy)) - From) / (To - From + 1e-9) * cells), 0, cells - 1);
            sum[cell] += (-(d.X - X) * Uy) + ((d.Y - Y) * Ux);
            count[cell]++;
        }

        var used = Enumerable.Range(0, cells).Where(i => count[i] > 0).ToList();
        var usual = used.Select(i => count[i]).Order().ElementAt(used.Count / 2);
        var bent = Math.Sqrt(used.Average(i => Math.Pow(sum[i] / count[i], 2)));
        return bent < Math.Max(limits.StraightBentUm, limits.StraightBentShare * Length) + (limits.StraightBentPx * px) && used.Count > cells * limits.StraightUsed && used.Max(i => count[i]) < (limits.StraightWidest * usual) + limits.StraightWidestMore;
    }
}
