using MathNet.Numerics.Distributions;

namespace Rhabdon.Core.Yield;

public enum ControlKind
{
    /// <summary>Shares, each of so many.</summary>
    P,
    /// <summary>Single values, as losses; their spread from how much neighbours differ.</summary>
    Individuals,
    /// <summary>Sums of what lies beyond the target: a small shift is found early.</summary>
    Cusum,
}

public enum ControlRule
{
    /// <summary>Outside the limits, three sigma from the centre.</summary>
    BeyondLimits,
    /// <summary>Two of three in a row beyond two sigma, on the same side.</summary>
    TwoOfThree,
    /// <summary>Four of five in a row beyond one sigma, on the same side.</summary>
    FourOfFive,
    /// <summary>Nine in a row on one side of the centre.</summary>
    NineOnOneSide,
    /// <summary>Six in a row that each rise, or each fall.</summary>
    SixInTrend,
    /// <summary>The sum upwards has passed its limit;</summary>
    SumAbove,
    /// <summary>or the one downwards.</summary>
    SumBelow,
}

/// <param name="Values">For a p chart how many of each sample were bad; else the values themselves, in their order.</param>
/// <param name="Sizes">Of a p chart: of how many.</param>
/// <param name="Target">What it is held to; null takes what the values say.</param>
/// <param name="Sigma">The spread of a single value; null takes what neighbours differ by.</param>
/// <param name="K">Of a CUSUM, in sigma: half the shift that is to be found.</param>
/// <param name="H">Of a CUSUM, in sigma: where it signals.</param>
public sealed record ControlAsk(ControlKind Kind, IReadOnlyList<double> Values, IReadOnlyList<double>? Sizes = null, double? Target = null, double? Sigma = null, double? K = null, double? H = null);

/// <param name="Value">A share for a p chart.</param>
/// <param name="Low">The limits of this point; for a CUSUM those of its sums.</param>
/// <param name="SumAbove">Of a CUSUM, in the values' own unit; null elsewhere.</param>
public sealed record ControlPoint(double Value, double Low, double High, IReadOnlyList<ControlRule> Rules, double? SumAbove = null, double? SumBelow = null);

/// <param name="Sigma">Of a single value; for a p chart that of a sample of the usual size.</param>
/// <param name="ChangeAt">The first point, from 0 up, of what came after the most likely change; null where none is likely.</param>
/// <param name="ChangeChance">That such a change would show by chance alone, wherever it were looked for; null where none is likely.</param>
/// <param name="Before">The centre before the change,</param>
/// <param name="After">and after it.</param>
public sealed record ControlFound(double Centre, double Sigma, IReadOnlyList<ControlPoint> Points, int? ChangeAt, double? ChangeChance, double? Before, double? After);

/// <summary>Control charts, with the rules that fired (ISO 7870-2 and Nelson's, from memory) and the point from which it was otherwise.</summary>
public static class Control
{
    public const int MostValues = 5000;

    /// <summary>The mean distance of two values of one normal, in sigma: 2/√π.</summary>
    private static readonly double D2 = 2 / Math.Sqrt(Math.PI);

    private const double UsualK = 0.5, UsualH = 5;

    /// <summary>A change is said where fewer than one in a hundred runs would show such a one by chance.</summary>
    private const double Likely = 0.01;

    /// <exception cref="RefusedException">Such a question cannot be; each figure by its field.</exception>
    public static ControlFound Of(ControlAsk ask)
    {
        Check(ask);
        return ask.Kind switch
        {
            ControlKind.P => Shares(ask.Values, ask.Sizes!, ask.Target),
            ControlKind.Individuals => Individuals(ask.Values, ask.Target, ask.Sigma),
            _ => Cusum(ask),
        };
    }

    private static ControlFound Shares(IReadOnlyList<double> bad, IReadOnlyList<double> sizes, double? target)
    {
        var centre = target ?? (bad.Sum() / sizes.Sum());
        double Sigma(double size) => Math.Sqrt(centre * (1 - centre) / size);
        var shares = bad.Zip(sizes, (b, n) => b / n).ToList();
        var rules = Rules([.. shares.Zip(sizes, (p, n) => Sigma(n) is > 0 and var s ? (p - centre) / s : p == centre ? 0 : double.PositiveInfinity)]);
        var (at, chance) = Change(bad.Count, i => Binomial(bad.Take(i).Sum(), sizes.Take(i).Sum()) + Binomial(bad.Skip(i).Sum(), sizes.Skip(i).Sum()) - Binomial(bad.Sum(), sizes.Sum()));
        return new(
            centre, Sigma(sizes.Average()), [.. shares.Zip(sizes).Select((x, i) => new ControlPoint(x.First, Math.Max(0, centre - (3 * Sigma(x.Second))), Math.Min(1, centre + (3 * Sigma(x.Second))), rules[i]))],
            at, chance, at is { } b ? bad.Take(b).Sum() / sizes.Take(b).Sum() : null, at is { } a ? bad.Skip(a).Sum() / sizes.Skip(a).Sum() : null);
    }

    /// <summary>The log likelihood of so many bad ones at the share that they say themselves.</summary>
    private static double Binomial(double bad, double of) => bad == 0 || bad == of ? 0 : (bad * Math.Log(bad / of)) + ((of - bad) * Math.Log(1 - (bad / of)));

    private static ControlFound Individuals(IReadOnlyList<double> values, double? target, double? given)
    {
        var (centre, sigma) = (target ?? values.Average(), given ?? Spread(values));
        var rules = Rules([.. values.Select(v => sigma > 0 ? (v - centre) / sigma : 0)]);
        var (at, chance) = MeanChange(values);
        return new(
            centre, sigma, [.. values.Select((v, i) => new ControlPoint(v, centre - (3 * sigma), centre + (3 * sigma), rules[i]))],
            at, chance, at is { } b ? values.Take(b).Average() : null, at is { } a ? values.Skip(a).Average() : null);
    }

    /// <summary>The spread of a single value, from how much neighbours differ: a slow drift does not widen its own limits.</summary>
    private static double Spread(IReadOnlyList<double> values) => values.Count < 2 ? 0 : values.Zip(values.Skip(1), (a, b) => Math.Abs(b - a)).Average() / D2;

    private static ControlFound Cusum(ControlAsk ask)
    {
        var values = ask.Values;
        var (target, sigma) = (ask.Target ?? values.Average(), ask.Sigma ?? Spread(values));
        var (k, h) = ((ask.K ?? UsualK) * sigma, (ask.H ?? UsualH) * sigma);
        var (above, below, aboveFrom, belowFrom) = (0.0, 0.0, 0, 0);
        int? changed = null;
        var points = new List<ControlPoint>();
        foreach (var (i, v) in values.Index())
        {
            (above, below) = (Math.Max(0, above + v - target - k), Math.Max(0, below + target - v - k));
            (aboveFrom, belowFrom) = (above == 0 ? i + 1 : aboveFrom, below == 0 ? i + 1 : belowFrom);
            var rules = new List<ControlRule>();
            if (sigma > 0 && above > h)
            {
                rules.Add(ControlRule.SumAbove);
                changed ??= aboveFrom;
            }

            if (sigma > 0 && below > h)
            {
                rules.Add(ControlRule.SumBelow);
                changed ??= belowFrom;
            }

            points.Add(new(v, -h, h, rules, above, below));
        }

        return new(target, sigma, points, changed, null, changed is { } b && b > 0 ? values.Take(b).Average() : null, changed is { } a ? values.Skip(a).Average() : null);
    }

    private static (int? At, double? Chance) MeanChange(IReadOnlyList<double> values)
    {
        var n = values.Count;
        var (sum, squares, all) = (new double[n + 1], new double[n + 1], values.Average());
        for (var i = 0; i < n; i++)
        {
            (sum[i + 1], squares[i + 1]) = (sum[i] + values[i] - all, squares[i] + ((values[i] - all) * (values[i] - all)));
        }

        var whole = squares[n];
        double Within(int from, int to) => squares[to] - squares[from] - ((sum[to] - sum[from]) * (sum[to] - sum[from]) / (to - from));
        // Normal with one spread for both: n/2 times the log of how much of it the change explains.
        return whole <= 1e-300 ? (null, null) : Change(n, i => n / 2.0 * Math.Log(whole / Math.Max(1e-300, Within(0, i) + Within(i, n))));
    }

    /// <summary>The most likely change, held to what would show by chance at any of the places (Bonferroni's bound of the likelihood ratio).</summary>
    private static (int? At, double? Chance) Change(int n, Func<int, double> gain)
    {
        Effort.Spend(n);
        const int least = 2;
        if (n < 2 * least)
        {
            return (null, null);
        }

        var at = Enumerable.Range(least, n - (2 * least) + 1).MaxBy(gain);
        var chance = Math.Min(1, (n - 1) * (1 - ChiSquared.CDF(1, Math.Max(0, 2 * gain(at)))));
        return chance <= Likely ? (at, chance) : (null, null);
    }

    /// <param name="z">Each point's distance from the centre, in its own sigma.</param>
    private static List<ControlRule>[] Rules(double[] z)
    {
        var fired = z.Select(_ => new List<ControlRule>()).ToArray();
        for (var i = 0; i < z.Length; i++)
        {
            var side = Math.Sign(z[i]);
            int Beyond(int last, double sigma) => Enumerable.Range(Math.Max(0, i - last + 1), Math.Min(last, i + 1)).Count(j => z[j] * side > sigma);
            if (Math.Abs(z[i]) > 3)
            {
                fired[i].Add(ControlRule.BeyondLimits);
            }

            if (side != 0 && z[i] * side > 2 && Beyond(3, 2) >= 2)
            {
                fired[i].Add(ControlRule.TwoOfThree);
            }

            if (side != 0 && z[i] * side > 1 && Beyond(5, 1) >= 4)
            {
                fired[i].Add(ControlRule.FourOfFive);
            }

            if (side != 0 && i >= 8 && Beyond(9, 0) == 9)
            {
                fired[i].Add(ControlRule.NineOnOneSide);
            }

            if (i >= 5 && Enumerable.Range(i - 4, 5).Select(j => Math.Sign(z[j] - z[j - 1])).Distinct().ToList() is [not 0])
            {
                fired[i].Add(ControlRule.SixInTrend);
            }
        }

        return fired;
    }

    private static void Check(ControlAsk ask)
    {
        var values = ask.Values;
        var figures = new Figures().Require(values.Count is >= 2 and <= MostValues, Refusal.Of("figure-range", "values", ("least", 2), ("most", MostValues)))
            .Within("k", ask.K ?? UsualK, 0, 10).Within("h", ask.H ?? UsualH, 0, 100, above: true).Within("sigma", ask.Sigma ?? 1, 0, 1e9, above: true)
            .Within("target", ask.Target ?? 0, ask.Kind == ControlKind.P ? 0 : -1e9, ask.Kind == ControlKind.P ? 1 : 1e9);
        foreach (var (i, v) in values.Take(MostValues).Index())
        {
            figures.Within($"values[{i}]", v, ask.Kind == ControlKind.P ? 0 : -1e9, 1e9);
        }

        if (ask.Kind == ControlKind.P)
        {
            figures.Require(ask.Sizes?.Count == values.Count, Refusal.Of("figure-range", "sizes", ("least", values.Count), ("most", values.Count)));
            foreach (var (i, n) in (ask.Sizes ?? []).Take(Math.Min(MostValues, values.Count)).Index())
            {
                figures.Within($"sizes[{i}]", n, Math.Max(1, Math.Min(values[i], 1e9)), 1e9);
            }
        }

        figures.ThrowIfBad();
    }
}
