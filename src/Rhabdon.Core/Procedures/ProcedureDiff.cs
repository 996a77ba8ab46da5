using System.Text.Json;
using System.Text.Json.Nodes;

namespace Rhabdon.Core.Procedures;

/// <param name="Path">Where it stands, as in <c>steps[glow].act</c>.</param>
/// <param name="Before">Null where it was added.</param>
/// <param name="After">Null where it was taken out.</param>
public sealed record ProcedureDifference(string Path, string? Before, string? After);

/// <summary>What differs between two procedures, step by step and not line by line.</summary>
public static class ProcedureDiff
{
    public static IReadOnlyList<ProcedureDifference> Compare(ProcedureDocument before, ProcedureDocument after)
    {
        var (a, b) = (Flat(before), Flat(after));
        var changed = a.Keys.Union(b.Keys).Where(k => a.GetValueOrDefault(k) != b.GetValueOrDefault(k))
            .Select(k => new ProcedureDifference(k, a.GetValueOrDefault(k), b.GetValueOrDefault(k))).ToList();
        // Of something that is new or gone as a whole, one line says it.
        return [.. changed.Where(d => !changed.Any(o => o != d && (o.Before is null) == (d.Before is null) && (o.After is null) == (d.After is null)
            && (o.Before is null || o.After is null) && d.Path.StartsWith(o.Path + ".", StringComparison.Ordinal)))];
    }

    private static Dictionary<string, string> Flat(ProcedureDocument d)
    {
        var flat = new Dictionary<string, string>();
        Walk(JsonSerializer.SerializeToNode(d, Wire.Json)!, "", flat);
        return flat;
    }

    private static void Walk(JsonNode? node, string path, Dictionary<string, string> flat)
    {
        switch (node)
        {
            case JsonObject o:
                if (o["id"] is { } id && path.Length > 0)
                {
                    flat[path] = (o["act"] ?? o["title"] ?? o["name"] ?? o["label"] ?? o["question"] ?? o["text"] ?? id).GetValue<string>();
                }

                foreach (var (name, value) in o.Where(p => p.Value is not null && !(path.Length == 0 && p.Key is "id" or "version" && path.Length == 0)))
                {
                    Walk(value, path.Length == 0 ? name : $"{path}.{name}", flat);
                }

                break;
            case JsonArray a when a.All(x => x is JsonObject x1 && x1["id"] is not null) && a.Count > 0:
                var order = a.Select(x => x!["id"]!.GetValue<string>()).ToList();
                flat[$"{path}.order"] = string.Join(", ", order);
                foreach (var item in a)
                {
                    Walk(item, $"{path}[{item!["id"]!.GetValue<string>()}]", flat);
                }

                break;
            case JsonArray a:
                flat[path] = string.Join(", ", a.Select(x => x?.ToJsonString().Trim('"')));
                break;
            case JsonValue v:
                flat[path] = v.GetValueKind() == JsonValueKind.String ? v.GetValue<string>() : v.ToJsonString();
                break;
        }
    }
}
