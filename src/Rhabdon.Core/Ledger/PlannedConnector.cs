using Rhabdon.Core.Connectors;
using Rhabdon.Core.Fiber;
using Rhabdon.Core.Inspection;
using Rhabdon.Core.Loss;

namespace Rhabdon.Core.Ledger;

/// <summary>What the plan says of an end, as far as its connector is judged by it.</summary>
/// <param name="LossLimitSetId">Of the job.</param>
/// <param name="Connections">Mated pairs in the link with both ends mated.</param>
/// <param name="Splices">All of the link; see <see cref="Planning.Links"/>.</param>
public sealed record PlannedConnector(FiberClass FiberClass, double LengthM, Polish Polish, TerminationMethod Method, string LossLimitSetId, int Connections, int Splices)
{
    /// <summary>The pictures and traces that are kept of it, as far as events name them; null where nobody looked.</summary>
    public IReadOnlyDictionary<EvidenceId, KeptEvidence>? Evidence { get; init; }

    /// <summary>Where it lies: its panel, or the jumper's cable; null where nobody looked.</summary>
    public PlaceId? PlaceId { get; init; }

    /// <summary>Of the site, by its IANA name.</summary>
    public string TimeZone { get; init; } = Planning.SiteDates.Utc;

    /// <summary>What its faces are held to, where the job says so; null where the house limits in force hold.</summary>
    public string? FaceLimitSetId { get; init; }

    /// <summary>The instruments that events name, as they were when they were read with; null where nobody looked.</summary>
    public IReadOnlyDictionary<InstrumentId, KnownInstrument>? Instruments { get; init; }

    /// <summary>The tools that runs name, as far as they are known, each with the last day that its service or calibration holds; null where nobody looked.</summary>
    public IReadOnlyDictionary<ToolId, LocalDate?>? Tools { get; init; }

    /// <summary>When the containers of its batches were counted last, by our clock.</summary>
    public IReadOnlyDictionary<BatchId, Instant>? ContainersCountedAt { get; init; }

    /// <summary>What the crew said of its kit, by the event that said it; null where nobody looked.</summary>
    public IReadOnlyDictionary<EventId, Procedures.PreflightAnswer>? Kit { get; init; }

    /// <summary>Null where nobody said: it then answers nothing of a procedure that differs by it.</summary>
    public ConnectorForm? Form { get; init; }

    public Procedures.CordKind Cord { get; init; }

    /// <summary>These schools, with what this end itself answers.</summary>
    public IReadOnlyDictionary<string, string>? Schools(IReadOnlyDictionary<string, string>? said) => Form is { } form ? Procedures.EndOptions.With(said, form, Polish, Mode, Cord) : said;

    public FiberMode Mode => FiberClass.Mode();

    public LinkSpec Link => new(FiberClass, LengthM, Connections, Splices);

    public EndFaceClass EndFaceClass => EndFaces.ClassOf(Mode, Polish);
}

/// <param name="RepeatabilityDb">What two readings of the same thing may differ by; null where nobody said.</param>
/// <param name="DueOn">The last day that its calibration holds.</param>
public sealed record KnownInstrument(double? RepeatabilityDb, LocalDate? DueOn);

/// <summary>Names what a device said otherwise.</summary>
internal static class Differences
{
    /// <returns>Null where all is as planned.</returns>
    /// <param name="fields">What the event says of each; null where it leaves it to the plan.</param>
    public static IReadOnlyList<Difference>? Of(params (string Field, string? Said, string Planned)[] fields)
    {
        IReadOnlyList<Difference> differ = [.. fields.Where(f => f.Said is not null && f.Said != f.Planned).Select(f => new Difference(f.Field, f.Said!, f.Planned))];
        return differ.Count == 0 ? null : differ;
    }

    public static string? Figure(double? value) => value is { } v ? Figure(v) : null;

    public static string Figure(double value) => value.ToString("0.######", System.Globalization.CultureInfo.InvariantCulture);
}
