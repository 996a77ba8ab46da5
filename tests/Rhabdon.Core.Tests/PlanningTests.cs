using Rhabdon.Core.Connectors;
using Rhabdon.Core.Fiber;
using Rhabdon.Core.Inspection;
using Rhabdon.Core.Loss;
using Rhabdon.Core.Planning;
using Rhabdon.Core.Procedures;
using Xunit;

namespace Rhabdon.Core.Tests;

public class PlanningTests
{
    private static string[] Cable(CableConstruction construction, int strands, double lengthM, double slackA, double slackB)
    {
        try
        {
            Plans.CheckCable(construction, strands, lengthM, slackA, slackB, StrandLay.Usual);
            return [];
        }
        catch (RefusedException e)
        {
            return [.. e.Refusals.Select(r => r.Field)];
        }
    }

    [Fact]
    public void Cables_are_checked_field_by_field()
    {
        Assert.Empty(Cable(CableConstruction.Cordage30, 1, 0.5, 0, 100_000));
        Assert.Empty(Cable(CableConstruction.Ribbon12, 288, 200_000, 0, 0));
        Assert.Equal(["strandCount"], Cable(CableConstruction.Ribbon12, 13, 10, 0, 0));
        Assert.Equal(["strandCount", "lengthM", "slackAMm", "slackBMm"], Cable(CableConstruction.Drop, 0, 0, -1, 100_001));
        Assert.Equal(["lengthM", "slackAMm"], Cable(CableConstruction.Drop, 1, double.NaN, double.NaN, 0));
        Assert.Equal(["lengthM"], Cable(CableConstruction.Drop, 1, double.PositiveInfinity, 0, 0));
    }

    [Theory]
    [InlineData(ConnectorForm.SC, 1, 0, 1, 1)]
    [InlineData(ConnectorForm.SC, 5, 7, 12, 1)]
    [InlineData(ConnectorForm.MPO, 1, 0, 1, 1)]
    [InlineData(ConnectorForm.MPO, 1, 11, 1, 12)] // an MPO takes twelve strands in one port
    [InlineData(ConnectorForm.MPO, 1, 12, 2, 1)]
    [InlineData(ConnectorForm.MPO, 3, 30, 5, 7)]
    public void Ports_follow_strands(ConnectorForm form, int firstPort, int index, int port, int position) =>
        Assert.Equal((port, position), Plans.PortFor(form, firstPort, index));

    [Theory]
    [InlineData(FiberMode.Multimode, Polish.UPC, EndFaceClass.MmPc)]
    [InlineData(FiberMode.Multimode, Polish.PC, EndFaceClass.MmPc)]
    [InlineData(FiberMode.SingleMode, Polish.PC, EndFaceClass.SmPc)]
    [InlineData(FiberMode.SingleMode, Polish.UPC, EndFaceClass.SmUpc)]
    [InlineData(FiberMode.SingleMode, Polish.APC, EndFaceClass.SmApc)]
    public void The_acceptance_table_follows_mode_and_polish(FiberMode mode, Polish polish, EndFaceClass endFaceClass) =>
        Assert.Equal(endFaceClass, EndFaces.ClassOf(mode, polish));

    [Theory]
    // ISO/IEC 11801 and TIA-492, from memory.
    [InlineData(FiberClass.OM1, FiberMode.Multimode, 62.5, 850, 1300)]
    [InlineData(FiberClass.OM2, FiberMode.Multimode, 50.0, 850, 1300)]
    [InlineData(FiberClass.OM5, FiberMode.Multimode, 50.0, 850, 1300)]
    [InlineData(FiberClass.OS1a, FiberMode.SingleMode, null, 1310, 1550)]
    [InlineData(FiberClass.OS2, FiberMode.SingleMode, null, 1310, 1550)]
    public void Classes_know_their_glass_and_their_wavelengths(FiberClass fiberClass, FiberMode mode, double? coreUm, int first, int second)
    {
        Assert.Equal((mode, coreUm), (fiberClass.Mode(), fiberClass.CoreUm()));
        Assert.Equal([first, second], fiberClass.TestWavelengthsNm());
    }

    [Fact]
    public void Joinable_glass_is_an_equivalence()
    {
        var all = Enum.GetValues<FiberClass>();
        foreach (var a in all)
        {
            Assert.True(FiberClasses.SameCore(a, a));
            foreach (var b in all)
            {
                Assert.Equal(FiberClasses.SameCore(a, b), FiberClasses.SameCore(b, a));
            }
        }

        Assert.Equal([4, 1, 2], all.GroupBy(a => all.First(b => FiberClasses.SameCore(a, b))).OrderBy(g => g.Key != FiberClass.OM2).ThenBy(g => g.Key).Select(g => g.Count()));
    }

    [Theory]
    // ANSI/TIA-568.3-D, from memory, dB/km.
    [InlineData(FiberClass.OM1, 3.5, 1.5)]
    [InlineData(FiberClass.OM2, 3.5, 1.5)]
    [InlineData(FiberClass.OM3, 3.0, 1.5)]
    [InlineData(FiberClass.OM4, 3.0, 1.5)]
    [InlineData(FiberClass.OM5, 3.0, 1.5)]
    [InlineData(FiberClass.OS1a, 1.0, 1.0)]
    [InlineData(FiberClass.OS2, 0.4, 0.4)]
    public void A_kilometre_of_bare_cable_has_the_attenuation_of_the_standard(FiberClass fiberClass, double first, double second)
    {
        var wavelengths = fiberClass.TestWavelengthsNm();
        var bare = new LinkSpec(fiberClass, 1000, 0, 0);
        foreach (var set in new[] { Repo.Tia, Repo.IsoReference })
        {
            Assert.Equal(first, InsertionLoss.Limit(bare, wavelengths[0], ReferenceMethod.OneCord, set).LimitDb, 9);
            Assert.Equal(second, InsertionLoss.Limit(bare, wavelengths[1], ReferenceMethod.OneCord, set).LimitDb, 9);
        }
    }

    [Fact]
    public void A_reference_cannot_take_out_more_ends_than_there_are() => Assert.Equal("connections",
        Assert.Throws<RefusedException>(() => InsertionLoss.Limit(new(FiberClass.OS2, 100, 1, 0), 1310, ReferenceMethod.ThreeCord, Repo.Tia)).Refusals.Single().Field);

    [Fact]
    public void The_parts_of_a_limit_add_up()
    {
        var limit = InsertionLoss.Limit(new(FiberClass.OM4, 432.1, 5, 3), 850, ReferenceMethod.TwoCord, Repo.IsoReference);
        Assert.Equal(limit.LimitDb, limit.CableDb + limit.ConnectionsDb + limit.SplicesDb, 12);
        Assert.Equal((4, 0.3 + (3 * 0.75)), (limit.ConnectionsCounted, Math.Round(limit.ConnectionsDb, 9)));
        Assert.Equal(Repo.IsoReference.Edition, limit.Edition);
    }

    [Fact]
    public void Zones_lie_ring_in_ring_with_the_diameters_of_the_standard() // IEC 61300-3-35, from memory
    {
        foreach (var table in Repo.EndFace.Classes)
        {
            var core = table.Class == EndFaceClass.MmPc ? 65.0 : 25.0;
            Assert.Equal([(0, core), (core, 120.0), (120.0, 130.0), (130.0, 250.0)], table.Zones.Select(z => (z.InnerUm, z.OuterUm)));
            Assert.Equal([Zone.A, Zone.B, Zone.C, Zone.D], table.Zones.Select(z => z.Zone));
        }
    }

    [Fact]
    public void More_dirt_never_turns_a_fail_into_a_pass()
    {
        var random = new Random(61300);
        for (var n = 0; n < 2000; n++)
        {
            var endFaceClass = (EndFaceClass)random.Next(4);
            var some = Enumerable.Range(0, random.Next(5)).Select(_ => Any(random)).ToList();
            var pass = EndFaces.Grade(some, endFaceClass, Repo.EndFace).Pass;
            var passMore = EndFaces.Grade([.. some, Any(random)], endFaceClass, Repo.EndFace).Pass;
            Assert.True(pass || !passMore);
        }
    }

    private static Finding Any(Random random) => new((Zone)random.Next(4), (FindingKind)random.Next(6), Math.Round(0.1 + (random.NextDouble() * 15), 1), random.Next(1, 4));

    [Theory]
    [InlineData(SlackCost.None, 0, 0)]
    [InlineData(SlackCost.Restrip, 40, 19)]
    [InlineData(SlackCost.Recleave, 29.5, 19)] // without a cleave the bare length is lost
    [InlineData(SlackCost.CutOff, 80, 50)]
    public void What_a_rung_takes_follows_the_marks(SlackCost cost, double wedgeMm, double coldCureMm)
    {
        Assert.Equal(wedgeMm, ProcedureCompiler.SlackMm(cost, Repo.Wedge.Prep));
        Assert.Equal(coldCureMm, ProcedureCompiler.SlackMm(cost, Repo.ColdCure.Prep));
    }

    private static readonly LocalDate Today = new(2026, 11, 25);

    /// <summary>Worked by hand: what is left over the pace of the days in which it was worked, begun on the first day that is still free.</summary>
    [Theory]
    [InlineData(60, 24, "6 6 6 6", 7, OutlookVerdict.InTime, "2026-12-01", 0)] // 36 left at 6 a day: six days from the 26th
    [InlineData(60, 24, "6 6 6 6", 6, OutlookVerdict.Tight, "2026-12-01", 0)]
    [InlineData(60, 24, "6 6 6 6", 5, OutlookVerdict.Late, "2026-12-01", 1)]
    [InlineData(60, 24, "8 0 8 8 0", 6, OutlookVerdict.InTime, "2026-11-30", 0)] // an idle day between counts, today's does not yet: 6 a day from today
    [InlineData(60, 60, "6", 2, OutlookVerdict.Done, null, 0)]
    [InlineData(60, 0, "0", 3, OutlookVerdict.NoPace, null, 0)]
    [InlineData(60, 0, "0", -2, OutlookVerdict.Late, null, 2)]
    [InlineData(40, 38, "1 1", 2, OutlookVerdict.Tight, "2026-11-27", 0)]
    public void A_job_is_in_time_or_late_by_the_pace_of_its_last_days(int ends, int accepted, string lastDays, int dueInDays, OutlookVerdict verdict, string? doneOn, int late)
    {
        var counts = lastDays.Split(' ').Select(int.Parse).ToList();
        var days = counts.Select((n, i) => new DayCount(Today.PlusDays(i + 1 - counts.Count), n));
        var outlook = Outlooks.Of(ends, accepted, days, Today, Today.PlusDays(dueInDays));
        Assert.Equal((verdict, doneOn, late), (outlook.Verdict, outlook.DoneOn?.ToString("uuuu-MM-dd", null), outlook.DaysLate));
        Assert.Equal(Outlooks.Days, outlook.Days.Count);
    }
}
