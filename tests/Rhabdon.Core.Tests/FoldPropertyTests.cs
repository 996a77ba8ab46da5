using System.Text.Json;
using FsCheck.Fluent;
using Rhabdon.Core.Bench;
using Rhabdon.Core.Inspection;
using Rhabdon.Core.Ledger;
using Rhabdon.Core.Procedures;
using Rhabdon.Core.Rework;
using Xunit;

namespace Rhabdon.Core.Tests;

/// <summary>What must hold for any run, whatever is answered.</summary>
public class FoldPropertyTests
{
    private static string Json(EndState s) => JsonSerializer.Serialize(s with { LastAt = null, Devices = [] }, Wire.Json);

    private static void ForAnySeed(Func<int, RunTable, bool> holds) => FsCheck.Check.QuickThrowOnFailure(Prop.ForAll(
        Gen.Choose(0, 1_000_000).ToArbitrary(), Repo.AnyTable, (seed, table) => holds(seed, table)));

    /// <summary>Tells a random run; the story's state is what folding it one by one gives.</summary>
    private static EndStory Told(int seed, RunTable table, DeviceId? device = null)
    {
        var story = new EndStory(table);
        story.Device = device ?? story.Device;
        story.Start();
        foreach (var (step, input) in ProcedureTests.RandomWalk(table, seed, out _, out _))
        {
            if (input == RunTable.Done)
            {
                story.Tell(EventKind.StepDone, new StepDone(story.RunId, step));
            }
            else
            {
                story.Tell(EventKind.CheckAnswered, new CheckAnswered(story.RunId, step, input));
            }
        }

        return story;
    }

    [Fact]
    public void Slack_minutes_and_parts_are_the_sum_of_the_rungs_taken() => ForAnySeed((seed, table) =>
    {
        var state = Told(seed, table).State;
        ProcedureTests.RandomWalk(table, seed, out _, out var rungs);
        var attempt = state.Current!;
        return Math.Abs(state.SlackUsedMm - rungs.Sum(r => r.SlackMm)) < 1e-9
            && Math.Abs(attempt.ReworkMinutes - rungs.Sum(r => r.Minutes)) < 1e-9
            && attempt.PartsLost.SequenceEqual(rungs.SelectMany(r => r.Parts))
            && attempt.Loops.Count == rungs.Count;
    });

    [Fact]
    public void Undo_of_the_last_entry_restores_the_state_exactly() => ForAnySeed((seed, table) =>
    {
        var story = Told(seed, table);
        var before = Json(Telling.Fold(EndStory.End, [.. story.Log.SkipLast(1)]));
        story.Tell(EventKind.Corrected, new Corrected(story.Events[^1].Id), 1);
        return Json(story.State) == before;
    });

    [Fact]
    public void Undoing_everything_from_the_end_comes_back_to_the_plan() => ForAnySeed((seed, table) =>
    {
        var story = Told(seed, table);
        foreach (var e in story.Events.Reverse().ToList())
        {
            story.Tell(EventKind.Corrected, new Corrected(e.Id), 1);
        }

        return story.State.Status == EndStatus.Planned && story.State.SlackUsedMm == 0;
    });

    [Fact]
    public void Replay_equals_folding_one_by_one() => ForAnySeed((seed, table) =>
    {
        var story = Told(seed, table);
        return Json(story.State) == Json(Telling.Fold(EndStory.End, story.Log));
    });

    [Fact]
    public void A_refused_event_changes_nothing()
    {
        var story = new EndStory(Repo.Wedge).Start().WalkTo("glow");
        var before = Json(story.State);
        foreach (var (kind, body) in new (EventKind, object)[]
        {
            (EventKind.StepDone, new StepDone(story.RunId, "insert")),
            (EventKind.Inspected, new Inspected(story.RunId, [])),
            (EventKind.Accepted, new Accepted(story.RunId)),
            (EventKind.Reworked, new Reworked(story.RunId, ReworkReason.Scratched)),
            (EventKind.AttemptStarted, new AttemptStarted("wedge-locked-upc-3mm", 4)),
        })
        {
            Assert.Throws<RefusedException>(() => story.Tell(kind, body));
            Assert.Equal(before, Json(story.State));
        }
    }

    [Fact]
    public void Going_back_to_a_film_runs_on_from_there_and_asks_for_a_new_look()
    {
        var story = new EndStory(Repo.ColdCure).Start().WalkTo().Look(new Finding(Zone.A, FindingKind.Scratch, 6));
        story.Tell(EventKind.Reworked, new Reworked(story.RunId, ReworkReason.Scratched, "film-medium", 2));
        Assert.Equal(("film-medium", EndStatus.AtBench), (story.State.Current!.Position.StateId, story.State.Status));
        story.WalkTo();
        Assert.Equal(EndStatus.ToLook, story.State.Status);
        story.Look().Measure(850, 0.5).Measure(1300, 0.4).Tell(EventKind.Accepted, new Accepted(story.RunId));
        Assert.Equal((EndStatus.Accepted, 2.0), (story.State.Status, story.State.Current!.ReworkMinutes));
        Assert.Throws<RefusedException>(() => story.Look()); // accepted is accepted
        story.Tell(EventKind.AttemptClosed, new AttemptClosed(story.RunId, ReworkReason.DamagedAfterAcceptance, true));
        Assert.Equal((EndStatus.ToRemake, 50.0), (story.State.Status, story.State.SlackUsedMm));
    }

    [Fact]
    public void Every_ladder_of_the_shipped_procedures_ends_in_a_new_attempt()
    {
        foreach (var table in Repo.Rules.Tables.Where(t => !t.ProcedureId.StartsWith("made-up", StringComparison.Ordinal)))
        {
            foreach (var ladder in table.Ladders)
            {
                Assert.All(ladder.Uses.SkipLast(1), u => Assert.NotNull(u.To));
                Assert.Null(ladder.Uses[^1].To);
            }

            Assert.Contains(table.States, s => s.Phase == Phase.Thread && s.Batch);
            Assert.All(table.States.SelectMany(s => s.Answers.Where(a => a.Tone == Tone.Bad).Select(a => s.On[a.Id])), t => Assert.NotNull(t.Ladder));
        }
    }

    [Fact]
    public void A_run_that_is_over_takes_no_more()
    {
        var over = new RunPosition(null, new Dictionary<string, int>(), RunOutcome.Finished);
        Assert.Equal("run-over", Assert.Throws<RefusedException>(() => RunWalk.Advance(Repo.Wedge, over, "glow", "dims")).Refusals[0].Code);
    }
}
