using MathNet.Numerics.Statistics;

namespace Rhabdon.Core.Trace;

/// <summary>A trace in some thousands of blocks, whatever its length: one pass sums them and sizes their noise, and all that follows works on these.</summary>
internal sealed class TraceBlocks
{
    private const int Most = 4096;

    private readonly double[] _sum;

    public TraceBlocks(TraceCurve curve)
    {
        (Curve, Levels) = (curve, curve.LevelsDb);
        Size = Math.Max(1, Levels.Length / Most);
        Count = Levels.Length / Size;
        Pulse = Math.Max(1, (int)Math.Round(curve.PulseM / curve.SpacingM));
        _sum = new double[Count + 1];
        NoiseDb = Smooth(Sum());
    }

    public TraceCurve Curve { get; }

    public float[] Levels { get; }

    /// <summary>Points of a block.</summary>
    public int Size { get; }

    public int Count { get; }

    /// <summary>Points that the pulse smears an event over.</summary>
    public int Pulse { get; }

    /// <summary>Of each block: the spread of one of its points.</summary>
    public double[] NoiseDb { get; }

    /// <summary>Mean level of whole blocks.</summary>
    public double Mean(int from, int to) => (_sum[to] - _sum[from]) / ((to - from) * Size);

    /// <summary>Mean level of one block.</summary>
    public double Mean(int block) => (_sum[block + 1] - _sum[block]) / Size;

    /// <summary>Mean level from one point to another.</summary>
    public double MeanOfPoints(int from, int to)
    {
        double sum = 0;
        for (var i = from; i < to; i++)
        {
            sum += Levels[i];
        }

        return sum / Math.Max(1, to - from);
    }

    /// <summary>The highest of some points.</summary>
    public float Top(int from, int to)
    {
        var top = float.MinValue;
        foreach (var level in Levels.AsSpan(from, Math.Max(0, Math.Min(Levels.Length, to) - from)))
        {
            top = Math.Max(top, level);
        }

        return top;
    }

    /// <summary>The one pass over all points: sums, and how far neighbours are apart.</summary>
    private double[] Sum()
    {
        var rough = new double[Count];
        for (var b = 0; b < Count; b++)
        {
            var part = Levels.AsSpan(b * Size, Size);
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
            // Of two normal values the mean distance is 1.128 of their spread.
            rough[b] = part.Length > 1 ? 0.886 * jumps / (part.Length / 2) : b == 0 ? 0 : 0.886 * Math.Abs(part[0] - Levels[b - 1]);
        }

        return rough;
    }

    /// <summary>Peaks are not noise: the middle of the neighbours is. Most blocks hold few points, so enough of them are asked.</summary>
    private double[] Smooth(double[] rough)
    {
        var noise = new double[Count];
        var reach = Math.Clamp((24 / Size) + 6, 6, 40);
        var every = Math.Max(1, reach / 3);
        for (var b = 0; b < Count; b += every)
        {
            var around = rough[Math.Max(0, b - reach)..(Math.Min(Count - 1, b + reach) + 1)];
            // A pair's distance has its median a little under its mean.
            var middle = Math.Max(1e-4, SortedArrayStatistics.OrderStatistic(Sorted(around), (around.Length / 2) + 1) * (Size < 6 ? 1.18 : 1.02));
            noise.AsSpan(b, Math.Min(every, Count - b)).Fill(middle);
        }

        return noise;
    }

    private static double[] Sorted(double[] values)
    {
        Array.Sort(values);
        return values;
    }
}
