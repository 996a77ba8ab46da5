using Rhabdon.Core.Connectors;
using Rhabdon.Core.Diagnosis;
using Rhabdon.Core.Ledger;
using Rhabdon.Core.Rework;
using Xunit;

namespace Rhabdon.Core.Tests;

/// <summary>Causes by Bayes, worked by hand, and the act that costs least. What is right for whom is common practice (dirt first, bend before blade, class, reference).</summary>
public class DiagnosisTests
{
    private static DiagnosisFound Of(TerminationMethod method, string seen, double? slackMm = null, params string[] tried) =>
        Diagnoses.Shipped.Of(new(method, Observations: [.. seen.Split(' ', StringSplitOptions.RemoveEmptyEntries).Select(s => s.Split('=')).Select(s => new Observation(s[0], s[1]))], SlackMm: slackMm, Tried: tried));

    /// <summary>Two causes, 0.6 and 0.4; dirt seen of 0.8 and 0.1: 0.48 of 0.52. A wipe in vain that cures 0.75 of the one: 0.12 of 0.12 + 0.04. By hand.</summary>
    [Fact]
    public void A_posterior_is_what_bayes_makes_of_it_by_hand()
    {
        var tables = new DiagnosisTables(
            new Dictionary<ReworkReason, IReadOnlyDictionary<GlassFamily, double>>
            {
                [ReworkReason.Contamination] = new Dictionary<GlassFamily, double> { [GlassFamily.Stub] = 0.6 },
                [ReworkReason.NotSeatedOrGap] = new Dictionary<GlassFamily, double> { [GlassFamily.Stub] = 0.4 },
            },
            [new("face", ["clean", "dirt"], [0.9, 0.1], new Dictionary<ReworkReason, IReadOnlyList<double>> { [ReworkReason.Contamination] = [0.2, 0.8] })],
            [
                new("clean", 2, 2, new Dictionary<ReworkReason, double> { [ReworkReason.Contamination] = 0.75 }),
                new("open-tray", 4, 1, new Dictionary<ReworkReason, double>()),
                new("replace", 10, 9, new Dictionary<ReworkReason, double>(), SlackMm: 80, Blade: true, Renews: 0.9),
                new("re-pull", 240, 1, new Dictionary<ReworkReason, double>(), Blade: true, Renews: 1),
            ],
            []);
        var dirty = new Diagnoses(tables).Of(new(TerminationMethod.WedgeLocked, Observations: [new("face", "dirt")]));
        Assert.Equal(0.48 / 0.52, dirty.Causes[0].Probability, 12);
        // Seen eight times as often as of the other, which is 0.8 / 0.52 beside both.
        Assert.Equal(0.8 / 0.52, dirty.Causes[0].Because.Single().Factor, 12);
        var wiped = new Diagnoses(tables).Of(new(TerminationMethod.WedgeLocked, Observations: [new("face", "dirt")], Tried: ["clean"]));
        Assert.Equal(0.12 / 0.16, wiped.Causes[0].Probability, 12);
        Assert.Equal("clean", wiped.Next!.Act);
        // Wiped twice, 0.03 to 0.04: a new connector, nine in ten, for 10 minutes and 80 mm at 0.15, and the next where it fails: six of them, beyond which one in a million is left.
        var twice = new Diagnoses(tables).Of(new(TerminationMethod.WedgeLocked, Observations: [new("face", "dirt")], Tried: ["clean", "clean"]));
        Assert.Equal(("replace", 0.9), (twice.Next!.Act, Math.Round(twice.Next.SuccessProbability, 9)));
        Assert.Equal(22 * 1.11111, twice.Next.ExpectedMinutes, 9);
    }

    [Theory]
    [InlineData(TerminationMethod.SpliceOn, "loss=far-over direction=one-only face=clean", ReworkReason.WrongFiberClass, "look:class", "clean")]
    [InlineData(TerminationMethod.WedgeLocked, "loss=far-over direction=one-only class=differs face=clean slope=alike", ReworkReason.WrongFiberClass, "replace", "clean")]
    [InlineData(TerminationMethod.ColdCure, "loss=over face=dirt", ReworkReason.Contamination, "clean")]
    [InlineData(TerminationMethod.CamLocked, "loss=far-over light=bright face=clean reflectance=high slope=alike", ReworkReason.NotSeatedOrGap, "reseat")]
    [InlineData(TerminationMethod.HeatCuredEpoxy, "loss=over face=clean neighbours=all-bad", ReworkReason.BadReference, "new-reference")]
    [InlineData(TerminationMethod.PigtailSplice, "loss=over slope=longer-higher face=clean", ReworkReason.BendOrPinch, "open-tray")]
    [InlineData(TerminationMethod.HeatCuredEpoxy, "face=core-chip loss=over slope=alike", ReworkReason.CoreChippedOrCracked, "replace")]
    [InlineData(TerminationMethod.WedgeLocked, "face=core-chip neighbours=some-bad", ReworkReason.CoreChippedOrCracked, "replace")]
    [InlineData(TerminationMethod.ColdCure, "loss=over slope=alike face=clean neighbours=all-bad lot=worse", ReworkReason.BadReference, "new-reference")]
    [InlineData(TerminationMethod.ColdCure, "face=fine-scratches loss=within", ReworkReason.Scratched, "more-polish")]
    [InlineData(TerminationMethod.WedgeLocked, "loss=over face=clean slope=alike neighbours=some-bad", ReworkReason.CleaveAngleOrChip, "look:light")]
    [InlineData(TerminationMethod.WedgeLocked, "cleave=angle-or-chip light=bright face=clean slope=alike", ReworkReason.CleaveAngleOrChip, "re-cleave", "clean")]
    public void What_is_plain_to_the_trade_is_named_first_and_done_first(TerminationMethod method, string seen, ReworkReason cause, string act, params string[] tried)
    {
        var found = Of(method, seen, 600, tried);
        Assert.Equal((cause, act), (found.Causes[0].Reason, found.Next!.Act));
        Assert.Equal(1, found.Causes.Sum(c => c.Probability), 9);
        Assert.NotEmpty(found.Then);
    }

    /// <summary>Over all that can be seen together of three signs: no blade while dirt or a bend is still likely, and none that the slack does not pay for.</summary>
    [Fact]
    public void Nothing_is_cut_before_dirt_and_a_bend_are_ruled_out_nor_beyond_the_slack()
    {
        var tables = DiagnosisTables.Shipped;
        foreach (var method in new[] { TerminationMethod.ColdCure, TerminationMethod.WedgeLocked, TerminationMethod.SpliceOn })
        {
            var signs = tables.SignsOf(DiagnosisTables.FamilyOf(method));
            foreach (var loss in signs.Single(s => s.Id == "loss").Values)
            {
                foreach (var other in signs.Where(s => s.Id is not ("loss" or "face" or "slope" or "moved" or "where")))
                {
                    foreach (var found in other.Values.Select(v => Of(method, $"loss={loss} {other.Id}={v}", 30)))
                    {
                        var blade = tables.Acts.Single(a => a.Id == (found.Next!.Act.StartsWith("look:", StringComparison.Ordinal) ? "clean" : found.Next.Act));
                        double P(ReworkReason cause) => found.Causes.FirstOrDefault(c => c.Reason == cause)?.Probability ?? 0;
                        Assert.False(blade.Blade && (P(ReworkReason.Contamination) >= 0.03 || P(ReworkReason.BendOrPinch) >= 0.03), $"{method} {loss} {other.Id}: {found.Next!.Act}");
                        Assert.All(found.Then.Prepend(found.Next!), n => Assert.False(n.Act is "replace" or "splice-on")); // 80 and 60 mm of 30
                    }
                }
            }
        }
    }

    [Fact]
    public void Every_row_of_the_tables_comes_to_one_and_every_cause_can_be_cured()
    {
        var tables = DiagnosisTables.Shipped;
        Assert.All(tables.Signs, s => Assert.All(s.Given.Values.Append(s.Usual), row => Assert.Equal((s.Values.Count, 1.0), (row.Count, Math.Round(row.Sum(), 9)))));
        Assert.All(tables.Signs.SelectMany(s => s.Given.Keys).Concat(tables.Elsewhere), c => Assert.Contains(c, tables.Causes.Keys));
        foreach (var family in Enum.GetValues<GlassFamily>())
        {
            Assert.All(tables.Before(family).Keys, c => Assert.True(tables.ActsOf(family).Max(a => tables.Cures(a, c)) > 0.7, $"{family} {c}"));
        }
    }

    private static ConfirmedCase Case(string seen = "", params TriedAct[] tried) => new(GlassFamily.Stub, ReworkReason.Contamination, [.. seen.Split(' ', StringSplitOptions.RemoveEmptyEntries).Select(s => s.Split('=')).Select(s => new Observation(s[0], s[1]))], tried);

    /// <summary>By hand: dirt is said to be 0.2 of stubs, which is 8 of 40 assumed; 20 confirmed make 28 of 60. A company that says 0.5 of what came to 1 before says 0.5 of 1.3.</summary>
    [Fact]
    public void Causes_begin_as_said_and_follow_what_was_confirmed()
    {
        var shipped = DiagnosisTables.Shipped.Before(GlassFamily.Stub)[ReworkReason.Contamination];
        var sum = DiagnosisTables.Shipped.Causes.Values.Sum(c => c.GetValueOrDefault(GlassFamily.Stub));
        Assert.Equal(0.2 / sum, shipped, 12);
        var moved = DiagnosisTables.Shipped.Moved([.. Enumerable.Repeat(Case(), 20)]);
        Assert.Equal(((40 * shipped) + 20) / 60, moved.Before(GlassFamily.Stub)[ReworkReason.Contamination], 12);
        Assert.Equal(DiagnosisTables.Shipped.Before(GlassFamily.Polished)[ReworkReason.Contamination], moved.Before(GlassFamily.Polished)[ReworkReason.Contamination], 12);
        OwnTables own = new(Causes: new Dictionary<ReworkReason, IReadOnlyDictionary<GlassFamily, double>> { [ReworkReason.Contamination] = new Dictionary<GlassFamily, double> { [GlassFamily.Stub] = 0.5 } });
        Assert.Equal(0.5 / (sum + 0.3), DiagnosisTables.Shipped.Said(own).Before(GlassFamily.Stub)[ReworkReason.Contamination], 12);
        Assert.Equal(["causes.scratched.stub", "causes.scratched.stub"], Assert.Throws<RefusedException>(() => DiagnosisTables.Shipped.Check(
            new(Causes: new Dictionary<ReworkReason, IReadOnlyDictionary<GlassFamily, double>> { [ReworkReason.Scratched] = new Dictionary<GlassFamily, double> { [GlassFamily.Stub] = 7 } }))).Refusals.Select(r => r.Field));
    }

    /// <summary>By hand, 20 assumed of a row. Cleaning cures 0.75 of dirt: 15 of 20; ten more that all failed make 15 of 30. Reflectance of dirt is high in 0.55, 11 of 20; 20 seen good make 11 of 40.</summary>
    [Fact]
    public void Signs_and_acts_begin_as_said_and_follow_what_was_seen_and_tried_on_confirmed_ones()
    {
        var moved = DiagnosisTables.Shipped.Moved([.. Enumerable.Repeat(Case("reflectance=good", new TriedAct("clean", false)), 10), .. Enumerable.Repeat(Case("reflectance=good"), 10)]);
        Assert.Equal(0.5, moved.Acts.Single(a => a.Id == "clean").Cures[ReworkReason.Contamination], 12);
        Assert.Equal([29 / 40.0, 11 / 40.0], moved.Signs.Single(s => s.Id == "reflectance").Given[ReworkReason.Contamination].Select(p => Math.Round(p, 12)));
        // What a sign never spoke of begins at what is usual; what an act never spoke of, at what a new connector cures.
        var learnt = DiagnosisTables.Shipped.Moved([Case("class=differs", new TriedAct("replace", true))]);
        Assert.Equal(((20 * 0.015) + 1) / 21, learnt.Signs.Single(s => s.Id == "class").Given[ReworkReason.Contamination][1], 12);
        Assert.Equal(((20 * 0.91) + 1) / 21, learnt.Acts.Single(a => a.Id == "replace").Cures[ReworkReason.Contamination], 12);
        Assert.Equal(DiagnosisTables.Shipped.Signs.Single(s => s.Id == "light"), learnt.Signs.Single(s => s.Id == "light") with { Given = DiagnosisTables.Shipped.Signs.Single(s => s.Id == "light").Given });
        // The diagnosis is of these tables: where cleaning never helped, dirt is not wiped a third time as if it did.
        OwnTables own = new(Acts: new Dictionary<string, OwnAct> { ["clean"] = new(Minutes: 30, Cures: new Dictionary<ReworkReason, double> { [ReworkReason.Contamination] = 0.05 }) },
            Signs: new Dictionary<string, IReadOnlyDictionary<string, IReadOnlyList<double>>> { ["reflectance"] = new Dictionary<string, IReadOnlyList<double>> { [OwnTables.Usual] = [0.5, 0.5], ["scratched"] = [1, 1] } });
        DiagnosisTables.Shipped.Check(own);
        var said = DiagnosisTables.Shipped.Said(own);
        Assert.Equal((30, 0.05, 0.12), (said.Acts[0].Minutes, said.Acts[0].Cures[ReworkReason.Contamination], said.Acts[0].Cures[ReworkReason.AdhesiveOnFerrule]));
        Assert.Equal([0.5, 0.5], said.Signs.Single(s => s.Id == "reflectance").Given[ReworkReason.Scratched]);
        DiagnoseAsk ask = new(TerminationMethod.WedgeLocked, Observations: [new("face", "dirt"), new("reflectance", "high")], SlackMm: 500);
        Assert.Equal("clean", Diagnoses.Shipped.Of(ask).Next!.Act);
        Assert.NotEqual("clean", new Diagnoses(said).Of(ask).Next!.Act);
    }

    /// <summary>Bad lots and worn blades are signs (common practice). 45 of 84 against 900 of 1,000 is no chance; 6 of 8 against it is.</summary>
    [Fact]
    public void What_a_run_was_made_with_is_a_sign_where_the_record_says_anything_of_it()
    {
        var cleaver = new ToolState { Id = StreamId.New(), CrewId = default, Kind = ToolKind.Cleaver, Since = new(Cleaves: 1001) };
        AttemptState Run(string? lot, ToolState? tool, Instant at) => new EndStory(Repo.Wedge).Start().State.Current! with
        {
            StartedAt = at,
            ToolIds = tool is null ? [] : [new(tool.Id.Value)],
            Preflight = lot is null ? [] : [new("adhesive", at, lot)],
        };
        IReadOnlyList<MadeOf> made = [new(null, "wedge-locked", 1100, 945), new("BAD", "wedge-locked", 84, 45), new("FEW", "wedge-locked", 7, 1), new("FINE", "wedge-locked", 8, 6)];
        var (now, before) = (Instant.FromUtc(2026, 11, 2, 8, 0), Instant.FromUtc(2026, 11, 1, 8, 0));
        RunHistory Of(string? lot, ToolState? tool) => RunHistory.Of(Run(lot, tool, before), [cleaver], made);
        Assert.Equal(new RunHistory(true, true), Of("BAD", cleaver));
        Assert.Equal(new RunHistory(null, null), Of("FEW", null));
        Assert.Equal(new RunHistory(null, false), Of("FINE", null));
        Assert.Equal(new RunHistory(null, null), Of("unheard of", null));
        // Turned since: how it stood when this was cut, nobody says.
        Assert.Null(RunHistory.Of(Run(null, cleaver, before), [cleaver with { Resets = [new(default, now, default, ToolResetKind.BladeTurned)] }], made).BladeWorn);
        Assert.False(RunHistory.Of(Run(null, cleaver, now), [cleaver with { Since = new(Cleaves: 12), Resets = [new(default, before, default, ToolResetKind.BladeTurned)] }], made).BladeWorn);
        Assert.Equal(["blade=worn", "lot=worse"], Seen.Signs(Run("BAD", cleaver, before), GlassFamily.Stub, [], Of("BAD", cleaver)).Select(o => $"{o.Sign}={o.Value}"));
        Assert.Equal(["lot=worse"], Seen.Signs(Run("BAD", cleaver, before), GlassFamily.Polished, [], Of("BAD", cleaver)).Select(o => $"{o.Sign}={o.Value}"));
    }

    [Theory]
    [InlineData("signs.glow", """{"signs":{"glow":{}}}""")]
    [InlineData("signs.class.contamination", """{"signs":{"class":{"contamination":[0.2]}}}""")]
    [InlineData("signs.class.rust", """{"signs":{"class":{"rust":[0.2,0.8]}}}""")]
    [InlineData("signs.class.usual[1]", """{"signs":{"class":{"usual":[0.2,0]}}}""")]
    [InlineData("acts.pray", """{"acts":{"pray":{}}}""")]
    [InlineData("acts.clean.renews", """{"acts":{"clean":{"renews":0.5}}}""")]
    [InlineData("acts.clean.minutes", """{"acts":{"clean":{"minutes":0}}}""")]
    [InlineData("acts.clean.cures.scratched", """{"acts":{"clean":{"cures":{"scratched":1.5}}}}""")]
    public void Own_tables_that_cannot_be_are_refused_by_their_field(string field, string own) =>
        Assert.Equal(field, Assert.Throws<RefusedException>(() => DiagnosisTables.Shipped.Check(System.Text.Json.JsonSerializer.Deserialize<OwnTables>(own, Wire.Json)!)).Refusals[0].Field);
}
