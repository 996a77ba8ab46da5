using System.Text.Json;

namespace Rhabdon.Server.Accounts;

/// <summary>What tools/dump.sh leaves behind in last.json.</summary>
/// <param name="GoodAt">When one was last written and read back whole; null where none ever was.</param>
internal sealed record LastBackup(Instant? At, bool Ok, Instant? GoodAt)
{
    private static readonly JsonSerializerOptions Reading = new(JsonSerializerDefaults.Web);

    /// <summary>One a night, and an hour or two for the night that changes the clock or the night that is long.</summary>
    public static readonly Duration Often = Duration.FromHours(26);

    private sealed record Line(DateTimeOffset At, bool Ok, DateTimeOffset? GoodAt);

    /// <returns>Null where nobody has made any.</returns>
    public static LastBackup? Read(string? folder)
    {
        if (folder is null)
        {
            return null;
        }

        try
        {
            var l = JsonSerializer.Deserialize<Line>(File.ReadAllText(Path.Combine(folder, "last.json")), Reading)!;
            return new(Instant.FromDateTimeOffset(l.At), l.Ok, l.GoodAt is { } good ? Instant.FromDateTimeOffset(good) : null);
        }
        catch (Exception e) when (e is FileNotFoundException or DirectoryNotFoundException)
        {
            return null;
        }
        catch (Exception e) when (e is IOException or UnauthorizedAccessException or JsonException)
        {
            return new(null, false, null);
        }
    }
}
