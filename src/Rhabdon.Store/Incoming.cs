using System.Text.Json;
using Rhabdon.Core;
using Rhabdon.Core.Ledger;

namespace Rhabdon.Store;

/// <summary>An event as it came, and as it was read; <see cref="Event"/> is null where it could not be.</summary>
public sealed record Incoming(JsonElement Raw, LedgerEvent? Event, Refusal? Fault)
{
    private static readonly DateTimeOffset Earliest = new(2000, 1, 1, 0, 0, 0, TimeSpan.Zero);
    private static readonly DateTimeOffset Latest = new(2200, 1, 1, 0, 0, 0, TimeSpan.Zero);

    public static Incoming Read(JsonElement raw)
    {
        try
        {
            var e = raw.Deserialize<LedgerEvent>(Wire.Json);
            return e is null ? Bad(raw, "event", "An event is an object.") : Check(e) is { } fault ? new(raw, null, fault) : new(raw, e, null);
        }
        catch (JsonException x)
        {
            return Bad(raw, x.Path?.TrimStart('$', '.') ?? "event", x.Message);
        }
        catch (InvalidOperationException x)
        {
            return Bad(raw, "event", x.Message); // a string that is not text, such as half a surrogate pair
        }
    }

    public static Incoming Of(LedgerEvent e) => new(JsonSerializer.SerializeToElement(e, Wire.Json), e, null);

    private static Incoming Bad(JsonElement raw, string field, string message) => new(raw, null, new("event-shape", field, $"This is no event: {message}"));

    private static Refusal? Check(LedgerEvent e) =>
        e.Id.Version != 7 ? new("id-version", "id", "An event's id is a UUID of version 7.")
        : e.Attempt is < 1 or > 1000 ? new("out-of-range", "attempt", "An attempt has a number from 1 to 1000.")
        : e.DeviceSeq < 0 ? new("out-of-range", "deviceSeq", "A device counts its events from 0 up.")
        : e.At < Earliest || e.At > Latest ? new("out-of-range", "at", "The device's clock is outside the years 2000 to 2199.")
        : !Storable(e.Body) ? new("body-text", "body", "The body holds a number or a text that cannot be kept.")
        : null;

    /// <summary>True when jsonb can hold it: finite numbers, text without U+0000 or half surrogate pairs.</summary>
    private static bool Storable(JsonElement e) => e.ValueKind switch
    {
        JsonValueKind.Object => e.EnumerateObject().All(p => !p.Name.Contains('\0') && Storable(p.Value)),
        JsonValueKind.Array => e.EnumerateArray().All(Storable),
        JsonValueKind.String => !e.GetString()!.Contains('\0'),
        JsonValueKind.Number => e.TryGetDouble(out var d) && double.IsFinite(d) && Math.Abs(d) < 1e300,
        _ => true,
    };
}
