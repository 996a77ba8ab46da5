using System.Text.Json;
using Rhabdon.Core.Inspection;
using Rhabdon.Core.Ledger;
using Rhabdon.Core.Rework;
using Xunit;
using static Rhabdon.Core.Connectors.TerminationMethod;

namespace Rhabdon.Core.Tests;

public class LedgerTests
{
    /// <summary>A state without what hearing of an event alone changes.</summary>
    private static string Json(EndState s) => JsonSerializer.Serialize(s with { LastAt = null, Devices = [] }, Wire.Json);

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
        Assert.Equal("not-proven-to-look", Refused(() => story.Tell(EventKind.Accepted, new Accepted(story.RunId))));
        story.Look().Measure(850, -0.2).Measure(1300, 0.5);
        Assert.Equal(EndStatus.ToMeasure, story.State.Status); // a bad reference proves nothing
        story.Measure(850, 3.0);
        Assert.Equal((EndStatus.NeedsDecision, EndVerdict.Fail), (story.State.Status, story.State.Verdict));
        Assert.Equal("not-proven-failed", Refused(() => story.Tell(EventKind.Accepted, new Accepted(story.RunId))));
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
        Assert.Equal("event-unknown", Refused(() => story.Tell(EventKind.Corrected, new Corrected(EventId.New()))));
    }

    [Fact]
    public void A_note_is_taken_back_whatever_came_after_it_and_all_else_stands_then_the_entry_before_it_too()
    {
        var story = new EndStory(Repo.Wedge).Start().WalkTo("glow");
        var before = Json(story.State with { LastAt = null });
        var note = story.Tell(EventKind.Noted, new Noted("the wrong strand"));
        var answer = story.Tell(EventKind.CheckAnswered, new CheckAnswered(story.RunId, "glow", "bright"));
        var more = story.Tell(EventKind.Noted, new Noted("no, the right one"));
        story.Tell(EventKind.Corrected, new Corrected(note.Id));
        Assert.Equal("already-corrected", Refused(() => story.Tell(EventKind.Corrected, new Corrected(note.Id))));
        story.Tell(EventKind.Corrected, new Corrected(more.Id));
        Assert.Equal(new[] { note.Id, more.Id }.Order(), Telling.Struck(story.Log).Order()); // two of one millisecond have no order
        story.Tell(EventKind.Corrected, new Corrected(answer.Id));
        Assert.Equal(before, Json(story.State with { LastAt = null }));
    }

    [Fact]
    public void Replay_gives_the_state_that_folding_one_by_one_gave()
    {
        var story = new EndStory(Repo.ColdCure).Start().Answer("glance", "fine-scratches").WalkTo().Look().Measure(850, 0.4);
        story.Tell(EventKind.Corrected, new Corrected(story.Events[^1].Id));
        story.Measure(850, 0.5);
        Assert.Equal(Json(story.State), Json(Telling.Fold(EndStory.End, story.Log)));
    }

    [Fact]
    public void Two_devices_on_one_end_keep_both_runs_and_ask()
    {
        var story = new EndStory(Repo.Wedge).Start();
        Assert.Equal("attempt-open", Refused(() => story.Start(1)));
        var first = story.RunId;
        story.Device = DeviceId.New();
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
        Assert.Equal("run-unknown", Refused(() => story.Tell(EventKind.StepDone, new StepDone(RunId.New(), "match"))));
        Assert.Equal("body-shape", Refused(() => story.Tell(EventKind.StepDone, new { wrong = 1 })));
        Assert.Equal("procedure-unknown", Refused(() => new EndStory(Repo.Wedge).Tell(EventKind.AttemptStarted, new AttemptStarted("moon", 1))));
    }

    private static readonly EndId Far = EndId.Parse("00000000-0000-7000-8000-000000000009");

    /// <summary>A wedge-locked end whose run began so many minutes after the epoch.</summary>
    private static EndState FarEnd(int beganAtMinute, bool finished = true, int? closedAtMinute = null)
    {
        var story = new EndStory(Repo.Wedge).Start();
        if (finished)
        {
            story.WalkTo();
        }

        if (closedAtMinute is not null)
        {
            story.Tell(EventKind.AttemptClosed, new AttemptClosed(story.RunId, ReworkReason.CoreChippedOrCracked, true));
        }

        var events = story.Events.Select(e => e with { EndId = Far, At = NodaConstants.UnixEpoch.Plus(Duration.FromMinutes(e.Kind == EventKind.AttemptClosed ? closedAtMinute!.Value : beganAtMinute + e.DeviceSeq)) }).ToList();
        return events.Aggregate(EndState.Empty(Far), (state, e) => Telling.Tell(new(story.Plan, state, Repo.Rules, e)).State);
    }

    /// <summary>Before: a reading into nothing that lay under the limit was a pass. Now it waits until the far end is known.</summary>
    [Fact]
    public void A_reading_into_an_unknown_far_end_is_no_pass_until_the_far_end_is_known()
    {
        var story = Made().Look().Measure(850, 0.9, null).Measure(1300, 0.7, null);
        Assert.Equal((EndStatus.ToMeasure, EndVerdict.None, true), (story.State.Status, story.State.Verdict, story.State.Current!.FarEndUnknown));
        Assert.Contains("far-end", Assert.Throws<RefusedException>(() => story.Tell(EventKind.Accepted, new Accepted(story.RunId))).Message);

        // The far end's own entries arrive, before or after: it settles by itself, and comes undone with them.
        static EndState Settled(EndState near, EndState? far) => FarEnds.Settle(near, FarEnds.Turned(near, far));
        EndStatus With(EndState? far) => Settled(Settled(story.State, FarEnd(0)), far).Status;
        Assert.Equal(EndStatus.ToAccept, With(FarEnd(0)));
        Assert.Equal(EndStatus.ToMeasure, With(null));
        Assert.Equal(EndStatus.ToMeasure, With(FarEnd(0, finished: false)));
        Assert.Equal(EndStatus.ToMeasure, With(FarEnd(600))); // made hours after the reading
        Assert.Equal(EndStatus.ToMeasure, With(FarEnd(-2000, closedAtMinute: -1000))); // given up long before it
        Assert.Equal(EndStatus.ToAccept, With(FarEnd(-2000, closedAtMinute: 1000))); // was there when it was read

        // Or somebody says it, and may take it back.
        Assert.Equal("note-missing", Refused(() => story.Tell(EventKind.FarEndSaid, new FarEndSaid(story.RunId, MeasuredInto.Other))));
        var said = story.Tell(EventKind.FarEndSaid, new FarEndSaid(story.RunId, MeasuredInto.ExistingConnector));
        Assert.Equal((EndStatus.ToAccept, EndVerdict.Pass), (story.State.Status, story.State.Verdict));
        story.Tell(EventKind.Corrected, new Corrected(said.Id));
        Assert.Equal(EndStatus.ToMeasure, story.State.Status);
        var unmeasured = Made();
        Assert.Equal("nothing-measured", Refused(() => unmeasured.Tell(EventKind.FarEndSaid, new FarEndSaid(unmeasured.RunId, MeasuredInto.ExistingConnector))));
    }

    /// <summary>What is said of an end before a reading is sent is what the fold makes of the reading.</summary>
    [Fact]
    public void An_end_says_beforehand_whether_a_reading_would_be_taken()
    {
        var story = new EndStory(Repo.Wedge);
        var seen = new List<NotMeasurable?>();
        void Look()
        {
            var e = story.Make(EventKind.Measured, new Measured(story.RunId, Loss.ReferenceMethod.OneCord, 850, -20, -20.9, Into: MeasuredInto.FinishedConnector), story.State.Current?.No ?? 1);
            seen.Add(story.State.NotMeasurable);
            Assert.Equal(story.State.NotMeasurable is null, Record.Exception(() => Telling.Tell(new(story.Plan, story.State, Repo.Rules, e))) is null);
        }

        Look();
        story.Start();
        Look();
        story.WalkTo();
        Look();
        story.Look().Measure(850, 0.9).Measure(1300, 0.7).Tell(EventKind.Accepted, new Accepted(story.RunId));
        Look();
        story.Tell(EventKind.AttemptClosed, new AttemptClosed(story.RunId, ReworkReason.DamagedAfterAcceptance, true));
        Look();
        Assert.Equal([NotMeasurable.NotBegun, NotMeasurable.AtBench, null, NotMeasurable.Accepted, NotMeasurable.GivenUp], seen);
    }

    [Fact]
    public void What_was_accepted_before_far_ends_counted_stays_accepted_and_a_fail_stays_a_fail()
    {
        var story = Made().Look().Measure(850, 0.9, null).Measure(1300, 0.7, null);
        var accepted = story.Make(EventKind.Accepted, new Accepted(story.RunId), 1);
        Assert.Equal(EndStatus.Accepted, Telling.Tell(new(story.Plan, story.State, Repo.Rules, accepted, Before: new Kept())).State.Status);
        story.Measure(850, 9, null);
        Assert.Equal(EndStatus.NeedsDecision, story.State.Status);
    }

    [Fact]
    public void A_body_with_twin_names_is_refused_and_one_of_before_is_read_whatever_its_case()
    {
        var story = new EndStory(Repo.Wedge).Start();
        LedgerEvent Odd(string json) => story.Make(EventKind.CheckAnswered, new { }, 1) with { Body = JsonDocument.Parse(json).RootElement };
        var wrongCase = Odd($$"""{"runId":"{{story.RunId}}","stepId":"match","AnswerId":"same"}""");
        Assert.Equal("body-shape", Refused(() => Telling.Tell(new(story.Plan, story.State, Repo.Rules, wrongCase))));
        Assert.Equal("same", EventBodies.Read<CheckAnswered>(wrongCase with { Taken = true }).AnswerId);
        var twins = Odd($$"""{"runId":"{{story.RunId}}","stepId":"match","AnswerId":"other","answerId":"same"}""");
        Assert.Equal("body-shape", Refused(() => EventBodies.Read<CheckAnswered>(twins with { Taken = true })));
    }

    /// <summary>Before, within the meter's repeatability was one verdict on either side, and anybody accepted it.</summary>
    [Fact]
    public void Over_the_limit_within_what_the_meter_can_tell_is_the_leads_with_the_reason()
    {
        // 300 m OM3 and two connections: 2.40 dB, ANSI/TIA-568.3-D, from memory.
        var story = Made().Look().Measure(850, 2.44).Measure(1300, 0.7);
        Assert.Equal((EndStatus.NeedsDecision, EndVerdict.MarginalOver), (story.State.Status, story.State.Verdict));
        var accept = story.Make(EventKind.Accepted, new Accepted(story.RunId, "Cord worn; read 2.38 on another"), 1);
        Assert.Equal("lead-accepts", Rights.Against(Role.Installer, story.State, accept)?.Code);
        Assert.Null(Rights.Against(Role.Lead, story.State, accept));
        Assert.Equal("reason-missing", Refused(() => story.Tell(EventKind.Accepted, new Accepted(story.RunId, " "))));
        // What the screen offers is the same rule; before, it had one of its own.
        Assert.Equal([Acceptance.LeadOnly, Acceptance.WithReason, Acceptance.WithReason, Acceptance.No], new[] { Role.Installer, Role.Lead, Role.Office, Role.Viewer }.Select(r => Acceptances.Of(story.State, r, null)));
        Assert.Equal(Acceptance.No, Acceptances.Of(Made().Look().State, Role.Lead, null));
        story.Take(accept);
        Assert.Equal(Acceptance.No, Acceptances.Of(story.State, Role.Lead, null));
        Assert.Equal((EndStatus.Accepted, EndVerdict.MarginalOver), (story.State.Status, story.State.Verdict));
        var under = Made().Look().Measure(850, 2.38).Measure(1300, 0.7);
        Assert.Equal((EndStatus.ToAccept, EndVerdict.Marginal), (under.State.Status, under.State.Verdict));
        Assert.Equal(Acceptance.May, Acceptances.Of(under.State, Role.Installer, null));
    }

    /// <summary>Before, a client could name its own limits, length and class, and a reading passed by them.</summary>
    [Fact]
    public void The_plan_is_the_source_of_what_a_reading_is_held_to_and_the_difference_is_named()
    {
        var story = Made().Look();
        story.Tell(EventKind.Measured, new Measured(story.RunId, Loss.ReferenceMethod.OneCord, 850, -20, -23.5, Into: MeasuredInto.FinishedConnector, LimitSetId: Repo.IsoReference.Id, FiberClass: Fiber.FiberClass.OM4, LengthM: 4000, Connections: 12, Splices: 3, RepeatabilityDb: 0.05));
        var loss = Assert.Single(story.State.Current!.Losses);
        Assert.Equal((Loss.LossVerdict.Fail, 2.4), (loss.Judgement.Verdict, Math.Round(loss.Judgement.Limit.LimitDb, 6)));
        Assert.Equal(["fiberClass", "lengthM", "connections", "splices", "limitSetId"], loss.Differences.Select(d => d.Field));
        Assert.Equal(("4000", "300"), (loss.Differences[1].Said, loss.Differences[1].Planned));

        // What leaves it all to the plan says nothing otherwise, and the meter's repeatability stands with the reading.
        story.Measure(1300, 0.7);
        Assert.Equal((0, 0.05), (story.State.Current!.Losses[1].Differences.Count, story.State.Current.Losses[1].Reading.RepeatabilityDb));

        // A pigtail adds a splice on its side; a splice-on connector's lies within its pair.
        Assert.Equal((1, 2, 1, 0), (Splices(PigtailSplice, null), Splices(PigtailSplice, PigtailSplice), Splices(SpliceOn, PigtailSplice), Splices(SpliceOn, SpliceOn)));
        static int Splices(Connectors.TerminationMethod near, Connectors.TerminationMethod? far) => Planning.Links.Splices(0, near, far);
    }

    [Fact]
    public void Acts_that_one_tap_said_of_many_are_told_apart()
    {
        var story = new EndStory(Repo.Wedge).Start();
        var step = story.State.Current!.Position.StateId!;
        story.Tell(EventKind.CheckAnswered, new CheckAnswered(story.RunId, step, Repo.Wedge.State(step)!.Answers[0].Id, Together: 12));
        story.WalkTo();
        Assert.Equal((step, 12), Assert.Single(story.State.Current!.SaidTogether) is var s ? (s.StepId, s.Ends) : default);
        Assert.Equal("out-of-range", Refused(() => new EndStory(Repo.Wedge).Tell(EventKind.StepDone, new StepDone(RunId.New(), "x", Together: 25))));
    }

    [Fact]
    public void Who_may_not_settle_or_close_for_another_is_told_so()
    {
        var story = Made().Look(new Finding(Zone.A, FindingKind.Crack, 9));
        LedgerEvent Close(PersonId by) => story.Make(EventKind.AttemptClosed, new AttemptClosed(story.RunId, ReworkReason.Other, true), 1) with { ActorId = by };
        Assert.Null(Rights.Against(Role.Installer, story.State, Close(default))); // their own
        Assert.Equal("lead-closes", Rights.Against(Role.Installer, story.State, Close(PersonId.New()))?.Code);
        Assert.Null(Rights.Against(Role.Lead, story.State, Close(PersonId.New())));
        Assert.Equal("not-allowed", Rights.Against(Role.Viewer, story.State, Close(default))?.Code);
        story.Device = DeviceId.New();
        story.Start(1);
        var undo = story.Make(EventKind.Corrected, new Corrected(story.Events[^1].Id), 1);
        Assert.Equal(("lead-settles", null), (Rights.Against(Role.Installer, story.State, undo)?.Code, Rights.Against(Role.Lead, story.State, undo)?.Code));
    }

    [Fact]
    public void The_core_knows_nobody() => // arrows go one way: web → Server → Store → Core
        Assert.DoesNotContain(typeof(Wire).Assembly.GetReferencedAssemblies(), a => a.Name is { } n
            && (n.StartsWith("Rhabdon", StringComparison.Ordinal) || n.StartsWith("Npgsql", StringComparison.Ordinal) || n.StartsWith("Microsoft.AspNetCore", StringComparison.Ordinal) || n == "Dapper"));
}
