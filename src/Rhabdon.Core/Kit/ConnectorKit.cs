namespace Rhabdon.Core.Kit;

/// <summary>Ends of one kind, how their work goes, and how sure one wants to be that what is packed is enough.</summary>
/// <param name="Confidence">That nobody has to drive back for a connector.</param>
/// <param name="Packs">The sizes that connectors come in; none where they come one by one.</param>
/// <param name="Rungs">Of the one ladder, with what a new connector takes after them;</param>
/// <param name="Shards">Of glass that each connector leaves on its first pass.</param>
/// <param name="Ladders">or, where several checks have ladders of their own, all of them instead.</param>
public sealed record KitAsk(
    int Ends, double FirstPass, IReadOnlyList<Rung>? Rungs = null, double NewConnectorMinutes = 0, double NewConnectorSlackMm = 0, double Confidence = 0.95, IReadOnlyList<int>? Packs = null,
    double Shards = 0, IReadOnlyList<RetryLadder>? Ladders = null);

public sealed record PackCount(int Size, int Count);

/// <param name="Connectors">For all ends together, at the confidence.</param>
/// <param name="Packs">That hold them, with the fewest left over, then the fewest packs.</param>
/// <param name="Left">Connectors in the packs beyond those.</param>
/// <param name="ExpectedAttempts">Of one accepted end: its first pass, and each try of a rung.</param>
/// <param name="ExpectedReworkMinutes">Of one accepted end.</param>
/// <param name="SlackMm">Of one end, at the confidence.</param>
/// <param name="Expected">All of one accepted end, as it is to be expected;</param>
/// <param name="Enough">and what of each is enough for one end, at the confidence.</param>
public sealed record KitNeed(int Connectors, IReadOnlyList<PackCount> Packs, int Left, double ExpectedAttempts, double ExpectedReworkMinutes, double SlackMm, Spent Expected, Spent Enough);

/// <summary>How many connectors to pack.</summary>
public static class ConnectorKit
{
    private const int MostEnds = 20_000, MostPackSizes = 12, LargestPack = 5000;

    /// <exception cref="RefusedException">Such a question cannot be; each figure by its field.</exception>
    public static KitNeed Of(KitAsk ask)
    {
        var model = new ReworkModel(ask.FirstPass, ask.Ladders ?? [new(1, ask.Rungs ?? [], ask.NewConnectorMinutes, ask.NewConnectorSlackMm)], ask.Shards);
        var sizes = (ask.Packs ?? []).Distinct().Order().ToList();
        var figures = new Figures().Within("ends", ask.Ends, 1, MostEnds).Within("confidence", ask.Confidence, 0, 0.999999, above: true)
            .Require(ask.Ladders is null || ask.Rungs is null, Refusal.Of("ladders-or-rungs", "ladders"))
            .Require(sizes.Count <= MostPackSizes, Refusal.Of("figure-range", "packs", ("least", 0), ("most", MostPackSizes)));
        foreach (var (i, size) in (ask.Packs ?? []).Take(MostPackSizes).Index())
        {
            figures.Within($"packs[{i}]", size, 1, LargestPack);
        }

        model.Check(figures, ask.Ladders is null);
        figures.ThrowIfBad();
        var connectors = Tally.Of(model.Connectors(ask.Ends)).Enough(ask.Confidence);
        var (packs, left) = Packed(connectors, sizes);
        var enough = model.Enough(ask.Confidence);
        return new(connectors, packs, left, model.ExpectedAttempts, model.ExpectedReworkMinutes, enough.SlackMm, model.Expected, enough);
    }

    private static (IReadOnlyList<PackCount> Packs, int Left) Packed(int connectors, IReadOnlyList<int> sizes) => Packed(connectors, [.. sizes.Select(s => (s, 0.0))], 1);

    /// <summary>Packs that hold a number of connectors: the cheapest with what is left over, then the fewest left over, then the fewest packs.</summary>
    /// <param name="leftCost">Of each connector beyond those.</param>
    public static (IReadOnlyList<PackCount> Packs, int Left) Packed(int connectors, IReadOnlyList<(int Size, double Price)> packs, double leftCost)
    {
        if (packs.Count == 0)
        {
            return ([], 0);
        }

        // The cheapest packs that hold exactly so many, the fewest of them where several cost the same.
        var largest = packs.Max(p => p.Size);
        var most = connectors + largest;
        var (cost, count, last) = (new double[most + 1], new int[most + 1], new int[most + 1]);
        for (var n = 1; n <= most; n++)
        {
            cost[n] = double.PositiveInfinity;
            foreach (var (size, price) in packs.Where(p => p.Size <= n && !double.IsInfinity(cost[n - p.Size])))
            {
                if ((cost[n - size] + price, count[n - size] + 1).CompareTo((cost[n], cost[n] < double.PositiveInfinity ? count[n] : int.MaxValue)) < 0)
                {
                    (cost[n], count[n], last[n]) = (cost[n - size] + price, count[n - size] + 1, size);
                }
            }

            Effort.Spend(packs.Count);
        }

        var held = Enumerable.Range(connectors, largest + 1).Where(n => !double.IsInfinity(cost[n])).MinBy(n => (Math.Round(cost[n] + (leftCost * (n - connectors)), 6), n));
        var taken = new Dictionary<int, int>();
        for (var n = held; n > 0; n -= last[n])
        {
            taken[last[n]] = taken.GetValueOrDefault(last[n]) + 1;
        }

        return ([.. taken.OrderByDescending(t => t.Key).Select(t => new PackCount(t.Key, t.Value))], held - connectors);
    }
}
