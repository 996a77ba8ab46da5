using Rhabdon.Core.Connectors;
using Rhabdon.Core.Fiber;
using Rhabdon.Core.Ledger;

namespace Rhabdon.Core.Handover;

public enum EndChange
{
    /// <summary>It is planned now and was not.</summary>
    Added,
    /// <summary>It was planned and is not any more.</summary>
    Dropped,
    /// <summary>It was open and is proven now.</summary>
    Proven,
    /// <summary>It was proven and is open again.</summary>
    Reopened,
    /// <summary>It is another connector than the one that was proven.</summary>
    Remade,
    /// <summary>It was looked at or measured again.</summary>
    ProvenAgain,
    /// <summary>Something else is to be said of it.</summary>
    OtherRemarks,
    /// <summary>What is planned of it is otherwise: place, form, polish, method, cable.</summary>
    Replanned,
}

public sealed record ChangedEnd(EndId EndId, string Address, IReadOnlyList<EndChange> Changes);

/// <summary>What is otherwise in a later dossier of the same job.</summary>
public static class DossierChanges
{
    public static IReadOnlyList<ChangedEnd> Between(Dossier before, Dossier after)
    {
        var (was, now) = (before.Ends.ToDictionary(e => e.EndId), after.Ends.ToDictionary(e => e.EndId));
        return
        [
            .. after.Ends.Select(e => was.TryGetValue(e.EndId, out var b) ? new ChangedEnd(e.EndId, e.Address, [.. Of(b, e)]) : new(e.EndId, e.Address, [EndChange.Added])).Where(c => c.Changes.Count > 0),
            .. before.Ends.Where(e => !now.ContainsKey(e.EndId)).Select(e => new ChangedEnd(e.EndId, e.Address, [EndChange.Dropped])),
        ];
    }

    private static IEnumerable<EndChange> Of(DossierEnd was, DossierEnd now)
    {
        var (before, after) = (was.Status == EndStatus.Accepted, now.Status == EndStatus.Accepted);
        if (before != after)
        {
            yield return after ? EndChange.Proven : EndChange.Reopened;
        }
        else if (before && was.AcceptedAt != now.AcceptedAt)
        {
            yield return EndChange.Remade;
        }
        else if (!Equal(was, now))
        {
            yield return EndChange.ProvenAgain;
        }

        if (!was.Remarks.Where(r => r != EndRemark.Open).SequenceEqual(now.Remarks.Where(r => r != EndRemark.Open)))
        {
            yield return EndChange.OtherRemarks;
        }

        if (!Planned(was).Equals(Planned(now)))
        {
            yield return EndChange.Replanned;
        }
    }

    private static bool Equal(DossierEnd a, DossierEnd b) => a.Face == b.Face && a.Losses.SequenceEqual(b.Losses) && a.Traces.SequenceEqual(b.Traces) && a.Splices.SequenceEqual(b.Splices);

    private static (string, string, ConnectorForm, Polish, TerminationMethod, FiberClass, double, string?) Planned(DossierEnd e) => (e.Address, e.Cable, e.Form, e.Polish, e.Method, e.FiberClass, e.LengthM, e.FarAddress);
}
