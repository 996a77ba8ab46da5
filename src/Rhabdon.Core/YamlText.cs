using System.Globalization;
using System.Text.Json;
using System.Text.Json.Nodes;
using YamlDotNet.Core;
using YamlDotNet.RepresentationModel;

namespace Rhabdon.Core;

/// <summary>Reads a YAML document into a record through JSON, so that YAML files and the API share names and errors.</summary>
public static class YamlText
{
    private const int MaxDepth = 32;

    /// <exception cref="RefusedException">The text is not YAML, or does not have the shape of <typeparamref name="T"/>.</exception>
    public static T Read<T>(string yaml)
    {
        return OfJson<T>(ToJson(yaml));
    }

    /// <exception cref="RefusedException">The document does not have the shape of <typeparamref name="T"/>.</exception>
    public static T OfJson<T>(JsonNode? json)
    {
        try
        {
            return json.Deserialize<T>(Wire.Documents) ?? throw new RefusedException("yaml", "document", "The document is empty.");
        }
        catch (JsonException e)
        {
            throw new RefusedException("yaml-shape", e.Path?.TrimStart('$', '.') is { Length: > 0 } path ? path : "document", $"{e.Path}: {e.Message}");
        }
    }

    /// <summary>Writes a record as YAML that <see cref="Read{T}"/> gives back; what is left at its default is left out.</summary>
    public static string Write<T>(T document)
    {
        var stream = new YamlStream(new YamlDocument(ToYaml(JsonSerializer.SerializeToNode(document, Sparse))));
        using var text = new StringWriter(CultureInfo.InvariantCulture);
        stream.Save(text, assignAnchors: false);
        return text.ToString().Replace("\r\n", "\n").TrimEnd('.', '\n') + "\n";
    }

    private static readonly JsonSerializerOptions Sparse = new(Wire.Json) { DefaultIgnoreCondition = System.Text.Json.Serialization.JsonIgnoreCondition.WhenWritingNull };

    private static YamlNode ToYaml(JsonNode? node) => node switch
    {
        JsonObject o => new YamlMappingNode(o.Where(p => p.Value is not null).Select(p => new KeyValuePair<YamlNode, YamlNode>(new YamlScalarNode(p.Key), ToYaml(p.Value)))),
        JsonArray a => new YamlSequenceNode(a.Select(ToYaml)),
        JsonValue v when v.GetValueKind() == JsonValueKind.String => new YamlScalarNode(v.GetValue<string>()) { Style = ScalarStyle.DoubleQuoted },
        _ => new YamlScalarNode(node?.ToJsonString() ?? "null"),
    };

    public static JsonNode ToJson(string yaml)
    {
        try
        {
            var stream = new YamlStream();
            stream.Load(new StringReader(yaml));
            if (stream.Documents.Count != 1)
            {
                throw new RefusedException("yaml", "document", "The text must hold exactly one YAML document.");
            }

            return Convert(stream.Documents[0].RootNode, 0) ?? throw new RefusedException("yaml", "document", "The document is empty.");
        }
        catch (YamlException e)
        {
            throw new RefusedException("yaml", $"line {e.Start.Line}", $"Line {e.Start.Line}: {e.Message}");
        }
    }

    private static JsonNode? Convert(YamlNode node, int depth)
    {
        if (depth > MaxDepth)
        {
            throw new RefusedException("yaml", $"line {node.Start.Line}", $"Line {node.Start.Line}: nested deeper than {MaxDepth} levels.");
        }

        switch (node)
        {
            case YamlMappingNode map:
                var o = new JsonObject();
                foreach (var (key, value) in map.Children)
                {
                    if (key is not YamlScalarNode { Value: { } name })
                    {
                        throw new RefusedException("yaml", $"line {key.Start.Line}", $"Line {key.Start.Line}: a name is plain text.");
                    }

                    o[name] = Convert(value, depth + 1);
                }

                return o;
            case YamlSequenceNode list:
                return new JsonArray([.. list.Children.Select(c => Convert(c, depth + 1))]);
            case YamlScalarNode { Style: ScalarStyle.Plain } s:
                return s.Value switch
                {
                    null or "" or "null" or "~" => null,
                    "true" => JsonValue.Create(true),
                    "false" => JsonValue.Create(false),
                    var text when long.TryParse(text, NumberStyles.AllowLeadingSign, CultureInfo.InvariantCulture, out var i) => JsonValue.Create(i),
                    var text when double.TryParse(text, NumberStyles.Float, CultureInfo.InvariantCulture, out var d) && double.IsFinite(d) => JsonValue.Create(d),
                    var text => JsonValue.Create(text),
                };
            default:
                return JsonValue.Create(((YamlScalarNode)node).Value);
        }
    }
}
