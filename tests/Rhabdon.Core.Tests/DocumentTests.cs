using System.Text.Json;
using System.Text.Json.Nodes;
using Rhabdon.Core.Connectors;
using Rhabdon.Core.Fiber;
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
        Assert.Equal(25, Repo.Newest.Count);
        Assert.Equal(Enum.GetValues<TerminationMethod>().Order(), Repo.Documents.Select(d => d.Method).Distinct().Order());
        Assert.All(Repo.Documents, d => ProcedureCompiler.Compile(d)); // every version that was ever shipped can still be walked
        foreach (var d in Repo.Newest)
        {
            Assert.All(Schools.Pairwise(d), c => ProcedureCompiler.Compile(d, c));
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

    /// <summary>A cap that stays off, a clamp that stays on, a ring that is never crimped, a part that nobody fits: none in what ships now, in no school.</summary>
    [Fact]
    public void What_ships_now_has_none_of_the_trades_plain_faults()
    {
        var faults = Repo.Newest.SelectMany(d => TradeRules.Faults(d).Select(f => $"{d.Id}/{d.Version}: {f.Plain}")).ToList();
        Assert.True(faults.Count == 0, string.Join("\n", faults));
    }

    /// <summary>A tool holds one connector: where it is loaded before the cable is touched, no later act waits for the other strands.</summary>
    [Fact]
    public void Where_the_connector_is_loaded_first_one_strand_is_made_after_the_other()
    {
        var first = Repo.Newest.Where(d => d.Options?.Any(o => o.Id == "load-order") == true).ToList();
        Assert.Equal(5, first.Count);
        Assert.All(first.Select(d => ProcedureCompiler.Compile(d)), t => Assert.DoesNotContain(t.States.SkipWhile(s => s.Drawing != Drawing.Load), s => s.Batch));
    }

    /// <summary>What the end itself answers: an ST has no casing, an LC is seated at another mark than an SC, a duplex jumper has its clip checked.</summary>
    [Fact]
    public void A_procedure_reads_as_the_planned_end_needs_it()
    {
        RunTable Of(string id, ConnectorForm form, CordKind cord = CordKind.None) =>
            ProcedureCompiler.Compile(Repo.Newest.Single(d => d.Id == id), EndOptions.With(new Dictionary<string, string> { ["form"] = "FC" }, form, Polish.UPC, FiberMode.Multimode, cord));
        Assert.Contains(Of("cold-cure-3mm", ConnectorForm.LC).Parts, p => p.Id == "housing");
        Assert.DoesNotContain(Of("cold-cure-3mm", ConnectorForm.ST).Parts, p => p.Id == "housing");
        Assert.Equal((15.5, 11.5), (Seat(ConnectorForm.SC), Seat(ConnectorForm.LC)));
        Assert.Equal(["seat-mark-lc"], Of("wedge-locked-upc-900", ConnectorForm.LC).Prep.Marks.Where(m => m.Id.StartsWith("seat", StringComparison.Ordinal)).Select(m => m.Id));
        Assert.Equal(["pair", "pair-cord", ""], new[] { CordKind.None, CordKind.Duplex, CordKind.Simplex }.Select(c => string.Join(',', Of("cold-cure-3mm", ConnectorForm.SC, c).States.Where(s => s.Drawing == Drawing.PairClip).Select(s => s.Id))));
        // Every run keeps what its end answered; who only reads the procedure sees what it could be.
        Assert.Equal(("LC", true), Of("cold-cure-3mm", ConnectorForm.LC).Schools.Where(s => s.Option == "form").Select(s => (s.Choice, s.OfEnd)).Single());
        double Seat(ConnectorForm form) => Of("wedge-locked-upc-3mm", form).States.Single(s => s.Id == "insert").Dimensions.Single().LengthMm;
    }

    /// <summary>Each plain fault is found where it is put in.</summary>
    [Theory]
    [InlineData("cap-stays-off", "tip")]
    [InlineData("light-through-cap", "vfl-on")]
    [InlineData("stays-on", "unclamp")]
    [InlineData("not-on", "clamp")]
    [InlineData("part-unused", "thread-boot")]
    [InlineData("never-stripped", "jacket")]
    public void A_plain_fault_of_the_trade_is_found(string code, string without)
    {
        var whole = Repo.Newest.Single(d => d.Id == "wedge-locked-upc-3mm");
        Assert.Contains(TradeRules.Faults(whole with { Steps = [.. whole.Steps.Select(s => s.Id != without ? s : s with { Puts = null, Takes = code == "cap-stays-off" ? s.Takes : null, Uses = null, Strip = null })] }), f => f.Code == code);
        var crimped = Repo.Newest.Single(d => d.Id == "cold-cure-3mm");
        Assert.Contains(TradeRules.Faults(crimped with { Steps = [.. crimped.Steps.Where(s => s.Id != "crimp")] }), f => f.Code == "never-crimped");
        Assert.Contains(TradeRules.Faults(crimped with { Steps = [.. crimped.Steps.Select(s => s.Id == "buffer" ? s with { Strip = null } : s)] }), f => f.Code == "strip-without-notch");
        Assert.Contains(TradeRules.Faults(crimped with { Steps = [.. crimped.Steps.Select(s => s.Id == "thread" ? s with { Uses = ["boot"] } : s.Id == "boot-on" ? s with { Uses = ["crimp-sleeve"] } : s)] }), f => f.Code == "crimped-before-used");
        Assert.Contains(TradeRules.Faults(whole with { Steps = [.. whole.Steps.Select(s => s.Id == "bow" ? s with { Puts = ["cable-clamp"] } : s)] }), f => f.Code == "on-already");
        Assert.Contains(TradeRules.Faults(crimped with { Options = [.. crimped.Options!, crimped.Options![0] with { Id = "form" }] }), f => f.Code == "option-of-end");
    }

    /// <summary>Every choice of every option meets every choice of every other, in far fewer walks than there are combinations.</summary>
    [Fact]
    public void Schools_are_checked_in_pairs()
    {
        foreach (var d in Repo.Newest)
        {
            var rows = Schools.Pairwise(d);
            var options = Schools.OfSteps(d).ToList();
            Assert.All(from a in options from b in options from x in a.Choices from y in b.Choices where a != b select (a, x, b, y), p =>
                Assert.Contains(rows, r => r[p.a.Id] == p.x.Id && r[p.b.Id] == p.y.Id));
            Assert.True(rows.Count <= 40, $"{d.Id}: {rows.Count}");
        }
    }

    public static TheoryData<string, string> Shown() =>
        new(File.ReadAllText(Path.Combine(Repo.Root, "tests", "trade", "steps.txt")).Split("\n== ").Skip(1).Select(s => (s.Split('\n', 2)[0].Trim(), s.Split('\n', 2)[1])));

    /// <summary>The order of acts as practitioners show them: tests/trade/steps.txt, written by hand.</summary>
    [Theory]
    [MemberData(nameof(Shown))]
    public void Acts_come_in_the_order_in_which_practitioners_show_them(string id, string acts)
    {
        var lines = acts.Split('\n').Select(l => l.Trim()).Where(l => l.Length > 0 && l[0] != '#').ToList();
        var schools = lines.Where(l => l.StartsWith("with ", StringComparison.Ordinal)).Select(l => l[5..].Split('=')).ToDictionary(p => p[0], p => p[1]);
        var document = Repo.Newest.Single(d => d.Id == id);
        Assert.All(schools, c => Assert.Contains(Schools.OptionsOf(document), o => o.Id == c.Key && o.Choices.Any(x => x.Id == c.Value)));
        var table = ProcedureCompiler.Compile(document, schools);
        static string Said(RunState s) => $"{s.Act} {s.Detail} {string.Join(' ', s.Answers.Select(a => a.Label))}".Replace("{", "", StringComparison.Ordinal).Replace("}", "", StringComparison.Ordinal);
        static IEnumerable<double> Figures(RunState s) => [.. s.Dimensions.Select(d => d.LengthMm), .. s.Count is { } c ? new double[] { c.Min, c.Max } : [], .. s.Timer is { } t ? new[] { t.DurationS } : []];
        bool Holds(RunState s, string line) => line.Split('@') is var parts
            && parts[0].Split(',', StringSplitOptions.TrimEntries | StringSplitOptions.RemoveEmptyEntries).All(w => Said(s).Contains(w, StringComparison.OrdinalIgnoreCase))
            && parts.Skip(1).Where(f => f.Trim().Length > 0).All(f => Figures(s).Contains(double.Parse(f, System.Globalization.CultureInfo.InvariantCulture)));
        var at = 0;
        foreach (var line in lines.Where(l => !l.StartsWith("with ", StringComparison.Ordinal)))
        {
            if (line[0] == '!')
            {
                Assert.DoesNotContain(table.States, s => Holds(s, line[1..]));
                continue;
            }

            var found = Enumerable.Range(at, table.States.Count - at).FirstOrDefault(i => Holds(table.States[i], line), -1);
            Assert.True(found >= 0, $"{id}: '{line}' does not come after '{(at == 0 ? "the beginning" : table.States[at - 1].Act)}'");
            at = found + 1;
        }
    }

    [Fact]
    public void Every_shipped_procedure_stands_in_the_table_of_shown_acts() =>
        Assert.Equal(Repo.Newest.Select(d => d.Id).Order(), Shown().Select(r => r.Data.Item1).Distinct().Order());

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
        var before = Repo.Document("wedge-locked-upc-3mm", 4);
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
