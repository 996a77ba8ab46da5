using System.Text.Json;
using System.Text.Json.Serialization;

namespace Rhabdon.Core.Ledger;

/// <summary>What an event can be of, beside an end. What happens once is one event here, never a copy on every end.</summary>
public enum StreamKind
{
    Batch, Job, Crew, Tool, Lot, Instrument,
    /// <summary>A list of what to load.</summary>
    Pick,
    /// <summary>The company's store.</summary>
    Store,
}

/// <summary>What can happen to them. The list is closed, and each kind belongs to one stream.</summary>
public enum StreamEventKind
{
    /// <summary>Batch: the shards in the container were counted; a recount is another.</summary>
    ContainerCounted,
    /// <summary>Batch: shards that were missing have been found.</summary>
    ShardsFound,
    /// <summary>Job: ends were given to a crew or a person.</summary>
    Assigned,
    /// <summary>Job: something holds it up.</summary>
    Delayed,
    /// <summary>Job: work was handed over to the customer.</summary>
    HandedOver,
    /// <summary>Job: it cannot begin, or go on, because of something; and that it can again.</summary>
    Blocked, BlockLifted,
    /// <summary>Crew: what a pre-flight asks was said once, for all runs that cite it.</summary>
    KitSaid,
    ToolAdded, ToolUsed, ToolReset, ToolRetired, ToolCounterRead,
    LotOpened, LotFinished,
    InstrumentAdded, Calibrated, InstrumentRetired,
    /// <summary>Crew and store: so many of an item lie there.</summary>
    StockCounted, StoreCounted,
    PickMade, PickLoaded, PickClosed,
}

/// <summary>Something that happened to a batch, a job, a crew, a tool, a lot or an instrument. Never changed, never deleted.</summary>
/// <param name="Id">UUIDv7 made by the device; sending the same event again is harmless.</param>
/// <param name="StreamId">Of the job or the crew; made by the device for a batch, a tool, a lot or an instrument.</param>
/// <param name="At">The device's clock.</param>
/// <param name="DeviceSeq">Rises by one with each event of the device.</param>
public sealed record StreamEvent(EventId Id, StreamKind Stream, StreamId StreamId, StreamEventKind Kind, Instant At, DeviceId DeviceId, long DeviceSeq, PersonId ActorId, JsonElement Body)
{
    /// <summary>True once the ledger has taken it in.</summary>
    [JsonIgnore]
    public bool Taken { get; init; }

    /// <summary>How far the device's clock was behind ours when it sent this.</summary>
    [JsonIgnore]
    public Duration ClockBehind { get; init; }

    /// <summary>When it happened by our clock.</summary>
    [JsonIgnore]
    public Instant ToldAt => At + ClockBehind;
}
