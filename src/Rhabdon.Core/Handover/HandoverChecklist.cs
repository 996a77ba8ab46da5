using Rhabdon.Core.Ledger;

namespace Rhabdon.Core.Handover;

/// <summary>What is looked at before a job is handed over; none of it forbids to.</summary>
public enum CheckKind
{
    /// <summary>Connectors that are not accepted.</summary>
    Open,
    /// <summary>Runs that are under way, or whose device has not sent how they ended.</summary>
    AtBench,
    /// <summary>Entries that the rules refused and nobody has settled.</summary>
    Refused,
    /// <summary>Readings of which nobody has said what lay at the far end.</summary>
    FarEndUnknown,
    /// <summary>Accepted, nearer to the limit than the meter can tell.</summary>
    Marginal,
    Damaged,
    /// <summary>A meter past its calibration, a lot past its day, a tool past its service.</summary>
    PastDay,
    /// <summary>Faces of which no picture is kept.</summary>
    NoPicture,
    /// <summary>Shards that containers lack.</summary>
    ShardsMissing,
}

/// <param name="Count">0 where all is well.</param>
/// <param name="Ends">The first of them by their address.</param>
public sealed record HandoverCheck(CheckKind Kind, int Count, IReadOnlyList<ChecklistEnd> Ends);

public sealed record ChecklistEnd(EndId EndId, string Address);

/// <summary>The list that is gone through before a job is handed over.</summary>
public static class HandoverChecklist
{
    private const int MostNamed = 40;

    /// <param name="refused">Entries of the job's crews that wait to be settled.</param>
    public static IReadOnlyList<HandoverCheck> Of(DossierSource source, int refused)
    {
        var ends = source.Ends.Select(e => (Source: e, End: Dossiers.End(e, source, new(DossierEdition.Company)))).ToList();
        var batches = source.Ends.SelectMany(e => e.State.Attempts).Select(a => a.BatchId).OfType<BatchId>().ToHashSet();
        HandoverCheck Where(CheckKind kind, Func<SourceEnd, DossierEnd, bool> so)
        {
            var found = ends.Where(e => so(e.Source, e.End)).Select(e => new ChecklistEnd(e.End.EndId, e.End.Address)).ToList();
            return new(kind, found.Count, [.. found.Take(MostNamed)]);
        }

        bool Said(DossierEnd e, params EndRemark[] remarks) => e.Remarks.Any(remarks.Contains);
        return
        [
            Where(CheckKind.Open, (_, e) => e.Status is not (EndStatus.Accepted or EndStatus.AtBench)),
            Where(CheckKind.AtBench, (_, e) => e.Status == EndStatus.AtBench),
            new(CheckKind.Refused, refused, []),
            Where(CheckKind.FarEndUnknown, (s, _) => s.State.Current is { FarEndUnknown: true }),
            Where(CheckKind.Marginal, (_, e) => Said(e, EndRemark.Marginal, EndRemark.MarginalOver)),
            Where(CheckKind.Damaged, (_, e) => Said(e, EndRemark.Damaged)),
            Where(CheckKind.PastDay, (_, e) => Said(e, EndRemark.MeterOverdue, EndRemark.LotPastDay, EndRemark.ToolOverdue)),
            Where(CheckKind.NoPicture, (_, e) => e.Status == EndStatus.Accepted && e.Face is { PictureId: null }),
            new(CheckKind.ShardsMissing, source.Batches.Where(b => batches.Contains(b.Id.As<Ids.Batch>())).Sum(b => Math.Max(0, -b.Off)), []),
        ];
    }
}
