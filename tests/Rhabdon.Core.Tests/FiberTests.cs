using Rhabdon.Core.Connectors;
using Rhabdon.Core.Fiber;
using Xunit;

namespace Rhabdon.Core.Tests;

public class FiberTests
{
    [Theory]
    // TIA-598, from memory: 1 blue … 12 aqua; units follow the same order. A tracer marks 13 to 24 only where more than twelve
    // share one unit (common practice): in units of twelve, strand 13 is plain blue in the orange unit.
    [InlineData(12, 1, 1, 1, StrandColour.Blue, false, StrandColour.Blue)]
    [InlineData(12, 5, 1, 5, StrandColour.Slate, false, StrandColour.Blue)]
    [InlineData(12, 12, 1, 12, StrandColour.Aqua, false, StrandColour.Blue)]
    [InlineData(12, 13, 2, 1, StrandColour.Blue, false, StrandColour.Orange)]
    [InlineData(12, 24, 2, 12, StrandColour.Aqua, false, StrandColour.Orange)]
    [InlineData(12, 150, 13, 6, StrandColour.White, false, StrandColour.Blue)]
    [InlineData(12, 288, 24, 12, StrandColour.Aqua, false, StrandColour.Aqua)]
    [InlineData(24, 13, 1, 13, StrandColour.Blue, true, StrandColour.Blue)]
    [InlineData(24, 25, 2, 1, StrandColour.Blue, false, StrandColour.Orange)]
    [InlineData(24, 48, 2, 24, StrandColour.Aqua, true, StrandColour.Orange)]
    [InlineData(6, 7, 2, 1, StrandColour.Blue, false, StrandColour.Orange)]
    [InlineData(4, 12, 3, 4, StrandColour.Brown, false, StrandColour.Green)]
    [InlineData(8, 104, 13, 8, StrandColour.Black, false, StrandColour.Blue)]
    public void Strand_number_gives_unit_position_and_colour(int unitSize, int n, int unit, int position, StrandColour colour, bool tracer, StrandColour unitColour)
    {
        var s = Strands.At(n, StrandLay.Usual with { UnitSize = unitSize });
        Assert.Equal((unit, position, colour, tracer, unitColour, unit > 12), (s.Unit, s.Position, s.Colour, s.Tracer, s.UnitColour, s.UnitTracer));
    }

    [Theory]
    [InlineData(0)]
    [InlineData(289)]
    public void Strand_numbers_stop_at_288(int n) => Assert.Throws<ArgumentOutOfRangeException>(() => Strands.At(n, StrandLay.Usual));

    [Fact]
    public void Another_order_of_colours_is_data_of_the_cable_and_has_all_twelve()
    {
        var turned = new StrandLay(12, [.. Enum.GetValues<StrandColour>().Reverse()]);
        Assert.Equal((StrandColour.Aqua, StrandColour.Rose), (Strands.At(1, turned).Colour, Strands.At(13, turned).UnitColour));
        Assert.Null(turned.Fault);
        Assert.Equal("colourOrder", (turned with { Order = [.. turned.Order.Skip(1), StrandColour.Rose] }).Fault?.Field);
        Assert.Equal("unitSize", (turned with { UnitSize = 10 }).Fault?.Field);
    }

    private static readonly PanelSpec FlatSc = new(ConnectorForm.SC, false);

    private static string[] Codes(ConnectorSpec c, CableSpec cable, PanelSpec? panel = null) => [.. Compatibility.Judge(c, cable, panel).Select(r => r.Code)];

    private static ConnectorSpec Wedge(Polish polish, FiberMode mode, FiberClass? stub) => new(ConnectorForm.SC, polish, mode, TerminationMethod.WedgeLocked, stub);

    [Fact]
    public void A_fitting_connector_has_nothing_against_it() =>
        Assert.Empty(Codes(Wedge(Polish.UPC, FiberMode.Multimode, FiberClass.OM3), new(FiberClass.OM4, CableConstruction.Cordage30), FlatSc));

    [Fact]
    public void A_50_stub_on_62_5_cable_is_refused() => // common practice: assembled perfectly, never passes
        Assert.Contains("stub-class-differs", Codes(Wedge(Polish.UPC, FiberMode.Multimode, FiberClass.OM3), new(FiberClass.OM1, CableConstruction.Cordage30)));

    [Fact]
    public void Apc_on_multimode_is_refused() =>
        Assert.Contains("apc-is-single-mode", Codes(Wedge(Polish.APC, FiberMode.Multimode, FiberClass.OM3), new(FiberClass.OM3, CableConstruction.Cordage30)));

    [Fact]
    public void Each_thing_that_does_not_fit_is_named_at_once() => Assert.Equal(
        ["mode-differs", "stub-class-missing", "method-construction", "form-differs-panel", "angle-differs-panel"],
        Codes(new(ConnectorForm.LC, Polish.APC, FiberMode.SingleMode, TerminationMethod.WedgeLocked, null),
            new(FiberClass.OM3, CableConstruction.Cordage16), FlatSc));

    [Theory]
    [InlineData(TerminationMethod.ColdCure, CableConstruction.Coated250, false)]
    [InlineData(TerminationMethod.ColdCure, CableConstruction.Cordage30, true)]
    [InlineData(TerminationMethod.HotMelt, CableConstruction.Coated250, true)]
    [InlineData(TerminationMethod.WedgeLocked, CableConstruction.Cordage16, false)]
    [InlineData(TerminationMethod.CamLocked, CableConstruction.FanOut900, true)]
    [InlineData(TerminationMethod.SpliceOn, CableConstruction.Drop, false)]
    public void Method_against_construction(TerminationMethod method, CableConstruction construction, bool fits)
    {
        var stub = Compatibility.HasStub(method) ? FiberClass.OS2 : (FiberClass?)null;
        Assert.Equal(fits, Codes(new(ConnectorForm.SC, Polish.UPC, FiberMode.SingleMode, method, stub), new(FiberClass.OS2, construction)).Length == 0);
    }

    [Fact]
    public void Ribbon_takes_mpo_only()
    {
        var ribbon = new CableSpec(FiberClass.OM4, CableConstruction.Ribbon12);
        Assert.Empty(Codes(new(ConnectorForm.MPO, Polish.PC, FiberMode.Multimode, TerminationMethod.PigtailSplice, FiberClass.OM4), ribbon));
        Assert.Contains("mpo-needs-ribbon", Codes(new(ConnectorForm.SC, Polish.PC, FiberMode.Multimode, TerminationMethod.PigtailSplice, FiberClass.OM4), ribbon));
    }
}
