using Rhabdon.Core.Diagnosis;
using Rhabdon.Core.Inspection;
using Rhabdon.Core.Ledger;
using Rhabdon.Core.Procedures;
using Rhabdon.Core.Rework;
using Xunit;

namespace Rhabdon.Core.Tests;

public class ReworkChoiceTests
{
    /// <summary>Before, the browser said "one minute" and "two minutes" whatever the step, and the record believed it.</summary>
    [Fact]
    public void What_a_bad_face_can_be_given_comes_cheapest_first_with_the_procedures_own_minutes_and_slack()
    {
        var table = Repo.ColdCure;
        var story = new EndStory(table).Start().WalkTo().Look(new Finding(Zone.A, FindingKind.Scratch, 4, 3));
        var choices = ReworkChoices.Of(story.State, table, 300, Role.Lead, PersonId.New());
        Assert.Equal((ReworkKind.Clean, ReworkKind.CutOff), (choices[0].Kind, choices[^1].Kind));
        var backs = choices.Where(c => c.Kind == ReworkKind.Back).ToList();
        Assert.Equal(table.States.Where(s => s.Phase == Phase.Finish).Select(s => s.Id).Order(), backs.Select(c => c.StepId!).Order());
        Assert.Equal(backs.OrderBy(c => c.Minutes), backs);
        var rung = table.Ladders.SelectMany(l => l.Uses).First(u => backs.Any(b => b.StepId == u.To));
        Assert.Equal(rung.Minutes, backs.Single(b => b.StepId == rung.To).Minutes);
        Assert.Equal((table.Prep.CutOffUsesMm, 300 - table.Prep.CutOffUsesMm), (choices[^1].SlackMm, choices[^1].LeftMm));
        Assert.True(choices[^1].Minutes > backs.Max(c => c.Minutes)); // a whole connector: at least what any part of it takes

        // What the ledger then says it cost is Core's, not the browser's.
        var film = backs[0];
        story.Tell(EventKind.Reworked, new Reworked(story.RunId, ReworkReason.Scratched, film.StepId));
        Assert.Equal((film.Minutes, film.Act), (story.State.Current!.Loops[^1].Minutes, story.State.Current.Loops[^1].Act));
        Assert.Empty(ReworkChoices.Of(story.State, table, 300, Role.Lead, PersonId.New())); // at the bench again
    }

    [Fact]
    public void Somebody_elses_connector_is_given_up_by_a_lead()
    {
        var story = new EndStory(Repo.Wedge).Start().WalkTo();
        bool MayCut(Role role, PersonId person) => ReworkChoices.Of(story.State, Repo.Wedge, 300, role, person)[^1].Allowed;
        var own = story.State.Current!.StartedBy;
        Assert.Equal([true, false, true, false], [MayCut(Role.Installer, own), MayCut(Role.Installer, PersonId.New()), MayCut(Role.Lead, PersonId.New()), MayCut(Role.Viewer, own)]);
    }

    [Fact]
    public void An_end_that_waits_says_for_what_since_when_and_by_whom()
    {
        var story = new EndStory(Repo.Wedge).Start().WalkTo();
        Assert.Null(Waiting.Of(story.State));
        story.Look().Measure(850, 2.90).Measure(1300, 0.4);
        var reading = story.State.Current!.Losses[0];
        Assert.Equal(new Waiting(WaitingFor.Loss, reading.At, reading.By, 850, 2.90, reading.Judgement.Limit.LimitDb), Waiting.Of(story.State)! with { ValueDb = Math.Round(Waiting.Of(story.State)!.ValueDb!.Value, 9) });

        var dirty = new EndStory(Repo.Wedge).Start().WalkTo();
        dirty.Tell(EventKind.Inspected, new Inspected(dirty.RunId, [new(Zone.A, FindingKind.Pit, 4), new(Zone.B, FindingKind.Pit, 30)]));
        Assert.Equal((WaitingFor.Face, 30d), (Waiting.Of(dirty.State)!.For, Waiting.Of(dirty.State)!.Finding!.SizeUm));

        var twice = new EndStory(Repo.Wedge).Start().WalkTo("clean");
        twice.Device = DeviceId.Parse("00000000-0000-7000-8000-0000000000d2");
        twice.Tell(EventKind.StepDone, new StepDone(twice.RunId, "clamp"));
        Assert.Equal(WaitingFor.Conflict, Waiting.Of(twice.State)!.For);
    }

    /// <summary>Dirt before anything else, films before a blade, a bend before a blade: common practice.</summary>
    [Fact]
    public void The_cheapest_thing_that_may_cure_is_advised_with_its_reason()
    {
        (ReworkKind?, string?, Because) Of(EndStory story, RunTable table) =>
            Advices.Of(story.State, Waiting.Of(story.State), table, ReworkChoices.Of(story.State, table, 900, Role.Lead, default)) is { } a ? (a.Kind, a.StepId, a.Because) : (null, null, default);
        EndStory Made(RunTable table) => new EndStory(table).Start().WalkTo();

        var lossy = Made(Repo.Wedge).Look().Measure(850, 2.9);
        Assert.Equal((ReworkKind.Clean, null, Because.DirtFirst), Of(lossy, Repo.Wedge));
        lossy.Tell(EventKind.Reworked, new Reworked(lossy.RunId, ReworkReason.Contamination));
        lossy.Look().Measure(850, 2.9);
        Assert.Equal(Because.CleanedInVain, Of(lossy, Repo.Wedge).Item3);

        // 1300 nm well above 850 nm: a bend in the tray, not the connector.
        Assert.Equal((null, null, Because.BendFirst), Of(Made(Repo.Wedge).Look().Measure(850, 0.6).Measure(1300, 3.2), Repo.Wedge));

        var three = Repo.Rules.Table("cold-cure-3mm", 4, new Dictionary<string, string> { ["films"] = "three-counted" });
        (ReworkKind?, string?, Because) Seen(params Finding[] findings)
        {
            var story = Made(three);
            story.Tell(EventKind.Inspected, new Inspected(story.RunId, findings));
            return Of(story, three);
        }

        Assert.Equal((ReworkKind.Clean, null, Because.DirtFirst), Seen(new Finding(Zone.B, FindingKind.Particle, 30)));
        Assert.Equal((ReworkKind.CutOff, null, Because.CoreDamaged), Seen(new Finding(Zone.A, FindingKind.Crack, 20)));
        Assert.Equal(Because.PolishesOff, Seen(new Finding(Zone.A, FindingKind.Scratch, 8)).Item3);
        Assert.Contains(Seen(new Finding(Zone.A, FindingKind.Scratch, 8)).Item2, new[] { "film-medium", "film-fine" });
    }

    /// <summary>Where it is known what may ail a connector, what is advised is what that costs least: one answer, not two.</summary>
    [Theory]
    [InlineData("clean", ReworkKind.Clean)]
    [InlineData("open-tray", null)]
    [InlineData("look:light", null)]
    [InlineData("new-reference", null)]
    [InlineData("replace", ReworkKind.CutOff)]
    public void What_is_advised_follows_from_what_may_ail_it(string act, ReworkKind? kind)
    {
        var story = new EndStory(Repo.Wedge).Start().WalkTo().Look().Measure(850, 2.9);
        var next = new NextAct(act, 9, 0.4, NextWhy.CuresMostForItsCost, ReworkReason.BadReference);
        var advice = Advices.Of(story.State, Waiting.Of(story.State), Repo.Wedge, ReworkChoices.Of(story.State, Repo.Wedge, 900, Role.Lead, default), new([new(ReworkReason.BadReference, 0.5, 0.1, [])], next, []))!;
        Assert.Equal((kind, Because.CostsLeast, (ReworkReason?)ReworkReason.BadReference, next), (advice.Kind, advice.Because, advice.Reason, advice.Next!));
    }
}
