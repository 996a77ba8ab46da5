using Rhabdon.Core.Planning;

namespace Rhabdon.Core.Ledger;

/// <summary>An instrument is out of use.</summary>
public sealed record InstrumentRetired(string? Note = null) : INoted;

internal sealed class InstrumentRetiredRule : StreamRule<InstrumentState, InstrumentRetired>
{
    public override StreamKind Stream => StreamKind.Instrument;

    protected override Refusal? Against(StreamQuestion q, Worker sender, InstrumentRetired body) => LeadOnly(sender) ?? base.Against(q, sender, body);

    protected override Judged Decide(StreamQuestion q, InstrumentRetired body) => q.State is InstrumentState ? new Kept() : throw Unknown(q.Event);

    protected override InstrumentState Empty(StreamEvent e, InstrumentRetired body) => throw Unknown(e);

    protected override InstrumentState Evolve(InstrumentState state, StreamEvent e, InstrumentRetired body, Judged judged) => state with { Retired = true };
}
