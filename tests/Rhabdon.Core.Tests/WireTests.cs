using System.Text.Json;
using Rhabdon.Core.Connectors;
using Rhabdon.Core.Fiber;
using Rhabdon.Core.Inspection;
using Rhabdon.Core.Ledger;
using Rhabdon.Core.Loss;
using Rhabdon.Core.Prep;
using Rhabdon.Core.Procedures;
using Rhabdon.Core.Rework;
using Xunit;

namespace Rhabdon.Core.Tests;

public class WireTests
{
    private sealed record Shape(int Whole, double Real, string Text, bool Yes, string? None, IReadOnlyList<string> List);

    [Fact]
    public void Yaml_scalars_keep_their_kind_and_quotes_make_text()
    {
        var s = YamlText.Read<Shape>("{ whole: 7, real: 1.5, text: \"7\", yes: true, none: ~, list: [a, 'true', \"1.0\"] }");
        Assert.Equal((7, 1.5, "7", true, null), (s.Whole, s.Real, s.Text, s.Yes, s.None));
        Assert.Equal(["a", "true", "1.0"], s.List);
    }

    [Theory]
    [InlineData("", "yaml", "document")]
    [InlineData("a: 1\n---\nb: 2", "yaml", "document")]
    [InlineData("a: [1, 2", "yaml", "line ")]
    [InlineData("whole: seven", "yaml-shape", "whole")]
    [InlineData("strange: 1", "yaml-shape", "strange")]
    public void A_bad_document_is_refused_with_its_place(string yaml, string code, string field)
    {
        var refusal = Assert.Throws<RefusedException>(() => YamlText.Read<Shape>(yaml)).Refusals.Single();
        Assert.Equal(code, refusal.Code);
        Assert.StartsWith(field, refusal.Field);
    }

    /// <summary>A text of 120 kB of brackets, and 366 bytes whose aliases unfold to gigabytes: given up after a few of the parser's events.</summary>
    [Theory]
    [InlineData("brackets", 40)]
    [InlineData("braces", 80)]
    [InlineData("dashes", 40)]
    [InlineData("aliases", 25)]
    [InlineData("list", 20_010)]
    [InlineData("names", 20_010)]
    public void What_grows_without_end_is_refused_after_counted_events_with_its_line(string kind, int mostEvents)
    {
        var parser = new CountingParser(new YamlDotNet.Core.Parser(new StringReader(kind switch
        {
            "brackets" => "# deep\n" + new string('[', 120_000),
            "braces" => string.Concat(Enumerable.Repeat("{a: ", 30_000)),
            "dashes" => string.Concat(Enumerable.Repeat("- ", 60_000)) + "x",
            "aliases" => "a: &a [x,x,x,x,x,x,x,x,x]\n" + string.Concat("bcdefghij".Select((c, i) => $"{c}: &{c} [{string.Join(',', Enumerable.Repeat($"*{"abcdefghi"[i]}", 9))}]\n")),
            "list" => "[" + string.Concat(Enumerable.Repeat("1,", 90_000)) + "1]",
            _ => string.Concat(Enumerable.Range(0, 20_000).Select(i => $"n{i}: 1\n")),
        })));
        var refusal = Assert.Throws<RefusedException>(() => YamlText.ToJson(parser)).Refusals.Single();
        Assert.StartsWith("line ", refusal.Field);
        Assert.InRange(parser.Events, 1, mostEvents);
        Assert.Equal("yaml-size", Assert.Throws<RefusedException>(() => YamlText.ToJson(new string(' ', YamlText.LongestText + 1))).Refusals[0].Code);
    }

    private sealed class CountingParser(YamlDotNet.Core.IParser inner) : YamlDotNet.Core.IParser
    {
        public int Events { get; private set; }

        public YamlDotNet.Core.Events.ParsingEvent? Current => inner.Current;

        public bool MoveNext()
        {
            Events++;
            return inner.MoveNext();
        }
    }

    [Theory]
    [InlineData("""{"a":[1,{"b":"\ud800"}]}""", "body-text", "a[1].b")]
    [InlineData("""{"a":"x\u0000y"}""", "body-text", "a")]
    [InlineData("""{"\ud800":1}""", "body-text", "body")]
    [InlineData("""{"a":{"elapsedS":1e400}}""", "number-range", "a.elapsedS")]
    [InlineData("""{"elapsedS":1e-20000}""", "number-range", "elapsedS")]
    [InlineData("""{"elapsedS":0e-20000}""", "number-range", "elapsedS")]
    [InlineData("""[0.0000000000000000000000000000000000000000000000000000000001]""", "number-range", "[0]")]
    [InlineData("""{"a":{"answerId":"x","answerId":"y"}}""", "name-twice", "a.answerId")]
    [InlineData("""{"a":[1,null]}""", "gap", "a[1]")]
    [InlineData("""{"a":[1,-2.5e-7,"x",{"b":null,"AnswerId":1,"answerId":2}],"c":{"a":1}}""", null, null)] // names that differ in case are for the type to refuse
    public void What_no_database_keeps_is_found_on_the_tokens_with_its_path(string json, string? code, string? field)
    {
        var fault = JsonText.Fault(System.Text.Encoding.UTF8.GetBytes(json));
        Assert.Equal((code, field), (fault?.Code, fault?.Field));
    }

    [Fact]
    public void Every_closed_list_writes_and_reads_each_of_its_words()
    {
        RoundTrip<FiberClass>();
        RoundTrip<FiberMode>();
        RoundTrip<CableConstruction>();
        RoundTrip<StrandColour>();
        RoundTrip<ConnectorForm>();
        RoundTrip<Polish>();
        RoundTrip<TerminationMethod>();
        RoundTrip<Phase>();
        RoundTrip<Caution>();
        RoundTrip<SlackCost>();
        RoundTrip<Layer>();
        RoundTrip<Zone>();
        RoundTrip<FindingKind>();
        RoundTrip<EndFaceClass>();
        RoundTrip<ReferenceMethod>();
        RoundTrip<LossVerdict>();
        RoundTrip<ReworkReason>();
        RoundTrip<EventKind>();
        RoundTrip<EndStatus>();
    }

    private static void RoundTrip<T>() where T : struct, Enum
    {
        foreach (var value in Enum.GetValues<T>())
        {
            var word = Wire.Name(value);
            Assert.Equal(value, Wire.Parse<T>(word));
            Assert.Equal($"\"{word}\"", JsonSerializer.Serialize(value, Wire.Json)); // the API and the names agree
            Assert.Equal(value, JsonSerializer.Deserialize<T>($"\"{word}\"", Wire.Json));
        }

        Assert.Throws<FormatException>(() => Wire.Parse<T>("moon"));
        Assert.Throws<JsonException>(() => JsonSerializer.Deserialize<T>("0", Wire.Json)); // no numbers for words
    }

    [Theory]
    [InlineData("cordage-3.0", CableConstruction.Cordage30)]
    [InlineData("tight-buffer-900", CableConstruction.TightBuffer900)]
    [InlineData("ribbon-12", CableConstruction.Ribbon12)]
    public void Constructions_go_by_their_trade_names(string word, CableConstruction construction) => Assert.Equal(word, Wire.Name(construction));

    private sealed record Listed(IReadOnlyList<Kit.PackCount> Packs, IReadOnlyList<int?>? Counts = null);

    /// <summary>A null among a list's records would be met only where its field is read, as a fault of ours.</summary>
    [Fact]
    public void A_list_has_no_gaps()
    {
        Assert.Equal(2, JsonSerializer.Deserialize<Listed>("""{"packs":[{"size":1,"count":2},{"size":25,"count":1}]}""", Wire.Json)!.Packs.Count);
        Assert.Equal("$.packs[2]", Assert.Throws<JsonException>(() => JsonSerializer.Deserialize<Listed>("""{"packs":[{"size":1,"count":2},null]}""", Wire.Json)).Path);
        Assert.Equal([null, 1], JsonSerializer.Deserialize<Listed>("""{"packs":[],"counts":[null,1]}""", Wire.Json)!.Counts!);
    }
}
