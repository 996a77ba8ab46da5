using Rhabdon.Core.Planning;

namespace Rhabdon.Core.Scheduling;

/// <summary>Minutes of a week, as the site's clock shows them: half past seven is minute 450 of its day, on the day too on which the clock is put forward or back.</summary>
public static class WeekClock
{
    /// <summary>Minute that it is, counted from the week's Monday; below 0 before it.</summary>
    public static int Minute(LocalDate monday, Instant now, string timeZone) => (int)Period.Between(monday.AtMidnight(), SiteDates.Local(now, timeZone), PeriodUnits.Minutes).Minutes;

    /// <summary>When it is that minute. One that the clock leaves out comes as much later; of one that it shows twice it is the first.</summary>
    public static Instant At(LocalDate monday, int minute, string timeZone) => monday.AtMidnight().PlusMinutes(minute).InZoneLeniently(SiteDates.Zone(timeZone)).ToInstant();
}
