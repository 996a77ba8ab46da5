using System.Security.Claims;
using Rhabdon.Core;
using Rhabdon.Core.Kit;
using Rhabdon.Core.Planning;
using Rhabdon.Documents;
using Rhabdon.Server.Accounts;
using Rhabdon.Server.Jobs;
using Rhabdon.Server.Web;
using Rhabdon.Store;

namespace Rhabdon.Server.Kit;

/// <param name="PersonName">Whose hands; null where it is another way, and where the company does not name people.</param>
/// <param name="Title">Of the other procedure.</param>
public sealed record RiskStep(RiskAct Act, double Risk, string? ProcedureId, string? Title, string? PersonName);

/// <param name="Address">Of the end.</param>
/// <param name="SpareMm">What may still be cut off, with the reach to the bench and the loop that has to remain left alone.</param>
public sealed record RiskyEnd(EndId EndId, string Address, double SlackLeftMm, double SpareMm, double Risk, IReadOnlyList<RiskStep> Advice);

/// <summary>A side of a ribbon cable that a splice module would not take as planned.</summary>
public sealed record RibbonWarning(CableId CableId, string Code, CableSide Side, IReadOnlyList<RibbonFault> Faults);

/// <param name="FromCost">The confidence follows from what a trip and a leftover cost.</param>
/// <param name="Groups">Ends of one kind each.</param>
/// <param name="Risks">Ends that may run out of slack, the likeliest first.</param>
/// <param name="MoreRisks">How many more there are.</param>
/// <param name="Pick">The lines to load.</param>
public sealed record JobKitAnswer(
    double Confidence, bool FromCost, IReadOnlyList<KitGroup> Groups, IReadOnlyList<KitConnector> Connectors, IReadOnlyList<SupplyNeed> Supplies, double Cost, string Currency,
    IReadOnlyList<RiskyEnd> Risks, int MoreRisks, IReadOnlyList<RibbonWarning> Ribbons, IReadOnlyList<PickLine> Pick);

/// <param name="Titles">Of the procedures that are named, by their ids.</param>
public sealed record MethodsAnswer(IReadOnlyList<MethodGroup> Groups, IReadOnlyDictionary<string, string> Titles, string Currency, double RiskShown);

public enum KitFormat
{
    Pdf, Xlsx, Csv,
}

/// <summary>What to bring to jobs, and by which method.</summary>
public static class JobKitEndpoints
{
    private const int MostRisks = 500, MostJobs = 20;

    public static void MapJobKit(this RouteGroupBuilder api)
    {
        api.MapGet("/jobs/{jobId:guid}/kit", OfJob).RequireAuthorization(Policies.Work)
            .WithSummary("What to bring for the ends of a job that are not accepted yet: connectors and packs that are enough with a confidence, supplies, minutes of rework; and the ends that may run out of slack, with what makes it less likely.")
            .WithDescription("confidence: 0.5 to 0.999 for all connectors together; left out, it follows from what a trip and a leftover cost your company, else 0.95. First-pass chances begin as assumptions and follow the company's own ledger: of its last 1000 connectors by the method. Millimetres, minutes, chances 0 to 1.");
        api.MapGet("/kit", OfJobs).RequireAuthorization(Policies.Work).WithSummary("The same for several jobs together, at most 20: jobId once for each.");
        api.MapGet("/kit/file", AsFile).RequireAuthorization(Policies.Work).WithSummary("The list for several jobs as a file: format=pdf to print, with boxes to tick; xlsx or csv for other programs.")
            .Produces(200, contentType: "application/pdf");
        api.MapGet("/jobs/{jobId:guid}/methods", ByMethod).RequireAuthorization(Policies.Work)
            .WithSummary("Every procedure that fits the ends that are not accepted yet: what an accepted connector costs, the hours, the share of pairs over the limit, the slack risk, break-even counts, which is right and what would change that.")
            .WithDescription("ends: another count than the plan's, 1 to 100,000. limitDb: of a mated pair, else the job's limits'. Names in the question and the answer are ids of procedures; `ask` is what POST /api/calc/compare takes. Any one currency, minutes, dB.");
    }

    private static async Task<JobKitAnswer> OfJob(JobId jobId, ClaimsPrincipal user, Store.Jobs jobs, Kits kits, Methods methods, StreamProjector streams, CancellationToken cancel, double? confidence = null) =>
        await Answer([jobId], confidence, user.Scope(), jobs, kits, methods, streams, cancel);

    private static async Task<JobKitAnswer> OfJobs(JobId[] jobId, ClaimsPrincipal user, Store.Jobs jobs, Kits kits, Methods methods, StreamProjector streams, CancellationToken cancel, double? confidence = null) =>
        await Answer(jobId, confidence, user.Scope(), jobs, kits, methods, streams, cancel);

    private static async Task<IResult> AsFile(
        JobId[] jobId, string format, ClaimsPrincipal user, Store.Jobs jobs, Kits kits, Methods methods, StreamProjector streams, TimeProvider clock, CancellationToken cancel, double? confidence = null)
    {
        var as_ = QueryWords.Choice<KitFormat>("format", format) ?? KitFormat.Pdf;
        var scope = user.Scope();
        var kit = await Answer(jobId, confidence, scope, jobs, kits, methods, streams, cancel);
        var now = clock.GetCurrentInstant();
        var paper = KitPaper.Of(kit, await kits.Customers(scope, jobId, cancel), await kits.SpaceCodes(scope.CompanyId, [.. kit.Pick.Select(l => l.SpaceId).OfType<SpaceId>().Distinct()], cancel), now.InUtc().Date);
        var (bytes, type) = as_ switch
        {
            KitFormat.Csv => (Tables.Csv(paper), "text/csv"),
            KitFormat.Xlsx => (Tables.Xlsx(paper), "application/vnd.openxmlformats-officedocument.spreadsheetml.sheet"),
            _ => (Printed.Pdf(paper, now.ToDateTimeOffset()), "application/pdf"),
        };
        return Results.File(bytes, type, $"what-to-bring.{Wire.Name(as_)}");
    }

    internal static async Task<JobKitAnswer> Answer(IReadOnlyList<JobId> jobIds, double? confidence, Scope scope, Store.Jobs jobs, Kits kits, Methods methods, StreamProjector streams, CancellationToken cancel)
    {
        new Input().Require(jobIds.Count is >= 1 and <= MostJobs, Refusal.Of("figure-range", "jobId", ("least", 1), ("most", MostJobs))).ThrowIfBad();
        foreach (var jobId in jobIds)
        {
            await JobEndpoints.Seen(jobs, scope, jobId, cancel);
        }

        var q = await KitQuestion.Ask(scope, jobIds, kits, methods, streams, cancel);
        var kit = JobKits.Of(q.Ends, q.Methods, q.Facts, q.Figures, confidence);
        var ends = q.Planned.ToDictionary(e => e.EndId);
        var shown = kit.Risks.Take(MostRisks).ToList();
        var names = await kits.Names(scope.CompanyId, [.. shown.SelectMany(r => r.Advice).Select(a => a.PersonId).OfType<PersonId>().Distinct()], cancel);
        var titles = q.Rules.Newest.ToDictionary(p => p.Id, p => p.Title);
        return new(
            kit.Confidence, kit.FromCost, kit.Groups, kit.Connectors, kit.Supplies, kit.Cost, q.Figures.Currency,
            [.. shown.Select(r => new RiskyEnd(r.EndId, ends[r.EndId].Address(), r.SlackLeftMm, r.SpareMm, r.Risk,
                [.. r.Advice.Select(a => new RiskStep(a.Act, a.Risk, a.ProcedureId, a.ProcedureId is { } p ? titles.GetValueOrDefault(p) : null, a.PersonId is { } who ? names.GetValueOrDefault(who) : null))]))],
            Math.Max(0, kit.Risks.Count - MostRisks),
            [.. (await kits.Ribbons(scope.CompanyId, jobIds, cancel)).Select(r => new RibbonWarning(r.CableId, r.Code, r.Side, [.. RibbonModules.Faults(r.SlackMm, r.DiameterMm, r.StrandCount)])).Where(r => r.Faults.Count > 0)],
            PickLists.Of(kit, q.Ends, e => ends[e.EndId].SpaceId));
    }

    private static async Task<MethodsAnswer> ByMethod(
        JobId jobId, ClaimsPrincipal user, Store.Jobs jobs, Kits kits, Methods methods, StreamProjector streams, CancellationToken cancel, int? ends = null, double? limitDb = null)
    {
        var scope = user.Scope();
        var job = await JobEndpoints.Seen(jobs, scope, jobId, cancel);
        var q = await KitQuestion.Ask(scope, [jobId], kits, methods, streams, cancel);
        var losses = await kits.Losses(scope.CompanyId, cancel);
        var limits = q.Rules.LossSet(job.LimitSetId);
        var groups = MethodPlan.Of(q.Ends, q.Methods, q.Facts, (method, mode) => losses.GetValueOrDefault((method, mode)), q.Figures,
            mode => limitDb ?? limits.Connections.FirstOrDefault(c => c.Mode == mode)?.PairDb ?? limits.Connections[0].PairDb, ends);
        return new(groups, q.Rules.Newest.Where(p => groups.Any(g => g.Options.Any(o => o.ProcedureId == p.Id) || g.Planned.Contains(p.Id))).ToDictionary(p => p.Id, p => p.Title), q.Figures.Currency, q.Figures.RiskShown);
    }
}
