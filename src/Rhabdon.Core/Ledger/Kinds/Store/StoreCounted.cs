using Rhabdon.Core.Kit;

namespace Rhabdon.Core.Ledger;

/// <summary>So many of an item lie in a crew's van.</summary>
public sealed record StockCounted(KitItem Item, double Count);

/// <summary>So many of an item lie in the company's store.</summary>
public sealed record StoreCounted(KitItem Item, double Count);

internal static class ItemCounts
{
    public static IEnumerable<Refusal> Faults(KitItem item, double count)
    {
        if (!(count is >= 0 and <= 1e6))
        {
            yield return Refusal.Of("figure-range", "body.count", ("least", 0), ("most", 1e6));
        }

        foreach (var fault in item.Faults("body.item"))
        {
            yield return fault;
        }
    }

    public static IReadOnlyList<ItemCount> With(IReadOnlyList<ItemCount> stock, StreamEvent e, KitItem item, double count) => [.. stock.Where(s => s.Item != item), new(item, count, e.ToldAt, e.ActorId)];
}

internal sealed class StockCountedRule : StreamRule<CrewState, StockCounted>
{
    public override StreamKind Stream => StreamKind.Crew;

    protected override IEnumerable<Refusal> Faults(StockCounted body) => ItemCounts.Faults(body.Item, body.Count);

    protected override CrewState Empty(StreamEvent e, StockCounted body) => new() { Id = e.StreamId };

    protected override CrewState Evolve(CrewState state, StreamEvent e, StockCounted body, Judged judged) => state with { Stock = ItemCounts.With(state.Stock, e, body.Item, body.Count) };
}

internal sealed class StoreCountedRule : StreamRule<StoreState, StoreCounted>
{
    public override StreamKind Stream => StreamKind.Store;

    protected override IEnumerable<Refusal> Faults(StoreCounted body) => ItemCounts.Faults(body.Item, body.Count);

    protected override Judged Decide(StreamQuestion q, StoreCounted body) =>
        q.Event.StreamId == StoreState.Only ? new Kept() : throw new RefusedException(Refusal.Of("store-id", "streamId", ("id", StoreState.Only.Value)));

    protected override StoreState Empty(StreamEvent e, StoreCounted body) => new() { Id = e.StreamId };

    protected override StoreState Evolve(StoreState state, StreamEvent e, StoreCounted body, Judged judged) => state with { Stock = ItemCounts.With(state.Stock, e, body.Item, body.Count) };
}
