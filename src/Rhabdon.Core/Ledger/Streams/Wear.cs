namespace Rhabdon.Core.Ledger;

/// <summary>What of a tool wears.</summary>
public enum WearKind
{
    /// <summary>A splicer's battery, in arcs.</summary>
    ArcsOfCharge,
    /// <summary>A splicer's pair of electrodes, in arcs.</summary>
    ArcsOfElectrodes,
    /// <summary>A cleaver's blade where it stands, in cleaves.</summary>
    CleavesOfPosition,
    /// <summary>A sheet of polishing film, in strokes.</summary>
    StrokesOfSheet,
    /// <summary>A light source's battery, in minutes of light.</summary>
    MinutesOfCharge,
}

/// <param name="Typical">What it lasts, usually or by its owner's word.</param>
/// <param name="Left">Below 0 where it has done more.</param>
/// <param name="Low">True where a tenth or less is left: advice, never a stop.</param>
public sealed record Wear(WearKind Kind, int Done, int Typical, int Left, bool Low);

/// <summary>How long the parts of one tool last; null where the usual figure holds.</summary>
public sealed record ToolLife(int? ArcsOfCharge = null, int? ArcsOfElectrodes = null, int? CleavesOfPosition = null, int? StrokesOfSheet = null, int? MinutesOfCharge = null)
{
    /// <summary>Splices a charge and a pair of electrodes as practitioners say them; cleaves, strokes and minutes are ours (docs/numbers.md).</summary>
    public static readonly ToolLife Usual = new(200, 5_000, 1_000, 300, 1_200);
}

internal static class Wears
{
    public static IReadOnlyList<Wear> Of(ToolState t)
    {
        var (own, usual) = (t.Life, ToolLife.Usual);
        return t.Kind switch
        {
            ToolKind.Splicer =>
            [
                Left(WearKind.ArcsOfCharge, t.SinceCharge.Arcs, own?.ArcsOfCharge ?? usual.ArcsOfCharge!.Value),
                Left(WearKind.ArcsOfElectrodes, t.Since.Arcs, own?.ArcsOfElectrodes ?? usual.ArcsOfElectrodes!.Value),
            ],
            ToolKind.Cleaver => [Left(WearKind.CleavesOfPosition, t.Since.Cleaves, own?.CleavesOfPosition ?? usual.CleavesOfPosition!.Value)],
            ToolKind.FilmSheet => [Left(WearKind.StrokesOfSheet, t.Since.Strokes, own?.StrokesOfSheet ?? usual.StrokesOfSheet!.Value)],
            ToolKind.RedLightSource => [Left(WearKind.MinutesOfCharge, t.SinceCharge.LitS / 60, own?.MinutesOfCharge ?? usual.MinutesOfCharge!.Value)],
            _ => [],
        };
    }

    private static Wear Left(WearKind kind, int done, int typical) => new(kind, done, typical, typical - done, (typical - done) * 10 <= typical);
}
