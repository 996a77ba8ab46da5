namespace Rhabdon.Core.Trace;

/// <summary>Finds losses without reflection: between known events the place where a step explains the most, then either side of it.</summary>
internal sealed class StepSearch(TraceBlocks blocks)
{
    /// <summary>Smaller than this nobody calls it an event.</summary>
    public const double LeastDb = 0.025;

    /// <summary>A step must stand out of the noise this many times.</summary>
    private const double StepSigmas = 5.2;

    /// <summary>Noisier than this, the logarithm bends the line and steps mean nothing.</summary>
    private const double NoisiestDb = 0.42;

    private readonly TraceBlocks _b = blocks;

    /// <summary>Between known events: the place where a step explains the most; then either side of it.</summary>
    public void Find(int from, int to, List<TraceMark> marks)
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
            if (Best((a + _b.Size - 1) / _b.Size, b / _b.Size) is not { } step)
            {
                continue;
            }

            var mark = Place(step, a, b);
            marks.Add(mark);
            if (mark.Start - a > 8 * _b.Size)
            {
                sections.Push((a, mark.Start));
            }

            if (b - mark.End > 8 * _b.Size)
            {
                sections.Push((mark.End, b));
            }
        }
    }

    /// <param name="Offset">Of the line at block 0.</param>
    private readonly record struct Step(int Block, double Loss, double Slope, double Offset);

    /// <summary>Scans all places of a step in lines of one slope, weighed by the noise.</summary>
    private Step? Best(int from, int to)
    {
        while (to > from && _b.NoiseDb[to - 1] > NoisiestDb)
        {
            to--;
        }

        var gap = (int)Math.Ceiling(_b.Pulse / (double)_b.Size);
        if (to - from < 8 + gap)
        {
            return null;
        }

        var (left, right) = (default(LineSums), default(LineSums));
        for (var b = from + gap; b < to; b++)
        {
            right = With(right, b, from, 1);
        }

        var best = default(Step);
        var sigmas = StepSigmas;
        for (var b = from; b + gap < to; b++)
        {
            left = With(left, b, from, 1);
            right = With(right, b + gap, from, -1);
            if (b - from < 3 || to - (b + gap) < 5)
            {
                continue;
            }

            var apart = right.MeanX - left.MeanX;
            var spread = left.SpreadX + right.SpreadX;
            var slope = (left.SpreadXY + right.SpreadXY) / spread;
            var loss = left.MeanY - right.MeanY + (slope * apart);
            var stands = Math.Abs(loss) / Math.Sqrt((1 / left.W) + (1 / right.W) + (apart * apart / spread));
            if (stands > sigmas)
            {
                (sigmas, best) = (stands, new(b + 1, loss, slope, left.MeanY - (slope * left.MeanX) - (slope * from)));
            }
        }

        return Math.Abs(best.Loss) > LeastDb ? best : null;
    }

    private LineSums With(LineSums sums, int block, int origin, double sign) => sums.With(sign * _b.Size / (_b.NoiseDb[block] * _b.NoiseDb[block]), block - origin, _b.Mean(block));

    /// <summary>The step again among the samples: it begins half a pulse before its middle.</summary>
    private TraceMark Place(Step s, int least, int most)
    {
        var centre = (s.Block * _b.Size) + (_b.Pulse / 2);
        var reach = (3 * _b.Size) + _b.Pulse;
        var (from, to) = (Math.Max(least, centre - reach), Math.Min(most, centre + reach));
        double sum = 0, lowest = 0;
        var at = from;
        for (var i = from; i < to; i++)
        {
            var line = s.Offset + (s.Slope * (((i + 0.5) / _b.Size) - 0.5));
            sum += (line - (s.Loss / 2) - _b.Levels[i]) * Math.Sign(s.Loss);
            if (sum < lowest)
            {
                (lowest, at) = (sum, i + 1);
            }
        }

        var start = Math.Clamp(at - (_b.Pulse / 2), least, most);
        return new(start, Math.Min(most, start + _b.Pulse + Math.Max(1, _b.Pulse / 5)), false);
    }
}
