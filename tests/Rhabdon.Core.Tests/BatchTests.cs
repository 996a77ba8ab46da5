using Rhabdon.Core.Bench;
using Rhabdon.Core.Ledger;
using Rhabdon.Core.Procedures;
using Xunit;

namespace Rhabdon.Core.Tests;

/// <summary>What a practised hand would do next; the order is common practice.</summary>
public class BatchTests
{
    private static readonly Instant Now = Instant.FromUtc(2026, 11, 24, 9, 0, 0);
    private static readonly HashSet<string> Free = [];

    private static RunTable Table(string id) => Repo.Rules.Table(id, 1);

    private static BatchStrand At(RunTable table, string id, string step, Instant? timer = null, bool alone = false) =>
        new(id, new RunPosition(step, alone ? new Dictionary<string, int> { [table.Ladders[0].Id] = 1 } : [], RunOutcome.Running), timer);

    private static BatchStrand Over(string id) => new(id, new RunPosition(null, new Dictionary<string, int>(), RunOutcome.Finished));

    [Fact]
    public void All_boots_are_threaded_before_anyone_is_stripped()
    {
        var t = Repo.Wedge;
        var next = Batches.Next(t, [At(t, "1", "clamp"), At(t, "2", "thread-boot"), At(t, "3", "thread-boot")], "1", Free, Now);
        Assert.Equal(("2", "thread-boot"), (next.StrandId, next.StateId));
        Assert.Equal(["2", "3"], next.Together);
    }

    [Fact]
    public void A_strand_that_fell_back_does_not_stop_the_others()
    {
        var t = Repo.Wedge;
        var next = Batches.Next(t, [At(t, "1", "jacket", alone: true), At(t, "2", "glow"), At(t, "3", "clean")], "2", Free, Now);
        Assert.Equal("2", next.StrandId);
    }

    [Fact]
    public void Who_has_primer_on_the_glass_is_not_left_for_another()
    {
        var t = Repo.ColdCure;
        var next = Batches.Next(t, [At(t, "1", "clean"), At(t, "2", "insert"), At(t, "3", "clean")], "2", Free, Now);
        Assert.Equal(("2", "insert"), (next.StrandId, next.StateId));
    }

    [Fact]
    public void While_one_cures_another_is_worked_and_what_is_done_comes_out_first()
    {
        var t = Table("heat-cured-epoxy-3mm");
        var cooking = At(t, "1", "cure", Now.Plus(Duration.FromMinutes(4)));
        Assert.Equal("2", Batches.Next(t, [cooking, At(t, "2", "inject")], "1", Free, Now).StrandId);
        var wait = Batches.Next(t, [cooking, Over("2")], "1", Free, Now);
        Assert.Equal((null, Now.Plus(Duration.FromMinutes(4))), (wait.StrandId, wait.ReadyAt));
        Assert.Equal("1", Batches.Next(t, [cooking, At(t, "2", "inject")], "2", Free, Now.Plus(Duration.FromMinutes(5))).StrandId);
        Assert.Equal(new BatchNext(null, null, [], null, false) with { Together = [] }, Batches.Next(t, [Over("1")], null, Free, Now) with { Together = [] });
    }

    [Fact]
    public void What_is_missing_blocks_only_what_it_endangers()
    {
        var t = Repo.Wedge;
        var next = Batches.Next(t, [At(t, "1", "glow"), At(t, "2", "clean")], "1", new HashSet<string> { "glow" }, Now);
        Assert.Equal(("2", false), (next.StrandId, next.Blocked));
        next = Batches.Next(t, [At(t, "1", "glow"), Over("2")], "1", new HashSet<string> { "glow" }, Now);
        Assert.Equal(("1", true), (next.StrandId, next.Blocked));
    }

    [Fact]
    public void A_ribbon_is_one_act_for_twelve()
    {
        var t = Table("pigtail-splice-ribbon");
        var next = Batches.Next(t, [.. Enumerable.Range(1, 12).Select(n => At(t, $"{n}", "splice"))], null, Free, Now);
        Assert.Equal(12, next.Together.Count);
    }

    [Fact]
    public void Pre_flight_knows_purity_lots_warm_ups_and_pot_life()
    {
        var alcohol = new PreflightItem("a", "Alcohol", "", [], [PreflightAsk.Number], Min: 99);
        Assert.False(Preflights.Satisfied(alcohol, new("a", Now, Number: 70), Now, "UTC")); // 70 % rubbing alcohol is wrong: common practice
        Assert.True(Preflights.Satisfied(alcohol, new("a", Now, Number: 99.5), Now, "UTC"));
        var adhesive = new PreflightItem("b", "Adhesive", "", [], [PreflightAsk.Lot, PreflightAsk.UseBy]);
        Assert.True(Preflights.Satisfied(adhesive, new("b", Now, "L7", new LocalDate(2026, 11, 24)), Now, "UTC"));
        Assert.False(Preflights.Satisfied(adhesive, new("b", Now, "L7", new LocalDate(2026, 11, 23)), Now, "UTC"));
        // Past its day only with a reason; a space is none, and no reason stands for a day that nobody said.
        PreflightAnswer Old(string? why, LocalDate? useBy) => new("b", Now, "L7", useBy, InSpiteOf: why);
        Assert.Equal([true, false, false], new[] { Old("a test bead cured hard", new(2026, 11, 23)), Old(" ", new(2026, 11, 23)), Old("a test bead cured hard", null) }.Select(a => Preflights.Satisfied(adhesive, a, Now, "UTC")));
        // A use-by date is the site's: far enough east it is over already, far enough west it is not (IANA time zones).
        Assert.Equal((false, true), (Preflights.Satisfied(adhesive, new("b", Now, "L7", new LocalDate(2026, 11, 24)), Now.Plus(Duration.FromHours(2)), "Pacific/Kiritimati"),
            Preflights.Satisfied(adhesive, new("b", Now, "L7", new LocalDate(2026, 11, 23)), Now, "Pacific/Pago_Pago")));
        var oven = new PreflightItem("c", "Oven", "", [], WarmUpS: 360); // at least 6 minutes: common practice
        Assert.False(Preflights.Satisfied(oven, new("c", Now), Now.Plus(Duration.FromSeconds(359)), "UTC"));
        Assert.True(Preflights.Satisfied(oven, new("c", Now), Now.Plus(Duration.FromSeconds(360)), "UTC"));
        var mix = new PreflightItem("d", "Mixed", "", [], LastsS: 1800);
        Assert.False(Preflights.Satisfied(mix, new("d", Now), Now.Plus(Duration.FromSeconds(1800)), "UTC"));
    }

    [Fact]
    public void The_record_says_which_school_was_followed_and_what_was_not_ready()
    {
        var story = new EndStory(Repo.Rules.Table("wedge-locked-upc-3mm", 4, new Dictionary<string, string> { ["vfl"] = "without" })) { BatchId = BatchId.New() };
        story.Start().WalkTo();
        var attempt = story.State.Current!;
        Assert.Equal(("without", "five-mm"), (attempt.Schools["vfl"], attempt.Schools["bites"]));
        Assert.DoesNotContain(attempt.Deviations, d => d.StepId == "glow");
        Assert.Contains(attempt.Deviations, d => d is { Kind: DeviationKind.PreflightMissing, StepId: "cleave" });
        Assert.Equal((1, 1), (attempt.Shards, attempt.Cleaves));
    }

    [Fact]
    public void A_batch_is_not_accepted_before_its_shards_are_counted_and_a_mismatch_is_kept()
    {
        var story = new EndStory(Repo.Wedge) { BatchId = BatchId.New() };
        story.Start().WalkTo().Look().Measure(850, 0.5).Measure(1300, 0.4);
        var refused = Assert.Throws<RefusedException>(() => story.Tell(EventKind.Accepted, new Accepted(story.RunId)));
        Assert.Equal("shards-uncounted", refused.Refusals[0].Code);
        story.Tell(EventKind.ShardsCounted, new ShardsCounted(story.RunId, story.BatchId.Value, 12, 11));
        story.Tell(EventKind.Accepted, new Accepted(story.RunId));
        Assert.True(story.State.Current!.ShardCount!.Off);
    }

    [Fact]
    public void A_timer_that_was_started_on_another_device_counts()
    {
        var story = new EndStory(Repo.ColdCure).Start().WalkTo("hold");
        story.Tell(EventKind.TimerStarted, new TimerStarted(story.RunId, "hold"));
        Assert.Equal("hold", story.State.Current!.Timer!.StepId);
        story.Tell(EventKind.StepDone, new StepDone(story.RunId, "hold"));
        Assert.Null(story.State.Current!.Timer);
        Assert.DoesNotContain(story.State.Current.Deviations, d => d.Kind == DeviationKind.TimerShort); // the story's clock steps by a minute
    }

    [Fact]
    public void What_a_second_device_says_of_a_run_that_went_on_is_kept_and_shown_but_moves_nothing()
    {
        var story = new EndStory(Repo.Wedge).Start().WalkTo("clean");
        story.Device = DeviceId.Parse("00000000-0000-7000-8000-0000000000d2");
        story.Tell(EventKind.StepDone, new StepDone(story.RunId, "clamp"));
        story.Tell(EventKind.StepDone, new StepDone(story.RunId, "clean")); // it fits by chance, but this device walks another way
        Assert.Equal(("clean", 2, EndStatus.NeedsDecision), (story.State.Current!.Position.StateId, story.State.Current.Strays.Count, story.State.Status));
        foreach (var stray in story.State.Current.Strays.Reverse().ToList())
        {
            story.Tell(EventKind.Corrected, new Corrected(stray.EventId), 1);
        }

        Assert.Equal((EndStatus.AtBench, false), (story.State.Status, story.State.Conflict));
    }

    [Fact]
    public void A_pre_flight_that_is_none_is_refused_with_its_field()
    {
        var now = NodaConstants.UnixEpoch;
        foreach (var (answers, code) in new (PreflightAnswer[], string)[]
        {
            ([new("moon", now)], "preflight-unknown"),
            ([new("alcohol-99", now, Lot: new string('x', 61))], "out-of-range"),
            ([.. Enumerable.Repeat(new PreflightAnswer("alcohol-99", now), 101)], "out-of-range"),
        })
        {
            var refused = Assert.Throws<RefusedException>(() => new EndStory(Repo.Wedge).Tell(EventKind.AttemptStarted, new AttemptStarted("wedge-locked-upc-3mm", 4, null, null, answers), 1));
            Assert.Equal((code, "body.preflight"), (refused.Refusals[0].Code, refused.Refusals[0].Field));
        }
    }

    /// <summary>Whatever a body leaves out or leaves empty is refused in words: it must never stop the device's other events.</summary>
    [Theory]
    [InlineData(EventKind.StepDone, """{}""")]
    [InlineData(EventKind.CheckAnswered, """{"runId":"00000000-0000-7000-8000-000000000001"}""")]
    [InlineData(EventKind.PreflightAnswered, """{"runId":"00000000-0000-7000-8000-000000000001"}""")]
    [InlineData(EventKind.PreflightAnswered, """{"runId":"00000000-0000-7000-8000-000000000001","answer":null}""")]
    [InlineData(EventKind.AttemptStarted, """{"procedureId":"cold-cure-3mm","procedureVersion":3,"preflight":[null]}""")]
    [InlineData(EventKind.AttemptStarted, """{"procedureId":"cold-cure-3mm","procedureVersion":3,"schools":{"bites":null}}""")]
    [InlineData(EventKind.ShardsCounted, """{"made":1,"counted":1}""")]
    [InlineData(EventKind.TimerStarted, """{"stepId":7}""")]
    [InlineData(EventKind.Inspected, """{"runId":"00000000-0000-7000-8000-000000000001","endFaceClass":"mm-pc","limitSetId":"x","findings":[null]}""")]
    public void A_body_with_gaps_is_refused(EventKind kind, string json)
    {
        var story = new EndStory(Repo.Wedge);
        var e = story.Make(kind, new { }, 1) with { Body = System.Text.Json.JsonDocument.Parse(json).RootElement };
        var fold = () => Telling.Tell(new(story.Plan, story.State, Repo.Rules, e)).State;
        if (json.Contains("schools"))
        {
            Assert.Equal("five-mm", fold().Current!.Schools["bites"]); // an empty choice is the default
        }
        else
        {
            Assert.StartsWith("body", Assert.Throws<RefusedException>(fold).Refusals[0].Field);
        }
    }

    [Fact]
    public void A_sheet_that_is_worn_out_is_noted()
    {
        var story = new EndStory(Repo.ColdCure).Start().WalkTo("film-fine");
        story.Tell(EventKind.StepDone, new StepDone(story.RunId, "film-fine", null, 22, EvidenceId.New(), 410));
        Assert.Contains(story.State.Current!.Deviations, d => d is { Kind: DeviationKind.SheetOver, Actual: 410, Asked: 400 });
    }
}
