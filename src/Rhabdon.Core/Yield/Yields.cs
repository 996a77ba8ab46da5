using Rhabdon.Core.Rework;

namespace Rhabdon.Core.Yield;

/// <summary>By what connectors are counted.</summary>
public enum YieldBy
{
    Method, Construction, Form, Polish, Mode, Crew, Person, Procedure, Job, Space, Lot, Tool,
    /// <summary>An answer of a procedure's option.</summary>
    School,
}

/// <summary>Connectors that came to an end in one week, of one group and one kind.</summary>
/// <param name="Week">Its Monday, in UTC.</param>
/// <param name="Passed">Accepted without once going back;</param>
/// <param name="Accepted">and in the end, with whatever it took.</param>
public sealed record YieldRow(string Key, LocalDate Week, string Method, string Construction, long Made, long Passed, double ReworkMinutes, long PartsLost, long Accepted = 0);

/// <summary>Connectors by two keys at once.</summary>
public sealed record YieldCell(string Key, string And, long Made, long Passed, Share Share);

/// <param name="Key">An id, a word, or a number as printed.</param>
/// <param name="Accepted">In the end, with whatever it took.</param>
/// <param name="Attempts">Connectors for each that was accepted; null where none was.</param>
/// <param name="ReworkCost">Of its minutes and of the parts that were lost, in the company's currency.</param>
public sealed record YieldGroup(string Key, GroupRate Rate, double ReworkMinutes, long PartsLost, long Accepted, double? Attempts, double ReworkCost = 0);

/// <summary>What rework costs, in the company's currency.</summary>
/// <param name="PartByMethod">What a connector that is lost costs.</param>
public sealed record ReworkPrices(double PerMinute, IReadOnlyDictionary<string, double> PartByMethod)
{
    public double Of(string method, double minutes, long parts) => (minutes * PerMinute) + (parts * PartByMethod.GetValueOrDefault(method));
}

/// <summary>Week by week, how many went back.</summary>
/// <param name="Weeks">Their Mondays; one for each point of the chart.</param>
public sealed record YieldTrend(IReadOnlyList<LocalDate> Weeks, ControlFound Chart);

/// <param name="Centre">The share of all that were good at once.</param>
/// <param name="Trend">Null with fewer than four weeks.</param>
public sealed record YieldFound(long Made, long Passed, long Accepted, double Centre, IReadOnlyList<YieldGroup> Groups, YieldTrend? Trend);

public enum YieldFindingKind
{
    /// <summary>It lies outside of what chance allows, its mix of methods and constructions taken into account.</summary>
    Outside,
    /// <summary>It is otherwise since a week.</summary>
    Changed,
}

/// <param name="Method">Where only connectors of one method were looked at.</param>
/// <param name="Rate">Good at once: of the group, or after the change.</param>
/// <param name="Against">What is expected of its mix, or what it was before.</param>
/// <param name="Since">The week from which it is otherwise.</param>
/// <param name="Chance">That chance alone shows such a thing anywhere among all that was searched.</param>
public sealed record YieldFinding(YieldFindingKind Kind, YieldBy By, string Key, double Rate, double Against, long Made, LocalDate? Since, double Chance, string? Method = null);

/// <summary>Connectors by one key, of all methods or of one.</summary>
public sealed record YieldView(YieldBy By, IReadOnlyList<YieldRow> Rows, string? Method = null);

/// <summary>Why connectors went back or were given up.</summary>
/// <param name="Reason">Null where nobody said.</param>
public sealed record ReasonCount(ReworkReason? Reason, long Count, double ReworkMinutes, long PartsLost, double Cost);

/// <summary>First-pass yield by whatever is asked for, fair to who makes the hard ones, and what stands out of it.</summary>
public static class Yields
{
    /// <summary>Fewer are never spoken of.</summary>
    private const long LeastMade = 8;

    /// <summary>Methods, constructions and forms differ by nature; only what works on the same of them is held against each other.</summary>
    private static readonly YieldBy[] Comparable = [YieldBy.Crew, YieldBy.Person, YieldBy.Job, YieldBy.Space, YieldBy.Lot, YieldBy.Tool];

    private const int LeastWeeks = 4, MostFindings = 8;

    /// <summary>Of all that is said to stand out, one in twenty times anything at all may be chance.</summary>
    private const double Allowed = 0.05;

    /// <param name="whole">All together, week by week, where the rows are only the largest groups.</param>
    public static YieldFound Of(IReadOnlyList<YieldRow> rows, YieldBy by, ReworkPrices? prices = null, IReadOnlyList<YieldRow>? whole = null)
    {
        whole ??= rows;
        var groups = rows.GroupBy(r => r.Key, StringComparer.Ordinal).OrderByDescending(g => g.Sum(r => r.Made)).ThenBy(g => g.Key, StringComparer.Ordinal).Take(Rates.MostGroups).ToList();
        if (groups.Count == 0)
        {
            return new(whole.Sum(r => r.Made), whole.Sum(r => r.Passed), whole.Sum(r => r.Accepted), 0, [], Trend(whole));
        }

        var found = Rates.Of(new([.. groups.Select(g => new RateGroup(g.Key, Strata: Strata(g, by)))]));
        return new(
            whole.Sum(r => r.Made), whole.Sum(r => r.Passed), whole.Sum(r => r.Accepted), found.Centre,
            [.. groups.Zip(found.Groups, (g, rate) => new YieldGroup(g.Key, rate, g.Sum(r => r.ReworkMinutes), g.Sum(r => r.PartsLost), g.Sum(r => r.Accepted),
                g.Sum(r => r.Accepted) is > 0 and var accepted ? (double)g.Sum(r => r.Made) / accepted : null, prices is null ? 0 : g.Sum(r => prices.Of(r.Method, r.ReworkMinutes, r.PartsLost))))], Trend(whole));
    }

    /// <summary>Two of a view against each other, each held to the same mix of methods and constructions where they share any.</summary>
    public static RatePair Compare(IReadOnlyList<YieldRow> rows, YieldBy by, string key, string other)
    {
        RateGroup Group(string k) => new(k, Strata: [.. Strata(rows.Where(r => r.Key == k), by)]);
        return Rates.Compare(Group(key), Group(other));
    }

    /// <summary>The largest groups of two keys at once, each cell with its interval.</summary>
    /// <param name="most">Of either key.</param>
    public static IReadOnlyList<YieldCell> Cross(IReadOnlyList<(string Key, string And, long Made, long Passed)> cells, int most)
    {
        HashSet<string> Largest(Func<(string Key, string And, long Made, long Passed), string> of) =>
            [.. cells.GroupBy(of, StringComparer.Ordinal).OrderByDescending(g => g.Sum(c => c.Made)).ThenBy(g => g.Key, StringComparer.Ordinal).Take(most).Select(g => g.Key)];
        var (keys, ands) = (Largest(c => c.Key), Largest(c => c.And));
        return [.. cells.Where(c => keys.Contains(c.Key) && ands.Contains(c.And)).Select(c => new YieldCell(c.Key, c.And, c.Made, c.Passed, Share.Of(c.Passed, c.Made)))];
    }

    /// <summary>What stands out of all views together: each is held to a chance that allows for all that were searched, so that a clean year is quiet.</summary>
    public static IReadOnlyList<YieldFinding> Findings(IReadOnlyList<YieldView> views)
    {
        var (found, searched) = (new List<YieldFinding>(), 0);
        foreach (var (by, rows, method) in views)
        {
            foreach (var g in Of(rows, by).Groups.Where(g => g.Rate.Made >= LeastMade))
            {
                if (Comparable.Contains(by))
                {
                    searched++;
                    found.Add(new(YieldFindingKind.Outside, by, g.Key, g.Rate.Rate, g.Rate.Expected, g.Rate.Made, null, g.Rate.Chance, method));
                }

                if (Trend([.. rows.Where(r => r.Key == g.Key)]) is not { } trend)
                {
                    continue;
                }

                searched++;
                if (trend.Chart is { ChangeAt: { } at, ChangeChance: { } chance, Before: { } before, After: { } after })
                {
                    found.Add(new(YieldFindingKind.Changed, by, g.Key, 1 - after, 1 - before, g.Rate.Made, trend.Weeks[at], chance, method));
                }
            }
        }

        return [.. found.Select(f => f with { Chance = Math.Min(1, f.Chance * searched) }).Where(f => f.Chance <= Allowed).OrderBy(f => f.Chance)
            .DistinctBy(f => (f.Kind, f.By, f.Key)).OrderBy(f => f.Chance).ThenBy(f => f.By).ThenBy(f => f.Key, StringComparer.Ordinal).Take(MostFindings)];
    }

    private static IReadOnlyList<Stratum> Strata(IEnumerable<YieldRow> rows, YieldBy by) =>
        [.. rows.GroupBy(r => by switch
        {
            YieldBy.Method or YieldBy.Procedure => r.Construction,
            YieldBy.Construction => r.Method,
            _ => $"{r.Method}|{r.Construction}",
        }, StringComparer.Ordinal).Select(s => new Stratum(s.Key, s.Sum(r => r.Made), s.Sum(r => r.Passed)))];

    private static YieldTrend? Trend(IReadOnlyList<YieldRow> rows)
    {
        var weeks = rows.GroupBy(r => r.Week).Where(w => w.Sum(r => r.Made) > 0).OrderBy(w => w.Key).TakeLast(Control.MostValues).ToList();
        return weeks.Count < LeastWeeks ? null
            : new([.. weeks.Select(w => w.Key)], Control.Of(new(ControlKind.P, [.. weeks.Select(w => (double)w.Sum(r => r.Made - r.Passed))], [.. weeks.Select(w => (double)w.Sum(r => r.Made))])));
    }
}
