namespace Rhabdon.Core.Kit;

/// <summary>Ends of one kind, how their work goes, and how sure one wants to be that what is packed is enough.</summary>
/// <param name="Confidence">That nobody has to drive back for a connector.</param>
/// <param name="Packs">The sizes that connectors come in; none where they come one by one.</param>
public sealed record KitAsk(
    int Ends, double FirstPass, IReadOnlyList<Rung>? Rungs = null, double NewConnectorMinutes = 0, double NewConnectorSlackMm = 0, double Confidence = 0.95, IReadOnlyList<int>? Packs = null);

public sealed record PackCount(int Size, int Count);

/// <param name="Connectors">For all ends together, at the confidence.</param>
/// <param name="Packs">That hold them, with the fewest left over, then the fewest packs.</param>
/// <param name="Left">Connectors in the packs beyond those.</param>
/// <param name="ExpectedAttempts">Of one accepted end: its first pass, and each try of a rung.</param>
/// <param name="ExpectedReworkMinutes">Of one accepted end.</param>
/// <param name="SlackMm">Of one end, at the confidence.</param>
public sealed record KitNeed(int Connectors, IReadOnlyList<PackCount> Packs, int Left, double ExpectedAttempts, double ExpectedReworkMinutes, double SlackMm);

/// <summary>How many connectors to pack.</summary>
public static class ConnectorKit
{
    private const int MostEnds = 20_000, MostPackSizes = 12, LargestPack = 5000;

    /// <exception cref="RefusedException">Such a question cannot be; each figure by its field.</exception>
    public static KitNeed Of(KitAsk ask)
    {
        var model = new ReworkModel(ask.FirstPass, ask.Rungs ?? [], ask.NewConnectorMinutes, ask.NewConnectorSlackMm);
        var sizes = (ask.Packs ?? []).Distinct().Order().ToList();
        var figures = new Figures().Within("ends", ask.Ends, 1, MostEnds).Within("confidence", ask.Confidence, 0, 0.999999, above: true)
            .Require(sizes.Count <= MostPackSizes, Refusal.Of("figure-range", "packs", ("least", 0), ("most", MostPackSizes)));
        foreach (var (i, size) in (ask.Packs ?? []).Take(MostPackSizes).Index())
        {
            figures.Within($"packs[{i}]", size, 1, LargestPack);
        }

        model.Check(figures);
        figures.ThrowIfBad();
        var connectors = Tally.Of(model.Connectors(ask.Ends)).Enough(ask.Confidence);
        var (packs, left) = Packed(connectors, sizes);
        return new(connectors, packs, left, model.ExpectedAttempts, model.ExpectedReworkMinutes, model.SlackMm(ask.Confidence));
    }

    /// <summary>Packs that hold a number of connectors: the fewest left over, then the fewest packs.</summary>
    internal static (IReadOnlyList<PackCount> Packs, int Left) Packed(int connectors, IReadOnlyList<int> sizes)
    {
        if (sizes.Count == 0)
        {
            return ([], 0);
        }

        // The fewest packs that hold exactly so many; the first amount from the need on that can be held is the answer.
        var most = connectors + sizes[^1];
        var (fewest, last) = (new int[most + 1], new int[most + 1]);
        for (var n = 1; n <= most; n++)
        {
            fewest[n] = int.MaxValue;
            foreach (var size in sizes.TakeWhile(s => s <= n).Where(s => fewest[n - s] != int.MaxValue && fewest[n - s] + 1 < fewest[n]))
            {
                (fewest[n], last[n]) = (fewest[n - size] + 1, size);
            }

            Effort.Spend(sizes.Count);
        }

        var held = Enumerable.Range(connectors, sizes[^1] + 1).First(n => fewest[n] != int.MaxValue);
        var taken = new Dictionary<int, int>();
        for (var n = held; n > 0; n -= last[n])
        {
            taken[last[n]] = taken.GetValueOrDefault(last[n]) + 1;
        }

        return ([.. taken.OrderByDescending(t => t.Key).Select(t => new PackCount(t.Key, t.Value))], held - connectors);
    }
}
