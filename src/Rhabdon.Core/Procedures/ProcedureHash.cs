using System.Runtime.CompilerServices;
using System.Security.Cryptography;
using System.Text;
using System.Text.Json;
using System.Text.Json.Nodes;

namespace Rhabdon.Core.Procedures;

/// <summary>What a procedure is, in sixteen characters: of its structure, so that a better wording is the same procedure and another act is not.</summary>
public static class ProcedureHash
{
    /// <summary>Fields that are read by people only.</summary>
    private static readonly HashSet<string> Words = ["title", "source", "name", "note", "setting", "act", "detail", "question", "label", "text", "why", "what", "first"];

    /// <summary>Documents do not change: each is hashed once, though every run that begins asks for it.</summary>
    private static readonly ConditionalWeakTable<ProcedureDocument, string> Known = [];

    public static string Of(ProcedureDocument document) => Known.GetValue(document, Hash);

    private static string Hash(ProcedureDocument document)
    {
        var json = JsonSerializer.SerializeToNode(document with { Version = 0 }, Wire.Json);
        return Convert.ToHexStringLower(SHA256.HashData(Encoding.UTF8.GetBytes(Structure(json)!.ToJsonString())))[..16];
    }

    /// <summary>Without words and without what is left open, so that a field that a later version adds changes no hash.</summary>
    private static JsonNode? Structure(JsonNode? node) => node switch
    {
        JsonObject o => new JsonObject(o.Where(p => !Words.Contains(p.Key) && !Empty(p.Value)).OrderBy(p => p.Key, StringComparer.Ordinal).Select(p => KeyValuePair.Create(p.Key, Structure(p.Value)))),
        JsonArray a => new JsonArray([.. a.Select(Structure)]),
        _ => node?.DeepClone(),
    };

    private static bool Empty(JsonNode? node) => node is null or JsonArray { Count: 0 } || (node is JsonValue v && v.ToJsonString() is "false" or "0");
}
