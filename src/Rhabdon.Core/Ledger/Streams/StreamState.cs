using System.Text.Json.Serialization;
using Rhabdon.Core.Kit;
using Rhabdon.Core.Procedures;

namespace Rhabdon.Core.Ledger;

/// <summary>What a stream has come to, folded from its events in the order in which they happened.</summary>
[JsonPolymorphic(TypeDiscriminatorPropertyName = "of")]
[JsonDerivedType(typeof(BatchState), "batch")]
[JsonDerivedType(typeof(JobState), "job")]
[JsonDerivedType(typeof(CrewState), "crew")]
[JsonDerivedType(typeof(ToolState), "tool")]
[JsonDerivedType(typeof(LotState), "lot")]
[JsonDerivedType(typeof(InstrumentState), "instrument")]
[JsonDerivedType(typeof(PickState), "pick")]
[JsonDerivedType(typeof(StoreState), "store")]
public abstract record StreamState
{
    public required StreamId Id { get; init; }

    public Instant? LastAt { get; init; }

    /// <summary>True while it belongs among what is at hand.</summary>
    public virtual bool IsOpen() => true;

    /// <summary>Whose it is, where its own events say so.</summary>
    public virtual CrewId? Whose() => null;
}

/// <summary>A batch at the bench, as far as its container goes.</summary>
public sealed record BatchState : StreamState
{
    public IReadOnlyList<ContainerCount> Counts { get; init; } = [];

    /// <summary>Shards found after the last count.</summary>
    public int Found { get; init; }

    /// <summary>By how many the container is off: below 0 are missing.</summary>
    public int Off => Counts.Count == 0 ? 0 : Counts[^1].Counted + Found - Counts[^1].Made;

    public override bool IsOpen() => Off != 0;
}

/// <param name="At">By our clock.</param>
/// <param name="Made">Shards that the batch had made by then, by its acts.</param>
/// <param name="SaidMade">What the device had counted of them; otherwise where it did not know all.</param>
public sealed record ContainerCount(EventId EventId, Instant At, PersonId By, int Made, int Counted, int SaidMade, string? Note, bool FloorChecked = false);

/// <summary>What became of a job beside its ends.</summary>
public sealed record JobState : StreamState
{
    public IReadOnlyList<Delay> Delays { get; init; } = [];

    public IReadOnlyList<Handover> Handovers { get; init; } = [];

    /// <summary>What stood or stands in the way, oldest first.</summary>
    public IReadOnlyList<Block> Blocks { get; init; } = [];
}

/// <param name="LiftedAt">Null while it stands in the way.</param>
public sealed record Block(EventId EventId, Instant At, PersonId By, BlockReason Reason, PlaceId? PlaceId, string? Note, Instant? LiftedAt = null, PersonId? LiftedBy = null, EvidenceId? PhotoId = null);

public sealed record Delay(EventId EventId, Instant At, PersonId By, DelayReason Reason, int? Minutes, LocalDate? DueOn, string? Note);

/// <param name="Ends">How many ends were handed over; null where it was the whole job.</param>
public sealed record Handover(EventId EventId, Instant At, PersonId By, string To, int? Ends, string? Note);

/// <summary>What a crew said of its lots and its kit: the last word of each item.</summary>
public sealed record CrewState : StreamState
{
    public IReadOnlyList<KitWord> Kit { get; init; } = [];

    /// <summary>What lay in its van when it was counted last.</summary>
    public IReadOnlyList<ItemCount> Stock { get; init; } = [];

    public override CrewId? Whose() => Id.As<Ids.Crew>();
}

/// <param name="EventId">What runs cite.</param>
public sealed record KitWord(EventId EventId, Instant At, PersonId By, PreflightAnswer Answer, LotId? LotId);

/// <summary>What a tool has done.</summary>
/// <param name="Arcs">Of a splicer.</param>
/// <param name="Charges">Battery charges begun.</param>
/// <param name="Cleaves">Of a cleaver, on its blade.</param>
/// <param name="Strokes">Of a polishing puck, a crimper or a film's sheet.</param>
/// <param name="LitS">Seconds that a light source shone.</param>
public sealed record ToolCounts(int Arcs = 0, int Charges = 0, int Cleaves = 0, int Strokes = 0, int LitS = 0)
{
    public ToolCounts Plus(ToolCounts more) => new(Arcs + more.Arcs, Charges + more.Charges, Cleaves + more.Cleaves, Strokes + more.Strokes, LitS + more.LitS);
}

public sealed record ToolState : StreamState
{
    public required CrewId CrewId { get; init; }

    public ToolKind Kind { get; init; }

    public string Name { get; init; } = "";

    public string? Number { get; init; }

    /// <summary>How long its parts last, where its owner says otherwise than is usual.</summary>
    public ToolLife? Life { get; init; }

    /// <summary>In its whole life.</summary>
    public ToolCounts Total { get; init; } = new();

    /// <summary>Since the part that wears was last renewed: arcs since the electrodes, cleaves since the blade was turned, and so on.</summary>
    public ToolCounts Since { get; init; } = new();

    /// <summary>Since its battery was charged.</summary>
    public ToolCounts SinceCharge { get; init; } = new();

    /// <summary>At which of its positions the blade stands, from 1.</summary>
    public int BladePosition { get; init; } = 1;

    public IReadOnlyList<ToolResetAt> Resets { get; init; } = [];

    /// <summary>The last day until which its service or calibration holds; null where nobody said.</summary>
    public LocalDate? DueOn { get; init; }

    public bool Retired { get; init; }

    /// <summary>What of it wears, and what is left.</summary>
    public IReadOnlyList<Wear> Wear => Wears.Of(this);

    public override bool IsOpen() => !Retired;

    public override CrewId? Whose() => CrewId;
}

public sealed record ToolResetAt(EventId EventId, Instant At, PersonId By, ToolResetKind What);

public sealed record LotState : StreamState
{
    public required CrewId CrewId { get; init; }

    public string Material { get; init; } = "";

    public string Number { get; init; } = "";

    public LocalDate? UseBy { get; init; }

    public Instant OpenedAt { get; init; }

    public Instant? FinishedAt { get; init; }

    public override bool IsOpen() => FinishedAt is null;

    public override CrewId? Whose() => CrewId;
}

public sealed record InstrumentState : StreamState
{
    public required CrewId CrewId { get; init; }

    public InstrumentKind Kind { get; init; }

    public string Name { get; init; } = "";

    public string? Number { get; init; }

    /// <summary>What two readings of the same thing may differ by; null where nobody said.</summary>
    public double? RepeatabilityDb { get; init; }

    public IReadOnlyList<CalibrationAt> Calibrations { get; init; } = [];

    public bool Retired { get; init; }

    public override bool IsOpen() => !Retired;

    public override CrewId? Whose() => CrewId;
}

public sealed record CalibrationAt(EventId EventId, Instant At, PersonId By, LocalDate On, LocalDate? DueOn, string? Certificate);

/// <param name="At">By our clock.</param>
public sealed record ItemCount(KitItem Item, double Count, Instant At, PersonId By);

/// <summary>What lies in the company's store.</summary>
public sealed record StoreState : StreamState
{
    /// <summary>A company has one.</summary>
    public static StreamId Only { get; } = new(Guid.Parse("00000000-0000-7000-8000-000000000001"));

    public IReadOnlyList<ItemCount> Stock { get; init; } = [];
}

/// <param name="Loaded">0 until it lies in the van.</param>
public sealed record PickedLine(
    KitItem Item, double Needed, SpaceId? SpaceId, double Loaded = 0, string? LotNumber = null, LocalDate? UseBy = null, bool FromStore = false, Instant? LoadedAt = null, PersonId? LoadedBy = null);

/// <summary>What a crew is to load, and what it has loaded.</summary>
public sealed record PickState : StreamState
{
    public required CrewId CrewId { get; init; }

    public IReadOnlyList<JobId> JobIds { get; init; } = [];

    public double Confidence { get; init; }

    public Instant MadeAt { get; init; }

    public PersonId MadeBy { get; init; }

    public IReadOnlyList<PickedLine> Lines { get; init; } = [];

    public Instant? ClosedAt { get; init; }

    public override bool IsOpen() => ClosedAt is null;

    public override CrewId? Whose() => CrewId;
}
