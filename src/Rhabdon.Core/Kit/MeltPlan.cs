namespace Rhabdon.Core.Kit;

/// <summary>So many connectors, worked like this.</summary>
public sealed record MeltAsk(int Connectors, MeltFigures Figures);

public enum MeltBound
{
    Hands, Oven, Stands,
}

/// <param name="StartMin">When so many are put into the oven, from switching it on.</param>
public sealed record MeltLoad(double StartMin, int Connectors);

/// <param name="EveryMin">A connector is made so often once it runs, bound by</param>
/// <param name="Bound">hands, the oven's places or the stands.</param>
public sealed record MeltSchedule(IReadOnlyList<MeltLoad> Loads, double EveryMin, MeltBound Bound, double FinishMin);

/// <summary>Hot-melt connectors: each heats in its place, is taken out by the one person as soon as it is hot and a stand is free, and cools on that stand.</summary>
public static class MeltPlan
{
    private const int MostConnectors = 20_000;

    /// <exception cref="RefusedException">Such a question cannot be; each figure by its field.</exception>
    public static MeltSchedule Of(int connectors, MeltFigures f)
    {
        var figures = new Figures().Within("connectors", connectors, 1, MostConnectors);
        Check(figures, f, "figures.");
        figures.ThrowIfBad();
        var (into, taken, cold, hands) = (new double[connectors], new double[connectors], new double[connectors], 0.0);
        for (var i = 0; i < connectors; i++)
        {
            into[i] = i < f.OvenSlots ? f.WarmUpMin : taken[i - f.OvenSlots];
            var stand = i < f.CoolingStands ? 0 : cold[i - f.CoolingStands] - f.InsertMin;
            taken[i] = Math.Max(Math.Max(hands, into[i] + f.HeatMin), stand);
            hands = taken[i] + f.InsertMin;
            cold[i] = hands + f.CoolMin;
            Effort.Spend(1);
        }

        var (every, bound) = new[] { (f.InsertMin, MeltBound.Hands), (f.HeatMin / f.OvenSlots, MeltBound.Oven), ((f.InsertMin + f.CoolMin) / f.CoolingStands, MeltBound.Stands) }.MaxBy(x => x.Item1);
        return new([.. into.GroupBy(t => t).OrderBy(g => g.Key).Select(g => new MeltLoad(g.Key, g.Count()))], every, bound, cold.Max());
    }

    internal static void Check(Figures figures, MeltFigures f, string at) =>
        figures.Within($"{at}ovenSlots", f.OvenSlots, 1, 1000).Within($"{at}heatMin", f.HeatMin, 0, 1440).Within($"{at}warmUpMin", f.WarmUpMin, 0, 1440)
            .Within($"{at}coolingStands", f.CoolingStands, 1, 1000).Within($"{at}coolMin", f.CoolMin, 0, 1440).Within($"{at}insertMin", f.InsertMin, 0, 1440, above: true);
}
