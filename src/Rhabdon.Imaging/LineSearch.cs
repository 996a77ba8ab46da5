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

        // Wide enough to see a stroke that runs from side to side across the line.
        var width = WidthOf(line.X0, line.Y0, line.X1, line.Y1);
        var most = _limits.Stroke.MostlyBentUm + (_limits.Stroke.MostlyBentShare * lengthUm);
        var on = body.Where(d => line.Away(d) < Math.Max(2 * width, width + 1.5) && line.Spans(d)).ToList();
        if (on.Count > 8 && PatchShape.Of(on, _face.UmPerPx).Bent(on, _face.UmPerPx, _limits.Stroke) < most)
        {
            return true;
        }

        // No crack is as wide as this. Of wide strokes that cross each has a ridge of its own, and one lies on the line.
        if (width < _limits.Stroke.WidestCrackUm)
        {
            return false;
        }

        var (ux, uy) = ((line.X1 - line.X0) / line.Length, (line.Y1 - line.Y0) / line.Length);
        var cell = Math.Max(_limits.Stroke.LineGapUm, _limits.Stroke.LineGapPx * _face.UmPerPx);
        var strays = new Ridge(patch, _face.Width).Dots.Where(d => line.Spans(d) && line.Away(d) < Math.Max(4, 0.25 * line.Length))
            .GroupBy(d => (int)(((d.X - line.X0) * ux + ((d.Y - line.Y0) * uy)) / cell)).Select(c => c.Min(line.Away)).Order().ToList();
        return strays.Count > 3 && strays[(int)(strays.Count * _limits.Stroke.CrossedQuantile)] < most;
    }

    /// <summary>The longest straight run of a patch's ridge, by trying pairs of its pixels. The ridge of a stroke of any width is a thin line, also beside others that cross it.</summary>
    public ScratchLine? Longest(List<Dot> patch)
    {
        if (_tries-- <= 0)
        {
            return null;
        }

        var (px, stroke) = (_face.UmPerPx, _limits.Stroke);
        var random = new Random(patch.Count);
        var shape = new Ridge(patch, _face.Width);
        // On a face that is worn all over, every so manieth tells as much.
        var every = 1 + (shape.Dots.Count / stroke.LineSample);
        var ridge = every == 1 ? shape.Dots : [.. shape.Dots.Where((_, i) => i % every == 0)];
        var cellUm = 1.5 * px * every;
        var half = Math.Max(stroke.LineHalfUm, stroke.LineHalfPx * px);
        var gap = Math.Max(stroke.LineGapUm, stroke.LineGapPx * px);
        (double Score, ScratchLine Line)? best = null;
        for (var trial = 0; trial < stroke.LineTrials && ridge.Count > 1; trial++)
        {
            var (a, b) = (ridge[random.Next(ridge.Count)], ridge[random.Next(ridge.Count)]);
            var length = double.Hypot(b.X - a.X, b.Y - a.Y);
            if (length < stroke.LeastPairUm)
            {
                continue;
            }

            var (ux, uy) = ((b.X - a.X) / length, (b.Y - a.Y) / length);
            // As far as the line itself stays inside the patch.
            var (start, end) = shape.Run(a, ux, uy, px, gap);
            var run = end - start;
            if (run < _limits.LeastScratchUm + 1)
            {
                continue;
            }

            var (cells, on, beside) = (new bool[(int)(run / cellUm) + 2], 0, 0);
            foreach (var d in ridge)
            {
                var along = ((d.X - a.X) * ux) + ((d.Y - a.Y) * uy);
                var away = Math.Abs((-(d.X - a.X) * uy) + ((d.Y - a.Y) * ux));
                if (along < start || along > end)
                {
                    continue;
                }

                if (away < half)
                {
                    ref var cell = ref cells[(int)((along - start) / cellUm)];
                    on += cell ? 0 : 1;
                    cell = true;
                }
                else if (away < Math.Max(stroke.BesideUm, run * stroke.BesideShare))
                {
                    beside++;
                }
            }

            // Long, and the ridge all along it: what lies beside counts against it.
            var filled = on * cellUm / run;
            var score = run * (Math.Min(1, filled) - (stroke.BesideWeight * beside / Math.Max(1.0, on + beside)));
            if (filled > stroke.LineFill && (best is null || score > best.Value.Score))
            {
                best = (score, new(a.X + (start * ux), a.Y + (start * uy), a.X + (end * ux), a.Y + (end * uy), 0));
            }
        }

        return best is { } b2 && b2.Score > stroke.LeastScore ? Refined(b2.Line, shape, half, gap) : null;
    }

    /// <summary>Laid through the ridge that it was found on: two pixels give a direction that is a little off.</summary>
    private ScratchLine Refined(ScratchLine line, Ridge shape, double half, double gap)
    {
        for (var pass = 0; pass < 2; pass++)
        {
            var on = shape.Dots.Where(d => line.Away(d) < half && line.Spans(d)).ToList();
            if (on.Count < 5)
            {
                return line;
            }

            var axis = PatchShape.Of(on, _face.UmPerPx);
            var from = on.MinBy(d => double.Hypot(d.X - axis.Middle.X, d.Y - axis.Middle.Y));
            var (start, end) = shape.Run(from, axis.Ux, axis.Uy, _face.UmPerPx, gap);
            if (end - start < 0.8 * line.Length)
            {
                return line;
            }

            line = new(from.X + (start * axis.Ux), from.Y + (start * axis.Uy), from.X + (end * axis.Ux), from.Y + (end * axis.Uy), 0);
        }

        return line;
    }

    /// <summary>Full width at half depth of the mean profile across a scratch, with the blur taken out.</summary>
    public double WidthOf(double x0, double y0, double x1, double y1)
    {
        var length = Math.Max(1e-6, double.Hypot(x1 - x0, y1 - y0));
        var (ux, uy) = ((x1 - x0) / length, (y1 - y0) / length);
        // Wide enough for both flanks of the widest.
        var stride = _face.UmPerPx / 4;
        var reach = Math.Max(40, (int)(7.5 / stride));
        var profile = new double[(2 * reach) + 1];
        var along = Math.Clamp((int)(length / _face.UmPerPx), 8, 300);
        Span<float> at = stackalloc float[along];
        for (var j = -reach; j <= reach; j++)
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

            profile[j + reach] = FiberLocator.Median(at[..n]);
        }

        var peak = Enumerable.Range(reach - 12, 25).MaxBy(i => Math.Abs(profile[i]));
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
