using System.Globalization;
using CsCheck;
using Rhabdon.Core.Connectors;
using Rhabdon.Core.Fiber;
using Rhabdon.Core.Planning;
using Xunit;

namespace Rhabdon.Core.Tests;

/// <summary>A plan that comes in by file: what is written into a table is read out of it again, and laid onto a plan by what it names.</summary>
public class PlanSheetTests
{
    private static readonly Dictionary<string, string> NoWords = [];

    private static readonly IReadOnlyDictionary<PlanColumn, string> Own = Enum.GetValues<PlanColumn>().ToDictionary(c => c, Wire.Name);

    private static PlanTable Table(params SketchEnd[] ends) => Table(new PlanSketch([], [], [new("T", FiberClass.OM3, CableConstruction.Cordage30, 24, 86.5, 600, 450, 12)], ends));

    private static PlanTable Table(PlanSketch sketch)
    {
        string N(double n) => n.ToString("R", CultureInfo.InvariantCulture);
        var cables = sketch.Cables.ToDictionary(c => c.Code);
        return new([.. Own.Values], [.. sketch.Ends.Select((e, i) => (i + 2, (IReadOnlyList<string>)[.. Own.Keys.Select(c => cables[e.CableCode] is var k ? c switch
        {
            PlanColumn.SpaceCode => e.SpaceCode,
            PlanColumn.SpaceName => $"Name of {e.SpaceCode}",
            PlanColumn.PanelCode => e.PanelCode,
            PlanColumn.PanelPorts => "48",
            PlanColumn.Port => N(e.Port),
            PlanColumn.CableCode => e.CableCode,
            PlanColumn.FiberClass => Wire.Name(k.FiberClass),
            PlanColumn.Construction => Wire.Name(k.Construction),
            PlanColumn.StrandCount => N(k.StrandCount),
            PlanColumn.LengthM => N(k.LengthM),
            PlanColumn.SlackAMm => N(k.SlackAMm),
            PlanColumn.SlackBMm => N(k.SlackBMm),
            PlanColumn.UnitSize => N(k.UnitSize),
            PlanColumn.Strand => N(e.Strand),
            PlanColumn.Side => e.Side.ToString(),
            PlanColumn.Form => Wire.Name(e.Form),
            PlanColumn.Polish => Wire.Name(e.Polish),
            PlanColumn.Method => Wire.Name(e.Method),
            _ => e.StubClass is { } stub ? Wire.Name(stub) : "",
        } : "")]))]);
    }

    private static SketchEnd End(int strand, char side = 'A', int? port = null, Polish polish = Polish.UPC, FiberClass? stub = FiberClass.OM3, string panel = "P1") =>
        new(strand + 1, "T", strand, side, side == 'A' ? "MR" : "TR", panel, port ?? strand, 1, ConnectorForm.SC, polish, FiberMode.Multimode, TerminationMethod.WedgeLocked, stub);

    private static IEnumerable<string> Faults(PlanTable table) => PlanSheets.Read(table, Own, NoWords).Faults.Select(f => $"{f.Cell} {f.Why.Code}");

    [Fact]
    public void What_is_written_into_a_table_is_read_out_of_it_again()
    {
        var cable = Gen.Select(Gen.OneOfConst(FiberClass.OM1, FiberClass.OM3, FiberClass.OM4, FiberClass.OS2), Gen.OneOfConst(CableConstruction.Cordage20, CableConstruction.Cordage30, CableConstruction.TightBuffer900), Gen.Int[1, 48], Gen.Double[0.5, 3000], Gen.Int[0, 5000]);
        Gen.Select(cable, cable, Gen.OneOfConst(ConnectorForm.SC, ConnectorForm.LC)).Sample((a, b, form) =>
        {
            var cables = new[] { a, b }.Select((c, i) => new SketchCable($"C{i}", c.Item1, c.Item2, c.Item3, Math.Round(c.Item4, 2), c.Item5, c.Item5 / 2.0, 12)).ToList();
            var ends = cables.SelectMany((c, i) => Enumerable.Range(1, c.StrandCount).Select(n =>
                new SketchEnd(0, c.Code, n, 'A', $"S{i}", "P", n, 1, form, Polish.UPC, c.FiberClass.Mode(), TerminationMethod.WedgeLocked, c.FiberClass))).Select((e, i) => e with { Row = i + 2 }).ToList();
            var sketch = new PlanSketch([new("S0", "Name of S0"), new("S1", "Name of S1")], [new("S0", "P", 48, form, false), new("S1", "P", 48, form, false)], cables, ends);
            var (read, faults) = PlanSheets.Read(Table(sketch), Own, NoWords);
            Assert.Empty(faults);
            Assert.Equal(sketch.Spaces, read!.Spaces);
            Assert.Equal(sketch.Panels, read.Panels);
            Assert.Equal(sketch.Cables, read.Cables);
            Assert.Equal(sketch.Ends, read.Ends);
        }, iter: 60);
    }

    [Fact]
    public void A_cell_that_cannot_be_is_named_as_a_table_program_names_it()
    {
        Assert.Empty(Faults(Table(End(1), End(2))));
        Assert.Equal(["G3 twice-in-file"], Faults(Table(End(1), End(2, port: 1))).Select(f => f.Replace("E3", "G3")));
        Assert.Equal(["N3 twice-in-file"], Faults(Table(End(1), End(1, port: 2))));
        Assert.Equal(["N2 strand-range"], Faults(Table(End(25, port: 1))));
        Assert.Equal(["S2 stub-class-differs"], Faults(Table(End(1, stub: FiberClass.OM1))));
        Assert.Equal(["Q2 apc-is-single-mode"], Faults(Table(End(1, polish: Polish.APC))).Take(1));
        var table = Table(End(1), End(2));
        PlanTable With(int row, PlanColumn column, string cell) => table with { Rows = [.. table.Rows.Select(r => r.Row != row ? r : (r.Row, (IReadOnlyList<string>)[.. r.Cells.Select((x, i) => i == (int)column ? cell : x)]))] };
        foreach (var (column, cell, code) in new[]
        {
            (PlanColumn.Port, "0", "figure-range"), (PlanColumn.Port, "1.5", "figure-range"), (PlanColumn.Port, "", "figure-range"), (PlanColumn.LengthM, "far", "figure-range"), (PlanColumn.LengthM, "90", "said-otherwise"), (PlanColumn.Side, "C", "unknown-choice"),
            (PlanColumn.FiberClass, "OM9", "unknown-choice"), (PlanColumn.CableCode, new string('x', 21), "name-length"), (PlanColumn.SpaceName, "Another", "said-otherwise"), (PlanColumn.StrandCount, "12", "said-otherwise"), (PlanColumn.PanelPorts, "24", "said-otherwise"),
        })
        {
            Assert.Equal([$"{(char)('A' + (int)column)}3 {code}"], Faults(With(3, column, cell)));
        }

        // As half of the world writes a decimal, and as people space words.
        Assert.Empty(Faults(With(2, PlanColumn.LengthM, "86,5")));
        Assert.Empty(Faults(With(2, PlanColumn.Method, "Wedge locked")));
        Assert.Equal(["column-unmapped", "heading-unknown"], Assert.Throws<RefusedException>(() => PlanSheets.Read(table, new Dictionary<PlanColumn, string>(Own.Where(c => c.Key != PlanColumn.Port)) { [PlanColumn.Side] = "no such" }, NoWords)).Refusals.Select(r => r.Code));
        Assert.Equal([PlanColumn.Port, PlanColumn.CableCode], PlanSheets.Guess(["PORT", "The cable", "x"], new Dictionary<string, PlanColumn> { ["thecable"] = PlanColumn.CableCode }).Keys.Order());
    }

    [Fact]
    public void A_file_is_laid_onto_a_plan_by_what_it_names()
    {
        var sketch = PlanSheets.Read(Table(End(1), End(2), End(3)), Own, NoWords).Sketch!;
        KnownEnd Known(SketchEnd e, bool worked = false) => new(EndId.New(), e.CableCode, e.Strand, e.Side, e.SpaceCode, e.PanelCode, e.Port, e.Position, e.Form, e.Polish, e.Mode, e.Method, e.StubClass, worked);
        PlanMerge On(params KnownEnd[] ends) => PlanMerges.Of(sketch, new(sketch.Spaces, sketch.Panels, sketch.Cables, ends), (row, column) => ($"{column}{row}", ""));
        var same = On([.. sketch.Ends.Select(e => Known(e, worked: true))]);
        Assert.True(same.Nothing);
        Assert.Equal([MergeKind.Same, MergeKind.Changed, MergeKind.Added], On(Known(sketch.Ends[0]), Known(sketch.Ends[1] with { Port = 7 })).Ends.Select(e => e.Kind));
        Assert.Equal(["Strand3 worked-in-file"], On(Known(sketch.Ends[1] with { Port = 7 }, worked: true)).Faults.Select(f => $"{f.Cell} {f.Why.Code}"));
        Assert.Equal(1, On(Known(End(9))).Left);
        Assert.Equal(["Port2 port-held"], On(Known(End(9, port: 1))).Faults.Select(f => $"{f.Cell} {f.Why.Code}"));

        // More ports and strands than the file names stay; another glass is another cable.
        var larger = PlanMerges.Of(sketch, new(sketch.Spaces, [sketch.Panels[0] with { Ports = 96 }], [sketch.Cables[0] with { StrandCount = 48 }], []), (_, _) => ("", ""));
        Assert.Equal((MergeKind.Same, MergeKind.Same), (larger.Panels[0].Kind, larger.Cables[0].Kind));
        Assert.Equal("cable-is-otherwise", PlanMerges.Of(sketch, new([], [], [sketch.Cables[0] with { FiberClass = FiberClass.OM4 }], []), (_, _) => ("", "")).Faults[0].Why.Code);
    }
}
