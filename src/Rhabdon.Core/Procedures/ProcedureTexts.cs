using System.Text.Json.Nodes;

namespace Rhabdon.Core.Procedures;

/// <summary>
/// A shipped procedure lies in two files: <c>&lt;version&gt;.yaml</c> says what is done, which never changes and is what the hash is of;
/// <c>&lt;version&gt;.&lt;language&gt;.yaml</c> has the words, laid over it by the ids there.
/// </summary>
public static class ProcedureTexts
{
    /// <exception cref="RefusedException">One of the two is no YAML, words stand at a place that is not there, or words are missing.</exception>
    public static ProcedureDocument Read(string structure, string words)
    {
        var document = YamlText.ToJson(structure);
        Lay(document, YamlText.ToJson(words), "");
        return YamlText.OfJson<ProcedureDocument>(document);
    }

    private static void Lay(JsonNode? onto, JsonNode words, string path)
    {
        foreach (var (key, said) in words as JsonObject ?? throw Nowhere(path))
        {
            var at = path.Length == 0 ? key : $"{path}.{key}";
            switch (onto)
            {
                case JsonArray list:
                    Lay(list.FirstOrDefault(x => x is JsonObject o && o["id"]?.GetValue<string>() == key) ?? (int.TryParse(key, out var i) && i >= 0 && i < list.Count ? list[i] : throw Nowhere(at)), said!, at);
                    break;
                case JsonObject o when said is JsonValue:
                    if (o.ContainsKey(key))
                    {
                        throw new RefusedException("text-twice", at, $"'{at}' stands in both files.");
                    }

                    o[key] = said.DeepClone();
                    break;
                case JsonObject o:
                    Lay(o[key] ?? throw Nowhere(at), said!, at);
                    break;
                default:
                    throw Nowhere(at);
            }
        }
    }

    private static RefusedException Nowhere(string at) => new("text-nowhere", at, $"There is nothing that the words at '{at}' belong to.");
}
