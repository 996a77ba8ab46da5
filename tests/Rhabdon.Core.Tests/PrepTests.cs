using FsCheck;
using FsCheck.Fluent;
using Rhabdon.Core.Planning;
using Rhabdon.Core.Prep;
using Xunit;

namespace Rhabdon.Core.Tests;

public class PrepTests
{
    [Fact]
    public void Cold_cure_on_3_mm_cordage_leaves_19_mm_bare() // common practice
    {
        var card = Repo.ColdCure.Prep;
        Assert.Equal((35, 7, 16, 19), (card.JacketOffMm, card.AramidBeyondJacketMm, card.BufferBeyondJacketMm, card.BareMm));
        Assert.Null(card.ShardMm);
        Assert.Equal(50, card.CutOffUsesMm); // 35 of jacket and 15 behind it
        Assert.Equal([("jacket-edge", 35), ("aramid-end", 28), ("buffer-edge", 19)], card.Marks.Select(m => (m.Id, m.BeforeMm)));
    }

    [Fact]
    public void Wedge_70_40_leaves_30_of_buffer_and_a_29_5_shard() // common practice
    {
        var card = Repo.Wedge.Prep;
        Assert.Equal(30, card.BufferBeyondJacketMm);
        Assert.Equal(new ToleratedMm(10.5, 10, 11), card.CleavedMm);
        Assert.Equal(new ToleratedMm(29.5, 29, 30), card.ShardMm);
        Assert.Equal(new ToleratedMm(40.5, 40, 41), card.Marks.Single(m => m.Id == "jacket-edge").AfterCleave);
        Assert.Equal(new ToleratedMm(10.5, 10, 11), card.Marks.Single(m => m.Id == "buffer-edge").AfterCleave);
        Assert.Equal((8, 7), (card.Bites!.InFiveMm, card.Bites.InQuarterInch));
        Assert.Equal(80, card.CutOffUsesMm);
    }

    private static readonly PrepPlan Plan = Repo.Document("cold-cure-3mm", 3).Prep;

    private static string[] Faults(PrepPlan plan) =>
        [.. Assert.Throws<RefusedException>(() => PrepCards.Resolve(plan)).Refusals.Select(r => $"{r.Code} {r.Field}")];

    [Fact]
    public void Marks_that_contradict_each_other_are_refused_by_name() => Assert.Equal(
        ["prep-contradiction prep.spans.bare.lengthMm"],
        Faults(Plan with { Spans = [.. Plan.Spans.Where(s => s.Id != "bare"), new("bare", "cable-end", "buffer-edge", 20)] }));

    [Fact]
    public void Buffer_stripped_under_the_jacket_is_refused() => Assert.Contains(
        "prep-order prep.points.buffer-edge",
        Faults(Plan with { Spans = [new("a", "cable-end", "jacket-edge", 35), new("b", "aramid-end", "jacket-edge", 7), new("c", "cable-end", "buffer-edge", 40)] }));

    [Fact]
    public void An_open_point_and_an_unknown_one_are_refused()
    {
        Assert.Contains("prep-point-open prep.points.aramid-end", Faults(Plan with { Spans = [.. Plan.Spans.Where(s => s.Id != "aramid-out")] }));
        Assert.Contains("prep-point-unknown prep.spans.x", Faults(Plan with { Spans = [.. Plan.Spans, new("x", "cable-end", "nowhere", 1)] }));
    }

    [Fact]
    public void A_cleave_longer_than_the_bare_glass_is_refused() =>
        Assert.Equal(["prep-cleave-too-long prep.cleave.lengthMm"], Faults(Plan with { Cleave = new("buffer-edge", 18.8, 0.5) }));

    [Fact]
    public void Positions_do_not_depend_on_the_order_or_direction_of_the_spans() =>
        Check.QuickThrowOnFailure(Prop.ForAll(
            Gen.Shuffle(Plan.Spans.ToArray()).ToArbitrary(),
            spans => PrepCards.Resolve(Plan with { Spans = spans }).Marks.SequenceEqual(Repo.ColdCure.Prep.Marks)));

    [Theory]
    [InlineData(40, 5, 8)]
    [InlineData(40, 6.35, 7)] // 1/4 in
    [InlineData(0.3, 0.1, 3)] // 0.3/0.1 is a hair above 3 in binary
    public void Bites(double lengthMm, double biteMm, int bites) => Assert.Equal(bites, PrepCards.CountBites(lengthMm, biteMm));

    [Fact]
    public void Slack_says_how_many_more_failures_can_be_paid_for()
    {
        Assert.Equal(new SlackOutlook(170, 2, false), Plans.Slack(250, 80, Repo.Wedge.Prep));
        Assert.Equal(new SlackOutlook(90, 1, true), Plans.Slack(170, 80, Repo.Wedge.Prep));
        Assert.Equal(0, Plans.Slack(50, 80, Repo.Wedge.Prep).CutOffsLeft);
    }
}
