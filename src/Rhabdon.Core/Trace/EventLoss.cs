namespace Rhabdon.Core.Trace;

/// <summary>Weighs what was found: loss from the lines on both sides, reflectance from the height over the line.</summary>
internal sealed class EventLoss(TraceBlocks blocks)
{
    private readonly TraceBlocks _b = blocks;

    public (List<TraceEvent> Events, double Slope) Weigh(int from, int to, List<TraceMark> marks)
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
        var variance = Math.Pow(0.02 / 1000 * _b.Curve.SpacingM, 2);
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
            if (reflectance is null && (Math.Abs(loss) < StepSearch.LeastDb || Math.Abs(loss) < 4 * sigma))
            {
                continue;
            }

            events.Add(new(_b.Curve.At(m.Start), loss, reflectance, reflectance is not null ? TraceEventKind.Connector : loss < 0 ? TraceEventKind.Gainer : TraceEventKind.Splice, Believed(sigma, loss, bounds[i], bounds[i + 1]), saturated));
        }

        return (events, fiber);
    }

    /// <summary>
    /// How sure a loss is at best: the points' own spread says nothing of the instrument. Its scale is straight to some hundredths of a decibel in each
    /// decibel, it reads to some hundredths, and a section of less than three pulses is lifted at its beginning by what the pulse has not left yet.
    /// </summary>
    private double Believed(double sigma, double loss, (int From, int To) before, (int From, int To) after)
    {
        const double LinearityShare = 0.03, ReadsDb = 0.01, ShortDb = 0.03;
        var pulses = Math.Min(before.To - before.From, after.To - after.From) / (double)Math.Max(1, _b.Pulse);
        var near = pulses < 3 ? ShortDb * (3 - Math.Max(0, pulses)) / 3 : 0;
        return Math.Sqrt((sigma * sigma) + Math.Pow(LinearityShare * loss, 2) + (ReadsDb * ReadsDb) + (near * near));
    }

    /// <summary>Line through points; its slope leans on the fiber's where it is short.</summary>
    private FittedLine? Fit(int from, int to, double fiber, double fiberVariance)
    {
        var sums = default(LineSums);
        var (first, last) = ((from + _b.Size - 1) / _b.Size, to / _b.Size);
        if (last - first >= 3)
        {
            for (var b = first; b < last; b++)
            {
                sums = sums.With(_b.Size / (_b.NoiseDb[b] * _b.NoiseDb[b]), ((b - first) * _b.Size) + ((_b.Size - 1) / 2.0), _b.Mean(b));
            }
        }
        else
        {
            first = from / _b.Size;
            for (var i = from; i < to; i++)
            {
                var noise = _b.NoiseDb[Math.Min(_b.Count - 1, i / _b.Size)];
                sums = sums.With(1 / (noise * noise), i - (first * _b.Size), _b.Levels[i]);
            }
        }

        return sums.W == 0 ? null : FittedLine.Of(sums, fiber, fiberVariance, first * _b.Size);
    }

    public double LineAt(int sample, int begin, List<TraceMark> marks)
    {
        var from = Math.Max(begin, marks.Where(m => m.Start < sample).Select(m => m.End).DefaultIfEmpty(begin).Max());
        from = Math.Max(from, sample - (40 * _b.Size) - (4 * _b.Pulse));
        return _b.MeanOfPoints(Math.Min(from, sample - 1), Math.Max(1, sample - 1));
    }

    /// <summary>R = B + 10·log₁₀ τ + 10·log₁₀(10^(H/5) − 1), with the height H over the line.</summary>
    public (double? Db, bool Saturated) Reflectance(TraceMark m, double line)
    {
        var width = Math.Min(_b.Pulse, Math.Max(1, m.End - m.Start));
        double top = float.MinValue;
        if (width >= 6)
        {
            top = _b.MeanOfPoints(m.Start + (width / 3), Math.Min(_b.Levels.Length, m.Start + (width * 9 / 10)));
        }
        else
        {
            for (var i = m.Start; i < Math.Min(_b.Levels.Length, m.End); i++)
            {
                top = Math.Max(top, _b.Levels[i]);
            }
        }

        var height = top - line;
        return height <= 0.02 ? (null, false) : (_b.Curve.BackscatterDb + (10 * Math.Log10(_b.Curve.PulseNs)) + (10 * Math.Log10(Math.Pow(10, height / 5) - 1)), top >= -0.001);
    }
}
