using System.Globalization;
using System.Text.Json.Serialization.Metadata;
using System.Text.RegularExpressions;
using Rhabdon.Core;

namespace Rhabdon.Server.Web;

/// <summary>Sentences of refusals, by their codes: words/en/refusals.yaml.</summary>
public sealed partial class Sentences(IReadOnlyDictionary<string, string> byCode)
{
    public static readonly Sentences English = new(YamlText.Read<Dictionary<string, string>>(File.ReadAllText(Path.Combine(AppContext.BaseDirectory, "words", "en", "refusals.yaml"))));

    public IEnumerable<string> Codes => byCode.Keys;

    /// <summary>The sentence of a refusal, by code and field or by the code alone; its own where there is none here.</summary>
    public string Say(Refusal r)
    {
        var sentence = r.Message.Length > 0 || (byCode.GetValueOrDefault($"{r.Code}:{r.Field}") ?? byCode.GetValueOrDefault(r.Code)) is not { } words ? r.Plain : Filled(words, r);
        return r.Args?.TryGetValue("row", out var row) == true ? Filled(byCode["in-row"], Refusal.Of(r.Code, r.Field, ("row", row), ("sentence", sentence))) : sentence;
    }

    /// <summary>What goes out as JSON is said in words.</summary>
    public static void Into(JsonTypeInfo type)
    {
        if (type.Type == typeof(Refusal) && type.Properties.FirstOrDefault(p => p.Name == "message") is { } message)
        {
            message.Get = r => English.Say((Refusal)r);
        }
    }

    private static string Filled(string words, Refusal r) =>
        Name().Replace(words, m => Convert.ToString(r.Args?.GetValueOrDefault(m.Groups[1].Value) ?? (m.Groups[1].Value == "field" ? r.Field : m.Value), CultureInfo.InvariantCulture)!);

    [GeneratedRegex(@"\{(\w+)\}")]
    private static partial Regex Name();
}
