using Dapper;
using Npgsql;
using Rhabdon.Core.Connectors;
using Rhabdon.Core.Fiber;
using Rhabdon.Core.Ledger;
using Rhabdon.Core.Planning;
using Rhabdon.Core.Procedures;

namespace Rhabdon.Store;

/// <summary>One strand as the loom draws it.</summary>
/// <param name="Loops">Where the line looped back, as in <c>join&gt;strip</c>, with a space between.</param>
public sealed record LoomEnd(
    Guid EndId, Guid PanelId, int Port, int Position, int Strand, CableSide Side, Guid CableId, EndStatus Status, EndVerdict Verdict, Phase? Phase, int Attempts, string Loops);

/// <summary>One line of a list of ends.</summary>
public sealed record EndRow(
    Guid EndId, Guid JobId, string Customer, string SpaceCode, string PanelCode, int Port, int Position, string CableCode, int Strand, CableSide Side, string CrewName,
    ConnectorForm Form, Polish Polish, FiberMode Mode, TerminationMethod Method, EndStatus Status, EndVerdict Verdict, int Attempts, double SlackUsedMm, double SlackPlannedMm,
    string? ProcedureId, int? ProcedureVersion, DateTime? LastAt, Guid? BatchId, int ShardsOff);

/// <summary>Filters of a list of ends; null takes all.</summary>
public sealed record EndFilter(
    Guid? JobId = null, Guid? PanelId = null, ConnectorForm? Form = null, Polish? Polish = null, FiberMode? Mode = null,
    TerminationMethod? Method = null, EndVerdict? Verdict = null, EndStatus? Status = null, Guid? CrewId = null, bool NearlyOut = false, bool ShardsOff = false);

/// <summary>What is planned for one end, with the names around it.</summary>
public sealed record EndPlan(
    Guid EndId, Guid JobId, string Customer, string Site, string TimeZone, string LimitSetId, Guid CrewId, string CrewName, string SpaceCode, string SpaceName, Guid PanelId, string PanelCode,
    int Port, int Position, Guid CableId, string CableCode, FiberClass FiberClass, CableConstruction Construction, int StrandCount, int UnitSize, string ColourOrder, double LengthM, double SlackPlannedMm,
    int Strand, CableSide Side, ConnectorForm Form, Polish Polish, FiberMode Mode, TerminationMethod Method, FiberClass? StubClass, string? ProcedureId, int? ProcedureVersion,
    Guid? FarEndId, string? FarAddress, EndStatus? FarStatus, TerminationMethod? FarMethod, int Connections, int CableSplices, string? StateJson)
{
    /// <summary>Space, panel, port, and in a multifiber connector the position.</summary>
    public string Address() => $"{SpaceCode}-{PanelCode}:{Port}" + (Form == ConnectorForm.MPO ? $".{Position}" : "");

    /// <summary>Splices of its link, with those of pigtails.</summary>
    public int LinkSplices() => Links.Splices(CableSplices, Method, FarMethod);

    public Strand StrandAt() => Strands.At(Strand, new(UnitSize, Jobs.Colours(ColourOrder)));

    public EndState State => StateJson is null ? EndState.Empty(EndId) : EndStates.Read(StateJson);
}

/// <summary>Reads ends and what has become of them.</summary>
public sealed class Records(NpgsqlDataSource db)
{
    // Public so that ./rhabdon bench runs the very same SQL.
    public const string LoomSql = """
        select e.end_id, e.panel_id, e.port, e.position, e.strand, e.side, e.cable_id,
               coalesce(s.status, 'Planned') as status, coalesce(s.verdict, 'None') as verdict, s.phase, coalesce(s.attempts, 0) as attempts, coalesce(s.loops, '') as loops
        from cable_end e left join end_state s on s.company_id = e.company_id and s.end_id = e.end_id
        where e.company_id = @companyId and e.job_id = @jobId
        order by e.panel_id, e.port, e.position
        """;

    public const string FindSql = $"""
        select e.end_id, e.job_id, j.customer, j.site, j.time_zone, j.limit_set_id, j.crew_id, w.name as crew_name, sp.code as space_code, sp.name as space_name, e.panel_id, p.code as panel_code,
               e.port, e.position, e.cable_id, k.code as cable_code, k.fiber_class, k.construction, k.strand_count, k.unit_size, k.colour_order, k.length_m,
               case e.side when 'A' then k.slack_a_mm else k.slack_b_mm end as slack_planned_mm,
               e.strand, e.side, e.form, e.polish, e.mode, e.method, e.stub_class, e.procedure_id, e.procedure_version,
               f.end_id as far_end_id, fs.code || '-' || fp.code || ':' || f.port as far_address, case when f.end_id is not null then coalesce(fst.status, 'Planned') end as far_status, f.method as far_method, k.connections, k.splices as cable_splices, s.state::text as state_json
        from cable_end e
        join job j on j.company_id = e.company_id and j.job_id = e.job_id
        join crew w on w.company_id = j.company_id and w.crew_id = j.crew_id
        join panel p on p.company_id = e.company_id and p.panel_id = e.panel_id
        join space sp on sp.company_id = p.company_id and sp.space_id = p.space_id
        join cable k on k.company_id = e.company_id and k.cable_id = e.cable_id
        left join cable_end f on f.company_id = e.company_id and f.cable_id = e.cable_id and f.strand = e.strand and f.side <> e.side
        left join panel fp on fp.company_id = f.company_id and fp.panel_id = f.panel_id
        left join space fs on fs.company_id = fp.company_id and fs.space_id = fp.space_id
        left join end_state fst on fst.company_id = f.company_id and fst.end_id = f.end_id
        left join end_state s on s.company_id = e.company_id and s.end_id = e.end_id
        where e.company_id = @CompanyId and e.end_id = @endId and {Scope.SeesJob}
        """;

    private static readonly string OnPanelSql = FindSql.Replace("e.end_id = @endId", "e.panel_id = @panelId") + " order by e.port, e.position";

    /// <summary>The strands of a job, or of one panel, in panel and port order.</summary>
    public async Task<IReadOnlyList<LoomEnd>> Loom(Guid companyId, Guid jobId)
    {
        await using var c = await db.OpenConnectionAsync();
        return [.. await c.QueryAsync<LoomEnd>(LoomSql, new { companyId, jobId })];
    }

    /// <summary>Ends that this person may see, filtered. Keyset paging: <paramref name="after"/> is the last end of the page before.</summary>
    /// <param name="nearlyOut">Procedures with the slack in millimetres under which an end is nearly out; for the filter of that name.</param>
    public async Task<IReadOnlyList<EndRow>> List(Scope scope, EndFilter f, Guid? after, int limit, IReadOnlyList<(string ProcedureId, int Version, double BelowMm)> nearlyOut)
    {
        // What is open is found by an index of its own, whatever the company's age; the status is a word of ours, so that the index is seen to fit.
        var open = f.Status is { } status and not (EndStatus.Planned or EndStatus.Accepted) ? status.ToString() : null;
        string?[] wanted =
        [
            f.JobId is null ? null : "e.job_id = @JobId", f.PanelId is null ? null : "e.panel_id = @PanelId", f.Form is null ? null : "e.form = @Form", f.Polish is null ? null : "e.polish = @Polish",
            f.Mode is null ? null : "e.mode = @Mode", f.Method is null ? null : "e.method = @Method", f.CrewId is null ? null : "j.crew_id = @CrewId",
            f.Verdict is null ? null : "coalesce(s.verdict, 'None') = @Verdict",
            open is not null ? $"s.status = '{open}'" : f.Status is null ? null : "coalesce(s.status, 'Planned') = @Status",
            f.ShardsOff ? "s.shards_off <> 0" : null,
            f.NearlyOut ? """
                exists (select 1 from unnest(@procedureIds, @versions, @below) as n (procedure_id, version, below_mm)
                        where n.procedure_id = e.procedure_id and n.version = e.procedure_version
                          and (case e.side when 'A' then k.slack_a_mm else k.slack_b_mm end) - coalesce(s.slack_used_mm, 0) < n.below_mm)
                """ : null,
        ];
        var key = open is null ? "e" : "s";
        var order = $"{key}.job_id, {key}.panel_id, {key}.port, {key}.position";
        await using var c = await db.OpenConnectionAsync();
        return [.. await c.QueryAsync<EndRow>($"""
            select e.end_id, e.job_id, j.customer, sp.code as space_code, p.code as panel_code, e.port, e.position, k.code as cable_code, e.strand, e.side, w.name as crew_name,
                   e.form, e.polish, e.mode, e.method, coalesce(s.status, 'Planned') as status, coalesce(s.verdict, 'None') as verdict, coalesce(s.attempts, 0) as attempts,
                   coalesce(s.slack_used_mm, 0) as slack_used_mm, case e.side when 'A' then k.slack_a_mm else k.slack_b_mm end as slack_planned_mm,
                   e.procedure_id, e.procedure_version, s.last_at, s.batch_id, coalesce(s.shards_off, 0) as shards_off
            from cable_end e
            left join end_state s on s.company_id = @CompanyId and s.end_id = e.end_id
            join job j on j.company_id = e.company_id and j.job_id = e.job_id
            join crew w on w.company_id = j.company_id and w.crew_id = j.crew_id
            join panel p on p.company_id = e.company_id and p.panel_id = e.panel_id
            join space sp on sp.company_id = p.company_id and sp.space_id = p.space_id
            join cable k on k.company_id = e.company_id and k.cable_id = e.cable_id
            where e.company_id = @CompanyId and {Scope.SeesJob}{string.Concat(wanted.Where(w => w is not null).Select(w => $"\n  and {w}"))}
              and (@after::uuid is null or ({order}) > (select a.job_id, a.panel_id, a.port, a.position from cable_end a where a.company_id = @CompanyId and a.end_id = @after))
            order by {order} limit @limit
            """, Jobs.Params(scope, new
        {
            f.JobId, f.PanelId, f.CrewId, Form = f.Form?.ToString(), Polish = f.Polish?.ToString(), Mode = f.Mode?.ToString(), Method = f.Method?.ToString(),
            Verdict = f.Verdict?.ToString(), Status = f.Status?.ToString(), after, limit,
            procedureIds = nearlyOut.Select(n => n.ProcedureId).ToArray(), versions = nearlyOut.Select(n => n.Version).ToArray(), below = nearlyOut.Select(n => n.BelowMm).ToArray(),
        }))];
    }

    /// <summary>Every end on a panel, in port order: what a bench needs to go on with no network.</summary>
    public async Task<IReadOnlyList<EndPlan>> OnPanel(Scope scope, Guid panelId)
    {
        await using var c = await db.OpenConnectionAsync();
        return [.. await c.QueryAsync<EndPlan>(OnPanelSql, Jobs.Params(scope, new { panelId }))];
    }

    public async Task<EndPlan?> Find(Scope scope, Guid endId)
    {
        await using var c = await db.OpenConnectionAsync();
        return await c.QuerySingleOrDefaultAsync<EndPlan>(FindSql, Jobs.Params(scope, new { endId }));
    }
}
