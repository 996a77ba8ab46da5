using System.Text.Json;

namespace Rhabdon.Core.Ledger;

/// <summary>Reads what a device wrote.</summary>
public static class EventBodies
{
    private const int LongestText = 2000;

    /// <summary>Names in the ledger were once read whatever their case. Two that differ in nothing else can still be read in two ways, and are refused.</summary>
    private static readonly JsonSerializerOptions AsTaken = new(Wire.Json) { PropertyNameCaseInsensitive = true };

    /// <exception cref="RefusedException">The body does not have the shape of its kind.</exception>
    public static T Read<T>(LedgerEvent e) => Read<T>(e.Body, Wire.Name(e.Kind), e.Taken);

    /// <exception cref="RefusedException">The body does not have the shape of its kind.</exception>
    public static T Read<T>(StreamEvent e) => Read<T>(e.Body, Wire.Name(e.Kind), e.Taken);

    /// <summary>As <see cref="Read{T}(LedgerEvent)"/>; null where it does not fit, which the event's own rule tells.</summary>
    public static T? Try<T>(LedgerEvent e) where T : class
    {
        try
        {
            return Read<T>(e);
        }
        catch (RefusedException)
        {
            return null;
        }
    }

    /// <param name="taken">True for what the ledger has taken in already.</param>
    /// <exception cref="RefusedException">The body does not have the shape of its kind.</exception>
    internal static T Read<T>(JsonElement json, string kind, bool taken)
    {
        try
        {
            if (json.ValueKind == JsonValueKind.Object && !HasGap(json) && json.Deserialize<T>(taken ? AsTaken : Wire.Json) is { } body)
            {
                return body;
            }
        }
        catch (JsonException x)
        {
            throw new RefusedException("body-shape", $"body{x.Path?.TrimStart('$')}", $"The body of '{kind}' does not fit: {x.Message}");
        }

        throw new RefusedException("body-shape", "body", $"An event '{kind}' needs a body.");
    }

    internal static void Check(string? note, IEnumerable<Refusal> faults)
    {
        IReadOnlyList<Refusal> all = [.. faults, .. note?.Length > LongestText ? [new Refusal("text-too-long", "body.note", $"A note holds at most {LongestText} characters.")] : Array.Empty<Refusal>()];
        if (all.Count > 0)
        {
            throw new RefusedException(all);
        }
    }

    /// <summary>True when a list in it holds nothing at some place.</summary>
    private static bool HasGap(JsonElement e) => e.ValueKind switch
    {
        JsonValueKind.Object => e.EnumerateObject().Any(p => HasGap(p.Value)),
        JsonValueKind.Array => e.EnumerateArray().Any(x => x.ValueKind == JsonValueKind.Null || HasGap(x)),
        _ => false,
    };
}
