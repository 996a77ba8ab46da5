namespace Rhabdon.Core.Ledger;

/// <summary>The shards in the container were counted when the batch was closed.</summary>
/// <param name="Made">Shards that the batch made, by its acts.</param>
/// <param name="Counted">Shards that lie in the container.</param>
public sealed record ShardsCounted(RunId RunId, BatchId BatchId, int Made, int Counted, string? Note = null) : INoted;

/// <param name="RunShards">Shards of this run when they were counted.</param>
public sealed record Counted(int RunShards) : Judged;

internal sealed class ShardsCountedRule : EventRule<ShardsCounted, Counted>
{
    protected override IEnumerable<Refusal> Faults(ShardsCounted body)
    {
        if (body is { Made: < 0 or > 10_000 } or { Counted: < 0 or > 10_000 })
        {
            yield return OutOf("body.counted", "Shards are counted from 0 to 10,000.");
        }
    }

    protected override Judged Decide(Question q, ShardsCounted body)
    {
        var attempt = q.State.Attempts.FirstOrDefault(a => a.RunId == body.RunId)
            ?? throw new RefusedException("run-unknown", "body.runId", "This end has no such run.");
        return attempt.BatchId == body.BatchId ? new Counted(attempt.Shards)
            : throw new RefusedException("batch-differs", "body.batchId", "This run belongs to another batch.");
    }

    protected override EndState Evolve(EndState state, LedgerEvent e, ShardsCounted body, Counted judged) =>
        Runs.With(state, body.RunId, a => a with { ShardCount = new(e.Id, e.At, e.ActorId, body.Made, body.Counted, judged.RunShards) });
}
