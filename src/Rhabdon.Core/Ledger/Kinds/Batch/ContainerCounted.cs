namespace Rhabdon.Core.Ledger;

/// <summary>The shards in a batch's container were counted. Said again, it is a recount.</summary>
/// <param name="Made">Shards that the batch made, as far as the device knows.</param>
/// <param name="Counted">Shards that lie in the container.</param>
/// <param name="FloorChecked">True when mat and floor were looked over by lamp.</param>
public sealed record ContainerCounted(int Made, int Counted, string? Note = null, bool FloorChecked = false) : INoted;

/// <param name="Made">Shards that all runs of the batch had made by then. Said again when a run is heard of later.</param>
public sealed record ContainerJudged(int Made) : Judged;

internal sealed class ContainerCountedRule : StreamRule<BatchState, ContainerCounted>
{
    public override StreamKind Stream => StreamKind.Batch;

    protected override IEnumerable<Refusal> Faults(ContainerCounted body)
    {
        if (body is { Made: < 0 or > 10_000 } or { Counted: < 0 or > 10_000 })
        {
            yield return OutOf("body.counted", "Shards are counted from 0 to 10,000.");
        }
    }

    protected override Judged Decide(StreamQuestion q, ContainerCounted body) =>
        q.Facts.CrewId is null ? throw new RefusedException("stream-unknown", "streamId", "No run of this batch is known yet.") : new ContainerJudged(q.Facts.ShardsMade);

    protected override BatchState Empty(StreamEvent e, ContainerCounted body) => new() { Id = e.StreamId };

    protected override BatchState Evolve(BatchState state, StreamEvent e, ContainerCounted body, Judged judged) => state with
    {
        Counts = [.. state.Counts, new(e.Id, e.ToldAt, e.ActorId, judged is ContainerJudged j ? j.Made : body.Made, body.Counted, body.Made, body.Note, body.FloorChecked)],
        Found = 0,
    };
}
