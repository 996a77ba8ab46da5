using System.Security.Claims;
using Rhabdon.Core;
using Rhabdon.Core.Ledger;
using Rhabdon.Core.Planning;
using Rhabdon.Server.Accounts;
using Rhabdon.Server.Web;
using Rhabdon.Store;

namespace Rhabdon.Server.Records;

public enum HitKind
{
    Job, End, Lot, Tool, Instrument, Person,
}

/// <param name="Id">Of the job, end, tool, instrument or person; null for a lot.</param>
/// <param name="Name">As it is printed or called.</param>
/// <param name="More">What tells it from others of the name.</param>
public sealed record Hit(HitKind Kind, Guid? Id, string Name, string? More);

/// <summary>One field for all that has a name: jobs, labels, lots, tools, instruments, people.</summary>
public static class SearchEndpoints
{
    private const int MostEach = 8, Longest = 60;

    public static void MapSearch(this RouteGroupBuilder api) =>
        api.MapGet("/search", Find).RequireAuthorization(Policies.Work)
            .WithSummary("Jobs, ends by their label, lots, tools, instruments and, for those who plan, people whose name holds what is typed; at most 8 of each. Only what you see.")
            .WithDescription($"find: 2 to {Longest} characters.");

    private static async Task<IReadOnlyList<Hit>> Find(string find, ClaimsPrincipal user, Store.Jobs jobs, Store.Records records, YieldCounts counts, StreamProjector streams, People people, CancellationToken cancel)
    {
        var (scope, text) = (user.Scope(), find.Trim());
        new Input().Require(text.Length is >= 2 and <= Longest && !text.Any(char.IsControl), Refusal.Of("figure-range", "find", ("least", 2), ("most", Longest))).ThrowIfBad();
        bool Holds(string? name) => name?.Contains(text, StringComparison.CurrentCultureIgnoreCase) == true;
        var hits = new List<Hit>();
        hits.AddRange((await jobs.List(scope, text, null, MostEach, cancel)).Select(j => new Hit(HitKind.Job, j.JobId.Value, j.Site, string.Join(" · ", new[] { j.Number, j.Customer }.Where(x => x.Length > 0)))));
        hits.AddRange((await records.List(scope, new EndFilter(Find: EndLabel.Read(text)), null, MostEach, cancel)).Select(e => new Hit(HitKind.End, e.EndId.Value, e.Address, e.Customer)));
        hits.AddRange((await counts.LotsLike(scope, text, MostEach, cancel)).Select(l => new Hit(HitKind.Lot, null, l, null)));
        hits.AddRange((await streams.List(scope, StreamKind.Lot, false, cancel)).OfType<LotState>().Where(l => Holds(l.Number) || Holds(l.Material)).Take(MostEach).Select(l => new Hit(HitKind.Lot, null, l.Number, l.Material)));
        hits.AddRange((await streams.List(scope, StreamKind.Tool, false, cancel)).OfType<ToolState>().Where(t => Holds(t.Name) || Holds(t.Number)).Take(MostEach).Select(t => new Hit(HitKind.Tool, t.Id.Value, t.Name, t.Number)));
        hits.AddRange((await streams.List(scope, StreamKind.Instrument, false, cancel)).OfType<InstrumentState>().Where(i => Holds(i.Name) || Holds(i.Number)).Take(MostEach).Select(i => new Hit(HitKind.Instrument, i.Id.Value, i.Name, i.Number)));
        if (scope.MayPlan)
        {
            hits.AddRange((await people.List(scope.CompanyId, null, text, null, MostEach, cancel: cancel)).Select(p => new Hit(HitKind.Person, p.PersonId.Value, p.Name, p.CrewName)));
        }

        return [.. hits.GroupBy(h => (h.Kind, h.Id, h.Name)).Select(g => g.MaxBy(h => h.More is not null)!)];
    }
}
