using System.Globalization;
using Rhabdon.Core;

namespace Rhabdon.Server.Web;

/// <summary>Words of what is printed: a file of its own for each, and the trade's terms for all.</summary>
/// <param name="file">Of words/en.</param>
internal sealed class PaperWords(string file)
{
    private static readonly Dictionary<string, string> Terms = Read("terms");

    private readonly Dictionary<string, string> _own = Read(file);

    public string this[string key] => _own.GetValueOrDefault(key) ?? Terms[key];

    /// <summary>The words with their figures filled in.</summary>
    public string Say(string key, params (string Name, object? Value)[] args) =>
        args.Aggregate(this[key], (text, a) => text.Replace($"{{{a.Name}}}", Convert.ToString(a.Value, CultureInfo.InvariantCulture), StringComparison.Ordinal));

    /// <summary>The trade's word for a member of a closed list.</summary>
    public string Term<T>(string group, T value) where T : struct, Enum => $"{group}.{Wire.Name(value)}" is var key && Has(key) ? this[key] : Wire.Name(value);

    private bool Has(string key) => _own.ContainsKey(key) || Terms.ContainsKey(key);

    private static Dictionary<string, string> Read(string file) => YamlText.Read<Dictionary<string, string>>(File.ReadAllText(Path.Combine(AppContext.BaseDirectory, "words", "en", $"{file}.yaml")));
}
