using System.Security.Claims;
using Rhabdon.Core.Kit;
using Rhabdon.Server.Accounts;
using Rhabdon.Server.Jobs;
using Rhabdon.Server.Web;
using Rhabdon.Store;

namespace Rhabdon.Server.Kit;

/// <param name="Address">Of the end.</param>
public sealed record RiskyEnd(EndId EndId, string Address, double SlackLeftMm, double Risk);

/// <param name="Groups">Ends of one kind each.</param>
/// <param name="Risks">Ends that may run out of slack, the likeliest first.</param>
/// <param name="MoreRisks">How many more there are.</param>
public sealed record JobKitAnswer(double Confidence, IReadOnlyList<KitGroup> Groups, IReadOnlyList<RiskyEnd> Risks, int MoreRisks);

/// <summary>What to bring to a job.</summary>
public static class JobKitEndpoints
{
    private const int MostRisks = 50;

    public static void MapJobKit(this RouteGroupBuilder api) =>
        api.MapGet("/jobs/{jobId:guid}/kit", Find).RequireAuthorization(Policies.Work)
            .WithSummary("What to bring for the ends of a job that are not accepted yet: connectors that are enough with a confidence (0.5 to 0.999), parts, minutes of rework; and the ends that may run out of slack before they are accepted.")
            .WithDescription("First-pass chances begin as assumptions and follow the company's own ledger: of its last 1000 connectors by the method. Millimetres, minutes, chances 0 to 1.");

    private static async Task<JobKitAnswer> Find(JobId jobId, ClaimsPrincipal user, Store.Jobs jobs, Kits kits, Methods methods, CancellationToken cancel, double confidence = 0.95)
    {
        var scope = user.Scope();
        await JobEndpoints.Seen(jobs, scope, jobId, cancel);
        var ends = await kits.ToMake(scope, jobId, cancel);
        var counted = await kits.Counted(scope.CompanyId, [.. ends.Select(e => e.Method).Distinct()], cancel);
        var rules = await methods.Rules(scope.CompanyId, cancel);
        var kit = JobKits.Of([.. ends.Select(e => e.ToMake())], (id, version) => rules.FindTable(id, version), m => counted.GetValueOrDefault(m) ?? new(0, 0), confidence);
        var addresses = ends.ToDictionary(e => e.EndId);
        return new(kit.Confidence, kit.Groups, [.. kit.Risks.Take(MostRisks).Select(r => new RiskyEnd(r.EndId, addresses[r.EndId].Address(), r.SlackLeftMm, r.Risk))], Math.Max(0, kit.Risks.Count - MostRisks));
    }
}
