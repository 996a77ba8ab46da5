namespace Rhabdon.Core.Ledger;

/// <summary>A lot is used up, or thrown away.</summary>
public sealed record LotFinished(string? Note = null) : INoted;

internal sealed class LotFinishedRule : StreamRule<LotState, LotFinished>
{
    public override StreamKind Stream => StreamKind.Lot;

    protected override Judged Decide(StreamQuestion q, LotFinished body) => q.State is LotState ? new Kept() : throw Unknown(q.Event);

    protected override LotState Empty(StreamEvent e, LotFinished body) => throw Unknown(e);

    protected override LotState Evolve(LotState state, StreamEvent e, LotFinished body, Judged judged) => state with { FinishedAt = e.At };
}
