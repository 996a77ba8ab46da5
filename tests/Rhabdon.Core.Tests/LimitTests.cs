using Rhabdon.Core.Fiber;
using Rhabdon.Core.Inspection;
using Rhabdon.Core.Loss;
using Xunit;

namespace Rhabdon.Core.Tests;

/// <summary>The figures that verdicts rest on: the shipped sets against their sources, and house sets against those.</summary>
public class LimitTests
{
    private static readonly EndFaceLimitSet Iec = Repo.EndFace;

    private static readonly LossLimitSet Iso = Repo.IsoReference;

    /// <summary>What may lie in each zone, by size.</summary>
    /// <remarks>Source: IEC 61300-3-35, tables for single-mode UPC, APC, PC and for multimode, from memory.</remarks>
    [Theory]
    [InlineData(EndFaceClass.SmUpc, Zone.A, FindingKind.Scratch, 0.5, 0)]
    [InlineData(EndFaceClass.SmUpc, Zone.A, FindingKind.Pit, 0.5, 0)]
    [InlineData(EndFaceClass.SmUpc, Zone.B, FindingKind.Scratch, 3, null)]
    [InlineData(EndFaceClass.SmUpc, Zone.B, FindingKind.Scratch, 3.1, 0)]
    [InlineData(EndFaceClass.SmUpc, Zone.B, FindingKind.Particle, 1.9, null)]
    [InlineData(EndFaceClass.SmUpc, Zone.B, FindingKind.Particle, 5, 5)]
    [InlineData(EndFaceClass.SmUpc, Zone.B, FindingKind.Particle, 5.1, 0)]
    [InlineData(EndFaceClass.SmApc, Zone.A, FindingKind.Scratch, 3, 4)]
    [InlineData(EndFaceClass.SmApc, Zone.A, FindingKind.Scratch, 3.1, 0)]
    [InlineData(EndFaceClass.SmApc, Zone.B, FindingKind.Scratch, 40, null)]
    [InlineData(EndFaceClass.SmPc, Zone.A, FindingKind.Particle, 3, 2)]
    [InlineData(EndFaceClass.SmPc, Zone.B, FindingKind.Scratch, 4, 3)]
    [InlineData(EndFaceClass.MmPc, Zone.A, FindingKind.Particle, 5, 4)]
    [InlineData(EndFaceClass.MmPc, Zone.A, FindingKind.Particle, 5.1, 0)]
    [InlineData(EndFaceClass.MmPc, Zone.A, FindingKind.Scratch, 5, null)]
    [InlineData(EndFaceClass.MmPc, Zone.B, FindingKind.Scratch, 5.1, 0)]
    [InlineData(EndFaceClass.SmUpc, Zone.C, FindingKind.Chip, 30, null)]
    [InlineData(EndFaceClass.SmUpc, Zone.D, FindingKind.Particle, 9.9, null)]
    [InlineData(EndFaceClass.SmUpc, Zone.D, FindingKind.Particle, 10, 0)]
    [InlineData(EndFaceClass.MmPc, Zone.D, FindingKind.Scratch, 60, null)]
    public void The_standards_table_allows_so_many(EndFaceClass of, Zone zone, FindingKind kind, double sizeUm, int? most)
    {
        bool Passes(int count) => count == 0 || EndFaces.Grade([new(zone, kind, sizeUm, count)], of, Iec).Pass;
        Assert.True(Passes(most ?? 999));
        Assert.Equal(most is null, Passes(Math.Min(999, (most ?? 998) + 1)));
    }

    /// <remarks>Source: ANSI/TIA-568.3-D: 0.75 dB a pair, 0.3 dB a splice, 3.0 and 1.5 dB/km on OM3; ISO/IEC 14763-3: 0.3 dB multimode and 0.5 dB single-mode to a reference-grade cord, from memory.</remarks>
    [Theory]
    [InlineData("tia", FiberClass.OM3, 850, 300, 2, 0, ReferenceMethod.OneCord, 2.40)]
    [InlineData("tia", FiberClass.OM3, 1300, 300, 2, 0, ReferenceMethod.OneCord, 1.95)]
    [InlineData("tia", FiberClass.OM1, 850, 100, 2, 1, ReferenceMethod.OneCord, 2.15)]
    [InlineData("tia", FiberClass.OM3, 850, 300, 2, 0, ReferenceMethod.TwoCord, 1.65)]
    [InlineData("tia", FiberClass.OM3, 850, 300, 2, 0, ReferenceMethod.ThreeCord, 0.90)]
    [InlineData("tia", FiberClass.OS2, 1310, 2000, 2, 2, ReferenceMethod.OneCord, 2.90)]
    [InlineData("iso", FiberClass.OM4, 850, 100, 2, 0, ReferenceMethod.OneCord, 0.90)]
    [InlineData("iso", FiberClass.OS2, 1550, 1000, 3, 0, ReferenceMethod.OneCord, 2.15)]
    public void A_links_limit_is_the_sum_of_its_parts(string set, FiberClass of, int nm, double lengthM, int connections, int splices, ReferenceMethod reference, double limitDb)
    {
        var judged = InsertionLoss.Judge(new(nm, reference, -20, -20.5, 0.05), new(of, lengthM, connections, splices), set == "tia" ? Repo.Tia : Iso);
        Assert.Equal(limitDb, judged.Limit.LimitDb, 6);
    }

    [Fact]
    public void A_set_is_nowhere_looser_than_itself()
    {
        Assert.Empty(LooserLimits.Of(Iec, Iec));
        Assert.Empty(LooserLimits.Of(Repo.Tia, Repo.Tia));
        Assert.Empty(LooserLimits.Of(Iso, Repo.Tia)); // reference-grade cords lose less
    }

    [Fact]
    public void Looser_house_limits_are_labelled_with_both_figures()
    {
        var shop = Repo.Tia with { Id = "shop", Connections = [.. Repo.Tia.Connections.Select(c => c with { PairDb = 0.8 })], SpliceDb = 0.2 };
        Assert.Equal([new("multimode mated pair (dB)", "0.8", "0.75"), new LooserLimit("single-mode mated pair (dB)", "0.8", "0.75")], LooserLimits.Of(shop, Repo.Tia));
    }

    /// <summary>A chip at the cladding's edge that stays clear of the core: shops pass it, the standard does not.</summary>
    [Fact]
    public void A_house_set_that_passes_edge_chips_is_looser_in_that_zone_alone()
    {
        var house = Changed(EndFaceClass.SmUpc, Zone.B, z => z with { Defects = [new(BelowUm: 2), new(UpToUm: 10, Max: 5), new(Max: 0)] });
        var looser = Assert.Single(LooserLimits.Of(house, Iec));
        Assert.Equal(("sm-upc zone B, defects of 5 to 10 µm", "5", "0"), (looser.What, looser.Own, looser.Standard));
        Finding[] chip = [new(Zone.B, FindingKind.Chip, 8)];
        Assert.True(EndFaces.Grade(chip, EndFaceClass.SmUpc, house).Pass);
        Assert.False(EndFaces.Grade(chip, EndFaceClass.SmUpc, Iec).Pass);
    }

    [Fact]
    public void A_smaller_core_zone_is_looser_too()
    {
        // Zone A ends at 20 instead of 25 µm: what lies between is judged as cladding.
        var house = Changed(EndFaceClass.SmUpc, Zone.A, z => z with { OuterUm = 20 });
        house = house with { Classes = [.. house.Classes.Select(c => c.Class != EndFaceClass.SmUpc ? c : c with { Zones = [.. c.Zones.Select(z => z.Zone == Zone.B ? z with { InnerUm = 20 } : z)] })] };
        Assert.Contains(LooserLimits.Of(house, Iec), l => l.What.StartsWith("sm-upc zone B, defects", StringComparison.Ordinal));
    }

    /// <summary>What differs between two sizes that anybody would try, or only when two bands are counted together.</summary>
    [Fact]
    public void Looser_bands_are_found_at_their_very_edges()
    {
        // The standard: fewer than 2 µm any, 2 to 5 µm five, more none (IEC 61300-3-35, zone B of SM UPC, from memory).
        string? What(params Band[] defects) => LooserLimits.Of(Changed(EndFaceClass.SmUpc, Zone.B, z => z with { Defects = defects }), Iec).SingleOrDefault()?.What;
        Assert.Null(What(new(BelowUm: 2), new(UpToUm: 5, Max: 5), new(Max: 0)));
        Assert.Null(What(new(BelowUm: 1.99), new(BelowUm: 5, Max: 5), new(Max: 0)));
        Assert.Equal("sm-upc zone B, defects of 5 to 5.01 µm", What(new(BelowUm: 2), new(UpToUm: 5.01, Max: 5), new(Max: 0)));
        Assert.Equal("sm-upc zone B, defects of 2 to 5 µm", What(new(UpToUm: 2), new(UpToUm: 5, Max: 5), new(Max: 0)));
        Assert.Equal("sm-upc zone B, defects of 2 to 5 µm", What(new(BelowUm: 2), new(UpToUm: 3, Max: 3), new(UpToUm: 5, Max: 3), new(Max: 0)));
        Assert.Equal("sm-upc zone B, defects of more than 5 µm", What(new(BelowUm: 2), new(UpToUm: 5, Max: 5)));
    }

    private static EndFaceLimitSet Changed(EndFaceClass of, Zone zone, Func<ZoneLimits, ZoneLimits> change) =>
        Iec with { Id = "house", Classes = [.. Iec.Classes.Select(c => c.Class != of ? c : c with { Zones = [.. c.Zones.Select(z => z.Zone == zone ? change(z) : z)] })] };
}
