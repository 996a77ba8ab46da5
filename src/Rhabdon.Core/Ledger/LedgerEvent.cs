using System.Text.Json;
using System.Text.Json.Serialization;

namespace Rhabdon.Core.Ledger;

/// <summary>What can happen to an end. The list is closed.</summary>
public enum EventKind
{
    AttemptStarted, StepDone, CheckAnswered, Inspected, Measured, Reworked, AttemptClosed, Accepted, Corrected, Noted,
    /// <summary>A step's timer runs from here, so that another device can go on with it.</summary>
    TimerStarted,
    /// <summary>Something of the pre-flight was made so after the run began.</summary>
    PreflightAnswered,
    /// <summary>As devices of before said it of every end; now it is one event of the batch, see <see cref="StreamEventKind.ContainerCounted"/>.</summary>
    ShardsCounted,
    /// <summary>The connector's loss and reflection were read from a trace.</summary>
    Traced,
    /// <summary>A cleave was looked at from the side.</summary>
    CleaveSeen,
    /// <summary>The red light was judged.</summary>
    LightJudged,
    /// <summary>Somebody says what the readings of this run were measured into, where the far end is not known to be made.</summary>
    FarEndSaid,
    /// <summary>A connector was damaged, made or accepted as it was.</summary>
    Damaged,
    /// <summary>Somebody found out why it failed.</summary>
    CauseConfirmed,
    /// <summary>The loss of its splice was read: the splicer's estimate, or a measurement.</summary>
    SpliceRead,
}

/// <summary>Something that happened to one end, as the device that saw it wrote it down. Never changed, never deleted.</summary>
/// <param name="Id">UUIDv7 made by the device; sending the same event again is harmless.</param>
/// <param name="Attempt">1 and up: which connector on this end.</param>
/// <param name="At">The device's clock.</param>
/// <param name="DeviceSeq">Rises by one with each event of the device.</param>
/// <param name="Body">What the kind calls for; see <see cref="EventBodies"/>.</param>
public sealed record LedgerEvent(EventId Id, EndId EndId, int Attempt, EventKind Kind, Instant At, DeviceId DeviceId, long DeviceSeq, PersonId ActorId, JsonElement Body)
{
    /// <summary>True once the ledger has taken it in: it was judged then, and is not refused for a rule that came later.</summary>
    [JsonIgnore]
    public bool Taken { get; init; }

    /// <summary>How far the device's clock was behind ours when it sent this.</summary>
    [JsonIgnore]
    public Duration ClockBehind { get; init; }

    /// <summary>When it happened by our clock: what orders events of different devices.</summary>
    [JsonIgnore]
    public Instant ToldAt => At + ClockBehind;
}
