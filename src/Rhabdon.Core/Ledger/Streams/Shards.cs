namespace Rhabdon.Core.Ledger;

/// <summary>Shards of glass: who made how many, and whether they lie in the container.</summary>
public static class Shards
{
    /// <summary>True when nothing of a run is still to be counted.</summary>
    /// <param name="countedAt">When the container of each batch was counted last, by our clock; null where nobody asked.</param>
    public static bool Counted(AttemptState run, IReadOnlyDictionary<BatchId, Instant>? countedAt) =>
        run.BatchId is not { } batch || run.Shards == 0 || run.ShardCount?.RunShards == run.Shards
        || (countedAt?.TryGetValue(batch, out var at) == true && Acts(run).All(a => a.At <= at));

    /// <summary>Shards that these ends' runs of a batch had made by a moment.</summary>
    public static int MadeBy(IEnumerable<EndState> ends, BatchId batchId, Instant at) =>
        ends.SelectMany(e => e.Attempts).Where(a => a.BatchId == batchId).SelectMany(Acts).Where(a => a.At <= at).Sum(a => a.Count);

    /// <summary>What devices of before counted end by end, as the batch's own counts.</summary>
    public static BatchState? Before(IEnumerable<EndState> ends, BatchId batchId)
    {
        var counts = ends.SelectMany(e => e.Attempts).Where(a => a.BatchId == batchId && a.ShardCount is not null).Select(a => a.ShardCount!)
            .OrderBy(s => s.At).ThenBy(s => s.EventId).GroupBy(s => (s.At, s.Made, s.Counted)).Select(g => g.First()).ToList();
        return counts.Count == 0 ? null : new BatchState
        {
            Id = batchId.As<Ids.Stream>(),
            LastAt = counts[^1].At,
            Counts = [.. counts.Select(s => new ContainerCount(s.EventId, s.At, s.By, s.Made, s.Counted, s.Made, null))],
        };
    }

    /// <summary>A run of before the times of its acts were kept made all of its shards at its start.</summary>
    private static IEnumerable<ShardAct> Acts(AttemptState run) => run.ShardActs.Sum(a => a.Count) == run.Shards ? run.ShardActs : [new(run.StartedAt, run.Shards)];
}
