namespace Rhabdon.Core.Kit;

/// <summary>Connectors that one person fills and an oven cures.</summary>
/// <param name="InjectMl">Into one connector.</param>
/// <param name="DeadMl">What stays behind of each mix: in the cup, the syringe and the needle.</param>
/// <param name="InjectMin">For one connector, with its fiber in.</param>
/// <param name="PotLifeMin">From mixing on; by then a connector lies in the oven.</param>
/// <param name="WarmUpMin">From switching the oven on, when everything begins.</param>
public sealed record AdhesiveAsk(int Connectors, double InjectMl, double DeadMl, double InjectMin, double PotLifeMin, int OvenSlots, double CureMin, double WarmUpMin);

/// <param name="StartMin">When it is mixed, from switching the oven on.</param>
/// <param name="Ml">To be mixed, with what stays behind.</param>
public sealed record Mix(double StartMin, int Connectors, double Ml);

/// <param name="WasteMl">What stays behind of all mixes.</param>
/// <param name="FinishMin">When the last load is cured.</param>
public sealed record AdhesiveSchedule(IReadOnlyList<Mix> Mixes, double WasteMl, double FinishMin);

/// <summary>
/// The fewest mixes, each as late as it may be. A load is cured whole; a mix serves as many loads as come into the oven within its pot life, each no larger than the
/// oven and than what is filled within the pot life.
/// </summary>
public static class AdhesivePlan
{
    private const int MostConnectors = 20_000;

    /// <exception cref="RefusedException">Such a question cannot be, or the pot life ends before one connector is filled.</exception>
    public static AdhesiveSchedule Of(AdhesiveAsk ask)
    {
        var figures = new Figures().Within("connectors", ask.Connectors, 1, MostConnectors);
        Check(figures, ask, "");
        figures.ThrowIfBad();
        var filled = (int)Math.Floor((ask.PotLifeMin / ask.InjectMin) + 1e-9);
        new Figures().Require(filled >= 1, Refusal.Of("pot-life-short", "potLifeMin", ("injectMin", ask.InjectMin))).ThrowIfBad();

        var load = Math.Min(ask.OvenSlots, filled);
        var mixes = new List<Mix>();
        var (left, hands, oven) = (ask.Connectors, 0.0, ask.WarmUpMin);
        while (left > 0)
        {
            // As late as the oven lets the first load in, and not before the hands are free.
            var first = Math.Min(load, left);
            var start = Math.Max(hands, oven - (first * ask.InjectMin));
            var (count, filling) = (0, start);
            while (left > 0)
            {
                var next = Math.Min(load, left);
                var into = Math.Max(filling + (next * ask.InjectMin), oven);
                if (count > 0 && into > start + ask.PotLifeMin + 1e-9)
                {
                    break;
                }

                filling += next * ask.InjectMin;
                (count, left, oven) = (count + next, left - next, into + ask.CureMin);
                Effort.Spend(1);
            }

            hands = filling;
            mixes.Add(new(start, count, (count * ask.InjectMl) + ask.DeadMl));
        }

        return new(mixes, mixes.Count * ask.DeadMl, oven);
    }

    internal static void Check(Figures figures, AdhesiveAsk ask, string at) =>
        figures.Within($"{at}injectMl", ask.InjectMl, 0, 1000).Within($"{at}deadMl", ask.DeadMl, 0, 1000)
            .Within($"{at}injectMin", ask.InjectMin, 0, 1440, above: true).Within($"{at}potLifeMin", ask.PotLifeMin, 0, 14_400, above: true).Within($"{at}ovenSlots", ask.OvenSlots, 1, 1000)
            .Within($"{at}cureMin", ask.CureMin, 0, 14_400).Within($"{at}warmUpMin", ask.WarmUpMin, 0, 1440);
}
