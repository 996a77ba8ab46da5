namespace Rhabdon.Core.Planning;

/// <summary>A date is the site's date: what may be used until the 24th may be used there until its midnight.</summary>
public static class SiteDates
{
    public const string Utc = "UTC";

    /// <summary>The day that it is at the site.</summary>
    /// <param name="timeZone">IANA name; one that this machine does not know counts as UTC.</param>
    public static DateOnly On(DateTimeOffset instant, string timeZone) =>
        DateOnly.FromDateTime((TimeZoneInfo.TryFindSystemTimeZoneById(timeZone, out var zone) ? TimeZoneInfo.ConvertTime(instant, zone) : instant.ToUniversalTime()).DateTime);
}
