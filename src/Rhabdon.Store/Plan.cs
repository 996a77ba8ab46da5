using System.Text.Json;
using System.Text.Json.Serialization;
using Dapper;
using Npgsql;
using Rhabdon.Core;
using Rhabdon.Core.Connectors;
using Rhabdon.Core.Fiber;
using Rhabdon.Core.Planning;

namespace Rhabdon.Store;

/// <param name="Version">Rises with each change; a change says which one it was made on.</param>
public sealed record Space(SpaceId SpaceId, string Code, string Name, int Version);

/// <param name="Version">Rises with each change; a change says which one it was made on.</param>
/// <param name="ReachMm">From it to the bench.</param>
/// <param name="LoopTurns">Of the service loop that has to remain behind it.</param>
public sealed record Panel(PanelId PanelId, SpaceId SpaceId, string Code, int Ports, ConnectorForm AdapterForm, bool Angled, double ReachMm, int LoopTurns, int Version);

/// <param name="UnitSize">Strands that share one unit.</param>
/// <param name="ColourOrder">The colours in the order that strands and units count in.</param>
/// <param name="Connections">Mated pairs of a link through it, both ends mated.</param>
/// <param name="Splices">Known along the cable; those of pigtails come on top.</param>
/// <param name="DiameterMm">Outside, over the jacket; null where nobody said.</param>
/// <param name="OrderedLengthMm">For a jumper, which lands on no panel of this job: its length from ferrule to ferrule.</param>
/// <param name="OrderedToleranceMm">By how much that may differ, either way; null where nobody said, and then by nothing.</param>
/// <param name="Version">Rises with each change; a change says which one it was made on.</param>
public sealed record Cable(
    CableId CableId, string Code, FiberClass FiberClass, CableConstruction Construction, int StrandCount, double LengthM, double SlackAMm, double SlackBMm,
    int UnitSize, IReadOnlyList<StrandColour> ColourOrder, int Connections, int Splices, double? DiameterMm, double? OrderedLengthMm, double? OrderedToleranceMm, int Version)
{
    public StrandLay Lay() => new(UnitSize, ColourOrder);
}

/// <summary>What of one side of a cable lands on one panel, or on none.</summary>
public sealed record Landing(CableId CableId, CableSide Side, PanelId? PanelId, int Ends, int Accepted, IReadOnlyList<int> Strands, IReadOnlyList<int> Ports);

/// <summary>Side A or B of a cable.</summary>
public enum CableSide
{
    [JsonStringEnumMemberName("A")] A,
    [JsonStringEnumMemberName("B")] B,
}

/// <param name="PanelId">Null where it needs none, as on a jumper: its port is then its strand, its position its side.</param>
public sealed record PlannedEnd(
    EndId EndId, CableId CableId, int Strand, CableSide Side, PanelId? PanelId, int Port, int Position,
    ConnectorForm Form, Polish Polish, FiberMode Mode, TerminationMethod Method, FiberClass? StubClass, string? ProcedureId, int? ProcedureVersion, int Version);

/// <summary>A box with a rear and a front: what comes in on one multifiber connector, goes out on many.</summary>
/// <param name="PanelId">Where it is mounted; null where nobody said.</param>
/// <param name="LossDb">The most that its maker's sheet allows it to lose; null where nobody said.</param>
public sealed record Module(ModuleId ModuleId, PanelId? PanelId, string Code, FiberClass FiberClass, int Fibers, ConnectorForm RearForm, ConnectorForm FrontForm, double? LossDb, int Version);

/// <summary>A cord that is bought made.</summary>
public sealed record Cord(CordId CordId, string Code, FiberClass FiberClass, int Fibers, ConnectorForm FormA, Polish PolishA, ConnectorForm FormB, Polish PolishB, double LengthM, int Version);

/// <summary>What the light passes from one end of a channel to the other.</summary>
public sealed record Chain(ChainId ChainId, string Code, IReadOnlyList<ChainPart> Parts, int Version);

/// <summary>All that is planned in a job beside its ends.</summary>
public sealed record Layout(
    IReadOnlyList<Space> Spaces, IReadOnlyList<Panel> Panels, IReadOnlyList<Cable> Cables, IReadOnlyList<Module> Modules, IReadOnlyList<Cord> Cords, IReadOnlyList<Chain> Chains);

/// <summary>What is planned in a job. Each row has a version; a change that was made on an older one changes nothing.</summary>
public sealed class Plan(NpgsqlDataSource db, Methods methods)
{
    public async Task<Layout> Layout(CompanyId companyId, JobId jobId, CancellationToken cancel = default)
    {
        await using var c = await db.OpenConnectionAsync(cancel);
        await using var q = await c.Several(cancel, """
            select space_id, code, name, version from space where company_id = @companyId and job_id = @jobId order by code;
            select panel_id, space_id, code, ports, adapter_form, angled, reach_mm, loop_turns, version from panel where company_id = @companyId and job_id = @jobId order by code;
            select cable_id, code, fiber_class, construction, strand_count, length_m, slack_a_mm, slack_b_mm, unit_size, colour_order, connections, splices, diameter_mm, ordered_length_mm, ordered_tolerance_mm, version
            from cable where company_id = @companyId and job_id = @jobId order by code;
            select module_id, panel_id, code, fiber_class, fibers, rear_form, front_form, loss_db, version from module where company_id = @companyId and job_id = @jobId order by code;
            select cord_id, code, fiber_class, fibers, form_a, polish_a, form_b, polish_b, length_m, version from cord where company_id = @companyId and job_id = @jobId order by code;
            select chain_id, code, parts::text as parts, version from chain where company_id = @companyId and job_id = @jobId order by code;
            """, new { companyId, jobId });
        return new(
            [.. await q.ReadAsync<Space>()], [.. await q.ReadAsync<Panel>()], [.. (await q.ReadAsync<CableRow>()).Select(r => r.Read())], [.. await q.ReadAsync<Module>()], [.. await q.ReadAsync<Cord>()],
            [.. (await q.ReadAsync<ChainRow>()).Select(r => new Chain(r.ChainId, r.Code, JsonSerializer.Deserialize<IReadOnlyList<ChainPart>>(r.Parts, Wire.Json)!, r.Version))]);
    }

    private sealed record CableRow(
        CableId CableId, string Code, FiberClass FiberClass, CableConstruction Construction, int StrandCount, double LengthM, double SlackAMm, double SlackBMm, int UnitSize, string ColourOrder,
        int Connections, int Splices, double? DiameterMm, double? OrderedLengthMm, double? OrderedToleranceMm, int Version)
    {
        public Cable Read() => new(
            CableId, Code, FiberClass, Construction, StrandCount, LengthM, SlackAMm, SlackBMm, UnitSize, Colours(ColourOrder), Connections, Splices, DiameterMm, OrderedLengthMm, OrderedToleranceMm, Version);
    }

    private sealed record ChainRow(ChainId ChainId, string Code, string Parts, int Version);

    /// <summary>A colour order as the database keeps it.</summary>
    internal static IReadOnlyList<StrandColour> Colours(string order) => [.. order.Split(',').Select(Enum.Parse<StrandColour>)];

    private async Task<bool> Write(string sql, object row, object more, CancellationToken cancel)
    {
        var args = new DynamicParameters(row);
        args.AddDynamicParams(more);
        await using var c = await db.OpenConnectionAsync(cancel);
        return await c.Run(cancel, sql, args) == 1;
    }

    public Task Add(CompanyId companyId, JobId jobId, Space s, CancellationToken cancel = default) =>
        Write("insert into space (company_id, space_id, job_id, code, name) values (@companyId, @SpaceId, @jobId, @Code, @Name)", s, new { companyId, jobId }, cancel);

    /// <returns>False when it has changed since the version that the change was made on.</returns>
    public Task<bool> Change(CompanyId companyId, JobId jobId, Space s, CancellationToken cancel = default) => Write("""
        update space set code = @Code, name = @Name, version = version + 1 where company_id = @companyId and job_id = @jobId and space_id = @SpaceId and version = @Version
        """, s, new { companyId, jobId }, cancel);

    public Task Add(CompanyId companyId, JobId jobId, Panel p, CancellationToken cancel = default) => Write("""
        insert into panel (company_id, panel_id, job_id, space_id, code, ports, adapter_form, angled, reach_mm, loop_turns)
        select company_id, @PanelId, job_id, space_id, @Code, @Ports, @form, @Angled, @ReachMm, @LoopTurns
        from space where company_id = @companyId and job_id = @jobId and space_id = @SpaceId
        """, p, new { companyId, jobId, form = p.AdapterForm.ToString() }, cancel);

    /// <returns>False when it has changed since the version that the change was made on.</returns>
    public Task<bool> Change(CompanyId companyId, JobId jobId, Panel p, CancellationToken cancel = default) => Write("""
        update panel set space_id = @SpaceId, code = @Code, ports = @Ports, adapter_form = @form, angled = @Angled, reach_mm = @ReachMm, loop_turns = @LoopTurns, version = version + 1
        where company_id = @companyId and job_id = @jobId and panel_id = @PanelId and version = @Version
        """, p, new { companyId, jobId, form = p.AdapterForm.ToString() }, cancel);

    /// <summary>The highest port of a panel that is taken, and what lands on it.</summary>
    public async Task<(int Port, IReadOnlyList<(ConnectorForm Form, Polish Polish)> Landing)> Taken(CompanyId companyId, PanelId panelId, CancellationToken cancel = default)
    {
        await using var c = await db.OpenConnectionAsync(cancel);
        var rows = (await c.Query<(int Port, ConnectorForm Form, Polish Polish)>(cancel,
            "select max(port) as port, form, polish from cable_end where company_id = @companyId and panel_id = @panelId group by form, polish", new { companyId, panelId })).ToList();
        return (rows.Select(r => r.Port).DefaultIfEmpty(0).Max(), [.. rows.Select(r => (r.Form, r.Polish))]);
    }

    public Task Add(CompanyId companyId, JobId jobId, Cable x, CancellationToken cancel = default) => Write("""
        insert into cable (company_id, cable_id, job_id, code, fiber_class, construction, strand_count, length_m, slack_a_mm, slack_b_mm, unit_size, colour_order, connections, splices, diameter_mm, ordered_length_mm, ordered_tolerance_mm)
        values (@companyId, @CableId, @jobId, @Code, @fiberClass, @construction, @StrandCount, @LengthM, @SlackAMm, @SlackBMm, @UnitSize, @order, @Connections, @Splices, @DiameterMm, @OrderedLengthMm, @OrderedToleranceMm)
        """, new { x.CableId, x.Code, x.StrandCount, x.LengthM, x.SlackAMm, x.SlackBMm, x.UnitSize, x.Connections, x.Splices, x.DiameterMm, x.OrderedLengthMm, x.OrderedToleranceMm },
        new { companyId, jobId, fiberClass = x.FiberClass.ToString(), construction = x.Construction.ToString(), order = string.Join(',', x.ColourOrder) }, cancel);

    /// <summary>Changes what a cable's ends and links are judged by. What was judged before stays as it was.</summary>
    /// <returns>False when the cable has changed since the version that the change was made on.</returns>
    public async Task<bool> Change(CompanyId companyId, JobId jobId, Cable x, CancellationToken cancel = default) => await Write("""
        update cable set length_m = @LengthM, slack_a_mm = @SlackAMm, slack_b_mm = @SlackBMm, connections = @Connections, splices = @Splices,
            diameter_mm = @DiameterMm, ordered_length_mm = @OrderedLengthMm, ordered_tolerance_mm = @OrderedToleranceMm, version = version + 1
        where company_id = @companyId and job_id = @jobId and cable_id = @CableId and version = @Version
        """, new { x.CableId, x.LengthM, x.SlackAMm, x.SlackBMm, x.Connections, x.Splices, x.DiameterMm, x.OrderedLengthMm, x.OrderedToleranceMm, x.Version }, new { companyId, jobId }, cancel)
        && await Stand(companyId, "cable_id = @CableId", new { companyId, x.CableId }, cancel);

    public Task Add(CompanyId companyId, JobId jobId, Module m, CancellationToken cancel = default) => Write("""
        insert into module (company_id, module_id, job_id, panel_id, code, fiber_class, fibers, rear_form, front_form, loss_db)
        values (@companyId, @ModuleId, @jobId, @PanelId, @Code, @fiberClass, @Fibers, @rear, @front, @LossDb)
        """, new { m.ModuleId, m.PanelId, m.Code, m.Fibers, m.LossDb }, new { companyId, jobId, fiberClass = m.FiberClass.ToString(), rear = m.RearForm.ToString(), front = m.FrontForm.ToString() }, cancel);

    /// <returns>False when it has changed since the version that the change was made on.</returns>
    public Task<bool> Change(CompanyId companyId, JobId jobId, Module m, CancellationToken cancel = default) => Write("""
        update module set panel_id = @PanelId, code = @Code, fiber_class = @fiberClass, fibers = @Fibers, rear_form = @rear, front_form = @front, loss_db = @LossDb, version = version + 1
        where company_id = @companyId and job_id = @jobId and module_id = @ModuleId and version = @Version
        """, new { m.ModuleId, m.PanelId, m.Code, m.Fibers, m.LossDb, m.Version }, new { companyId, jobId, fiberClass = m.FiberClass.ToString(), rear = m.RearForm.ToString(), front = m.FrontForm.ToString() }, cancel);

    public Task Add(CompanyId companyId, JobId jobId, Cord x, CancellationToken cancel = default) => Write("""
        insert into cord (company_id, cord_id, job_id, code, fiber_class, fibers, form_a, polish_a, form_b, polish_b, length_m)
        values (@companyId, @CordId, @jobId, @Code, @fiberClass, @Fibers, @formA, @polishA, @formB, @polishB, @LengthM)
        """, new { x.CordId, x.Code, x.Fibers, x.LengthM }, Words(companyId, jobId, x), cancel);

    /// <returns>False when it has changed since the version that the change was made on.</returns>
    public Task<bool> Change(CompanyId companyId, JobId jobId, Cord x, CancellationToken cancel = default) => Write("""
        update cord set code = @Code, fiber_class = @fiberClass, fibers = @Fibers, form_a = @formA, polish_a = @polishA, form_b = @formB, polish_b = @polishB, length_m = @LengthM, version = version + 1
        where company_id = @companyId and job_id = @jobId and cord_id = @CordId and version = @Version
        """, new { x.CordId, x.Code, x.Fibers, x.LengthM, x.Version }, Words(companyId, jobId, x), cancel);

    private static object Words(CompanyId companyId, JobId jobId, Cord x) => new
    {
        companyId,
        jobId,
        fiberClass = x.FiberClass.ToString(),
        formA = x.FormA.ToString(),
        polishA = x.PolishA.ToString(),
        formB = x.FormB.ToString(),
        polishB = x.PolishB.ToString(),
    };

    public Task Add(CompanyId companyId, JobId jobId, Chain x, CancellationToken cancel = default) => Write(
        "insert into chain (company_id, chain_id, job_id, code, parts) values (@companyId, @ChainId, @jobId, @Code, @parts::jsonb)",
        new { x.ChainId, x.Code }, new { companyId, jobId, parts = JsonSerializer.Serialize(x.Parts, Wire.Json) }, cancel);

    /// <returns>False when it has changed since the version that the change was made on.</returns>
    public Task<bool> Change(CompanyId companyId, JobId jobId, Chain x, CancellationToken cancel = default) => Write("""
        update chain set code = @Code, parts = @parts::jsonb, version = version + 1 where company_id = @companyId and job_id = @jobId and chain_id = @ChainId and version = @Version
        """, new { x.ChainId, x.Code, x.Version }, new { companyId, jobId, parts = JsonSerializer.Serialize(x.Parts, Wire.Json) }, cancel);

    /// <summary>Plans ends. They are the job's crew's to work until they are assigned to others.</summary>
    public async Task Add(CompanyId companyId, JobId jobId, IReadOnlyList<PlannedEnd> ends, CancellationToken cancel = default)
    {
        await using var c = await db.OpenConnectionAsync(cancel);
        await using var t = await c.BeginTransactionAsync(cancel);
        await c.Run(cancel, """
            insert into cable_end (company_id, end_id, job_id, cable_id, strand, side, panel_id, port, position, form, polish, mode, method, stub_class, procedure_id, procedure_version, crew_id)
            select company_id, @EndId, job_id, @CableId, @Strand, @Side, @PanelId, @Port, @Position, @Form, @Polish, @Mode, @Method, @StubClass, @ProcedureId, @ProcedureVersion, crew_id
            from job where company_id = @companyId and job_id = @jobId
            """, ends.Select(e => Words(companyId, jobId, e)), t);
        await c.Run(cancel, "insert into assigned (company_id, end_id, since, crew_id) select company_id, end_id, '-infinity', crew_id from cable_end where company_id = @companyId and end_id = any(@ids)",
            new { companyId, ids = ends.Select(e => e.EndId).ToArray() }, t);
        await NearlyOut.Stand(c, t, companyId, [.. ends.Select(e => e.EndId)], await methods.Rules(c, t, companyId, cancel), cancel);
        await Jobs.Stand(c, t, companyId, [jobId], cancel);
        await t.CommitAsync(cancel);
    }

    private static object Words(CompanyId companyId, JobId jobId, PlannedEnd e) => new
    {
        companyId,
        jobId,
        e.EndId,
        e.CableId,
        e.Strand,
        Side = e.Side.ToString(),
        e.PanelId,
        e.Port,
        e.Position,
        Form = e.Form.ToString(),
        Polish = e.Polish.ToString(),
        Mode = e.Mode.ToString(),
        Method = e.Method.ToString(),
        StubClass = e.StubClass?.ToString(),
        e.ProcedureId,
        e.ProcedureVersion,
        e.Version,
    };

    /// <summary>One end as it is planned; null where this job has none such.</summary>
    public async Task<PlannedEnd?> End(CompanyId companyId, JobId jobId, EndId endId, CancellationToken cancel = default)
    {
        await using var c = await db.OpenConnectionAsync(cancel);
        return await c.One<PlannedEnd>(cancel, """
            select end_id, cable_id, strand, side, panel_id, port, position, form, polish, mode, method, stub_class, procedure_id, procedure_version, version
            from cable_end where company_id = @companyId and job_id = @jobId and end_id = @endId
            """, new { companyId, jobId, endId });
    }

    private sealed record LandingRow(CableId CableId, CableSide Side, PanelId? PanelId, long Ends, long Accepted, string Strands, string Ports);

    /// <summary>Where the strands of a job's cables land, each side of a cable on each panel.</summary>
    public async Task<IReadOnlyList<Landing>> Landings(CompanyId companyId, JobId jobId, CancellationToken cancel = default)
    {
        await using var c = await db.OpenConnectionAsync(cancel);
        return [.. (await c.Query<LandingRow>(cancel, """
            select e.cable_id, e.side, e.panel_id, count(*) as ends, count(*) filter (where s.status = 'Accepted') as accepted, string_agg(e.strand::text, ',') as strands, string_agg(distinct e.port::text, ',') as ports
            from cable_end e left join end_state s on s.company_id = e.company_id and s.end_id = e.end_id
            where e.company_id = @companyId and e.job_id = @jobId group by 1, 2, 3 order by 1, 2, 3
            """, new { companyId, jobId })).Select(r => new Landing(r.CableId, r.Side, r.PanelId, (int)r.Ends, (int)r.Accepted, Numbers(r.Strands), Numbers(r.Ports)))];

        static IReadOnlyList<int> Numbers(string list) => [.. list.Split(',').Select(int.Parse)];
    }

    /// <summary>The planned ends of one side of a row of a cable's strands, in their order.</summary>
    public async Task<IReadOnlyList<PlannedEnd>> Row(CompanyId companyId, JobId jobId, CableId cableId, CableSide side, int fromStrand, int toStrand, CancellationToken cancel = default)
    {
        await using var c = await db.OpenConnectionAsync(cancel);
        return [.. await c.Query<PlannedEnd>(cancel, """
            select end_id, cable_id, strand, side, panel_id, port, position, form, polish, mode, method, stub_class, procedure_id, procedure_version, version
            from cable_end where company_id = @companyId and job_id = @jobId and cable_id = @cableId and side = @side and strand between @fromStrand and @toStrand order by strand
            """, new { companyId, jobId, cableId, side = side.ToString(), fromStrand, toStrand })];
    }

    /// <summary>Which of these ends the ledger knows something of.</summary>
    public async Task<IReadOnlySet<EndId>> WorkedOf(CompanyId companyId, EndId[] endIds, CancellationToken cancel = default)
    {
        await using var c = await db.OpenConnectionAsync(cancel);
        return (await c.Query<EndId>(cancel, "select e from unnest(@endIds) as e where exists (select 1 from ledger l where l.company_id = @companyId and l.stream_id = e)", new { companyId, endIds })).ToHashSet();
    }

    /// <summary>Changes what is planned of a row of ends, all of them or none.</summary>
    /// <returns>False when one of them has changed since it was read, or was worked meanwhile.</returns>
    public async Task<bool> Change(CompanyId companyId, JobId jobId, IReadOnlyList<PlannedEnd> ends, CancellationToken cancel = default)
    {
        await using var c = await db.OpenConnectionAsync(cancel);
        await using var t = await c.BeginTransactionAsync(cancel);
        var ids = ends.Select(e => e.EndId).ToArray();
        // Out of each other's way first: a row that moves by one port lands on its own.
        await c.Run(cancel, "update cable_end set port = port + 1000000 where company_id = @companyId and job_id = @jobId and end_id = any(@ids)", new { companyId, jobId, ids }, t);
        if (await c.Run(cancel, ChangeSql, ends.Select(e => Words(companyId, jobId, e)), t) != ends.Count)
        {
            return false;
        }

        await NearlyOut.Stand(c, t, companyId, [.. ids], await methods.Rules(c, t, companyId, cancel), cancel);
        await Jobs.Stand(c, t, companyId, [jobId], cancel);
        await t.CommitAsync(cancel);
        return true;
    }

    /// <summary>Takes ends out of the plan; one with a ledger stays.</summary>
    /// <returns>How many.</returns>
    public async Task<int> Remove(CompanyId companyId, JobId jobId, EndId[] ids, CancellationToken cancel = default)
    {
        await using var c = await db.OpenConnectionAsync(cancel);
        await using var t = await c.BeginTransactionAsync(cancel);
        var removed = await c.Run(cancel, RemoveSql.Replace("= @id", "= any(@ids)", StringComparison.Ordinal), new { companyId, jobId, ids }, t);
        await Jobs.Stand(c, t, companyId, [jobId], cancel);
        await t.CommitAsync(cancel);
        return removed;
    }

    private const string ChangeSql = """
        update cable_end e set panel_id = @PanelId, port = @Port, position = @Position, form = @Form, polish = @Polish, mode = @Mode, method = @Method, stub_class = @StubClass,
            procedure_id = @ProcedureId, procedure_version = @ProcedureVersion, version = version + 1
        where e.company_id = @companyId and e.job_id = @jobId and e.end_id = @EndId and e.version = @Version
          and not exists (select 1 from ledger l where l.company_id = e.company_id and l.stream_id = e.end_id)
        """;

    private const string RemoveSql = """
        delete from cable_end e where e.company_id = @companyId and e.job_id = @jobId and e.end_id = @id
          and not exists (select 1 from ledger l where l.company_id = e.company_id and l.stream_id = e.end_id)
        """;

    /// <summary>Changes what is planned of an end that nobody has worked yet.</summary>
    /// <returns>False when it has changed since the version that the change was made on, or was worked meanwhile.</returns>
    public async Task<bool> Change(CompanyId companyId, JobId jobId, PlannedEnd e, CancellationToken cancel = default) => await Write(ChangeSql, Words(companyId, jobId, e), new { }, cancel) && await Stand(companyId, "end_id = @EndId", new { companyId, e.EndId }, cancel);

    /// <summary>Works out again which of these ends are nearly out of slack.</summary>
    private async Task<bool> Stand(CompanyId companyId, string which, object args, CancellationToken cancel)
    {
        await using var c = await db.OpenConnectionAsync(cancel);
        var ends = await c.Query<EndId>(cancel, $"select end_id from cable_end where company_id = @companyId and {which}", args);
        await NearlyOut.Stand(c, null, companyId, [.. ends], await methods.Rules(c, null, companyId, cancel), cancel);
        return true;
    }

    /// <summary>The job that a panel belongs to; null where the company has none such.</summary>
    public async Task<JobId?> JobOf(CompanyId companyId, PanelId panelId, CancellationToken cancel = default)
    {
        await using var c = await db.OpenConnectionAsync(cancel);
        return await c.One<JobId?>(cancel, "select job_id from panel where company_id = @companyId and panel_id = @panelId", new { companyId, panelId });
    }

    /// <summary>True when the ledger knows something of it.</summary>
    public async Task<bool> Worked(CompanyId companyId, EndId endId, CancellationToken cancel = default)
    {
        await using var c = await db.OpenConnectionAsync(cancel);
        return await c.Scalar<bool>(cancel, "select exists (select 1 from ledger where company_id = @companyId and stream_id = @endId)", new { companyId, endId });
    }

    public static readonly IReadOnlyList<string> Kinds = ["space", "panel", "cable", "module", "cord", "chain", "end"];

    /// <summary>Takes something out of the plan.</summary>
    /// <param name="what">One of <see cref="Kinds"/>.</param>
    /// <returns>False when it was not there. An end with a ledger stays.</returns>
    public async Task<bool> Remove(CompanyId companyId, JobId jobId, string what, Guid id, CancellationToken cancel = default)
    {
        var sql = what switch
        {
            "space" => "delete from space where company_id = @companyId and job_id = @jobId and space_id = @id",
            "panel" => "delete from panel where company_id = @companyId and job_id = @jobId and panel_id = @id",
            "cable" => "delete from cable where company_id = @companyId and job_id = @jobId and cable_id = @id",
            "module" => "delete from module where company_id = @companyId and job_id = @jobId and module_id = @id",
            "cord" => "delete from cord where company_id = @companyId and job_id = @jobId and cord_id = @id",
            "chain" => "delete from chain where company_id = @companyId and job_id = @jobId and chain_id = @id",
            _ => RemoveSql,
        };
        await using var c = await db.OpenConnectionAsync(cancel);
        await using var t = await c.BeginTransactionAsync(cancel);
        var removed = await c.Run(cancel, sql, new { companyId, jobId, id }, t) == 1;
        await Jobs.Stand(c, t, companyId, [jobId], cancel);
        await t.CommitAsync(cancel);
        return removed;
    }
}
