using OpenCvSharp;
using Rhabdon.Core.Inspection;

namespace Rhabdon.Imaging;

/// <summary>Takes what stands out of a flattened face apart into scratches and spots.</summary>
internal sealed class FindingSearch
{
    private const double SmoothPx = 0.8, CoarsePx = 2.6;
    private const double LeastSpotUm = 1.1, LeastScratchUm = 6;

    private readonly Face _face;
    private readonly float[] _smooth;

    /// <summary>Which pixels are in the group at hand: those that carry its number.</summary>
    private readonly int[] _marks;
    private int _mark;

    /// <summary>Tries of a line that are left. A face that is worn all over is judged by the strokes found so far.</summary>
    private int _lineTries = 60;
    private readonly List<SeenFinding> _spots = [];
    private readonly List<Line> _lines = [];

    /// <summary>A straight scratch in micrometres.</summary>
    private sealed record Line(double X0, double Y0, double X1, double Y1, double Width)
    {
        public double Length => double.Hypot(X1 - X0, Y1 - Y0);
    }

    /// <summary>A pixel of a patch, in micrometres from the centre.</summary>
    private readonly record struct Dot(double X, double Y, float Value, int Index);

    private FindingSearch(Face face, float[] smooth) => (_face, _smooth, _marks) = (face, smooth, new int[face.Width * face.Height]);

    /// <summary>Gives the dots a number of their own, by which their neighbours tell who belongs to them.</summary>
    private int Marked(List<Dot> dots)
    {
        _mark++;
        foreach (var d in dots)
        {
            _marks[d.Index] = _mark;
        }

        return _mark;
    }

    /// <summary>True where the neighbour of a pixel carries the number.</summary>
    private bool Marked(int index, int mark) => (uint)index < (uint)_marks.Length && _marks[index] == mark;

    public static IReadOnlyList<SeenFinding> In(Face face)
    {
        using var fine = new Mat();
        Cv2.GaussianBlur(face.Residual, fine, new Size(0, 0), SmoothPx);
        var search = new FindingSearch(face, fine.AsSpan<float>().ToArray());
        var taken = new byte[face.Width * face.Height];
        search.Patches(fine, 5, 0.055, LeastSpotUm, taken, false);
        // What is faint and wide shows only when more of it is looked at together.
        using var coarse = new Mat();
        Cv2.GaussianBlur(face.Residual, coarse, new Size(0, 0), CoarsePx);
        var size = (2 * (int)Math.Ceiling(2.5 / face.UmPerPx)) + 1;
        using var around = Cv2.GetStructuringElement(MorphShapes.Ellipse, new Size(size, size));
        using var near = Mat.FromPixelData(face.Height, face.Width, MatType.CV_8UC1, taken);
        Cv2.Dilate(near, near, around);
        search.Patches(coarse, 7, 0.03, 4, taken, true);
        var scratches = search.Joined().ToList();
        return search.WithoutLeftovers([.. search.WithoutDoubles(), .. scratches]);
    }

    /// <summary>Zone C is judged by nothing, and the edges in it leave traces of their own.</summary>
    private bool Judged(int i) => _face.Radius[i] is var rUm && !_face.AtFrame(i) && (rUm < Math.Min(61, _face.EdgeUm - 1.3) || (rUm > _face.RingOuterUm + 1.3 && rUm > 64.5 && rUm < Face.ReachUm));

    /// <summary>From each pixel that stands out clearly, everything about it that stands out half as much and is judged.</summary>
    private void Patches(Mat values, double sigmas, double share, double leastUm, byte[] taken, bool faint)
    {
        var v = values.AsSpan<float>().ToArray();
        var (inner, outer) = (_face.NoiseOf(v, 14, 58), _face.NoiseOf(v, 68, 120));
        var (cladding, ferrule) = ((float)Math.Max(sigmas * inner, share * _face.CladdingLevel), (float)Math.Max((sigmas + 1) * outer, 2.2 * share * _face.CladdingLevel));
        var least = Math.Min(cladding, ferrule);
        var seen = faint ? taken.ToArray() : new byte[v.Length];
        var (w, h) = (_face.Width, _face.Height);
        var patch = new List<Dot>();
        for (var i = 0; i < v.Length; i++)
        {
            if (Math.Abs(v[i]) <= least || seen[i] != 0 || Math.Abs(v[i]) <= Limit(i) || !Judged(i))
            {
                continue;
            }

            var sign = MathF.Sign(v[i]);
            patch.Clear();
            patch.Add(At(i, sign * v[i]));
            seen[i] = 1;
            for (var n = 0; n < patch.Count; n++)
            {
                var (x, y) = (patch[n].Index % w, patch[n].Index / w);
                for (var ny = Math.Max(0, y - 1); ny <= Math.Min(h - 1, y + 1); ny++)
                {
                    for (var nx = Math.Max(0, x - 1); nx <= Math.Min(w - 1, x + 1); nx++)
                    {
                        var j = (ny * w) + nx;
                        if (seen[j] == 0 && sign * v[j] > Limit(j) / 2 && Judged(j))
                        {
                            seen[j] = 1;
                            patch.Add(At(j, sign * v[j]));
                        }
                    }
                }
            }

            // Light from the core itself is no finding.
            if (sign > 0 && patch.All(d => d.X * d.X + d.Y * d.Y < 64) && patch.Max(d => d.Value) < 0.3 * _face.CladdingLevel)
            {
                continue;
            }

            var found = _spots.Count + _lines.Count;
            TakeApart([.. patch], leastUm, faint, 0);
            if (_spots.Count + _lines.Count > found)
            {
                foreach (var d in patch)
                {
                    taken[d.Index] = 255;
                }
            }
        }

        float Limit(int i) => _face.Radius[i] < _face.EdgeUm ? cladding : _face.NearFrame(i) ? 1.7f * ferrule : ferrule;
    }

    private Dot At(int i, float value) => new(((i % _face.Width) - _face.XPx) * _face.UmPerPx, ((i / _face.Width) - _face.YPx) * _face.UmPerPx, value, i);

    /// <summary>A patch is a spot, a scratch, or several of them that touch.</summary>
    private void TakeApart(List<Dot> patch, double leastUm, bool faint, int depth)
    {
        var px = _face.UmPerPx;
        var high = Share(patch, 0.85) / 2;
        var body = patch.Where(d => d.Value >= high).ToList();
        if (body.Count < 3)
        {
            return;
        }

        var shape = Shape.Of(body, px);
        var diameter = 2 * Math.Sqrt(body.Count * px * px / Math.PI);
        if (diameter < leastUm && shape.Length < LeastScratchUm)
        {
            return;
        }

        // Slivers along a scratch that was taken out are its own ragged edge.
        if (depth > 0 && shape.Length < 1.3 * LeastScratchUm && (shape.Elongation > 2 || diameter < 2.8))
        {
            return;
        }

        if (OnRim(body, shape) is { } chip)
        {
            _spots.Add(chip);
            return;
        }

        if (!faint && shape.Elongation > 2.4 && shape.Length >= LeastScratchUm && shape.Jagged(body, px) && !MostlyStraight(patch, body, shape.Length))
        {
            _spots.Add(SeenFinding.Spot(FindingKind.Crack, shape.Middle.X, shape.Middle.Y, Math.Min(250, shape.Length)));
            return;
        }

        if (shape.Length < 4 || shape.Elongation < 2.4)
        {
            AddSpot(body, shape, diameter, faint);
            return;
        }

        if (!faint && shape.Elongation > 3 && shape.Straight(body, px) && shape.Length >= LeastScratchUm)
        {
            AddLine(shape.Ends.X0, shape.Ends.Y0, shape.Ends.X1, shape.Ends.Y1);
            return;
        }

        if (!faint && depth < 6 && LongestLine(patch) is { } line)
        {
            var added = AddLine(line.X0, line.Y0, line.X1, line.Y1);
            var half = (added.Width / 2) + (1.6 * px) + (1.2 * _face.BlurUm);
            var rest = patch.Where(d => Away(d, line) > half || !Within(d, line)).ToList();
            if (rest.Count < patch.Count)
            {
                foreach (var part in Touching(rest).Where(p => p.Count * px * px > 1.5))
                {
                    TakeApart(part, leastUm, faint, depth + 1);
                }

                return;
            }
        }

        AddSpot(body, shape, diameter, faint);
    }

    private void AddSpot(List<Dot> body, Shape shape, double diameter, bool faint)
    {
        var (x, y) = (body.Average(d => d.X), body.Average(d => d.Y));
        var contrast = Share(body, 0.5) / _face.CladdingLevel;
        var round = body.Count * _face.UmPerPx * _face.UmPerPx / (Math.PI / 4 * shape.Length * shape.Length);
        // The standard's diameter is that of the circle around it; for what is nearly round the area tells it with less noise.
        var measured = round > 0.62 || faint ? diameter : shape.Length;
        var kind = shape.Elongation > 2.6 && round < 0.35 ? FindingKind.Crack
            : faint || (measured > 6 && contrast < 0.3) ? FindingKind.Residue
            : measured < 4 && round > 0.8 ? FindingKind.Pit
            : FindingKind.Particle;
        _spots.Add(SeenFinding.Spot(kind, x, y, Math.Min(250, measured)));
    }

    private double InnerLimitUm => Math.Min(61, _face.EdgeUm - 1.3);

    private double OuterLimitUm => Math.Max(64.5, _face.RingOuterUm + 1.3);

    /// <summary>What lies along the edge of the cladding goes on under the ring: a chip, whose outline on this side tells how far.</summary>
    private SeenFinding? OnRim(List<Dot> body, Shape shape)
    {
        var (x, y) = (body.Average(d => d.X), body.Average(d => d.Y));
        var r = double.Hypot(x, y);
        var inner = r < InnerLimitUm;
        var touching = body.Count(d => double.Hypot(d.X, d.Y) is var far && (inner ? far > InnerLimitUm - (1.5 * _face.UmPerPx) : far < OuterLimitUm + (1.5 * _face.UmPerPx))) * _face.UmPerPx / 1.5;
        // A chip's visible part lies along the edge, a scratch that ends there points at it.
        var across = Math.Abs(((x * shape.Ux) + (y * shape.Uy)) / Math.Max(1, r));
        if (touching < 0.45 * shape.Length || r > OuterLimitUm + 12 || (shape.Elongation > 2.2 && across > 0.4))
        {
            return null;
        }

        var tip = inner ? body.Min(d => double.Hypot(d.X, d.Y)) : body.Max(d => double.Hypot(d.X, d.Y));
        var size = Math.Clamp(2 * Math.Abs((EndFaces.CladdingUm / 2) - 1 - tip), shape.Length, shape.Length * 1.3);
        var at = inner ? tip + (size / 2) : tip - (size / 2);
        return SeenFinding.Spot(FindingKind.Chip, x / r * at, y / r * at, Math.Min(250, size));
    }

    private Line AddLine(double x0, double y0, double x1, double y1)
    {
        var line = new Line(x0, y0, x1, y1, WidthOf(x0, y0, x1, y1));
        _lines.Add(line);
        return line;
    }

    /// <summary>Full width at half depth of the mean profile across a scratch, with the blur taken out.</summary>
    private double WidthOf(double x0, double y0, double x1, double y1)
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
        var blur = 2.355 * Math.Sqrt((_face.BlurUm * _face.BlurUm) + Math.Pow(SmoothPx * _face.UmPerPx, 2));
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

    /// <summary>True when one straight stroke runs through most of a patch, whatever crosses it.</summary>
    private bool MostlyStraight(List<Dot> patch, List<Dot> body, double lengthUm)
    {
        if (LongestLine(patch) is not { } line || line.Length < 0.62 * lengthUm)
        {
            return false;
        }

        var width = WidthOf(line.X0, line.Y0, line.X1, line.Y1);
        // Wide enough to see a stroke that runs from side to side across the line.
        var on = body.Where(d => Away(d, line) < Math.Max(2 * width, width + 1.5) && Within(d, line)).ToList();
        return on.Count > 8 && Shape.Of(on, _face.UmPerPx).Bent(on, _face.UmPerPx) < 0.25 + (0.01 * lengthUm);
    }

    /// <summary>The longest thin straight run in a patch, by trying pairs of its pixels.</summary>
    private Line? LongestLine(List<Dot> patch)
    {
        if (_lineTries-- <= 0)
        {
            return null;
        }

        var px = _face.UmPerPx;
        var random = new Random(patch.Count);
        var some = patch.Count <= 900 ? patch : [.. patch.Where((_, i) => i % (1 + (patch.Count / 900)) == 0)];
        var thin = some.Count / (double)patch.Count;
        // A strip's area is half its outline times its width.
        var inside = Marked(patch);
        var outline = patch.Count(d => !Marked(d.Index - 1, inside) || !Marked(d.Index + 1, inside) || !Marked(d.Index - _face.Width, inside) || !Marked(d.Index + _face.Width, inside));
        var half = Math.Max(Math.Max(0.5, 1.2 * px), 1.15 * patch.Count * px / Math.Max(1, outline));
        (double Score, Line Line)? best = null;
        for (var trial = 0; trial < 160; trial++)
        {
            var (a, b) = (some[random.Next(some.Count)], some[random.Next(some.Count)]);
            var length = double.Hypot(b.X - a.X, b.Y - a.Y);
            if (length < 5)
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
            var gap = Math.Max(1.2, 2.5 * px) / Math.Max(0.25, thin);
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
                beside += along > start && along < end && away < Math.Max(4, run * 0.25) && away >= 1.25 * half ? 1 : 0;
            }

            // Long and thin: what lies beside counts against it.
            var score = run - (0.35 * beside / Math.Max(1.0, on.Count) * run);
            var filled = (bestTo - bestFrom + 1) / thin * px * px / Math.Max(1e-6, run * 2 * half);
            if (filled > 0.55 && run >= Math.Max(LeastScratchUm + 1, 5 * half) && (best is null || score > best.Value.Score))
            {
                best = (score, new(a.X + (start * ux), a.Y + (start * uy), a.X + (end * ux), a.Y + (end * uy), 0));
            }
        }

        return best is { Score: > 5 } b2 ? b2.Line : null;
    }

    private static double Away(Dot d, Line l) => Math.Abs((-(d.X - l.X0) * (l.Y1 - l.Y0)) + ((d.Y - l.Y0) * (l.X1 - l.X0))) / Math.Max(1e-6, l.Length);

    private static bool Within(Dot d, Line l)
    {
        var t = (((d.X - l.X0) * (l.X1 - l.X0)) + ((d.Y - l.Y0) * (l.Y1 - l.Y0))) / Math.Max(1e-6, l.Length);
        return t > -1.5 && t < l.Length + 1.5;
    }

    private List<List<Dot>> Touching(List<Dot> dots)
    {
        var left = Marked(dots);
        var groups = new List<List<Dot>>();
        var w = _face.Width;
        var at = dots.ToDictionary(d => d.Index);
        foreach (var first in dots)
        {
            if (!Marked(first.Index, left))
            {
                continue;
            }

            _marks[first.Index] = 0;
            var group = new List<Dot> { first };
            for (var i = 0; i < group.Count; i++)
            {
                foreach (var step in (ReadOnlySpan<int>)[-w - 1, -w, -w + 1, -1, 1, w - 1, w, w + 1])
                {
                    var j = group[i].Index + step;
                    if (Marked(j, left))
                    {
                        _marks[j] = 0;
                        group.Add(at[j]);
                    }
                }
            }

            groups.Add(group);
        }

        return groups;
    }

    /// <summary>A chip shows on both sides of the ring; it is one.</summary>
    private IEnumerable<SeenFinding> WithoutDoubles()
    {
        var chips = _spots.Where(s => s.Kind == FindingKind.Chip).OrderBy(s => double.Hypot(s.XUm!.Value, s.YUm!.Value)).ToList();
        var doubles = chips.Where((c, i) => chips.Take(i).Any(o => double.Hypot(c.XUm!.Value - o.XUm!.Value, c.YUm!.Value - o.YUm!.Value) < (c.SizeUm + o.SizeUm) / 2)).ToHashSet();
        return _spots.Where(s => !doubles.Contains(s));
    }

    /// <summary>What covers most of a thin core hides how bright it is; the bits of it that show then stand out beside what covers it.
    /// Only what fails the face in any class takes them along.</summary>
    private List<SeenFinding> WithoutLeftovers(List<SeenFinding> found)
    {
        if (_face.ThickCore)
        {
            return found;
        }

        var covers = found.Where(f => f.SizeUm > 3.3 && f.Reach().NearUm < 5).ToList();
        return [.. found.Where(f => f.Reach().FarUm > 11 || covers.All(c => c == f || Extent(c) < Extent(f) * 0.8 || Gap(c, f) > 2))];
    }

    private static double Extent(SeenFinding f) => f.Kind == FindingKind.Scratch ? double.Hypot(f.X1Um!.Value - f.X0Um!.Value, f.Y1Um!.Value - f.Y0Um!.Value) : f.SizeUm;

    /// <summary>How far the edges of two findings lie apart, about; the second is small.</summary>
    private static double Gap(SeenFinding a, SeenFinding b)
    {
        var (x, y) = b.Kind == FindingKind.Scratch ? ((b.X0Um!.Value + b.X1Um!.Value) / 2, (b.Y0Um!.Value + b.Y1Um!.Value) / 2) : (b.XUm!.Value, b.YUm!.Value);
        var moved = a with { XUm = a.XUm - x, YUm = a.YUm - y, X0Um = a.X0Um - x, Y0Um = a.Y0Um - y, X1Um = a.X1Um - x, Y1Um = a.Y1Um - y };
        return moved.Reach().NearUm - (b.SizeUm / 2);
    }

    /// <summary>Pieces of one scratch that a crossing, the core or the ring cut apart.</summary>
    private IEnumerable<SeenFinding> Joined()
    {
        var lines = _lines.OrderByDescending(l => l.Length).ToList();
        for (var i = 0; i < lines.Count; i++)
        {
            for (var j = i + 1; j < lines.Count; j++)
            {
                if (Join(lines[i], lines[j]) is { } one)
                {
                    lines[i] = one;
                    lines.RemoveAt(j);
                    j = i;
                }
            }
        }

        AbsorbStubs(lines);
        return lines.Select(l => SeenFinding.Scratch(l.X0, l.Y0, l.X1, l.Y1, l.Width));
    }

    /// <summary>A scratch that the ring cuts leaves a stub on its other side.</summary>
    private void AbsorbStubs(List<Line> lines)
    {
        for (var i = 0; i < lines.Count; i++)
        {
            var l = lines[i];
            var (ux, uy) = ((l.X1 - l.X0) / l.Length, (l.Y1 - l.Y0) / l.Length);
            foreach (var s in _spots.Where(s => double.Hypot(s.XUm!.Value, s.YUm!.Value) is > 55 and < 72 && s.SizeUm < (2.5 * l.Width) + 4).ToList())
            {
                var (x, y) = (s.XUm!.Value - l.X0, s.YUm!.Value - l.Y0);
                var along = (x * ux) + (y * uy);
                if (Math.Abs((-x * uy) + (y * ux)) > (l.Width / 2) + 1.5 || along < -11 || along > l.Length + 11)
                {
                    continue;
                }

                _spots.Remove(s);
                l = along < 0 ? l with { X0 = l.X0 + (along * ux), Y0 = l.Y0 + (along * uy) }
                    : along > l.Length ? l with { X1 = l.X0 + (along * ux), Y1 = l.Y0 + (along * uy) } : l;
            }

            lines[i] = l;
        }
    }

    private Line? Join(Line a, Line b)
    {
        var (ux, uy) = ((a.X1 - a.X0) / a.Length, (a.Y1 - a.Y0) / a.Length);
        var cross = Math.Abs((ux * (b.Y1 - b.Y0)) - (uy * (b.X1 - b.X0))) / b.Length;
        if (cross > Math.Sin(6 * Math.PI / 180) + (0.8 / b.Length))
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
        if (gap > 9)
        {
            return null;
        }

        var points = new[] { (a.X0, a.Y0), (a.X1, a.Y1), (b.X0, b.Y0), (b.X1, b.Y1) };
        var (first, last) = (points.MinBy(p => Along(p.Item1, p.Item2)), points.MaxBy(p => Along(p.Item1, p.Item2)));
        return new(first.Item1, first.Item2, last.Item1, last.Item2, ((a.Width * a.Length) + (b.Width * b.Length)) / (a.Length + b.Length));
    }

    private static float Share(List<Dot> dots, double share)
    {
        var values = dots.Select(d => d.Value).ToArray();
        return FiberLocator.Percentile(values, share);
    }

    /// <summary>A patch's main axis.</summary>
    private sealed record Shape(double X, double Y, double Ux, double Uy, double From, double To, double Length, double Elongation)
    {
        public (double X0, double Y0, double X1, double Y1) Ends => (X + (From * Ux), Y + (From * Uy), X + (To * Ux), Y + (To * Uy));

        public static Shape Of(List<Dot> dots, double px)
        {
            var (x, y) = (dots.Average(d => d.X), dots.Average(d => d.Y));
            double xx = 0, yy = 0, xy = 0;
            foreach (var d in dots)
            {
                xx += (d.X - x) * (d.X - x);
                yy += (d.Y - y) * (d.Y - y);
                xy += (d.X - x) * (d.Y - y);
            }

            var angle = 0.5 * Math.Atan2(2 * xy, xx - yy);
            var (ux, uy) = (Math.Cos(angle), Math.Sin(angle));
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
        public bool Jagged(List<Dot> dots, double px)
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
            var filled = used.Count(i => count[i] * px * px / (Length / cells) > 0.6 * (high[i] - low[i] + px));
            return bent > Math.Max(0.3, 0.018 * Length) && bent > 0.2 * dots.Count * px * px / Length && filled > used.Count * 0.88 && used.Count > cells * 0.8;
        }

        /// <summary>How far the middle of the stroke strays from a straight line, in micrometres.</summary>
        public double Bent(List<Dot> dots, double px)
        {
            var cells = dots.GroupBy(d => (int)((((d.X - X) * Ux) + ((d.Y - Y) * Uy)) / Math.Max(1.2, 2.5 * px)));
            var strays = cells.Select(c => Math.Abs(c.Average(d => (-(d.X - X) * Uy) + ((d.Y - Y) * Ux)))).Order().ToList();
            // Where another stroke crosses the middle is drawn aside; the rest tells.
            return strays[(int)(strays.Count * 0.75)] * 0.8;
        }

        /// <summary>One straight stroke of about the same width all along.</summary>
        public bool Straight(List<Dot> dots, double px)
        {
            var cells = Math.Clamp((int)(Length / Math.Max(1.2, 2.5 * px)), 3, 60);
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
            return bent < Math.Max(0.22, 0.01 * Length) + (0.2 * px) && used.Count > cells * 0.75 && used.Max(i => count[i]) < (2.1 * usual) + 4;
        }
    }
}
