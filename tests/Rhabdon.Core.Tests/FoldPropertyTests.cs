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
    private static string Json(EndState s) => JsonSerializer.Serialize(s with { LastAt = null }, Wire.Json);

    private static void ForAnySeed(Func<int, RunTable, bool> holds) => FsCheck.Check.QuickThrowOnFailure(Prop.ForAll(
        Gen.Choose(0, 1_000_000).ToArbitrary(), Repo.AnyTable, (seed, table) => holds(seed, table)));

    /// <summary>Tells a random run; the story's state is what folding it one by one gives.</summary>
    private static EndStory Told(int seed, RunTable table, Guid? device = null)
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
        var events = Told(seed, table).Events;
        var before = EndFold.Replay(EndStory.End, [.. events.Take(events.Count - 1)], Repo.Rules);
        var story = new EndStory(table);
        var undo = story.Make(EventKind.Corrected, new Corrected(events[^1].Id), 1);
        return Json(EndFold.Correct(events, undo, Repo.Rules)) == Json(before);
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
        return Json(story.State) == Json(EndFold.Replay(EndStory.End, story.Events, Repo.Rules));
    });

    /// <summary>Two devices on two ends, mixed in any way that keeps each device's order: each end comes out the same.</summary>
    [Fact]
    public void Ends_do_not_disturb_each_other() => ForAnySeed((seed, table) =>
    {
        var other = Guid.Parse("00000000-0000-7000-8000-000000000002");
        var a = Told(seed, table);
        var b = Told(seed + 1, table).Events.Select(e => e with { EndId = other }).ToList();
        var random = new Random(seed);
        var (stateA, stateB) = (EndState.Empty(EndStory.End), EndState.Empty(other));
        var (i, j) = (0, 0);
        while (i < a.Events.Count || j < b.Count)
        {
            if (j == b.Count || (i < a.Events.Count && random.Next(2) == 0))
            {
                stateA = EndFold.Fold(stateA, a.Events[i++], Repo.Rules);
            }
            else
            {
                stateB = EndFold.Fold(stateB, b[j++], Repo.Rules);
            }
        }

        return Json(stateA) == Json(a.State) && Json(stateB) == Json(EndFold.Replay(other, b, Repo.Rules));
    });

    /// <summary>Two devices with no signal each make an attempt on the same end: in whatever order the ledger hears of it, both are kept and it comes out the same.</summary>
    [Fact]
    public void Two_attempts_on_one_end_come_out_the_same_in_any_order_that_keeps_each_devices_own() => ForAnySeed((seed, table) =>
    {
        var a = Told(seed, table).Events;
        var b = Told(seed + 1, table, Guid.Parse("00000000-0000-7000-8000-0000000000d2")).Events;
        var random = new Random(seed);
        EndState Mixed(Func<bool> first)
        {
            var (state, i, j) = (EndState.Empty(EndStory.End), 0, 0);
            while (i < a.Count || j < b.Count)
            {
                state = EndFold.Fold(state, j == b.Count || (i < a.Count && first()) ? a[i++] : b[j++], Repo.Rules);
            }

            return state;
        }

        var one = Mixed(() => true);
        return one.Attempts.Count == 2 && Json(one) == Json(Mixed(() => false)) && Json(one) == Json(Mixed(() => random.Next(2) == 0));
    });

    [Fact]
    public void A_refused_event_changes_nothing()
    {
        var story = new EndStory(Repo.Wedge).Start().WalkTo("glow");
        var before = Json(story.State);
        foreach (var (kind, body) in new (EventKind, object)[]
        {
            (EventKind.StepDone, new StepDone(story.RunId, "insert")),
            (EventKind.Inspected, new Inspected(story.RunId, EndFaceClass.MmPc, Repo.EndFace.Id, [])),
            (EventKind.Accepted, new Accepted(story.RunId)),
            (EventKind.Reworked, new Reworked(story.RunId, ReworkReason.Scratched)),
            (EventKind.AttemptStarted, new AttemptStarted("wedge-locked-upc-3mm", 1)),
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
