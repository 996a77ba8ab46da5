using MathNet.Numerics.LinearAlgebra;
using Rhabdon.Core.Fiber;
using Rhabdon.Core.Loss;
using Rhabdon.Practice;
using Xunit;

namespace Rhabdon.Core.Tests;

public class LossTests
{
    /// <summary>Source: textbook Gaussian-mode formulas and Fresnel's equations, worked by hand from the trade's table, from memory.</summary>
    [Fact]
    public void What_a_fault_of_a_joint_costs()
    {
        Assert.Equal(0.0360, Budget.FresnelReflectance(1.468), 4);
        Assert.Equal(-14.4, Budget.FresnelDb(1.468), 1);
        Assert.Equal(0.32, Budget.AirGapLossDb(1.468), 2);
        Assert.Equal(4.343 * Math.Pow(1 / 4.6, 2), Budget.LateralOffsetLossDb(1, 9.2), 3); // 0.205 dB
        Assert.Equal(4.343 * Math.Pow(Math.PI * 1.468 * 4.6 * (Math.PI / 180) / 1.31, 2), Budget.TiltLossDb(1, 9.2, 1310), 3);
        Assert.Equal(0.0, Budget.ModeFieldMismatchDb(9.2, 9.2), 9);
        Assert.Equal(0.0652, Budget.ModeFieldMismatchDb(9.2, 10.4), 3);
        Assert.Equal(1.94, -20 * Math.Log10(50 / 62.5), 2);
        Assert.Equal(4.7, MixUps.CoreMixDb, 1);
        Assert.Equal(0, Budget.CoreMismatchDb(50, 62.5, 0.20, 0.275));
        Assert.Throws<ArgumentOutOfRangeException>(() => Budget.LateralOffsetLossDb(-1, 9));
    }

    [Fact]
    public void A_joint_of_unlike_modes_has_no_budget() =>
        Assert.Equal("to", Assert.Throws<RefusedException>(() => Budget.Of(new(FiberClass.OM3, FiberClass.OS2, 850))).Refusals[0].Field);

    [Fact]
    public void The_signature_of_a_class_mix_up_is_recognised()
    {
        Assert.True(MixUps.LooksLikeCoreMix(FiberMode.Multimode, 4.9, 0.1));
        Assert.False(MixUps.LooksLikeCoreMix(FiberMode.Multimode, 2.4, 2.3)); // dirt loses both ways
        Assert.False(MixUps.LooksLikeCoreMix(FiberMode.SingleMode, 4.7, 0));
    }

    [Fact]
    public void The_connector_that_several_links_share_is_the_suspect()
    {
        // One cord on four ports: what they share is bad, not the ports.
        var answer = Suspects.Find([.. Enumerable.Range(1, 4).Select(i => new MeasuredSum(["cord", $"port {i}"], 1.9, 0.1))]);
        Assert.Equal(("cord", true), (answer.Suspect, answer.Sure));
        var alone = Suspects.Find([new(["near", "far"], 2.4, 0.1)]);
        // One link's two connectors cannot be told apart by one reading: until 2026-11-27 it was split in half between them.
        Assert.Equal(("near + far", false, 1), (alone.Suspect, alone.Sure, alone.Parts.Count));
        Assert.Equal(["near", "far"], alone.Parts[0].Together!);
        Assert.InRange(alone.Parts[0].LossDb, 2.2, 2.3);
        var traced = Suspects.Find([new(["near", "far"], 2.4, 0.1), new(["near"], 0.2, 0)]);
        Assert.Equal(("far", true), (traced.Suspect, traced.Sure));
        Assert.Null(Suspects.Find([new(["near", "far"], 0.6, 0.1)]).Suspect);
        Assert.All(traced.Parts, p => Assert.True(p.LossDb >= 0 && p.SigmaDb > 0));
        Assert.Equal("sums[0].parts", Assert.Throws<RefusedException>(() => Suspects.Find([new(["near", null!], 0.6, 0.1)])).Refusals[0].Field);
    }

    [Fact]
    public void A_panel_of_any_size_is_asked_at_once_and_one_bad_connector_is_found()
    {
        var links = Enumerable.Range(1, 700).Select(i => new MeasuredSum([$"A:{i}", $"B:{i}"], i == 431 ? 2.6 : 0.6, 0.1)).ToList();
        var answer = Suspects.Find([.. links, new(["B:431"], 2.2, 0)]);
        Assert.Equal(("B:431", true, 701), (answer.Suspect, answer.Sure, answer.Parts.Count)); // the other 699 links are one each
    }

    /// <summary>What a link holds beside its two ends, and what the reference has taken out, is not laid on the ends.</summary>
    [Theory]
    [InlineData(ReferenceMethod.OneCord, 2, 0, 0.6)]
    [InlineData(ReferenceMethod.OneCord, 2, 3, 0.9)]
    [InlineData(ReferenceMethod.OneCord, 4, 0, 1.1)]
    [InlineData(ReferenceMethod.TwoCord, 2, 0, 0.35)]
    [InlineData(ReferenceMethod.ThreeCord, 2, 0, 0.1)]
    public void A_usual_link_makes_nobody_suspect_by_any_reference(ReferenceMethod reference, int connections, int splices, double lossDb)
    {
        // 0.25 dB a pair, 0.1 dB a splice, 0.1 dB of cable: common practice.
        var judgement = InsertionLoss.Judge(new(850, reference, -20, -20 - lossDb, 0.05), new(FiberClass.OM3, 125 / 3.0, connections, splices), Repo.Tia);
        var answer = Suspects.Find([Suspects.Link("near", "far", judgement, splices, 0.05)]);
        Assert.Null(answer.Suspect);
        Assert.Equal(2 * Suspects.UsualDb, Assert.Single(answer.Parts).LossDb, 2);
    }

    /// <summary>With nothing at a bound the answer is that of ordinary least squares.</summary>
    /// <remarks>Source: MathNet.Numerics, QR.</remarks>
    [Fact]
    public void Suspects_are_the_least_squares_answer_of_a_reference_library()
    {
        MeasuredSum[] sums = [new(["a", "b"], 1.3, 0.2), new(["b", "c"], 0.9, 0.1), new(["a", "c"], 1.2, 0.3), new(["c"], 0.4, 0)];
        var rows = new List<double[]>();
        var right = new List<double>();
        string[] names = ["a", "b", "c"];
        foreach (var s in sums)
        {
            rows.Add([.. names.Select(n => s.Parts.Contains(n) ? 1 / s.SigmaDb : 0)]);
            right.Add((s.LossDb - s.KnownDb) / s.SigmaDb);
        }

        for (var i = 0; i < 3; i++)
        {
            rows.Add([.. names.Select((_, j) => i == j ? 1 / Suspects.UsualSpreadDb : 0)]);
            right.Add(Suspects.UsualDb / Suspects.UsualSpreadDb);
        }

        var expected = Matrix<double>.Build.DenseOfRows(rows).QR().Solve(Vector<double>.Build.DenseOfEnumerable(right));
        var found = Suspects.Find(sums).Parts.ToDictionary(p => p.Part, p => p.LossDb);
        Assert.All(names.Index(), n => Assert.Equal(expected[n.Index], found[n.Item], 6));
    }

    /// <summary>Source: IEEE 802.3 channel limits, from memory.</summary>
    [Fact]
    public void Applications_are_judged_by_length_and_loss()
    {
        var set = YamlText.Read<ApplicationSet>(Repo.Text("limits/applications-ieee-802.3.yaml"));
        var fits = Applications.Carried(FiberClass.OM3, 90, new Dictionary<int, double> { [850] = 1.85 }, set).ToDictionary(f => f.Limit.Name);
        Assert.Equal((true, true, false), (fits["10GBASE-SR"].Carries!.Value, fits["40GBASE-SR4"].Carries!.Value, fits["100GBASE-SR4"].Carries!.Value));
        Assert.True(fits["100GBASE-SR4"].TooLong); // 70 m on OM3
        // 25GBASE-SR 1.8 dB on 70 m OM3; 400GBASE-DR4 3.0 dB on 500 m (IEEE 802.3, from memory).
        Assert.True(fits["25GBASE-SR"].TooLong);
        Assert.Contains(Applications.Carried(FiberClass.OS2, 400, new Dictionary<int, double> { [1310] = 2.9 }, set), f => f is { Limit.Name: "400GBASE-DR4", Carries: true });
        Assert.Null(Applications.Carried(FiberClass.OM4, 90, new Dictionary<int, double>(), set)[0].Carries);
    }

    [Fact]
    public void A_reference_that_is_old_lost_or_has_drifted_stops_the_measuring()
    {
        // A reference holds a shift of 12 hours and may drift by 0.1 dB: common practice.
        var zero = NodaConstants.UnixEpoch;
        var set = new ReferenceSet(ReferenceMethod.OneCord, new Dictionary<int, ReferenceLevel> { [850] = new(-20, zero), [1300] = new(0.00, zero) }, "A1"); // 0.00 dBm is a level like any other
        ReferenceState At(double hours, ReferenceLevel? of = null, int nm = 850) =>
            References.Judge(of is null ? set : set with { Levels = new Dictionary<int, ReferenceLevel>(set.Levels) { [850] = of } }, nm, zero.Plus(Duration.FromHours(hours))).State;
        Assert.Equal([ReferenceState.Good, ReferenceState.Good, ReferenceState.Old, ReferenceState.Future, ReferenceState.Missing], [At(3), At(3, nm: 1300), At(13), At(-4), At(3, nm: 1310)]);
        Assert.Equal(ReferenceState.Drifted, At(3, new(-20, zero, -20.15, zero.Plus(Duration.FromHours(2)))));
        Assert.Equal("reference-old", Assert.Throws<RefusedException>(() => References.Check(zero, null, zero.Plus(Duration.FromHours(13)), "body.referenceAt")).Refusals[0].Code);

        // A check that held renews its own wavelength, for the bench's screen and for the ledger alike; the other grows old.
        var held = new ReferenceLevel(-20, zero, -20.02, zero.Plus(Duration.FromHours(6)));
        Assert.Equal((ReferenceState.Good, ReferenceState.Old, ReferenceState.Old), (At(17, held), At(17, held, 1300), At(19, held)));
        References.Check(zero, zero.Plus(Duration.FromHours(6)), zero.Plus(Duration.FromHours(17)), "body.referenceAt");
        Assert.Throws<RefusedException>(() => References.Check(zero, zero.Plus(Duration.FromHours(6)), zero.Plus(Duration.FromHours(19)), "body.referenceAt"));
    }

    [Fact]
    public void The_simulated_meter_shows_the_loss_with_noise_and_drift()
    {
        var meter = new SimulatedMeter(new Dictionary<int, double> { [1310] = -10 }, NoiseDb: 0.02, DriftDbPerHour: 0.05);
        var readings = Enumerable.Range(0, 400).Select(i => meter.ReadDbm(1310, 0.5, 2, i)).ToList();
        Assert.Equal(-10.6, readings.Average(), 0.005);
        Assert.InRange(MathNet.Numerics.Statistics.Statistics.StandardDeviation(readings), 0.015, 0.025);
        Assert.Equal(meter.ReadDbm(1310, 0.5, 2, 7), readings[7]);
    }

    [Fact]
    public void Both_directions_are_summed_up()
    {
        LossJudgement Judged(double loss) => InsertionLoss.Judge(new(850, ReferenceMethod.OneCord, 0, -loss, 0.05), new(FiberClass.OM3, 100, 2, 0), Repo.Tia);
        var s = Assert.Single(LossSummary.Of(FiberMode.Multimode, [(true, Judged(5.6)), (false, Judged(0.9))]));
        Assert.Equal((3.25, 5.6, true), (Math.Round(s.MeanDb!.Value, 6), s.WorstDb, s.CoreMix));
    }
}
