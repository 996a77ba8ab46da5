using System.Globalization;
using System.Text.Json;
using System.Text.Json.Nodes;
using YamlDotNet.Core;
using YamlDotNet.Core.Events;
using YamlDotNet.RepresentationModel;

namespace Rhabdon.Core;

/// <summary>Reads a YAML document into a record through JSON, so that YAML files and the API share names and errors.</summary>
public static class YamlText
{
    /// <summary>Levels that a document may nest.</summary>
    public const int MaxDepth = 32;

    /// <summary>Names, values, lists and maps that a document may have.</summary>
    public const int MostNodes = 20_000;

    /// <summary>Characters of text.</summary>
    public const int LongestText = 200_000;

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
            return json.Deserialize<T>(Wire.Json) ?? throw new RefusedException("yaml", "document", "The document is empty.");
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

    /// <exception cref="RefusedException">The text is not one YAML document, or is larger, deeper or longer than a document that people write; the line is named.</exception>
    public static JsonNode ToJson(string yaml)
    {
        if (yaml.Length > LongestText)
        {
            throw new RefusedException("yaml-size", "document", $"The text has {yaml.Length:N0} characters; at most {LongestText:N0} are read.");
        }

        return ToJson(new Parser(new StringReader(yaml)));
    }

    /// <summary>Reads the parser's events one by one and stops at the first that goes too far: nothing is built, resolved or called again before.</summary>
    /// <exception cref="RefusedException">As above.</exception>
    public static JsonNode ToJson(IParser parser)
    {
        try
        {
            parser.Consume<StreamStart>();
            if (!parser.TryConsume<DocumentStart>(out _))
            {
                throw new RefusedException("yaml", "document", "The document is empty.");
            }

            var nodes = 0;
            var root = Node(parser, 0, ref nodes);
            parser.Consume<DocumentEnd>();
            return !parser.Accept<StreamEnd>(out _) ? throw new RefusedException("yaml", "document", "The text must hold exactly one YAML document.")
                : root ?? throw new RefusedException("yaml", "document", "The document is empty.");
        }
        catch (YamlException e)
        {
            throw new RefusedException("yaml", $"line {e.Start.Line}", $"Line {e.Start.Line}: {e.Message}");
        }
    }

    private static JsonNode? Node(IParser parser, int depth, ref int nodes)
    {
        var e = parser.Consume<ParsingEvent>();
        if (e is AnchorAlias)
        {
            throw Bad(e, "an alias is not read; write it out.");
        }

        if (++nodes > MostNodes)
        {
            throw Bad(e, $"a document has at most {MostNodes:N0} entries.");
        }

        if (depth > MaxDepth)
        {
            throw Bad(e, $"nested deeper than {MaxDepth} levels.");
        }

        switch (e)
        {
            case MappingStart:
                var o = new JsonObject();
                while (!parser.TryConsume<MappingEnd>(out _))
                {
                    if (!parser.TryConsume<Scalar>(out var key))
                    {
                        throw Bad(parser.Current!, "a name is plain text.");
                    }

                    if (++nodes > MostNodes || !o.TryAdd(key.Value, Node(parser, depth + 1, ref nodes)))
                    {
                        throw Bad(key, nodes > MostNodes ? $"a document has at most {MostNodes:N0} entries." : $"'{key.Value}' stands here twice.");
                    }
                }

                return o;
            case SequenceStart:
                var list = new JsonArray();
                while (!parser.TryConsume<SequenceEnd>(out _))
                {
                    list.Add(Node(parser, depth + 1, ref nodes));
                }

                return list;
            case Scalar { Style: ScalarStyle.Plain } s:
                return s.Value switch
                {
                    "" or "null" or "~" => null,
                    "true" => JsonValue.Create(true),
                    "false" => JsonValue.Create(false),
                    var text when long.TryParse(text, NumberStyles.AllowLeadingSign, CultureInfo.InvariantCulture, out var i) => JsonValue.Create(i),
                    var text when double.TryParse(text, NumberStyles.Float, CultureInfo.InvariantCulture, out var d) && double.IsFinite(d) => JsonValue.Create(d),
                    var text => JsonValue.Create(text),
                };
            case Scalar s:
                return JsonValue.Create(s.Value);
            default:
                throw Bad(e, "the document ends in its middle.");
        }
    }

    private static RefusedException Bad(ParsingEvent e, string what) => new("yaml", $"line {e.Start.Line}", $"Line {e.Start.Line}: {what}");
}
