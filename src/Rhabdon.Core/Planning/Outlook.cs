namespace Rhabdon.Core.Planning;

/// <summary>How many connectors were accepted on a day of the site.</summary>
public sealed record DayCount(LocalDate On, int Count);

public enum OutlookVerdict
{
    /// <summary>Every planned end is accepted.</summary>
    Done,
    InTime,
    /// <summary>On the very last day.</summary>
    Tight,
    Late,
    /// <summary>Nothing was accepted of late: there is no pace to go by.</summary>
    NoPace,
}

/// <summary>Whether a job will be done in time, if it goes on as in the last days.</summary>
/// <param name="Left">Ends that are not accepted yet.</param>
/// <param name="PerDay">Accepted a day, over the last days in which it was worked.</param>
/// <param name="OverDays">How many days that was.</param>
/// <param name="NeededPerDay">That would have to be accepted each day from today until the due date; null where that is past.</param>
/// <param name="DoneOn">When it is done at this pace; null where there is none.</param>
/// <param name="DaysLate">After the due date; 0 where it is not, or where there is no pace and the date is to come.</param>
/// <param name="Days">Each day that was looked at, the oldest first.</param>
public sealed record Outlook(OutlookVerdict Verdict, long Left, double PerDay, int OverDays, double? NeededPerDay, LocalDate? DoneOn, int DaysLate, IReadOnlyList<DayCount> Days);

/// <summary>Looks from the last days to the due date. Calendar days: nobody told it which of them are worked.</summary>
public static class Outlooks
{
    /// <summary>Days that are looked back on (ours).</summary>
    public const int Days = 7;

    /// <summary>Further ahead than this no pace says anything (ours).</summary>
    private const int MostDays = 3650;

    /// <param name="ends">That are planned.</param>
    /// <param name="accepted">Of them, until now.</param>
    /// <param name="days">Acceptances by day; what is older than <see cref="Days"/> is not looked at.</param>
    /// <param name="today">At the site. It counts towards the pace as soon as something was accepted in it.</param>
    public static Outlook Of(long ends, long accepted, IEnumerable<DayCount> days, LocalDate today, LocalDate due)
    {
        var counts = days.GroupBy(d => d.On).ToDictionary(g => g.Key, g => g.Sum(d => d.Count));
        IReadOnlyList<DayCount> seen = [.. Enumerable.Range(1 - Days, Days).Select(n => today.PlusDays(n)).Select(d => new DayCount(d, counts.GetValueOrDefault(d)))];
        var worked = seen.SkipWhile(d => d.Count == 0).ToList();
        if (worked is [.., { Count: 0 } last] && last.On == today)
        {
            worked.RemoveAt(worked.Count - 1);
        }

        var left = ends - accepted;
        var perDay = worked.Count == 0 ? 0 : worked.Average(d => (double)d.Count);
        var daysToGo = Period.DaysBetween(today, due) + 1;
        double? needed = daysToGo < 1 ? null : (double)left / daysToGo;
        if (left <= 0)
        {
            return new(OutlookVerdict.Done, 0, perDay, worked.Count, 0, null, 0, seen);
        }

        var overdue = Math.Max(0, Period.DaysBetween(due, today));
        if (perDay <= 0)
        {
            return new(overdue > 0 ? OutlookVerdict.Late : OutlookVerdict.NoPace, left, 0, 0, needed, null, overdue, seen);
        }

        // Today's are counted already: what is left is begun on the next day where something was accepted today.
        var from = seen[^1].Count > 0 ? today : today.PlusDays(-1);
        var doneOn = from.PlusDays((int)Math.Min(MostDays, Math.Ceiling((left / perDay) - 1e-9)));
        var late = Math.Max(overdue, Math.Max(0, Period.DaysBetween(due, doneOn)));
        return new(late > 0 ? OutlookVerdict.Late : doneOn == due ? OutlookVerdict.Tight : OutlookVerdict.InTime, left, perDay, worked.Count, needed, doneOn, late, seen);
    }
}
