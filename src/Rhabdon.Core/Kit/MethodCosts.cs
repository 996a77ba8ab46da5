using MathNet.Numerics.Distributions;

namespace Rhabdon.Core.Kit;

/// <summary>What a method costs, as a company sees it.</summary>
/// <param name="ConnectorCost">Of one connector;</param>
/// <param name="ConsumableCost">and of what is used up with each.</param>
/// <param name="ToolCost">Of one set of tools, bought for these ends; 0 where it is owned.</param>
/// <param name="ToolLifeEnds">Ends that one set lasts for; 0 where it lasts.</param>
/// <param name="Minutes">Of hands for one connector.</param>
/// <param name="FirstPass">That it is good; one that is not is made again.</param>
/// <param name="ReworkMinutes">To make one again.</param>
/// <param name="LossMeanDb">Of a mated pair;</param>
/// <param name="LossSdDb">with how much they differ.</param>
public sealed record MethodFigures(
    string Name, double ConnectorCost, double ConsumableCost, double ToolCost, double ToolLifeEnds, double Minutes, double FirstPass, double ReworkMinutes, double LossMeanDb, double LossSdDb);

/// <param name="Budget">For all ends, tools bought for them among it; null where there is none.</param>
public sealed record CompareAsk(int Ends, double WagePerHour, IReadOnlyList<MethodFigures> Methods, double LimitDb, double? Budget = null);

/// <param name="CostPerAccepted">Parts and work by what is accepted, and the tools shared among all ends.</param>
/// <param name="Hours">Of hands for all ends.</param>
/// <param name="ShareOverLimit">Of mated pairs, taken for normally spread.</param>
/// <param name="OverBudget">All ends by it cost more than there is.</param>
public sealed record MethodCost(string Name, double CostPerAccepted, double Hours, double ShareOverLimit, bool OverBudget = false);

/// <param name="A">The one that is cheaper for fewer ends;</param>
/// <param name="B">and the one that is no dearer from so many on.</param>
public sealed record BreakEven(string A, string B, int Ends);

public enum ChangeKind
{
    MoreEnds, FewerEnds, TighterLimit, LooserLimit,
}

/// <param name="At">Ends, or decibels: from there on</param>
/// <param name="Name">this one is right.</param>
public sealed record ChoiceChange(ChangeKind Kind, double At, string Name);

/// <summary>Which method is right, why, and what would change that.</summary>
/// <param name="WithinLimit">How many methods keep the limit with all but <see cref="MethodCosts.ShareAllowed"/> of their pairs; with none, the one that keeps it most often is right.</param>
/// <param name="Saves">Of an accepted connector, against the next within the limit; null where there is none.</param>
public sealed record RightMethod(string Name, int WithinLimit, double? Saves, string? Next, IReadOnlyList<ChoiceChange> Changes);

/// <param name="CostPerAccepted">By method, in the order of the question.</param>
public sealed record CostPoint(int Ends, IReadOnlyList<double> CostPerAccepted);

public sealed record Comparison(IReadOnlyList<MethodCost> Methods, IReadOnlyList<BreakEven> BreakEven, RightMethod Choice, IReadOnlyList<CostPoint> Curve);

/// <summary>Which method is cheaper, for how many ends, and how many of its pairs would be over the limit.</summary>
public static class MethodCosts
{
    /// <summary>Of a method's pairs, that may lie over the limit before another is taken (ours).</summary>
    public const double ShareAllowed = 0.02;

    private const int MostMethods = 12, MostEnds = 100_000;

    /// <exception cref="RefusedException">Such a question cannot be; each figure by its field.</exception>
    public static Comparison Of(CompareAsk ask)
    {
        var figures = new Figures().Within("ends", ask.Ends, 1, MostEnds).Within("wagePerHour", ask.WagePerHour, 0, 1e6).Within("limitDb", ask.LimitDb, 0, 100).Within("budget", ask.Budget ?? 0, 0, 1e9)
            .Require(ask.Methods.Count is >= 1 and <= MostMethods, Refusal.Of("figure-range", "methods", ("least", 1), ("most", MostMethods)));
        foreach (var (i, m) in ask.Methods.Take(MostMethods).Index())
        {
            var at = $"methods[{i}]";
            figures.Require(m.Name.Trim().Length is > 0 and <= 60, Refusal.Of("name-length", $"{at}.name", ("most", 60))).Require(ask.Methods.Count(x => x.Name == m.Name) == 1, Refusal.Of("taken", $"{at}.name", ("id", m.Name)))
                .Within($"{at}.connectorCost", m.ConnectorCost, 0, 1e6).Within($"{at}.consumableCost", m.ConsumableCost, 0, 1e6).Within($"{at}.toolCost", m.ToolCost, 0, 1e7).Within($"{at}.toolLifeEnds", m.ToolLifeEnds, 0, 1e9)
                .Within($"{at}.minutes", m.Minutes, 0, 1e4).Within($"{at}.firstPass", m.FirstPass, 0, 1, above: true).Within($"{at}.reworkMinutes", m.ReworkMinutes, 0, 1e4)
                .Within($"{at}.lossMeanDb", m.LossMeanDb, 0, 100).Within($"{at}.lossSdDb", m.LossSdDb, 0, 100);
        }

        figures.ThrowIfBad();
        return new(
            [.. ask.Methods.Select(m => new MethodCost(m.Name, Cost(m, ask.Ends, ask.WagePerHour) / ask.Ends, ask.Ends * Hours(m), Over(m, ask.LimitDb), Cost(m, ask.Ends, ask.WagePerHour) > (ask.Budget ?? double.PositiveInfinity)))],
            [.. from a in ask.Methods from b in ask.Methods where a != b select Crossing(a, b, ask.WagePerHour) into c where c is not null select c],
            Choose(ask), [.. Counts(ask.Ends).Select(n => new CostPoint(n, [.. ask.Methods.Select(m => Cost(m, n, ask.WagePerHour) / n)]))]);
    }

    private static RightMethod Choose(CompareAsk ask)
    {
        var right = Right(ask, ask.Ends, ask.LimitDb);
        var within = ask.Methods.Where(m => Keeps(m, ask.LimitDb)).ToList();
        IReadOnlyList<MethodFigures> candidates = within.Count > 0 ? within : [right];
        var lines = candidates.Select(c => Line.Of(c, ask.WagePerHour)).ToArray();
        // One that costs the same is no other choice.
        var next = within.Where(m => Cost(m, ask.Ends, ask.WagePerHour) > Cost(right, ask.Ends, ask.WagePerHour) + 1e-6).MinBy(m => Cost(m, ask.Ends, ask.WagePerHour));
        var changes = new List<ChoiceChange?> { Ends(1), Ends(-1), Limit(ChangeKind.TighterLimit), Limit(ChangeKind.LooserLimit) };
        return new(right.Name, within.Count, next is null ? null : (Cost(next, ask.Ends, ask.WagePerHour) - Cost(right, ask.Ends, ask.WagePerHour)) / ask.Ends, next?.Name, [.. changes.OfType<ChoiceChange>()]);

        ChoiceChange? Ends(int step)
        {
            for (var n = ask.Ends + step; n is >= 1 and <= MostEnds; n += step)
            {
                // Which keep the limit does not hang on the count.
                var m = candidates[0];
                var least = lines[0].At(n);
                for (var i = 1; i < lines.Length; i++)
                {
                    if (lines[i].At(n) is var cost && cost < least)
                    {
                        (m, least) = (candidates[i], cost);
                    }
                }

                if (m != right)
                {
                    return new(step > 0 ? ChangeKind.MoreEnds : ChangeKind.FewerEnds, n, m.Name);
                }

                Effort.Spend(ask.Methods.Count);
            }

            return null;
        }

        // Only where a method begins to keep the limit, or no longer does, can another be right.
        ChoiceChange? Limit(ChangeKind kind)
        {
            var tighter = kind == ChangeKind.TighterLimit;
            var edges = ask.Methods.Select(m => m.LossMeanDb + (Normal.InvCDF(0, 1, 1 - ShareAllowed) * m.LossSdDb)).Where(e => tighter ? e <= ask.LimitDb : e > ask.LimitDb);
            return (tighter ? edges.OrderDescending() : edges.Order()).Select(e => (At: e, Then: Right(ask, ask.Ends, tighter ? e - 1e-6 : e + 1e-6)))
                .Where(x => x.Then != right).Select(x => new ChoiceChange(kind, x.At, x.Then.Name)).FirstOrDefault();
        }
    }

    private static bool Keeps(MethodFigures m, double limitDb) => Over(m, limitDb) <= ShareAllowed;

    /// <summary>The cheapest that keeps the limit; where none does, the one that keeps it most often.</summary>
    private static MethodFigures Right(CompareAsk ask, int ends, double limitDb) =>
        ask.Methods.Where(m => Keeps(m, limitDb)).MinBy(m => Cost(m, ends, ask.WagePerHour)) ?? ask.Methods.MinBy(m => Over(m, limitDb))!;

    /// <summary>Counts to draw: each about a fifth more than the one before, to ten times as many as are asked for.</summary>
    private static IEnumerable<int> Counts(int ends)
    {
        var most = Math.Min(MostEnds, Math.Max(100, ends * 10));
        for (var n = 1.0; n < most; n = Math.Max(n + 1, n * 1.2))
        {
            yield return (int)n;
        }

        yield return most;
    }

    private static double Hours(MethodFigures m) => (m.Minutes + (((1 / m.FirstPass) - 1) * m.ReworkMinutes)) / 60;

    private static double Each(MethodFigures m, double wage) => ((m.ConnectorCost + m.ConsumableCost) / m.FirstPass) + (Hours(m) * wage);

    private static double Cost(MethodFigures m, int ends, double wage) => Line.Of(m, wage).At(ends);

    /// <summary>A method's cost by the number of ends, ready to be asked for many of them.</summary>
    private readonly record struct Line(double Each, double Tool, double Life)
    {
        public static Line Of(MethodFigures m, double wage) => new(MethodCosts.Each(m, wage), m.ToolCost, m.ToolLifeEnds);

        public double At(int ends) => (ends * Each) + (Life > 0 ? Tool * Math.Ceiling((ends / Life) - 1e-9) : Tool);
    }

    private static double Over(MethodFigures m, double limitDb) => m.LossSdDb > 0 ? 1 - Normal.CDF(m.LossMeanDb, m.LossSdDb, limitDb) : m.LossMeanDb > limitDb + 1e-9 ? 1 : 0;

    /// <summary>From how many ends on b, dearer for one, is no dearer than a, up to as many as are looked at. Null where it never is.</summary>
    private static BreakEven? Crossing(MethodFigures a, MethodFigures b, double wage)
    {
        var (one, other) = (Line.Of(a, wage), Line.Of(b, wage));
        if (other.At(1) <= one.At(1) || (one.Life == 0 && other.Life == 0 && other.Each >= one.Each))
        {
            return null;
        }

        // Two straight lines meet once; where tools are bought again, each count is tried.
        var from = one.Life == 0 && other.Life == 0 ? Math.Max(2, Math.Floor((other.Tool - one.Tool) / (one.Each - other.Each)) - 1) : 2;
        for (var n = (int)Math.Min(from, MostEnds + 1.0); n <= MostEnds; n++)
        {
            if (other.At(n) <= one.At(n) + 1e-9)
            {
                return new(a.Name, b.Name, n);
            }

            Effort.Spend(1);
        }

        return null;
    }
}
