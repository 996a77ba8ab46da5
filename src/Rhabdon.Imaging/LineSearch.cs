namespace Rhabdon.Imaging;

/// <summary>Finds straight strokes in a patch, and how wide they are.</summary>
/// <param name="face">Flattened.</param>
/// <param name="smooth">Its residual, smoothed finely.</param>
internal sealed class LineSearch(Face face, float[] smooth, FindingThresholds limits)
{
    private readonly Face _face = face;
    private readonly float[] _smooth = smooth;
    private readonly FindingThresholds _limits = limits;
    private int _tries = limits.MostLineTries;

    /// <summary>True when one straight stroke runs through most of a patch, whatever crosses it.</summary>
    public bool MostlyStraight(List<Dot> patch, List<Dot> body, double lengthUm)
    {
        if (Longest(patch) is not { } line || line.Length < _limits.Stroke.MostlyLength * lengthUm)
        {
            return false;
        }

        var width = WidthOf(line.X0, line.Y0, line.X1, line.Y1);
        // Wide enough to see a stroke that runs from side to side across the line.
        var on = body.Where(d => line.Away(d) < Math.Max(2 * width, width + 1.5) && line.Spans(d)).ToList();
        return on.Count > 8 && PatchShape.Of(on, _face.UmPerPx).Bent(on, _face.UmPerPx, _limits.Stroke) < _limits.Stroke.MostlyBentUm + (_limits.Stroke.MostlyBentShare * lengthUm);
    }

    /// <summary>The longest thin straight run in a patch, by trying pairs of its pixels.</summary>
    public ScratchLine? Longest(List<Dot> patch)
    {
        if (_tries-- <= 0)
        {
            return null;
        }

        var (px, stroke) = (_face.UmPerPx, _limits.Stroke);
        var random = new Random(patch.Count);
        var some = patch.Count <= stroke.LineSample ? patch : [.. patch.Where((_, i) => i % (1 + (patch.Count / stroke.LineSample)) == 0)];
        var thin = some.Count / (double)patch.Count;
        // A strip's area is half its outline times its width.
        var inside = patch.Select(d => d.Index).ToHashSet();
        var outline = patch.Count(d => !(inside.Contains(d.Index - 1) && inside.Contains(d.Index + 1) && inside.Contains(d.Index - _face.Width) && inside.Contains(d.Index + _face.Width)));
        var half = Math.Max(Math.Max(stroke.LineHalfUm, stroke.LineHalfPx * px), stroke.LineHalfWidths * patch.Count * px / Math.Max(1, outline));
        (double Score, ScratchLine Line)? best = null;
        for (var trial = 0; trial < stroke.LineTrials; trial++)
        {
            var (a, b) = (some[random.Next(some.Count)], some[random.Next(some.Count)]);
            var length = double.Hypot(b.X - a.X, b.Y - a.Y);
            if (length < stroke.LeastPairUm)
            {
                continue;
            }

            var (ux, uy) = ((b.X - a.X) / length, (b.Y - a.Y) / length);
            var on = new List<double>();
            var beside = 0;
            foreach (var d in some)
            {
                var away = Math.Abs((-(d.X - a.X) * uy) + ((d.Y - a.Y) * ux));
                if (away < half)
                {
                    on.Add(((d.X - a.X) * ux) + ((d.Y - a.Y) * uy));
                }
            }

            on.Sort();
            var (from, bestFrom, bestTo) = (0, 0, 0);
            var gap = Math.Max(stroke.LineGapUm, stroke.LineGapPx * px) / Math.Max(0.25, thin);
            for (var i = 1; i <= on.Count; i++)
            {
                if (i == on.Count || on[i] - on[i - 1] > gap)
                {
                    if (on[i - 1] - on[from] > on[bestTo] - on[bestFrom])
                    {
                        (bestFrom, bestTo) = (from, i - 1);
                    }

                    from = i;
                }
            }

            if (on.Count == 0)
            {
                continue;
            }

            var (start, end) = (on[bestFrom], on[bestTo]);
            var run = end - start;
            foreach (var d in some)
            {
                var along = ((d.X - a.X) * ux) + ((d.Y - a.Y) * uy);
                var away = Math.Abs((-(d.X - a.X) * uy) + ((d.Y - a.Y) * ux));
                beside += along > start && along < end && away < Math.Max(stroke.BesideUm, run * stroke.BesideShare) && away >= 1.25 * half ? 1 : 0;
            }

            // Long and thin: what lies beside counts against it.
            var score = run - (stroke.BesideWeight * beside / Math.Max(1.0, on.Count) * run);
            var filled = (bestTo - bestFrom + 1) / thin * px * px / Math.Max(1e-6, run * 2 * half);
            if (filled > stroke.LineFill && run >= Math.Max(_limits.LeastScratchUm + 1, stroke.LineHalves * half) && (best is null || score > best.Value.Score))
            {
                best = (score, new(a.X + (start * ux), a.Y + (start * uy), a.X + (end * ux), a.Y + (end * uy), 0));
            }
        }

        return best is { } b2 && b2.Score > stroke.LeastScore ? b2.Line : null;
    }

    /// <summary>Full width at half depth of the mean profile across a scratch, with the blur taken out.</summary>
    public double WidthOf(double x0, double y0, double x1, double y1)
    {
        var length = Math.Max(1e-6, double.Hypot(x1 - x0, y1 - y0));
        var (ux, uy) = ((x1 - x0) / length, (y1 - y0) / length);
        const int Reach = 40;
        var stride = _face.UmPerPx / 4;
        var profile = new double[(2 * Reach) + 1];
        var along = Math.Clamp((int)(length / _face.UmPerPx), 8, 300);
        Span<float> at = stackalloc float[along];
        for (var j = -Reach; j <= Reach; j++)
        {
            var n = 0;
            for (var i = 0; i < along; i++)
            {
                var t = length * (0.05 + (0.9 * i / along));
                var (x, y) = (((x0 + (t * ux) - (j * stride * uy)) / _face.UmPerPx) + _face.XPx, ((y0 + (t * uy) + (j * stride * ux)) / _face.UmPerPx) + _face.YPx);
                if (Smooth(x, y) is { } v)
                {
                    at[n++] = v;
                }
            }

            profile[j + Reach] = FiberLocator.Median(at[..n]);
        }

        var peak = Enumerable.Range(Reach - 12, 25).MaxBy(i => Math.Abs(profile[i]));
        var half = Math.Abs(profile[peak]) / 2;
        var (left, right) = ((double)peak, (double)peak);
        while (left > 0 && Math.Abs(profile[(int)left]) > half)
        {
            left--;
        }

        while (right < profile.Length - 1 && Math.Abs(profile[(int)right]) > half)
        {
            right++;
        }

        var seen = Math.Max(1, right - left - 1) * stride;
        var blur = 2.355 * Math.Sqrt((_face.BlurUm * _face.BlurUm) + Math.Pow(_limits.FineBlurPx * _face.UmPerPx, 2));
        return Math.Clamp(Math.Cbrt(Math.Max(0, Math.Pow(seen, 3) - Math.Pow(blur, 3))), 0.4, 50);
    }

    private float? Smooth(double x, double y)
    {
        var (left, top) = ((int)Math.Floor(x), (int)Math.Floor(y));
        if (left < 0 || top < 0 || left >= _face.Width - 1 || top >= _face.Height - 1)
        {
            return null;
        }

        var (fx, fy) = ((float)(x - left), (float)(y - top));
        var i = (top * _face.Width) + left;
        var above = _smooth[i] + (fx * (_smooth[i + 1] - _smooth[i]));
        var below = _smooth[i + _face.Width] + (fx * (_smooth[i + _face.Width + 1] - _smooth[i + _face.Width]));
        return above + (fy * (below - above));
    }
}
