using Rhabdon.Core.Connectors;
using Rhabdon.Core.Fiber;
using Rhabdon.Core.Inspection;

namespace Rhabdon.Core.Ledger;

/// <summary>What the plan says of an end, as far as its connector is judged by it.</summary>
/// <param name="LossLimitSetId">Of the job.</param>
/// <param name="Connections">Mated pairs in the link with both ends mated.</param>
/// <param name="Splices">All of the link; see <see cref="Planning.Links"/>.</param>
public sealed record PlannedConnector(FiberClass FiberClass, double LengthM, Polish Polish, TerminationMethod Method, string LossLimitSetId, int Connections, int Splices)
{
    /// <summary>The pictures and traces that are kept of it, as far as events name them; null where nobody looked.</summary>
    public IReadOnlyDictionary<Guid, KeptEvidence>? Evidence { get; init; }

    public FiberMode Mode => FiberClass.Mode();

    public EndFaceClass EndFaceClass => EndFaces.ClassOf(Mode, Polish);
}

/// <summary>Names what a device said otherwise.</summary>
internal static class Differences
{
    /// <returns>Null where all is as planned.</returns>
    public static IReadOnlyList<Difference>? Of(params (string Field, string Said, string Planned)[] fields)
    {
        IReadOnlyList<Difference> differ = [.. fields.Where(f => f.Said != f.Planned).Select(f => new Difference(f.Field, f.Said, f.Planned))];
        return differ.Count == 0 ? null : differ;
    }

    public static string Figure(double value) => value.ToString("0.######", System.Globalization.CultureInfo.InvariantCulture);
}
