using System.Security.Claims;
using Rhabdon.Core;
using Rhabdon.Core.Kit;
using Rhabdon.Core.Ledger;
using Rhabdon.Server.Accounts;
using Rhabdon.Server.Web;
using Rhabdon.Store;

namespace Rhabdon.Server.Kit;

/// <param name="Customers">Of its jobs, as far as you see them.</param>
/// <param name="Spaces">Codes of the spaces that its lines name, by their ids.</param>
/// <param name="Stock">Of each item on it, in the crew's van and in the store.</param>
public sealed record PickAnswer(PickState Pick, string CrewName, IReadOnlyList<string> Customers, IReadOnlyDictionary<SpaceId, string> Spaces, IReadOnlyList<StockLevel> Stock);

/// <param name="More">True where there are more than are shown.</param>
public sealed record RecallAnswer(IReadOnlyList<Touched> Ends, bool More);

/// <summary>Lists of what to load, what lies in van and store, and where a lot or a tool has been.</summary>
public static class PickEndpoints
{
    private const int MostTouched = 5000;

    public static void MapPicks(this RouteGroupBuilder api)
    {
        api.MapGet("/picks", async (ClaimsPrincipal user, StreamProjector streams, CancellationToken cancel, bool all = false) => (await streams.List(user.Scope(), StreamKind.Pick, !all, cancel)).Cast<PickState>())
            .RequireAuthorization(Policies.Work).WithSummary("Lists of what your crew is to load; closed ones, too, with all=true. The office sees every crew's. What is loaded is sent to /ledger.");
        api.MapGet("/picks/{pickId:guid}", One).RequireAuthorization(Policies.Work).WithSummary("A list of what to load, with what van and store have of it.");
        api.MapGet("/stock", Levels).RequireAuthorization(Policies.Work)
            .WithSummary("What lies in a crew's van and in the company's store: as it was counted last, with what was loaded and without what was made since. Counts are sent to /ledger: stock-counted of a crew, store-counted of the store.")
            .WithDescription("crewId: the office may ask of any crew; others of their own.");
        api.MapGet("/recall", Recall).RequireAuthorization(Policies.Work).WithSummary("Every connector that a lot (its number as printed) or a tool touched, newest first, at most 5000.");
    }

    private static async Task<PickAnswer> One(StreamId pickId, ClaimsPrincipal user, Kits kits, StreamProjector streams, People people, CancellationToken cancel)
    {
        var scope = user.Scope();
        var pick = await streams.Find(scope.CompanyId, StreamKind.Pick, pickId, cancel) as PickState;
        if (pick is null || !(scope.Office || pick.CrewId == scope.CrewId))
        {
            throw new ApiException(404, Refusal.Of("not-found-here", "pickId", ("what", "list")));
        }

        return new(
            pick, (await people.Crews(scope.CompanyId, cancel)).FirstOrDefault(c => c.CrewId == pick.CrewId)?.Name ?? "", await kits.Customers(scope, pick.JobIds, cancel),
            await kits.SpaceCodes(scope.CompanyId, [.. pick.Lines.Select(l => l.SpaceId).OfType<SpaceId>().Distinct()], cancel), await Stock(scope, pick.CrewId, pick.Lines.Select(l => l.Item), kits, streams, cancel));
    }

    private static async Task<IReadOnlyList<StockLevel>> Levels(ClaimsPrincipal user, Kits kits, StreamProjector streams, CancellationToken cancel, CrewId? crewId = null)
    {
        var scope = user.Scope();
        var whose = scope.Office ? crewId : scope.CrewId;
        return await Stock(scope, whose, [], kits, streams, cancel);
    }

    /// <param name="whose">Null: the store alone.</param>
    private static async Task<IReadOnlyList<StockLevel>> Stock(Scope scope, CrewId? whose, IEnumerable<KitItem> items, Kits kits, StreamProjector streams, CancellationToken cancel)
    {
        var van = whose is { } crew ? await streams.Find(scope.CompanyId, StreamKind.Crew, crew.As<Ids.Stream>(), cancel) as CrewState : null;
        var store = await streams.Find(scope.CompanyId, StreamKind.Store, StoreState.Only, cancel) as StoreState;
        var picks = await kits.Picks(scope.CompanyId, cancel);
        var all = items.Concat((van?.Stock ?? []).Concat(store?.Stock ?? []).Select(s => s.Item)).Concat(picks.Where(p => p.CrewId == whose).SelectMany(p => p.Lines.Select(l => l.Item))).ToList();
        var since = (van?.Stock ?? []).Select(s => s.At).Concat(picks.SelectMany(p => p.Lines).Select(l => l.LoadedAt).OfType<Instant>()).DefaultIfEmpty(Instant.MaxValue).Min();
        var made = whose is { } who && since != Instant.MaxValue ? (await kits.MadeSince(scope.CompanyId, who, since, cancel)).ToLookup(m => (m.Method, m.Form, m.Polish, m.Mode), m => m.At) : null;
        return PickLists.Levels(all, whose ?? default, van, store, picks, (item, at) => item.Kind == KitItemKind.Connector && made is not null
            ? made[(Wire.Name(item.Method!.Value), Wire.Name(item.Form!.Value), Wire.Name(item.Polish!.Value), Wire.Name(item.Mode!.Value))].Count(t => t >= at) : 0);
    }

    private static async Task<RecallAnswer> Recall(ClaimsPrincipal user, Kits kits, CancellationToken cancel, string? lot = null, ToolId? toolId = null)
    {
        new Input().Require(lot is null != toolId is null, Refusal.Of("lot-or-tool", "lot")).Require(lot is null || (lot.Trim().Length is > 0 and <= 60 && !lot.Any(char.IsControl)), Refusal.Of("name-length", "lot", ("most", 60))).ThrowIfBad();
        var found = await kits.TouchedBy(user.Scope(), lot?.Trim(), toolId, MostTouched + 1, cancel);
        return new([.. found.Take(MostTouched)], found.Count > MostTouched);
    }
}
