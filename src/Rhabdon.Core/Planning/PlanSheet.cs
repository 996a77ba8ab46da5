using System.Globalization;
using Rhabdon.Core.Connectors;
using Rhabdon.Core.Fiber;

namespace Rhabdon.Core.Planning;

/// <summary>What a column of a plan that comes in by file can be: one row for each connector.</summary>
public enum PlanColumn
{
    SpaceCode, SpaceName, PanelCode, PanelPorts, Port, CableCode, FiberClass, Construction, StrandCount, LengthM, SlackAMm, SlackBMm, UnitSize, Strand, Side, Form, Polish, Method, StubClass,
}

/// <summary>A table as it came.</summary>
/// <param name="Headings">Of the first row.</param>
/// <param name="Rows">Each with its number in the file.</param>
public sealed record PlanTable(IReadOnlyList<string> Headings, IReadOnlyList<(int Row, IReadOnlyList<string> Cells)> Rows);

/// <summary>A cell that cannot be.</summary>
/// <param name="Cell">As table programs name it, as in F12.</param>
/// <param name="Heading">Of its column.</param>
public sealed record CellFault(int Row, string Cell, string Heading, Refusal Why);

public sealed record SketchSpace(string Code, string Name);

public sealed record SketchPanel(string SpaceCode, string Code, int Ports, ConnectorForm Form, bool Angled);

public sealed record SketchCable(string Code, FiberClass FiberClass, CableConstruction Construction, int StrandCount, double LengthM, double SlackAMm, double SlackBMm, int UnitSize);

/// <param name="Row">Of the file.</param>
/// <param name="Side">A or B.</param>
/// <param name="Position">In a multifiber connector.</param>
public sealed record SketchEnd(int Row, string CableCode, int Strand, char Side, string SpaceCode, string PanelCode, int Port, int Position, ConnectorForm Form, Polish Polish, FiberMode Mode, TerminationMethod Method, FiberClass? StubClass);

/// <summary>A job as a file has it, judged by itself.</summary>
public sealed record PlanSketch(IReadOnlyList<SketchSpace> Spaces, IReadOnlyList<SketchPanel> Panels, IReadOnlyList<SketchCable> Cables, IReadOnlyList<SketchEnd> Ends);

/// <summary>Reads a plan from a table: every cell that cannot be is named, and with one of them nothing is taken.</summary>
public static class PlanSheets
{
    public const int MostRows = 20_000, MostFaults = 200;

    /// <summary>Of slack, where the file says nothing of it: typical, edit to the job (ours).</summary>
    public const double UsualSlackMm = 500;

    private static readonly PlanColumn[] Needed = [PlanColumn.SpaceCode, PlanColumn.PanelCode, PlanColumn.Port, PlanColumn.CableCode, PlanColumn.FiberClass, PlanColumn.Construction, PlanColumn.LengthM, PlanColumn.Strand, PlanColumn.Side, PlanColumn.Form, PlanColumn.Polish, PlanColumn.Method];

    /// <summary>Which heading is which column, as far as headings tell: by the columns' own names, however they are spaced.</summary>
    public static IReadOnlyDictionary<PlanColumn, string> Guess(IReadOnlyList<string> headings, IReadOnlyDictionary<string, PlanColumn> synonyms) =>
        headings.Select(h => (Heading: h, Column: Enum.GetValues<PlanColumn>().Select(c => (PlanColumn?)c).FirstOrDefault(c => Bare(c.ToString()!) == Bare(h)) ?? (synonyms.TryGetValue(Bare(h), out var known) ? known : null)))
            .Where(x => x.Column is not null).GroupBy(x => x.Column!.Value).ToDictionary(g => g.Key, g => g.First().Heading);

    /// <summary>Letters and figures alone, so that <c>Space code</c>, <c>space_code</c> and <c>spaceCode</c> are one.</summary>
    public static string Bare(string text) => new([.. text.Where(char.IsLetterOrDigit).Select(char.ToLowerInvariant)]);

    /// <summary>Where a column of a row stands, as table programs name it; what has no column of its own stands with the cable's.</summary>
    public static (string Cell, string Heading) CellOf(PlanTable table, IReadOnlyDictionary<PlanColumn, string> mapping, int row, PlanColumn column)
    {
        var heading = mapping.GetValueOrDefault(column, mapping[PlanColumn.CableCode]);
        return ($"{Letters(table.Headings.ToList().IndexOf(heading))}{row.ToString(CultureInfo.InvariantCulture)}", heading);
    }

    /// <summary>A, B, … Z, AA.</summary>
    private static string Letters(int index) => index < 26 ? ((char)('A' + index)).ToString() : Letters((index / 26) - 1) + (char)('A' + (index % 26));

    /// <param name="mapping">The heading of each column.</param>
    /// <param name="words">The trade's words for members of closed lists, bare, as people write them.</param>
    /// <returns>The sketch, or every fault, at most <see cref="MostFaults"/>.</returns>
    /// <exception cref="RefusedException">A column that is needed has no heading, or the file is too long.</exception>
    public static (PlanSketch? Sketch, IReadOnlyList<CellFault> Faults) Read(PlanTable table, IReadOnlyDictionary<PlanColumn, string> mapping, IReadOnlyDictionary<string, string> words)
    {
        var refusals = new List<Refusal>();
        refusals.AddRange(Needed.Where(c => !mapping.ContainsKey(c)).Select(c => Refusal.Of("column-unmapped", $"mapping.{Wire.Name(c)}", ("column", Wire.Name(c)))));
        refusals.AddRange(mapping.Where(m => !table.Headings.Contains(m.Value)).Select(m => Refusal.Of("heading-unknown", $"mapping.{Wire.Name(m.Key)}", ("heading", m.Value))));
        if (table.Rows.Count is 0 or > MostRows)
        {
            refusals.Add(Refusal.Of("rows-range", "file", ("most", MostRows)));
        }

        return refusals.Count > 0 ? throw new RefusedException(refusals) : new Reader(table, mapping, words).Read();
    }

    private sealed class Reader(PlanTable table, IReadOnlyDictionary<PlanColumn, string> mapping, IReadOnlyDictionary<string, string> words)
    {
        private readonly Dictionary<PlanColumn, int> _at = mapping.ToDictionary(m => m.Key, m => table.Headings.ToList().IndexOf(m.Value));
        private readonly List<CellFault> _faults = [];
        private readonly Dictionary<string, SketchSpace> _spaces = [];
        private readonly Dictionary<(string, string), (SketchPanel Panel, bool PortsSaid)> _panels = [];
        private readonly Dictionary<string, (SketchCable Cable, int MostStrand, bool StrandsSaid)> _cables = [];
        private readonly List<SketchEnd> _ends = [];

        public (PlanSketch?, IReadOnlyList<CellFault>) Read()
        {
            foreach (var (row, cells) in table.Rows)
            {
                if (_faults.Count >= MostFaults)
                {
                    break;
                }

                Take(row, cells);
            }

            var cables = _cables.Values.Select(c => c.StrandsSaid ? c.Cable : c.Cable with { StrandCount = Round(c.MostStrand, c.Cable.Construction == CableConstruction.Ribbon12 ? 12 : 1) }).ToDictionary(c => c.Code);
            var panels = _panels.Values.Select(p => p.PortsSaid ? p.Panel : p.Panel with { Ports = Round(p.Panel.Ports, 12) }).ToDictionary(p => (p.SpaceCode, p.Code));
            if (_faults.Count == 0)
            {
                JudgeCables(cables);
                JudgeEnds(cables, panels);
            }

            return _faults.Count > 0 ? (null, [.. _faults.Take(MostFaults)]) : (new([.. _spaces.Values], [.. panels.Values], [.. cables.Values], _ends), []);
        }

        private static int Round(int n, int by) => (n + by - 1) / by * by;

        private void Take(int row, IReadOnlyList<string> cells)
        {
            var before = _faults.Count;
            string Cell(PlanColumn column) => _at.TryGetValue(column, out var i) && i < cells.Count ? cells[i].Trim() : "";
            bool Said(PlanColumn column) => Cell(column).Length > 0;
            string Code(PlanColumn column, int most)
            {
                var text = Cell(column);
                if (text.Length == 0 || text.Length > most || text.Any(char.IsControl))
                {
                    Fault(row, column, Refusal.Of("name-length", Wire.Name(column), ("most", most)));
                }

                return text;
            }

            T? Word<T>(PlanColumn column) where T : struct, Enum
            {
                var text = Cell(column);
                var bare = Bare(text);
                var known = Enum.GetValues<T>().Where(v => Bare(Wire.Name(v)) == bare || (words.TryGetValue(bare, out var wire) && wire == Wire.Name(v))).Select(v => (T?)v).FirstOrDefault();
                if (known is null)
                {
                    Fault(row, column, Refusal.Of("unknown-choice", Wire.Name(column), ("name", text), ("choices", string.Join(", ", Enum.GetValues<T>().Select(Wire.Name)))));
                }

                return known;
            }

            double Number(PlanColumn column, double least, double most, double otherwise)
            {
                var text = Cell(column);
                if (text.Length == 0)
                {
                    return otherwise;
                }

                // A comma where no point is stands for the decimal, as half of the world writes it.
                var plain = !text.Contains('.', StringComparison.Ordinal) && text.Count(c => c == ',') == 1 ? text.Replace(',', '.') : text.Replace(",", "", StringComparison.Ordinal);
                if (!double.TryParse(plain.Replace(" ", "", StringComparison.Ordinal), NumberStyles.Float, CultureInfo.InvariantCulture, out var n) || !(n >= least && n <= most))
                {
                    Fault(row, column, Refusal.Of("figure-range", Wire.Name(column), ("least", least), ("most", most)));
                    return otherwise;
                }

                return n;
            }

            int Whole(PlanColumn column, int least, int most, int otherwise)
            {
                var n = Number(column, least, most, otherwise);
                if (n != Math.Floor(n) || (otherwise < least && !Said(column)))
                {
                    Fault(row, column, Refusal.Of("figure-range", Wire.Name(column), ("least", least), ("most", most)));
                }

                return (int)n;
            }

            var (space, panel, cable) = (Code(PlanColumn.SpaceCode, 12), Code(PlanColumn.PanelCode, 12), Code(PlanColumn.CableCode, 20));
            var spaceName = Said(PlanColumn.SpaceName) ? Code(PlanColumn.SpaceName, 60) : space;
            var (form, polish, method) = (Word<ConnectorForm>(PlanColumn.Form), Word<Polish>(PlanColumn.Polish), Word<TerminationMethod>(PlanColumn.Method));
            var (glass, construction) = (Word<FiberClass>(PlanColumn.FiberClass), Word<CableConstruction>(PlanColumn.Construction));
            var stub = Said(PlanColumn.StubClass) ? Word<FiberClass>(PlanColumn.StubClass) : null;
            var (port, strand) = (Whole(PlanColumn.Port, 1, Plans.MaxPorts, 0), Whole(PlanColumn.Strand, 1, Strands.MaxPerCable, 0));
            var ports = Whole(PlanColumn.PanelPorts, 1, Plans.MaxPorts, Math.Max(1, port));
            var strands = Whole(PlanColumn.StrandCount, 1, Strands.MaxPerCable, Math.Max(1, strand));
            var unit = Whole(PlanColumn.UnitSize, 1, 24, Strands.PerUnit);
            var (length, slackA, slackB) = (Number(PlanColumn.LengthM, 0.01, 200_000, double.NaN), Number(PlanColumn.SlackAMm, 0, 100_000, UsualSlackMm), Number(PlanColumn.SlackBMm, 0, 100_000, UsualSlackMm));
            var side = Cell(PlanColumn.Side).ToUpperInvariant();
            if (side is not ("A" or "B"))
            {
                Fault(row, PlanColumn.Side, Refusal.Of("unknown-choice", Wire.Name(PlanColumn.Side), ("name", side), ("choices", "A, B")));
            }

            if (double.IsNaN(length) && _faults.Count == before)
            {
                Fault(row, PlanColumn.LengthM, Refusal.Of("figure-range", Wire.Name(PlanColumn.LengthM), ("least", 0.01), ("most", 200_000)));
            }

            if (_faults.Count > before)
            {
                return;
            }

            // What many rows say of one thing has to be the same in all of them.
            var made = new SketchSpace(space, spaceName);
            if (!_spaces.TryAdd(space, made) && _spaces[space] != made)
            {
                Fault(row, PlanColumn.SpaceName, Otherwise(PlanColumn.SpaceName, _spaces[space].Name));
            }

            var drawn = new SketchPanel(space, panel, ports, form!.Value, polish == Polish.APC);
            if (_panels.TryGetValue((space, panel), out var there))
            {
                if (there.Panel.Form != drawn.Form || there.Panel.Angled != drawn.Angled)
                {
                    Fault(row, there.Panel.Form != drawn.Form ? PlanColumn.Form : PlanColumn.Polish, Otherwise(there.Panel.Form != drawn.Form ? PlanColumn.Form : PlanColumn.Polish, $"{Wire.Name(there.Panel.Form)}{(there.Panel.Angled ? " APC" : "")}"));
                }
                else if (Said(PlanColumn.PanelPorts) && there.PortsSaid && there.Panel.Ports != ports)
                {
                    Fault(row, PlanColumn.PanelPorts, Otherwise(PlanColumn.PanelPorts, there.Panel.Ports));
                }
                else
                {
                    _panels[(space, panel)] = Said(PlanColumn.PanelPorts) ? (drawn, true) : there.PortsSaid ? there : (there.Panel with { Ports = Math.Max(there.Panel.Ports, port) }, false);
                }
            }
            else
            {
                _panels[(space, panel)] = (drawn, Said(PlanColumn.PanelPorts));
            }

            var laid = new SketchCable(cable, glass!.Value, construction!.Value, strands, length, slackA, slackB, unit);
            if (_cables.TryGetValue(cable, out var known))
            {
                var same = known.Cable with { StrandCount = laid.StrandCount };
                if (same != laid)
                {
                    var differs = known.Cable.FiberClass != laid.FiberClass ? PlanColumn.FiberClass : known.Cable.Construction != laid.Construction ? PlanColumn.Construction : known.Cable.LengthM != laid.LengthM ? PlanColumn.LengthM
                        : known.Cable.SlackAMm != laid.SlackAMm ? PlanColumn.SlackAMm : known.Cable.SlackBMm != laid.SlackBMm ? PlanColumn.SlackBMm : PlanColumn.UnitSize;
                    Fault(row, differs, Otherwise(differs, cable));
                }
                else if (Said(PlanColumn.StrandCount) && known.StrandsSaid && known.Cable.StrandCount != strands)
                {
                    Fault(row, PlanColumn.StrandCount, Otherwise(PlanColumn.StrandCount, known.Cable.StrandCount));
                }
                else
                {
                    _cables[cable] = (Said(PlanColumn.StrandCount) ? laid : known.Cable, Math.Max(known.MostStrand, strand), known.StrandsSaid || Said(PlanColumn.StrandCount));
                }
            }
            else
            {
                _cables[cable] = (laid, strand, Said(PlanColumn.StrandCount));
            }

            _ends.Add(new(row, cable, strand, side[0], space, panel, port, form == ConnectorForm.MPO ? ((strand - 1) % Strands.PerUnit) + 1 : 1, form.Value, polish!.Value, glass.Value.Mode(), method!.Value, stub));
        }

        private static Refusal Otherwise(PlanColumn column, object said) => Refusal.Of("said-otherwise", Wire.Name(column), ("said", said));

        private void JudgeCables(Dictionary<string, SketchCable> cables)
        {
            foreach (var cable in cables.Values)
            {
                try
                {
                    Plans.CheckCable(cable.Construction, cable.StrandCount, cable.LengthM, cable.SlackAMm, cable.SlackBMm, new(cable.UnitSize, StrandLay.Usual.Order));
                }
                catch (RefusedException e)
                {
                    var row = _ends.First(x => x.CableCode == cable.Code).Row;
                    _faults.AddRange(e.Refusals.Select(r => At(row, Column(r.Field) ?? PlanColumn.CableCode, r)));
                }
            }
        }

        private void JudgeEnds(Dictionary<string, SketchCable> cables, Dictionary<(string, string), SketchPanel> panels)
        {
            var (strands, ports) = (new Dictionary<(string, int, char), int>(), new Dictionary<(string, string, int, int), int>());
            foreach (var e in _ends)
            {
                var (cable, panel) = (cables[e.CableCode], panels[(e.SpaceCode, e.PanelCode)]);
                foreach (var against in Compatibility.Judge(new(e.Form, e.Polish, e.Mode, e.Method, e.StubClass), new(cable.FiberClass, cable.Construction), new(panel.Form, panel.Angled)))
                {
                    Fault(e.Row, Column(against.Field) ?? PlanColumn.Method, against);
                }

                if (e.Strand > cable.StrandCount)
                {
                    Fault(e.Row, PlanColumn.Strand, Refusal.Of("strand-range", "fromStrand", ("strands", cable.StrandCount)));
                }

                if (e.Port > panel.Ports)
                {
                    Fault(e.Row, PlanColumn.Port, Refusal.Of("port-range", "port", ("ports", panel.Ports)));
                }

                if (!strands.TryAdd((e.CableCode, e.Strand, e.Side), e.Row))
                {
                    Fault(e.Row, PlanColumn.Strand, Refusal.Of("twice-in-file", Wire.Name(PlanColumn.Strand), ("row", strands[(e.CableCode, e.Strand, e.Side)])));
                }

                if (!ports.TryAdd((e.SpaceCode, e.PanelCode, e.Port, e.Position), e.Row))
                {
                    Fault(e.Row, PlanColumn.Port, Refusal.Of("twice-in-file", Wire.Name(PlanColumn.Port), ("row", ports[(e.SpaceCode, e.PanelCode, e.Port, e.Position)])));
                }
            }

            foreach (var g in _ends.Where(e => e.Form == ConnectorForm.MPO).GroupBy(e => (e.SpaceCode, e.PanelCode, e.Port)))
            {
                if (g.Count() != Strands.PerUnit || g.Select(e => (e.CableCode, e.Side, (e.Strand - 1) / Strands.PerUnit)).Distinct().Count() > 1)
                {
                    Fault(g.First().Row, PlanColumn.Strand, Refusal.Of("mpo-whole-ribbon", "fromStrand"));
                }
            }
        }

        private void Fault(int row, PlanColumn column, Refusal why) => _faults.Add(At(row, column, why));

        private CellFault At(int row, PlanColumn column, Refusal why)
        {
            var (cell, heading) = CellOf(table, mapping, row, column);
            return new(row, cell, heading, why);
        }

        private static PlanColumn? Column(string field) => field switch
        {
            "polish" => PlanColumn.Polish,
            "form" or "adapterForm" => PlanColumn.Form,
            "mode" => PlanColumn.FiberClass,
            "method" or "construction" => PlanColumn.Method,
            "stubClass" => PlanColumn.StubClass,
            "unitSize" => PlanColumn.UnitSize,
            "strandCount" => PlanColumn.StrandCount,
            "lengthM" => PlanColumn.LengthM,
            "slackAMm" => PlanColumn.SlackAMm,
            "slackBMm" => PlanColumn.SlackBMm,
            _ => null,
        };
    }
}
