namespace Rhabdon.Core.Kit;

/// <summary>How many of something it will be, as chances from a least number up; what is less likely than 1e-15 at either edge is left out.</summary>
public sealed record Tally(int From, double[] Chances)
{
    private const double Hardly = 1e-15;

    public static Tally Of(double[] fromNone)
    {
        var (first, last) = (Array.FindIndex(fromNone, c => c > Hardly), Array.FindLastIndex(fromNone, c => c > Hardly));
        return new(first, fromNone[first..(last + 1)]);
    }

    /// <summary>Of both together.</summary>
    public Tally And(Tally more)
    {
        var sum = new double[Chances.Length + more.Chances.Length - 1];
        for (var i = 0; i < Chances.Length; i++)
        {
            for (var j = 0; j < more.Chances.Length; j++)
            {
                sum[i + j] += Chances[i] * more.Chances[j];
            }
        }

        Effort.Spend(sum.Length);
        var all = Of(sum);
        return all with { From = all.From + From + more.From };
    }

    /// <summary>The fewest that are enough with this confidence.</summary>
    public int Enough(double confidence)
    {
        var sum = 0.0;
        for (var n = 0; n < Chances.Length; n++)
        {
            sum += Chances[n];
            if (sum >= confidence - 1e-12)
            {
                return From + n;
            }
        }

        return From + Chances.Length;
    }

    /// <summary>That so many are enough.</summary>
    public double EnoughChance(int n) => Math.Min(1, Chances.Take(Math.Max(0, n - From + 1)).Sum());

    /// <summary>The number that costs least: each one left over against the way back where it is not enough.</summary>
    public int Cheapest(double leftoverCost, double tripCost)
    {
        // One more saves a trip with the chance that exactly so many are needed, and is left over with the chance that fewer are.
        var (n, enough) = (From, Chances[0]);
        var (best, least, cost) = (n, tripCost * (1 - enough), 0.0);
        for (var i = 1; i < Chances.Length; i++)
        {
            cost += leftoverCost * enough;
            enough += Chances[i];
            var total = cost + (tripCost * Math.Max(0, 1 - enough));
            if (total < least - 1e-12)
            {
                (best, least) = (n + i, total);
            }
        }

        return best;
    }
}
