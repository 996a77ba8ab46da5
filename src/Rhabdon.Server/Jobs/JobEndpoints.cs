using System.Globalization;
using System.Security.Claims;
using Rhabdon.Core;
using Rhabdon.Core.Connectors;
using Rhabdon.Core.Fiber;
using Rhabdon.Core.Ledger;
using Rhabdon.Core.Planning;
using Rhabdon.Server.Accounts;
using Rhabdon.Server.Web;
using Rhabdon.Store;

namespace Rhabdon.Server.Jobs;

/// <param name="DueOn">As in 2026-11-30.</param>
/// <param name="TimeZone">IANA name of the site's zone.</param>
/// <param name="CrewId">A lead's jobs go to the lead's own crew.</param>
public sealed record JobRequest(string Customer, string Site, string TimeZone, string DueOn, string LimitSetId, Guid? CrewId = null);

/// <param name="Version">The version of the job that the change was made on.</param>
public sealed record JobChange(string Customer, string Site, string TimeZone, string DueOn, string LimitSetId, int Version, Guid? CrewId = null);

public sealed record NewSpace(string Code, string Name);

public sealed record NewPanel(Guid SpaceId, string Code, int Ports, ConnectorForm AdapterForm, bool Angled);

/// <param name="UnitSize">Strands that share one unit: 4, 6, 8, 12 or 24.</param>
/// <param name="Connections">Mated pairs of a link through it, both ends mated.</param>
/// <param name="Splices">Known along the cable; those of pigtails come on top.</param>
/// <param name="ColourOrder">All twelve colours, as the cable's sheet counts them; left out, as in TIA-598.</param>
public sealed record NewCable(
    string Code, FiberClass FiberClass, CableConstruction Construction, int StrandCount, double LengthM, double SlackAMm, double SlackBMm,
    int UnitSize = Strands.PerUnit, IReadOnlyList<StrandColour>? ColourOrder = null, int Connections = 2, int Splices = 0);

/// <summary>What ends and links of a cable are judged by. What was judged before stays as it was.</summary>
/// <param name="Version">Of the cable as you saw it.</param>
public sealed record CableChange(double LengthM, double SlackAMm, double SlackBMm, int Connections, int Splices, int Version);

/// <summary>Connectors for a row of strands, landing on a panel port by port.</summary>
public sealed record NewEnds(
    Guid CableId, CableSide Side, int FromStrand, int ToStrand, Guid PanelId, int FirstPort,
    ConnectorForm Form, Polish Polish, FiberMode Mode, TerminationMethod Method, FiberClass? StubClass = null, string? ProcedureId = null);

public sealed record Viewers(IReadOnlyList<Guid> PersonIds);

public sealed record JobDetail(Job Job, IReadOnlyList<Space> Spaces, IReadOnlyList<Panel> Panels, IReadOnlyList<Cable> Cables);

/// <summary>A job's ends with what the loom needs to draw them.</summary>
public sealed record JobLoom(IReadOnlyList<LoomEnd> Ends, IReadOnlyList<CableStrands> Cables);

/// <summary>A cable's strands in their order, 1 first, each with its colour.</summary>
public sealed record CableStrands(Guid CableId, IReadOnlyList<Strand> Strands);

/// <param name="ProcedureId">The shipped procedure that fits; null when none does yet.</param>
public sealed record EndsMade(IReadOnlyList<Guid> EndIds, string? ProcedureId);

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
        api.MapPost("/jobs/{jobId:guid}/spaces", AddSpace).RequireAuthorization(Policies.Plan).WithSummary("Add a space.");
        api.MapPost("/jobs/{jobId:guid}/panels", AddPanel).RequireAuthorization(Policies.Plan).WithSummary("Add a panel to a space.");
        api.MapPost("/jobs/{jobId:guid}/cables", AddCable).RequireAuthorization(Policies.Plan).WithSummary("Add a cable.");
        api.MapPut("/jobs/{jobId:guid}/cables/{cableId:guid}", ChangeCable).RequireAuthorization(Policies.Plan)
            .WithSummary("Change a cable's length, slack, connections and splices. Where it has changed since the version that you saw, nothing is done: 409, with the cable as it is now.");
        api.MapPost("/jobs/{jobId:guid}/ends", AddEnds).RequireAuthorization(Policies.Plan).WithSummary("Plan connectors for a row of strands; refused, with reasons, where they do not fit.");
        api.MapDelete("/jobs/{jobId:guid}/plan/{what}/{id:guid}", Remove).RequireAuthorization(Policies.Plan)
            .WithSummary("Take a space, panel, cable or end out of the plan; what has a ledger stays.");
    }

    private static async Task<IReadOnlyList<Job>> List(ClaimsPrincipal user, Store.Jobs jobs, string? find = null, Guid? after = null, int limit = 50) =>
        await jobs.List(user.Scope(), string.IsNullOrWhiteSpace(find) ? null : find.Trim(), after, Math.Clamp(limit, 1, LargestPage));

    private static async Task<IReadOnlyList<Job>> AtHand(ClaimsPrincipal user, Store.Jobs jobs, Guid? after = null, int limit = 50) =>
        await jobs.AtHand(user.Scope(), after, Math.Clamp(limit, 1, LargestPage));

    private static async Task<Made> Add(JobRequest r, ClaimsPrincipal user, Store.Jobs jobs, People people, Methods methods)
    {
        var scope = user.Scope();
        var (customer, site, crew) = await Checked(r, scope, people, await methods.Rules(scope.CompanyId));
        var id = Guid.CreateVersion7();
        await jobs.Add(scope.CompanyId, id, customer, site, r.TimeZone, r.DueOn, r.LimitSetId, crew);
        return new(id);
    }

    private static async Task<Job> Change(Guid jobId, JobChange r, ClaimsPrincipal user, Store.Jobs jobs, People people, Methods methods)
    {
        var scope = user.Scope();
        await Seen(jobs, scope, jobId);
        var (customer, site, crew) = await Checked(new(r.Customer, r.Site, r.TimeZone, r.DueOn, r.LimitSetId, r.CrewId), scope, people, await methods.Rules(scope.CompanyId));
        var changed = await jobs.Change(scope.CompanyId, jobId, customer, site, r.TimeZone, r.DueOn, r.LimitSetId, crew, r.Version);
        var now = await Seen(jobs, scope, jobId);
        return changed ? now : throw new ApiException(409, "changed-meanwhile", "version", "Somebody has changed this job since you opened it. Nothing of yours was kept yet: choose.") { Current = now };
    }

    private static async Task<(string Customer, string Site, Guid Crew)> Checked(JobRequest r, Scope scope, People people, Rules rules)
    {
        var input = new Input();
        var customer = input.Text("customer", r.Customer, 120);
        var site = input.Text("site", r.Site, 120);
        input.Require(TimeZoneInfo.TryFindSystemTimeZoneById(r.TimeZone, out _), "time-zone-unknown", "timeZone", $"'{r.TimeZone}' is no IANA time zone.");
        input.Require(DateOnly.TryParseExact(r.DueOn, "yyyy-MM-dd", CultureInfo.InvariantCulture, DateTimeStyles.None, out _), "date-shape", "dueOn", "A date is written as 2026-11-30.");
        input.Require(rules.Loss.ContainsKey(r.LimitSetId), "limit-set-unknown", "limitSetId", $"There is no loss limit set '{r.LimitSetId}'.");
        var crew = scope.Role == Role.Lead ? scope.CrewId : r.CrewId;
        input.Require(crew is { } id && await people.HasCrew(scope.CompanyId, id), "crew-unknown", "crewId", "Choose the crew that does the job.");
        input.ThrowIfBad();
        return (customer, site, crew!.Value);
    }

    private static async Task<JobDetail> Find(Guid jobId, ClaimsPrincipal user, Store.Jobs jobs)
    {
        var scope = user.Scope();
        var job = await Seen(jobs, scope, jobId);
        var (spaces, panels, cables) = await jobs.Layout(scope.CompanyId, jobId);
        return new(job, spaces, panels, cables);
    }

    private static async Task<JobLoom> Loom(Guid jobId, ClaimsPrincipal user, Store.Jobs jobs, Store.Records records)
    {
        var scope = user.Scope();
        await Seen(jobs, scope, jobId);
        var ends = await records.Loom(scope.CompanyId, jobId);
        var cables = (await jobs.Layout(scope.CompanyId, jobId)).Cables;
        return new(ends, [.. cables.Select(c => new CableStrands(c.CableId, [.. Enumerable.Range(1, c.StrandCount).Select(n => Strands.At(n, c.Lay()))]))]);
    }

    private static async Task<Viewers> GetViewers(Guid jobId, ClaimsPrincipal user, Store.Jobs jobs)
    {
        await Seen(jobs, user.Scope(), jobId);
        return new(await jobs.Viewers(user.Scope().CompanyId, jobId));
    }

    private static async Task SetViewers(Guid jobId, Viewers r, ClaimsPrincipal user, Store.Jobs jobs)
    {
        await Seen(jobs, user.Scope(), jobId);
        await jobs.SetViewers(user.Scope().CompanyId, jobId, r.PersonIds);
    }

    private static async Task<Made> AddSpace(Guid jobId, NewSpace r, ClaimsPrincipal user, Store.Jobs jobs)
    {
        await Seen(jobs, user.Scope(), jobId);
        var input = new Input();
        var space = new Space(Guid.CreateVersion7(), input.Text("code", r.Code, 12), input.Text("name", r.Name, 60));
        input.ThrowIfBad();
        await jobs.AddSpace(user.Scope().CompanyId, jobId, space);
        return new(space.SpaceId);
    }

    private static async Task<Made> AddPanel(Guid jobId, NewPanel r, ClaimsPrincipal user, Store.Jobs jobs)
    {
        var scope = user.Scope();
        await Seen(jobs, scope, jobId);
        var input = new Input();
        var code = input.Text("code", r.Code, 12);
        input.Require(r.Ports is >= 1 and <= Plans.MaxPorts, "out-of-range", "ports", $"A panel has 1 to {Plans.MaxPorts} ports.");
        input.Require(!r.Angled || r.AdapterForm is ConnectorForm.SC or ConnectorForm.LC or ConnectorForm.FC or ConnectorForm.MPO or ConnectorForm.HardenedDrop, "st-is-not-angled", "angled", "ST adapters are not made for angled connectors.");
        input.Require((await jobs.Layout(scope.CompanyId, jobId)).Spaces.Any(s => s.SpaceId == r.SpaceId), "space-unknown", "spaceId", "There is no such space in this job.");
        input.ThrowIfBad();
        var panel = new Panel(Guid.CreateVersion7(), r.SpaceId, code, r.Ports, r.AdapterForm, r.Angled);
        await jobs.AddPanel(scope.CompanyId, jobId, panel);
        return new(panel.PanelId);
    }

    private static async Task<Made> AddCable(Guid jobId, NewCable r, ClaimsPrincipal user, Store.Jobs jobs)
    {
        await Seen(jobs, user.Scope(), jobId);
        var input = new Input();
        var code = input.Text("code", r.Code, 20);
        input.ThrowIfBad();
        var lay = new StrandLay(r.UnitSize, r.ColourOrder ?? StrandLay.Usual.Order);
        Plans.CheckCable(r.Construction, r.StrandCount, r.LengthM, r.SlackAMm, r.SlackBMm, lay, r.Connections, r.Splices);
        var cable = new Cable(Guid.CreateVersion7(), code, r.FiberClass, r.Construction, r.StrandCount, r.LengthM, r.SlackAMm, r.SlackBMm, lay.UnitSize, lay.Order, r.Connections, r.Splices, 1);
        await jobs.AddCable(user.Scope().CompanyId, jobId, cable);
        return new(cable.CableId);
    }

    private static async Task<Cable> ChangeCable(Guid jobId, Guid cableId, CableChange r, ClaimsPrincipal user, Store.Jobs jobs)
    {
        var company = user.Scope().CompanyId;
        await Seen(jobs, user.Scope(), jobId);
        async Task<Cable> Now() => (await jobs.Layout(company, jobId)).Cables.FirstOrDefault(c => c.CableId == cableId)
            ?? throw new ApiException(404, "not-found", "cableId", "There is no such cable in this job.");
        var cable = await Now();
        Plans.CheckCable(cable.Construction, cable.StrandCount, r.LengthM, r.SlackAMm, r.SlackBMm, cable.Lay(), r.Connections, r.Splices);
        var changed = await jobs.ChangeCable(company, jobId, cable with { LengthM = r.LengthM, SlackAMm = r.SlackAMm, SlackBMm = r.SlackBMm, Connections = r.Connections, Splices = r.Splices, Version = r.Version });
        var now = await Now();
        return changed ? now : throw new ApiException(409, "changed-meanwhile", "version", "Somebody has changed this cable since you opened it. Nothing of yours was kept yet: choose.") { Current = now };
    }

    private static async Task<EndsMade> AddEnds(Guid jobId, NewEnds r, ClaimsPrincipal user, Store.Jobs jobs, Methods methods, Documents documents)
    {
        var scope = user.Scope();
        await Seen(jobs, scope, jobId);
        var (_, panels, cables) = await jobs.Layout(scope.CompanyId, jobId);
        var cable = cables.FirstOrDefault(c => c.CableId == r.CableId) ?? throw new ApiException(400, "cable-unknown", "cableId", "There is no such cable in this job.");
        var panel = panels.FirstOrDefault(p => p.PanelId == r.PanelId) ?? throw new ApiException(400, "panel-unknown", "panelId", "There is no such panel in this job.");
        new Input()
            .Require(r.FromStrand >= 1 && r.FromStrand <= cable.StrandCount, "strand-range", "fromStrand", $"The cable has strands 1 to {cable.StrandCount}.")
            .Require(r.ToStrand >= r.FromStrand && r.ToStrand <= cable.StrandCount, "strand-range", "toStrand", $"The last strand is {r.FromStrand} to {cable.StrandCount}.")
            .Require(r.FirstPort >= 1, "port-range", "firstPort", "Ports count from 1.").ThrowIfBad();
        var count = r.ToStrand - r.FromStrand + 1;
        var lastPort = Plans.PortFor(r.Form, r.FirstPort, count - 1).Port;
        new Input().Require(lastPort <= panel.Ports, "port-range", "firstPort", $"This row would end at port {lastPort}; panel {panel.Code} has {panel.Ports}.").ThrowIfBad();

        var connector = new ConnectorSpec(r.Form, r.Polish, r.Mode, r.Method, r.StubClass);
        var cableSpec = new CableSpec(cable.FiberClass, cable.Construction);
        var against = Compatibility.Judge(connector, cableSpec, new PanelSpec(panel.AdapterForm, panel.Angled));
        if (against.Count > 0)
        {
            throw new RefusedException(against);
        }

        var rules = await methods.Rules(scope.CompanyId);
        var fitting = rules.Newest.Where(p => p.Method == r.Method && p.Fits.Covers(connector, cableSpec)).ToList();
        new Input().Require(r.ProcedureId is null || fitting.Any(p => p.Id == r.ProcedureId), "procedure-fit", "procedureId", "That procedure does not fit this connector, cable and method.").ThrowIfBad();
        // The one that was asked for, else the company's own before a shipped one; always its newest version.
        var procedure = fitting.Where(p => r.ProcedureId is null || p.Id == r.ProcedureId)
            .OrderBy(p => documents.Procedures.Any(s => s.Id == p.Id)).FirstOrDefault();
        var ends = Enumerable.Range(0, count).Select(i =>
        {
            var (port, position) = Plans.PortFor(r.Form, r.FirstPort, i);
            return new PlannedEnd(Guid.CreateVersion7(), r.CableId, r.FromStrand + i, r.Side, r.PanelId, port, position,
                r.Form, r.Polish, r.Mode, r.Method, r.StubClass, procedure?.Id, procedure?.Version);
        }).ToList();
        await jobs.AddEnds(scope.CompanyId, jobId, ends);
        return new([.. ends.Select(e => e.EndId)], procedure?.Id);
    }

    private static async Task Remove(Guid jobId, string what, Guid id, ClaimsPrincipal user, Store.Jobs jobs)
    {
        await Seen(jobs, user.Scope(), jobId);
        new Input().Require(what is "space" or "panel" or "cable" or "end", "unknown-kind", "what", "A plan holds spaces, panels, cables and ends.").ThrowIfBad();
        if (!await jobs.Remove(user.Scope().CompanyId, jobId, what, id))
        {
            throw new ApiException(409, "not-removed", "id", what == "end" ? "This end is not there, or has been worked; what is in the ledger stays." : "It is not there.");
        }
    }

    /// <exception cref="ApiException">The job is not there for this person; they are not told whether it exists.</exception>
    internal static async Task<Job> Seen(Store.Jobs jobs, Scope scope, Guid jobId) =>
        await jobs.Find(scope, jobId) ?? throw new ApiException(404, "not-found", "jobId", "There is no such job among yours.");
}
