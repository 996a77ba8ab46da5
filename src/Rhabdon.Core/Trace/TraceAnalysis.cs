namespace Rhabdon.Core.Trace;

public enum TraceEventKind
{
    /// <summary>Reflects: a connector or a mechanical splice.</summary>
    Connector,
    /// <summary>Loses light and reflects none.</summary>
    Splice,
    /// <summary>Seems to gain light: the fiber after it scatters more. Only the mean of both directions is its loss.</summary>
    Gainer,
    /// <summary>An echo between two reflections; nothing is there.</summary>
    Ghost,
    /// <summary>The fiber ends, or the light does.</summary>
    End,
}

/// <param name="DistanceM">From the link's first connector where the launch cord is known, otherwise from the instrument.</param>
/// <param name="LossDb">0 at the end and at a ghost.</param>
/// <param name="LossSigmaDb">Standard error of the loss, from the noise.</param>
/// <param name="ReflectanceDb">Null where nothing reflects.</param>
/// <param name="Saturated">The reflection is higher than the instrument can show: at least this much.</param>
public sealed record TraceEvent(double DistanceM, double LossDb, double? ReflectanceDb, TraceEventKind Kind, double LossSigmaDb = 0, bool Saturated = false);

/// <summary>A trace with the numbers that analysis needs.</summary>
/// <param name="LevelsDb">One-way decibels, evenly spaced.</param>
/// <param name="FirstM">Where the first point lies.</param>
/// <param name="BackscatterDb">Backscatter coefficient for a pulse of 1 ns, such as −80.</param>
public sealed record TraceCurve(float[] LevelsDb, double FirstM, double SpacingM, double PulseNs, double GroupIndex, double BackscatterDb)
{
    public static TraceCurve Of(OtdrFile file) =>
        new(file.LevelsDb(), file.FirstPointM(), file.SpacingM(), Math.Max((short)1, file.Fixed.Pulses[0].WidthNs), file.GroupIndex(), file.BackscatterDb());

    /// <summary>How far the pulse smears an event: c·τ / 2n.</summary>
    public double PulseM => OtdrUnits.LightMPerS * PulseNs * 1e-9 / (2 * GroupIndex);

    public double At(int sample) => FirstM + (sample * SpacingM);
}

/// <summary>What a trace shows.</summary>
/// <param name="LengthM">From first to last connector where cords are known, otherwise to the end.</param>
/// <param name="LossDb">Over that length: fiber and events, the first and the last connector where cords are known.</param>
/// <param name="DbPerKm">Attenuation of the fiber between events.</param>
/// <param name="OriginM">Where distance 0 lies from the instrument.</param>
/// <param name="LaunchSeen">Whether a connector lies where the launch cord ends; null where none was said.</param>
public sealed record TraceReading(IReadOnlyList<TraceEvent> Events, double LengthM, double LossDb, double DbPerKm, double OriginM, bool? LaunchSeen = null);

/// <summary>Least-squares line through part of a trace.</summary>
public sealed record TraceSection(double FromM, double ToM, double DbPerKm, double LossDb, double RmsDb);

/// <summary>One event, seen from both ends.</summary>
/// <param name="Mean">With the true loss; its distance is that of the first direction.</param>
/// <param name="ForwardDb">Null where that direction did not see it.</param>
public sealed record PairedEvent(TraceEvent Mean, double? ForwardDb, double? BackwardDb);

/// <summary>Finds the events of a trace; see docs/numbers.md#trace.</summary>
/// <remarks>One pass sums and sizes the noise; everything after works on blocks of some thousands, whatever the trace's length.</remarks>
public static class TraceAnalysis
{
    private const int Blocks = 4096;
    /// <summary>A step must stand out of the noise this many times.</summary>
    private const double StepSigmas = 5.2, PeakSigmas = 7;
    private const double LeastStepDb = 0.025, LeastPeakDb = 0.06;
    /// <summary>Noisier than this, the logarithm bends the line and steps mean nothing.</summary>
    private const double NoisiestDb = 0.42;

    /// <param name="launchM">Length of the launch cord; 0 without one.</param>
    /// <param name="receiveM">Length of the receive cord; 0 without one.</param>
    /// <exception cref="RefusedException">A cord's length is out of range, or the trace is too short.</exception>
    public static TraceReading Read(TraceCurve curve, double launchM = 0, double receiveM = 0)
    {
        if (!(launchM is >= 0 and <= 50_000))
        {
            throw new RefusedException("out-of-range", "launchM", "A launch cord is 0 to 50,000 m.");
        }

        if (!(receiveM is >= 0 and <= 50_000))
        {
            throw new RefusedException("out-of-range", "receiveM", "A receive cord is 0 to 50,000 m.");
        }

        if (curve.LevelsDb.Length < 64)
        {
            throw new RefusedException("trace-short", "trace.DataPts", "A trace needs at least 64 points to be read.");
        }

        return new Search(curve).Run(launchM, receiveM);
    }

    /// <summary>The line between two cursors.</summary>
    /// <exception cref="RefusedException">Fewer than 3 points lie between them.</exception>
    public static TraceSection Section(TraceCurve curve, double fromM, double toM)
    {
        var (a, b) = (Math.Min(fromM, toM), Math.Max(fromM, toM));
        var first = Math.Max(0, (int)Math.Ceiling((a - curve.FirstM) / curve.SpacingM));
        var last = Math.Min(curve.LevelsDb.Length - 1, (int)Math.Floor((b - curve.FirstM) / curve.SpacingM));
        if (!(b - a < 1e7) || last - first < 2)
        {
            throw new RefusedException("section-short", "toM", "Between the cursors lie fewer than three points of the trace.");
        }

        double sx = 0, sy = 0, sxx = 0, sxy = 0, syy = 0;
        for (var i = first; i <= last; i++)
        {
            double x = i - first, y = curve.LevelsDb[i];
            sx += x;
            sy += y;
            sxx += x * x;
            sxy += x * y;
            syy += y * y;
        }

        double n = last - first + 1;
        var slope = ((n * sxy) - (sx * sy)) / ((n * sxx) - (sx * sx));
        var offset = (sy - (slope * sx)) / n;
        var rms = Math.Sqrt(Math.Max(0, (syy - (offset * sy) - (slope * sxy)) / n));
        var perKm = -slope / curve.SpacingM * 1000;
        return new(curve.At(first), curve.At(last), perKm, perKm * (curve.At(last) - curve.At(first)) / 1000, rms);
    }

    /// <summary>Each event's true loss: the mean of both directions. The second trace was taken from the other end.</summary>
    /// <param name="lengthM">Length between the two origins.</param>
    public static IReadOnlyList<TraceEvent> Bidirectional(IReadOnlyList<TraceEvent> forward, IReadOnlyList<TraceEvent> backward, double lengthM, double toleranceM) =>
        [.. Paired(forward, backward, lengthM, toleranceM).Select(p => p.Mean)];

    /// <summary>The same, with what each direction said.</summary>
    public static IReadOnlyList<PairedEvent> Paired(IReadOnlyList<TraceEvent> forward, IReadOnlyList<TraceEvent> backward, double lengthM, double toleranceM)
    {
        var left = backward.Where(e => e.Kind is not (TraceEventKind.End or TraceEventKind.Ghost)).Select(e => e with { DistanceM = lengthM - e.DistanceM }).ToList();
        var both = new List<PairedEvent>();
        foreach (var e in forward.Where(e => e.Kind is not (TraceEventKind.End or TraceEventKind.Ghost)))
        {
            var other = left.Where(b => Math.Abs(b.DistanceM - e.DistanceM) <= toleranceM).MinBy(b => Math.Abs(b.DistanceM - e.DistanceM));
            if (other is not null)
            {
                left.Remove(other);
            }

            both.Add(new(Mean(e, other), e.LossDb, other?.LossDb));
        }

        // Too small or too early to be seen one way: the other way saw it, and this way's part is 0.
        both.AddRange(left.Select(b => new PairedEvent(Mean(b, null), null, b.LossDb)));
        return [.. both.OrderBy(e => e.Mean.DistanceM)];
    }

    private static TraceEvent Mean(TraceEvent a, TraceEvent? b)
    {
        var loss = (a.LossDb + (b?.LossDb ?? 0)) / 2;
        var reflectance = a.ReflectanceDb is { } r && b?.ReflectanceDb is { } s ? Math.Max(r, s) : a.ReflectanceDb ?? b?.ReflectanceDb;
        var sigma = b is null ? a.LossSigmaDb / 2 : double.Hypot(a.LossSigmaDb, b.LossSigmaDb) / 2;
        return new(a.DistanceM, loss, reflectance, reflectance is not null ? TraceEventKind.Connector : loss < 0 ? TraceEventKind.Gainer : TraceEventKind.Splice, sigma, a.Saturated || b?.Saturated == true);
    }

    /// <summary>An event in samples: it begins at <paramref name="Start"/> and the line goes on at <paramref name="End"/>.</summary>
    private sealed record Mark(int Start, int End, bool Peak);

    private sealed class Search
    {
        private readonly TraceCurve _curve;
        private readonly float[] _y;
        private readonly int _size, _count, _pulse;
        private readonly double[] _sum, _noise;

        public Search(TraceCurve curve)
        {
            (_curve, _y) = (curve, curve.LevelsDb);
            _size = Math.Max(1, _y.Length / Blocks);
            _count = _y.Length / _size;
            _pulse = Math.Max(1, (int)Math.Round(curve.PulseM / curve.SpacingM));
            (_sum, _noise) = (new double[_count + 1], new double[_count]);
            Sums();
        }

        /// <summary>The one pass over all points.</summary>
        private void Sums()
        {
            var rough = new double[_count];
            for (var b = 0; b < _count; b++)
            {
                var part = _y.AsSpan(b * _size, _size);
                float sum = 0, jumps = 0;
                for (var i = 0; i < part.Length; i++)
                {
                    sum += part[i];
                }

                for (var i = 1; i < part.Length; i += 2)
                {
                    jumps += Math.Abs(part[i] - part[i - 1]);
                }

                _sum[b + 1] = _sum[b] + sum;
                rough[b] = part.Length > 1 ? 0.886 * jumps / (part.Length / 2) : b == 0 ? 0 : 0.886 * Math.Abs(part[0] - _y[b - 1]);
            }

            // Peaks are not noise: the middle of the neighbours is. Most blocks hold few points, so enough of them are asked.
            var reach = Math.Clamp((24 / _size) + 6, 6, 40);
            Span<double> window = stackalloc double[(2 * reach) + 1];
            var every = Math.Max(1, reach / 3);
            for (var b = 0; b < _count; b += every)
            {
                var n = 0;
                for (var k = Math.Max(0, b - reach); k <= Math.Min(_count - 1, b + reach); k++)
                {
                    window[n++] = rough[k];
                }

                window[..n].Sort();
                // A pair's distance has its median a little under its mean.
                var noise = Math.Max(1e-4, window[n / 2] * (_size < 6 ? 1.18 : 1.02));
                for (var k = b; k < Math.Min(_count, b + every); k++)
                {
                    _noise[k] = noise;
                }
            }
        }

        /// <summary>Mean level of whole blocks.</summary>
        private double Mean(int from, int to) => (_sum[to] - _sum[from]) / ((to - from) * _size);

        private double Mean(int fromSample, int toSample, bool _)
        {
            double sum = 0;
            for (var i = fromSample; i < toSample; i++)
            {
                sum += _y[i];
            }

            return sum / Math.Max(1, toSample - fromSample);
        }

        public TraceReading Run(double launchM, double receiveM)
        {
            var end = EndBlock();
            var begin = FirstQuiet(end);
            var peaks = Peaks(begin, _count);
            // The fiber's end is often a peak: it stands where the light is last seen.
            var last = end * _size;
            var endPeak = peaks.Where(p => p.Start <= last + _pulse + (3 * _size) && p.End >= last - (4 * _pulse) - (60 * _size)).OrderBy(p => p.Start).LastOrDefault(p => DropsAfter(p, end));
            var endAt = endPeak?.Start ?? Edge(last);
            var marks = peaks.Where(p => p.Start < endAt && p != endPeak).ToList();
            Steps(begin * _size, endAt, marks);
            marks.Sort((a, b) => a.Start.CompareTo(b.Start));
            Merge(marks);
            var (events, slope) = Weigh(begin * _size, endAt, marks);
            // What lies a pulse or two before the dark and loses almost everything is where the light ends.
            var close = _curve.At(endAt) - Math.Max(6 * _curve.PulseM, 24 * _size * _curve.SpacingM);
            if (events.FirstOrDefault(e => e.DistanceM > close && e.LossDb > 2.5) is { } dark)
            {
                events.RemoveAll(e => e.DistanceM >= dark.DistanceM);
                events.Add(dark with { Kind = TraceEventKind.End, LossDb = 0, LossSigmaDb = 0 });
                return Between(Ghosts(events), -slope / _curve.SpacingM * 1000, launchM, receiveM);
            }

            events.Add(new(_curve.At(endAt), 0, endPeak is null ? null : Reflectance(endPeak, LineAt(endPeak.Start, begin * _size, marks)).Db, TraceEventKind.End));
            events.AddRange(peaks.Where(p => p.Start > endAt + (3 * _pulse) + (3 * _size)).Select(p => new TraceEvent(_curve.At(p.Start), 0, null, TraceEventKind.Ghost)));
            return Between(Ghosts(events), -slope / _curve.SpacingM * 1000, launchM, receiveM);
        }

        /// <summary>The block after which no light comes back.</summary>
        private int EndBlock()
        {
            var tail = Math.Max(3, _count / 40);
            var floor = Mean(_count - tail, _count);
            if (_noise[_count - (tail / 2) - 1] < 0.9)
            {
                return _count; // the range ends before the fiber does
            }

            var wide = (2 * _pulse / _size) + 5;
            for (var b = _count - 1; b > wide; b--)
            {
                // Lit for longer than an echo would be.
                if (_noise[b] < 0.8 && Mean(b, b + 1) > floor + 1 && Mean(b - wide, b - wide + 1) > floor + 1 && Mean(b - wide, b) > floor + 1 && _noise[b - wide] < 0.8)
                {
                    return b + 1;
                }
            }

            return 1;
        }

        /// <summary>Where the instrument's own reflection is over.</summary>
        private int FirstQuiet(int end)
        {
            var skip = (int)Math.Ceiling((1.6 * _pulse) / _size) + 1;
            var from = Math.Max(0, (int)(-_curve.FirstM / _curve.SpacingM / _size));
            var b = Math.Min(from + skip, Math.Max(0, end - 4));
            // A long recovery falls faster than any fiber.
            while (b + 8 < end && Mean(b, b + 2) - Mean(b + 4, b + 6) > 0.15 + (4 * _noise[b] / Math.Sqrt(_size)))
            {
                b++;
            }

            return b;
        }

        /// <summary>Rises that are gone again after a pulse.</summary>
        private List<Mark> Peaks(int begin, int end)
        {
            var found = new List<Mark>();
            var width = Math.Max(1, Math.Min(_pulse, 1 + (_pulse / 2)));
            var before = Math.Max(6, (2 * _pulse / _size) + 3);
            for (var b = Math.Max(begin, 0) + 2; b < end - 1; b++)
            {
                var start = b * _size;
                if (found.Count > 0 && start < found[^1].End + 1)
                {
                    continue;
                }

                var from = Math.Max(begin, b - before);
                var calm = Mean(from, Math.Max(from + 1, b - 1));
                var noise = _noise[b];
                double high;
                if (_size == 1 || width >= _size)
                {
                    var blocks = Math.Max(1, width / _size);
                    if (b + blocks > _count)
                    {
                        break;
                    }

                    high = (Mean(b, b + blocks) - calm) / Math.Max(1e-9, noise * Math.Sqrt((1.0 / (blocks * _size)) + (1.0 / Math.Max(1, (b - 1 - from) * _size))));
                    if (high < PeakSigmas || Mean(b, b + blocks) - calm < LeastPeakDb)
                    {
                        continue;
                    }
                }
                else
                {
                    // A pulse shorter than a block: its points tell.
                    var top = float.MinValue;
                    foreach (var v in _y.AsSpan(start, _size))
                    {
                        top = Math.Max(top, v);
                    }

                    high = (top - calm) / noise;
                    if (high < PeakSigmas || top - calm < LeastPeakDb)
                    {
                        continue;
                    }
                }

                if (Shape(start, calm, noise) is { } peak && (found.Count == 0 || peak.Start > found[^1].Start))
                {
                    found.Add(peak);
                }
            }

            return found;
        }

        /// <summary>Where a peak begins and ends, in samples; null when what rose does not fall again.</summary>
        private Mark? Shape(int about, double calm, double noise)
        {
            var from = Math.Max(0, about - _pulse - (2 * _size));
            var to = Math.Min(_y.Length, about + (3 * _pulse) + (3 * _size) + 4);
            var top = about;
            for (var i = from; i < Math.Min(to, about + _pulse + _size + 2); i++)
            {
                top = _y[i] > _y[top] ? i : top;
            }

            var height = _y[top] - calm;
            var start = top;
            while (start > from && _y[start - 1] > calm + Math.Max(0.25 * height, Math.Min(3 * noise, 0.5 * height)))
            {
                start--;
            }

            var end = top;
            while (end < to - 1 && _y[end + 1] > calm + Math.Max(0.3 * height, Math.Min(3 * noise, 0.5 * height)))
            {
                end++;
            }

            // It must be over after about a pulse.
            if (end >= to - 1 || end - start > (2.2 * _pulse) + 4)
            {
                return null;
            }

            var settle = Math.Max(2, _pulse / 4);
            return new(start, Math.Min(_y.Length, Math.Max(end + 1 + settle, start + (int)(1.3 * _pulse) + 1)), true);
        }

        /// <summary>True when after the peak there is only noise.</summary>
        private bool DropsAfter(Mark p, int end)
        {
            var b = Math.Min(_count - 1, (p.End / _size) + 2);
            return b >= end - 1 || _noise[b] > 0.8 || Mean(b, b + 1) < Mean(Math.Max(0, (p.Start / _size) - 3), Math.Max(1, p.Start / _size)) - 3;
        }

        /// <summary>The sample at which the light falls away near the end.</summary>
        private int Edge(int about)
        {
            var from = Math.Max(1, about - _pulse - (4 * _size));
            var to = Math.Min(_y.Length - 1, about + (2 * _size));
            if (about >= _y.Length - _size)
            {
                return _y.Length - 1;
            }

            var calm = Mean(Math.Max(0, from - (4 * _size) - 8), from, true);
            var allowed = Math.Max(0.5, 5 * _noise[Math.Min(_count - 1, from / _size)]);
            for (var i = from; i < to; i++)
            {
                if (_y[i] < calm - allowed && (i + 2 >= _y.Length || _y[i + 1] < calm - allowed || _y[i + 2] < calm - allowed))
                {
                    return i;
                }
            }

            return to;
        }

        /// <summary>Between known events: the place where a step explains the most; then either side of it.</summary>
        private void Steps(int from, int to, List<Mark> marks)
        {
            var known = marks.OrderBy(m => m.Start).ToList();
            var at = from;
            var sections = new Stack<(int From, int To)>();
            foreach (var m in known)
            {
                sections.Push((at, m.Start));
                at = m.End;
            }

            sections.Push((at, to - 1));
            // All sections share the fiber: its slope steadies the short ones.
            while (sections.Count > 0)
            {
                var (a, b) = sections.Pop();
                if (BestStep((a + _size - 1) / _size, b / _size) is not { } step)
                {
                    continue;
                }

                var mark = Place(step, a, b);
                marks.Add(mark);
                if (mark.Start - a > 8 * _size)
                {
                    sections.Push((a, mark.Start));
                }

                if (b - mark.End > 8 * _size)
                {
                    sections.Push((mark.End, b));
                }
            }
        }

        private readonly record struct Step(int Block, double Loss, double Slope, double Offset);

        /// <summary>Scans all places of a step in lines of one slope, weighed by the noise.</summary>
        private Step? BestStep(int from, int to)
        {
            while (to > from && _noise[to - 1] > NoisiestDb)
            {
                to--;
            }

            var gap = (int)Math.Ceiling(_pulse / (double)_size);
            if (to - from < 8 + gap)
            {
                return null;
            }

            double W = 0, X = 0, Y = 0, XX = 0, XY = 0;
            for (var b = from; b < to; b++)
            {
                Add(b, from, 1, ref W, ref X, ref Y, ref XX, ref XY);
            }

            double w = 0, x = 0, y = 0, xx = 0, xy = 0;
            double rw = W, rx = X, ry = Y, rxx = XX, rxy = XY;
            for (var b = from; b < from + gap; b++)
            {
                Add(b, from, -1, ref rw, ref rx, ref ry, ref rxx, ref rxy);
            }

            var (best, at, loss, slope, offset) = (0.0, -1, 0.0, 0.0, 0.0);
            for (var b = from; b + gap < to; b++)
            {
                Add(b, from, 1, ref w, ref x, ref y, ref xx, ref xy);
                Add(b + gap, from, -1, ref rw, ref rx, ref ry, ref rxx, ref rxy);
                if (b - from < 3 || to - (b + gap) < 5)
                {
                    continue;
                }

                var (ml, mr) = (x / w, rx / rw);
                var spread = xx - (x * ml) + rxx - (rx * mr);
                var s = (xy - (y * ml) + rxy - (ry * mr)) / spread;
                var step = (ry / rw) - (y / w) - (s * (mr - ml));
                var t = Math.Abs(step) / Math.Sqrt((1 / w) + (1 / rw) + ((mr - ml) * (mr - ml) / spread));
                if (t > best)
                {
                    (best, at, loss, slope, offset) = (t, b + 1, -step, s, (y / w) - (s * ml));
                }
            }

            return best > StepSigmas && Math.Abs(loss) > LeastStepDb ? new(at, loss, slope, offset - (slope * from)) : null;
        }

        private void Add(int block, int origin, double sign, ref double w, ref double x, ref double y, ref double xx, ref double xy)
        {
            var weight = sign * _size / (_noise[block] * _noise[block]);
            var (px, py) = ((double)(block - origin), (_sum[block + 1] - _sum[block]) / _size);
            w += weight;
            x += weight * px;
            y += weight * py;
            xx += weight * px * px;
            xy += weight * px * py;
        }

        /// <summary>The step again among the samples: it begins half a pulse before its middle.</summary>
        private Mark Place(Step s, int least, int most)
        {
            var centre = (s.Block * _size) + (_pulse / 2);
            var reach = (3 * _size) + _pulse;
            var (from, to) = (Math.Max(least, centre - reach), Math.Min(most, centre + reach));
            double sum = 0, lowest = 0;
            var at = from;
            for (var i = from; i < to; i++)
            {
                var line = s.Offset + (s.Slope * (((i + 0.5) / _size) - 0.5));
                sum += (line - (s.Loss / 2) - _y[i]) * Math.Sign(s.Loss);
                if (sum < lowest)
                {
                    (lowest, at) = (sum, i + 1);
                }
            }

            var start = Math.Clamp(at - (_pulse / 2), least, most);
            return new(start, Math.Min(most, start + _pulse + Math.Max(1, _pulse / 5)), false);
        }

        /// <summary>One event's two edges must not count as two.</summary>
        private void Merge(List<Mark> marks)
        {
            for (var i = 1; i < marks.Count; i++)
            {
                var near = marks[i].Start - marks[i - 1].End < Math.Max(2, _pulse / 3) + (_size > _pulse ? _size : 0);
                if (near && !(marks[i].Peak && marks[i - 1].Peak))
                {
                    marks[i - 1] = new(Math.Min(marks[i - 1].Start, marks[i].Peak ? marks[i].Start : marks[i - 1].Start), marks[i].End, marks[i].Peak || marks[i - 1].Peak);
                    marks.RemoveAt(i--);
                }
            }
        }

        private readonly record struct Line(double Weight, double X, double Y, double Slope, double SlopeVariance)
        {
            public double At(double x) => Y + (Slope * (x - X));

            public double VarianceAt(double x) => (1 / Weight) + ((x - X) * (x - X) * SlopeVariance);
        }

        /// <summary>Line through samples; its slope leans on the fiber's where it is short.</summary>
        private Line? Fit(int from, int to, double fiber, double fiberVariance)
        {
            double w = 0, x = 0, y = 0, xx = 0, xy = 0;
            void Take(double weight, double px, double py)
            {
                w += weight;
                x += weight * px;
                y += weight * py;
                xx += weight * px * px;
                xy += weight * px * py;
            }

            var (first, last) = ((from + _size - 1) / _size, to / _size);
            if (last - first >= 3)
            {
                for (var b = first; b < last; b++)
                {
                    Take(_size / (_noise[b] * _noise[b]), ((b - first) * _size) + ((_size - 1) / 2.0), (_sum[b + 1] - _sum[b]) / _size);
                }
            }
            else
            {
                first = from / Math.Max(1, _size);
                for (var i = from; i < to; i++)
                {
                    var noise = _noise[Math.Min(_count - 1, i / _size)];
                    Take(1 / (noise * noise), i - (first * _size), _y[i]);
                }
            }

            if (w == 0)
            {
                return null;
            }

            var (mx, my) = (x / w, y / w);
            var spread = Math.Max(0, xx - (x * mx));
            var own = spread > 0 ? (xy - (y * mx)) / spread : 0;
            var weight = spread + (1 / fiberVariance);
            var slope = double.IsFinite(fiberVariance) ? ((own * spread) + (fiber / fiberVariance)) / weight : own;
            return new(w, mx + (first * _size), my, slope, double.IsFinite(fiberVariance) ? 1 / weight : spread > 0 ? 1 / spread : 0);
        }

        private (List<TraceEvent> Events, double Slope) Weigh(int from, int to, List<Mark> marks)
        {
            var bounds = new List<(int From, int To)>();
            var at = from;
            foreach (var m in marks)
            {
                bounds.Add((at, Math.Max(at, m.Start - 1)));
                at = m.End;
            }

            bounds.Add((at, Math.Max(at, to - 2)));
            // The fiber's slope: all sections together.
            double slopes = 0, weights = 0;
            foreach (var (a, b) in bounds)
            {
                if (b - a >= 4 && Fit(a, b, 0, double.PositiveInfinity) is { SlopeVariance: > 0 } line)
                {
                    slopes += line.Slope / line.SlopeVariance;
                    weights += 1 / line.SlopeVariance;
                }
            }

            var fiber = weights > 0 ? slopes / weights : 0;
            // Fibers of one link differ by a few hundredths of a decibel a kilometre.
            var variance = Math.Pow(0.02 / 1000 * _curve.SpacingM, 2);
            var lines = bounds.Select(b => b.To - b.From >= 1 ? Fit(b.From, b.To, fiber, variance) : null).ToList();
            var events = new List<TraceEvent>();
            for (var i = 0; i < marks.Count; i++)
            {
                var m = marks[i];
                if (lines[i] is not { } before || lines[i + 1] is not { } after)
                {
                    continue;
                }

                var loss = before.At(m.Start) - after.At(m.Start);
                var sigma = Math.Sqrt(before.VarianceAt(m.Start) + after.VarianceAt(m.Start));
                var (reflectance, saturated) = m.Peak ? Reflectance(m, before.At(m.Start)) : (null, false);
                if (reflectance is null && (Math.Abs(loss) < LeastStepDb || Math.Abs(loss) < 4 * sigma))
                {
                    continue;
                }

                events.Add(new(_curve.At(m.Start), loss, reflectance, reflectance is not null ? TraceEventKind.Connector : loss < 0 ? TraceEventKind.Gainer : TraceEventKind.Splice, sigma, saturated));
            }

            return (events, fiber);
        }

        private double LineAt(int sample, int begin, List<Mark> marks)
        {
            var from = Math.Max(begin, marks.Where(m => m.Start < sample).Select(m => m.End).DefaultIfEmpty(begin).Max());
            from = Math.Max(from, sample - (40 * _size) - (4 * _pulse));
            return Mean(Math.Min(from, sample - 1), Math.Max(1, sample - 1), true);
        }

        /// <summary>R = B + 10·log₁₀ τ + 10·log₁₀(10^(H/5) − 1), with the height H over the line.</summary>
        private (double? Db, bool Saturated) Reflectance(Mark m, double line)
        {
            var width = Math.Min(_pulse, Math.Max(1, m.End - m.Start));
            double top = float.MinValue;
            if (width >= 6)
            {
                top = Mean(m.Start + (width / 3), Math.Min(_y.Length, m.Start + (width * 9 / 10)), true);
            }
            else
            {
                for (var i = m.Start; i < Math.Min(_y.Length, m.End); i++)
                {
                    top = Math.Max(top, _y[i]);
                }
            }

            var height = top - line;
            return height <= 0.02 ? (null, false) : (_curve.BackscatterDb + (10 * Math.Log10(_curve.PulseNs)) + (10 * Math.Log10(Math.Pow(10, height / 5) - 1)), top >= -0.001);
        }

        /// <summary>A reflection without loss, as far away as two others together, is an echo.</summary>
        private List<TraceEvent> Ghosts(List<TraceEvent> events)
        {
            var near = (1.2 * _curve.PulseM) + (2 * _curve.SpacingM);
            var mirrors = events.Where(e => e.ReflectanceDb > -50 && e.Kind != TraceEventKind.Ghost).Select(e => e.DistanceM).Append(0).Order().ToList();
            return [.. events.Select(e =>
            {
                var lossless = e.Kind == TraceEventKind.Connector && Math.Abs(e.LossDb) < Math.Max(0.03, 3 * e.LossSigmaDb);
                var echo = lossless && mirrors.Any(far => far < e.DistanceM - near && mirrors.Any(back => back < far - near && Math.Abs(far + far - back - e.DistanceM) < near));
                return echo ? e with { Kind = TraceEventKind.Ghost, LossDb = 0 } : e;
            })];
        }

        /// <summary>Takes the cords off.</summary>
        private TraceReading Between(List<TraceEvent> events, double perKm, double launchM, double receiveM)
        {
            events.Sort((a, b) => a.DistanceM.CompareTo(b.DistanceM));
            var end = events.First(e => e.Kind == TraceEventKind.End);
            var first = launchM > 0 ? Nearest(events, launchM) : null;
            var last = receiveM > 0 ? Nearest(events, end.DistanceM - receiveM) : null;
            // A cord whose connector is not on the trace is not taken off: what would be left has lengths below nothing.
            var origin = first?.DistanceM ?? 0;
            var to = last?.DistanceM ?? (receiveM > 0 && end.DistanceM - receiveM > origin ? end.DistanceM - receiveM : end.DistanceM);
            var kept = events.Where(e => e.DistanceM >= origin - 1e-6 && (receiveM == 0 || e.DistanceM <= to + 1e-6)).Select(e => e with { DistanceM = e.DistanceM - origin }).ToList();
            if (receiveM > 0)
            {
                kept.Add(new(to - origin, 0, null, TraceEventKind.End));
            }

            var length = Math.Max(0, to - origin);
            var loss = kept.Where(e => e.Kind is not TraceEventKind.Ghost).Sum(e => e.LossDb) + (perKm * length / 1000);
            return new(kept, length, loss, perKm, origin, launchM > 0 ? first is not null : null);
        }

        private TraceEvent? Nearest(List<TraceEvent> events, double atM)
        {
            var near = Math.Max(Math.Max(10, 0.05 * atM), 3 * _curve.PulseM);
            return events.Where(e => e.Kind is not (TraceEventKind.Ghost or TraceEventKind.End) && Math.Abs(e.DistanceM - atM) <= near)
                .OrderBy(e => e.ReflectanceDb is null ? 1 : 0).ThenBy(e => Math.Abs(e.DistanceM - atM)).FirstOrDefault();
        }
    }
}
