using Rhabdon.Core.Planning;

namespace Rhabdon.Core.Ledger;

/// <summary>An instrument came back from calibration.</summary>
/// <param name="DueOn">The last day that it holds; null where it does not say.</param>
/// <param name="RepeatabilityDb">What was found; null leaves it as it was.</param>
public sealed record Calibrated(LocalDate On, LocalDate? DueOn = null, double? RepeatabilityDb = null, string? Certificate = null);

internal sealed class CalibratedRule : StreamRule<InstrumentState, Calibrated>
{
    public override StreamKind Stream => StreamKind.Instrument;

    protected override IEnumerable<Refusal> Faults(Calibrated body)
    {
        if (body.DueOn < body.On)
        {
            yield return OutOf("body.dueOn", "It is due after it was done.");
        }

        foreach (var fault in InstrumentAddedRule.Repeatability(body.RepeatabilityDb).Concat(body.Certificate is null ? [] : Named("body.certificate", body.Certificate)))
        {
            yield return fault;
        }
    }

    protected override Refusal? Against(StreamQuestion q, Worker sender, Calibrated body) => LeadOnly(sender) ?? base.Against(q, sender, body);

    protected override Judged Decide(StreamQuestion q, Calibrated body) => q.State is InstrumentState ? new Kept() : throw Unknown(q.Event);

    protected override InstrumentState Empty(StreamEvent e, Calibrated body) => throw Unknown(e);

    protected override InstrumentState Evolve(InstrumentState state, StreamEvent e, Calibrated body, Judged judged) => state with
    {
        RepeatabilityDb = body.RepeatabilityDb ?? state.RepeatabilityDb,
        Calibrations = [.. state.Calibrations, new(e.Id, e.At, e.ActorId, body.On, body.DueOn, body.Certificate)],
    };
}
