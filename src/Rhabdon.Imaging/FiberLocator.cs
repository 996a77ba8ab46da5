using OpenCvSharp;

namespace Rhabdon.Imaging;

/// <summary>Where the fiber lies in the picture, in pixels.</summary>
/// <param name="RadiusPx">Of the cladding.</param>
/// <param name="RingOuterPx">Where the adhesive ring ends; the cladding's radius when none is seen.</param>
/// <param name="EdgeSigmaPx">How soft the cladding's edge is, as the standard deviation of a blur.</param>
/// <param name="Coverage">Share of the circle inside the frame on which the edge was found.</param>
internal sealed record FiberPlace(double XPx, double YPx, double RadiusPx, double RingOuterPx, double EdgeSigmaPx, double Coverage);

/// <summary>Finds the cladding's edge: edges vote for a centre, the radius with the steadiest step around it wins, and the circle is fitted again at full size.</summary>
internal static class FiberLocator
{
    private const int Angles = 180;
    private static readonly (double Cos, double Sin)[] Rays = [.. Enumerable.Range(0, Angles).Select(a => (Math.Cos(a * 2 * Math.PI / Angles), Math.Sin(a * 2 * Math.PI / Angles)))];

    private sealed record Circle(double X, double Y, double R, int Sign, double Step, double Coverage);

    /// <param name="grey">The picture, 0 to 255 as floats.</param>
    /// <param name="thickCore">True for multimode, whose core can be taken for the cladding.</param>
    /// <param name="radiusPx">The cladding's radius where the scale is known.</param>
    public static FiberPlace? Find(Mat grey, bool thickCore, double? radiusPx)
    {
        // Small first; smaller where noise hides the edge, larger where the fiber is a small part of the picture.
        foreach (var longest in new[] { 400, 200, 1000 })
        {
            var scale = Math.Min(1, longest / (double)Math.Max(grey.Width, grey.Height));
            if (Coarse(grey, scale, thickCore, radiusPx * scale) is { } c)
            {
                return Fine(grey, c.X, c.Y, c.R, c.Sign, scale);
            }

            if (longest > 400 && scale >= 1)
            {
                break;
            }
        }

        return null;
    }

    private static (double X, double Y, double R, int Sign)? Coarse(Mat grey, double scale, bool thickCore, double? known)
    {
        using var small = new Mat();
        Cv2.Resize(grey, small, new Size(0, 0), scale, scale, InterpolationFlags.Area);
        Cv2.GaussianBlur(small, small, new Size(0, 0), 1.2);
        var (least, most) = known is { } k ? (k * 0.94, k * 1.06) : (Math.Max(9, 75 * scale), Math.Min(Math.Min(small.Width, small.Height) * 0.62, 520 * scale));
        if (most <= least)
        {
            return null;
        }

        var circles = new List<Circle>();
        foreach (var (x, y) in Centres(small, least, most))
        {
            circles.AddRange(Around(small, x, y, least, most));
        }

        return Choose(circles, thickCore && known is null) is { } best ? ((best.X + 0.5) / scale - 0.5, (best.Y + 0.5) / scale - 0.5, best.R / scale, best.Sign) : null;
    }

    /// <summary>Where the most edges point, for any radius between the two.</summary>
    private static List<(double X, double Y)> Centres(Mat small, double least, double most)
    {
        var (w, h) = (small.Width, small.Height);
        using var gx = new Mat();
        using var gy = new Mat();
        Cv2.Scharr(small, gx, MatType.CV_32F, 1, 0);
        Cv2.Scharr(small, gy, MatType.CV_32F, 0, 1);
        ReadOnlySpan<float> dx = gx.AsSpan<float>(), dy = gy.AsSpan<float>();
        var size = new float[w * h];
        for (var i = 0; i < size.Length; i++)
        {
            size[i] = MathF.Sqrt((dx[i] * dx[i]) + (dy[i] * dy[i]));
        }

        var strong = Percentile(size, 0.92, 7);
        using var votes = new Mat(h, w, MatType.CV_32FC1, Scalar.All(0));
        var into = votes.AsSpan<float>();
        var (from, to) = ((int)least, (int)Math.Ceiling(most));
        for (var y = 1; y < h - 1; y++)
        {
            for (var x = 1; x < w - 1; x++)
            {
                var i = (y * w) + x;
                if (size[i] < strong || size[i] < 24)
                {
                    continue;
                }

                var (ux, uy) = (dx[i] / size[i], dy[i] / size[i]);
                for (var side = -1; side <= 1; side += 2)
                {
                    for (var r = from; r <= to; r += 2)
                    {
                        var (vx, vy) = ((int)(x + (side * r * ux) + 0.5f), (int)(y + (side * r * uy) + 0.5f));
                        if ((uint)vx >= (uint)w || (uint)vy >= (uint)h)
                        {
                            break;
                        }

                        into[(vy * w) + vx] += 1f / r;
                    }
                }
            }
        }

        Cv2.GaussianBlur(votes, votes, new Size(0, 0), 1.6);
        var found = new List<(double, double)>();
        for (var n = 0; n < 4; n++)
        {
            Cv2.MinMaxLoc(votes, out _, out double top, out _, out var at);
            if (top <= 0)
            {
                break;
            }

            found.Add((at.X, at.Y));
            Cv2.Circle(votes, at, Math.Max(4, (int)(least / 3)), Scalar.All(0), -1);
        }

        return found;
    }

    /// <summary>Circles about a centre: radii at which the light steps the same way almost all around.</summary>
    private static List<Circle> Around(Mat small, double x, double y, double least, double most)
    {
        var image = new Grey(small);
        var found = new List<Circle>();
        var count = (int)(most + 6);
        var step = new double[count];
        Span<float> at = stackalloc float[Angles];
        for (var r = (int)least - 3; r < count; r++)
        {
            var n = 0;
            for (var ray = 0; ray < Angles; ray += 2)
            {
                var (cos, sin) = Rays[ray];
                if (image.TryAt(x + ((r + 1.5) * cos), y + ((r + 1.5) * sin), out var outer) && image.TryAt(x + ((r - 1.5) * cos), y + ((r - 1.5) * sin), out var inner))
                {
                    at[n++] = outer - inner;
                }
            }

            step[r] = n < Angles * 0.25 ? 0 : Median(at[..n]);
        }

        var peaks = Enumerable.Range((int)least - 1, Math.Max(0, count - (int)least - 1))
            .Where(r => Math.Abs(step[r]) >= Math.Abs(step[r - 1]) && r + 1 < count && Math.Abs(step[r]) > Math.Abs(step[r + 1]) && Math.Abs(step[r]) > 1)
            .OrderByDescending(r => Math.Abs(step[r])).Take(5);
        foreach (var r in peaks)
        {
            var circle = new Circle(x, y, r, Math.Sign(step[r]), Math.Abs(step[r]), 0);
            foreach (var reach in new[] { 5.0, 3.0, 2.0 })
            {
                circle = Fit(image, circle, reach, 0.5) ?? circle with { Coverage = 0 };
                if (circle.Coverage == 0)
                {
                    break;
                }
            }

            if (circle.Coverage > 0.5 && circle.R >= least && circle.R <= most)
            {
                found.Add(circle);
            }
        }

        return found;
    }

    /// <summary>The edge on each ray within reach of the circle, and the circle through them.</summary>
    private static Circle? Fit(Grey image, Circle c, double reach, double stride)
    {
        var points = new List<(double X, double Y, double Step)>(Angles);
        var steps = (int)(reach / stride);
        var inFrame = 0;
        Span<double> d = stackalloc double[(2 * steps) + 1];
        foreach (var (cos, sin) in Rays)
        {
            var (best, bestAt) = (0.0, 0);
            var whole = true;
            for (var i = -steps; i <= steps && whole; i++)
            {
                var r = c.R + (i * stride);
                whole = image.TryAt(c.X + ((r + 1) * cos), c.Y + ((r + 1) * sin), out var outer) & image.TryAt(c.X + ((r - 1) * cos), c.Y + ((r - 1) * sin), out var inner);
                d[i + steps] = c.Sign * (outer - inner);
                if (d[i + steps] > best)
                {
                    (best, bestAt) = (d[i + steps], i + steps);
                }
            }

            inFrame += whole ? 1 : 0;
            if (!whole || best <= 0 || bestAt == 0 || bestAt == d.Length - 1)
            {
                continue;
            }

            var bend = d[bestAt - 1] - (2 * d[bestAt]) + d[bestAt + 1];
            var radius = c.R + ((bestAt - steps + (bend < 0 ? Math.Clamp((d[bestAt - 1] - d[bestAt + 1]) / (2 * bend), -0.5, 0.5) : 0)) * stride);
            points.Add((c.X + (radius * cos), c.Y + (radius * sin), best));
        }

        if (points.Count < Angles * 0.28)
        {
            return null;
        }

        var (x, y, fitted) = (c.X, c.Y, c.R);
        var kept = points;
        for (var pass = 0; pass < 4; pass++)
        {
            (x, y, fitted) = Through(kept);
            var away = points.Select(p => Math.Abs(double.Hypot(p.X - x, p.Y - y) - fitted)).ToList();
            var limit = Math.Max(0.35, 2.5 * away.Order().ElementAt(away.Count / 2));
            kept = [.. points.Where((_, i) => away[i] <= limit)];
            if (kept.Count < Angles * 0.2)
            {
                return null;
            }
        }

        var close = points.Where(p => Math.Abs(double.Hypot(p.X - x, p.Y - y) - fitted) < 1.5).ToList();
        return new(x, y, fitted, c.Sign, close.Count == 0 ? 0 : close.Select(p => p.Step).Order().ElementAt(close.Count / 2), close.Count / Math.Max((double)inFrame, Angles * 0.4));
    }

    /// <summary>Least-squares circle (Kåsa).</summary>
    private static (double X, double Y, double R) Through(List<(double X, double Y, double Step)> points)
    {
        var (mx, my) = (points.Average(p => p.X), points.Average(p => p.Y));
        double sxx = 0, syy = 0, sxy = 0, sxz = 0, syz = 0, sz = 0;
        foreach (var (px, py, _) in points)
        {
            var (u, v) = (px - mx, py - my);
            var z = (u * u) + (v * v);
            sxx += u * u;
            syy += v * v;
            sxy += u * v;
            sxz += u * z;
            syz += v * z;
            sz += z;
        }

        var det = (sxx * syy) - (sxy * sxy);
        if (Math.Abs(det) < 1e-9)
        {
            return (mx, my, 0);
        }

        var (a, b) = (((sxz * syy) - (syz * sxy)) / (2 * det), ((syz * sxx) - (sxz * sxy)) / (2 * det));
        return (mx + a, my + b, Math.Sqrt((a * a) + (b * b) + (sz / points.Count)));
    }

    /// <summary>Of circles about one centre: the strong ones, and of those the cladding.</summary>
    private static Circle? Choose(List<Circle> circles, bool thickCore)
    {
        var whole = circles.Where(c => c.Coverage >= 0.6).ToList();
        if (whole.Count == 0)
        {
            return null;
        }

        var best = whole.MaxBy(c => c.Step * c.Coverage)!;
        var family = whole
            .Where(c => double.Hypot(c.X - best.X, c.Y - best.Y) < 0.02 * best.R + 1 && c.Step * c.Coverage > 0.3 * best.Step * best.Coverage)
            .OrderBy(c => c.R).ToList();
        // The adhesive ring has an outer edge a little outside: the cladding is the inner of the two.
        Circle Inner(Circle c) => family.First(f => f.R > c.R * 0.925 && f.R <= c.R);
        var first = family[0];
        if (thickCore && family.FirstOrDefault(c => Ratio(c, first) is (> 1.85 and < 2.2) or (> 2.3 and < 2.72)) is { } outer
            && !family.Any(c => Ratio(c, outer) is > 1.85 and < 2.2 && c.Step > outer.Step * 1.5))
        {
            return Inner(outer);
        }

        return Inner(thickCore ? family.MaxBy(c => c.Step * c.Coverage)! : first);
    }

    private static double Ratio(Circle a, Circle b) => a.R / b.R;

    /// <summary>The circle again at full size, with the ring's width and the edge's softness.</summary>
    private static FiberPlace? Fine(Mat grey, double x, double y, double r, int sign, double scale)
    {
        var around = (int)Math.Ceiling(r * 1.15) + 8;
        var box = new Rect((int)x - around, (int)y - around, 2 * around, 2 * around) & new Rect(0, 0, grey.Width, grey.Height);
        using var part = new Mat(grey, box);
        using var soft = new Mat();
        Cv2.GaussianBlur(part, soft, new Size(0, 0), 0.8);
        var image = new Grey(soft);
        var circle = new Circle(x - box.X, y - box.Y, r, sign, 0, 0);
        foreach (var reach in new[] { Math.Max(4, 2.5 / scale), Math.Max(3, 1.6 / scale), 3 })
        {
            if (Fit(image, circle, reach, 0.5) is not { } better)
            {
                return null;
            }

            circle = better;
        }

        return Edge(image, circle) is var (radius, outer, sigma) ? new(circle.X + box.X, circle.Y + box.Y, radius, outer, Math.Sqrt(Math.Max(0, (sigma * sigma) - 0.64)), circle.Coverage) : null;
    }

    /// <summary>The middle light along all rays tells the blur, and whether a ring stands outside the cladding.</summary>
    private static (double Radius, double RingOuter, double Sigma) Edge(Grey image, Circle c)
    {
        const double Stride = 0.25;
        var reach = Math.Max(7, c.R * 0.1);
        var n = (int)(2 * reach / Stride) + 1;
        var profile = new double[n];
        Span<float> at = stackalloc float[Angles];
        for (var i = 0; i < n; i++)
        {
            var r = c.R - reach + (i * Stride);
            var k = 0;
            foreach (var (cos, sin) in Rays)
            {
                if (image.TryAt(c.X + (r * cos), c.Y + (r * sin), out var v))
                {
                    at[k++] = v;
                }
            }

            profile[i] = k == 0 ? 0 : Median(at[..k]);
        }

        var edge = EdgeFit.To(profile, Stride);
        var from = c.R - reach;
        return (from + edge.Inner, from + edge.Outer, edge.Sigma);
    }

    internal static float Median(Span<float> values)
    {
        values.Sort();
        return values.Length == 0 ? 0 : values[values.Length / 2];
    }

    /// <summary>The value that this share of them lies under, looking at every nth.</summary>
    internal static float Percentile(ReadOnlySpan<float> values, double share, int every = 1)
    {
        var some = new float[(values.Length + every - 1) / every];
        for (var i = 0; i < some.Length; i++)
        {
            some[i] = values[i * every];
        }

        Array.Sort(some);
        return some.Length == 0 ? 0 : some[Math.Clamp((int)(share * some.Length), 0, some.Length - 1)];
    }

    /// <summary>Reads a float picture between its pixels.</summary>
    internal readonly ref struct Grey(Mat mat)
    {
        private readonly ReadOnlySpan<float> _pixels = mat.AsSpan<float>();
        private readonly int _width = mat.Width, _height = mat.Height;

        public bool TryAt(double x, double y, out float value)
        {
            var (left, top) = ((int)Math.Floor(x), (int)Math.Floor(y));
            if (left < 0 || top < 0 || left >= _width - 1 || top >= _height - 1)
            {
                value = 0;
                return false;
            }

            var (fx, fy) = ((float)(x - left), (float)(y - top));
            var i = (top * _width) + left;
            var above = _pixels[i] + (fx * (_pixels[i + 1] - _pixels[i]));
            var below = _pixels[i + _width] + (fx * (_pixels[i + _width + 1] - _pixels[i + _width]));
            value = above + (fy * (below - above));
            return true;
        }
    }
}
