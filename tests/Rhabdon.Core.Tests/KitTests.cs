using MathNet.Numerics.Distributions;
using Rhabdon.Core.Connectors;
using Rhabdon.Core.Fiber;
using Rhabdon.Core.Kit;
using Rhabdon.Core.Ledger;
using Rhabdon.Core.Planning;
using Rhabdon.Core.Procedures;
using Rhabdon.Core.Rework;
using Xunit;

namespace Rhabdon.Core.Tests;

public sealed class KitTests
{
    /// <summary>24 ends at a first pass of 98.6 %: 25 are enough with 95 % (0.986^25 + 25 × 0.014 × 0.986^24 = 0.952); at 90 % they are not. By the binomial, by hand.</summary>
    [Fact]
    public void Twenty_four_ends_go_out_with_one_box_of_twenty_five_or_with_two()
    {
        var one = ConnectorKit.Of(new(24, 0.986, Packs: [25]));
        Assert.Equal((25, "25×1", 0), (one.Connectors, Packs(one), one.Left));
        var two = ConnectorKit.Of(new(24, 0.90, Packs: [25]));
        Assert.Equal((30, "25×2", 20), (two.Connectors, Packs(two), two.Left));
        var loose = ConnectorKit.Of(new(24, 0.90, Packs: [1, 25]));
        Assert.Equal(("25×1 1×5", 0), (Packs(loose), loose.Left));
        // Neither a dozen nor a bag of seven holds 30 exactly: 7 + 12 + 12 leaves one.
        Assert.Equal(("12×2 7×1", 1), (Packs(ConnectorKit.Of(new(24, 0.90, Packs: [7, 12]))), ConnectorKit.Of(new(24, 0.90, Packs: [7, 12])).Left));
    }

    private static string Packs(KitNeed need) => string.Join(' ', need.Packs.Select(p => $"{p.Size}×{p.Count}"));

    /// <summary>Without rungs that take a connector the number is negative binomial. Reference library: MathNet.Numerics.</summary>
    [Theory]
    [InlineData(1, 0.5, 0.95)]
    [InlineData(24, 0.986, 0.95)]
    [InlineData(288, 0.93, 0.99)]
    [InlineData(10_000, 0.9, 0.95)]
    [InlineData(40, 0.05, 0.5)]
    public void Connectors_are_the_quantile_of_the_negative_binomial(int ends, double firstPass, double confidence)
    {
        var need = ConnectorKit.Of(new(ends, firstPass, Confidence: confidence)).Connectors;
        Assert.True(Enough(need) >= confidence - 1e-9);
        Assert.True(Enough(need - 1) < confidence + 1e-9);
        double Enough(int n) => n < ends ? 0 : 1 - Binomial.CDF(firstPass, n, ends - 1);
    }

    /// <summary>By hand: first pass 0.8; a rung of 0.5, twice, 4 min and 12 mm each; else a new connector, 10 min and 80 mm.
    /// Given up 0.2 × 0.5² = 0.05. Tries of a connector 1 + 0.2 + 0.1 = 1.3, of an end 1.3 / 0.95. Minutes (0.3 × 4 + 0.05 × 10) / 0.95.</summary>
    [Fact]
    public void The_chain_comes_to_what_is_worked_by_hand()
    {
        var model = new ReworkModel(0.8, [new(1, [new(0.5, 2, 4, 12)], 10, 80)]);
        Assert.Equal(0.05, model.GivenUp, 12);
        Assert.Equal(1.3 / 0.95, model.ExpectedAttempts, 12);
        Assert.Equal(1.7 / 0.95, model.ExpectedReworkMinutes, 12);
        Assert.Equal(((0.3 * 12) + (0.05 * 80)) / 0.95, model.ExpectedSlackMm, 12);
        Assert.Equal(1 / 0.95, model.ExpectedConnectors, 12);
        // 0.8 done with nothing, 0.9 with 12 mm, 0.95 with 24; then 104 for the next connector's first pass: 0.99.
        Assert.Equal([0, 12, 24, 104, 116], new[] { 0.8, 0.9, 0.95, 0.99, 0.995 }.Select(c => model.Enough(c).SlackMm));
        // Two shards of each first pass and one of each try of the rung: (2 + 0.3) / 0.95; with 0.99 the second connector's first pass ends it.
        var glass = new ReworkModel(0.8, [new(1, [new(0.5, 2, 4, 12, Shards: 1)], 10, 80)], 2);
        Assert.Equal(2.3 / 0.95, glass.Expected.Shards, 12);
        Assert.Equal(new Spent(4, 2, 18, 6, 104), glass.Enough(0.99));
        // With 30 mm it ends where the third try has failed; with 11 mm where the first pass has.
        Assert.Equal(0.05, model.Slack().Beyond(30), 12);
        Assert.Equal(0.2, model.Slack().Beyond(11), 12);
        Assert.Equal(0.0025, model.Slack().Beyond(128 + 79), 12);
        Assert.Equal((1.0, 0.0), (model.Slack().Beyond(-1), new ReworkModel(0.8, [new(1, [], 10, 0)]).Slack().Beyond(0)));
    }

    /// <summary>By hand: first pass 0.8. Three of four that fail come to a rung of 0.5 (4 min, 12 mm), else a new connector (10 min, 80 mm); one of four was stripped wrong, and begins again with the
    /// connector at hand (4 min, 30 mm). Given up 0.15 × 0.5 + 0.05 = 0.125.</summary>
    [Fact]
    public void Ladders_of_several_checks_come_to_what_is_worked_by_hand()
    {
        IReadOnlyList<RetryLadder> ladders = [new(3, [new(0.5, 1, 4, 12)], 10, 80), new(1, [], 4, 30, TakesConnector: false)];
        var model = new ReworkModel(0.8, ladders);
        Assert.Equal(0.125, model.GivenUp, 12);
        Assert.Equal([1.15 / 0.875, 1 + (0.075 / 0.875), 1.55 / 0.875, 9.3 / 0.875], new[] { model.ExpectedAttempts, model.ExpectedConnectors, model.ExpectedReworkMinutes, model.ExpectedSlackMm }, (a, b) => Math.Abs(a - b) < 1e-12);
        // 0 mm with 0.8, 12 with 0.075; begun again at 30 with 0.05 and at 92 with 0.075; so 30 with 0.04 and 42 with 0.05 × 0.075.
        var slack = model.Slack();
        Assert.Equal([0.2, 0.125, 0.085, 0.08125], new[] { 11.0, 12, 30, 42 }.Select(slack.Beyond), (a, b) => Math.Abs(a - b) < 1e-12);
        Assert.Equal([0.0, 12, 30, 92], new[] { 0.8, 0.87, 0.9, 0.97 }.Select(slack.Enough));
        // Connectors of one end: 1 where it never came to a new one: good at once or by the rung 0.875, again and again after a wrong strip: 0.875 / 0.95.
        Assert.Equal(0.875 / 0.95, model.Connectors(1)[1], 9);
        Assert.Equal(model.ExpectedConnectors, model.Connectors(1).Index().Sum(c => c.Index * c.Item), 9);
        Assert.Equal(model.Expected, ConnectorKit.Of(new(1, 0.8, Ladders: ladders)).Expected);
        Assert.Equal(["ladders[0].rungs[0].success", "ladders[1].share"],
            Assert.Throws<RefusedException>(() => ConnectorKit.Of(new(1, 0.8, Ladders: [new(1, [new(2)], 0, 0), new(0, [], 0, 0)]))).Refusals.Select(r => r.Field));
        Assert.Equal("ladders", Assert.Throws<RefusedException>(() => ConnectorKit.Of(new(1, 0.8, [new(0.5)], Ladders: ladders))).Refusals.Single().Field);
    }

    /// <summary>A procedure's checks fail as assumed until the company's own reasons say which; a rung helps as often as it did.</summary>
    [Fact]
    public void Which_check_fails_and_what_a_rung_helps_follow_what_was_counted()
    {
        Assert.Equal([1.0, 1, 1, 3], Wedge.Ladders.Select(l => Math.Round(l.Share / Wedge.Ladders[0].Share, 9)));
        Assert.Equal(Repo.Wedge.Ladders.Count(l => Repo.Wedge.States.Any(s => s.On.Values.Any(t => t.Ladder == l.Id))), Wedge.Ladders.Count);
        var glow = Repo.Wedge.States.SelectMany(s => s.On.Values).First(t => t.Ladder == "glow").Reason!.Value;
        var own = new MethodCount(new(70, 30), new(9, 1), new Dictionary<ReworkReason, long> { [glow] = 30 });
        var model = Experience.Model(Repo.Wedge, Experience.FirstPass(TerminationMethod.WedgeLocked, own), own);
        var share = model.Ladders.Select(l => l.Share).ToList();
        Assert.True(share.Max() / share.Sum() > 0.8);
        Assert.Equal((6 + 9.0) / 20, model.Ladders.SelectMany(l => l.Rungs).First().Success, 12);
        // A stripped fiber that breaks takes no connector, a dark one in the end does.
        Assert.Equal([false, true], new[] { "strip", "glow" }.Select(id => Wedge.Ladders[Repo.Wedge.Ladders.Select(l => l.Id).ToList().IndexOf(id)].TakesConnector));
    }

    /// <summary>A rung that takes a connector each time, against a seeded Monte Carlo of the same ladder.</summary>
    [Fact]
    public void A_ladder_that_takes_connectors_agrees_with_a_monte_carlo()
    {
        IReadOnlyList<RetryLadder> ladders = [new(2, [new(0.4, 2, 3, 10), new(0.6, 2, 8, 40, NewConnector: true)], 12, 80), new(1, [new(0.3, 3, 1)], 5, 20, TakesConnector: false)];
        var model = new ReworkModel(0.7, ladders);
        var (random, rounds, ends) = (new Random(20261127), 20_000, 12);
        var totals = new int[rounds];
        var (tries, minutes) = (0L, 0.0);
        for (var round = 0; round < rounds; round++)
        {
            for (var end = 0; end < ends; end++)
            {
                totals[round]++;
                for (var done = false; !done;)
                {
                    tries++;
                    done = random.NextDouble() < 0.7;
                    var ladder = ladders[random.NextDouble() < 2 / 3.0 ? 0 : 1];
                    foreach (var rung in ladder.Rungs.SelectMany(r => Enumerable.Repeat(r, r.Tries)).TakeWhile(_ => !done))
                    {
                        tries++;
                        minutes += rung.Minutes;
                        totals[round] += rung.NewConnector ? 1 : 0;
                        done = random.NextDouble() < rung.Success;
                    }

                    minutes += done ? 0 : ladder.NewConnectorMinutes;
                    totals[round] += !done && ladder.TakesConnector ? 1 : 0;
                }
            }
        }

        var n = (double)rounds * ends;
        Assert.InRange(model.ExpectedConnectors, (totals.Sum() / n) - 0.005, (totals.Sum() / n) + 0.005);
        Assert.InRange(model.ExpectedAttempts, (tries / n) - 0.01, (tries / n) + 0.01);
        Assert.InRange(model.ExpectedReworkMinutes, (minutes / n) - 0.05, (minutes / n) + 0.05);
        var chances = model.Connectors(ends);
        Assert.Equal(1, chances.Sum(), 9);
        foreach (var k in new[] { 12, 13, 14, 16, 18 })
        {
            Assert.InRange(chances.Take(k + 1).Sum(), (totals.Count(t => t <= k) / (double)rounds) - 0.012, (totals.Count(t => t <= k) / (double)rounds) + 0.012);
        }
    }

    [Fact]
    public void What_cannot_be_packed_names_its_field()
    {
        string[] Fields(KitAsk ask) => [.. Assert.Throws<RefusedException>(() => ConnectorKit.Of(ask)).Refusals.Select(r => $"{r.Field} {r.Code}")];
        Assert.Equal(["ends figure-range", "firstPass figure-range", "rungs[0].tries figure-range"], Fields(new(0, 1.2, [new(0.5, 0)])).Order());
        Assert.Equal(["confidence figure-above"], Fields(new(4, 0.9, Confidence: double.NaN)));
        Assert.Equal(["packs[1] figure-range"], Fields(new(4, 0.9, Packs: [1, 0])));
        Assert.Equal(["firstPass never-good"], Fields(new(4, 0)));
        Assert.Equal(["ends kit-too-large"], Fields(new(20_000, 0.01)));
    }

    /// <summary>By hand: 30 connectors, an oven of 12 that cures in 10 min and is warm after 6, 1 min to fill one, pot life 25 min.
    /// 12 are filled from 0 to 12 and cured at 22; 12 more by 24 come in at 24, within 25; the last 6 want a second mix: filled from 28 to 34, when the oven is free, cured at 44.</summary>
    [Fact]
    public void Adhesive_is_mixed_as_seldom_and_as_late_as_it_may_be()
    {
        var plan = AdhesivePlan.Of(new(30, 0.03, 0.5, 1, 25, 12, 10, 6));
        Assert.Equal([new Mix(0, 24, (24 * 0.03) + 0.5), new(28, 6, (6 * 0.03) + 0.5)], plan.Mixes);
        Assert.Equal((1.0, 44.0), (plan.WasteMl, plan.FinishMin));
        // A pot life that fills eight: loads of eight, and one that is shorter than a single connector says so.
        Assert.Equal([8, 8, 8, 6], AdhesivePlan.Of(new(30, 0.03, 0.5, 1, 8.5, 12, 10, 6)).Mixes.Select(m => m.Connectors));
        var refused = Assert.Throws<RefusedException>(() => AdhesivePlan.Of(new(30, 0.03, 0.5, 1, 0.5, 12, 10, 6))).Refusals[0];
        Assert.Equal(("pot-life-short", "potLifeMin"), (refused.Code, refused.Field));
        Assert.Equal("ovenSlots", Assert.Throws<RefusedException>(() => AdhesivePlan.Of(new(30, 0.03, 0.5, 1, 9, 0, 10, 6))).Refusals[0].Field);
    }

    [Fact]
    public void A_mix_is_filled_within_its_pot_life_by_one_pair_of_hands_and_serves_everybody()
    {
        var random = new Random(7);
        for (var round = 0; round < 300; round++)
        {
            var ask = new AdhesiveAsk(random.Next(1, 200), 0.03, 0.4, 0.2 + random.NextDouble(), 2 + (random.NextDouble() * 60), random.Next(1, 40), random.NextDouble() * 40, random.NextDouble() * 15);
            var plan = AdhesivePlan.Of(ask);
            Assert.Equal(ask.Connectors, plan.Mixes.Sum(m => m.Connectors));
            Assert.All(plan.Mixes, m => Assert.True(m.Connectors * ask.InjectMin <= ask.PotLifeMin + 1e-6));
            Assert.All(plan.Mixes.Zip(plan.Mixes.Skip(1)), p => Assert.True(p.Second.StartMin >= p.First.StartMin + (p.First.Connectors * ask.InjectMin) - 1e-6));
            Assert.True(plan.FinishMin >= ask.WarmUpMin + ask.CureMin);
        }
    }

    /// <summary>The three methods that lead transmit to receive, 12 fibers. ANSI/TIA-568.3-D, from memory.</summary>
    [Theory]
    [InlineData("cord A-to-B, module A, trunk A, module A, cord A-to-A", true, 2, null)]
    [InlineData("cord A-to-B, module A, trunk B, module B, cord A-to-B", true, 2, null)]
    [InlineData("cord A-to-B, module A, trunk C, module A, cord A-to-B", true, 2, null)]
    [InlineData("cord A-to-B, module A, trunk A, module A, cord A-to-B", false, 1, 4)]
    [InlineData("cord A-to-A, module A, trunk B, module B, cord A-to-B", false, 1, 0)]
    [InlineData("cord A-to-A, module A, trunk A, module A, cord A-to-B", true, 2, null)]
    [InlineData("trunk A", false, 1, 0)]
    [InlineData("trunk C", true, 2, null)]
    [InlineData("trunk B", true, 12, null)]
    [InlineData("cord A-to-B", true, 2, null)]
    public void Transmit_meets_receive(string chain, bool duplexOk, int first, int? wrong)
    {
        var answer = Polarity.Of(new(12, [.. chain.Split(", ").Select(p => p.Split(' ')).Select(p => new PolarityLink(Wire.Parse<PolarityPart>(p[0]), Wire.Parse<PolarityType>(p[1])))]));
        Assert.Equal((duplexOk, first, wrong), (answer.DuplexOk, answer.Map[0], answer.FirstWrong));
        Assert.Equal(Enumerable.Range(1, 12), answer.Map.Order());
    }

    /// <summary>Array cables of 12: A position by position, B turned about, C by crossed pairs. ANSI/TIA-568.3-D, from memory.</summary>
    [Theory]
    [InlineData("A", new[] { 1, 2, 3, 4, 5, 6, 7, 8, 9, 10, 11, 12 }, false)]
    [InlineData("B", new[] { 12, 11, 10, 9, 8, 7, 6, 5, 4, 3, 2, 1 }, true)]
    [InlineData("C", new[] { 2, 1, 4, 3, 6, 5, 8, 7, 10, 9, 12, 11 }, false)]
    public void An_array_cable_leads_by_its_type(string type, int[] map, bool arrayOk)
    {
        var answer = Polarity.Of(new(12, [new(PolarityPart.Trunk, Wire.Parse<PolarityType>(type))]));
        Assert.Equal(map, answer.Map);
        Assert.Equal(arrayOk, answer.ArrayOk);
        Assert.Equal("chain[0].type", Assert.Throws<RefusedException>(() => Polarity.Of(new(12, [new(PolarityPart.Cord, Wire.Parse<PolarityType>(type))]))).Refusals[0].Field);
        Assert.Equal("fibers", Assert.Throws<RefusedException>(() => Polarity.Of(new(7, [new(PolarityPart.Trunk, Wire.Parse<PolarityType>(type))]))).Refusals[0].Field);
    }

    /// <summary>Worked by hand beside each line.</summary>
    [Fact]
    public void A_dear_tool_pays_from_a_number_of_ends_on()
    {
        MethodFigures noPolish = new("no-polish", 14, 1, 0, 0, 10, 1, 10, 0.3, 0.1), spliceOn = new("splice-on", 9, 1, 1400, 0, 8, 0.5, 4, 0.15, 0.05);
        // no-polish 15 + 10 min at 30 = 20 each. splice-on (9 + 1) / 0.5 + (8 + 4) min at 30 = 26 each: never.
        Assert.Empty(MethodCosts.Of(new(100, 30, [noPolish, spliceOn], 0.75)).BreakEven);
        // At a first pass of 1 it is 10 + 4 = 14 each: 1400 / 6 = 233.3, so from 234 ends on.
        var pays = MethodCosts.Of(new(100, 30, [noPolish, spliceOn with { FirstPass = 1 }], 0.45));
        Assert.Equal([new BreakEven("no-polish", "splice-on", 234)], pays.BreakEven);
        Assert.Equal([20.0, 28.0], pays.Methods.Select(m => Math.Round(m.CostPerAccepted, 9)));
        Assert.Equal(100 * 10 / 60.0, pays.Methods[0].Hours, 9);
        Assert.Equal(0.0668, pays.Methods[0].ShareOverLimit, 4); // 1.5 standard deviations; tables of the normal distribution
        // Tools that last for 100 ends are bought again: 1400 for each begun hundred is never earned at 6 an end.
        Assert.Empty(MethodCosts.Of(new(100, 30, [noPolish, spliceOn with { FirstPass = 1, ToolLifeEnds = 100 }], 0.45)).BreakEven);
        Assert.Equal("methods[1].name", Assert.Throws<RefusedException>(() => MethodCosts.Of(new(1, 30, [noPolish, noPolish with { Name = " " }], 1))).Refusals[0].Field);
    }

    /// <summary>Beta(1, 1) is the uniform distribution, and Beta(a, 1) has the quantile p^(1/a): closed forms.</summary>
    [Fact]
    public void Chances_begin_as_assumptions_and_follow_what_was_counted()
    {
        Assert.Equal(0.37, new Chance(1, 1).Quantile(0.37), 9);
        Assert.Equal(Math.Pow(0.05, 1 / 7.0), new Chance(7, 1).Quantile(0.05), 9);
        // 18.8 good and 1.2 bad are assumed of a wedge; 40 good and 10 bad counted make 58.8 of 70.
        Assert.Equal(0.94, Experience.FirstPass(TerminationMethod.WedgeLocked).Mean, 9);
        var company = Experience.FirstPass(TerminationMethod.WedgeLocked).And(40, 10);
        Assert.Equal(58.8 / 70, company.Mean, 9);
        // Three of three, or none of three: 84 % becomes 86 or 73 %, and not 100 or 0.
        Assert.Equal([Math.Round(((20 * 0.84) + 3) / 23, 12), Math.Round(20 * 0.84 / 23, 12)], new[] { new GoodAndBad(3, 0), new GoodAndBad(0, 3) }.Select(own => Math.Round(Experience.OfPerson(company, own).Mean, 12)));
    }

    private static EndToMake End(double spareMm, CableConstruction construction = CableConstruction.Cordage30) => new(
        EndId.New(), "wedge-locked-upc-3mm", 4, TerminationMethod.WedgeLocked, ConnectorForm.SC, Polish.UPC, FiberMode.Multimode, FiberClass.OM3, construction, CordKind.None, spareMm + SlackReserve.ClampMm);

    private static readonly ReworkModel Wedge = Experience.Model(Repo.Wedge, Experience.FirstPass(TerminationMethod.WedgeLocked), MethodCount.None);

    private static JobKit Kit(IReadOnlyList<EndToMake> ends, GoodAndBad? counted = null, double? confidence = 0.95, CompanyFigures? company = null, IReadOnlyList<RunTable>? other = null, IReadOnlyDictionary<PersonId, GoodAndBad>? people = null) =>
        JobKits.Of(ends, new(_ => Repo.Wedge, _ => [Repo.Wedge, .. other ?? []]), new(_ => MethodCount.None with { FirstPass = counted ?? new(0, 0) }, _ => people ?? new Dictionary<PersonId, GoodAndBad>(), _ => null), company ?? CompanyFigures.Usual, confidence);

    [Fact]
    public void A_job_says_what_to_bring_and_which_ends_cannot_afford_a_second_try()
    {
        var (short1, short2) = (End(20), End(50));
        var ends = Enumerable.Range(0, 22).Select(_ => End(900)).Append(short1).Append(short2).ToList();
        var kit = Kit(ends);
        var before = Assert.Single(kit.Groups);
        Assert.Equal(ConnectorKit.Of(before.Ask).Connectors, before.Connectors);
        Assert.All(before.Parts, p => Assert.Equal(p.Part == "pair-clip" ? (before.Connectors + 1) / 2 : before.Connectors, p.Count));
        Assert.Equal(Repo.Wedge.Parts.Count, before.Parts.Count);
        Assert.True(before.FirstPassLow < before.FirstPass && before.FirstPass < before.FirstPassHigh && before.Counted == 0);
        // 20 mm do not reach for another cleave or strip: what fails at once is out of slack, but for a connector taken out of the wrong bag. 50 mm reach for it, and for no new connector after it.
        var all = CompanyFigures.Usual with { RiskShown = 0.01 };
        var risks = Kit(ends, company: all).Risks;
        Assert.Equal([short1.EndId, short2.EndId], risks.Select(r => r.EndId));
        Assert.Equal([Math.Round(0.06 * 5 / 6, 3), Math.Round(Wedge.Slack().Beyond(50), 3)], risks.Select(r => Math.Round(r.Risk, 3)));
        // Two closed as failed: more to bring, and more at risk. Surer: more to bring.
        var after = Kit(ends, new(0, 2), company: all);
        Assert.True(after.Groups[0].FirstPass < before.FirstPass && after.Groups[0].Connectors >= before.Connectors && after.Groups[0].Counted == 2);
        Assert.True(after.Risks[0].Risk > risks[0].Risk);
        Assert.True(Kit(ends, confidence: 0.99).Groups[0].Connectors > before.Connectors);
        Assert.Equal("confidence", Assert.Throws<RefusedException>(() => Kit(ends, confidence: 1)).Refusals[0].Field);
    }

    /// <summary>An end that does not come to the bench and into the clamp (254 mm), or whose loop would be gone (190 mm a turn), is out of slack. Common practice.</summary>
    [Fact]
    public void Reach_and_loop_are_slack_that_cannot_be_cut_off()
    {
        Assert.Equal([254.0, 754, 570], new[] { SlackReserve.Mm(0, 0), SlackReserve.Mm(500, 2), SlackReserve.Mm(0, 3) });
        var far = End(0) with { SlackLeftMm = 700, ReachMm = 500 };
        Assert.Equal((-54.0, 1.0), (far.SpareMm, Kit([far]).Risks.Single().Risk));
        Assert.Empty(Kit([far with { ReachMm = 0 }]).Risks);
        Assert.Equal([RibbonFault.SlackShort, RibbonFault.TooThick, RibbonFault.TooManyRibbons], RibbonModules.Faults(888, 7.7, 48));
        Assert.Empty(RibbonModules.Faults(889, 7.6, 36).Concat(RibbonModules.Faults(900, null, 12)));
    }

    /// <summary>What makes the risk smaller by half or more, the best first: a splice that takes no slack, and the one who hardly ever fails.</summary>
    [Fact]
    public void A_risky_end_says_what_to_do_about_it()
    {
        var spliced = Repo.Wedge with { ProcedureId = "splice-on-3mm", Method = TerminationMethod.SpliceOn, Ladders = [], Prep = Repo.Wedge.Prep with { CutOffUsesMm = 5 } };
        var hand = PersonId.New();
        var people = new Dictionary<PersonId, GoodAndBad> { [PersonId.New()] = new(3, 3), [hand] = new(400, 0) };
        var risk = Kit([End(20)], new(60, 40), other: [spliced], people: people).Risks.Single();
        Assert.Equal([(RiskAct.SpliceOn, "splice-on-3mm", null), (RiskAct.BestHand, null, hand)], risk.Advice.Select(a => (a.Act, a.ProcedureId, a.PersonId)));
        Assert.All(risk.Advice, a => Assert.True(a.Risk < risk.Risk / 2));
    }

    /// <summary>Two kinds of cable that take the same connector share their spare ones; a box that serves no fan-out is not offered for it, and a boot for another cable is set aside.</summary>
    [Fact]
    public void Ends_that_are_served_from_the_same_packs_share_their_spare_connectors()
    {
        var (cordage, buffered, fanned) = (Enumerable.Range(0, 12).Select(_ => End(900)), Enumerable.Range(0, 12).Select(_ => End(900, CableConstruction.TightBuffer900)), Enumerable.Range(0, 6).Select(_ => End(900, CableConstruction.FanOut900)));
        var kit = Kit([.. cordage, .. buffered, .. fanned], confidence: 0.9);
        Assert.Equal(2, kit.Connectors.Count);
        var shared = kit.Connectors.Single(c => c.Constructions.Count == 2);
        var each = Math.Sqrt(0.9);
        Assert.Equal(ConnectorKit.Of(new(24, Wedge.FirstPass, Confidence: each, Ladders: Wedge.Ladders)).Connectors, shared.Connectors);
        Assert.Equal(shared.Connectors, kit.Groups.Where(g => g.Construction != CableConstruction.FanOut900).Sum(g => g.Connectors));
        Assert.True(shared.Confidence >= each && kit.Confidence >= 0.9 && shared.Packs.Sum(p => p.Size * p.Count) == shared.Connectors + shared.Left);
        Assert.Contains(shared.Packs, p => p.Size == 25);
        var alone = kit.Connectors.Single(c => c.Constructions.Count == 1);
        Assert.All(alone.Packs, p => Assert.Equal(1, p.Size));
        Assert.Contains(("boot", CableConstruction.TightBuffer900, 12), shared.SetAside.Select(a => (a.Part, a.Construction, a.Count)));
        Assert.Equal([("boot", CableConstruction.FanOut900, 6)], alone.SetAside.Select(a => (a.Part, a.Construction, a.Count)));
        Assert.Contains(CableConstruction.Cordage30, alone.SetAside[0].For!);
        // 49 at 17 each, or 382.50 the box of 25: two boxes with one over are cheaper than a box and 24 single ones.
        Assert.Equal([(25, 2)], ConnectorKit.Packed(49, [(1, 17), (25, 382.5)], 17 * 0.2).Packs.Select(p => (p.Size, p.Count)));
    }

    /// <summary>By hand: 2 ends at a first pass of 0.5 take 2 connectors with 1/4, 3 with 1/4, 4 with 3/16, 5 with 1/8, 6 with 5/64. A trip costs 10. A connector left over costs 2 of its price of 10:
    /// with 5 the trip is left with 12/64 or less and one more would cost 2 × 0.8125 = 1.63 against 10 × 5/64 = 0.78 saved; from 4 to 5 it is 2 × 0.6875 = 1.38 against 1.25. So 4.</summary>
    [Fact]
    public void What_is_packed_may_follow_from_what_a_trip_and_a_leftover_cost()
    {
        var tally = Tally.Of(new ReworkModel(0.5, [new(1, [], 0, 0)]).Connectors(2));
        Assert.Equal((4, 3, 2), (tally.Cheapest(2, 10), tally.Cheapest(5, 10), tally.Cheapest(10, 10)));
        Assert.Equal((0.6875, 4), (Math.Round(tally.EnoughChance(4), 9), tally.Enough(0.6875)));
        var ends = Enumerable.Range(0, 24).Select(_ => End(900)).ToList();
        var (near, far) = (Kit(ends, confidence: null, company: CompanyFigures.Usual with { TripCost = 20 }), Kit(ends, confidence: null, company: CompanyFigures.Usual with { TripCost = 2000 }));
        Assert.True(near.FromCost && far.FromCost && near.Connectors[0].Connectors < far.Connectors[0].Connectors && near.Confidence < far.Confidence);
        Assert.False(Kit(ends, confidence: null).FromCost);
        // What does not keep costs all of its price when it is left over: fewer are packed.
        var perishes = CompanyFigures.Usual with { TripCost = 200, Methods = [.. CompanyFigures.Usual.Methods.Select(m => m with { Keeps = false })] };
        Assert.True(Kit(ends, confidence: null, company: perishes).Connectors[0].Connectors < Kit(ends, confidence: null, company: CompanyFigures.Usual with { TripCost = 200 }).Connectors[0].Connectors);
    }

    /// <summary>By hand: one cleave and one shard a connector; a box of 500 shards; film by strokes; heat-cured packets by the mix.</summary>
    [Fact]
    public void Supplies_follow_from_what_the_procedures_do()
    {
        var kit = Kit(Enumerable.Range(0, 24).Select(_ => End(900)).ToList());
        SupplyNeed Of(JobKit k, SupplyKind kind) => k.Supplies.Single(s => s.Kind == kind);
        Assert.Equal((1.0, 1), (Of(kit, SupplyKind.SharpsContainer).Amount, Of(kit, SupplyKind.SharpsContainer).Packs));
        Assert.DoesNotContain(kit.Supplies, s => s.Kind is SupplyKind.FilmSheet or SupplyKind.AdhesiveMl or SupplyKind.BladePosition);
        var wipes = Of(kit, SupplyKind.Wipes);
        Assert.Equal((Math.Ceiling(wipes.Uses * 3), 90.0), (wipes.Amount, (wipes.Amount + wipes.Left) / wipes.Packs));
        Assert.True(wipes.Uses >= 24 * Wedge.ExpectedAttempts);

        var cured = Repo.Rules.Table("heat-cured-epoxy-3mm", Repo.Rules.Newest.Single(p => p.Id == "heat-cured-epoxy-3mm").Version);
        var epoxy = JobKits.Of([.. Enumerable.Range(0, 30).Select(_ => End(900) with { ProcedureId = cured.ProcedureId, Method = TerminationMethod.HeatCuredEpoxy })],
            new(_ => cured, _ => [cured]), new(_ => MethodCount.None, _ => new Dictionary<PersonId, GoodAndBad>(), _ => null), CompanyFigures.Usual, 0.95);
        var made = epoxy.Groups[0].Connectors;
        var mix = CompanyFigures.Usual.MixOf(TerminationMethod.HeatCuredEpoxy)!;
        var mixes = AdhesivePlan.Of(new(made, mix.InjectMl, mix.DeadMl, mix.InjectMin, mix.PotLifeMin, mix.OvenSlots, mix.CureMin, mix.WarmUpMin)).Mixes;
        Assert.Equal(mixes.Sum(m => Math.Ceiling(m.Ml / mix.PacketMl)), Of(epoxy, SupplyKind.AdhesivePacket).Amount);
        foreach (var film in epoxy.Supplies.Where(s => s.Kind == SupplyKind.FilmSheet))
        {
            var counts = cured.States.Select(s => s.Count).Where(c => c?.Film == film.Detail).ToList();
            Assert.Equal((made * counts.Sum(c => c!.Max), Math.Ceiling((double)made * counts.Sum(c => c!.Max) / counts.Min(c => c!.SheetLimit)!.Value)), ((int)film.Uses, film.Amount));
        }

        Assert.Contains(epoxy.Supplies, s => s.Kind == SupplyKind.FilmSheet);
        CompanyFigures.Usual.Check();
        Assert.Equal(["mixes[0].potLifeMin", "packs[0].size", "supplies"], Assert.Throws<RefusedException>(() => (CompanyFigures.Usual with
        {
            Mixes = [mix with { PotLifeMin = 0 }],
            Packs = [CompanyFigures.Usual.Packs[0] with { Size = 0 }],
            Supplies = [new(SupplyKind.Wipes, 1, 1), new(SupplyKind.Wipes, 1, 1)],
        }).Check()).Refusals.Select(r => r.Field).Order());
    }

    /// <summary>By hand: places for 2, 5 min to heat, warm at 6, 1 min to insert, 2 stands, 6 min to cool. In at 6, 6; out at 11 and 12; those cool until 18 and 19; the third went in at 11 and is hot at 16, but a stand
    /// is free from 18 on only: taken at 17 so that it stands there at 18, cold at 24; the fourth taken at 18, cold at 25.</summary>
    [Fact]
    public void Hot_melt_waits_for_the_oven_the_stands_or_the_hands()
    {
        var plan = MeltPlan.Of(4, new(2, 5, 6, 2, 6, 1));
        Assert.Equal([new MeltLoad(6, 2), new(11, 1), new(12, 1)], plan.Loads);
        Assert.Equal((3.5, MeltBound.Stands, 25.0), (plan.EveryMin, plan.Bound, plan.FinishMin));
        Assert.Equal(MeltBound.Hands, MeltPlan.Of(4, new(6, 5, 6, 7, 6, 1)).Bound);
        Assert.Equal("figures.coolingStands", Assert.Throws<RefusedException>(() => MeltPlan.Of(4, new(2, 5, 6, 0, 6, 1))).Refusals[0].Field);
    }

    /// <summary>Crossing at 234 ends as worked above; 2 % of a normal spread lie 2.0537 standard deviations above its mean (tables of the normal distribution).</summary>
    [Fact]
    public void The_right_method_is_said_with_what_would_change_it()
    {
        MethodFigures noPolish = new("no-polish", 14, 1, 0, 0, 10, 1, 10, 0.3, 0.1), spliceOn = new("splice-on", 9, 1, 1400, 0, 8, 1, 4, 0.15, 0.05);
        var choice = MethodCosts.Of(new(100, 30, [noPolish, spliceOn], 0.75)).Choice;
        Assert.Equal(("no-polish", 2, "splice-on", 8.0), (choice.Name, choice.WithinLimit, choice.Next, Math.Round(choice.Saves!.Value, 9)));
        Assert.Equal([(ChangeKind.MoreEnds, 234.0, "splice-on"), (ChangeKind.TighterLimit, 0.5054, "splice-on")], choice.Changes.Select(c => (c.Kind, Math.Round(c.At, 4), c.Name)));
        var tight = MethodCosts.Of(new(100, 30, [noPolish, spliceOn], 0.3)).Choice;
        Assert.Equal(("splice-on", 1, null, (ChangeKind.LooserLimit, "no-polish")), (tight.Name, tight.WithinLimit, tight.Next, tight.Changes.Select(c => (c.Kind, c.Name)).Single()));
        Assert.Equal(("splice-on", 0), (MethodCosts.Of(new(100, 30, [noPolish, spliceOn], 0.1)).Choice.Name, MethodCosts.Of(new(100, 30, [noPolish, spliceOn], 0.1)).Choice.WithinLimit));
        // 2000 for no-polish, 2800 with the splicer: a budget of 2500 says so.
        Assert.Equal([false, true], MethodCosts.Of(new(100, 30, [noPolish, spliceOn], 0.75, 2500)).Methods.Select(m => m.OverBudget));
        var curve = MethodCosts.Of(new(100, 30, [noPolish, spliceOn], 0.75)).Curve;
        Assert.Equal((1, 1000, 20.0, 14 + 1.4), (curve[0].Ends, curve[^1].Ends, Math.Round(curve[^1].CostPerAccepted[0], 9), Math.Round(curve[^1].CostPerAccepted[1], 9)));
    }

    /// <summary>12 counted in the van at nine, 10 loaded at ten out of 30 in the store, 5 made since: 17 and 20 are left. What was loaded before the count is in it.</summary>
    [Fact]
    public void Stock_is_what_was_counted_with_what_was_loaded_and_less_what_was_made()
    {
        var (crew, other) = (CrewId.New(), CrewId.New());
        var item = new KitItem(KitItemKind.Connector, TerminationMethod.WedgeLocked, ConnectorForm.SC, Polish.UPC, FiberMode.Multimode);
        Instant At(int hour) => Instant.FromUtc(2026, 11, 27, hour, 0);
        PickState Pick(CrewId whose, double count, int hour, bool fromStore = true) => new() { Id = new(Guid.CreateVersion7()), CrewId = whose, Lines = [new(item, 10, null, count, null, null, fromStore, At(hour))] };
        var van = new CrewState { Id = crew.As<Ids.Stream>(), Stock = [new(item, 12, At(9), default)] };
        var store = new StoreState { Id = StoreState.Only, Stock = [new(item, 30, At(9), default)] };
        StockLevel Level(CrewState? v, StoreState? s, params PickState[] picks) => PickLists.Levels([item], crew, v, s, picks, (_, since) => since <= At(11) ? 5 : 0).Single();
        Assert.Equal((17.0, 20.0), (Level(van, store, Pick(crew, 10, 10)).Van!.Value, Level(van, store, Pick(crew, 10, 10)).Store!.Value));
        Assert.Equal((7.0, 30.0), (Level(van, store, Pick(crew, 10, 8)).Van!.Value, Level(van, store, Pick(crew, 10, 8)).Store!.Value));
        Assert.Equal((7.0, 26.0), (Level(van, store, Pick(other, 4, 10), Pick(crew, 3, 10, fromStore: false)).Van!.Value, Level(van, store, Pick(other, 4, 10), Pick(crew, 3, 10, fromStore: false)).Store!.Value));
        Assert.Equal((null, null), (Level(null, null).Van, Level(null, null).Store));
    }

    /// <summary>A pinned array connector meets one without pins, angle meets angle; what nobody said is not judged. Common practice.</summary>
    [Fact]
    public void Arrays_are_mated_pinned_to_unpinned_and_angle_to_angle()
    {
        PolarityLink Trunk(bool? near, bool? far, bool? angled = null) => new(PolarityPart.Trunk, PolarityType.B, near, far, angled);
        var module = new PolarityLink(PolarityPart.Module, PolarityType.A, PinsNear: true, Angled: false);
        JointWrong[] Joints(params PolarityLink[] chain) => [.. Polarity.Of(new(12, chain)).Joints];
        Assert.Empty(Joints(module, Trunk(false, false), module));
        Assert.Equal([new(0, JointFault.BothPinned), new(1, JointFault.BothPinned)], Joints(module, Trunk(true, true), module));
        Assert.Equal([new(0, JointFault.NonePinned), new(0, JointFault.AngleDiffers)], Joints(Trunk(false, false, true), Trunk(false, true, false)));
        Assert.Empty(Joints(new(PolarityPart.Cord, PolarityType.AToB), module, Trunk(null, null)));
    }

    /// <summary>ANSI/TIA-568.3-D, from memory: consecutive-fiber keeps the strands and turns the adapters about, reverse-pair exchanges the strands; both cross each pair once.</summary>
    [Fact]
    public void Strands_lie_on_duplex_ports_by_their_scheme()
    {
        string Far(PairScheme scheme) => string.Join(' ', PortMaps.Of(new(4, scheme)).Far.OrderBy(p => p.Port).ThenBy(p => p.Position).Select(p => $"{p.Port}{p.Position}{p.Strand}"));
        Assert.Equal(["1A1 1B2 2A3 2B4", "1A2 1B1 2A4 2B3", "1A2 1B1 2A4 2B3"], new[] { PairScheme.Straight, PairScheme.ConsecutiveFiber, PairScheme.ReversePair }.Select(Far));
        Assert.Equal([false, true, true], new[] { PairScheme.Straight, PairScheme.ConsecutiveFiber, PairScheme.ReversePair }.Select(s => PortMaps.Of(new(4, s)).Meets));
        Assert.Equal("pairs-even", Assert.Throws<RefusedException>(() => PortMaps.Of(new(3, PairScheme.Straight))).Refusals[0].Code);
    }
}
