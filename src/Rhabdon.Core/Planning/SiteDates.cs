namespace Rhabdon.Core.Planning;

/// <summary>A date is the site's date: what may be used until the 24th may be used there until its midnight.</summary>
public static class SiteDates
{
    public const string Utc = "UTC";

    /// <summary>The day that it is at the site.</summary>
    /// <param name="timeZone">IANA name; one that is not known counts as UTC.</param>
    public static LocalDate On(Instant instant, string timeZone) => Local(instant, timeZone).Date;

    /// <summary>What the site's clock shows.</summary>
    /// <param name="timeZone">IANA name; one that is not known counts as UTC.</param>
    public static LocalDateTime Local(Instant instant, string timeZone) => instant.InZone(Zone(timeZone)).LocalDateTime;

    /// <summary>The day's beginning and the next one's, at the site.</summary>
    public static (Instant Start, Instant End) Bounds(LocalDate day, string timeZone) => (day.AtStartOfDayInZone(Zone(timeZone)).ToInstant(), day.PlusDays(1).AtStartOfDayInZone(Zone(timeZone)).ToInstant());

    public static bool Knows(string timeZone) => DateTimeZoneProviders.Tzdb.GetZoneOrNull(timeZone) is not null;

    internal static DateTimeZone Zone(string timeZone) => DateTimeZoneProviders.Tzdb.GetZoneOrNull(timeZone) ?? DateTimeZone.Utc;
}
