using System.Text.Json.Serialization;
using Dapper;
using Npgsql;
using Rhabdon.Core.Connectors;
using Rhabdon.Core.Fiber;

namespace Rhabdon.Store;

/// <param name="DueOn">As in 2026-11-30.</param>
/// <param name="TimeZone">IANA name of the site's zone.</param>
/// <param name="Finished">Every planned end is accepted.</param>
/// <param name="Version">Rises with each change; a change says which one it was made on.</param>
public sealed record Job(
    Guid JobId, string Customer, string Site, string TimeZone, string DueOn, string LimitSetId, Guid CrewId, string CrewName,
    long Ends, long Accepted, long NeedsDecision, long ToRemake, long AtBench, bool Finished, int Version);

public sealed record Space(Guid SpaceId, string Code, string Name);

public sealed record Panel(Guid PanelId, Guid SpaceId, string Code, int Ports, ConnectorForm AdapterForm, bool Angled);

/// <param name="UnitSize">Strands that share one unit.</param>
/// <param name="Connections">Mated pairs of a link through it, both ends mated.</param>
/// <param name="Splices">Known along the cable; those of pigtails come on top.</param>
/// <param name="Version">Rises with each change; a change says which one it was made on.</param>
/// <param name="ColourOrder">The colours in the order that strands and units count in.</param>
public sealed record Cable(
    Guid CableId, string Code, FiberClass FiberClass, CableConstruction Construction, int StrandCount, double LengthM, double SlackAMm, double SlackBMm,
    int UnitSize, IReadOnlyList<StrandColour> ColourOrder, int Connections, int Splices, int Version)
{
    public StrandLay Lay() => new(UnitSize, ColourOrder);
}

/// <summary>Side A or B of a cable.</summary>
public enum CableSide
{
    [JsonStringEnumMemberName("A")] A,
    [JsonStringEnumMemberName("B")] B,
}

public sealed record PlannedEnd(
    Guid EndId, Guid CableId, int Strand, CableSide Side, Guid PanelId, int Port, int Position,
    ConnectorForm Form, Polish Polish, FiberMode Mode, TerminationMethod Method, FiberClass? StubClass, string? ProcedureId, int? ProcedureVersion);

/// <summary>Jobs and what is planned in them: spaces, panels, cables, ends.</summary>
public sealed class Jobs(NpgsqlDataSource db)
{
    private const string JobColumns = """
        j.job_id, j.customer, j.site, j.time_zone, to_char(j.due_on, 'YYYY-MM-DD') as due_on, j.limit_set_id, j.crew_id, w.name as crew_name,
        (select count(*) from cable_end e where e.company_id = j.company_id and e.job_id = j.job_id) as ends,
        coalesce(s.accepted, 0) as accepted, coalesce(s.needs_decision, 0) as needs_decision, coalesce(s.to_remake, 0) as to_remake, coalesce(s.at_bench, 0) as at_bench, not j.is_open as finished, j.version
        """;

    private const string JobFacts = """
        join crew w on w.company_id = j.company_id and w.crew_id = j.crew_id
        left join lateral (
            select count(*) filter (where es.status = 'Accepted') as accepted, count(*) filter (where es.status = 'NeedsDecision') as needs_decision,
                   count(*) filter (where es.status = 'ToRemake') as to_remake, count(*) filter (where es.status = 'AtBench') as at_bench
            from end_state es where es.company_id = j.company_id and es.job_id = j.job_id) s on true
        """;

    public const string FindSql = $"""
        select {JobColumns} from job j {JobFacts} where j.company_id = @CompanyId and j.job_id = @jobId and {Scope.SeesJob}
        """;

    /// <summary>All jobs: open ones before finished ones, newest due first. Keyset paging: <paramref name="after"/> is the last job of the page before.</summary>
    /// <param name="find">Part of the customer's or the site's name; null takes all.</param>
    public async Task<IReadOnlyList<Job>> List(Scope scope, string? find, Guid? after, int limit)
    {
        await using var c = await db.OpenConnectionAsync();
        return [.. await c.QueryAsync<Job>($"""
            select {JobColumns}
            from (select j.* from job j
                  where j.company_id = @CompanyId and {Scope.SeesJob}
                    and (@find::text is null or strpos(lower(j.customer || ' ' || j.site), lower(@find)) > 0)
                    and (@after::uuid is null or (j.is_open, j.due_on, j.job_id) < (select p.is_open, p.due_on, p.job_id from job p where p.company_id = @CompanyId and p.job_id = @after))
                  order by j.is_open desc, j.due_on desc, j.job_id desc limit @limit) j
            {JobFacts}
            order by j.is_open desc, j.due_on desc, j.job_id desc
            """, Params(scope, new { find, after, limit }))];
    }

    /// <summary>The work at hand: open jobs, the next one due first. Keyset paging as in <see cref="List"/>.</summary>
    public async Task<IReadOnlyList<Job>> AtHand(Scope scope, Guid? after, int limit)
    {
        await using var c = await db.OpenConnectionAsync();
        return [.. await c.QueryAsync<Job>($"""
            select {JobColumns}
            from (select j.* from job j
                  where j.company_id = @CompanyId and j.is_open and {Scope.SeesJob}
                    and (@after::uuid is null or (j.due_on, j.job_id) > (select p.due_on, p.job_id from job p where p.company_id = @CompanyId and p.job_id = @after))
                  order by j.due_on, j.job_id limit @limit) j
            {JobFacts}
            order by j.due_on, j.job_id
            """, Params(scope, new { after, limit }))];
    }

    public async Task<Job?> Find(Scope scope, Guid jobId)
    {
        await using var c = await db.OpenConnectionAsync();
        return await c.QuerySingleOrDefaultAsync<Job>(FindSql, Params(scope, new { jobId }));
    }

    public async Task Add(Guid companyId, Guid jobId, string customer, string site, string timeZone, string dueOn, string limitSetId, Guid crewId)
    {
        await using var c = await db.OpenConnectionAsync();
        await c.ExecuteAsync("""
            insert into job (company_id, job_id, customer, site, time_zone, due_on, limit_set_id, crew_id, created_at)
            values (@companyId, @jobId, @customer, @site, @timeZone, @dueOn::text::date, @limitSetId, @crewId, now())
            """, new { companyId, jobId, customer, site, timeZone, dueOn, limitSetId, crewId });
    }

    /// <returns>False when the job has changed since the version that the change was made on.</returns>
    public async Task<bool> Change(Guid companyId, Guid jobId, string customer, string site, string timeZone, string dueOn, string limitSetId, Guid crewId, int version)
    {
        await using var c = await db.OpenConnectionAsync();
        return await c.ExecuteAsync("""
            update job set customer = @customer, site = @site, time_zone = @timeZone, due_on = @dueOn::text::date, limit_set_id = @limitSetId, crew_id = @crewId, version = version + 1
            where company_id = @companyId and job_id = @jobId and version = @version
            """, new { companyId, jobId, customer, site, timeZone, dueOn, limitSetId, crewId, version }) == 1;
    }

    public async Task<IReadOnlyList<Guid>> Viewers(Guid companyId, Guid jobId)
    {
        await using var c = await db.OpenConnectionAsync();
        return [.. await c.QueryAsync<Guid>("select person_id from job_viewer where company_id = @companyId and job_id = @jobId", new { companyId, jobId })];
    }

    /// <summary>Names the people who may look at a job; only viewers of the company are taken.</summary>
    public async Task SetViewers(Guid companyId, Guid jobId, IReadOnlyList<Guid> personIds)
    {
        await using var c = await db.OpenConnectionAsync();
        await using var t = await c.BeginTransactionAsync();
        await c.ExecuteAsync("delete from job_viewer where company_id = @companyId and job_id = @jobId", new { companyId, jobId }, t);
        await c.ExecuteAsync("""
            insert into job_viewer (company_id, job_id, person_id)
            select company_id, @jobId, person_id from person where company_id = @companyId and role = 'Viewer' and person_id = any(@personIds)
            """, new { companyId, jobId, personIds = personIds.ToArray() }, t);
        await t.CommitAsync();
    }

    public async Task<(IReadOnlyList<Space> Spaces, IReadOnlyList<Panel> Panels, IReadOnlyList<Cable> Cables)> Layout(Guid companyId, Guid jobId)
    {
        await using var c = await db.OpenConnectionAsync();
        await using var q = await c.QueryMultipleAsync("""
            select space_id, code, name from space where company_id = @companyId and job_id = @jobId order by code;
            select panel_id, space_id, code, ports, adapter_form, angled from panel where company_id = @companyId and job_id = @jobId order by code;
            select cable_id, code, fiber_class, construction, strand_count, length_m, slack_a_mm, slack_b_mm, unit_size, colour_order, connections, splices, version
            from cable where company_id = @companyId and job_id = @jobId order by code;
            """, new { companyId, jobId });
        return ([.. await q.ReadAsync<Space>()], [.. await q.ReadAsync<Panel>()], [.. (await q.ReadAsync<CableRow>()).Select(r => r.Read())]);
    }

    private sealed record CableRow(
        Guid CableId, string Code, FiberClass FiberClass, CableConstruction Construction, int StrandCount, double LengthM, double SlackAMm, double SlackBMm, int UnitSize, string ColourOrder, int Connections, int Splices, int Version)
    {
        public Cable Read() => new(CableId, Code, FiberClass, Construction, StrandCount, LengthM, SlackAMm, SlackBMm, UnitSize, Colours(ColourOrder), Connections, Splices, Version);
    }

    /// <summary>A colour order as the database keeps it.</summary>
    internal static IReadOnlyList<StrandColour> Colours(string order) => [.. order.Split(',').Select(Enum.Parse<StrandColour>)];

    public async Task AddSpace(Guid companyId, Guid jobId, Space s)
    {
        await using var c = await db.OpenConnectionAsync();
        await c.ExecuteAsync("insert into space (company_id, space_id, job_id, code, name) values (@companyId, @SpaceId, @jobId, @Code, @Name)",
            new { companyId, jobId, s.SpaceId, s.Code, s.Name });
    }

    public async Task AddPanel(Guid companyId, Guid jobId, Panel p)
    {
        await using var c = await db.OpenConnectionAsync();
        await c.ExecuteAsync("""
            insert into panel (company_id, panel_id, job_id, space_id, code, ports, adapter_form, angled)
            select company_id, @PanelId, job_id, space_id, @Code, @Ports, @AdapterForm, @Angled
            from space where company_id = @companyId and job_id = @jobId and space_id = @SpaceId
            """, new { companyId, jobId, p.PanelId, p.SpaceId, p.Code, p.Ports, AdapterForm = p.AdapterForm.ToString(), p.Angled });
    }

    public async Task AddCable(Guid companyId, Guid jobId, Cable x)
    {
        await using var c = await db.OpenConnectionAsync();
        await c.ExecuteAsync("""
            insert into cable (company_id, cable_id, job_id, code, fiber_class, construction, strand_count, length_m, slack_a_mm, slack_b_mm, unit_size, colour_order, connections, splices)
            values (@companyId, @CableId, @jobId, @Code, @FiberClass, @Construction, @StrandCount, @LengthM, @SlackAMm, @SlackBMm, @UnitSize, @order, @Connections, @Splices)
            """, new
        {
            companyId,
            jobId,
            x.CableId,
            x.Code,
            FiberClass = x.FiberClass.ToString(),
            Construction = x.Construction.ToString(),
            x.StrandCount,
            x.LengthM,
            x.SlackAMm,
            x.SlackBMm,
            x.UnitSize,
            order = string.Join(',', x.ColourOrder),
            x.Connections,
            x.Splices,
        });
    }

    /// <summary>Changes what a cable's ends and links are judged by. What was judged before stays as it was.</summary>
    /// <returns>False when the cable has changed since the version that the change was made on.</returns>
    public async Task<bool> ChangeCable(Guid companyId, Guid jobId, Cable x)
    {
        await using var c = await db.OpenConnectionAsync();
        return await c.ExecuteAsync("""
            update cable set length_m = @LengthM, slack_a_mm = @SlackAMm, slack_b_mm = @SlackBMm, connections = @Connections, splices = @Splices, version = version + 1
            where company_id = @companyId and job_id = @jobId and cable_id = @CableId and version = @Version
            """, new { companyId, jobId, x.CableId, x.LengthM, x.SlackAMm, x.SlackBMm, x.Connections, x.Splices, x.Version }) == 1;
    }

    public async Task AddEnds(Guid companyId, Guid jobId, IReadOnlyList<PlannedEnd> ends)
    {
        await using var c = await db.OpenConnectionAsync();
        await using var t = await c.BeginTransactionAsync();
        await c.ExecuteAsync("""
            insert into cable_end (company_id, end_id, job_id, cable_id, strand, side, panel_id, port, position, form, polish, mode, method, stub_class, procedure_id, procedure_version)
            values (@companyId, @EndId, @jobId, @CableId, @Strand, @Side, @PanelId, @Port, @Position, @Form, @Polish, @Mode, @Method, @StubClass, @ProcedureId, @ProcedureVersion)
            """, ends.Select(e => new
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
        }), t);
        await Stand(c, t, companyId, [jobId]);
        await t.CommitAsync();
    }

    /// <summary>Takes something out of the plan.</summary>
    /// <param name="what">space, panel, cable or end.</param>
    /// <returns>False when it was not there. An end with a ledger stays.</returns>
    public async Task<bool> Remove(Guid companyId, Guid jobId, string what, Guid id)
    {
        var sql = what switch
        {
            "space" => "delete from space where company_id = @companyId and job_id = @jobId and space_id = @id",
            "panel" => "delete from panel where company_id = @companyId and job_id = @jobId and panel_id = @id",
            "cable" => "delete from cable where company_id = @companyId and job_id = @jobId and cable_id = @id",
            _ => """
                delete from cable_end e where e.company_id = @companyId and e.job_id = @jobId and e.end_id = @id
                  and not exists (select 1 from ledger l where l.company_id = e.company_id and l.end_id = e.end_id)
                """,
        };
        await using var c = await db.OpenConnectionAsync();
        await using var t = await c.BeginTransactionAsync();
        var removed = await c.ExecuteAsync(sql, new { companyId, jobId, id }, t) == 1;
        await Stand(c, t, companyId, [jobId]);
        await t.CommitAsync();
        return removed;
    }

    /// <summary>Notes which jobs are open: all but those whose every planned end is accepted. Writers of one job do it one after another, so that the last one sees all.</summary>
    internal static async Task Stand(NpgsqlConnection c, NpgsqlTransaction t, Guid companyId, Guid[] jobIds)
    {
        if (jobIds.Length == 0)
        {
            return;
        }

        await c.ExecuteAsync("select job_id from job where company_id = @companyId and job_id = any(@jobIds) order by job_id for no key update", new { companyId, jobIds }, t);
        await c.ExecuteAsync("""
            update job j set is_open = n.is_open
            from (select j.job_id,
                         not exists (select 1 from cable_end e where e.company_id = j.company_id and e.job_id = j.job_id)
                         or exists (
                             select 1 from cable_end e left join end_state s on s.company_id = e.company_id and s.end_id = e.end_id
                             where e.company_id = j.company_id and e.job_id = j.job_id and s.status is distinct from 'Accepted') as is_open
                  from job j where j.company_id = @companyId and j.job_id = any(@jobIds)) n
            where j.company_id = @companyId and j.job_id = n.job_id and j.is_open <> n.is_open
            """, new { companyId, jobIds }, t);
    }

    internal static DynamicParameters Params(Scope scope, object more)
    {
        var p = new DynamicParameters(more);
        p.AddDynamicParams(new { scope.CompanyId, scope.PersonId, scope.Office, scope.Viewer, scope.WorkCrewId });
        return p;
    }
}
