using Rhabdon.Core.Connectors;
using Rhabdon.Core.Fiber;

namespace Rhabdon.Core.Planning;

/// <summary>A planned end as it is, beside what a file says of it.</summary>
/// <param name="Worked">The ledger knows something of it: it stays as it is.</param>
public sealed record KnownEnd(EndId EndId, string CableCode, int Strand, char Side, string? SpaceCode, string? PanelCode, int Port, int Position, ConnectorForm Form, Polish Polish, FiberMode Mode, TerminationMethod Method, FiberClass? StubClass, bool Worked);

/// <summary>What is planned in a job already.</summary>
public sealed record KnownPlan(IReadOnlyList<SketchSpace> Spaces, IReadOnlyList<SketchPanel> Panels, IReadOnlyList<SketchCable> Cables, IReadOnlyList<KnownEnd> Ends);

public enum MergeKind
{
    Same, Added, Changed,
}

/// <param name="Was">And is to be; null where it is new.</param>
public sealed record MergedThing<T>(MergeKind Kind, T Now, T? Was);

/// <summary>What a file would do to a plan.</summary>
/// <param name="Left">Ends of the plan that the file does not name: they stay.</param>
public sealed record PlanMerge(
    IReadOnlyList<MergedThing<SketchSpace>> Spaces, IReadOnlyList<MergedThing<SketchPanel>> Panels, IReadOnlyList<MergedThing<SketchCable>> Cables, IReadOnlyList<MergedEnd> Ends, int Left, IReadOnlyList<CellFault> Faults)
{
    /// <summary>True where the file says what is there already.</summary>
    public bool Nothing => Faults.Count == 0 && Spaces.All(s => s.Kind == MergeKind.Same) && Panels.All(p => p.Kind == MergeKind.Same) && Cables.All(c => c.Kind == MergeKind.Same) && Ends.All(e => e.Kind == MergeKind.Same);
}

/// <param name="EndId">Null for a new one.</param>
public sealed record MergedEnd(MergeKind Kind, SketchEnd Now, EndId? EndId);

/// <summary>Lays what a file says onto what is planned: the same file twice changes nothing.</summary>
public static class PlanMerges
{
    /// <param name="cellOf">Where a column of a row stands in the file.</param>
    public static PlanMerge Of(PlanSketch sketch, KnownPlan known, Func<int, PlanColumn, (string Cell, string Heading)> cellOf)
    {
        var faults = new List<CellFault>();
        void Fault(int row, PlanColumn column, Refusal why)
        {
            if (faults.Count < PlanSheets.MostFaults)
            {
                var (cell, heading) = cellOf(row, column);
                faults.Add(new(row, cell, heading, why));
            }
        }

        var (spaces, panels, cables) = (known.Spaces.ToDictionary(s => s.Code), known.Panels.ToDictionary(p => (p.SpaceCode, p.Code)), known.Cables.ToDictionary(c => c.Code));
        var ends = known.Ends.ToDictionary(e => (e.CableCode, e.Strand, e.Side));
        var named = sketch.Ends.Select(e => (e.CableCode, e.Strand, e.Side)).ToHashSet();
        // What the file does not name keeps its port.
        var taken = known.Ends.Where(e => e.PanelCode is not null && !named.Contains((e.CableCode, e.Strand, e.Side))).ToDictionary(e => (e.SpaceCode!, e.PanelCode!, e.Port, e.Position));
        var merged = new List<MergedEnd>();
        foreach (var e in sketch.Ends)
        {
            if (taken.TryGetValue((e.SpaceCode, e.PanelCode, e.Port, e.Position), out var other))
            {
                Fault(e.Row, PlanColumn.Port, Refusal.Of("port-held", "port", ("by", $"{other.CableCode}:{other.Strand}{other.Side}")));
            }

            if (!ends.TryGetValue((e.CableCode, e.Strand, e.Side), out var was))
            {
                merged.Add(new(MergeKind.Added, e, null));
                continue;
            }

            var same = (was.SpaceCode, was.PanelCode, was.Port, was.Position, was.Form, was.Polish, was.Mode, was.Method, was.StubClass) == (e.SpaceCode, e.PanelCode, e.Port, e.Position, e.Form, e.Polish, e.Mode, e.Method, e.StubClass);
            if (!same && was.Worked)
            {
                Fault(e.Row, PlanColumn.Strand, Refusal.Of("worked-in-file", "strand"));
            }

            merged.Add(new(same ? MergeKind.Same : MergeKind.Changed, e, was.EndId));
        }

        // A panel or a cable that is there already keeps what nobody may change while ends hang on it.
        foreach (var panel in sketch.Panels.Where(p => panels.TryGetValue((p.SpaceCode, p.Code), out var was) && (was.Form, was.Angled) != (p.Form, p.Angled) && known.Ends.Any(e => e.SpaceCode == p.SpaceCode && e.PanelCode == p.Code && !named.Contains((e.CableCode, e.Strand, e.Side)))))
        {
            Fault(sketch.Ends.First(e => e.SpaceCode == panel.SpaceCode && e.PanelCode == panel.Code).Row, PlanColumn.Form, Refusal.Of("form-differs-panel", "adapterForm"));
        }

        foreach (var cable in sketch.Cables.Where(c => cables.TryGetValue(c.Code, out var was) && (was.FiberClass, was.Construction, was.UnitSize) != (c.FiberClass, c.Construction, c.UnitSize)))
        {
            Fault(sketch.Ends.First(e => e.CableCode == cable.Code).Row, PlanColumn.FiberClass, Refusal.Of("cable-is-otherwise", "fiberClass", ("cable", cable.Code)));
        }

        return new(
            [.. sketch.Spaces.Select(s => Thing(s, spaces.GetValueOrDefault(s.Code)))], [.. sketch.Panels.Select(p => panels.GetValueOrDefault((p.SpaceCode, p.Code)) is var was ? Thing(p with { Ports = Math.Max(p.Ports, was?.Ports ?? 0) }, was) : null!)],
            // A file names what it plans: ports and strands beyond it stay.
            [.. sketch.Cables.Select(c => cables.GetValueOrDefault(c.Code) is var was ? Thing(c with { StrandCount = Math.Max(c.StrandCount, was?.StrandCount ?? 0) }, was) : null!)],
            merged, known.Ends.Count(e => !named.Contains((e.CableCode, e.Strand, e.Side))), faults);
    }

    private static MergedThing<T> Thing<T>(T now, T? was) where T : class => new(was is null ? MergeKind.Added : now.Equals(was) ? MergeKind.Same : MergeKind.Changed, now, was);
}
