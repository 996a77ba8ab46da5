using System.Runtime.InteropServices;
using System.Text.Json;
using Rhabdon.Core;
using Rhabdon.Core.Ledger;

namespace Rhabdon.Store;

/// <summary>An event as it came, and as it was read: of an end, or of another stream; neither where it could not be.</summary>
public sealed record Incoming(JsonElement Raw, LedgerEvent? Event, Refusal? Fault, StreamEvent? Stream = null)
{
    public EventId? Id => Event?.Id ?? Stream?.Id;

    private static readonly Instant Earliest = Instant.FromUtc(2000, 1, 1, 0, 0, 0);
    private static readonly Instant Latest = Instant.FromUtc(2200, 1, 1, 0, 0, 0);

    public static Incoming Read(JsonElement raw) => Read(raw, Duration.Zero);

    /// <param name="clockBehind">How far the device's clock was behind ours when it sent this.</param>
    public static Incoming Read(JsonElement raw, Duration clockBehind)
    {
        try
        {
            if (JsonText.Fault(JsonMarshal.GetRawUtf8Value(raw)) is { } text)
            {
                return new(raw, null, text);
            }

            if (raw.ValueKind == JsonValueKind.Object && raw.TryGetProperty("streamId", out _))
            {
                var s = raw.Deserialize<StreamEvent>(Wire.Json)!;
                return Check(s.Id, s.At, s.DeviceSeq) is { } bad ? new(raw, null, bad) : new(raw, null, null, s with { At = Kept(s.At), ClockBehind = clockBehind });
            }

            var e = raw.Deserialize<LedgerEvent>(Wire.Json);
            return e is null ? Bad(raw, "event", "An event is an object.") : Check(e) is { } fault ? new(raw, null, fault) : new(raw, e with { At = Kept(e.At), ClockBehind = clockBehind }, null);
        }
        catch (JsonException x)
        {
            return Bad(raw, x.Path?.TrimStart('$', '.') ?? "event", x.Message);
        }
    }

    /// <summary>An instant in UTC at the precision that the database keeps, so that what is folded now and what is folded again are the same.</summary>
    private static Instant Kept(Instant at) => at.ToUnixTimeTicks() is var ticks ? Instant.FromUnixTimeTicks(ticks - (ticks % TimeSpan.TicksPerMicrosecond)) : at;

    public static Incoming Of(StreamEvent e) => new(JsonSerializer.SerializeToElement(e, Wire.Json), null, null, e with { At = Kept(e.At) });

    public static Incoming Of(LedgerEvent e) => new(JsonSerializer.SerializeToElement(e, Wire.Json), e, null);

    private static Incoming Bad(JsonElement raw, string field, string message) => new(raw, null, new("event-shape", field, $"This is no event: {message}"));

    private static Refusal? Check(LedgerEvent e) =>
        Check(e.Id, e.At, e.DeviceSeq) ?? (e.Attempt is < 1 or > 1000 ? new("out-of-range", "attempt", "An attempt has a number from 1 to 1000.") : null);

    private static Refusal? Check(EventId id, Instant at, long deviceSeq) =>
        id.Version != 7 ? new("id-version", "id", "An event's id is a UUID of version 7.")
        : deviceSeq < 0 ? new("out-of-range", "deviceSeq", "A device counts its events from 0 up.")
        : at < Earliest || at > Latest ? new("out-of-range", "at", "The device's clock is outside the years 2000 to 2199.")
        : null;
}
