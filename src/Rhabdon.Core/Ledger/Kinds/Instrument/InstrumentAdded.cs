using Rhabdon.Core.Planning;

namespace Rhabdon.Core.Ledger;

public enum InstrumentKind
{
    PowerMeter, LightSource, Otdr, Microscope, Other,
}

/// <summary>A crew has an instrument.</summary>
/// <param name="Number">Its own, as printed on it.</param>
/// <param name="RepeatabilityDb">What two readings of the same thing may differ by.</param>
public sealed record InstrumentAdded(CrewId CrewId, InstrumentKind Kind, string Name, string? Number = null, double? RepeatabilityDb = null);

internal sealed class InstrumentAddedRule : StreamRule<InstrumentState, InstrumentAdded>
{
    /// <summary>A meter worse than this says nothing of a connector.</summary>
    public const double WorstRepeatabilityDb = 0.5;

    public override StreamKind Stream => StreamKind.Instrument;

    public static IEnumerable<Refusal> Repeatability(double? db)
    {
        if (db is { } given && !(given is >= 0 and <= WorstRepeatabilityDb))
        {
            yield return OutOf("body.repeatabilityDb", $"A repeatability is 0 to {WorstRepeatabilityDb} dB.");
        }
    }

    protected override IEnumerable<Refusal> Faults(InstrumentAdded body) =>
        [.. Named("body.name", body.Name, 60), .. body.Number is null ? [] : Named("body.number", body.Number, 60), .. Repeatability(body.RepeatabilityDb)];

    protected override Refusal? Against(StreamQuestion q, Worker sender, InstrumentAdded body) =>
        LeadOnly(sender) ?? OwnCrewOnly(sender, body.CrewId) ?? base.Against(q, sender, body);

    protected override Judged Decide(StreamQuestion q, InstrumentAdded body) =>
        !q.Facts.Crews.Contains(body.CrewId) ? throw new RefusedException("crew-unknown", "body.crewId", "There is no such crew.")
        : q.State is not null ? throw new RefusedException("stream-known", "streamId", "This instrument is known already.")
        : new Kept();

    protected override InstrumentState Empty(StreamEvent e, InstrumentAdded body) => new() { Id = e.StreamId, CrewId = body.CrewId };

    protected override InstrumentState Evolve(InstrumentState state, StreamEvent e, InstrumentAdded body, Judged judged) =>
        state with { Kind = body.Kind, Name = body.Name, Number = body.Number, RepeatabilityDb = body.RepeatabilityDb };
}
