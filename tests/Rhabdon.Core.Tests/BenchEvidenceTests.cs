using Rhabdon.Core.Connectors;
using Rhabdon.Core.Inspection;
using Rhabdon.Core.Ledger;
using Rhabdon.Core.Loss;
using Rhabdon.Core.Rework;
using Xunit;

namespace Rhabdon.Core.Tests;

/// <summary>What the bench shows beside its checks: cleaves from the side, and the red light.</summary>
public class BenchEvidenceTests
{
    private static readonly LightWindow Window = new(0.4, 0.4, 0.6, 0.6);

    private static Glow Photos(double before, double after, double exposure = 1, double burnt = 0) => new(before, after, exposure, burnt);

    /// <remarks>Source: common practice, per connector: no light at all, clearly dimmer, or the tool's lamp.</remarks>
    [Theory]
    [InlineData(LightRule.NoneVisible, LightSeen.NoneVisible, LightVerdict.Good)]
    [InlineData(LightRule.NoneVisible, LightSeen.ClearlyDimmer, LightVerdict.Doubtful)]
    [InlineData(LightRule.NoneVisible, LightSeen.StillBright, LightVerdict.Bad)]
    [InlineData(LightRule.ClearlyDimmer, LightSeen.NoneVisible, LightVerdict.Good)]
    [InlineData(LightRule.ClearlyDimmer, LightSeen.ClearlyDimmer, LightVerdict.Good)]
    [InlineData(LightRule.ClearlyDimmer, LightSeen.StillBright, LightVerdict.Doubtful)]
    [InlineData(LightRule.ClearlyDimmer, LightSeen.Unchanged, LightVerdict.Bad)]
    [InlineData(LightRule.Lamp, LightSeen.LampGreen, LightVerdict.Good)]
    [InlineData(LightRule.Lamp, LightSeen.LampRed, LightVerdict.Bad)]
    public void The_light_is_judged_by_the_connectors_rule(LightRule rule, LightSeen seen, LightVerdict verdict) => Assert.Equal(verdict, RedLights.Judge(rule, seen, null, LightLimitSet.Ours).Verdict);

    [Theory]
    [InlineData(LightRule.Lamp, LightSeen.ClearlyDimmer)]
    [InlineData(LightRule.ClearlyDimmer, LightSeen.LampGreen)]
    public void A_lamps_answer_and_an_eyes_are_not_mixed(LightRule rule, LightSeen seen) =>
        Assert.Equal("body.seen", Assert.Throws<RefusedException>(() => RedLights.Judge(rule, seen, null, LightLimitSet.Ours, "body.seen")).Refusals[0].Field);

    [Theory]
    [InlineData(0.5, 0.01, LightSeen.NoneVisible)]
    // Until 2026-11-27 up to 50 % was clearly dimmer and up to 80 % still bright. In the window shows what is not coupled: 16 % left is a loss of 0.75 dB, 45 % one of 2.6 dB.
    [InlineData(0.5, 0.08, LightSeen.ClearlyDimmer)]
    [InlineData(0.5, 0.225, LightSeen.StillBright)]
    [InlineData(0.5, 0.35, LightSeen.Unchanged)]
    [InlineData(0.5, 0.5, LightSeen.Unchanged)]
    [InlineData(0.5, -0.01, LightSeen.NoneVisible)] // darker than its surroundings
    public void Photos_say_their_share_of_light(double before, double after, LightSeen says) => Assert.Equal(says, RedLights.Compare(Photos(before, after), LightLimitSet.Ours).Says);

    [Fact]
    public void Photos_that_say_otherwise_send_the_eye_back_but_do_not_overrule_it()
    {
        var judged = RedLights.Judge(LightRule.ClearlyDimmer, LightSeen.ClearlyDimmer, Photos(0.5, 0.48), LightLimitSet.Ours);
        Assert.Equal((LightVerdict.Good, LightSeen.Unchanged, true), (judged.Verdict, judged.PhotosSay!.Value, judged.Differs));
        Assert.False(RedLights.Judge(LightRule.ClearlyDimmer, LightSeen.NoneVisible, Photos(0.5, 0.09), LightLimitSet.Ours).Differs); // good either way
        Assert.False(RedLights.Judge(LightRule.Lamp, LightSeen.LampGreen, Photos(0.5, 0.48), LightLimitSet.Ours).Differs); // the lamp decides
    }

    [Fact]
    public void A_company_that_asks_for_less_light_judges_by_its_own_shares_from_then_on()
    {
        var tight = LightLimitSet.Ours with { Id = "house-light", Title = "House light", MostDimmerShare = 0.1 };
        var story = new EndStory(Repo.Wedge).Start().WalkTo();
        LightSeen? Said()
        {
            story.Tell(EventKind.LightJudged, new LightJudged(story.RunId, LightSeen.ClearlyDimmer, new(EvidenceId.New(), EvidenceId.New(), Window, 0.5, 0.075, 1, 0), Rule: LightRule.ClearlyDimmer));
            return story.State.Current!.Lights[^1].Judgement.PhotosSay;
        }

        Assert.Equal(LightSeen.ClearlyDimmer, Said());
        story.Rules = story.Rules.With([], light: [tight]);
        Assert.Equal(LightSeen.StillBright, Said());
        Assert.Equal([LightSeen.ClearlyDimmer, LightSeen.StillBright], story.State.Current!.Lights.Select(l => l.Judgement.PhotosSay));
        Assert.Contains("House light", story.State.Current.Lights[^1].Judgement.Source, StringComparison.Ordinal);
        Assert.Empty(LightLimitSet.Ours.Faults());
        Assert.Equal("mostDimmerShare", Assert.Single((tight with { MostDimmerShare = 0.03 }).Faults()).Field);
        Assert.Equal("mostBrightShare", Assert.Single((tight with { MostBrightShare = double.NaN }).Faults()).Field);
    }

    [Fact]
    public void Photos_that_cannot_be_compared_say_nothing()
    {
        Assert.Equal((null, LightDoubt.NoGlow), (RedLights.Compare(Photos(0.001, 0), LightLimitSet.Ours).Says, RedLights.Compare(Photos(0.001, 0), LightLimitSet.Ours).Doubt!.Value));
        Assert.Equal(LightDoubt.ExposureChanged, RedLights.Compare(Photos(0.5, 0.1, exposure: 2), LightLimitSet.Ours).Doubt);
        Assert.Equal(LightDoubt.ExposureChanged, RedLights.Compare(Photos(0.5, 0.1, exposure: 0.5), LightLimitSet.Ours).Doubt);
        Assert.Equal(LightDoubt.Burnt, RedLights.Compare(Photos(0.9, 0.85, burnt: 0.9), LightLimitSet.Ours).Doubt);
        // Burnt out before and dark after: whatever the true light was, it dimmed by at least this.
        Assert.Equal(LightSeen.ClearlyDimmer, RedLights.Compare(Photos(0.9, 0.1, burnt: 0.9), LightLimitSet.Ours).Says);
    }

    [Fact]
    public void Every_red_light_check_of_the_shipped_procedures_says_its_rule()
    {
        var checks = Repo.Newest.SelectMany(p => p.Steps.Where(s => s.Check?.Answers.Any(a => a.Ladder is "glow" or "red") == true && s.When?.Is.Contains("without") != true)
            .Where(s => s.Check!.Light is not null || s.Act.Contains("light", StringComparison.OrdinalIgnoreCase) || s.Act.Contains("glow", StringComparison.OrdinalIgnoreCase) || s.Act.Contains("lamp", StringComparison.OrdinalIgnoreCase))
            .Select(s => (p.Id, s.Check!.Light))).ToList();
        Assert.All(checks, c => Assert.NotNull(c.Light));
        Assert.Contains(("wedge-locked-slide-900", LightRule.NoneVisible), checks);
        Assert.Contains(("cam-locked-3mm", LightRule.Lamp), checks);
        // The school that is followed says which of the two it is.
        Assert.Equal(LightRule.Lamp, Light("lamp"));
        Assert.Equal(LightRule.ClearlyDimmer, Light("dimmer"));
        static LightRule? Light(string school) => Repo.Rules.Table("cam-locked-3mm", Repo.Document("cam-locked-3mm").Version, new Dictionary<string, string> { ["vfl-accept"] = school })
            .States.Select(s => s.Light).First(l => l is not null);
    }

    [Fact]
    public void Cleaves_and_light_are_kept_with_the_connector_and_move_nothing()
    {
        var story = new EndStory(Repo.Wedge).Start();
        var before = story.State.Current!.Position;
        var rule = Cleaves.RuleFor(TerminationMethod.WedgeLocked, Polish.UPC);
        // An angled connector is cleaved flat where its angle is the factory's (common practice); before, every APC was held to 8°.
        Assert.Equal([8.0, 0, 0, 0], new[] { TerminationMethod.WedgeLocked, TerminationMethod.CamLocked, TerminationMethod.HardenedDrop, TerminationMethod.SpliceOn }.Select(m => Cleaves.RuleFor(m, Polish.APC).NominalDeg));
        story.Tell(EventKind.CleaveSeen, new CleaveSeen(story.RunId, EvidenceId.New(), 0.5, new(4.1, 0, 0, 0.3), null, rule));
        story.Tell(EventKind.CleaveSeen, new CleaveSeen(story.RunId, EvidenceId.New(), 0.5, new(1.2, 2.5, 0, 0.3), null, rule));
        story.Tell(EventKind.LightJudged, new LightJudged(story.RunId, LightSeen.ClearlyDimmer, new(default, default, Window, 0.5, 0.2, 1, 0), Rule: LightRule.ClearlyDimmer));
        var run = story.State.Current!;
        Assert.Equal((before, 2, 1), (run.Position, run.CleavesSeen.Count, run.Lights.Count));
        Assert.Equal([false, true], run.CleavesSeen.Select(c => c.Verdict.Pass));
        Assert.True(run.CleavesSeen[1].Verdict.Doubtful); // a light lip
        Assert.Equal(0.4, run.Lights[0].Judgement.Ratio!.Value, 6);

        // A cleave of a connector that was given up is none of the next one's.
        story.Tell(EventKind.AttemptClosed, new AttemptClosed(story.RunId, ReworkReason.CleaveAngleOrChip, true));
        story.Start(2);
        Assert.Empty(story.State.Current!.CleavesSeen);
    }

    [Fact]
    public void What_cannot_be_is_refused_with_its_field()
    {
        var story = new EndStory(Repo.Wedge).Start();
        string Field(EventKind kind, object body) => Assert.Throws<RefusedException>(() => story.Tell(kind, body)).Refusals[0].Field;
        var rule = Cleaves.RuleFor(TerminationMethod.SpliceOn, Polish.UPC);
        Assert.Equal("body.view", Field(EventKind.CleaveSeen, new CleaveSeen(story.RunId, EvidenceId.New(), 0.5, new(70, 0, 0, 0), null, rule)));
        Assert.Equal("body.view", Field(EventKind.CleaveSeen, new CleaveSeen(story.RunId, EvidenceId.New(), 0, new(1, 0, 0, 0), null, rule)));
        Assert.Equal("body.runId", Field(EventKind.CleaveSeen, new CleaveSeen(RunId.New(), EvidenceId.New(), 0.5, new(1, 0, 0, 0), null, rule)));
        Assert.Equal("body.seen", Field(EventKind.LightJudged, new LightJudged(story.RunId, LightSeen.LampRed, Rule: LightRule.Lamp)));
        Assert.Equal("body.photos.window", Field(EventKind.LightJudged, new LightJudged(story.RunId, LightSeen.Unchanged, new(default, default, new(0.5, 0, 0.4, 1)), Rule: LightRule.ClearlyDimmer)));
        Assert.Equal("body.photos.beforeLevel", Field(EventKind.LightJudged, new LightJudged(story.RunId, LightSeen.Unchanged, new(default, default, Window, 7, 0.5, 1, 0), Rule: LightRule.ClearlyDimmer)));
    }

    [Fact]
    public void A_reading_names_the_cords_of_its_reference_and_none_rests_on_one_that_has_drifted()
    {
        var story = new EndStory(Repo.Wedge).Start().WalkTo().Look();
        Measured At(double drift, string cords) =>
            new(story.RunId, ReferenceMethod.TwoCord, 850, -20, -20.5, ReferenceCords: cords, ReferenceDriftDb: drift);
        story.Tell(EventKind.Measured, At(-0.04, "A1 + A2"));
        Assert.Equal(("A1 + A2", -0.04), (story.State.Current!.Losses[0].Reading.ReferenceCords, story.State.Current.Losses[0].Reading.ReferenceDriftDb!.Value));
        string Refused(double drift, string cords) => Assert.Throws<RefusedException>(() => story.Tell(EventKind.Measured, At(drift, cords))).Refusals[0].Field;
        Assert.Equal("body.referenceDriftDb", Refused(0.11, "A1"));
        Assert.Equal("body.referenceDriftDb", Refused(double.MinValue, "A1"));
        Assert.Equal("body.referenceCords", Refused(0, new string('x', 61)));
    }

    /// <summary>Warm-up about 10 min, launch against receive cord at most 0.1 dB multimode and 0.2 dB single-mode, checked again at each panel: common practice, from memory.</summary>
    [Fact]
    public void A_reading_says_how_warm_its_source_was_what_its_cords_lose_and_where_they_were_read_again()
    {
        var (here, other) = (PlaceId.New(), PlaceId.New());
        var story = new EndStory(Repo.Wedge);
        story.Plan = story.Plan with { PlaceId = here };
        story.Start().WalkTo().Look();
        Measured With(double? minutes = null, double? cordDb = null, PlaceId? at = null) =>
            new(story.RunId, ReferenceMethod.OneCord, 850, -20, -20.5, SourceOnMinutes: minutes, CordLossDb: cordDb, ReferencePlaceId: at);
        string[] Differ(Measured m)
        {
            story.Tell(EventKind.Measured, m);
            return [.. story.State.Current!.Losses[0].Differences.Select(d => $"{d.Field} {d.Said}/{d.Planned}")];
        }

        Assert.Empty(Differ(With()));
        Assert.Empty(Differ(With(10, 0.1, here)));
        Assert.Equal(["sourceOnMinutes 4.5/at least 10", "referencePlaceId another panel/this panel"], Differ(With(4.5, 0.02, other)));
        var worn = Assert.Throws<RefusedException>(() => story.Tell(EventKind.Measured, With(cordDb: 0.11))).Refusals[0];
        Assert.Equal(("cord-worn", "body.cordLossDb"), (worn.Code, worn.Field));
        Assert.Equal("body.cordLossDb", Assert.Throws<RefusedException>(() => story.Tell(EventKind.Measured, With(cordDb: -0.01))).Refusals[0].Field);
        Assert.Equal("body.sourceOnMinutes", Assert.Throws<RefusedException>(() => story.Tell(EventKind.Measured, With(-1))).Refusals[0].Field);

        // A single-mode link's cords may lose 0.2.
        story.Plan = story.Plan with { FiberClass = Fiber.FiberClass.OS2 };
        Assert.Equal(0.2, References.MostCordDb(story.Plan.Mode));
        story.Tell(EventKind.Measured, With(cordDb: 0.2) with { WavelengthNm = 1310 });
    }
}
