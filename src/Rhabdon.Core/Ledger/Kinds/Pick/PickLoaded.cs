namespace Rhabdon.Core.Ledger;

/// <summary>A line of the list lies in the van; said again, it counts instead of what was said before.</summary>
/// <param name="Line">From 0.</param>
/// <param name="Count">Pieces or millilitres; 0 takes it back.</param>
/// <param name="LotNumber">As printed.</param>
/// <param name="FromStore">It was taken out of the store; else it lay in the van already.</param>
public sealed record PickLoaded(int Line, double Count, string? LotNumber = null, LocalDate? UseBy = null, bool FromStore = true);

/// <summary>Nothing more is loaded from the list.</summary>
public sealed record PickClosed(string? Note = null) : INoted;

internal sealed class PickLoadedRule : StreamRule<PickState, PickLoaded>
{
    public override StreamKind Stream => StreamKind.Pick;

    protected override IEnumerable<Refusal> Faults(PickLoaded body)
    {
        if (!(body.Count is >= 0 and <= 1e6))
        {
            yield return Refusal.Of("figure-range", "body.count", ("least", 0), ("most", 1e6));
        }

        foreach (var fault in body.LotNumber is { } lot ? Named("body.lotNumber", lot, 60) : [])
        {
            yield return fault;
        }
    }

    protected override Judged Decide(StreamQuestion q, PickLoaded body) =>
        q.State is not PickState pick ? throw Unknown(q.Event)
        : body.Line < 0 || body.Line >= pick.Lines.Count ? throw new RefusedException(Refusal.Of("figure-range", "body.line", ("least", 0), ("most", pick.Lines.Count - 1)))
        : new Kept();

    protected override PickState Empty(StreamEvent e, PickLoaded body) => throw Unknown(e);

    protected override PickState Evolve(PickState state, StreamEvent e, PickLoaded body, Judged judged) =>
        state with { Lines = [.. state.Lines.Select((l, i) => i != body.Line ? l : l with { Loaded = body.Count, LotNumber = body.LotNumber, UseBy = body.UseBy, FromStore = body.FromStore, LoadedAt = e.ToldAt, LoadedBy = e.ActorId })] };
}

internal sealed class PickClosedRule : StreamRule<PickState, PickClosed>
{
    public override StreamKind Stream => StreamKind.Pick;

    protected override Judged Decide(StreamQuestion q, PickClosed body) => q.State is PickState ? new Kept() : throw Unknown(q.Event);

    protected override PickState Empty(StreamEvent e, PickClosed body) => throw Unknown(e);

    protected override PickState Evolve(PickState state, StreamEvent e, PickClosed body, Judged judged) => state with { ClosedAt = state.ClosedAt ?? e.At };
}
