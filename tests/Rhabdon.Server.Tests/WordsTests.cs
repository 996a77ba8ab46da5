using System.Text.Json;
using System.Text.RegularExpressions;
using Rhabdon.Core;
using Rhabdon.Server.Web;
using Xunit;

namespace Rhabdon.Server.Tests;

public partial class WordsTests
{
    /// <summary>Whatever is refused without words of its own finds its sentence, and the sentence finds all its figures.</summary>
    [Fact]
    public void Every_refusal_that_comes_without_words_has_a_sentence_and_every_sentence_is_said()
    {
        var said = Directory.GetFiles(Path.Combine(AccessTests.Root, "src"), "*.cs", SearchOption.AllDirectories).Where(f => !f.Contains("/obj/"))
            .SelectMany(f => Refused().Matches(File.ReadAllText(f)).SelectMany(m => Keys(m.Groups[1].Value, m.Groups[2].Value).Select(k => (Code: k, Names: Named().Matches(m.Groups[3].Value).Select(n => n.Groups[1].Value).ToList()))))
            .Concat(Enum.GetValues<Core.Ledger.NotMeasurable>().Select(n => (Code: $"not-measurable-{Wire.Name(n)}", Names: new List<string> { "end" }))).ToList();
        said.AddRange(PictureHeads().Matches(File.ReadAllText(Path.Combine(AccessTests.Root, "src/Rhabdon.Imaging/PictureHead.cs"))).Select(m => (m.Groups[1].Value, new List<string>())));
        var shapes = Directory.GetFiles(Path.Combine(AccessTests.Root, "src/Rhabdon.Server"), "*Shape*.cs", SearchOption.AllDirectories).Where(f => !f.Contains("/obj/"))
            .SelectMany(f => Shaped().Matches(File.ReadAllText(f)).Select(m => (Code: m.Groups[2].Value, Field: m.Groups[1].Value is { Length: > 0 } name ? JsonNamingPolicy.CamelCase.ConvertName(name) : "field", Names: Named().Matches(m.Groups[3].Value).Select(n => n.Groups[1].Value)))).ToList();
        said.AddRange(shapes.Select(x => (Sentences.English.Codes.Contains($"{x.Code}:{x.Field}") ? $"{x.Code}:{x.Field}" : x.Code, x.Names.Append("said").ToList())));
        Assert.True(said.Count > 40);
        foreach (var (code, names) in said)
        {
            Assert.True(Sentences.English.Codes.Contains(code), $"'{code}' has no sentence in words/en/refusals.yaml");
            var sentence = Sentences.English.Say(Refusal.Of(code.Split(':')[0], code.Contains(':') ? code.Split(':')[1] : "field", [.. names.Select(n => (n, (object)"7"))]));
            Assert.False(sentence.Contains('{'), $"'{code}' wants a figure that it is not given: {sentence}");
        }

        Assert.Equal(Sentences.English.Codes.Where(c => c != "in-row").Order(), said.Select(s => s.Code).Distinct().Order());
        Assert.Equal("Row 3: '9' is no loss in dB.", Sentences.English.Say(Refusal.Of("loss-unread", "lossDb", ("said", 9)).InRow(3)));
        Assert.Equal("Its own words.", Sentences.English.Say(new("not-yet", "x", "Its own words.")));
    }

    /// <summary>Paper and screen call a thing by the same word.</summary>
    [Fact]
    public void The_trades_words_on_paper_are_the_interfaces_own()
    {
        var screen = JsonDocument.Parse(File.ReadAllText(Path.Combine(AccessTests.Root, "web/src/i18n/en.json"))).RootElement;
        var paper = YamlText.Read<Dictionary<string, string>>(File.ReadAllText(Path.Combine(AccessTests.Root, "words/en/terms.yaml")));
        Assert.True(paper.Count > 80);
        Assert.All(paper, w => Assert.Equal((w.Key, w.Value), (w.Key, screen.GetProperty(w.Key[..w.Key.IndexOf('.', StringComparison.Ordinal)]).GetProperty(w.Key[(w.Key.IndexOf('.', StringComparison.Ordinal) + 1)..]).GetString()!)));
    }

    /// <summary>By which a refusal finds its sentence: with its field where the code is many fields' own; where the code alone knows none, by every field that has one.</summary>
    private static IEnumerable<string> Keys(string code, string field) =>
        Sentences.English.Codes.Contains($"{code}:{field}") ? [$"{code}:{field}"]
        : field.Length > 0 || Sentences.English.Codes.Contains(code) ? [code]
        : Sentences.English.Codes.Where(c => c.StartsWith(code + ":", StringComparison.Ordinal) && !Sentences.English.Say(Refusal.Of(code, c[(code.Length + 1)..])).Contains('{')).DefaultIfEmpty(code);

    [GeneratedRegex("""Refusal\.Of\("([a-z-]+)"(?:, "(\w+)")?(.*)""")]
    private static partial Regex Refused();

    [GeneratedRegex("""(?:r\.(\w+)\)[^;\n]*)?\.Refuse\("([a-z-]+)"([^;\n]*)""")]
    private static partial Regex Shaped();

    [GeneratedRegex("""[ (]Refused\("([a-z-]+)"\)""")]
    private static partial Regex PictureHeads();

    [GeneratedRegex("""\("(\w+)", """)]
    private static partial Regex Named();
}
