namespace Rhabdon.Core.Ledger;

/// <summary>Shards that were missing have been found.</summary>
public sealed record ShardsFound(int Found, string? Note = null) : INoted;

internal sealed class ShardsFoundRule : StreamRule<BatchState, ShardsFound>
{
    public override StreamKind Stream => StreamKind.Batch;

    protected override IEnumerable<Refusal> Faults(ShardsFound body)
    {
        if (body.Found is < 1 or > 10_000)
        {
            yield return OutOf("body.found", "One shard or more were found.");
        }
    }

    protected override Judged Decide(StreamQuestion q, ShardsFound body) => q.State is BatchState ? new Kept() : throw Unknown(q.Event);

    protected override BatchState Empty(StreamEvent e, ShardsFound body) => new() { Id = e.StreamId };

    protected override BatchState Evolve(BatchState state, StreamEvent e, ShardsFound body, Judged judged) => state with { Found = state.Found + body.Found };
}
