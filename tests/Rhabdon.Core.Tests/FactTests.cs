using Rhabdon.Core.Ledger;
using Rhabdon.Core.Rework;
using Rhabdon.Core.Yield;
using Xunit;

namespace Rhabdon.Core.Tests;

public class FactTests
{
    private static readonly Dictionary<EventId, double> Untimed = [];

    private static Facts Of(EndStory story) => Facts.Of(story.State, story.Log, Untimed, story.Plan.Method);

    [Fact]
    public void A_connector_that_passes_at_once_is_one_attempt_with_all_its_acts_and_readings()
    {
        var story = new EndStory(Repo.Wedge).Start().WalkTo().Look().Measure(850, 0.9).Measure(1300, 0.7);
        story.Tell(EventKind.Accepted, new Accepted(story.RunId));
        var facts = Of(story);
        var attempt = Assert.Single(facts.Attempts);
        Assert.Equal((AttemptOutcome.Accepted, true, 0, null), (attempt.Outcome, attempt.FirstPass, attempt.Loops, attempt.Reason));
        Assert.Equal(story.Log.Count(x => x.Judged is Moved), facts.Acts.Count);
        Assert.Equal([(850, 0.9), (1300, 0.7)], facts.Readings.Select(r => (r.WavelengthNm!.Value, Math.Round(r.LossDb, 6))));
        Assert.All(facts.Readings, r => Assert.True(r.LossDb < r.LimitDb));
        Assert.Equal(LookVerdict.Pass, Assert.Single(facts.Looks).Verdict);
    }

    [Fact]
    public void Going_back_giving_up_and_the_confirmed_cause_are_counted_and_what_was_taken_back_is_not()
    {
        var story = new EndStory(Repo.Wedge).Start().Answer("glow", "bright");
        var answered = Of(story).Acts.Count;
        story.Tell(EventKind.Corrected, new Corrected(story.Events[^1].Id));
        Assert.Equal((answered - 1, 0), (Of(story).Acts.Count, Of(story).Attempts[0].Loops));

        story.Answer("glow", "bright").Answer("glow", "bright");
        story.Start(2).WalkTo().Look(new Inspection.Finding(Inspection.Zone.A, Inspection.FindingKind.Crack, 8));
        story.Tell(EventKind.AttemptClosed, new AttemptClosed(story.RunId, ReworkReason.CoreChippedOrCracked, true));
        story.Tell(EventKind.CauseConfirmed, new CauseConfirmed(story.RunId, ReworkReason.CleaveAngleOrChip));
        var facts = Of(story);
        Assert.Equal([(1, AttemptOutcome.GivenUp, false), (2, AttemptOutcome.GivenUp, true)], facts.Attempts.Select(a => (a.Attempt, a.Outcome, a.CauseConfirmed)));
        Assert.Equal((2, ReworkReason.CleaveAngleOrChip), (facts.Attempts[0].Loops, facts.Attempts[1].Reason));
        Assert.Equal(story.State.SlackUsedMm, facts.Attempts.Sum(a => a.SlackMm));
        Assert.Equal([LookVerdict.Fail], facts.Looks.Select(l => l.Verdict));
        Assert.Equal(2, facts.Acts.Count(a => a.WentBack));
    }

    /// <summary>A rework takes what was read out of the state, so that only the log says how a confirmed cause looked; what it looked like afterwards says nothing of it.</summary>
    [Fact]
    public void Of_a_confirmed_cause_it_is_counted_how_it_looked_before_anything_was_tried_and_what_cured_it()
    {
        var story = new EndStory(Repo.Wedge).Start().WalkTo().Look(new Inspection.Finding(Inspection.Zone.A, Inspection.FindingKind.Particle, 14)).Measure(850, 2.2).Measure(1300, 2.1);
        story.Tell(EventKind.Reworked, new Reworked(story.RunId, ReworkReason.Contamination));
        story.Look().Measure(850, 0.9).Measure(1300, 0.7);
        story.Tell(EventKind.Accepted, new Accepted(story.RunId));
        Assert.Empty(Of(story).Attempts[0].Seen);
        story.Tell(EventKind.CauseConfirmed, new CauseConfirmed(story.RunId, ReworkReason.Contamination));
        var found = Of(story).Attempts[0];
        Assert.Equal(["face=dirt", "loss=over", "slope=alike"], found.Seen.Select(o => $"{o.Sign}={o.Value}").Order());
        Assert.Equal([("clean", true)], found.Tried.Select(t => (t.Act, t.Cured)));
    }

    [Fact]
    public void What_one_tap_said_of_several_ends_is_told_apart()
    {
        var (alone, together) = (new EndStory(Repo.Wedge).Start(), new EndStory(Repo.Wedge).Start());
        var first = alone.State.Current!.Position.StateId!;
        alone.Tell(EventKind.CheckAnswered, new CheckAnswered(alone.RunId, first, "same"));
        together.Tell(EventKind.CheckAnswered, new CheckAnswered(together.RunId, first, "same", Together: 12));
        Assert.Equal(((1, 0, 1), (1, 1, 12)), (Counts(alone), Counts(together)));

        static (int Acts, int Together, int Ends) Counts(EndStory of) => (Of(of).Attempts[0].Acts, Of(of).Attempts[0].ActsTogether, Of(of).Acts[0].Together);
    }

    [Fact]
    public void In_a_batch_an_act_takes_as_long_as_since_the_strand_before()
    {
        var (batch, hands, others) = (BatchId.New(), DeviceId.New(), DeviceId.New());
        var at = NodaConstants.UnixEpoch;
        var seq = 0;
        Done Said(double seconds, bool act = true, DeviceId? device = null) => new(EventId.New(), batch, device ?? hands, ++seq, at.Plus(Duration.FromSeconds(seconds)), act);
        var begun = Said(0, act: false);
        var (one, two) = (Said(40), Said(70));
        var elsewhere = Said(75, device: others); // other hands do not shorten these
        Done[] together = [Said(130), Said(130), Said(130)];
        var afterLunch = Said(130 + Pace.LongestS + 1);
        var last = Said(130 + Pace.LongestS + 11);
        var seconds = Pace.AttendedS([last, one, begun, .. together, elsewhere, two, afterLunch]);
        Assert.Equal((40.0, 30.0, 10.0), (seconds[one.EventId], seconds[two.EventId], seconds[last.EventId]));
        Assert.All(together, t => Assert.Equal(20, seconds[t.EventId]));
        Assert.False(seconds.ContainsKey(begun.EventId) || seconds.ContainsKey(elsewhere.EventId) || seconds.ContainsKey(afterLunch.EventId));
    }
}
