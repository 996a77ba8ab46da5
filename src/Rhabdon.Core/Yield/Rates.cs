using MathNet.Numerics.Distributions;

namespace Rhabdon.Core.Yield;

/// <summary>How many of one kind, as a method or a construction, were made, and how many of those passed.</summary>
public sealed record Stratum(string Name, long Made, long Passed);

/// <param name="Strata">The same connectors by what makes some harder than others; where they are given, <paramref name="Made"/> and <paramref name="Passed"/> are their sums.</param>
public sealed record RateGroup(string Name, long Made = 0, long Passed = 0, IReadOnlyList<Stratum>? Strata = null);

public sealed record RatesAsk(IReadOnlyList<RateGroup> Groups, double Confidence = 0.95);

/// <summary>A share with the interval in which it lies (Wilson's).</summary>
public sealed record Share(double Rate, double Low, double High)
{
    /// <summary>Wilson's interval, which is sound for few and for none. Of none made it is all there is.</summary>
    public static Share Of(long passed, long made, double confidence = 0.95)
    {
        if (made == 0)
        {
            return new(0, 0, 1);
        }

        var z = Normal.InvCDF(0, 1, 0.5 + (confidence / 2));
        var (n, p) = ((double)made, (double)passed / made);
        var (middle, half, scale) = (p + (z * z / (2 * n)), z * Math.Sqrt((p * (1 - p) / n) + (z * z / (4 * n * n))), 1 + (z * z / n));
        return new(p, passed == 0 ? 0 : Math.Max(0, (middle - half) / scale), passed == made ? 1 : Math.Min(1, (middle + half) / scale));
    }
}

public enum FunnelSide
{
    Within, Below, Above,
}

/// <param name="Expected">The share that all together reach on the mix of this group.</param>
/// <param name="FunnelLow">Between this</param>
/// <param name="FunnelHigh">and this a group of so many lies by chance alone, with the confidence; both are shares.</param>
/// <param name="Outside">Where it lies, with the confidence for this group alone;</param>
/// <param name="OutsideOfAll">and with the same confidence for all groups that were looked at together, which is what may be said aloud.</param>
/// <param name="Chance">That a group of so many lies as far off, on either side, by chance alone; for this group by itself.</param>
/// <param name="Adjusted">What it would be with everybody's mix of strata; null where none were given.</param>
public sealed record GroupRate(
    string Name, long Made, long Passed, double Rate, double Low, double High, double Expected, double FunnelLow, double FunnelHigh, FunnelSide Outside, FunnelSide OutsideOfAll, double Chance, Share? Adjusted);

/// <summary>Two groups against each other.</summary>
/// <param name="Difference">Of the first over the second, as a share, within the strata that both have;</param>
/// <param name="Low">it lies between this</param>
/// <param name="High">and this.</param>
/// <param name="Chance">That two alike differ as much by chance; within the strata that both have, where there are any.</param>
/// <param name="Enough">They do differ, as far as can be told with the confidence.</param>
/// <param name="MoreEach">Where not: how many more of each would tell, with four chances in five, if they differ as much as these do; null where they do not differ at all.</param>
public sealed record RatePair(double Difference, double Low, double High, double Chance, bool Enough, long? MoreEach);

/// <param name="Centre">Of all groups together.</param>
/// <param name="Pair">Where there are two groups: the first against the second.</param>
public sealed record RatesFound(double Centre, IReadOnlyList<GroupRate> Groups, RatePair? Pair = null);

/// <summary>
/// Rates of groups beside each other without a league table: each with its interval, and a funnel around what all do together, so that a few connectors are not
/// judged. Where strata are given, each group is held to what everybody does on its own mix (indirect standardisation), so that who makes the hard ones does not look bad.
/// </summary>
public static class Rates
{
    public const int MostGroups = 500, MostStrata = 100;

    private const long MostMade = 1_000_000_000;

    /// <exception cref="RefusedException">Such a question cannot be; each figure by its field.</exception>
    public static RatesFound Of(RatesAsk ask)
    {
        Check(ask);
        var groups = ask.Groups.Select(g => g.Strata is { Count: > 0 } s ? g with { Made = s.Sum(x => x.Made), Passed = s.Sum(x => x.Passed) } : g with { Strata = null }).ToList();
        var centre = groups.Sum(g => g.Made) is > 0 and var all ? (double)groups.Sum(g => g.Passed) / all : 0;
        var byStratum = groups.SelectMany(g => g.Strata ?? []).GroupBy(s => s.Name, StringComparer.Ordinal)
            .ToDictionary(s => s.Key, s => s.Sum(x => x.Made) is > 0 and var made ? (double)s.Sum(x => x.Passed) / made : 0, StringComparer.Ordinal);
        var looked = Math.Max(1, groups.Count(g => g.Made > 0));
        var each = Math.Pow(ask.Confidence, 1.0 / looked);
        return new(centre, [.. groups.Select(g => Of(g, centre, byStratum, ask.Confidence, each))], groups is [var first, var second] ? Compare(first, second, ask.Confidence) : null);
    }

    /// <summary>Chances of the two, and of how many more it would take.</summary>
    private const double Power = 0.8;

    private const long MostMore = 1_000_000;

    /// <summary>
    /// Two groups, within the strata that both have: the difference weighed by how much each stratum tells, its interval Newcombe's from Wilson's two where there is one stratum,
    /// else the normal's; the chance from Mantel and Haenszel's test, which with one stratum is the chi-squared test of a four-fold table. What is not told yet says how many
    /// more of each would tell (normal approximation).
    /// </summary>
    public static RatePair Compare(RateGroup a, RateGroup b, double confidence = 0.95)
    {
        var (strata, ofB) = (a.Strata ?? [new("", a.Made, a.Passed)], (b.Strata ?? [new("", b.Made, b.Passed)]).ToDictionary(s => s.Name, StringComparer.Ordinal));
        var (madeA, madeB) = (strata.Sum(s => s.Made), ofB.Values.Sum(s => s.Made));
        var (over, variance, weights, differences, spread) = (0.0, 0.0, 0.0, 0.0, 0.0);
        var both = strata.Where(s => s.Made > 0 && ofB.TryGetValue(s.Name, out var t) && t.Made > 0).Select(s => (A: s, B: ofB[s.Name])).ToList();
        foreach (var (s, t) in both)
        {
            double n = s.Made + t.Made, passed = s.Passed + t.Passed, w = s.Made * (t.Made / n), x = (double)s.Passed / s.Made, y = (double)t.Passed / t.Made;
            over += s.Passed - (s.Made * passed / n);
            variance += n > 1 ? (double)s.Made * t.Made * passed * (n - passed) / (n * n * (n - 1)) : 0;
            weights += w;
            differences += w * (x - y);
            spread += w * w * ((x * (1 - x) / s.Made) + (y * (1 - y) / t.Made));
        }

        if (both.Count == 0)
        {
            return new(0, -1, 1, 1, false, null);
        }

        var difference = differences / weights;
        var (p, q) = (Share.Of(both.Sum(s => s.A.Passed), both.Sum(s => s.A.Made), confidence), Share.Of(both.Sum(s => s.B.Passed), both.Sum(s => s.B.Made), confidence));
        var half = Normal.InvCDF(0, 1, 0.5 + (confidence / 2)) * Math.Sqrt(spread) / weights;
        var (low, high) = both.Count > 1 ? (difference - half, difference + half)
            : (difference - Math.Sqrt(Square(p.Rate - p.Low) + Square(q.High - q.Rate)), difference + Math.Sqrt(Square(p.High - p.Rate) + Square(q.Rate - q.Low)));
        var chance = variance > 0 ? 2 * Normal.CDF(0, 1, -Math.Abs(over) / Math.Sqrt(variance)) : 1;
        var enough = chance <= 1 - confidence;
        return new(difference, low, high, chance, enough, enough || difference == 0 ? null : More(Math.Clamp(q.Rate + difference, 0, 1), q.Rate, confidence, Math.Min(madeA, madeB)));
    }

    /// <summary>How many of each tell two rates apart, less those that there are.</summary>
    private static long? More(double p, double q, double confidence, long have)
    {
        var middle = (p + q) / 2;
        var root = (Normal.InvCDF(0, 1, 0.5 + (confidence / 2)) * Math.Sqrt(2 * middle * (1 - middle))) + (Normal.InvCDF(0, 1, Power) * Math.Sqrt((p * (1 - p)) + (q * (1 - q))));
        var each = Math.Ceiling(Square(root / (p - q)));
        return each > MostMore ? MostMore : Math.Max(1, (long)each - have);
    }

    private static double Square(double x) => x * x;

    private static GroupRate Of(RateGroup g, double centre, Dictionary<string, double> byStratum, double confidence, double each)
    {
        var own = Share.Of(g.Passed, g.Made, confidence);
        var shares = g.Strata?.Select(s => (s.Made, P: byStratum[s.Name])).ToList() ?? [(g.Made, centre)];
        var (low, high) = Funnel(shares, g.Made, confidence);
        Share? adjusted = null;
        if (g.Strata is not null && g.Made > 0)
        {
            var expected = shares.Sum(s => s.Made * s.P);
            double Scaled(double rate) => expected > 0 ? Math.Clamp(rate * g.Made / expected * centre, 0, 1) : centre;
            adjusted = new(Scaled(own.Rate), Scaled(own.Low), Scaled(own.High));
        }

        return new(
            g.Name, g.Made, g.Passed, own.Rate, own.Low, own.High, g.Made == 0 ? centre : Sums(shares).Mean / g.Made, g.Made == 0 ? 0 : low / g.Made, g.Made == 0 ? 1 : high / g.Made,
            Side(g.Passed, (low, high), g.Made), Side(g.Passed, Funnel(shares, g.Made, each), g.Made), Chance(shares, g.Made, g.Passed), adjusted);
    }

    private static FunnelSide Side(long passed, (double Low, double High) funnel, long made) =>
        made == 0 ? FunnelSide.Within : passed < funnel.Low ? FunnelSide.Below : passed > funnel.High ? FunnelSide.Above : FunnelSide.Within;

    /// <summary>How many of them pass by chance alone: of one kind by the binomial itself, of several by its sums' normal with half a step more.</summary>
    private static (double Low, double High) Funnel(List<(long Made, double P)> of, long made, double confidence)
    {
        var tail = (1 - confidence) / 2;
        if (OneKind(of) is { } p)
        {
            return (Quantile(made, p, tail), Quantile(made, p, 1 - tail));
        }

        var (mean, deviation) = Sums(of);
        var z = Normal.InvCDF(0, 1, 1 - tail);
        return (Math.Max(0, mean - (z * deviation) - 0.5), Math.Min(made, mean + (z * deviation) + 0.5));
    }

    private static double Chance(List<(long Made, double P)> of, long made, long passed)
    {
        if (OneKind(of) is { } p)
        {
            return Math.Min(1, 2 * Math.Min(AtMost(passed, made, p), 1 - AtMost(passed - 1, made, p)));
        }

        var (mean, deviation) = Sums(of);
        return deviation == 0 ? 1 : Math.Min(1, 2 * Normal.CDF(0, 1, -Math.Max(0, Math.Abs(passed - mean) - 0.5) / deviation));
    }

    /// <summary>The one share of all of them; null where there are several.</summary>
    private static double? OneKind(List<(long Made, double P)> of) => of.Where(s => s.Made > 0).Select(s => s.P).Distinct().ToList() switch { [] => 0, [var p] => p, _ => null };

    private static (double Mean, double Deviation) Sums(List<(long Made, double P)> of) => (of.Sum(s => s.Made * s.P), Math.Sqrt(of.Sum(s => s.Made * s.P * (1 - s.P))));

    /// <summary>The least number that is reached with this probability, by halving.</summary>
    internal static long Quantile(long n, double p, double probability)
    {
        if (p is 0 or 1)
        {
            return p == 0 ? 0 : n;
        }

        if (n * p * (1 - p) > 1e4)
        {
            return (long)Math.Clamp(Math.Ceiling((n * p) - 0.5 + (Normal.InvCDF(0, 1, probability) * Math.Sqrt(n * p * (1 - p)))), 0, n);
        }

        var (low, high) = (-1L, n);
        while (high - low > 1)
        {
            var middle = low + ((high - low) / 2);
            if (AtMost(middle, n, p) >= probability)
            {
                high = middle;
            }
            else
            {
                low = middle;
            }
        }

        return high;
    }

    /// <summary>That no more than so many of them pass: the regularised incomplete beta function.</summary>
    internal static double AtMost(long k, long n, double p) => k < 0 ? 0 : k >= n ? 1 : MathNet.Numerics.SpecialFunctions.BetaRegularized(n - k, k + 1, 1 - p);

    private static void Check(RatesAsk ask)
    {
        var figures = new Figures().Within("confidence", ask.Confidence, 0.5, 0.9999)
            .Require(ask.Groups.Count is >= 1 and <= MostGroups, Refusal.Of("figure-range", "groups", ("least", 1), ("most", MostGroups)));
        foreach (var (i, g) in ask.Groups.Take(MostGroups).Index())
        {
            Check(figures, $"groups[{i}]", g.Made, g.Passed);
            figures.Require(g.Strata is not { Count: > MostStrata }, Refusal.Of("figure-range", $"groups[{i}].strata", ("least", 0), ("most", MostStrata)));
            foreach (var (k, s) in (g.Strata ?? []).Take(MostStrata).Index())
            {
                Check(figures, $"groups[{i}].strata[{k}]", s.Made, s.Passed);
            }
        }

        figures.ThrowIfBad();
    }

    private static void Check(Figures figures, string at, long made, long passed) =>
        figures.Within($"{at}.made", made, 0, MostMade).Within($"{at}.passed", passed, 0, Math.Max(0, Math.Min(made, MostMade)));
}
