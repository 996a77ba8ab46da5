using System.Text.Json;
using Rhabdon.Core.Inspection;
using Rhabdon.Core.Ledger;
using Rhabdon.Core.Rework;
using Xunit;

namespace Rhabdon.Core.Tests;

public class LedgerTests
{
    private static string Json(EndState s) => JsonSerializer.Serialize(s, Wire.Json);

    private static EndStory Made() => new EndStory(Repo.Wedge).Start().WalkTo();

    private static string Refused(Action act) => Assert.Throws<RefusedException>(act).Refusals[0].Code;

    [Fact]
    public void From_planned_to_accepted()
    {
        var story = new EndStory(Repo.Wedge);
        var seen = new List<EndStatus> { story.State.Status };
        story.Start();
        seen.Add(story.State.Status);
        story.WalkTo();
        seen.Add(story.State.Status);
        story.Look(new Finding(Zone.B, FindingKind.Pit, 1));
        seen.Add(story.State.Status);
        story.Measure(850, 0.9);
        seen.Add(story.State.Status);
        story.Measure(1300, 0.7);
        seen.Add(story.State.Status);
        story.Tell(EventKind.Accepted, new Accepted(story.RunId));
        seen.Add(story.State.Status);
        Assert.Equal([EndStatus.Planned, EndStatus.AtBench, EndStatus.ToLook, EndStatus.ToMeasure, EndStatus.ToMeasure, EndStatus.ToAccept, EndStatus.Accepted], seen);
        Assert.Equal((EndVerdict.Pass, 1), (story.State.Verdict, story.State.Current!.Shards));
    }

    [Fact]
    public void Nothing_unproven_is_accepted()
    {
        var story = Made();
        Assert.Equal("not-proven", Refused(() => story.Tell(EventKind.Accepted, new Accepted(story.RunId))));
        story.Look().Measure(850, -0.2).Measure(1300, 0.5);
        Assert.Equal(EndStatus.ToMeasure, story.State.Status); // a bad reference proves nothing
        story.Measure(850, 3.0);
        Assert.Equal((EndStatus.NeedsDecision, EndVerdict.Fail), (story.State.Status, story.State.Verdict));
        Assert.Equal("not-proven", Refused(() => story.Tell(EventKind.Accepted, new Accepted(story.RunId))));
        story.Measure(850, 2.4);
        Assert.Equal((EndStatus.ToAccept, EndVerdict.Marginal), (story.State.Status, story.State.Verdict));
    }

    [Fact]
    public void A_given_up_connector_makes_way_for_attempt_two_and_its_slack_stays_used()
    {
        var story = new EndStory(Repo.Wedge).Start().Answer("glow", "bright").Answer("glow", "bright");
        Assert.Equal(EndStatus.ToRemake, story.State.Status);
        Assert.Equal("attempt-number", Refused(() => story.Start(1)));
        story.Start(2).WalkTo().Look(new Finding(Zone.A, FindingKind.Crack, 8));
        Assert.Equal(EndStatus.NeedsDecision, story.State.Status);
        story.Tell(EventKind.AttemptClosed, new AttemptClosed(story.RunId, ReworkReason.CoreChippedOrCracked, true));
        Assert.Equal(59 + 80, story.State.SlackUsedMm);
        Assert.Equal((EndStatus.ToRemake, 3), (story.State.Status, story.Make(EventKind.Noted, new Noted("x"), 3).Attempt));
    }

    [Fact]
    public void Cleaning_takes_back_the_verdicts_until_it_is_looked_at_again()
    {
        var story = Made().Look(new Finding(Zone.A, FindingKind.Particle, 20)).Measure(850, 3);
        story.Tell(EventKind.Reworked, new Reworked(story.RunId, ReworkReason.Contamination));
        Assert.Equal(EndStatus.ToLook, story.State.Status);
        Assert.Empty(story.State.Current!.Losses);
        Assert.Equal("Clean and look again", story.State.Current.Loops.Single().Act);
    }

    [Fact]
    public void Undo_of_the_last_answer_restores_the_state_exactly()
    {
        var story = new EndStory(Repo.Wedge).Start().WalkTo("glow");
        var before = Json(story.State with { LastAt = null });
        var answer = story.Tell(EventKind.CheckAnswered, new CheckAnswered(story.RunId, "glow", "bright"));
        Assert.NotEqual(before, Json(story.State with { LastAt = null }));
        story.Tell(EventKind.Corrected, new Corrected(answer.Id));
        Assert.Equal(before, Json(story.State with { LastAt = null }));
        Assert.Equal("already-corrected", Refused(() => story.Tell(EventKind.Corrected, new Corrected(answer.Id))));
    }

    [Fact]
    public void An_entry_that_later_ones_rest_on_is_not_struck()
    {
        var story = new EndStory(Repo.Wedge).Start().WalkTo("glow");
        Assert.Equal("later-events-rest-on-it", Refused(() => story.Tell(EventKind.Corrected, new Corrected(story.Events[2].Id))));
        Assert.Equal("event-unknown", Refused(() => story.Tell(EventKind.Corrected, new Corrected(Guid.NewGuid()))));
    }

    [Fact]
    public void Replay_gives_the_state_that_folding_one_by_one_gave()
    {
        var story = new EndStory(Repo.ColdCure).Start().Answer("glance", "fine-scratches").WalkTo().Look().Measure(850, 0.4);
        story.Tell(EventKind.Corrected, new Corrected(story.Events[^1].Id));
        story.Measure(850, 0.5);
        Assert.Equal(Json(story.State), Json(EndFold.Replay(EndStory.End, story.Events, Repo.Rules)));
    }

    [Fact]
    public void Two_devices_on_one_end_keep_both_runs_and_ask()
    {
        var story = new EndStory(Repo.Wedge).Start();
        Assert.Equal("attempt-open", Refused(() => story.Start(1)));
        var first = story.RunId;
        story.Device = Guid.NewGuid();
        story.Start(1);
        Assert.Equal((true, EndStatus.NeedsDecision, 2), (story.State.Conflict, story.State.Status, story.State.Attempts.Count));
        story.Tell(EventKind.AttemptClosed, new AttemptClosed(first, ReworkReason.Other, false), 1);
        Assert.Equal((false, EndStatus.AtBench), (story.State.Conflict, story.State.Status));
    }

    [Fact]
    public void A_short_hold_and_a_wrong_count_are_recorded_not_refused()
    {
        var story = new EndStory(Repo.ColdCure).Start().WalkTo("hold");
        story.Tell(EventKind.StepDone, new StepDone(story.RunId, "hold", 12));
        story.WalkTo("film-fine");
        story.Tell(EventKind.StepDone, new StepDone(story.RunId, "film-fine", null, 40));
        Assert.Equal([DeviationKind.TimerShort, DeviationKind.CountHigh], story.State.Current!.Deviations.Select(d => d.Kind));
    }

    [Fact]
    public void Answers_out_of_turn_and_unknown_bodies_are_refused()
    {
        var story = new EndStory(Repo.Wedge).Start();
        Assert.Equal("step-not-current", Refused(() => story.Tell(EventKind.StepDone, new StepDone(story.RunId, "housing"))));
        Assert.Equal("answer-unknown", Refused(() => story.Tell(EventKind.CheckAnswered, new CheckAnswered(story.RunId, "match", "maybe"))));
        Assert.Equal("run-unknown", Refused(() => story.Tell(EventKind.StepDone, new StepDone(Guid.NewGuid(), "match"))));
        Assert.Equal("body-shape", Refused(() => story.Tell(EventKind.StepDone, new { wrong = 1 })));
        Assert.Equal("procedure-unknown", Refused(() => new EndStory(Repo.Wedge).Tell(EventKind.AttemptStarted, new AttemptStarted("moon", 1))));
    }

    [Fact]
    public void The_core_knows_nobody() => // arrows go one way: web → Server → Store → Core
        Assert.DoesNotContain(typeof(Wire).Assembly.GetReferencedAssemblies(), a => a.Name is { } n
            && (n.StartsWith("Rhabdon", StringComparison.Ordinal) || n.StartsWith("Npgsql", StringComparison.Ordinal) || n.StartsWith("Microsoft.AspNetCore", StringComparison.Ordinal) || n == "Dapper"));
}
