using Rhabdon.Core.Yield;
using Xunit;

namespace Rhabdon.Core.Tests;

/// <summary>Rates and control charts against published examples, from memory where it says so.</summary>
public class YieldTests
{
    /// <summary>R. G. Newcombe, Statistics in Medicine 17 (1998) 857–872, Wilson's score method: 81/263, 15/148, 0/20, 1/29 (from memory).</summary>
    [Theory]
    [InlineData(81, 263, 0.2553, 0.3662)]
    [InlineData(15, 148, 0.0624, 0.1605)]
    [InlineData(0, 20, 0, 0.1611)]
    [InlineData(1, 29, 0.0061, 0.1718)]
    public void Wilsons_interval_is_as_published(long passed, long made, double low, double high)
    {
        var share = Share.Of(passed, made);
        Assert.Equal((low, high), (Math.Round(share.Low, 4), Math.Round(share.High, 4)));
        Assert.Equal((Math.Round(1 - high, 4), Math.Round(1 - low, 4)), (Math.Round(Share.Of(made - passed, made).Low, 4), Math.Round(Share.Of(made - passed, made).High, 4)));
    }

    /// <summary>Of 20 at one in two, 6 to 14 hold 95.9 % and 5 to 15 hold 98.8 % (binomial tables): 5 is below for itself, and not where six groups were looked at.</summary>
    [Fact]
    public void A_funnel_is_the_binomials_own_and_forgives_when_many_were_looked_at()
    {
        var found = Rates.Of(new([new("a", 20, 5), new("b", 20, 15), new("c", 20, 10), new("d", 20, 10), new("e", 20, 10), new("f", 20, 10), new("none")]));
        Assert.Equal((0.5, 0.3, 0.7), (found.Centre, found.Groups[0].FunnelLow, found.Groups[0].FunnelHigh));
        Assert.Equal([FunnelSide.Below, FunnelSide.Above, FunnelSide.Within], found.Groups.Take(3).Select(g => g.Outside));
        Assert.All(found.Groups, g => Assert.Equal(FunnelSide.Within, g.OutsideOfAll));
        Assert.Equal((0.0, 1.0, FunnelSide.Within), (found.Groups[6].FunnelLow, found.Groups[6].FunnelHigh, found.Groups[6].Outside));
        // A new hand with three bad of three is not judged; one with thirty of forty at nine in ten is.
        var hands = Rates.Of(new([new("all the others", 2000, 1800), new("new", 3, 1), new("worn", 40, 29)]));
        Assert.Equal([FunnelSide.Within, FunnelSide.Within, FunnelSide.Below], hands.Groups.Select(g => g.OutsideOfAll));
    }

    /// <summary>C. R. Charig and others, BMJ 292 (1986) 879: kidney stones, small and large (from memory). Open surgery looks worse in all and is better in both.</summary>
    [Fact]
    public void Simpsons_paradox_comes_out_right_after_adjustment()
    {
        var found = Rates.Of(new([new("open", Strata: [new("small", 87, 81), new("large", 263, 192)]), new("keyhole", Strata: [new("small", 270, 234), new("large", 80, 55)])]));
        var (open, keyhole) = (found.Groups[0], found.Groups[1]);
        Assert.True(open.Rate < keyhole.Rate);
        Assert.True(open.Adjusted!.Rate > keyhole.Adjusted!.Rate);
        // By hand: 273 of an expected 87 × 315/357 + 263 × 247/343 = 266.16, times 562/700.
        Assert.Equal(273 / 266.155 * 562 / 700, open.Adjusted.Rate, 4);
    }

    /// <summary>D. C. Montgomery, Introduction to Statistical Quality Control, cans of orange juice: 30 samples of 50, p 0.2313, limits 0.0524 and 0.4102, samples 15 and 23 outside (from memory).</summary>
    [Fact]
    public void A_p_chart_is_as_the_handbook_has_it()
    {
        double[] bad = [12, 15, 8, 10, 4, 7, 16, 9, 14, 10, 5, 6, 17, 12, 22, 8, 10, 5, 13, 11, 20, 18, 24, 15, 9, 12, 7, 13, 9, 6];
        var found = Control.Of(new(ControlKind.P, bad, [.. bad.Select(_ => 50.0)]));
        Assert.Equal((0.2313, 0.0524, 0.4102), (Math.Round(found.Centre, 4), Math.Round(found.Points[0].Low, 4), Math.Round(found.Points[0].High, 4)));
        Assert.Equal([14, 22], found.Points.Index().Where(p => p.Item.Rules.Contains(ControlRule.BeyondLimits)).Select(p => p.Index));
    }

    /// <summary>Flow of the Nile 1871–1970 (G. W. Cobb, Biometrika 65 (1978) 243; in R's own datasets; from memory): it changed after 1898.</summary>
    [Fact]
    public void The_nile_changed_after_1898()
    {
        double[] nile =
        [
            1120, 1160, 963, 1210, 1160, 1160, 813, 1230, 1370, 1140, 995, 935, 1110, 994, 1020, 960, 1180, 799, 958, 1140, 1100, 1210, 1150, 1250, 1260, 1220, 1030, 1100, 774, 840,
            874, 694, 940, 833, 701, 916, 692, 1020, 1050, 969, 831, 726, 456, 824, 702, 1120, 1100, 832, 764, 821, 768, 845, 864, 862, 698, 845, 744, 796, 1040, 759,
            781, 865, 845, 944, 984, 897, 822, 1010, 771, 676, 649, 846, 812, 742, 801, 1040, 860, 874, 848, 890, 744, 749, 838, 1050, 918, 986, 797, 923, 975, 815,
            1020, 906, 901, 1170, 912, 746, 919, 718, 714, 740,
        ];
        var found = Control.Of(new(ControlKind.Individuals, nile));
        Assert.Equal((28, 1097.75, 849.97), (found.ChangeAt, Math.Round(found.Before!.Value, 2), Math.Round(found.After!.Value, 2)));
        Assert.InRange(found.ChangeChance!.Value, 0, 1e-6);
        // The same values in an order without one.
        var still = Control.Of(new(ControlKind.Individuals, [.. nile.Index().OrderBy(x => (x.Index * 37) % 100).Select(x => x.Item)]));
        Assert.Null(still.ChangeAt);
    }

    /// <summary>Average run lengths of a two-sided CUSUM with k 0.5 (Montgomery, from memory): 168 and 8.38 for h 4, 465 and 10.4 for h 5, with no shift and one of one sigma.</summary>
    [Theory]
    [InlineData(4, 0, 168)]
    [InlineData(4, 1, 8.38)]
    [InlineData(5, 0, 465)]
    [InlineData(5, 1, 10.4)]
    public void A_cusum_runs_as_long_as_published(double h, double shift, double published)
    {
        var (random, rounds, total) = (new Random(5), 1500, 0.0);
        for (var round = 0; round < rounds; round++)
        {
            for (var (values, at) = (new List<double>(), -1); at < 0;)
            {
                values.AddRange(Enumerable.Range(0, shift > 0 ? 60 : 4000).Select(_ => shift + MathNet.Numerics.Distributions.Normal.Sample(random, 0, 1)));
                at = values.Count > Control.MostValues ? Control.MostValues : Control.Of(new(ControlKind.Cusum, values, Target: 0, Sigma: 1, K: 0.5, H: h)).Points.ToList().FindIndex(p => p.Rules.Count > 0);
                total += at < 0 ? 0 : at + 1;
            }
        }

        Assert.InRange(total / rounds, published * 0.93, published * 1.07);
    }

    /// <summary>Each rule by a row made for it. Nelson, Journal of Quality Technology 16 (1984) 237; sigma is given, so that only the place counts.</summary>
    [Theory]
    [InlineData("0 0 0 3.1", ControlRule.BeyondLimits)]
    [InlineData("0 2.2 0.5 2.3", ControlRule.TwoOfThree)]
    [InlineData("0 1.2 1.1 -0.5 1.3 1.4", ControlRule.FourOfFive)]
    [InlineData("-1 0.1 0.2 0.1 0.3 0.1 0.2 0.1 0.4 0.1", ControlRule.NineOnOneSide)]
    [InlineData("0 -0.5 -0.3 -0.1 0.1 0.3 0.5", ControlRule.SixInTrend)]
    public void Each_rule_fires_where_it_should_and_no_other(string values, ControlRule rule)
    {
        var found = Control.Of(new(ControlKind.Individuals, [.. values.Split(' ').Select(v => double.Parse(v, System.Globalization.CultureInfo.InvariantCulture))], Target: 0, Sigma: 1));
        Assert.Equal([rule], found.Points[^1].Rules);
        Assert.All(found.Points.SkipLast(1), p => Assert.Empty(p.Rules));
    }

    private static readonly LocalDate Monday = new(2026, 1, 5);

    /// <summary>A year of four crews, three methods, lots and cleavers, some fifty connectors a week, nine in ten good at once but where a fault says otherwise.</summary>
    private static List<YieldView> Year(int seed, Func<(int Week, int Crew, int Method, int Lot), double>? fault = null)
    {
        var random = new Random(seed);
        var (made, methods) = (new List<(int Week, int Crew, int Method, int Lot, bool Passed)>(), new[] { 0.9, 0.94, 0.86 });
        for (var week = 0; week < 50; week++)
        {
            for (var i = 0; i < 48; i++)
            {
                var at = (Week: week, Crew: i % 4, Method: random.Next(3), Lot: (week / 5) + (10 * random.Next(2)));
                made.Add((at.Week, at.Crew, at.Method, at.Lot, random.NextDouble() < methods[at.Method] - (fault?.Invoke(at) ?? 0)));
            }
        }

        IReadOnlyList<YieldRow> Rows(Func<(int Week, int Crew, int Method, int Lot, bool Passed), string> key) =>
            [.. made.GroupBy(m => (Key: key(m), m.Week, m.Method)).Select(g => new YieldRow(g.Key.Key, Monday.PlusWeeks(g.Key.Week), $"method-{g.Key.Method}", "tight-900", g.Count(), g.Count(m => m.Passed), 0, 0))];
        return [new(YieldBy.Crew, Rows(m => $"crew-{m.Crew}")), new(YieldBy.Method, Rows(m => $"method-{m.Method}")), new(YieldBy.Lot, Rows(m => $"lot-{m.Lot}")), new(YieldBy.Tool, Rows(m => $"cleaver-{m.Crew}"))];
    }

    /// <summary>Of a hundred clean years, at one in twenty, no more than some ten say anything at all, and none says two things of its own.</summary>
    [Fact]
    public void A_clean_year_is_quiet()
    {
        var said = Enumerable.Range(0, 100).Select(seed => Yields.Findings(Year(seed))).ToList();
        Assert.InRange(said.Count(s => s.Count > 0), 0, 12);
        Assert.InRange(said.Average(s => s.Count), 0, 0.25);
    }

    [Fact]
    public void A_bad_lot_a_crews_habit_and_a_blade_that_wears_are_named_first_with_their_week()
    {
        for (var seed = 0; seed < 5; seed++)
        {
            var lot = Yields.Findings(Year(seed, x => x.Lot == 13 ? 0.25 : 0))[0];
            Assert.Equal((YieldFindingKind.Outside, YieldBy.Lot, "lot-13"), (lot.Kind, lot.By, lot.Key));
            Assert.True(lot.Rate < lot.Against - 0.1);

            var habit = Yields.Findings(Year(seed, x => x.Crew == 2 ? 0.12 : 0))[0];
            Assert.Equal((YieldFindingKind.Outside, "2"), (habit.Kind, habit.Key[^1..]));

            var blade = Yields.Findings(Year(seed, x => x.Crew == 1 && x.Week >= 30 ? 0.3 : 0)).First(f => f.Kind == YieldFindingKind.Changed && f.By == YieldBy.Tool);
            Assert.Equal("cleaver-1", blade.Key);
            Assert.InRange(Period.DaysBetween(Monday.PlusWeeks(30), blade.Since!.Value), -7, 14);
        }
    }

    /// <summary>A crew that makes only the hard method is not said to be bad.</summary>
    [Fact]
    public void Who_makes_the_hard_ones_does_not_look_bad()
    {
        List<YieldRow> rows =
        [
            new("easy", Monday, "wedge-locked", "tight-900", 900, 855, 0, 0), new("hard", Monday, "heat-cured-epoxy", "tight-900", 400, 320, 0, 0), new("both", Monday, "heat-cured-epoxy", "tight-900", 400, 318, 0, 0),
            new("both", Monday, "wedge-locked", "tight-900", 300, 286, 0, 0),
        ];
        var hard = Yields.Of(rows, YieldBy.Crew).Groups.Single(g => g.Key == "hard").Rate;
        Assert.Equal(FunnelSide.Within, hard.Outside);
        Assert.Equal(FunnelSide.Below, Rates.Of(new([new("easy", 900, 855), new("hard", 400, 320), new("both", 700, 604)])).Groups[1].Outside);
        Assert.InRange(hard.Adjusted!.Rate, 0.87, 0.91);
    }

    /// <summary>56 of 70 against 48 of 80: Newcombe's worked example (Statistics in Medicine 1998, method 10, from memory). Four-fold table by hand: 56 − 70 × 104/150 = 7.4667,
    /// variance 70 × 80 × 104 × 46 / (150² × 149) = 7.9912. 10 % against 15 % take 686 of each (a handbook's usual example, from memory).</summary>
    [Fact]
    public void Two_rates_say_whether_they_differ_and_what_it_would_take()
    {
        var pair = Rates.Compare(new("a", 70, 56), new("b", 80, 48));
        Assert.Equal([0.2, 0.0524, 0.3339], new[] { pair.Difference, pair.Low, pair.High }.Select(x => Math.Round(x, 4)));
        Assert.Equal(2 * MathNet.Numerics.Distributions.Normal.CDF(0, 1, -7.466667 / Math.Sqrt(7.99117)), pair.Chance, 5);
        Assert.True(pair is { Enough: true, MoreEach: null });
        var few = Rates.Compare(new("a", 100, 90), new("b", 100, 85));
        Assert.Equal((false, 686L - 100), (few.Enough, few.MoreEach));
        Assert.Null(Rates.Compare(new("a", 10, 5), new("b", 20, 10)).MoreEach);
        Assert.Equal((false, -1.0, 1.0), Rates.Compare(new("a", 0, 0), new("b", 20, 10)) is var none ? (none.Enough, none.Low, none.High) : default);
        Assert.Equal(pair, Rates.Of(new([new("a", 70, 56), new("b", 80, 48)])).Pair);
    }

    /// <summary>Charig and others 1986, from memory: open surgery is better on small stones and on large ones, and looks worse on all together.</summary>
    [Fact]
    public void Two_rates_are_held_against_each_other_within_what_both_made()
    {
        var open = new RateGroup("open", Strata: [new("small", 87, 81), new("large", 263, 192)]);
        var keyhole = new RateGroup("keyhole", Strata: [new("small", 270, 234), new("large", 80, 55)]);
        var (w1, w2) = (87 * 270 / 357.0, 263 * 80 / 343.0);
        var pair = Rates.Compare(open, keyhole);
        Assert.Equal(((w1 * ((81 / 87.0) - (234 / 270.0))) + (w2 * ((192 / 263.0) - (55 / 80.0)))) / (w1 + w2), pair.Difference, 12);
        Assert.True(pair.Difference > 0 && Rates.Compare(new("a", 350, 273), new("b", 350, 289)).Difference < 0);
        // What only one of them made says nothing of the other.
        Assert.Equal(0, Rates.Compare(new("a", Strata: [new("x", 9, 9)]), new("b", Strata: [new("y", 9, 1)])).Difference);
    }

    /// <summary>Seeded: a blade that rejects 5 % for its first 300 cleaves and 45 % after them.</summary>
    [Fact]
    public void A_worn_blade_shows_at_which_count_it_was_otherwise()
    {
        var random = new Random(20261127);
        var worn = WearCurves.Of([.. Enumerable.Range(0, 500).Select(i => new ToolUse(i, random.NextDouble() >= (i < 300 ? 0.05 : 0.45)))]);
        Assert.InRange(worn.ChangeAtUses!.Value, 280, 320);
        Assert.Equal((500L, 0L, 499L), (worn.Steps.Sum(s => s.Made), worn.Steps[0].FromUses, worn.Steps[^1].ToUses));
        var sound = WearCurves.Of([.. Enumerable.Range(0, 500).Select(i => new ToolUse(i, random.NextDouble() >= 0.1))]);
        Assert.Null(sound.ChangeAtUses);
        Assert.Equal((1, null), WearCurves.Of([.. Enumerable.Range(0, 7).Select(i => new ToolUse(i, true))]) is var few ? (few.Steps.Count, few.Chart) : default);
        Assert.Empty(WearCurves.Of([]).Steps);
    }

    /// <summary>Quantiles of 1 to 9 by R's seventh: the ninth decile lies a fifth of the way from 8 to 9 (from memory). A drift of 2 sigma that no single value shows is found by its sums.</summary>
    [Fact]
    public void Losses_lie_in_bars_and_a_drift_is_found_by_its_sums()
    {
        var found = Losses.Of([.. Enumerable.Range(1, 9).Select(i => new LossValue("a", i / 10.0, i > 7))]);
        var group = found.Groups.Single();
        Assert.Equal((9L, 0.5, 0.82, 0.9, 2L), (group.Count, group.MedianDb, Math.Round(group.NinetiethDb, 12), group.WorstDb, group.OverLimit));
        Assert.Equal(9, group.Bars.Sum(b => b.Count));
        Assert.Equal([(0.1, 1L), (0.9, 1L)], group.Bars.Where(b => b.FromDb is 0.1 or 0.9).Select(b => (b.FromDb, b.Count)));
        var drift = Losses.Of([.. Enumerable.Range(0, 90).Select(i => new LossValue("a", 0.3 + (0.02 * ((i % 4) - 1.5)) + (i < 60 ? 0 : 0.06), false))]);
        Assert.Contains(drift.Cusum!.Points.Skip(60), p => p.Rules.Contains(ControlRule.SumAbove));
        Assert.DoesNotContain(drift.Cusum.Points.Take(60), p => p.Rules.Count > 0);
        Assert.Null(Losses.Of([new("a", 0.2, false)]).Individuals);
    }

    [Fact]
    public void Two_keys_at_once_keep_the_largest_of_either()
    {
        var cells = Yields.Cross([("a", "x", 10, 9), ("a", "y", 2, 2), ("b", "x", 5, 1), ("c", "z", 1, 1)], 2);
        Assert.Equal([("a", "x", 0.9), ("a", "y", 1), ("b", "x", 0.2)], cells.Select(c => (c.Key, c.And, c.Share.Rate)));
    }
}
