using System.Security.Claims;
using Rhabdon.Core;
using Rhabdon.Core.Connectors;
using Rhabdon.Core.Fiber;
using Rhabdon.Core.Planning;
using Rhabdon.Core.Procedures;
using Rhabdon.Server.Accounts;
using Rhabdon.Server.Web;
using Rhabdon.Store;

namespace Rhabdon.Server.Jobs;

public sealed record NewSpace(string Code, string Name) : ISpaceFields;

/// <param name="Version">Of the space as you saw it.</param>
public sealed record SpaceChange(string Code, string Name, int Version) : ISpaceFields;

/// <param name="ReachMm">From the panel to the bench, 0 to 100,000.</param>
/// <param name="LoopTurns">Of the service loop that has to remain, 0 to 20.</param>
public sealed record NewPanel(SpaceId SpaceId, string Code, int Ports, ConnectorForm AdapterForm, bool Angled, double? ReachMm = null, int? LoopTurns = null) : IPanelFields;

/// <param name="Version">Of the panel as you saw it.</param>
public sealed record PanelChange(SpaceId SpaceId, string Code, int Ports, ConnectorForm AdapterForm, bool Angled, int Version, double? ReachMm = null, int? LoopTurns = null) : IPanelFields;

/// <param name="LengthM">May be left out for a jumper, which is as long as it is ordered.</param>
/// <param name="UnitSize">Strands that share one unit: 4, 6, 8, 12 or 24.</param>
/// <param name="ColourOrder">All twelve colours, as the cable's sheet counts them; left out, as in TIA-598.</param>
/// <param name="Connections">Mated pairs of a link through it, both ends mated.</param>
/// <param name="Splices">Known along the cable; those of pigtails come on top.</param>
/// <param name="DiameterMm">Outside, over the jacket.</param>
/// <param name="OrderedLengthMm">Makes it a jumper: from ferrule to ferrule.</param>
/// <param name="OrderedToleranceMm">By how much a jumper may differ from that, either way; left out, by nothing.</param>
public sealed record NewCable(
    string Code, FiberClass FiberClass, CableConstruction Construction, int StrandCount, double SlackAMm, double SlackBMm, double? LengthM = null,
    int UnitSize = Strands.PerUnit, IReadOnlyList<StrandColour>? ColourOrder = null, int Connections = 2, int Splices = 0, double? DiameterMm = null, double? OrderedLengthMm = null, double? OrderedToleranceMm = null);

/// <summary>What ends and links of a cable are judged by. What was judged before stays as it was.</summary>
/// <param name="Version">Of the cable as you saw it.</param>
public sealed record CableChange(double LengthM, double SlackAMm, double SlackBMm, int Connections, int Splices, int Version, double? DiameterMm = null, double? OrderedLengthMm = null, double? OrderedToleranceMm = null);

/// <param name="Version">Of the module as you saw it; left out for a new one.</param>
public sealed record ModuleFields(string Code, FiberClass FiberClass, int Fibers, ConnectorForm RearForm, ConnectorForm FrontForm, PanelId? PanelId = null, double? LossDb = null, int? Version = null);

/// <param name="Version">Of the cord as you saw it; left out for a new one.</param>
public sealed record CordFields(string Code, FiberClass FiberClass, int Fibers, ConnectorForm FormA, Polish PolishA, ConnectorForm FormB, Polish PolishB, double LengthM, int? Version = null);

/// <param name="Version">Of the chain as you saw it; left out for a new one.</param>
public sealed record ChainFields(string Code, IReadOnlyList<ChainPart> Parts, int? Version = null);

/// <summary>Connectors for a row of strands, landing on a panel port by port.</summary>
/// <param name="PanelId">Left out for a jumper, which lands on none.</param>
public sealed record NewEnds(
    CableId CableId, CableSide Side, int FromStrand, int ToStrand,
    ConnectorForm Form, Polish Polish, FiberMode Mode, TerminationMethod Method, PanelId? PanelId = null, int? FirstPort = null, FiberClass? StubClass = null, string? ProcedureId = null);

/// <summary>Another connector for an end that nobody has worked yet.</summary>
/// <param name="Version">Of the end as you saw it.</param>
public sealed record EndChange(ConnectorForm Form, Polish Polish, FiberMode Mode, TerminationMethod Method, int Version, int? Port = null, FiberClass? StubClass = null, string? ProcedureId = null);

/// <param name="PanelId">Null for a jumper's ends.</param>
/// <param name="Ends">So many connectors are planned,</param>
/// <param name="Accepted">and so many of them accepted.</param>
public sealed record DrawnLanding(PanelId? PanelId, int FromPort, int ToPort, int Ends, int Accepted);

/// <summary>One side of a cable: where it lands, and what of it has no connector yet.</summary>
public sealed record DrawnSide(CableId CableId, CableSide Side, IReadOnlyList<DrawnLanding> Landings, IReadOnlyList<Run> Unplanned);

/// <param name="Taken">Ports.</param>
/// <param name="NextPort">Where the next row begins; null where it is full.</param>
public sealed record DrawnPanel(PanelId PanelId, int Taken, int? NextPort);

/// <summary>How a job's cables run between its panels, and where there is room yet.</summary>
public sealed record JobDrawing(IReadOnlyList<DrawnPanel> Panels, IReadOnlyList<DrawnSide> Sides);

/// <summary>Which ends: one side of a row of a cable's strands.</summary>
public sealed record EndsRow(CableId CableId, CableSide Side, int FromStrand, int ToStrand);

/// <summary>Another connector, or another place, for a row of strands; what is left out stays as it is.</summary>
/// <param name="PanelId">Where they move to, port by port from <paramref name="FirstPort"/>.</param>
/// <param name="StubClass">Of the fiber within; left out, it stays where the method stays.</param>
/// <param name="ProcedureId">Left out, the one that fits best.</param>
public sealed record EndsChange(
    CableId CableId, CableSide Side, int FromStrand, int ToStrand, ConnectorForm? Form = null, Polish? Polish = null, FiberMode? Mode = null, TerminationMethod? Method = null,
    FiberClass? StubClass = null, string? ProcedureId = null, PanelId? PanelId = null, int? FirstPort = null);

/// <param name="Worked">Strands of the row that somebody has begun: they stay as they are.</param>
public sealed record EndsDone(int Ends, IReadOnlyList<int> Worked);

/// <param name="ProcedureId">Null where none fits: no run can begin on these ends.</param>
/// <param name="Nearest">Where none fits: those that come nearest, and what differs.</param>
public sealed record EndsMade(IReadOnlyList<EndId> EndIds, string? ProcedureId, IReadOnlyList<NearProcedure> Nearest);

/// <summary>What is planned in a job. Each change says which version it was made on; where that is gone, nothing is done: 409, with what is there now.</summary>
public static class PlanEndpoints
{
    private const string Conflict = "Where it has changed since the version that you saw, nothing is done: 409, with what is there now beside your change.";
    public static void MapPlan(this RouteGroupBuilder api)
    {
        var plan = api.MapGroup("/jobs/{jobId:guid}").RequireAuthorization(Policies.Plan);
        plan.MapGet("/drawing", Draw).WithSummary("How the cables run between the panels, and where there is room yet: ports and strands without a connector.");
        plan.MapPost("/spaces", AddSpace).WithSummary("Add a space.");
        plan.MapPut("/spaces/{id:guid}", ChangeSpace).WithSummary($"Change a space. {Conflict}").Produces<ApiProblem>(409);
        plan.MapPost("/panels", AddPanel).WithSummary("Add a panel to a space.");
        plan.MapPut("/panels/{id:guid}", ChangePanel).WithSummary($"Change a panel. {Conflict}").Produces<ApiProblem>(409);
        plan.MapPost("/cables", AddCable).WithSummary("Add a cable, or a jumper.");
        plan.MapPut("/cables/{id:guid}", ChangeCable).WithSummary($"Change a cable's length, slack, connections, splices and diameter. {Conflict}").Produces<ApiProblem>(409);
        plan.MapPost("/modules", AddModule).WithSummary("Add a module: a rear and a front, in a box.");
        plan.MapPut("/modules/{id:guid}", ChangeModule).WithSummary($"Change a module. {Conflict}").Produces<ApiProblem>(409);
        plan.MapPost("/cords", AddCord).WithSummary("Add a cord that is bought made.");
        plan.MapPut("/cords/{id:guid}", ChangeCord).WithSummary($"Change a cord. {Conflict}").Produces<ApiProblem>(409);
        plan.MapPost("/chains", AddChain).WithSummary("Say what the light passes, from one end of a channel to the other.");
        plan.MapPut("/chains/{id:guid}", ChangeChain).WithSummary($"Change a chain. {Conflict}").Produces<ApiProblem>(409);
        plan.MapPost("/ends", AddEnds).WithSummary("Plan connectors for a row of strands; refused, with reasons, where they do not fit.");
        plan.MapPost("/ends/change", ChangeEnds).WithSummary("Change or move a row of ends in one go: all that nobody has worked yet, or none where one of them does not fit.");
        plan.MapPost("/ends/remove", RemoveEnds).WithSummary("Take a row of ends out of the plan in one go: all that nobody has worked yet.");
        plan.MapPut("/ends/{id:guid}", ChangeEnd).WithSummary($"Change what is planned of an end that nobody has worked yet. {Conflict}").Produces<ApiProblem>(409);
        plan.MapDelete("/plan/{what}/{id:guid}", Remove).WithSummary($"Take something out of the plan: {string.Join(", ", Store.Plan.Kinds)}. What has a ledger stays.");
    }

    private static async Task<Layout> Planned(JobId jobId, ClaimsPrincipal user, Store.Jobs jobs, Store.Plan plan, CancellationToken cancel = default)
    {
        await JobEndpoints.Planned(jobs, user.Scope(), jobId, cancel);
        return await plan.Layout(user.Scope().CompanyId, jobId, cancel);
    }

    /// <summary>What was changed, as it is now.</summary>
    /// <exception cref="ApiException">It is not there, or has changed since the version that the change was made on.</exception>
    private static async Task<T> Changed<T>(string what, Task<bool> change, Func<Task<T?>> now) where T : class
    {
        var changed = await change;
        var current = await now() ?? throw new ApiException(404, Refusal.Of("not-found-here", "id", ("what", what)));
        return changed ? current : throw new ApiException(409, Refusal.Of("changed-meanwhile", "version", ("what", what))) { Current = current };
    }

    private static async Task<JobDrawing> Draw(JobId jobId, ClaimsPrincipal user, Store.Jobs jobs, Store.Plan plan, CancellationToken cancel)
    {
        var at = await Planned(jobId, user, jobs, plan, cancel);
        var landings = await plan.Landings(user.Scope().CompanyId, jobId, cancel);
        var (byPanel, bySide) = (landings.ToLookup(l => l.PanelId), landings.ToLookup(l => (l.CableId, l.Side)));
        return new(
            [.. at.Panels.Select(p => byPanel[p.PanelId].SelectMany(l => l.Ports).ToList() is var ports ? new DrawnPanel(p.PanelId, ports.Distinct().Count(), Run.Next(ports, p.Ports)) : null!)],
            [.. at.Cables.SelectMany(c => Enum.GetValues<CableSide>(), (c, side) => new DrawnSide(c.CableId, side,
                [.. bySide[(c.CableId, side)].Select(l => new DrawnLanding(l.PanelId, l.Ports.Min(), l.Ports.Max(), l.Ends, l.Accepted))],
                Run.Free(bySide[(c.CableId, side)].SelectMany(l => l.Strands), c.StrandCount)))]);
    }

    private static async Task<Made> AddSpace(JobId jobId, NewSpace r, ClaimsPrincipal user, Store.Jobs jobs, Store.Plan plan, CancellationToken cancel)
    {
        await Planned(jobId, user, jobs, plan, cancel);
        var space = Space(SpaceId.New(), r.Code, r.Name, 1);
        await plan.Add(user.Scope().CompanyId, jobId, space, cancel);
        return new(space.SpaceId.Value);
    }

    private static async Task<Space> ChangeSpace(JobId jobId, SpaceId id, SpaceChange r, ClaimsPrincipal user, Store.Jobs jobs, Store.Plan plan, CancellationToken cancel)
    {
        await Planned(jobId, user, jobs, plan, cancel);
        return await Changed("space", plan.Change(user.Scope().CompanyId, jobId, Space(id, r.Code, r.Name, r.Version), cancel),
            async () => (await Planned(jobId, user, jobs, plan)).Spaces.FirstOrDefault(s => s.SpaceId == id));
    }

    private static Space Space(SpaceId id, string code, string name, int version) => new(id, code.Trim(), name.Trim(), version);

    private static async Task<Made> AddPanel(JobId jobId, NewPanel r, ClaimsPrincipal user, Store.Jobs jobs, Store.Plan plan, CancellationToken cancel)
    {
        var at = await Planned(jobId, user, jobs, plan, cancel);
        var panel = Panel(at, PanelId.New(), new(r.SpaceId, r.Code, r.Ports, r.AdapterForm, r.Angled, 1, r.ReachMm, r.LoopTurns));
        await plan.Add(user.Scope().CompanyId, jobId, panel, cancel);
        return new(panel.PanelId.Value);
    }

    private static async Task<Panel> ChangePanel(JobId jobId, PanelId id, PanelChange r, ClaimsPrincipal user, Store.Jobs jobs, Store.Plan plan, CancellationToken cancel)
    {
        var company = user.Scope().CompanyId;
        var panel = Panel(await Planned(jobId, user, jobs, plan, cancel), id, r);
        var (port, landing) = await plan.Taken(company, id, cancel);
        new Input().Require(port <= r.Ports, Refusal.Of("port-taken", "ports", ("port", port)))
            .Require(landing.All(l => l.Form == r.AdapterForm && l.Polish == Polish.APC == r.Angled), Refusal.Of("form-differs-panel", "adapterForm")).ThrowIfBad();
        return await Changed("panel", plan.Change(company, jobId, panel, cancel), async () => (await Planned(jobId, user, jobs, plan)).Panels.FirstOrDefault(p => p.PanelId == id));
    }

    private static Panel Panel(Layout at, PanelId id, PanelChange r)
    {
        new Input().Require(at.Spaces.Any(s => s.SpaceId == r.SpaceId), Refusal.Of("space-unknown", "spaceId")).ThrowIfBad();
        var was = at.Panels.FirstOrDefault(p => p.PanelId == id);
        return new(id, r.SpaceId, r.Code.Trim(), r.Ports, r.AdapterForm, r.Angled, r.ReachMm ?? was?.ReachMm ?? 0, r.LoopTurns ?? was?.LoopTurns ?? 0, r.Version);
    }

    private static async Task<Made> AddCable(JobId jobId, NewCable r, ClaimsPrincipal user, Store.Jobs jobs, Store.Plan plan, CancellationToken cancel)
    {
        await Planned(jobId, user, jobs, plan, cancel);
        var lay = new StrandLay(r.UnitSize, r.ColourOrder ?? StrandLay.Usual.Order);
        var cable = new Cable(CableId.New(), r.Code.Trim(), r.FiberClass, r.Construction, r.StrandCount, Length(r.LengthM, r.OrderedLengthMm), r.SlackAMm, r.SlackBMm,
            lay.UnitSize, lay.Order, r.Connections, r.Splices, r.DiameterMm, r.OrderedLengthMm, r.OrderedToleranceMm, 1);
        Check(cable);
        await plan.Add(user.Scope().CompanyId, jobId, cable, cancel);
        return new(cable.CableId.Value);
    }

    private static async Task<Cable> ChangeCable(JobId jobId, CableId id, CableChange r, ClaimsPrincipal user, Store.Jobs jobs, Store.Plan plan, CancellationToken cancel)
    {
        var cable = (await Planned(jobId, user, jobs, plan, cancel)).Cables.FirstOrDefault(c => c.CableId == id) ?? throw new ApiException(404, Refusal.Of("not-found-here", "id", ("what", "cable")));
        new Input().Require(r.OrderedLengthMm is not null == cable.OrderedLengthMm is not null, Refusal.Of("jumper-or-cable", "orderedLengthMm")).ThrowIfBad();
        var changed = cable with
        {
            LengthM = Length(r.LengthM, r.OrderedLengthMm),
            SlackAMm = r.SlackAMm,
            SlackBMm = r.SlackBMm,
            Connections = r.Connections,
            Splices = r.Splices,
            DiameterMm = r.DiameterMm,
            OrderedLengthMm = r.OrderedLengthMm,
            OrderedToleranceMm = r.OrderedToleranceMm,
            Version = r.Version,
        };
        Check(changed);
        return await Changed("cable", plan.Change(user.Scope().CompanyId, jobId, changed, cancel), async () => (await Planned(jobId, user, jobs, plan)).Cables.FirstOrDefault(c => c.CableId == id));
    }

    /// <summary>A jumper is as long as it is ordered.</summary>
    private static double Length(double? lengthM, double? orderedLengthMm) => orderedLengthMm is { } mm ? mm / 1000 : lengthM!.Value;

    private static void Check(Cable c) =>
        Plans.CheckCable(c.Construction, c.StrandCount, c.LengthM, c.SlackAMm, c.SlackBMm, c.Lay(), c.Connections, c.Splices, c.DiameterMm, c.OrderedLengthMm, c.OrderedToleranceMm);

    private static async Task<Made> AddModule(JobId jobId, ModuleFields r, ClaimsPrincipal user, Store.Jobs jobs, Store.Plan plan, CancellationToken cancel)
    {
        var module = Module(await Planned(jobId, user, jobs, plan, cancel), ModuleId.New(), r);
        await plan.Add(user.Scope().CompanyId, jobId, module, cancel);
        return new(module.ModuleId.Value);
    }

    private static async Task<Module> ChangeModule(JobId jobId, ModuleId id, ModuleFields r, ClaimsPrincipal user, Store.Jobs jobs, Store.Plan plan, CancellationToken cancel) =>
        await Changed("module", plan.Change(user.Scope().CompanyId, jobId, Module(await Planned(jobId, user, jobs, plan, cancel), id, r), cancel),
            async () => (await Planned(jobId, user, jobs, plan)).Modules.FirstOrDefault(m => m.ModuleId == id));

    private static Module Module(Layout at, ModuleId id, ModuleFields r)
    {
        new Input().Require(r.PanelId is null || at.Panels.Any(p => p.PanelId == r.PanelId), Refusal.Of("panel-unknown", "panelId")).ThrowIfBad();
        return new(id, r.PanelId, r.Code.Trim(), r.FiberClass, r.Fibers, r.RearForm, r.FrontForm, r.LossDb, r.Version ?? 1);
    }

    private static async Task<Made> AddCord(JobId jobId, CordFields r, ClaimsPrincipal user, Store.Jobs jobs, Store.Plan plan, CancellationToken cancel)
    {
        await Planned(jobId, user, jobs, plan, cancel);
        var cord = Cord(CordId.New(), r);
        await plan.Add(user.Scope().CompanyId, jobId, cord, cancel);
        return new(cord.CordId.Value);
    }

    private static async Task<Cord> ChangeCord(JobId jobId, CordId id, CordFields r, ClaimsPrincipal user, Store.Jobs jobs, Store.Plan plan, CancellationToken cancel)
    {
        await Planned(jobId, user, jobs, plan, cancel);
        return await Changed("cord", plan.Change(user.Scope().CompanyId, jobId, Cord(id, r), cancel), async () => (await Planned(jobId, user, jobs, plan)).Cords.FirstOrDefault(c => c.CordId == id));
    }

    private static Cord Cord(CordId id, CordFields r) => new(id, r.Code.Trim(), r.FiberClass, r.Fibers, r.FormA, r.PolishA, r.FormB, r.PolishB, r.LengthM, r.Version ?? 1);

    private static async Task<Made> AddChain(JobId jobId, ChainFields r, ClaimsPrincipal user, Store.Jobs jobs, Store.Plan plan, CancellationToken cancel)
    {
        var chain = Chain(await Planned(jobId, user, jobs, plan, cancel), ChainId.New(), r);
        await plan.Add(user.Scope().CompanyId, jobId, chain, cancel);
        return new(chain.ChainId.Value);
    }

    private static async Task<Chain> ChangeChain(JobId jobId, ChainId id, ChainFields r, ClaimsPrincipal user, Store.Jobs jobs, Store.Plan plan, CancellationToken cancel) =>
        await Changed("chain", plan.Change(user.Scope().CompanyId, jobId, Chain(await Planned(jobId, user, jobs, plan, cancel), id, r), cancel),
            async () => (await Planned(jobId, user, jobs, plan)).Chains.FirstOrDefault(c => c.ChainId == id));

    private static Chain Chain(Layout at, ChainId id, ChainFields r)
    {
        int? FibersOf(ChainPart p) => p.Kind switch
        {
            ChainPartKind.Cable => at.Cables.FirstOrDefault(c => c.CableId == p.Id.As<Ids.Cable>())?.StrandCount,
            ChainPartKind.Module => at.Modules.FirstOrDefault(m => m.ModuleId == p.Id.As<Ids.Module>())?.Fibers,
            _ => at.Cords.FirstOrDefault(c => c.CordId == p.Id.As<Ids.Cord>())?.Fibers,
        };
        return Chains.Faults(r.Parts, FibersOf).ToList() is { Count: > 0 } faults ? throw new RefusedException(faults) : new(id, r.Code.Trim(), r.Parts, r.Version ?? 1);
    }

    private static async Task<EndsMade> AddEnds(JobId jobId, NewEnds r, ClaimsPrincipal user, Store.Jobs jobs, Store.Plan plan, Methods methods, Documents documents, CancellationToken cancel)
    {
        var at = await Planned(jobId, user, jobs, plan, cancel);
        var cable = at.Cables.FirstOrDefault(c => c.CableId == r.CableId) ?? throw new ApiException(400, Refusal.Of("cable-unknown", "cableId"));
        new Input()
            .Require(r.FromStrand >= 1 && r.FromStrand <= cable.StrandCount, Refusal.Of("strand-range", "fromStrand", ("strands", cable.StrandCount)))
            .Require(r.ToStrand >= r.FromStrand && r.ToStrand <= cable.StrandCount, Refusal.Of("strand-range", "toStrand", ("from", r.FromStrand), ("strands", cable.StrandCount)))
            .Require(r.Form != ConnectorForm.MPO || Strands.WholeUnits(r.FromStrand, r.ToStrand), Refusal.Of("mpo-whole-ribbon", "fromStrand"))
            .Require(r.PanelId is not null || cable.OrderedLengthMm is not null, Refusal.Of("panel-missing", "panelId"))
            .Require(r.PanelId is null || r.FirstPort is >= 1, Refusal.Of("port-range", "firstPort")).ThrowIfBad();
        var panel = PanelOf(at, r.PanelId);
        var count = r.ToStrand - r.FromStrand + 1;
        if (panel is not null)
        {
            var lastPort = Plans.PortFor(r.Form, r.FirstPort!.Value, count - 1).Port;
            new Input().Require(lastPort <= panel.Ports, Refusal.Of("row-too-long", "firstPort", ("lastPort", lastPort), ("panel", panel.Code), ("ports", panel.Ports))).ThrowIfBad();
        }

        var procedure = await Procedure(user.Scope().CompanyId, new(r.Form, r.Polish, r.Mode, r.Method, r.StubClass), cable, panel, r.ProcedureId, methods, documents, cancel);
        var ends = Enumerable.Range(0, count).Select(i =>
        {
            var (port, position) = panel is null ? (r.FromStrand + i, r.Side == CableSide.A ? 1 : 2) : Plans.PortFor(r.Form, r.FirstPort!.Value, i);
            return new PlannedEnd(EndId.New(), r.CableId, r.FromStrand + i, r.Side, r.PanelId, port, position,
                r.Form, r.Polish, r.Mode, r.Method, r.StubClass, procedure?.Id, procedure?.Version, 1);
        }).ToList();
        await plan.Add(user.Scope().CompanyId, jobId, ends, cancel);
        return new([.. ends.Select(e => e.EndId)], procedure?.Id, procedure is not null ? []
            : Fitting.Nearest((await methods.Rules(user.Scope().CompanyId, cancel)).Newest, new(r.Form, r.Polish, r.Mode, r.Method, r.StubClass), new(cable.FiberClass, cable.Construction)));
    }

    private static async Task<PlannedEnd> ChangeEnd(JobId jobId, EndId id, EndChange r, ClaimsPrincipal user, Store.Jobs jobs, Store.Plan plan, Methods methods, Documents documents, CancellationToken cancel)
    {
        var company = user.Scope().CompanyId;
        var at = await Planned(jobId, user, jobs, plan, cancel);
        var end = await plan.End(company, jobId, id, cancel) ?? throw new ApiException(404, Refusal.Of("not-found-here", "id", ("what", "end")));
        var (cable, panel) = (at.Cables.First(c => c.CableId == end.CableId), PanelOf(at, end.PanelId));
        new Input()
            .Require(r.Port is null || panel is not null, Refusal.Of("port-without-panel", "port"))
            .Require(r.Port is null || (r.Port >= 1 && r.Port <= panel?.Ports), Refusal.Of("port-range", "port", ("ports", panel?.Ports ?? 0)))
            .Require((r.Form == ConnectorForm.MPO) == (end.Form == ConnectorForm.MPO), Refusal.Of("mpo-needs-ribbon", "form")).ThrowIfBad();
        var procedure = await Procedure(company, new(r.Form, r.Polish, r.Mode, r.Method, r.StubClass), cable, panel, r.ProcedureId, methods, documents, cancel);
        if (await plan.Worked(company, id, cancel))
        {
            throw new ApiException(409, Refusal.Of("worked", "id"));
        }

        return await Changed("end", plan.Change(company, jobId, end with
        {
            Port = r.Port ?? end.Port,
            Form = r.Form,
            Polish = r.Polish,
            Mode = r.Mode,
            Method = r.Method,
            StubClass = r.StubClass,
            ProcedureId = procedure?.Id,
            ProcedureVersion = procedure?.Version,
            Version = r.Version,
        }, cancel), () => plan.End(company, jobId, id));
    }

    /// <summary>The planned ends of a row: those that may still be changed, and the strands of the others.</summary>
    private static async Task<(Cable Cable, IReadOnlyList<PlannedEnd> Free, IReadOnlyList<int> Worked)> Row(CompanyId company, JobId jobId, Layout at, EndsRow r, Store.Plan plan, CancellationToken cancel)
    {
        var cable = at.Cables.FirstOrDefault(c => c.CableId == r.CableId) ?? throw new ApiException(400, Refusal.Of("cable-unknown", "cableId"));
        new Input()
            .Require(r.FromStrand >= 1 && r.FromStrand <= cable.StrandCount, Refusal.Of("strand-range", "fromStrand", ("strands", cable.StrandCount)))
            .Require(r.ToStrand >= r.FromStrand && r.ToStrand <= cable.StrandCount, Refusal.Of("strand-range", "toStrand", ("from", r.FromStrand), ("strands", cable.StrandCount))).ThrowIfBad();
        var ends = await plan.Row(company, jobId, r.CableId, r.Side, r.FromStrand, r.ToStrand, cancel);
        new Input().Require(ends.Count > 0, Refusal.Of("no-ends-there", "fromStrand")).ThrowIfBad();
        var worked = await plan.WorkedOf(company, [.. ends.Select(e => e.EndId)], cancel);
        return (cable, [.. ends.Where(e => !worked.Contains(e.EndId))], [.. ends.Where(e => worked.Contains(e.EndId)).Select(e => e.Strand)]);
    }

    private static async Task<EndsDone> ChangeEnds(JobId jobId, EndsChange r, ClaimsPrincipal user, Store.Jobs jobs, Store.Plan plan, Methods methods, Documents documents, CancellationToken cancel)
    {
        var company = user.Scope().CompanyId;
        var at = await Planned(jobId, user, jobs, plan, cancel);
        var (cable, free, worked) = await Row(company, jobId, at, new(r.CableId, r.Side, r.FromStrand, r.ToStrand), plan, cancel);
        new Input().Require(r.PanelId is null == r.FirstPort is null, Refusal.Of("port-range", "firstPort")).Require(r.FirstPort is null or >= 1, Refusal.Of("port-range", "firstPort"))
            .Require(free.All(e => r.Form is null || (r.Form == ConnectorForm.MPO) == (e.Form == ConnectorForm.MPO)), Refusal.Of("mpo-needs-ribbon", "form"))
            .Require(r.PanelId is null || free.All(e => e.Form != ConnectorForm.MPO) || (worked.Count == 0 && Strands.WholeUnits(r.FromStrand, r.ToStrand)), Refusal.Of("mpo-whole-ribbon", "fromStrand")).ThrowIfBad();
        var moved = PanelOf(at, r.PanelId);
        // Many of a row are alike: each kind of connector is asked for once.
        var procedures = new Dictionary<(ConnectorSpec, PanelId?), ProcedureDocument?>();
        var changed = new List<PlannedEnd>();
        foreach (var (e, i) in free.Select((e, i) => (e, i)))
        {
            var (form, method, panel) = (r.Form ?? e.Form, r.Method ?? e.Method, moved ?? PanelOf(at, e.PanelId));
            var connector = new ConnectorSpec(form, r.Polish ?? e.Polish, r.Mode ?? e.Mode, method, r.StubClass ?? (r.Method is null || r.Method == e.Method ? e.StubClass : null));
            if (!procedures.TryGetValue((connector, panel?.PanelId), out var procedure))
            {
                procedures[(connector, panel?.PanelId)] = procedure = await Procedure(company, connector, cable, panel, r.ProcedureId, methods, documents, cancel);
            }

            var (port, position) = moved is null ? (e.Port, e.Position) : Plans.PortFor(form, r.FirstPort!.Value, i);
            new Input().Require(moved is null || port <= moved.Ports, Refusal.Of("row-too-long", "firstPort", ("lastPort", Plans.PortFor(form, r.FirstPort ?? 1, free.Count - 1).Port), ("panel", moved?.Code ?? ""), ("ports", moved?.Ports ?? 0))).ThrowIfBad();
            changed.Add(e with
            {
                PanelId = panel?.PanelId,
                Port = port,
                Position = position,
                Form = form,
                Polish = connector.Polish,
                Mode = connector.Mode,
                Method = method,
                StubClass = connector.StubClass,
                ProcedureId = procedure?.Id,
                ProcedureVersion = procedure?.Version,
            });
        }

        if (!await plan.Change(company, jobId, changed, cancel))
        {
            throw new ApiException(409, Refusal.Of("changed-meanwhile", "fromStrand", ("what", "end")));
        }

        return new(changed.Count, worked);
    }

    private static async Task<EndsDone> RemoveEnds(JobId jobId, EndsRow r, ClaimsPrincipal user, Store.Jobs jobs, Store.Plan plan, CancellationToken cancel)
    {
        var company = user.Scope().CompanyId;
        var (_, free, worked) = await Row(company, jobId, await Planned(jobId, user, jobs, plan, cancel), r, plan, cancel);
        return new(await plan.Remove(company, jobId, [.. free.Select(e => e.EndId)], cancel), worked);
    }

    private static Panel? PanelOf(Layout at, PanelId? panelId) => panelId is not { } id ? null
        : at.Panels.FirstOrDefault(p => p.PanelId == id) ?? throw new ApiException(400, Refusal.Of("panel-unknown", "panelId"));

    /// <summary>The procedure that a connector is made by: the one that was asked for, else the company's own before a shipped one; always its newest version. Null where none fits.</summary>
    /// <exception cref="RefusedException">The connector does not go on this cable, or into this panel.</exception>
    private static async Task<ProcedureDocument?> Procedure(CompanyId companyId, ConnectorSpec connector, Cable cable, Panel? panel, string? asked, Methods methods, Documents documents, CancellationToken cancel = default)
    {
        var cableSpec = new CableSpec(cable.FiberClass, cable.Construction);
        var against = Compatibility.Judge(connector, cableSpec, panel is null ? null : new PanelSpec(panel.AdapterForm, panel.Angled));
        if (against.Count > 0)
        {
            throw new RefusedException(against);
        }

        var rules = await methods.Rules(companyId, cancel);
        var fitting = Fitting.Of(rules.Newest, connector, cableSpec);
        new Input().Require(asked is null || fitting.Any(p => p.Id == asked), Refusal.Of("procedure-fit", "procedureId")).ThrowIfBad();
        return fitting.Where(p => asked is null || p.Id == asked).OrderBy(p => documents.Procedures.Any(s => s.Id == p.Id)).FirstOrDefault();
    }

    private static async Task Remove(JobId jobId, string what, Guid id, ClaimsPrincipal user, Store.Jobs jobs, Store.Plan plan, CancellationToken cancel)
    {
        await Planned(jobId, user, jobs, plan, cancel);
        new Input().Require(Store.Plan.Kinds.Contains(what), Refusal.Of("unknown-kind", "what", ("kinds", string.Join(", ", Store.Plan.Kinds)))).ThrowIfBad();
        if (!await plan.Remove(user.Scope().CompanyId, jobId, what, id, cancel))
        {
            throw new ApiException(409, Refusal.Of("not-removed", "id"));
        }
    }
}
