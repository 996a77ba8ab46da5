using System.Security.Claims;
using Rhabdon.Core;
using Rhabdon.Core.Fiber;
using Rhabdon.Core.Ledger;
using Rhabdon.Server.Accounts;
using Rhabdon.Server.Web;
using Rhabdon.Store;

namespace Rhabdon.Server.Jobs;

/// <param name="DueOn">As in 2026-11-30.</param>
/// <param name="TimeZone">IANA name of the site's zone.</param>
/// <param name="CrewId">The crew whose lead plans it; a lead's jobs go to the lead's own crew. Who works which end is assigned apart from it.</param>
/// <param name="Number">The company's own number for it.</param>
/// <param name="FaceLimitSetId">What its faces are held to; left out, the house limits in force.</param>
public sealed record JobRequest(string Customer, string Site, string TimeZone, string DueOn, string LimitSetId, CrewId? CrewId = null, string? Number = null, string? FaceLimitSetId = null) : IJobFields;

/// <param name="Version">The version of the job that the change was made on.</param>
public sealed record JobChange(string Customer, string Site, string TimeZone, string DueOn, string LimitSetId, int Version, CrewId? CrewId = null, string? Number = null, string? FaceLimitSetId = null) : IJobFields;

public sealed record Viewers(IReadOnlyList<PersonId> PersonIds);

/// <param name="MayPlan">True for those who may change what is planned: the office, and the lead of the crew that plans it.</param>
public sealed record JobDetail(
    Job Job, IReadOnlyList<Space> Spaces, IReadOnlyList<Panel> Panels, IReadOnlyList<Cable> Cables, IReadOnlyList<Module> Modules, IReadOnlyList<Cord> Cords, IReadOnlyList<Chain> Chains, bool MayPlan);

/// <summary>A job's ends with what the loom needs to draw them.</summary>
public sealed record JobLoom(IReadOnlyList<LoomEnd> Ends, IReadOnlyList<CableStrands> Cables);

/// <summary>A cable's strands in their order, 1 first, each with its colour.</summary>
public sealed record CableStrands(CableId CableId, IReadOnlyList<Strand> Strands);

public static class JobEndpoints
{
    private const int LargestPage = 200;

    public static void MapJobs(this RouteGroupBuilder api)
    {
        api.MapGet("/jobs", List).WithSummary("Jobs that you may see: open ones first, newest due first; find takes a part of the customer's or site's name.");
        api.MapGet("/jobs/at-hand", AtHand).WithSummary("The work at hand: open jobs that you may see, the next one due first.");
        api.MapPost("/jobs", Add).RequireAuthorization(Policies.Plan).WithSummary("Add a job.");
        api.MapGet("/jobs/{jobId:guid}", Find).WithSummary("A job with its spaces, panels and cables.");
        api.MapPut("/jobs/{jobId:guid}", Change).RequireAuthorization(Policies.Plan).WithSummary("Change a job. Where it has changed since the version that you saw, nothing is done: 409, with the job as it is now beside your change.")
            .Produces<ApiProblem>(409);
        api.MapGet("/jobs/{jobId:guid}/loom", Loom).WithSummary("Every planned end of a job and how far it has come.");
        api.MapGet("/jobs/{jobId:guid}/viewers", GetViewers).RequireAuthorization(Policies.Plan).WithSummary("Viewers who may look at a job.");
        api.MapPut("/jobs/{jobId:guid}/viewers", SetViewers).RequireAuthorization(Policies.Office).WithSummary("Name the viewers of a job.");
    }

    private static async Task<IReadOnlyList<Job>> List(ClaimsPrincipal user, CancellationToken cancel, Store.Jobs jobs, string? find = null, JobId? after = null, int limit = 50) =>
        await jobs.List(user.Scope(), string.IsNullOrWhiteSpace(find) ? null : find.Trim(), after, Math.Clamp(limit, 1, LargestPage));

    private static async Task<IReadOnlyList<Job>> AtHand(ClaimsPrincipal user, CancellationToken cancel, Store.Jobs jobs, JobId? after = null, int limit = 50) =>
        await jobs.AtHand(user.Scope(), after, Math.Clamp(limit, 1, LargestPage));

    private static async Task<Made> Add(JobRequest r, ClaimsPrincipal user, Store.Jobs jobs, People people, Methods methods, CancellationToken cancel)
    {
        var scope = user.Scope();
        if (scope.Jobs is not null)
        {
            throw new ApiException(403, Refusal.Of("token-other-job", "customer"));
        }

        var fields = await Checked(r, scope, people, await methods.Rules(scope.CompanyId, cancel), cancel);
        var id = JobId.New();
        await jobs.Add(scope.CompanyId, id, fields, cancel);
        return new(id.Value);
    }

    private static async Task<Job> Change(JobId jobId, JobChange r, ClaimsPrincipal user, Store.Jobs jobs, People people, Methods methods, TimeProvider clock, CancellationToken cancel)
    {
        var scope = user.Scope();
        await Planned(jobs, scope, jobId, cancel);
        var fields = await Checked(new(r.Customer, r.Site, r.TimeZone, r.DueOn, r.LimitSetId, r.CrewId, r.Number, r.FaceLimitSetId), scope, people, await methods.Rules(scope.CompanyId, cancel), cancel);
        var changed = await jobs.Change(scope.CompanyId, jobId, fields, r.Version, clock.GetCurrentInstant(), cancel);
        var now = await Seen(jobs, scope, jobId, cancel);
        return changed ? now : throw new ApiException(409, Refusal.Of("changed-meanwhile", "version", ("what", "job"))) { Current = now };
    }

    private static async Task<JobFields> Checked(JobRequest r, Scope scope, People people, Rules rules, CancellationToken cancel = default)
    {
        var input = new Input();
        input.Require(rules.Loss.ContainsKey(r.LimitSetId), Refusal.Of("limit-set-unknown", "limitSetId", ("id", r.LimitSetId)));
        input.Require(r.FaceLimitSetId is null || rules.EndFace.ContainsKey(r.FaceLimitSetId), Refusal.Of("limit-set-unknown", "faceLimitSetId", ("id", r.FaceLimitSetId ?? "")));
        var crew = scope.Role == Role.Lead ? scope.CrewId : r.CrewId;
        input.Require(crew is { } id && await people.HasCrew(scope.CompanyId, id, cancel), Refusal.Of("crew-unknown", "crewId"));
        input.ThrowIfBad();
        return new(r.Number?.Trim() ?? "", r.Customer.Trim(), r.Site.Trim(), r.TimeZone, r.DueOn, r.LimitSetId, r.FaceLimitSetId, crew!.Value);
    }

    private static async Task<JobDetail> Find(JobId jobId, ClaimsPrincipal user, Store.Jobs jobs, Store.Plan plan, CancellationToken cancel)
    {
        var scope = user.Scope();
        var job = await Seen(jobs, scope, jobId, cancel);
        var at = await plan.Layout(scope.CompanyId, jobId, cancel);
        return new(job, at.Spaces, at.Panels, at.Cables, at.Modules, at.Cords, at.Chains, MayPlan(scope, job));
    }

    private static async Task<JobLoom> Loom(JobId jobId, ClaimsPrincipal user, Store.Jobs jobs, Store.Plan plan, Store.Records records, CancellationToken cancel)
    {
        var scope = user.Scope();
        await Seen(jobs, scope, jobId, cancel);
        var ends = await records.Loom(scope, jobId, cancel);
        var cables = (await plan.Layout(scope.CompanyId, jobId, cancel)).Cables;
        return new(ends, [.. cables.Select(c => new CableStrands(c.CableId, [.. Enumerable.Range(1, c.StrandCount).Select(n => Strands.At(n, c.Lay()))]))]);
    }

    private static async Task<Viewers> GetViewers(JobId jobId, ClaimsPrincipal user, Store.Jobs jobs, CancellationToken cancel)
    {
        await Seen(jobs, user.Scope(), jobId, cancel);
        return new(await jobs.Viewers(user.Scope().CompanyId, jobId, cancel));
    }

    private static async Task SetViewers(JobId jobId, Viewers r, ClaimsPrincipal user, Store.Jobs jobs, Ledger.Watchers watchers, CancellationToken cancel)
    {
        var company = user.Scope().CompanyId;
        await Seen(jobs, user.Scope(), jobId, cancel);
        var before = await jobs.Viewers(company, jobId, cancel);
        await jobs.SetViewers(company, jobId, r.PersonIds, cancel);
        watchers.Cut(company, before.Except(r.PersonIds));
    }

    /// <exception cref="ApiException">The job is not there for this person; they are not told whether it exists.</exception>
    internal static async Task<Job> Seen(Store.Jobs jobs, Scope scope, JobId jobId, CancellationToken cancel = default) =>
        await jobs.Find(scope, jobId, cancel) ?? throw new ApiException(404, Refusal.Of("not-found", "jobId"));

    private static bool MayPlan(Scope scope, Job job) => scope.Office || (scope.MayPlan && job.CrewId == scope.WorkCrewId);

    /// <summary>A job that this person may plan.</summary>
    /// <exception cref="ApiException">It is not there for this person, or another crew plans it.</exception>
    internal static async Task<Job> Planned(Store.Jobs jobs, Scope scope, JobId jobId, CancellationToken cancel = default) =>
        await Seen(jobs, scope, jobId, cancel) is var job && MayPlan(scope, job) ? job : throw new ApiException(403, Refusal.Of("not-yours-to-plan", "jobId"));
}
