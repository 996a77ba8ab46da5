using FsCheck.Fluent;
using Rhabdon.Core.Bench;
using Rhabdon.Core.Procedures;
using Xunit;

namespace Rhabdon.Core.Tests;

public class ProcedureTests
{
    private static readonly ProcedureDocument Doc = Repo.Document("wedge-locked-upc-3mm", 4);

    private static string[] Faults(ProcedureDocument d) => [.. ProcedureValidator.Faults(d).Select(r => $"{r.Code} {r.Field}")];

    private static ProcedureDocument WithStep(string id, Func<Step, Step> change) => Doc with { Steps = [.. Doc.Steps.Select(s => s.Id == id ? change(s) : s)] };

    private static ProcedureDocument WithGlow(Func<Answer, Answer> change) => WithStep("glow", s => s with { Check = s.Check! with { Answers = [s.Check.Answers[0], change(s.Check.Answers[1])] } });

    private static ProcedureDocument WithGlowLadder(params Rung[] rungs) => Doc with { Ladders = [.. Doc.Ladders.Where(l => l.Id != "glow"), new("glow", "Glow", rungs)] };

    public static TheoryData<string, ProcedureDocument> Broken => new()
    {
        { "answer-leads-nowhere steps[glow].check.answers[bright]", WithGlow(a => a with { Ladder = null }) },
        { "answer-leads-nowhere steps[glow].check.answers[bright]", WithGlow(a => a with { Next = true }) },
        { "goto-back steps[glow].check.answers[bright].goto", WithGlow(a => a with { Ladder = null, Goto = "insert" }) },
        { "mandatory-skipped steps[glow].check.answers[bright].goto", WithGlow(a => a with { Ladder = null, Goto = "housing" }) },
        { "step-unknown steps[glow].check.answers[bright].goto", WithGlow(a => a with { Ladder = null, Goto = "moon" }) },
        { "ladder-unknown steps[glow].check.answers[bright].ladder", WithGlow(a => a with { Ladder = "moon" }) },
        { "ladder-endless ladders[glow].rungs", WithGlowLadder(new Rung("again", "Again", 1, Goto: "insert")) },
        { "rung-after-end ladders[glow].rungs[x]", WithGlowLadder(new Rung("x", "End", 1, NewAttempt: true), new Rung("y", "End", 1, NewAttempt: true)) },
        { "rung-tries ladders[glow].rungs[x].tries", WithGlowLadder(new Rung("x", "X", 1, Tries: 0, Goto: "insert"), new Rung("y", "End", 1, NewAttempt: true)) },
        { "rung-forward ladders[glow].rungs[x].goto", WithGlowLadder(new Rung("x", "X", 1, Goto: "housing"), new Rung("y", "End", 1, NewAttempt: true)) },
        { "part-unknown ladders[glow].rungs[y].parts", WithGlowLadder(new Rung("y", "End", 1, NewAttempt: true, Parts: ["moon"])) },
        { "mark-unknown steps[glow].marks", WithStep("glow", s => s with { Marks = ["moon"] }) },
        { "text-length steps[glow].detail", WithStep("glow", s => s with { Detail = "Leave {5 km} of it" }) },
        { "text-length steps[glow].act", WithStep("glow", s => s with { Act = "Leave {ten in}" }) },
        { "timer-range steps[glow].timer.durationS", WithStep("glow", s => s with { Timer = new("x", 0) }) },
        { "prep-contradiction prep.spans.again.lengthMm", Doc with { Prep = Doc.Prep with { Spans = [.. Doc.Prep.Spans, new("again", "buffer-edge", "jacket-edge", 31)] } } },
    };

    [Theory]
    [MemberData(nameof(Broken))]
    public void A_broken_procedure_is_refused_and_the_place_is_named(string fault, ProcedureDocument d) => Assert.Contains(fault, Faults(d));

    [Fact]
    public void A_step_that_is_jumped_over_by_every_answer_is_named()
    {
        var steps = Doc.Steps.Select(s => s.Id == "insert" ? s with { Mandatory = false } : s).ToList();
        var at = steps.FindIndex(s => s.Id == "vfl-on");
        steps[at] = steps[at] with { Check = new("?", [new("a", "A", Tone.Good, Goto: "bend-in"), new("b", "B", Tone.Good, Goto: "bend-in")]) };
        Assert.Equal(["step-unreached steps[insert]"], Faults(Doc with { Steps = steps }));
    }

    [Fact]
    public void Unknown_words_in_a_document_are_refused_with_their_place()
    {
        var e = Assert.Throws<RefusedException>(() => ProcedureTexts.Read(Repo.Text("procedures/cold-cure-3mm/3.yaml").Replace("caution: blades", "cauton: blades"), Repo.Text("procedures/cold-cure-3mm/3.en.yaml")));
        Assert.Contains("steps[1]", e.Refusals[0].Field);
    }

    [Fact]
    public void Glow_dims_goes_on_and_glow_bright_climbs_the_ladder_to_a_new_attempt()
    {
        var dims = new EndStory(Repo.Wedge).Start().Answer("glow", "dims");
        Assert.Equal("aramid-boot", dims.State.Current!.Position.StateId);

        var bright = new EndStory(Repo.Wedge).Start().Answer("glow", "bright");
        Assert.Equal(("jacket", 29.5), (bright.State.Current!.Position.StateId, bright.State.SlackUsedMm));
        bright.Answer("glow", "bright");
        Assert.Equal(RunOutcome.GivenUp, bright.State.Current!.Position.Outcome);
        Assert.Equal((59, 2), (bright.State.SlackUsedMm, bright.State.Current.Loops.Count));
        Assert.Equal(["connector"], bright.State.Current.PartsLost);
    }

    /// <summary>Every walk of random answers ends, passes every mandatory step, and costs what the ladders say.</summary>
    [Fact]
    public void Random_walks_end_pass_every_mandatory_step_and_add_up() =>
        FsCheck.Check.QuickThrowOnFailure(Prop.ForAll(Gen.Choose(0, int.MaxValue - 1).ToArbitrary(), Repo.AnyTable, (seed, table) =>
        {
            var walk = RandomWalk(table, seed, out var end, out var rungs);
            var done = walk.Select(w => w.Step).ToHashSet();
            var spread = table.Ladders.Sum(l => l.Uses.Count);
            return walk.Count <= table.States.Count * (spread + 1)
                && (end.Outcome == RunOutcome.GivenUp || table.States.Where(s => s.Mandatory).All(s => done.Contains(s.Id)))
                && rungs.Count == end.LadderUses.Values.Sum();
        }));

    internal static List<(string Step, string Input)> RandomWalk(RunTable table, int seed, out RunPosition end, out List<RunRung> rungs)
    {
        var random = new Random(seed);
        var walk = new List<(string, string)>();
        rungs = [];
        end = RunPosition.At(table);
        while (end.StateId is { } id)
        {
            var keys = table.State(id)!.On.Keys.ToArray();
            // Mostly good answers, or few walks would reach the end.
            var input = random.Next(4) > 0 ? keys[0] : keys[random.Next(keys.Length)];
            var move = RunWalk.Advance(table, end, id, input);
            walk.Add((id, input));
            end = move.Position;
            if (move.Rung is { } rung)
            {
                rungs.Add(rung);
            }
        }

        return walk;
    }
}
