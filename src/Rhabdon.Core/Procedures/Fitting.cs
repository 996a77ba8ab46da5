using Rhabdon.Core.Connectors;

namespace Rhabdon.Core.Procedures;

/// <summary>In what a connector on a cable is not what a procedure is for.</summary>
public enum Unlike
{
    Method, Form, Polish, Construction, FiberClass,
}

/// <summary>A procedure that does not fit, and what would have to be otherwise.</summary>
public sealed record NearProcedure(string Id, int Version, string Title, IReadOnlyList<Unlike> Differs);

/// <summary>Which procedures are for a connector on a cable, and, where none is, which come nearest.</summary>
public static class Fitting
{
    /// <summary>More would be no help.</summary>
    private const int MostNear = 3;

    public static IReadOnlyList<ProcedureDocument> Of(IEnumerable<ProcedureDocument> all, ConnectorSpec connector, CableSpec cable) =>
        [.. all.Where(p => Differs(p, connector, cable).Count == 0)];

    /// <summary>Those that differ in the fewest things; another method only where nothing of this one differs in one thing.</summary>
    public static IReadOnlyList<NearProcedure> Nearest(IEnumerable<ProcedureDocument> all, ConnectorSpec connector, CableSpec cable) =>
        [.. all.Select(p => new NearProcedure(p.Id, p.Version, p.Title, Differs(p, connector, cable))).Where(n => n.Differs.Count > 0)
            .OrderBy(n => n.Differs.Count + (n.Differs[0] == Unlike.Method ? 0.5 : 0)).ThenBy(n => n.Id, StringComparer.Ordinal).Take(MostNear)];

    private static IReadOnlyList<Unlike> Differs(ProcedureDocument p, ConnectorSpec connector, CableSpec cable) =>
    [
        .. p.Method == connector.Method ? [] : new[] { Unlike.Method },
        .. p.Fits.Forms.Contains(connector.Form) ? [] : new[] { Unlike.Form },
        .. p.Fits.Polishes.Contains(connector.Polish) ? [] : new[] { Unlike.Polish },
        .. p.Fits.Constructions.Contains(cable.Construction) ? [] : new[] { Unlike.Construction },
        .. p.Fits.Classes.Contains(cable.FiberClass) ? [] : new[] { Unlike.FiberClass },
    ];
}
