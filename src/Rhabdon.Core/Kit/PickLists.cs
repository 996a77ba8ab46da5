using Rhabdon.Core.Ledger;

namespace Rhabdon.Core.Kit;

/// <param name="Van">In the crew's van: as it was counted last, with what was loaded and less what was made since; null where nobody counted.</param>
/// <param name="Store">In the company's store, likewise.</param>
public sealed record StockLevel(KitItem Item, double? Van, double? Store);

/// <summary>From what jobs need to what a crew loads, and what stands in the way.</summary>
public static class PickLists
{
    /// <summary>Connectors by the space where they are used, spare ones for the van; then parts that do not come with them, then supplies.</summary>
    /// <param name="spaceOf">Of an end; null where it lands in none.</param>
    public static IReadOnlyList<PickLine> Of(JobKit kit, IReadOnlyList<EndToMake> ends, Func<EndToMake, SpaceId?> spaceOf)
    {
        var lines = new List<PickLine>();
        foreach (var c in kit.Connectors)
        {
            var item = new KitItem(KitItemKind.Connector, c.Method, c.Form, c.Polish, c.Mode);
            var mine = ends.Where(e => (e.Method, e.Form, e.Polish, e.Mode) == (c.Method, c.Form, c.Polish, c.Mode) && c.Constructions.Contains(e.Construction)).GroupBy(spaceOf).ToList();
            lines.AddRange(mine.Select(g => new PickLine(item, g.Count(), g.Key)));
            if (c.Connectors + c.Left - mine.Sum(g => g.Count()) is > 0 and var spare)
            {
                lines.Add(new(item, spare));
            }
        }

        lines.AddRange(kit.Groups.SelectMany(g => g.Parts.Where(p => !p.InPack && p.Part != "connector").Select(p => (Item: new KitItem(KitItemKind.Part, Part: p.Part, Construction: g.Construction), p.Count)))
            .GroupBy(p => p.Item).Select(g => new PickLine(g.Key, g.Sum(p => p.Count))));
        lines.AddRange(kit.Supplies.Select(s => new PickLine(new(KitItemKind.Supply, Supply: s.Kind, Detail: s.Detail), s.Amount + s.Left)));
        return [.. lines.GroupBy(l => (l.Item, l.SpaceId)).Select(g => new PickLine(g.Key.Item, g.Sum(l => l.Needed), g.Key.SpaceId))];
    }

    /// <param name="van">Null where nobody counted it.</param>
    /// <param name="picks">Of all crews.</param>
    /// <param name="madeSince">Connectors of this kind that the crew has begun since a moment.</param>
    public static IReadOnlyList<StockLevel> Levels(IEnumerable<KitItem> items, CrewId crewId, CrewState? van, StoreState? store, IReadOnlyList<PickState> picks, Func<KitItem, Instant, double> madeSince)
    {
        var loaded = picks.SelectMany(p => p.Lines.Where(l => l.LoadedAt is not null).Select(l => (p.CrewId, Line: l))).ToLookup(x => x.Line.Item);
        var (inVan, inStore) = ((van?.Stock ?? []).ToDictionary(s => s.Item), (store?.Stock ?? []).ToDictionary(s => s.Item));
        return [.. items.Distinct().Select(i => new StockLevel(i, Van(i), Store(i)))];

        double? Van(KitItem item)
        {
            var taken = loaded[item].Where(x => x.CrewId == crewId && x.Line.FromStore).Select(x => x.Line).ToList();
            var since = inVan.TryGetValue(item, out var count) ? count.At : taken.Select(l => l.LoadedAt!.Value).DefaultIfEmpty(Instant.MaxValue).Min();
            return since == Instant.MaxValue ? null : Math.Max(0, (count?.Count ?? 0) + taken.Where(l => l.LoadedAt >= since).Sum(l => l.Loaded) - madeSince(item, since));
        }

        double? Store(KitItem item) => inStore.TryGetValue(item, out var count)
            ? Math.Max(0, count.Count - loaded[item].Where(x => x.Line.FromStore && x.Line.LoadedAt > count.At).Sum(x => x.Line.Loaded)) : null;
    }
}
