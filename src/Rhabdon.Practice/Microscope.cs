using OpenCvSharp;
using Rhabdon.Core;
using Rhabdon.Core.Fiber;
using Rhabdon.Core.Inspection;
using Rhabdon.Imaging;

namespace Rhabdon.Practice;

/// <summary>How the simulated microscope sees. Grey levels are 0 to 255.</summary>
/// <param name="CladdingPx">The cladding's diameter in the picture, 60 to 2,000.</param>
/// <param name="CentreXPx">The fiber's centre; left out, the picture's.</param>
/// <param name="BlurPx">Standard deviation of the blur.</param>
/// <param name="NoiseLevels">Standard deviation of the noise.</param>
/// <param name="UnevenShare">How much the light falls off from one side to the other, as a share of the mean.</param>
/// <param name="ShadowShare">Depth of the soft shadow on one side that an angled face throws, as a share.</param>
/// <param name="LightAngleDeg">Where the uneven light and the shadow come from.</param>
/// <param name="CoreLevel">Brightness of the core.</param>
/// <param name="RingLevel">Brightness of the adhesive ring.</param>
/// <param name="RingUm">How wide the adhesive ring is, outside the cladding.</param>
/// <param name="GrainLevels">How rough the ferrule looks.</param>
public sealed record Optics(
    int WidthPx = 1280, int HeightPx = 960, double CladdingPx = 400, double? CentreXPx = null, double? CentreYPx = null,
    double BlurPx = 0.8, double NoiseLevels = 2, double Gain = 1, double UnevenShare = 0, double ShadowShare = 0, double LightAngleDeg = 30,
    double CladdingLevel = 120, double CoreLevel = 170, double FerruleLevel = 165, double RingLevel = 50, double RingUm = 1.5, double GrainLevels = 3,
    double CoreUm = 9, int Seed = 1);

/// <summary>Something on the simulated face, with how strongly it shows.</summary>
/// <param name="Contrast">Share of the light that it takes, 0 to 1; negative where it shines.</param>
public sealed record FaceMark(SeenFinding Finding, double Contrast = 0.6);

/// <summary>A microscope made of arithmetic: from findings and optics to the picture of an end face. What it draws is the truth.</summary>
public static class Microscope
{
    /// <summary>The usual core for a class, in micrometres: mode field for single-mode.</summary>
    public static double CoreUm(FiberClass fiberClass) => fiberClass switch
    {
        FiberClass.OM1 => 62.5,
        FiberClass.OS1a or FiberClass.OS2 => 9,
        _ => 50,
    };

    private const int SpendEachPx = 64;

    /// <summary>The picture as a grey PNG.</summary>
    public static byte[] Png(IReadOnlyList<FaceMark> marks, Optics optics)
    {
        using var picture = Picture(marks, optics);
        return picture.ImEncode(".png");
    }

    /// <summary>The picture, 8 bit grey.</summary>
    /// <exception cref="RefusedException">A finding or the optics are out of range.</exception>
    public static Mat Picture(IReadOnlyList<FaceMark> marks, Optics o)
    {
        if (o is not { WidthPx: >= 64 and <= 8000, HeightPx: >= 64 and <= 8000, CladdingPx: >= 60 and <= 2000, BlurPx: >= 0 and <= 50, NoiseLevels: >= 0 and <= 100 }
            || (long)o.WidthPx * o.HeightPx > Pictures.MostPixels)
        {
            throw new RefusedException("out-of-range", "optics", "The picture has 64 to 8,000 pixels on a side and at most 20 megapixels, the cladding 60 to 2,000, blur 0 to 50 and noise 0 to 100.");
        }

        var faults = marks.SelectMany((m, i) => m.Finding.Faults($"findings[{i}]")).ToList();
        if (faults.Count > 0)
        {
            throw new RefusedException(faults);
        }

        var random = new Random(o.Seed);
        var umPerPx = EndFaces.CladdingUm / o.CladdingPx;
        var (cx, cy) = (o.CentreXPx ?? (o.WidthPx / 2.0), o.CentreYPx ?? (o.HeightPx / 2.0));
        var shapes = marks.Select(m => new Shape(m, random, umPerPx)).ToList();
        using var grain = Grain(o, random);
        using var light = new Mat(o.HeightPx, o.WidthPx, MatType.CV_32FC1);
        var (ux, uy) = (Math.Cos(o.LightAngleDeg * Math.PI / 180), Math.Sin(o.LightAngleDeg * Math.PI / 180));
        var to = light.AsSpan<float>();
        var rough = grain.AsSpan<float>();
        for (var y = 0; y < o.HeightPx; y++)
        {
            for (var x = 0; x < o.WidthPx; x++)
            {
                if (x % SpendEachPx == 0)
                {
                    Effort.Spend(SpendEachPx * (shapes.Count + 1));
                }

                var (xUm, yUm) = ((x - cx) * umPerPx, (y - cy) * umPerPx);
                var r = Math.Sqrt((xUm * xUm) + (yUm * yUm));
                var index = (y * o.WidthPx) + x;
                var level = Clean(o, r, umPerPx, rough[index]);
                foreach (var s in shapes)
                {
                    level *= s.Through(xUm, yUm);
                }

                var across = ((xUm * ux) + (yUm * uy)) / EndFaces.CladdingUm;
                var lit = 1 + (o.UnevenShare * Math.Clamp(across, -1.5, 1.5)) - (o.ShadowShare / (1 + Math.Exp((across + 0.35) * 9)));
                to[index] = (float)(level * o.Gain * lit);
            }
        }

        if (o.BlurPx > 0)
        {
            Cv2.GaussianBlur(light, light, new Size(0, 0), o.BlurPx);
        }

        if (o.NoiseLevels > 0)
        {
            foreach (ref var v in to)
            {
                v += (float)(o.NoiseLevels * Normal(random));
            }
        }

        var picture = new Mat();
        light.ConvertTo(picture, MatType.CV_8UC1);
        return picture;
    }

    /// <summary>The face with nothing on it.</summary>
    private static double Clean(Optics o, double r, double umPerPx, double rough)
    {
        double Inside(double radius) => Math.Clamp(((radius - r) / umPerPx) + 0.5, 0, 1);
        var ferrule = o.FerruleLevel + rough;
        var ring = Mix(ferrule, o.RingLevel, Inside((EndFaces.CladdingUm / 2) + o.RingUm));
        var cladding = Mix(ring, o.CladdingLevel, Inside(EndFaces.CladdingUm / 2));
        // A single-mode core is a soft spot, a graded-index core is brightest in its middle.
        return o.CoreUm < 20
            ? Mix(cladding, o.CoreLevel, Math.Exp(-2 * Math.Pow(2 * r / o.CoreUm, 4)))
            : Mix(cladding, o.CoreLevel - (0.25 * (o.CoreLevel - o.CladdingLevel) * Math.Pow(2 * r / o.CoreUm, 2)), Inside(o.CoreUm / 2));
    }

    private static double Mix(double a, double b, double share) => a + ((b - a) * share);

    /// <summary>Grain of the ferrule: noise with the size of a crystal or two.</summary>
    private static Mat Grain(Optics o, Random random)
    {
        var grain = new Mat(o.HeightPx, o.WidthPx, MatType.CV_32FC1);
        foreach (ref var v in grain.AsSpan<float>())
        {
            v = (float)Normal(random);
        }

        Cv2.GaussianBlur(grain, grain, new Size(0, 0), 1.2);
        grain *= o.GrainLevels * 4.2;
        return grain;
    }

    private static double Normal(Random random) => Math.Sqrt(-2 * Math.Log(1 - random.NextDouble())) * Math.Cos(2 * Math.PI * random.NextDouble());

    private sealed class Shape
    {
        private readonly FaceMark _mark;
        private readonly double _reach, _x, _y, _umPerPx;
        private readonly double[] _lobes = new double[6];
        private readonly (double X, double Y)[] _path = [];

        public Shape(FaceMark mark, Random random, double umPerPx)
        {
            (_mark, _umPerPx) = (mark, umPerPx);
            var f = mark.Finding;
            if (f.Kind == FindingKind.Scratch)
            {
                _path = [(f.X0Um!.Value, f.Y0Um!.Value), (f.X1Um!.Value, f.Y1Um!.Value)];
                (_x, _y) = ((_path[0].X + _path[1].X) / 2, (_path[0].Y + _path[1].Y) / 2);
                _reach = (double.Hypot(_path[0].X - _path[1].X, _path[0].Y - _path[1].Y) / 2) + f.SizeUm + 2;
                return;
            }

            (_x, _y, _reach) = (f.XUm!.Value, f.YUm!.Value, (f.SizeUm * 0.75) + 2);
            // A pit is round; dirt and chips are not quite.
            var uneven = f.Kind switch { FindingKind.Pit => 0, FindingKind.Residue => 0.10, _ => 0.05 };
            for (var i = 0; i < _lobes.Length; i++)
            {
                _lobes[i] = uneven * ((random.NextDouble() * 2) - 1);
            }

            if (f.Kind == FindingKind.Crack)
            {
                // Five jags across its extent.
                var turn = random.NextDouble() * Math.PI;
                _path = [.. Enumerable.Range(0, 6).Select(i =>
                {
                    var (along, aside) = (((i / 5.0) - 0.5) * f.SizeUm * 0.97, i is 0 or 5 ? 0 : (i % 2 == 0 ? 1 : -1) * (0.06 + (0.08 * random.NextDouble())) * f.SizeUm);
                    return (_x + (along * Math.Cos(turn)) - (aside * Math.Sin(turn)), _y + (along * Math.Sin(turn)) + (aside * Math.Cos(turn)));
                })];
            }
        }

        /// <summary>Share of the light that comes through here.</summary>
        public double Through(double xUm, double yUm)
        {
            var (dx, dy) = (xUm - _x, yUm - _y);
            if ((dx * dx) + (dy * dy) > _reach * _reach)
            {
                return 1;
            }

            var f = _mark.Finding;
            if (_path.Length > 0)
            {
                var half = f.Kind == FindingKind.Scratch ? f.SizeUm / 2 : Math.Max(0.5, f.SizeUm * 0.03);
                var away = double.MaxValue;
                for (var i = 1; i < _path.Length; i++)
                {
                    away = Math.Min(away, ToSegment(xUm, yUm, _path[i - 1], _path[i]));
                }

                // Thinner than a pixel it takes only its share of the light.
                var thin = Math.Min(1, 2 * half / _umPerPx);
                return 1 - (_mark.Contrast * thin * Math.Clamp(((half - away) / _umPerPx) + 0.5, 0, 1));
            }

            var angle = Math.Atan2(dy, dx);
            var edge = f.SizeUm / 2;
            var bump = 0.0;
            for (var i = 0; i < 3; i++)
            {
                bump += (_lobes[2 * i] * Math.Cos((i + 2) * angle)) + (_lobes[(2 * i) + 1] * Math.Sin((i + 2) * angle));
            }

            var inside = Math.Clamp((((edge * (1 + bump)) - Math.Sqrt((dx * dx) + (dy * dy))) / _umPerPx) + 0.5, 0, 1);
            return 1 - (_mark.Contrast * inside);
        }

        private static double ToSegment(double x, double y, (double X, double Y) a, (double X, double Y) b)
        {
            var (dx, dy) = (b.X - a.X, b.Y - a.Y);
            var squared = (dx * dx) + (dy * dy);
            var t = squared == 0 ? 0 : Math.Clamp((((x - a.X) * dx) + ((y - a.Y) * dy)) / squared, 0, 1);
            return double.Hypot(x - a.X - (t * dx), y - a.Y - (t * dy));
        }
    }
}
