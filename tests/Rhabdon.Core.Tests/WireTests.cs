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

    [Fact]
    public void Nesting_without_end_is_refused_not_followed() =>
        Assert.Equal("yaml", Assert.Throws<RefusedException>(() => YamlText.ToJson(new string('[', 40) + new string(']', 40))).Refusals[0].Code);

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
}
