using OpenCvSharp;
using Rhabdon.Core.Inspection;

namespace Rhabdon.Imaging;

/// <summary>The part of the picture about the fiber at a handy scale, and what stands out of it.</summary>
internal sealed class Face : IDisposable
{
    /// <summary>Finer pictures are brought to this: finer than that shows noise, not findings.</summary>
    private const double FinestUmPerPx = 0.33;

    /// <summary>Findings are looked for this far from the centre, in micrometres.</summary>
    public const double ReachUm = 127;

    private const double ProfileStepPx = 0.5;

    /// <summary>Share of the directions in which a core's edge has to be seen. Ours.</summary>
    private const double LeastSeen = 0.25;

    /// <summary>What is round about the core ends within this.</summary>
    private const double NearCoreUm = 26;

    /// <summary>Glass is as bright as the rest of it to this share, and shows on this share of a circle that is not all dirt. Ours.</summary>
    private const double GlassShare = 0.05, LeastGlass = 0.15;

    public required Mat Image { get; init; }

    /// <summary>Micrometres a pixel of <see cref="Image"/>.</summary>
    public required double UmPerPx { get; init; }

    public required double XPx { get; init; }

    public required double YPx { get; init; }

    /// <summary>Where the cladding ends and where the adhesive ring ends, in micrometres from the centre.</summary>
    public required double EdgeUm { get; init; }

    public required double RingOuterUm { get; init; }

    /// <summary>Blur at this scale, in micrometres.</summary>
    public required double BlurUm { get; init; }

    /// <summary>Share of the cladding that is burnt out.</summary>
    public required double BurntShare { get; init; }

    /// <summary>Distance of each pixel from the fiber's centre, in micrometres.</summary>
    public required float[] Radius { get; init; }

    /// <summary>The same for what is round: near the core from the core's own centre, which is not quite the fiber's.</summary>
    private float[] _round = [];

    /// <summary>Not zero where a scratch is known to lie: what is beneath it tells nothing of the clean face.</summary>
    private byte[]? _covered;

    /// <summary>What stands out of the clean face, in grey levels.</summary>
    public Mat Residual { get; } = new();

    /// <summary>Noise of <see cref="Residual"/> on the cladding.</summary>
    public double Noise { get; private set; }

    public double CladdingLevel { get; private set; }

    /// <summary>Multimode: the core is wide enough to be judged as a face of its own.</summary>
    public bool ThickCore { get; private set; }

    /// <summary>Diameter of the core where one was seen.</summary>
    public double? CoreUm { get; private set; }

    public required int Width { get; init; }

    public required int Height { get; init; }

    public static Face Cut(Mat grey, FiberPlace place, double umPerPx)
    {
        var reach = ReachUm / umPerPx;
        var box = new Rect((int)Math.Floor(place.XPx - reach), (int)Math.Floor(place.YPx - reach), (int)Math.Ceiling(2 * reach) + 2, (int)Math.Ceiling(2 * reach) + 2)
            & new Rect(0, 0, grey.Width, grey.Height);
        using var part = new Mat(grey, box);
        var shrink = umPerPx < FinestUmPerPx / 1.15 ? umPerPx / FinestUmPerPx : 1;
        var image = new Mat();
        Cv2.Resize(part, image, new Size(Math.Round(box.Width * shrink), Math.Round(box.Height * shrink)), 0, 0, InterpolationFlags.Area);
        var (sx, sy) = (image.Width / (double)box.Width, image.Height / (double)box.Height);
        var scale = umPerPx / ((sx + sy) / 2);
        var (cx, cy) = (((place.XPx - box.X + 0.5) * sx) - 0.5, ((place.YPx - box.Y + 0.5) * sy) - 0.5);
        var (width, height) = (image.Width, image.Height);
        var radius = new float[width * height];
        var pixels = image.AsSpan<float>();
        int inside = 0, burnt = 0;
        for (var y = 0; y < height; y++)
        {
            for (var x = 0; x < width; x++)
            {
                var (dx, dy) = ((x - cx) * scale, (y - cy) * scale);
                var r = (float)Math.Sqrt((dx * dx) + (dy * dy));
                radius[(y * width) + x] = r;
                if (r is > 14 and < 60)
                {
                    inside++;
                    burnt += pixels[(y * width) + x] >= 253 ? 1 : 0;
                }
            }
        }

        return new Face
        {
            Image = image,
            Width = width,
            Height = height,
            UmPerPx = scale,
            XPx = cx,
            YPx = cy,
            EdgeUm = place.RadiusPx * umPerPx,
            RingOuterUm = place.RingOuterPx * umPerPx,
            BlurUm = place.EdgeSigmaPx * umPerPx,
            BurntShare = inside == 0 ? 0 : burnt / (double)inside,
            Radius = radius,
        };
    }

    /// <summary>Leaves scratches out of what the clean face is taken to be; flatten it again then. Those that cross on a core hide most of it, and what is left of it would be taken for dirt.</summary>
    public void LeaveOut(IEnumerable<SeenFinding> scratches)
    {
        _covered = new byte[Width * Height];
        using var mask = Mat.FromPixelData(Height, Width, MatType.CV_8UC1, _covered);
        foreach (var s in scratches)
        {
            var (x0, y0, x1, y1) = (s.X0Um!.Value, s.Y0Um!.Value, s.X1Um!.Value, s.Y1Um!.Value);
            var wide = (int)Math.Ceiling((s.SizeUm + (2.4 * BlurUm)) / UmPerPx) + 3;
            Cv2.Line(mask, At(x0, y0), At(x1, y1), Scalar.All(255), Math.Clamp(wide, 1, 200));
        }

        Point At(double xUm, double yUm) => new(Math.Round(XPx + (xUm / UmPerPx)), Math.Round(YPx + (yUm / UmPerPx)));
    }

    /// <summary>Takes away light that falls unevenly and everything that is round about the centre.</summary>
    public void Flatten(bool thickCore)
    {
        ThickCore = thickCore;
        (_round, _coreX, _coreY) = (Radius, 0, 0);
        var bins = (int)(ReachUm * 1.45 / (UmPerPx * ProfileStepPx)) + 2;
        using var light = new Mat(Image.Size(), MatType.CV_32FC1, Scalar.All(1));
        var profile = new double[bins];
        for (var pass = 0; pass < 2; pass++)
        {
            Profile(light, profile, 2);
            Light(light, profile);
        }

        Profile(light, profile, 1);
        var glass = thickCore ? double.NaN : Between(profile, 20, 55);
        Profile(light, profile, 1, glass, NearCoreUm);
        var coreUm = Core(light, profile, thickCore);
        for (var pass = 0; pass < 3 && coreUm is { } found; pass++)
        {
            // A core beside the middle leaves a crescent, which is no finding.
            CentreCore(light, profile, found / 2);
            Profile(light, profile, 1, glass, Math.Max(NearCoreUm, (found / 2) + NearCoreUm));
            coreUm = Core(light, profile, thickCore) ?? found;
        }

        CladdingLevel = Math.Max(1, Between(profile, thickCore ? 40 : 20, 55));
        var (core, cladding) = ((float)((coreUm ?? 0) / 2) + 2, (float)CladdingLevel);
        Image.CopyTo(Residual);
        var res = Residual.AsSpan<float>();
        var lit = light.AsSpan<float>();
        var (clean, perUm) = (Array.ConvertAll(profile, v => (float)v), (float)Bin(1));
        for (var i = 0; i < res.Length; i++)
        {
            // Where the picture is nearly burnt out the light stops short of what is due.
            var due = lit[i] * At(clean, _round[i] * perUm);
            res[i] = due > 240 && res[i] > 240 ? 0 : res[i] - due;
            // What takes a share of the light takes more where there is more: a scratch is as deep in a bright core as beside it.
            res[i] *= _round[i] < core ? Math.Min(1, cladding / due) : 1;
        }

        TakeOffHaze();

        Noise = NoiseOf(res, 14, 58);
        CoreUm = coreUm;
    }

    /// <summary>What is left of light that no surface followed: wide and low. Findings are cut to its height first, so that they hardly count.</summary>
    private void TakeOffHaze()
    {
        var most = (float)(0.05 * CladdingLevel);
        var cell = Math.Max(2, (int)Math.Round(1.8 / UmPerPx));
        var (wide, high) = (Math.Max(4, Width / cell), Math.Max(4, Height / cell));
        using var low = new Mat(high, wide, MatType.CV_32FC1);
        var cells = low.AsSpan<float>();
        var res = Residual.AsSpan<float>();
        for (var i = 0; i < cells.Length; i++)
        {
            var (sum, n) = (0.0f, 0);
            for (var y = i / wide * Height / high; y < ((i / wide) + 1) * Height / high; y += 2)
            {
                for (var x = i % wide * Width / wide; x < ((i % wide) + 1) * Width / wide; x += 2)
                {
                    var at = (y * Width) + x;
                    (sum, n) = _covered is null || _covered[at] == 0 ? (sum + Math.Clamp(res[at], -most, most), n + 1) : (sum, n);
                }
            }

            cells[i] = sum / Math.Max(1, n);
        }

        Cv2.GaussianBlur(low, low, new Size(0, 0), 8 / (cell * UmPerPx), 0, BorderTypes.Replicate);
        Cv2.Resize(low, low, Residual.Size(), 0, 0, InterpolationFlags.Linear);
        Cv2.Subtract(Residual, low, Residual);
    }

    private double Bin(double rUm) => rUm / (UmPerPx * ProfileStepPx);

    private static float At(float[] profile, float bin)
    {
        var i = Math.Min((int)bin, profile.Length - 2);
        return profile[i] + ((bin - i) * (profile[i + 1] - profile[i]));
    }

    private double Between(double[] profile, double fromUm, double toUm)
    {
        var part = profile[(int)Bin(fromUm)..(int)Bin(toUm)];
        Array.Sort(part);
        return part[part.Length / 2];
    }

    /// <summary>The middle brightness at each distance from the centre, from every nth pixel.</summary>
    /// <param name="glass">What the glass about a thin core is known to be like. Where some of a circle there is so, the rest of it is covered.</param>
    /// <param name="toUm">Farther out it stays as it was.</param>
    private void Profile(Mat light, double[] profile, int every, double glass = double.NaN, double toUm = double.MaxValue)
    {
        const int Levels = 640;
        const float PerLevel = 1.6f;
        var pixels = Image.AsSpan<float>();
        var lit = light.AsSpan<float>();
        var perUm = (float)Bin(1);
        var bins = toUm < ReachUm ? Math.Min(profile.Length, (int)Bin(toUm)) : profile.Length;
        var counts = new int[bins * Levels];
        var totals = new int[bins];
        var (fromX, toX, fromY, toY) = Box(toUm);
        var covered = _covered;
        for (var y = fromY; y < toY; y += every)
        {
            for (var i = (y * Width) + fromX; i < (y * Width) + toX; i += every)
            {
                var bin = (int)((_round[i] * perUm) + 0.5f);
                if (covered is not null && covered[i] != 0)
                {
                    continue;
                }

                if (bin >= bins)
                {
                    if (bins < profile.Length)
                    {
                        continue;
                    }

                    bin = bins - 1;
                }

                counts[(bin * Levels) + Math.Clamp((int)(pixels[i] / lit[i] * PerLevel), 0, Levels - 1)]++;
                totals[bin]++;
            }
        }

        var last = bins < profile.Length ? profile[bins] : double.NaN;
        for (var b = bins - 1; b >= 0; b--)
        {
            if (totals[b] > 0)
            {
                // Scratches may cover half of the few pixels of a core, and they are dark.
                var (half, under, level) = (totals[b] * (b < perUm * 7 && covered is null ? 0.62 : 0.5), 0, b * Levels);
                while (under + counts[level] < half)
                {
                    under += counts[level++];
                }

                last = (level - (b * Levels) + ((half - under) / Math.Max(1, counts[level]))) / PerLevel;
                if (b > perUm * 6.5 && b < perUm * 24 && Math.Abs(last - glass) > GlassShare * glass && Share(b, glass) > LeastGlass)
                {
                    last = glass;
                }
            }

            profile[b] = last;
        }

        double Share(int bin, double of)
        {
            var (from, to) = ((int)((1 - GlassShare) * of * PerLevel), Math.Min(Levels - 1, (int)((1 + GlassShare) * of * PerLevel)));
            return counts.AsSpan((bin * Levels) + from, to - from + 1).ToArray().Sum() / (double)totals[bin];
        }

        // Nothing of the picture lies further out than this.
        for (var b = profile.Length - 1; b >= 0 && double.IsNaN(profile[b]); b--)
        {
            profile[b] = 1;
        }
    }

    /// <summary>Columns and rows that hold everything within a distance from the centre.</summary>
    private (int FromX, int ToX, int FromY, int ToY) Box(double toUm)
    {
        var reach = toUm < ReachUm ? (int)Math.Ceiling((toUm + 2) / UmPerPx) : Width + Height;
        return (Math.Max(0, (int)XPx - reach), Math.Min(Width, (int)XPx + reach + 1), Math.Max(0, (int)YPx - reach), Math.Min(Height, (int)YPx + reach + 1));
    }

    /// <summary>Light over the face, from what is left when everything round is taken away; findings are too small to count.</summary>
    private void Light(Mat light, double[] profile)
    {
        var cell = Math.Max(2, (int)Math.Round(2.4 / UmPerPx));
        var (wide, high) = (Math.Max(4, Width / cell), Math.Max(4, Height / cell));
        using var coarse = new Mat(high, wide, MatType.CV_32FC1);
        var ratio = coarse.AsSpan<float>();
        var (clean, perUm) = (Array.ConvertAll(profile, v => (float)v), (float)Bin(1));
        var pixels = Image.AsSpan<float>();
        for (var cy = 0; cy < high; cy++)
        {
            for (var cx = 0; cx < wide; cx++)
            {
                float sum = 0;
                var n = 0;
                for (var y = cy * Height / high; y < (cy + 1) * Height / high; y += 3)
                {
                    for (var i = (y * Width) + (cx * Width / wide); i < (y * Width) + ((cx + 1) * Width / wide); i += 3)
                    {
                        sum += pixels[i] / Math.Max(1, At(clean, _round[i] * perUm));
                        n++;
                    }
                }

                ratio[(cy * wide) + cx] = Math.Min(2.5f, sum / Math.Max(1, n));
            }
        }

        // A slope first, so that the rim of the picture has no other side to miss; then what the slope leaves.
        using var slope = Slope(coarse);
        Cv2.Divide(coarse, slope, coarse);
        var window = (int)Math.Round(34 / (cell * UmPerPx)) | 1;
        using var wider = Continued(coarse, Math.Min(window, Math.Min(wide, high) - 2));
        using var bytes = new Mat();
        wider.ConvertTo(bytes, MatType.CV_8UC1, 120);
        Cv2.MedianBlur(bytes, bytes, window);
        bytes.ConvertTo(wider, MatType.CV_32FC1, 1 / 120.0);
        Cv2.GaussianBlur(wider, wider, new Size(0, 0), 2.5);
        var margin = (wider.Width - wide) / 2;
        using var middle = new Mat(wider, new Rect(margin, margin, wide, high));
        Cv2.Multiply(middle, slope, coarse);
        Cv2.Resize(coarse, light, light.Size(), 0, 0, InterpolationFlags.Linear);
        foreach (ref var v in light.AsSpan<float>())
        {
            v = Math.Max(0.05f, v);
        }
    }

    /// <summary>The cells with a margin in which the light goes on as it came.</summary>
    private static Mat Continued(Mat cells, int margin)
    {
        var wider = new Mat();
        Cv2.CopyMakeBorder(cells, wider, margin, margin, margin, margin, BorderTypes.Reflect101);
        using var rim = new Mat();
        using var still = new Mat();
        Cv2.MedianBlur(cells, still, 3);
        Cv2.CopyMakeBorder(still, rim, margin, margin, margin, margin, BorderTypes.Replicate);
        // Mirrored both ways: twice the rim's value less the mirror image.
        var (w, h) = (wider.Width, wider.Height);
        var v = wider.AsSpan<float>();
        var at = rim.AsSpan<float>();
        for (var i = 0; i < v.Length; i++)
        {
            if (i % w < margin || i % w >= w - margin || i / w < margin || i / w >= h - margin)
            {
                v[i] = Math.Clamp((2 * at[i]) - v[i], 0.4f, 1.6f);
            }
        }

        return wider;
    }

    /// <summary>The cubic surface that most of the cells agree on.</summary>
    private static Mat Slope(Mat cells)
    {
        var (w, h) = (cells.Width, cells.Height);
        var surface = new Mat(h, w, MatType.CV_32FC1, Scalar.All(1));
        var values = cells.AsSpan<float>();
        var fitted = surface.AsSpan<float>();
        var keep = new bool[values.Length];
        Array.Fill(keep, true);
        Span<double> t = stackalloc double[10];
        for (var pass = 0; pass < 3; pass++)
        {
            var (normal, right) = (new double[100], new double[10]);
            for (var i = 0; i < values.Length; i += 7)
            {
                if (!keep[i])
                {
                    continue;
                }

                Terms(t, i, w, h);
                for (var a = 0; a < 10; a++)
                {
                    right[a] += t[a] * values[i];
                    for (var b = a; b < 10; b++)
                    {
                        normal[(a * 10) + b] += t[a] * t[b];
                    }
                }
            }

            using var left = new Mat(10, 10, MatType.CV_64FC1);
            using var sums = new Mat(10, 1, MatType.CV_64FC1);
            for (var a = 0; a < 10; a++)
            {
                sums.Set(a, 0, right[a]);
                for (var b = 0; b < 10; b++)
                {
                    left.Set(a, b, normal[(Math.Min(a, b) * 10) + Math.Max(a, b)] + (a == b ? 1e-6 : 0));
                }
            }

            using var solved = new Mat();
            Cv2.Solve(left, sums, solved, DecompTypes.Cholesky);
            solved.GetArray(out double[] factors);
            for (var i = 0; i < values.Length; i++)
            {
                Terms(t, i, w, h);
                double v = 0;
                for (var a = 0; a < 10; a++)
                {
                    v += t[a] * factors[a];
                }

                fitted[i] = (float)Math.Max(0.05, v);
                keep[i] = Math.Abs((values[i] / fitted[i]) - 1) < 0.25 - (0.08 * pass);
            }
        }

        return surface;
    }

    private static void Terms(Span<double> t, int i, int w, int h)
    {
        var (x, y) = ((2.0 * (i % w) / w) - 1, (2.0 * (i / w) / h) - 1);
        (t[0], t[1], t[2], t[3], t[4], t[5]) = (1, x, y, x * x, x * y, y * y);
        (t[6], t[7], t[8], t[9]) = (x * x * x, x * x * y, x * y * y, y * y * y);
    }

    /// <summary>Keeps the core in the profile only where it is one: round, about the centre, of a core's size. Anything else there is a finding.</summary>
    private double? Core(Mat light, double[] profile, bool thickCore)
    {
        var (least, most) = thickCore ? (20.0, 36.0) : (3.0, 5.9);
        // A little farther than any core reaches: a wider disc about the centre is a finding that lies on it.
        var (from, to) = ((int)Bin(least), (int)Bin(most + 1.5));
        var wide = Math.Max(1, (int)Bin(thickCore ? 1.2 : 0.7));
        var edge = Enumerable.Range(from, to - from).MaxBy(b => Math.Abs(profile[b + wide] - profile[Math.Max(0, b - wide)]));
        var step = profile[edge + wide] - profile[Math.Max(0, edge - wide)];
        var edgeUm = edge * UmPerPx * ProfileStepPx;
        var round = edgeUm <= most && Math.Abs(step) > 2 && StepsAllAround(light, edgeUm, Math.Sign(step), wide * UmPerPx * ProfileStepPx, Math.Abs(step), profile[Math.Min(profile.Length - 1, edge + (2 * wide))]) > (step < 0 ? 0.5 : 0.65);
        if (!thickCore && !round)
        {
            // Nothing round: the cladding goes on to the centre.
            Array.Fill(profile, Between(profile, 9, 20), 0, (int)Bin(9));
            return null;
        }

        if (thickCore)
        {
            Graded(profile, edgeUm);
            return round ? edgeUm * 2 : null;
        }

        // Too few pixels lie about the very centre for their middle to be the face's: no darker than what surrounds them.
        var (near, far) = ((int)Bin(edgeUm * 0.45), (int)Bin(edgeUm * 0.75));
        var around = profile[near..Math.Max(near + 1, far)].Average();
        for (var b = 0; b < near; b++)
        {
            profile[b] = step < 0 ? Math.Clamp(profile[b], around * 0.97, around * 1.25) : profile[b] > around * 0.75 && profile[b] < around * 1.03 ? profile[b] : around;
        }

        return edgeUm * 2;
    }

    /// <summary>Graded glass changes with the square of the distance. Near its middle, where a scratch covers most of a circle, that is followed instead of the circle's own middle.</summary>
    private void Graded(double[] profile, double coreRadiusUm)
    {
        var (from, to, inner) = ((int)Bin(4), (int)Bin(Math.Max(12, 0.75 * coreRadiusUm)), (int)Bin(12));
        var keep = Enumerable.Range(from, to - from).ToList();
        var (level, slope) = (0.0, 0.0);
        for (var pass = 0; pass < 4; pass++)
        {
            // The farther out the more pixels, and the surer.
            double w = 0, x = 0, y = 0, xx = 0, xy = 0;
            foreach (var b in keep)
            {
                double q = (double)b * b;
                (w, x, y, xx, xy) = (w + b, x + (b * q), y + (b * profile[b]), xx + (b * q * q), xy + (b * q * profile[b]));
            }

            var det = (w * xx) - (x * x);
            (level, slope) = det <= 0 ? (y / w, 0) : (((y * xx) - (x * xy)) / det, ((w * xy) - (x * y)) / det);
            var off = keep.ConvertAll(b => Math.Abs(profile[b] - level - (slope * b * b)));
            var most = Math.Max(0.01 * level, 2.5 * off.Order().ElementAt(off.Count / 2));
            keep = [.. keep.Where((_, i) => off[i] <= most)];
        }

        for (var b = 0; b < inner; b++)
        {
            profile[b] = level + (slope * b * b);
        }
    }

    private double _coreX, _coreY;

    /// <summary>Moves the core's centre, from the fiber's, to where its edge is: what is left beside a step turned once around it tells how far.</summary>
    private void CentreCore(Mat light, double[] profile, double coreRadiusUm)
    {
        const double Farthest = 1.2;
        var band = Math.Max(1.2, 2.5 * BlurUm) + 0.8;
        var pixels = Image.AsSpan<float>();
        var lit = light.AsSpan<float>();
        var (clean, perUm, apart) = (Array.ConvertAll(profile, v => (float)v), (float)Bin(1), (float)(Math.Max(UmPerPx, 0.4) / 2));
        var at = new List<(float X, float Y, float Off)>();
        var (fromX, toX, fromY, toY) = Box(coreRadiusUm + band + Farthest);
        for (var y = fromY; y < toY; y++)
        {
            for (var x = fromX; x < toX; x++)
            {
                var i = (y * Width) + x;
                var r = _round[i];
                if (Math.Abs(r - coreRadiusUm) > band)
                {
                    continue;
                }

                if (_covered is not null && _covered[i] != 0)
                {
                    continue;
                }

                var slope = lit[i] * (At(clean, (r + apart) * perUm) - At(clean, Math.Max(0, r - apart) * perUm)) / (2 * apart);
                var (dx, dy) = (((x - XPx) * UmPerPx) - _coreX, ((y - YPx) * UmPerPx) - _coreY);
                at.Add(((float)(-slope * dx / Math.Max(r, 0.1)), (float)(-slope * dy / Math.Max(r, 0.1)), pixels[i] - (lit[i] * At(clean, r * perUm))));
            }
        }

        // Only where the light steps does a shift show.
        var steepest = at.Select(a => float.Hypot(a.X, a.Y)).DefaultIfEmpty().Max();
        at.RemoveAll(a => float.Hypot(a.X, a.Y) < 0.25f * steepest);
        if (at.Count < 30)
        {
            return;
        }

        var (mx, my) = (0.0, 0.0);
        for (var pass = 0; pass < 4; pass++)
        {
            // What crosses the edge is no part of it.
            var left = at.Select(a => (float)Math.Abs(a.Off - (a.X * mx) - (a.Y * my))).ToArray();
            var cut = Math.Max(1e-3, 3 * 1.4826 * FiberLocator.Median(left.ToArray()));
            var (xx, xy, yy, xo, yo) = (0.0, 0.0, 0.0, 0.0, 0.0);
            for (var k = 0; k < left.Length; k++)
            {
                if (left[k] > cut)
                {
                    continue;
                }

                var weight = Math.Pow(1 - Math.Pow(left[k] / cut, 2), 2);
                var (a, b, off) = at[k];
                (xx, xy, yy, xo, yo) = (xx + (weight * a * a), xy + (weight * a * b), yy + (weight * b * b), xo + (weight * a * off), yo + (weight * b * off));
            }

            var of = (xx * yy) - (xy * xy);
            if (of < 1e-6 * xx * yy || of <= 0)
            {
                return;
            }

            (mx, my) = (((xo * yy) - (yo * xy)) / of, ((yo * xx) - (xo * xy)) / of);
        }

        (_coreX, _coreY) = (_coreX + mx, _coreY + my);
        if (double.Hypot(_coreX, _coreY) > Farthest)
        {
            (_coreX, _coreY) = (0, 0);
        }

        Around(coreRadiusUm + band);
    }

    /// <summary>Distances from the core's centre within a distance, and farther out more and more from the fiber's.</summary>
    private void Around(double withinUm)
    {
        const double Fade = 4;
        _round = ReferenceEquals(_round, Radius) ? (float[])Radius.Clone() : _round;
        var (fromX, toX, fromY, toY) = Box(withinUm + Fade);
        for (var row = fromY; row < toY; row++)
        {
            for (var column = fromX; column < toX; column++)
            {
                var i = (row * Width) + column;
                var share = Math.Clamp((withinUm + Fade - Radius[i]) / Fade, 0, 1);
                var (x, y) = (((column - XPx) * UmPerPx) - (share * _coreX), ((row - YPx) * UmPerPx) - (share * _coreY));
                _round[i] = (float)Math.Sqrt((x * x) + (y * y));
            }
        }
    }

    /// <summary>Share of the directions, of those in which nothing lies on the edge, in which the light steps the same way at a distance from the centre.</summary>
    private double StepsAllAround(Mat light, double atUm, int sign, double apartUm, double size, double outside)
    {
        var image = new FiberLocator.Grey(Image);
        var lit = new FiberLocator.Grey(light);
        var (x, y) = (XPx + (_coreX / UmPerPx), YPx + (_coreY / UmPerPx));
        var (agree, seen) = (0, 0);
        const int Directions = 48;
        for (var a = 0; a < Directions; a++)
        {
            var (cos, sin) = (Math.Cos(a * 2 * Math.PI / Directions) / UmPerPx, Math.Sin(a * 2 * Math.PI / Directions) / UmPerPx);
            double Level(FiberLocator.Grey i, FiberLocator.Grey l, double r) => i.TryAt(x + (r * cos), y + (r * sin), out var v) && l.TryAt(x + (r * cos), y + (r * sin), out var s) ? v / s : 0;
            var outer = (Level(image, lit, atUm + (apartUm * 1.3)) + Level(image, lit, atUm + (apartUm * 1.8))) / 2;
            var inner = (Level(image, lit, Math.Max(0, atUm - (apartUm * 1.3))) + Level(image, lit, Math.Max(0, atUm - (apartUm * 1.8)))) / 2;
            // Where something lies across the edge, the edge cannot be seen.
            var bare = Math.Abs(outer - outside) < 0.5 * size && !Covered(x + (atUm * cos), y + (atUm * sin));
            seen += bare ? 1 : 0;
            agree += bare && sign * (outer - inner) > 0.35 * size ? 1 : 0;
        }

        return seen < LeastSeen * Directions ? 0 : agree / (double)seen;
    }

    private bool Covered(double xPx, double yPx) =>
        _covered is not null && (int)Math.Round(xPx) is var x && (int)Math.Round(yPx) is var y && x >= 0 && y >= 0 && x < Width && y < Height && _covered[(y * Width) + x] != 0;

    /// <summary>True at the rim of the picture, where blur and shadow have no other side.</summary>
    public bool AtFrame(int i)
    {
        var (x, y) = (i % Width, i / Width);
        return x < 2 || y < 2 || x >= Width - 2 || y >= Height - 2;
    }

    /// <summary>True where the light could be followed from one side only.</summary>
    public bool NearFrame(int i)
    {
        var (x, y, near) = (i % Width, i / Width, 14 / UmPerPx);
        return x < near || y < near || x >= Width - near || y >= Height - near;
    }

    /// <summary>Noise of values over the face between two distances from the centre; findings hardly move it.</summary>
    public double NoiseOf(ReadOnlySpan<float> values, double fromUm, double toUm)
    {
        var some = new List<float>(10_000);
        // A prime stride walks over all columns.
        for (var i = 0; i < values.Length; i += 61)
        {
            if (Radius[i] > fromUm && Radius[i] < toUm)
            {
                some.Add(Math.Abs(values[i]));
            }
        }

        return some.Count == 0 ? 1 : Math.Max(0.12, 1.4826 * FiberLocator.Median(System.Runtime.InteropServices.CollectionsMarshal.AsSpan(some)));
    }

    public void Dispose()
    {
        Image.Dispose();
        Residual.Dispose();
    }
}
