using System.Security.Claims;
using Rhabdon.Core;
using Rhabdon.Core.Connectors;
using Rhabdon.Core.Fiber;
using Rhabdon.Core.Yield;
using Rhabdon.Documents;
using Rhabdon.Server.Accounts;
using Rhabdon.Server.Web;
using Rhabdon.Store;

namespace Rhabdon.Server.Yield;

/// <param name="Key">What <c>/yield/ends</c> is asked with; null where people are not named and this is somebody else.</param>
/// <param name="Name">An id's name; null for words of closed lists, and where people are not named.</param>
public sealed record YieldGroupView(string? Key, string? Name, GroupRate Rate, double ReworkMinutes, long PartsLost);

/// <param name="AsOf">Something since then waits to be counted; null where nothing does.</param>
/// <param name="NamesPeople">The company lets views name people.</param>
public sealed record YieldAnswer(
    YieldBy By, LocalDate From, LocalDate To, Instant? AsOf, bool NamesPeople, long Made, long Passed, Share Share, IReadOnlyList<YieldGroupView> Groups, YieldTrend? Trend, IReadOnlyList<ReasonCount> Reasons, string Currency);

public sealed record YieldFindingView(YieldFinding Finding, string? Name);

public sealed record YieldSettings(bool NamesPeople);

/// <summary>How often connectors are good at once, by whatever is asked for, and what stands out of it.</summary>
public static class YieldEndpoints
{
    private const int UsualDays = 365, MostEnds = 500;

    private const string Filters = "from, to: days, the last 365 where left out. jobId, crewId, method, construction: only those. Leads see their crew's, others their own, the office all.";

    public static void MapYield(this RouteGroupBuilder api)
    {
        api.MapGet("/yield", Of).RequireAuthorization(Policies.Work).WithSummary("First-pass yield by method, construction, form, polish, mode, crew, person, procedure, job, space, lot or tool, each with its interval and a funnel that takes the mix of methods and constructions into account; week by week; and the reasons with their cost.")
            .WithDescription(Filters);
        api.MapGet("/yield/findings", Findings).RequireAuthorization(Policies.Work).WithSummary("What stands out of all views together: crews, methods, constructions, procedures, lots and tools that are worse or better than chance allows, or otherwise since a week. The chance allows for all that was searched.")
            .WithDescription(Filters);
        api.MapGet("/yield/ends", Ends).RequireAuthorization(Policies.Work).WithSummary("The connectors behind a group of /yield, those that went back first, at most 500.").WithDescription(Filters);
        api.MapGet("/yield/file", AsFile).RequireAuthorization(Policies.Work).WithSummary("The table of /yield as CSV.").Produces(200, contentType: "text/csv").WithDescription(Filters);
        api.MapGet("/yield/settings", async (ClaimsPrincipal user, YieldCounts counts, CancellationToken cancel) => new YieldSettings(await counts.NamesPeople(user.Scope().CompanyId, cancel))).RequireAuthorization(Policies.Work)
            .WithSummary("Whether views of yield name people.");
        api.MapPut("/yield/settings", async (YieldSettings r, ClaimsPrincipal user, YieldCounts counts, CancellationToken cancel) => await counts.NamePeople(user.Scope().CompanyId, r.NamesPeople, cancel)).RequireAuthorization(Policies.Office)
            .WithSummary("Let views of yield name people, or not. What a customer gets never does.");
    }

    private static async Task<YieldAnswer> Of(
        ClaimsPrincipal user, YieldCounts counts, FactBook facts, Kits kits, TimeProvider clock, CancellationToken cancel,
        string? by = null, string? from = null, string? to = null, JobId? jobId = null, CrewId? crewId = null, string? method = null, string? construction = null)
    {
        var (scope, what, filter) = (user.Scope(), QueryWords.Choice<YieldBy>("by", by) ?? YieldBy.Method, Filter(clock, from, to, jobId, crewId, method, construction));
        var found = Yields.Of(await counts.Rows(scope, what, filter, cancel), what);
        var figures = (await kits.Figures(scope.CompanyId, cancel)).Figures;
        var named = await counts.NamesPeople(scope.CompanyId, cancel);
        var names = await counts.Names(scope.CompanyId, what, [.. found.Groups.Select(g => g.Key)], cancel);
        bool Shown(string key) => what != YieldBy.Person || named || key == scope.PersonId.ToString();
        return new(
            what, filter.From, filter.To, await facts.DueSince(scope.CompanyId, cancel), named, found.Made, found.Passed, Share.Of(found.Passed, found.Made),
            [.. found.Groups.Select(g => new YieldGroupView(Shown(g.Key) ? g.Key : null, Shown(g.Key) ? names.GetValueOrDefault(g.Key) : null, g.Rate with { Name = Shown(g.Key) ? g.Rate.Name : "" }, g.ReworkMinutes, g.PartsLost))],
            found.Trend, await counts.Reasons(scope, filter, figures.Methods.Select(m => m.ConnectorPrice).DefaultIfEmpty(0).Average(), figures.WagePerHour / 60, cancel), figures.Currency);
    }

    private static async Task<IReadOnlyList<YieldFindingView>> Findings(
        ClaimsPrincipal user, YieldCounts counts, TimeProvider clock, CancellationToken cancel,
        string? from = null, string? to = null, JobId? jobId = null, CrewId? crewId = null, string? method = null, string? construction = null)
    {
        var (scope, filter) = (user.Scope(), Filter(clock, from, to, jobId, crewId, method, construction));
        var views = new List<YieldView>();
        // People are not searched: nobody is singled out by a machine.
        foreach (var by in new[] { YieldBy.Crew, YieldBy.Method, YieldBy.Construction, YieldBy.Procedure, YieldBy.Lot, YieldBy.Tool })
        {
            var rows = await counts.Rows(scope, by, filter, cancel);
            views.Add(new(by, rows));
            // A habit is of one method: among all that a crew or a tool makes it would drown.
            if (by is YieldBy.Crew or YieldBy.Tool && rows.Select(r => r.Method).Distinct().Count() > 1)
            {
                views.AddRange(rows.GroupBy(r => r.Method, StringComparer.Ordinal).OrderBy(g => g.Key, StringComparer.Ordinal).Select(g => new YieldView(by, [.. g], g.Key)));
            }
        }

        var found = new List<YieldFindingView>();
        foreach (var f in Yields.Findings(views))
        {
            found.Add(new(f, (await counts.Names(scope.CompanyId, f.By, [f.Key], cancel)).GetValueOrDefault(f.Key)));
        }

        return found;
    }

    private static async Task<IReadOnlyList<YieldEnd>> Ends(
        string key, ClaimsPrincipal user, YieldCounts counts, TimeProvider clock, CancellationToken cancel,
        string? by = null, string? from = null, string? to = null, JobId? jobId = null, CrewId? crewId = null, string? method = null, string? construction = null)
    {
        var (scope, what) = (user.Scope(), QueryWords.Choice<YieldBy>("by", by) ?? YieldBy.Method);
        if (what == YieldBy.Person && key != scope.PersonId.ToString() && !await counts.NamesPeople(scope.CompanyId, cancel))
        {
            throw new ApiException(403, Refusal.Of("people-not-named", "key"));
        }

        new Input().Require(key.Length <= 200 && !key.Any(char.IsControl), Refusal.Of("name-length", "key", ("most", 200))).ThrowIfBad();
        return await counts.Ends(scope, what, key, Filter(clock, from, to, jobId, crewId, method, construction), MostEnds, cancel);
    }

    private static async Task<IResult> AsFile(
        ClaimsPrincipal user, YieldCounts counts, FactBook facts, Kits kits, TimeProvider clock, CancellationToken cancel,
        string? by = null, string? from = null, string? to = null, JobId? jobId = null, CrewId? crewId = null, string? method = null, string? construction = null)
    {
        var a = await Of(user, counts, facts, kits, clock, cancel, by, from, to, jobId, crewId, method, construction);
        var paper = new Paper("Yield", [], [new(Wire.Name(a.By), [.. Columns.Select(c => new PaperColumn(c, 1))],
            [.. a.Groups.Select(g => (IReadOnlyList<object?>)[g.Name ?? g.Key ?? "", (double)g.Rate.Made, (double)g.Rate.Passed, g.Rate.Rate, g.Rate.Low, g.Rate.High, g.Rate.Expected, g.Rate.FunnelLow, g.Rate.FunnelHigh, g.Rate.Chance, g.Rate.Adjusted?.Rate, g.ReworkMinutes, (double)g.PartsLost])])], "");
        return Results.File(Tables.Csv(paper), "text/csv", $"yield-by-{Wire.Name(a.By)}.csv");
    }

    private static readonly string[] Columns = ["name", "made", "passed", "rate", "low", "high", "expected", "funnelLow", "funnelHigh", "chance", "adjusted", "reworkMinutes", "partsLost"];

    private static YieldFilter Filter(TimeProvider clock, string? from, string? to, JobId? jobId, CrewId? crewId, string? method, string? construction)
    {
        var last = QueryWords.Day("to", to) ?? clock.GetCurrentInstant().InUtc().Date;
        var first = QueryWords.Day("from", from) ?? last.PlusDays(-UsualDays);
        new Input().Require(first <= last, Refusal.Of("days-order", "from")).ThrowIfBad();
        return new(first, last, jobId, crewId, QueryWords.Choice<TerminationMethod>("method", method) is { } m ? Wire.Name(m) : null, QueryWords.Choice<CableConstruction>("construction", construction) is { } k ? Wire.Name(k) : null);
    }
}
