namespace Rhabdon.Core.Trace;

/// <summary>Finds where the fiber begins and ends on a trace and what lies between.</summary>
internal sealed class TraceSearch(TraceBlocks blocks)
{
    private readonly TraceBlocks _b = blocks;

    public TraceReading Run(double launchM, double receiveM)
    {
        var end = EndBlock();
        var begin = FirstQuiet(end);
        var (reflections, weighed) = (new PeakSearch(_b), new EventLoss(_b));
        var peaks = reflections.Find(begin, _b.Count);
        // The fiber's end is often a peak: it stands where the light is last seen.
        var last = end * _b.Size;
        var endPeak = peaks.Where(p => p.Start <= last + _b.Pulse + (3 * _b.Size) && p.End >= last - (4 * _b.Pulse) - (60 * _b.Size)).OrderBy(p => p.Start).LastOrDefault(p => reflections.DropsAfter(p, end));
        var endAt = endPeak?.Start ?? Edge(last);
        var marks = peaks.Where(p => p.Start < endAt && p != endPeak).ToList();
        new StepSearch(_b).Find(begin * _b.Size, endAt, marks);
        marks.Sort((a, b) => a.Start.CompareTo(b.Start));
        TraceMark.Merge(marks, _b);
        var (events, slope) = weighed.Weigh(begin * _b.Size, endAt, marks);
        // What lies a pulse or two before the dark and loses almost everything is where the light ends.
        var close = _b.Curve.At(endAt) - Math.Max(6 * _b.Curve.PulseM, 24 * _b.Size * _b.Curve.SpacingM);
        if (events.FirstOrDefault(e => e.DistanceM > close && e.LossDb > 2.5) is { } dark)
        {
            events.RemoveAll(e => e.DistanceM >= dark.DistanceM);
            events.Add(dark with { Kind = TraceEventKind.End, LossDb = 0, LossSigmaDb = 0 });
            return Between(Ghosts(events), -slope / _b.Curve.SpacingM * 1000, launchM, receiveM);
        }

        events.Add(new(_b.Curve.At(endAt), 0, endPeak is null ? null : weighed.Reflectance(endPeak, weighed.LineAt(endPeak.Start, begin * _b.Size, marks)).Db, TraceEventKind.End));
        events.AddRange(peaks.Where(p => p.Start > endAt + (3 * _b.Pulse) + (3 * _b.Size)).Select(p => new TraceEvent(_b.Curve.At(p.Start), 0, null, TraceEventKind.Ghost)));
        return Between(Ghosts(events), -slope / _b.Curve.SpacingM * 1000, launchM, receiveM);
    }

    /// <summary>The block after which no light comes back.</summary>
    private int EndBlock()
    {
        var tail = Math.Max(3, _b.Count / 40);
        var floor = _b.Mean(_b.Count - tail, _b.Count);
        if (_b.NoiseDb[_b.Count - (tail / 2) - 1] < 0.9)
        {
            return _b.Count; // the range ends before the fiber does
        }

        var wide = (2 * _b.Pulse / _b.Size) + 5;
        for (var b = _b.Count - 1; b > wide; b--)
        {
            // Lit for longer than an echo would be.
            if (_b.NoiseDb[b] < 0.8 && _b.Mean(b, b + 1) > floor + 1 && _b.Mean(b - wide, b - wide + 1) > floor + 1 && _b.Mean(b - wide, b) > floor + 1 && _b.NoiseDb[b - wide] < 0.8)
            {
                return b + 1;
            }
        }

        return 1;
    }

    /// <summary>Where the instrument's own reflection is over.</summary>
    private int FirstQuiet(int end)
    {
        var skip = (int)Math.Ceiling((1.6 * _b.Pulse) / _b.Size) + 1;
        var from = Math.Max(0, (int)(-_b.Curve.FirstM / _b.Curve.SpacingM / _b.Size));
        var b = Math.Min(from + skip, Math.Max(0, end - 4));
        // A long recovery falls faster than any fiber.
        while (b + 8 < end && _b.Mean(b, b + 2) - _b.Mean(b + 4, b + 6) > 0.15 + (4 * _b.NoiseDb[b] / Math.Sqrt(_b.Size)))
        {
            b++;
        }

        return b;
    }

    /// <summary>The sample at which the light falls away near the end.</summary>
    private int Edge(int about)
    {
        var from = Math.Max(1, about - _b.Pulse - (4 * _b.Size));
        var to = Math.Min(_b.Levels.Length - 1, about + (2 * _b.Size));
        if (about >= _b.Levels.Length - _b.Size)
        {
            return _b.Levels.Length - 1;
        }

        var calm = _b.MeanOfPoints(Math.Max(0, from - (4 * _b.Size) - 8), from);
        var allowed = Math.Max(0.5, 5 * _b.NoiseDb[Math.Min(_b.Count - 1, from / _b.Size)]);
        for (var i = from; i < to; i++)
        {
            if (_b.Levels[i] < calm - allowed && (i + 2 >= _b.Levels.Length || _b.Levels[i + 1] < calm - allowed || _b.Levels[i + 2] < calm - allowed))
            {
                return i;
            }
        }

        return to;
    }

    /// <summary>A reflection without loss, as far away as two others together, is an echo.</summary>
    private List<TraceEvent> Ghosts(List<TraceEvent> events)
    {
        var near = (1.2 * _b.Curve.PulseM) + (2 * _b.Curve.SpacingM);
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
        var near = Math.Max(Math.Max(10, 0.05 * atM), 3 * _b.Curve.PulseM);
        return events.Where(e => e.Kind is not (TraceEventKind.Ghost or TraceEventKind.End) && Math.Abs(e.DistanceM - atM) <= near)
            .OrderBy(e => e.ReflectanceDb is null ? 1 : 0).ThenBy(e => Math.Abs(e.DistanceM - atM)).FirstOrDefault();
    }
}
