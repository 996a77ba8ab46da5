using System.Security.Claims;
using Microsoft.AspNetCore.Mvc;
using Rhabdon.Core;
using Rhabdon.Core.Connectors;
using Rhabdon.Core.Fiber;
using Rhabdon.Core.Ledger;
using Rhabdon.Core.Yield;
using Rhabdon.Documents;
using Rhabdon.Server.Accounts;
using Rhabdon.Server.Web;
using Rhabdon.Store;

namespace Rhabdon.Server.Yield;

/// <param name="Key">What <c>/yield/ends</c> is asked with; null where people are not named and this is somebody else.</param>
/// <param name="Name">An id's name; null for words of closed lists, and where people are not named.</param>
/// <param name="ReworkCost">Of its minutes and of the parts that were lost, by the company's prices.</param>
/// <param name="ShardsMissing">From its containers; those of a batch are shared among its connectors as they made them.</param>
public sealed record YieldGroupView(string? Key, string? Name, GroupRate Rate, double ReworkMinutes, long PartsLost, double ReworkCost, double ShardsMissing, long Accepted, double? Attempts);

/// <param name="Names">Of the keys that are ids; words of closed lists have none.</param>
public sealed record YieldCrossed(YieldBy And, IReadOnlyList<YieldCell> Cells, IReadOnlyDictionary<string, string> Names);

/// <param name="AsOf">Something since then waits to be counted; null where nothing does.</param>
/// <param name="NamesPeople">The company lets views name people.</param>
/// <param name="Accepted">In the end, with whatever it took.</param>
/// <param name="Crossed">By a second key at once, the largest groups of either; null where none was asked for.</param>
public sealed record YieldAnswer(
    YieldBy By, LocalDate From, LocalDate To, Instant? AsOf, bool NamesPeople, long Made, long Passed, long Accepted, Share Share, IReadOnlyList<YieldGroupView> Groups, YieldTrend? Trend,
    IReadOnlyList<ReasonCount> Reasons, string Currency, YieldCrossed? Crossed = null);

/// <param name="Kinds">That there are lately, the most frequent first; the first is shown where none is asked for.</param>
/// <param name="Counted">Readings that this rests on: the last ones, at most 5000.</param>
public sealed record YieldLosses(YieldBy By, LossKind? Shown, IReadOnlyList<LossKind> Kinds, int Counted, LossesFound Found, IReadOnlyDictionary<string, string> Names);

/// <param name="Kind">link: source and meter, against the limit of the link; trace: the connector alone; splice: the splice behind it.</param>
public sealed record LossKind(ReadingKind Kind, int WavelengthNm);

/// <param name="Unit">cleaves, arcs, or connectors, since the blade, the electrodes or the tool was renewed.</param>
/// <param name="Renewed">When that was; each begins at nothing.</param>
public sealed record YieldWear(ToolId ToolId, string Name, string Unit, IReadOnlyList<Instant> Renewed, WearFound Found);

public sealed record YieldFindingView(YieldFinding Finding, string? Name);

public sealed record YieldSettings(bool NamesPeople);

/// <summary>How often connectors are good at once, by whatever is asked for, and what stands out of it.</summary>
public static class YieldEndpoints
{
    private const int UsualDays = 365, MostEnds = 500, MostCrossed = 12, MostLosses = 5000, MostWear = 20_000;

    private const string Filters = "from, to: days, the last 365 where left out. jobId, crewId, method, construction: only those. Leads see their crew's, others their own, the office all.";

    public static void MapYield(this RouteGroupBuilder api)
    {
        api.MapGet("/yield", Of).RequireAuthorization(Policies.Work).WithSummary("First-pass yield by method, construction, form, polish, mode, crew, person, procedure, job, space, lot, tool or school, each with its interval and a funnel that takes the mix of methods and constructions into account; week by week; and the reasons with their cost.")
            .WithDescription($"{Filters} and: a second key, crossed with the first, the 12 largest groups of either.");
        api.MapGet("/yield/findings", Findings).RequireAuthorization(Policies.Work).WithSummary("What stands out of all views together: crews, methods, constructions, procedures, lots and tools that are worse or better than chance allows, or otherwise since a week. The chance allows for all that was searched.")
            .WithDescription(Filters);
        api.MapGet("/yield/ends", Ends).RequireAuthorization(Policies.Work).WithSummary("The connectors behind a group of /yield, or behind all of it where no key is given, those that went back first, at most 500.").WithDescription($"{Filters} and, andKey: of a second group, too.");
        api.MapGet("/yield/compare", Compare).RequireAuthorization(Policies.Work).WithSummary("Two groups of /yield against each other: the difference with its interval, the chance that it is none, within the methods and constructions that both made; and, where that is not enough yet, how many more of each would tell.").WithDescription(Filters);
        api.MapGet("/yield/losses", OfLosses).RequireAuthorization(Policies.Work).WithSummary("How the last losses lie, by group; and the last of them one by one, with the limits of chance and the sums that find a drift. dB; of one kind and wavelength.").WithDescription(Filters);
        api.MapGet("/yield/wear", Wear).RequireAuthorization(Policies.Work).WithSummary("What went back against the wear of one tool: cleaves of a blade where it stands, arcs of a pair of electrodes, connectors of anything else; and the count from which it was otherwise.");
        api.MapGet("/yield/file", AsFile).RequireAuthorization(Policies.Work).WithSummary("The table of /yield as CSV.").Produces(200, contentType: "text/csv").WithDescription(Filters);
        api.MapGet("/yield/settings", async (ClaimsPrincipal user, YieldCounts counts, CancellationToken cancel) => new YieldSettings(await counts.NamesPeople(user.Scope().CompanyId, cancel))).RequireAuthorization(Policies.Work)
            .WithSummary("Whether views of yield name people.");
        api.MapPut("/yield/settings", async (YieldSettings r, ClaimsPrincipal user, YieldCounts counts, CancellationToken cancel) => await counts.NamePeople(user.Scope().CompanyId, r.NamesPeople, cancel)).RequireAuthorization(Policies.Office)
            .WithSummary("Let views of yield name people, or not. What a customer gets never does.");
    }

    private static async Task<YieldAnswer> Of(
        ClaimsPrincipal user, YieldCounts counts, FactBook facts, Kits kits, Methods methods, TimeProvider clock, CancellationToken cancel,
        string? by = null, string? from = null, string? to = null, JobId? jobId = null, CrewId? crewId = null, string? method = null, string? construction = null, [FromQuery(Name = "and")] string? crossed = null)
    {
        var (scope, what, filter) = (user.Scope(), QueryWords.Choice<YieldBy>("by", by) ?? YieldBy.Method, Filter(clock, from, to, jobId, crewId, method, construction));
        var figures = (await kits.Figures(scope.CompanyId, cancel)).Figures;
        ReworkPrices prices = new(figures.WagePerHour / 60, figures.Methods.ToDictionary(m => Wire.Name(m.Method), m => m.ConnectorPrice));
        // Asked side by side. A connector has no lot, or several: what is said of all of them together is counted by itself.
        var (rows, whole, missing, why) = (counts.Rows(scope, what, filter, cancel), counts.Whole(scope, filter, cancel), counts.ShardsMissing(scope, what, filter, cancel), counts.Reasons(scope, filter, prices, cancel));
        await Task.WhenAll(rows, whole, missing, why);
        var found = Yields.Of(await rows, what, prices, await whole);
        var shards = await missing;
        var named = await counts.NamesPeople(scope.CompanyId, cancel);
        var names = await Names(counts, methods, scope, what, [.. found.Groups.Select(g => g.Key)], cancel);
        var cross = QueryWords.Choice<YieldBy>("and", crossed) is { } and ? await Cross(counts, methods, scope, what, and, filter, named, cancel) : null;
        bool Shown(string key) => what != YieldBy.Person || named || key == scope.PersonId.ToString();
        return new(
            what, filter.From, filter.To, await facts.DueSince(scope.CompanyId, cancel), named, found.Made, found.Passed, found.Accepted, Share.Of(found.Passed, found.Made),
            [.. found.Groups.Select(g => new YieldGroupView(Shown(g.Key) ? g.Key : null, Shown(g.Key) ? names.GetValueOrDefault(g.Key) : null, g.Rate with { Name = Shown(g.Key) ? g.Rate.Name : "" }, g.ReworkMinutes, g.PartsLost, g.ReworkCost, shards.GetValueOrDefault(g.Key), g.Accepted, g.Attempts))],
            found.Trend, await why, figures.Currency, cross);
    }

    private static async Task<YieldCrossed> Cross(YieldCounts counts, Methods methods, Scope scope, YieldBy what, YieldBy and, YieldFilter filter, bool named, CancellationToken cancel)
    {
        if (!named && (what == YieldBy.Person || and == YieldBy.Person))
        {
            throw new ApiException(403, Refusal.Of("people-not-named", what == YieldBy.Person ? "by" : "and"));
        }

        var cells = Yields.Cross(await counts.Cells(scope, what, and, filter, cancel), MostCrossed);
        var names = await Names(counts, methods, scope, what, [.. cells.Select(c => c.Key).Distinct()], cancel);
        var more = await Names(counts, methods, scope, and, [.. cells.Select(c => c.And).Distinct()], cancel);
        return new(and, cells, names.Concat(more).DistinctBy(n => n.Key).ToDictionary(n => n.Key, n => n.Value));
    }

    private static async Task<RatePair> Compare(
        string key, string other, ClaimsPrincipal user, YieldCounts counts, TimeProvider clock, CancellationToken cancel,
        string? by = null, string? from = null, string? to = null, JobId? jobId = null, CrewId? crewId = null, string? method = null, string? construction = null)
    {
        var (scope, what) = (user.Scope(), QueryWords.Choice<YieldBy>("by", by) ?? YieldBy.Method);
        await Named(counts, scope, what, "by", null, cancel);
        return Yields.Compare(await counts.Rows(scope, what, Filter(clock, from, to, jobId, crewId, method, construction), cancel), what, key, other);
    }

    private static async Task<YieldLosses> OfLosses(
        ClaimsPrincipal user, YieldCounts counts, Methods methods, TimeProvider clock, CancellationToken cancel,
        string? by = null, string? kind = null, int? wavelengthNm = null, string? from = null, string? to = null, JobId? jobId = null, CrewId? crewId = null, string? method = null, string? construction = null)
    {
        var (scope, what, filter, of) = (user.Scope(), QueryWords.Choice<YieldBy>("by", by) ?? YieldBy.Method, Filter(clock, from, to, jobId, crewId, method, construction), QueryWords.Choice<ReadingKind>("kind", kind));
        await Named(counts, scope, what, "by", null, cancel);
        var kinds = (await counts.LossKinds(scope, filter, cancel)).Select(k => new LossKind(Wire.Parse<ReadingKind>(k.Kind), k.WavelengthNm)).ToList();
        if (kinds.FirstOrDefault(k => (of is null || k.Kind == of) && (wavelengthNm is null || k.WavelengthNm == wavelengthNm)) is not { } shown)
        {
            return new(what, null, kinds, 0, new([], null, null, 0), new Dictionary<string, string>());
        }

        var values = await counts.LossesOf(scope, what, new(filter, Wire.Name(shown.Kind), shown.WavelengthNm), MostLosses, cancel);
        var found = Losses.Of(values);
        return new(what, shown, kinds, values.Count, found, await Names(counts, methods, scope, what, [.. found.Groups.Select(g => g.Key)], cancel));
    }

    private static async Task<YieldWear> Wear(ToolId toolId, ClaimsPrincipal user, YieldCounts counts, StreamProjector streams, CancellationToken cancel)
    {
        var scope = user.Scope();
        var tool = (await streams.List(scope, StreamKind.Tool, false, cancel)).OfType<ToolState>().FirstOrDefault(t => t.Id.Value == toolId.Value) ?? throw new ApiException(404, Refusal.Of("tool-unknown", "toolId", ("tool", toolId.ToString())));
        var (unit, renewals) = tool.Kind switch
        {
            ToolKind.Cleaver => ("cleaves", new[] { ToolResetKind.BladeTurned, ToolResetKind.BladeChanged, ToolResetKind.Serviced }),
            ToolKind.Splicer => ("arcs", [ToolResetKind.ElectrodesChanged, ToolResetKind.Serviced]),
            _ => ("connectors", [ToolResetKind.Serviced]),
        };
        var renewed = tool.Resets.Where(r => renewals.Contains(r.What)).Select(r => r.At).Order().ToList();
        var (uses, done, next) = (new List<ToolUse>(), 0L, 0);
        foreach (var made in await counts.MadeBy(scope, toolId, MostWear, cancel))
        {
            for (; next < renewed.Count && renewed[next] <= made.StartedAt; next++)
            {
                done = 0;
            }

            uses.Add(new(done, made.Passed));
            done += unit switch { "cleaves" => made.Cleaves, "arcs" => made.Arcs, _ => 1 };
        }

        return new(toolId, $"{tool.Name} {tool.Number}".Trim(), unit, renewed, WearCurves.Of(uses));
    }

    /// <summary>What keys are called; of a school the question with its answer.</summary>
    private static async Task<IReadOnlyDictionary<string, string>> Names(YieldCounts counts, Methods methods, Scope scope, YieldBy by, IReadOnlyCollection<string> keys, CancellationToken cancel)
    {
        if (by is not (YieldBy.School or YieldBy.Procedure) || keys.Count == 0)
        {
            return await counts.Names(scope.CompanyId, by, keys, cancel);
        }

        var newest = (await methods.Rules(scope.CompanyId, cancel)).Newest.ToList();
        return by == YieldBy.Procedure
            ? keys.Select(k => (Key: k, newest.FirstOrDefault(p => k.StartsWith($"{p.Id} ", StringComparison.Ordinal))?.Title)).Where(k => k.Title is not null).ToDictionary(k => k.Key, k => $"{k.Title}, {k.Key[(k.Key.LastIndexOf(' ') + 1)..]}")
            : newest.SelectMany(p => p.Options ?? []).SelectMany(o => o.Choices.Select(c => (Key: $"{o.Id}={c.Id}", Name: $"{o.Question} {c.Label}"))).Where(n => keys.Contains(n.Key)).DistinctBy(n => n.Key).ToDictionary(n => n.Key, n => n.Name);
    }

    /// <summary>Others are asked for by name only where the company lets views name people.</summary>
    private static async Task Named(YieldCounts counts, Scope scope, YieldBy by, string field, string? key, CancellationToken cancel)
    {
        if (by == YieldBy.Person && key != scope.PersonId.ToString() && !await counts.NamesPeople(scope.CompanyId, cancel))
        {
            throw new ApiException(403, Refusal.Of("people-not-named", field));
        }
    }

    private static async Task<IReadOnlyList<YieldFindingView>> Findings(
        ClaimsPrincipal user, YieldCounts counts, Methods methods, TimeProvider clock, CancellationToken cancel,
        string? from = null, string? to = null, JobId? jobId = null, CrewId? crewId = null, string? method = null, string? construction = null)
    {
        var (scope, filter) = (user.Scope(), Filter(clock, from, to, jobId, crewId, method, construction));
        var views = new List<YieldView>();
        // People are not searched: nobody is singled out by a machine.
        foreach (var (by, rows) in await counts.Searched(scope, filter, cancel))
        {
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
            found.Add(new(f, (await Names(counts, methods, scope, f.By, [f.Key], cancel)).GetValueOrDefault(f.Key)));
        }

        return found;
    }

    private static async Task<IReadOnlyList<YieldEnd>> Ends(
        ClaimsPrincipal user, YieldCounts counts, TimeProvider clock, CancellationToken cancel,
        string? by = null, string? key = null, string? from = null, string? to = null, JobId? jobId = null, CrewId? crewId = null, string? method = null, string? construction = null, [FromQuery(Name = "and")] string? crossed = null, string? andKey = null)
    {
        var (scope, what) = (user.Scope(), QueryWords.Choice<YieldBy>("by", by) ?? YieldBy.Method);
        var and = QueryWords.Choice<YieldBy>("and", crossed);
        if (key is not null)
        {
            await Named(counts, scope, what, "key", key, cancel);
        }

        new Input().Require(key is null || (key.Length <= 200 && !key.Any(char.IsControl)), Refusal.Of("name-length", "key", ("most", 200)))
            .Require(and is null == andKey is null && (andKey is null || (andKey.Length <= 200 && !andKey.Any(char.IsControl))), Refusal.Of("name-length", "andKey", ("most", 200))).ThrowIfBad();
        if (and is { } by2)
        {
            await Named(counts, scope, by2, "andKey", andKey, cancel);
        }

        return await counts.Ends(scope, what, key, and is { } second ? (second, andKey!) : null, Filter(clock, from, to, jobId, crewId, method, construction), MostEnds, cancel);
    }

    private static async Task<IResult> AsFile(
        ClaimsPrincipal user, YieldCounts counts, FactBook facts, Kits kits, Methods methods, TimeProvider clock, CancellationToken cancel,
        string? by = null, string? from = null, string? to = null, JobId? jobId = null, CrewId? crewId = null, string? method = null, string? construction = null, [FromQuery(Name = "and")] string? crossed = null)
    {
        var a = await Of(user, counts, facts, kits, methods, clock, cancel, by, from, to, jobId, crewId, method, construction, crossed);
        if (a.Crossed is { } x)
        {
            var table = new Paper("Yield", [], [new($"{Wire.Name(a.By)} {Wire.Name(x.And)}", [.. new[] { Wire.Name(a.By), Wire.Name(x.And), "made", "passed", "rate", "low", "high" }.Select(c => new PaperColumn(c, 1))],
                [.. x.Cells.Select(c => (IReadOnlyList<object?>)[x.Names.GetValueOrDefault(c.Key) ?? c.Key, x.Names.GetValueOrDefault(c.And) ?? c.And, (double)c.Made, (double)c.Passed, c.Share.Rate, c.Share.Low, c.Share.High])])], "");
            return Results.File(Tables.Csv(table), "text/csv", $"yield-by-{Wire.Name(a.By)}-and-{Wire.Name(x.And)}.csv");
        }

        var paper = new Paper("Yield", [], [new(Wire.Name(a.By), [.. Columns.Select(c => new PaperColumn(c, 1))],
            [.. a.Groups.Select(g => (IReadOnlyList<object?>)[g.Name ?? g.Key ?? "", (double)g.Rate.Made, (double)g.Rate.Passed, g.Rate.Rate, g.Rate.Low, g.Rate.High, g.Rate.Expected, g.Rate.FunnelLow, g.Rate.FunnelHigh, g.Rate.Chance, g.Rate.Adjusted?.Rate, (double)g.Accepted, g.Attempts, g.ReworkMinutes, (double)g.PartsLost, g.ReworkCost, g.ShardsMissing])])], "");
        return Results.File(Tables.Csv(paper), "text/csv", $"yield-by-{Wire.Name(a.By)}.csv");
    }

    private static readonly string[] Columns = ["name", "made", "passed", "rate", "low", "high", "expected", "funnelLow", "funnelHigh", "chance", "adjusted", "accepted", "attempts", "reworkMinutes", "partsLost", "reworkCost", "shardsMissing"];

    private static YieldFilter Filter(TimeProvider clock, string? from, string? to, JobId? jobId, CrewId? crewId, string? method, string? construction)
    {
        var last = QueryWords.Day("to", to) ?? clock.GetCurrentInstant().InUtc().Date;
        var first = QueryWords.Day("from", from) ?? last.PlusDays(-UsualDays);
        new Input().Require(first <= last, Refusal.Of("days-order", "from")).ThrowIfBad();
        return new(first, last, jobId, crewId, QueryWords.Choice<TerminationMethod>("method", method) is { } m ? Wire.Name(m) : null, QueryWords.Choice<CableConstruction>("construction", construction) is { } k ? Wire.Name(k) : null);
    }
}
