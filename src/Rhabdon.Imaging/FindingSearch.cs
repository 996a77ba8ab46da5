using OpenCvSharp;
using Rhabdon.Core.Inspection;

namespace Rhabdon.Imaging;

/// <summary>Takes what stands out of a flattened face apart into scratches and spots.</summary>
internal sealed class FindingSearch
{
    private readonly Face _face;
    private readonly LineSearch _straight;
    private readonly FindingThresholds _limits;
    private readonly List<SeenFinding> _spots = [];
    private readonly List<ScratchLine> _lines = [];

    private FindingSearch(Face face, LineSearch straight, FindingThresholds limits) => (_face, _straight, _limits) = (face, straight, limits);

    /// <summary>All findings of a face, in no order.</summary>
    public static IReadOnlyList<SeenFinding> In(Face face)
    {
        var limits = FindingThresholds.Ours;
        using var fine = new Mat();
        Cv2.GaussianBlur(face.Residual, fine, new Size(0, 0), limits.FineBlurPx);
        var values = fine.AsSpan<float>().ToArray();
        var search = new FindingSearch(face, new(face, values, limits), limits);
        var taken = new byte[face.Width * face.Height];
        search.Patches(values, limits.FineSigmas, limits.FineShare, limits.LeastSpotUm, taken, false);
        // What is faint and wide shows only when more of it is looked at together.
        using var coarse = new Mat();
        Cv2.GaussianBlur(face.Residual, coarse, new Size(0, 0), limits.CoarseBlurPx);
        using var near = Mat.FromPixelData(face.Height, face.Width, MatType.CV_8UC1, taken);
        using var away = new Mat();
        Cv2.BitwiseNot(near, away);
        Cv2.DistanceTransform(away, away, DistanceTypes.L2, DistanceTransformMasks.Mask5);
        Cv2.Compare(away, limits.FaintAwayUm / face.UmPerPx, near, CmpTypes.LT);
        search.Patches(coarse.AsSpan<float>().ToArray(), limits.CoarseSigmas, limits.CoarseShare, limits.LeastFaintUm, taken, true);
        var scratches = search.Joined().ToList();
        return search.WithoutLeftovers([.. search.WithoutDoubles(), .. scratches]);
    }

    /// <summary>Zone C is judged by nothing, and the edges in it leave traces of their own.</summary>
    private bool Judged(int i) => _face.Radius[i] is var rUm && !_face.AtFrame(i) && (rUm < Math.Min(61, _face.EdgeUm - 1.3) || (rUm > _face.RingOuterUm + 1.3 && rUm > 64.5 && rUm < Face.ReachUm));

    /// <summary>From each pixel that stands out clearly, everything about it that stands out half as much and is judged.</summary>
    /// <param name="taken">What belongs to a finding already; what is found is added.</param>
    private void Patches(float[] values, double sigmas, double share, double leastUm, byte[] taken, bool faint)
    {
        var (inner, outer) = (_face.NoiseOf(values, 14, 58), _face.NoiseOf(values, 68, 120));
        var (cladding, ferrule) = ((float)Math.Max(sigmas * inner, share * _face.CladdingLevel), (float)Math.Max((sigmas + 1) * outer, 2.2 * share * _face.CladdingLevel));
        float Limit(int i) => _face.Radius[i] < _face.EdgeUm ? cladding : _face.NearFrame(i) ? 1.7f * ferrule : ferrule;
        var least = Math.Min(cladding, ferrule) / 2;
        foreach (var sign in (ReadOnlySpan<int>)[-1, 1])
        {
            var mask = new byte[values.Length];
            var begins = false;
            for (var i = 0; i < values.Length; i++)
            {
                var value = sign * values[i];
                // Few pixels get past the first.
                if (value > least && Limit(i) is var limit && value > limit / 2 && !(faint && taken[i] != 0) && Judged(i))
                {
                    mask[i] = 255;
                    begins |= value > limit;
                }
            }

            foreach (var part in begins ? Parts(mask) : [])
            {
                if (!part.Any(i => Math.Abs(values[i]) > Limit(i)))
                {
                    continue;
                }

                var patch = part.ConvertAll(i => At(i, sign * values[i]));
                // Light from the core itself is no finding.
                if (sign > 0 && patch.All(d => (d.X * d.X) + (d.Y * d.Y) < _limits.CoreLightUm * _limits.CoreLightUm) && patch.Max(d => d.Value) < _limits.CoreLightShare * _face.CladdingLevel)
                {
                    continue;
                }

                var found = _spots.Count + _lines.Count;
                TakeApart(patch, leastUm, faint, 0);
                if (_spots.Count + _lines.Count > found)
                {
                    part.ForEach(i => taken[i] = 255);
                }
            }
        }
    }

    /// <summary>The pixels of a mask, those together that touch.</summary>
    private List<List<int>> Parts(byte[] mask)
    {
        using var picture = Mat.FromPixelData(_face.Height, _face.Width, MatType.CV_8UC1, mask);
        using var labels = new Mat();
        var parts = Enumerable.Range(0, Cv2.ConnectedComponents(picture, labels)).Select(_ => new List<int>()).ToList();
        var of = labels.AsSpan<int>();
        for (var i = 0; i < of.Length; i++)
        {
            if (mask[i] != 0)
            {
                parts[of[i]].Add(i);
            }
        }

        return parts[1..];
    }

    private Dot At(int i, float value) => new(((i % _face.Width) - _face.XPx) * _face.UmPerPx, ((i / _face.Width) - _face.YPx) * _face.UmPerPx, value, i);

    /// <summary>A patch is a spot, a scratch, or several of them that touch.</summary>
    private void TakeApart(List<Dot> patch, double leastUm, bool faint, int depth)
    {
        var px = _face.UmPerPx;
        var high = Share(patch, _limits.BodyQuantile) / 2;
        var body = patch.Where(d => d.Value >= high).ToList();
        if (body.Count < 3)
        {
            return;
        }

        var shape = PatchShape.Of(body, px);
        var diameter = 2 * Math.Sqrt(body.Count * px * px / Math.PI);
        if (diameter < leastUm && shape.Length < _limits.LeastScratchUm)
        {
            return;
        }

        // Slivers along a scratch that was taken out are its own ragged edge.
        if (depth > 0 && shape.Length < 1.3 * _limits.LeastScratchUm && (shape.Elongation > 2 || diameter < 2.8))
        {
            return;
        }

        if (OnRim(body, shape) is { } chip)
        {
            _spots.Add(chip);
            return;
        }

        if (!faint && shape.Elongation > _limits.LongElongation && shape.Length >= _limits.LeastScratchUm && shape.Jagged(body, px, _limits.Stroke) && !_straight.MostlyStraight(patch, body, shape.Length))
        {
            _spots.Add(SeenFinding.Spot(FindingKind.Crack, shape.Middle.X, shape.Middle.Y, Math.Min(250, shape.Length)));
            return;
        }

        if (shape.Length < 4 || shape.Elongation < _limits.LongElongation)
        {
            AddSpot(body, shape, diameter, faint);
            return;
        }

        if (!faint && shape.Elongation > _limits.StraightElongation && shape.Straight(body, px, _limits.Stroke) && shape.Length >= _limits.LeastScratchUm)
        {
            AddLine(shape.Ends.X0, shape.Ends.Y0, shape.Ends.X1, shape.Ends.Y1);
            return;
        }

        if (!faint && depth < 6 && _straight.Longest(patch) is { } line)
        {
            var added = AddLine(line.X0, line.Y0, line.X1, line.Y1);
            var half = (added.Width / 2) + (1.6 * px) + (1.2 * _face.BlurUm);
            var rest = patch.Where(d => line.Away(d) > half || !line.Spans(d)).ToList();
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

    private void AddSpot(List<Dot> body, PatchShape shape, double diameter, bool faint)
    {
        var (x, y) = (body.Average(d => d.X), body.Average(d => d.Y));
        var contrast = Share(body, 0.5) / _face.CladdingLevel;
        var round = body.Count * _face.UmPerPx * _face.UmPerPx / (Math.PI / 4 * shape.Length * shape.Length);
        // The standard's diameter is that of the circle around it; for what is nearly round the area tells it with less noise.
        // A core that is hardly darker than its cladding was not seen as one.
        if (!_face.ThickCore && _face.CoreUm is null && contrast < _limits.MostResidueContrast && double.Hypot(x, y) < _limits.WeakCoreOffUm && diameter > _limits.LeastWeakCoreUm && diameter < _limits.MostWeakCoreUm)
        {
            return;
        }

        var measured = round > _limits.RoundFill || faint ? diameter : shape.Length;
        var kind = shape.Elongation > _limits.CrackElongation && round < _limits.CrackFill ? FindingKind.Crack
            : faint || (measured > _limits.LeastResidueUm && contrast < _limits.MostResidueContrast) ? FindingKind.Residue
            : measured < _limits.MostPitUm && round > _limits.PitFill ? FindingKind.Pit
            : FindingKind.Particle;
        _spots.Add(SeenFinding.Spot(kind, x, y, Math.Min(250, measured)));
    }

    private double InnerLimitUm => Math.Min(61, _face.EdgeUm - 1.3);

    private double OuterLimitUm => Math.Max(64.5, _face.RingOuterUm + 1.3);

    /// <summary>What lies along the edge of the cladding goes on under the ring: a chip, whose outline on this side tells how far.</summary>
    private SeenFinding? OnRim(List<Dot> body, PatchShape shape)
    {
        var (x, y) = (body.Average(d => d.X), body.Average(d => d.Y));
        var r = double.Hypot(x, y);
        var inner = r < InnerLimitUm;
        var touching = body.Count(d => double.Hypot(d.X, d.Y) is var far && (inner ? far > InnerLimitUm - (1.5 * _face.UmPerPx) : far < OuterLimitUm + (1.5 * _face.UmPerPx))) * _face.UmPerPx / 1.5;
        // A chip's visible part lies along the edge, a scratch that ends there points at it.
        var across = Math.Abs(((x * shape.Ux) + (y * shape.Uy)) / Math.Max(1, r));
        if (touching < _limits.RimShare * shape.Length || r > OuterLimitUm + _limits.RimReachUm || (shape.Elongation > _limits.RimElongation && across > _limits.RimAcross))
        {
            return null;
        }

        var tip = inner ? body.Min(d => double.Hypot(d.X, d.Y)) : body.Max(d => double.Hypot(d.X, d.Y));
        var size = Math.Clamp(2 * Math.Abs((EndFaces.CladdingUm / 2) - 1 - tip), shape.Length, shape.Length * 1.3);
        var at = inner ? tip + (size / 2) : tip - (size / 2);
        return SeenFinding.Spot(FindingKind.Chip, x / r * at, y / r * at, Math.Min(250, size));
    }

    private ScratchLine AddLine(double x0, double y0, double x1, double y1)
    {
        var line = new ScratchLine(x0, y0, x1, y1, _straight.WidthOf(x0, y0, x1, y1));
        _lines.Add(line);
        return line;
    }

    private List<List<Dot>> Touching(List<Dot> dots)
    {
        var at = dots.ToDictionary(d => d.Index);
        var mask = new byte[_face.Width * _face.Height];
        dots.ForEach(d => mask[d.Index] = 255);
        return Parts(mask).ConvertAll(part => part.ConvertAll(i => at[i]));
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

        // The largest first: what is left out covers nothing itself, or two would hide each other.
        var (covers, kept) = (new List<SeenFinding>(), new List<SeenFinding>());
        foreach (var f in found.OrderByDescending(Extent))
        {
            if (f.Reach().FarUm > _limits.CoverFarUm || covers.All(c => Gap(c, f) > _limits.CoverGapUm))
            {
                kept.Add(f);
                if (f.SizeUm > _limits.CoverUm && f.Reach().NearUm < _limits.CoverNearUm)
                {
                    covers.Add(f);
                }
            }
        }

        return kept;
    }

    /// <summary>A scratch's length, a spot's diameter.</summary>
    public static double Extent(SeenFinding f) => f.Kind == FindingKind.Scratch ? double.Hypot(f.X1Um!.Value - f.X0Um!.Value, f.Y1Um!.Value - f.Y0Um!.Value) : f.SizeUm;

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
                if (ScratchLine.Join(lines[i], lines[j], _limits) is { } one)
                {
                    lines[i] = one;
                    lines.RemoveAt(j);
                    j = i;
                }
            }
        }

        AbsorbStubs(lines);
        AbsorbBeyond(lines);
        return lines.Select(l => SeenFinding.Scratch(l.X0, l.Y0, l.X1, l.Y1, l.Width));
    }

    /// <summary>A scratch that the ring cuts leaves a stub on its other side.</summary>
    private void AbsorbStubs(List<ScratchLine> lines)
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

    /// <summary>A scratch that ends just beyond another leaves a short piece there.</summary>
    private void AbsorbBeyond(List<ScratchLine> lines)
    {
        for (var i = 0; i < lines.Count; i++)
        {
            var l = lines[i];
            var (ux, uy) = ((l.X1 - l.X0) / l.Length, (l.Y1 - l.Y0) / l.Length);
            foreach (var s in _spots.Where(s => s.Kind is FindingKind.Particle or FindingKind.Pit && s.SizeUm < (2 * l.Width) + 2).ToList())
            {
                var (x, y) = (s.XUm!.Value - l.X0, s.YUm!.Value - l.Y0);
                var along = (x * ux) + (y * uy);
                var beyond = along < 0 ? -along : along - l.Length;
                if (Math.Abs((-x * uy) + (y * ux)) > (l.Width / 2) + 0.8 || beyond < 0 || beyond > _limits.SameLineGapUm
                    || !lines.Any(o => o != l && Crosses(o, l.X0 + (along * ux), l.Y0 + (along * uy), along < 0 ? l.X0 : l.X1, along < 0 ? l.Y0 : l.Y1)))
                {
                    continue;
                }

                _spots.Remove(s);
                l = along < 0 ? l with { X0 = l.X0 + (along * ux), Y0 = l.Y0 + (along * uy) } : l with { X1 = l.X0 + (along * ux), Y1 = l.Y0 + (along * uy) };
            }

            lines[i] = l;
        }
    }

    private static bool Crosses(ScratchLine l, double x0, double y0, double x1, double y1)
    {
        double Side(double x, double y) => ((l.X1 - l.X0) * (y - l.Y0)) - ((l.Y1 - l.Y0) * (x - l.X0));
        double Other(double x, double y) => ((x1 - x0) * (y - y0)) - ((y1 - y0) * (x - x0));
        return Side(x0, y0) * Side(x1, y1) < 0 && Other(l.X0, l.Y0) * Other(l.X1, l.Y1) < 0;
    }

    private static float Share(List<Dot> dots, double share)
    {
        var values = dots.Select(d => d.Value).ToArray();
        return FiberLocator.Percentile(values, share);
    }
}
