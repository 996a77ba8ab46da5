using OpenCvSharp;
using Rhabdon.Core;
using Rhabdon.Core.Inspection;

namespace Rhabdon.Imaging;

/// <param name="Reason">Null when it can be judged.</param>
/// <param name="UmPerPx">From the fiber's 125 µm across.</param>
public sealed record CleaveReading(NotGradable? Reason, double UmPerPx, CleaveView? View);

/// <summary>A simulated cleave, seen from the side.</summary>
/// <param name="FiberPx">The fiber's width in the picture, 60 to 600.</param>
/// <param name="AxisDeg">How the fiber lies in the picture.</param>
/// <param name="Seed">For noise and hackle.</param>
public sealed record CleaveScene(
    double AngleDeg, double LipUm = 0, double ChipUm = 0, double RoughUm = 0, double FiberPx = 200, double AxisDeg = 0, double BlurPx = 1, double NoiseLevels = 3,
    double FiberLevel = 90, double GroundLevel = 180, int WidthPx = 640, int HeightPx = 480, int Seed = 1);

/// <summary>From the side view of a cleave to its angle and faults. The fiber comes in from any side.</summary>
public static class CleaveReader
{
    /// <exception cref="RefusedException">The scene is out of range.</exception>
    public static byte[] Png(CleaveScene s)
    {
        if (s is not { FiberPx: >= 60 and <= 600, WidthPx: >= 200 and <= 4000, HeightPx: >= 200 and <= 4000, LipUm: >= 0 and <= 40, ChipUm: >= 0 and <= 60, RoughUm: >= 0 and <= 20, BlurPx: >= 0 and <= 20, NoiseLevels: >= 0 and <= 60 }
            || !(Math.Abs(s.AngleDeg) <= 30 && Math.Abs(s.AxisDeg) <= 20))
        {
            throw new RefusedException("out-of-range", "scene", "The fiber is 60 to 600 pixels wide, the cleave up to 30°, its axis up to 20°, a lip up to 40, a chip up to 60 and hackle up to 20 µm.");
        }

        var random = new Random(s.Seed);
        double Normal() => Math.Sqrt(-2 * Math.Log(1 - random.NextDouble())) * Math.Cos(2 * Math.PI * random.NextDouble());
        var px = 125 / s.FiberPx;
        var (cos, sin) = (Math.Cos(s.AxisDeg * Math.PI / 180), Math.Sin(s.AxisDeg * Math.PI / 180));
        var jag = Enumerable.Range(0, 130).Select(_ => Normal() * s.RoughUm).ToArray();
        using var light = new Mat(s.HeightPx, s.WidthPx, MatType.CV_32FC1);
        var to = light.AsSpan<float>();
        for (var i = 0; i < to.Length; i++)
        {
            if (i % s.WidthPx == 0)
            {
                Effort.Spend();
            }

            var (x, y) = (((i % s.WidthPx) - (s.WidthPx * 0.6)) * px, ((i / s.WidthPx) - (s.HeightPx / 2.0)) * px);
            var (along, across) = ((x * cos) + (y * sin), (-x * sin) + (y * cos));
            var end = across * Math.Tan(s.AngleDeg * Math.PI / 180);
            end += jag[(int)Math.Clamp(across + 62.5, 0, 128)];
            // Lip at one edge, chip at the other.
            end += across > 50 ? s.LipUm * Math.Min(1, (across - 50) / 6) : 0;
            end -= across < -45 ? s.ChipUm * Math.Min(1, (-45 - across) / 10) : 0;
            var inside = Math.Clamp(((62.5 - Math.Abs(across)) / px) + 0.5, 0, 1) * Math.Clamp(((end - along) / px) + 0.5, 0, 1);
            to[i] = (float)(s.GroundLevel + ((s.FiberLevel - s.GroundLevel) * inside) + (s.NoiseLevels * Normal()));
        }

        Cv2.GaussianBlur(light, light, new Size(0, 0), Math.Max(0.1, s.BlurPx));
        using var picture = new Mat();
        light.ConvertTo(picture, MatType.CV_8UC1);
        return picture.ImEncode(".png");
    }

    /// <param name="grey">The picture, 0 to 255 as floats.</param>
    public static CleaveReading Read(Mat grey)
    {
        var best = FromLeft(grey);
        foreach (var turn in new[] { RotateFlags.Rotate180, RotateFlags.Rotate90Clockwise, RotateFlags.Rotate90Counterclockwise })
        {
            if (best.View is not null)
            {
                break;
            }

            using var turned = new Mat();
            Cv2.Rotate(grey, turned, turn);
            var next = FromLeft(turned);
            best = next.View is not null || best.Reason == NotGradable.NoFiber ? next : best;
        }

        return best;
    }

    private static CleaveReading FromLeft(Mat grey)
    {
        using var soft = new Mat();
        var shrink = Math.Min(1, 1000.0 / Math.Max(grey.Width, grey.Height));
        Cv2.Resize(grey, soft, new Size(0, 0), shrink, shrink, InterpolationFlags.Area);
        Cv2.GaussianBlur(soft, soft, new Size(0, 0), 1);
        var (w, h) = (soft.Width, soft.Height);
        if (w < 48 || h < 48)
        {
            return new(NotGradable.NoFiber, 0, null); // a strip, in which no fiber has room
        }

        using var bytes = new Mat();
        soft.ConvertTo(bytes, MatType.CV_8UC1);
        using var mask = new Mat();
        var threshold = Cv2.Threshold(bytes, mask, 0, 255, ThresholdTypes.Otsu);
        var v = soft.AsSpan<float>().ToArray();
        // The fiber comes from the left and does not reach the right: what the middle of the left rim is, and the right is not.
        float Column(int x) => v.Where((_, i) => i % w == x && i / w > h * 0.05 && i / w < h * 0.95).Order().ElementAt((int)(h * 0.45));
        var ground = Column(w - 4);
        var sign = Enumerable.Range(0, h).Select(y => v[(y * w) + 4] - ground).MaxBy(Math.Abs) > 0 ? 1 : -1;
        if (Math.Abs(threshold - ground) < 6)
        {
            return new(NotGradable.NoFiber, 0, null);
        }

        bool Fiber(int x, int y) => sign * (v[(y * w) + x] - threshold) > 0;
        var (top, bottom) = (new List<Point2d>(), new List<Point2d>());
        for (var x = 4; x < w * 0.35; x += 2)
        {
            var rows = Enumerable.Range(1, h - 2).Where(y => Fiber(x, y)).ToList();
            if (rows.Count > h * 0.08 && rows[^1] - rows[0] < rows.Count * 1.15 && rows[0] > 2 && rows[^1] < h - 3)
            {
                top.Add(new(x, Crossing(v, (rows[0] * w) + x, -w, threshold, rows[0])));
                bottom.Add(new(x, Crossing(v, (rows[^1] * w) + x, w, threshold, rows[^1])));
            }
        }

        if (top.Count < w * 0.1)
        {
            return new(NotGradable.NoFiber, 0, null);
        }

        var (upper, lower) = (Line(top, false), Line(bottom, false));
        var slope = (upper.Slope + lower.Slope) / 2;
        var axis = Math.Atan(slope);
        var width = Math.Abs(lower.At(w * 0.2) - upper.At(w * 0.2)) * Math.Cos(axis);
        var um = 125 / width;
        if (Math.Abs(upper.Slope - lower.Slope) > 0.04 || width < 40)
        {
            return new(NotGradable.NoFiber, 0, null);
        }

        // The end along lines parallel to the axis.
        var image = new FiberLocator.Grey(soft);
        var ends = new List<Point2d>();
        var (cos, sin) = (Math.Cos(axis), Math.Sin(axis));
        var (mx, my) = (w * 0.2, (upper.At(w * 0.2) + lower.At(w * 0.2)) / 2);
        for (var across = -0.485 * width; across <= 0.485 * width; across += 1)
        {
            var (last, found) = (0.0, false);
            for (var t = 0.0; t < w; t += 0.5)
            {
                if (!image.TryAt(mx + (t * cos) - (across * sin), my + (t * sin) + (across * cos), out var level))
                {
                    break;
                }

                if (sign * (level - threshold) <= 0)
                {
                    found = t > 5;
                    break;
                }

                last = t;
            }

            if (found)
            {
                ends.Add(new(across * um, last * um));
            }
        }

        if (ends.Count < width * 0.8)
        {
            return new(NotGradable.OutsideFrame, um * shrink, null);
        }

        var line = Line([.. ends.Where(e => Math.Abs(e.X) < 42)], true);
        double Off(Point2d e) => e.Y - line.At(e.X);
        var rough = Math.Sqrt(ends.Where(e => Math.Abs(e.X) < 42).Average(e => Off(e) * Off(e)));
        var edges = ends.Where(e => Math.Abs(e.X) is > 48 and < 60.5).Select(Off).Order().ToList();
        return new(null, um * shrink, new(Math.Atan(line.Slope) * 180 / Math.PI, Math.Max(0, edges[(int)(edges.Count * 0.9)] - (0.5 * um)), Math.Max(0, -edges[(int)(edges.Count * 0.1)] - (0.5 * um)), rough));
    }

    private static double Crossing(float[] v, int at, int by, double threshold, int row)
    {
        var next = at + by;
        var share = v[next] == v[at] ? 0.5 : Math.Clamp((threshold - v[at]) / (v[next] - v[at]), 0, 1);
        return row + (Math.Sign(by) * share);
    }

    private readonly record struct Straight(double Slope, double Offset)
    {
        public double At(double x) => Offset + (Slope * x);
    }

    /// <summary>Least squares; again without what strays.</summary>
    private static Straight Line(List<Point2d> points, bool robust)
    {
        var kept = points;
        Straight line = default;
        for (var pass = 0; pass < (robust ? 4 : 2); pass++)
        {
            var (mx, my) = (kept.Average(p => p.X), kept.Average(p => p.Y));
            var slope = kept.Sum(p => (p.X - mx) * (p.Y - my)) / Math.Max(1e-9, kept.Sum(p => (p.X - mx) * (p.X - mx)));
            line = new(slope, my - (slope * mx));
            var strays = points.Select(p => Math.Abs(p.Y - line.At(p.X))).Order().ElementAt(points.Count / 2);
            kept = [.. points.Where(p => Math.Abs(p.Y - line.At(p.X)) <= Math.Max(0.5, 3 * strays))];
        }

        return line;
    }
}
