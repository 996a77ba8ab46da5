using Rhabdon.Core.Connectors;
using Rhabdon.Core.Fiber;
using Rhabdon.Core.Inspection;
using Rhabdon.Core.Loss;
using Xunit;
using static Rhabdon.Core.Inspection.EndFaceClass;
using static Rhabdon.Core.Inspection.FindingKind;

namespace Rhabdon.Core.Tests;

public class JudgementTests
{
    [Theory]
    // IEC 61300-3-35, from memory: one row per cell of the table that decides, at its edges.
    [InlineData(SmUpc, Zone.A, Scratch, 0.5, 1, false)]
    [InlineData(SmUpc, Zone.A, Particle, 0.5, 1, false)]
    [InlineData(SmUpc, Zone.B, Scratch, 3, 99, true)]
    [InlineData(SmUpc, Zone.B, Scratch, 3.1, 1, false)]
    [InlineData(SmUpc, Zone.B, Pit, 1.9, 99, true)]
    [InlineData(SmUpc, Zone.B, Pit, 2, 5, true)]
    [InlineData(SmUpc, Zone.B, Pit, 5, 6, false)]
    [InlineData(SmUpc, Zone.B, Chip, 5.1, 1, false)]
    [InlineData(SmUpc, Zone.C, Chip, 60, 9, true)]
    [InlineData(SmUpc, Zone.D, Particle, 9.9, 9, true)]
    [InlineData(SmUpc, Zone.D, Particle, 10, 1, false)]
    [InlineData(SmUpc, Zone.D, Scratch, 50, 9, true)]
    [InlineData(SmApc, Zone.A, Scratch, 3, 4, true)]
    [InlineData(SmApc, Zone.A, Scratch, 3, 5, false)]
    [InlineData(SmApc, Zone.A, Pit, 1, 1, false)]
    [InlineData(SmApc, Zone.B, Scratch, 40, 9, true)]
    [InlineData(SmPc, Zone.A, Scratch, 3, 2, true)]
    [InlineData(SmPc, Zone.A, Scratch, 3, 3, false)]
    [InlineData(SmPc, Zone.A, Pit, 3, 2, true)]
    [InlineData(SmPc, Zone.A, Pit, 3.1, 1, false)]
    [InlineData(SmPc, Zone.B, Scratch, 3.1, 3, true)]
    [InlineData(SmPc, Zone.B, Scratch, 3.1, 4, false)]
    [InlineData(SmPc, Zone.B, Pit, 3, 4, false)]
    [InlineData(MmPc, Zone.A, Scratch, 5, 9, true)]
    [InlineData(MmPc, Zone.A, Scratch, 5.1, 1, false)]
    [InlineData(MmPc, Zone.A, Pit, 5, 4, true)]
    [InlineData(MmPc, Zone.A, Pit, 4, 5, false)]
    [InlineData(MmPc, Zone.B, Pit, 5, 5, true)]
    [InlineData(MmPc, Zone.B, Pit, 2, 6, false)]
    public void End_face_by_zone_and_class(EndFaceClass c, Zone zone, FindingKind kind, double sizeUm, int count, bool pass)
    {
        var verdict = EndFaces.Grade([new(zone, kind, sizeUm, count)], c, Repo.EndFace);
        Assert.Equal(pass, verdict.Pass);
        Assert.Equal(pass ? [] : [zone], verdict.DecidedBy.Select(b => b.Zone));
    }

    [Fact]
    public void Findings_of_one_band_are_counted_together() =>
        Assert.False(EndFaces.Grade([new(Zone.B, Pit, 2.5, 3), new(Zone.B, Particle, 4, 3)], SmUpc, Repo.EndFace).Pass);

    [Theory]
    [InlineData(Particle, Zone.A, 5.0, TerminationMethod.ColdCure, EndFaceAdvice.CleanAgain)]
    [InlineData(Scratch, Zone.A, 2.0, TerminationMethod.ColdCure, EndFaceAdvice.MoreOnLastFilm)]
    [InlineData(Scratch, Zone.A, 6.0, TerminationMethod.ColdCure, EndFaceAdvice.BackOneFilm)]
    [InlineData(Crack, Zone.A, 6.0, TerminationMethod.ColdCure, EndFaceAdvice.CutOff)]
    [InlineData(Scratch, Zone.A, 2.0, TerminationMethod.WedgeLocked, EndFaceAdvice.Replace)]
    public void Advice_in_trade_words(FindingKind kind, Zone zone, double sizeUm, TerminationMethod method, EndFaceAdvice advice) => // common practice
        Assert.Equal(advice, EndFaces.Grade([new(zone, kind, sizeUm)], SmUpc, Repo.EndFace, method).Advice);

    [Fact]
    public void Bad_sizes_are_named() => Assert.Equal("findings[1].sizeUm",
        Assert.Throws<RefusedException>(() => EndFaces.Grade([new(Zone.A, Pit, 1), new(Zone.A, Pit, double.NaN)], SmUpc, Repo.EndFace)).Refusals.Single().Field);

    [Theory]
    // ANSI/TIA-568.3-D component sums, from memory: 300 m OM3 with two connections is 0.3 × 3.0 + 2 × 0.75 = 2.40 at 850 nm.
    [InlineData(FiberClass.OM3, 300, 850, 2, 0, ReferenceMethod.OneCord, 2.40)]
    [InlineData(FiberClass.OM3, 300, 1300, 2, 0, ReferenceMethod.OneCord, 1.95)]
    [InlineData(FiberClass.OM1, 200, 850, 2, 1, ReferenceMethod.OneCord, 2.50)]
    [InlineData(FiberClass.OS2, 1000, 1310, 2, 2, ReferenceMethod.OneCord, 2.50)]
    [InlineData(FiberClass.OS1a, 1000, 1550, 3, 0, ReferenceMethod.OneCord, 3.25)]
    // IEC 61280-4-1, from memory: two cords leave one end connection in the result, three leave none.
    [InlineData(FiberClass.OM3, 300, 850, 2, 0, ReferenceMethod.TwoCord, 1.65)]
    [InlineData(FiberClass.OM3, 300, 850, 2, 0, ReferenceMethod.ThreeCord, 0.90)]
    public void Loss_limit_is_the_sum_of_its_parts(FiberClass c, double lengthM, int nm, int connections, int splices, ReferenceMethod reference, double limitDb) =>
        Assert.Equal(limitDb, InsertionLoss.Limit(new(c, lengthM, connections, splices), nm, reference, Repo.Tia).LimitDb, 9);

    [Fact]
    public void Reference_grade_ends_count_less() // from memory: 0.3 dB reference to field, 0.75 dB for the pair between
        => Assert.Equal(0.9 + 0.3 + 0.3 + 0.75, InsertionLoss.Limit(new(FiberClass.OM3, 300, 3, 0), 850, ReferenceMethod.OneCord, Repo.IsoReference).LimitDb, 9);

    [Theory]
    [InlineData(1.20, LossVerdict.Pass)]
    [InlineData(2.34, LossVerdict.Pass)]
    [InlineData(2.35, LossVerdict.MarginalUnder)]
    [InlineData(2.40, LossVerdict.MarginalUnder)]
    [InlineData(2.45, LossVerdict.MarginalOver)]
    [InlineData(2.46, LossVerdict.Fail)]
    [InlineData(-0.05, LossVerdict.Pass)]
    [InlineData(-0.06, LossVerdict.BadReference)] // nothing passive gains light
    public void Verdict_with_the_meters_repeatability(double lossDb, LossVerdict verdict)
    {
        var j = InsertionLoss.Judge(new(850, ReferenceMethod.OneCord, -20, -20 - lossDb, 0.05), new(FiberClass.OM3, 300, 2, 0), Repo.Tia);
        Assert.Equal((verdict, lossDb, Math.Round(2.4 - lossDb, 9)), (j.Verdict, Math.Round(j.LossDb, 9), Math.Round(j.MarginDb, 9)));
    }

    [Fact]
    public void Every_bad_figure_is_named()
    {
        var e = Assert.Throws<RefusedException>(() => InsertionLoss.Limit(new(FiberClass.OM3, -1, 99, 101), 1310, ReferenceMethod.OneCord, Repo.Tia));
        Assert.Equal(["lengthM", "connections", "splices", "wavelengthNm"], e.Refusals.Select(r => r.Field));
        Assert.Throws<RefusedException>(() => InsertionLoss.Judge(new(850, ReferenceMethod.OneCord, double.NaN, -20, 0.05), new(FiberClass.OM3, 300, 2, 0), Repo.Tia));
    }
}
