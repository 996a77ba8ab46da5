using OpenCvSharp;

namespace Rhabdon.Imaging;

/// <summary>The part of the picture about the fiber at a handy scale, and what stands out of it.</summary>
internal sealed class Face : IDisposable
{
    /// <summary>Finer pictures are brought to this: finer than that shows noise, not findings.</summary>
    private const double FinestUmPerPx = 0.33;

    /// <summary>Findings are looked for this far from the centre, in micrometres.</summary>
    public const double ReachUm = 127;

    private const double ProfileStepPx = 0.5;

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

    /// <summary>What stands out of the clean face, in grey levels.</summary>
    public Mat Residual { get; } = new();

    /// <summary>Noise of <see cref="Residual"/> on the cladding.</summary>
    public double Noise { get; private set; }

    public double CladdingLevel { get; private set; }

    /// <summary>Multimode: the core is wide enough to be judged as a face of its own.</summary>
    public bool ThickCore { get; private set; }

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

    /// <summary>Takes away light that falls unevenly and everything that is round about the centre; the core's diameter where one is seen.</summary>
    public double? Flatten(bool thickCore)
    {
        ThickCore = thickCore;
        var bins = (int)(ReachUm * 1.45 / (UmPerPx * ProfileStepPx)) + 2;
        using var light = new Mat(Image.Size(), MatType.CV_32FC1, Scalar.All(1));
        var profile = new double[bins];
        for (var pass = 0; pass < 2; pass++)
        {
            Profile(light, profile, 2);
            Light(light, profile);
        }

        Profile(light, profile, 1);
        var coreUm = Core(light, profile, thickCore);
        CladdingLevel = Math.Max(1, Between(profile, thickCore ? 40 : 20, 55));
        var (core, cladding) = ((float)((coreUm ?? 0) / 2) + 2, (float)CladdingLevel);
        Image.CopyTo(Residual);
        var res = Residual.AsSpan<float>();
        var lit = light.AsSpan<float>();
        var (clean, perUm) = (Array.ConvertAll(profile, v => (float)v), (float)Bin(1));
        for (var i = 0; i < res.Length; i++)
        {
            // Where the picture is nearly burnt out the light stops short of what is due.
            var due = lit[i] * At(clean, Radius[i] * perUm);
            res[i] = due > 240 && res[i] > 240 ? 0 : res[i] - due;
            // What takes a share of the light takes more where there is more: a scratch is as deep in a bright core as beside it.
            res[i] *= Radius[i] < core ? Math.Min(1, cladding / due) : 1;
        }

        TakeOffHaze();

        Noise = NoiseOf(res, 14, 58);
        return coreUm;
    }

    /// <summary>What is left of light that no surface followed: wide and low. Findings are cut to its height first, so that they hardly count.</summary>
    private void TakeOffHaze()
    {
        var most = 0.05 * CladdingLevel;
        var cell = Math.Max(2, (int)Math.Round(1.8 / UmPerPx));
        using var low = new Mat();
        Cv2.Min(Residual, most, low);
        Cv2.Max(low, -most, low);
        Cv2.Resize(low, low, new Size(Math.Max(4, Width / cell), Math.Max(4, Height / cell)), 0, 0, InterpolationFlags.Area);
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
    private void Profile(Mat light, double[] profile, int every)
    {
        const int Levels = 640;
        const float PerLevel = 1.6f;
        var pixels = Image.AsSpan<float>();
        var lit = light.AsSpan<float>();
        var counts = new int[profile.Length * Levels];
        var totals = new int[profile.Length];
        var perUm = (float)Bin(1);
        for (var y = 0; y < Height; y += every)
        {
            for (var i = y * Width; i < (y + 1) * Width; i += every)
            {
                var bin = Math.Min(profile.Length - 1, (int)((Radius[i] * perUm) + 0.5f));
                counts[(bin * Levels) + Math.Clamp((int)(pixels[i] / lit[i] * PerLevel), 0, Levels - 1)]++;
                totals[bin]++;
            }
        }

        var last = double.NaN;
        for (var b = profile.Length - 1; b >= 0; b--)
        {
            if (totals[b] > 0)
            {
                // Scratches may cover half of the few pixels of a core, and they are dark.
                var (half, under, level) = (totals[b] * (b < perUm * 7 ? 0.62 : 0.5), 0, b * Levels);
                while (under + counts[level] < half)
                {
                    under += counts[level++];
                }

                last = (level - (b * Levels) + ((half - under) / Math.Max(1, counts[level]))) / PerLevel;
            }

            profile[b] = last;
        }

        // Nothing of the picture lies further out than this.
        for (var b = profile.Length - 1; b >= 0 && double.IsNaN(profile[b]); b--)
        {
            profile[b] = 1;
        }
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
                        sum += pixels[i] / Math.Max(1, At(clean, Radius[i] * perUm));
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
        var round = edgeUm <= most && Math.Abs(step) > 2 && StepsAllAround(light, edgeUm, Math.Sign(step), wide * UmPerPx * ProfileStepPx, Math.Abs(step)) > (step < 0 ? 0.5 : 0.65);
        if (!thickCore && !round)
        {
            // Nothing round: the cladding goes on to the centre.
            Array.Fill(profile, Between(profile, 9, 20), 0, (int)Bin(9));
            return null;
        }

        // Too few pixels lie about the very centre for their middle to be the face's: no darker than what surrounds them.
        var (near, far) = thickCore ? ((int)Bin(4), (int)Bin(8)) : ((int)Bin(edgeUm * 0.45), (int)Bin(edgeUm * 0.75));
        var around = profile[near..Math.Max(near + 1, far)].Average();
        for (var b = 0; b < near; b++)
        {
            profile[b] = round && (step < 0 ? profile[b] > around * 0.97 : profile[b] > around * 0.75 && profile[b] < around * 1.03) ? profile[b] : around;
        }

        return round ? edgeUm * 2 : null;
    }

    /// <summary>Share of the directions in which the light steps the same way at a distance from the centre.</summary>
    private double StepsAllAround(Mat light, double atUm, int sign, double apartUm, double size)
    {
        var image = new FiberLocator.Grey(Image);
        var lit = new FiberLocator.Grey(light);
        var agree = 0;
        const int Directions = 48;
        for (var a = 0; a < Directions; a++)
        {
            var (cos, sin) = (Math.Cos(a * 2 * Math.PI / Directions) / UmPerPx, Math.Sin(a * 2 * Math.PI / Directions) / UmPerPx);
            double Level(FiberLocator.Grey i, FiberLocator.Grey l, double r) => i.TryAt(XPx + (r * cos), YPx + (r * sin), out var v) && l.TryAt(XPx + (r * cos), YPx + (r * sin), out var s) ? v / s : 0;
            var outer = (Level(image, lit, atUm + (apartUm * 1.3)) + Level(image, lit, atUm + (apartUm * 1.8))) / 2;
            var inner = (Level(image, lit, Math.Max(0, atUm - (apartUm * 1.3))) + Level(image, lit, Math.Max(0, atUm - (apartUm * 1.8)))) / 2;
            agree += sign * (outer - inner) > 0.35 * size ? 1 : 0;
        }

        return agree / (double)Directions;
    }

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
