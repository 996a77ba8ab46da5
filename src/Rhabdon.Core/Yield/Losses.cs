namespace Rhabdon.Core.Yield;

/// <summary>Readings between two losses; the last one takes in all above.</summary>
public sealed record LossBar(double FromDb, long Count);

/// <param name="Key">As in the view that it belongs to.</param>
/// <param name="OverLimit">Readings over the limit that they were held to.</param>
/// <param name="Bars">Of equal width, from nothing up.</param>
public sealed record LossGroup(string Key, long Count, double MedianDb, double MeanDb, double NinetiethDb, double WorstDb, long OverLimit, IReadOnlyList<LossBar> Bars);

/// <summary>One reading, in the order in which they were taken.</summary>
public sealed record LossValue(string Key, double LossDb, bool OverLimit);

/// <param name="Individuals">The last readings one by one, with what neighbours differ by as their spread;</param>
/// <param name="Cusum">and the sums of what lies beyond where they began: a slow drift is found early. Both null with fewer than eight.</param>
/// <param name="First">Which of the readings, from 0, is the first of both charts.</param>
public sealed record LossesFound(IReadOnlyList<LossGroup> Groups, ControlFound? Individuals, ControlFound? Cusum, int First);

/// <summary>How losses lie, group by group, and whether they drift.</summary>
public static class Losses
{
    public const double BarDb = 0.05;

    private const int Bars = 21, MostShown = 120, Least = 8, MostGroups = 24;

    /// <param name="values">The oldest first.</param>
    public static LossesFound Of(IReadOnlyList<LossValue> values)
    {
        var first = Math.Max(0, values.Count - MostShown);
        var shown = values.Skip(first).Select(v => v.LossDb).ToList();
        if (shown.Count < Least)
        {
            return new(Groups(values), null, null, first);
        }

        // The first third says where they began: what came later does not move what it is held to.
        var (target, individuals) = (shown.Take(Math.Max(Least, shown.Count / 3)).Average(), Control.Of(new(ControlKind.Individuals, shown)));
        return new(Groups(values), individuals, individuals.Sigma > 0 ? Control.Of(new(ControlKind.Cusum, shown, Target: target)) : null, first);
    }

    private static IReadOnlyList<LossGroup> Groups(IReadOnlyList<LossValue> values) =>
        [.. values.GroupBy(v => v.Key, StringComparer.Ordinal).OrderByDescending(g => g.Count()).ThenBy(g => g.Key, StringComparer.Ordinal).Take(MostGroups).Select(g =>
        {
            var sorted = g.Select(v => v.LossDb).Order().ToList();
            var bars = sorted.GroupBy(v => Math.Clamp((int)Math.Floor((v / BarDb) + 1e-9), 0, Bars - 1)).ToDictionary(b => b.Key, b => (long)b.Count());
            return new LossGroup(g.Key, sorted.Count, Quantile(sorted, 0.5), sorted.Average(), Quantile(sorted, 0.9), sorted[^1], g.Count(v => v.OverLimit),
                [.. Enumerable.Range(0, Bars).Select(i => new LossBar(Math.Round(i * BarDb, 2), bars.GetValueOrDefault(i)))]);
        })];

    /// <summary>Between neighbours in proportion, as is usual (R's seventh, from memory).</summary>
    private static double Quantile(IReadOnlyList<double> sorted, double share)
    {
        var at = share * (sorted.Count - 1);
        var (low, rest) = ((int)at, at - Math.Floor(at));
        return low + 1 < sorted.Count ? sorted[low] + (rest * (sorted[low + 1] - sorted[low])) : sorted[low];
    }
}
