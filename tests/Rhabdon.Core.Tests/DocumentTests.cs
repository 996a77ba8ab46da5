using System.Text.Json;
using System.Text.Json.Nodes;
using Rhabdon.Core.Connectors;
using Rhabdon.Core.Procedures;
using Xunit;

namespace Rhabdon.Core.Tests;

/// <summary>The shipped library as a whole, and documents that people hand in.</summary>
public class DocumentTests
{
    /// <summary>Every method of the trade's list has a procedure, and every school of each comes out whole.</summary>
    [Fact]
    public void Every_method_ships_and_every_school_compiles()
    {
        Assert.Equal(20, Repo.Newest.Count);
        Assert.Equal(Enum.GetValues<TerminationMethod>().Order(), Repo.Documents.Select(d => d.Method).Distinct().Order());
        Assert.All(Repo.Documents, d => ProcedureCompiler.Compile(d)); // every version that was ever shipped can still be walked
        foreach (var d in Repo.Newest)
        {
            Assert.All(Schools.Combinations(d), c => ProcedureCompiler.Compile(d, c));
            var table = ProcedureCompiler.Compile(d);
            Assert.NotEmpty(table.Parts);
            Assert.NotEmpty(table.Preflight);
            Assert.NotEmpty(table.Ladders);
            Assert.Contains(table.States, s => s.Batch);
            Assert.Contains(table.States, s => s.Shards > 0); // every method makes a shard: common practice
            Assert.Contains(table.States, s => s.Caution is not null);
            Assert.Contains(table.States, s => s.Question is not null);
        }
    }

    // Figures of the trade, common practice: id, what, millimetres.
    [Theory]
    [InlineData("cold-cure-3mm", "bare", 19)]
    [InlineData("cold-cure-900-st", "bare", 20)]
    [InlineData("hot-melt-3mm", "jacket", 31.75)] // 1 1/4 in
    [InlineData("heat-cured-epoxy-3mm", "aramid", 9.525)] // 3/8 in
    [InlineData("cam-locked-fan-out", "cleaved", 8.5)]
    [InlineData("cam-locked-3mm", "jacket", 53)]
    [InlineData("cam-locked-3mm", "buffer", 11)]
    [InlineData("wedge-locked-upc-900", "bare", 40)]
    [InlineData("wedge-locked-apc-3mm", "jacket", 80)]
    [InlineData("wedge-locked-apc-900", "bare", 45)]
    [InlineData("wedge-locked-slide-900", "bare", 30)]
    [InlineData("plunger-locked-900", "cleaved", 7)]
    [InlineData("hardened-drop", "cleaved", 17)]
    [InlineData("splice-on-3mm", "buffer", 5)]
    [InlineData("pigtail-splice-ribbon", "bare", 35)]
    public void Dimensions_are_those_of_the_trade(string id, string what, double mm)
    {
        var prep = Repo.Rules.Table(id, 1).Prep;
        var actual = what switch
        {
            "bare" => prep.BareMm,
            "jacket" => prep.JacketOffMm,
            "aramid" => prep.AramidBeyondJacketMm,
            "buffer" => prep.BufferBeyondJacketMm,
            _ => prep.CleavedMm?.NominalMm,
        };
        Assert.Equal(mm, actual!.Value, 3);
    }

    [Fact]
    public void What_is_handed_out_as_yaml_comes_back_the_same()
    {
        foreach (var d in Repo.Documents)
        {
            var back = YamlText.Read<ProcedureDocument>(YamlText.Write(d));
            Assert.Equal(JsonSerializer.Serialize(d, Wire.Json), JsonSerializer.Serialize(back, Wire.Json));
        }
    }

    [Fact]
    public void A_comparison_names_what_differs_and_nothing_else()
    {
        var before = Repo.Document("wedge-locked-upc-3mm");
        var after = before with
        {
            Version = 2,
            Steps = [.. before.Steps.Select(s => s.Id == "insert" ? s with { Act = "Insert slowly" } : s).Where(s => s.Id != "aramid")],
            Prep = before.Prep with { Spans = [.. before.Prep.Spans.Select(s => s.Id == "bare" ? s with { LengthMm = 42 } : s)] },
        };
        var paths = ProcedureDiff.Compare(before, after).Select(d => d.Path).ToList();
        Assert.Contains("steps[insert].act", paths);
        Assert.Contains("steps[aramid]", paths);
        Assert.Contains("prep.spans[bare].lengthMm", paths);
        Assert.DoesNotContain(paths, p => p.Contains("[glow]") || p.StartsWith("steps[aramid].", StringComparison.Ordinal));
        Assert.Empty(ProcedureDiff.Compare(before, before with { Version = 3 }));
    }

    /// <summary>Documents with anything wrong in them are refused in words, or are whole; nothing falls over.</summary>
    [Fact]
    public void Broken_documents_never_bring_the_validator_down()
    {
        var random = new Random(7);
        JsonNode?[] odd = [null, JsonValue.Create(-1), JsonValue.Create("\u0000{9 km}"), JsonValue.Create(1e300), JsonValue.Create(true), new JsonArray(), new JsonObject(), JsonValue.Create("jacket")];
        var refused = 0;
        for (var i = 0; i < 1500; i++)
        {
            var d = JsonSerializer.SerializeToNode(Repo.Documents[i % Repo.Documents.Count], Wire.Json)!;
            for (var n = random.Next(1, 4); n > 0; n--)
            {
                Mutate(d, random, odd);
            }

            try
            {
                var document = YamlText.OfJson<ProcedureDocument>(d);
                var faults = ProcedureValidator.Faults(document);
                Assert.All(faults, f => Assert.True(f.Field.Length > 0 && f.Message.Length > 0));
                if (faults.Count == 0)
                {
                    ProcedureCompiler.Compile(document);
                }
                else
                {
                    refused++;
                }
            }
            catch (RefusedException)
            {
                refused++;
            }
        }

        Assert.InRange(refused, 750, 1499);
    }

    private static void Mutate(JsonNode root, Random random, JsonNode?[] odd)
    {
        var all = new List<JsonNode>();
        void Walk(JsonNode? n)
        {
            if (n is JsonObject o)
            {
                all.Add(o);
                foreach (var p in o.ToList())
                {
                    Walk(p.Value);
                }
            }
            else if (n is JsonArray a)
            {
                all.Add(a);
                foreach (var x in a.ToList())
                {
                    Walk(x);
                }
            }
        }

        Walk(root);
        var value = odd[random.Next(odd.Length)]?.DeepClone();
        switch (all[random.Next(all.Count)])
        {
            case JsonObject o when o.Count > 0:
                var key = o.ElementAt(random.Next(o.Count)).Key;
                if (random.Next(3) == 0)
                {
                    o.Remove(key);
                }
                else
                {
                    o[key] = value;
                }

                break;
            case JsonArray a when a.Count > 0:
                if (random.Next(2) == 0)
                {
                    a.Add(a[random.Next(a.Count)]?.DeepClone());
                }
                else
                {
                    a.RemoveAt(random.Next(a.Count));
                }

                break;
        }
    }
}
