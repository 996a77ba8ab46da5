using Rhabdon.Core.Connectors;
using Rhabdon.Core.Fiber;
using Rhabdon.Core.Ledger;
using Rhabdon.Core.Planning;
using Rhabdon.Core.Procedures;

namespace Rhabdon.Store;

/// <summary>What is planned of an end, as far as the ledger needs it.</summary>
/// <param name="FarBegun">True when something is known of the far end: until then it has no readings that could hang on this one.</param>
/// <param name="Waits">True when events of it wait in quarantine for others.</param>
internal sealed record EndPlanRow(
    EndId EndId, JobId JobId, CrewId CrewId, PersonId? PersonId, CrewId PlannedBy, string TimeZone, string LimitSetId, string? FaceLimitSetId, FiberClass FiberClass, double LengthM, int Connections, int CableSplices, PlaceId PlaceId, bool OnPanel, int StrandCount, ConnectorForm Form, Polish Polish, TerminationMethod Method,
    TerminationMethod? FarMethod, string? StateJson, EndId? FarEndId, bool FarBegun, string? SetAside, bool Waits)
{
    public PlannedConnector Planned() => new(FiberClass, LengthM, Polish, Method, LimitSetId, Connections, Links.Splices(CableSplices, Method, FarMethod)) { PlaceId = PlaceId, TimeZone = TimeZone, FaceLimitSetId = FaceLimitSetId, Form = Form, Cord = EndOptions.CordOf(OnPanel, StrandCount) };
}

/// <summary>An end that this batch speaks of, or the far end of one.</summary>
internal sealed class OpenEnd
{
    private readonly EndState _before;

    public OpenEnd(EndPlanRow plan)
    {
        Plan = plan;
        State = plan.StateJson is null ? EndState.Empty(plan.EndId) : EndStates.Read(plan.StateJson);
        _before = State;
    }

    public EndPlanRow Plan { get; private set; }

    public EndState State { get; private set; }

    /// <summary>True when the batch speaks of it, and it is not only the far end of one.</summary>
    public bool Asked { get; init; }

    /// <summary>True when the state has to be written.</summary>
    public bool Changed { get; private set; }

    /// <summary>True when slack was used, or turned out not to have been.</summary>
    public bool SlackTurned => _before.SlackUsedMm != State.SlackUsedMm;

    /// <summary>True when it became accepted, or is so no longer: the job's standing hangs on it.</summary>
    public bool Turned => (_before.Status == EndStatus.Accepted) != (State.Status == EndStatus.Accepted);

    /// <summary>Batches whose shards are others than before.</summary>
    public IEnumerable<BatchId> MadeShards => State.Attempts.Where(a => a.BatchId is not null && (a.Shards > 0 || a.ShardCount is not null))
        .Where(a => _before.Attempts.FirstOrDefault(b => b.RunId == a.RunId) is var b && (b?.Shards != a.Shards || b.ShardCount != a.ShardCount)).Select(a => a.BatchId!.Value);

    /// <summary>Events that are to be stored, with who sent them.</summary>
    public List<(LedgerEvent Event, PersonId SenderId)> Stored { get; } = [];

    /// <summary>Lines that are to be added to its log.</summary>
    public List<Entry> Added { get; } = [];

    /// <summary>Quarantined events that fit now.</summary>
    public List<QuarantineId> Settled { get; } = [];

    /// <summary>As it was read; null until somebody needed it.</summary>
    public EndLog? Log { get; set; }

    public void Note(EndState state, IEnumerable<(LedgerEvent Event, PersonId SenderId)> stored, IEnumerable<Entry> added)
    {
        (State, Changed) = (state, true);
        Stored.AddRange(stored.Select(s => (s.Event with { Taken = true }, s.SenderId)));
        Added.AddRange(added);
    }

    /// <summary>Events of this batch that did not fit yet, with their places in it.</summary>
    public List<(int At, LedgerEvent Event)> Early { get; } = [];

    /// <summary>Something of it did not fit yet: from now on it is told as a whole.</summary>
    public void NowWaits(int at, LedgerEvent e)
    {
        Early.Add((at, e));
        Plan = Plan with { Waits = true };
    }
}
