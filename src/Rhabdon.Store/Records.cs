using Npgsql;
using Rhabdon.Core.Connectors;
using Rhabdon.Core.Fiber;
using Rhabdon.Core.Ledger;
using Rhabdon.Core.Planning;
using Rhabdon.Core.Procedures;

namespace Rhabdon.Store;

/// <summary>One strand as the loom draws it.</summary>
/// <param name="PlaceId">The panel that it lands on; the cable where it needs none, as on a jumper.</param>
/// <param name="CrewId">Viewers are not told.</param>
/// <param name="PersonId">Who works it, where it is not the whole crew's. Viewers are not told.</param>
/// <param name="Loops">Where the line looped back, as in <c>join&gt;strip</c>, with a space between.</param>
public sealed record LoomEnd(
    EndId EndId, PlaceId PlaceId, int Port, int Position, int Strand, CableSide Side, CableId CableId, CrewId? CrewId, PersonId? PersonId, EndStatus Status, EndVerdict Verdict, Phase? Phase, int Attempts, string Loops);

/// <summary>One line of a list of ends.</summary>
/// <param name="SpaceCode">Empty for an end that lands on no panel.</param>
/// <param name="CrewName">Viewers are not told.</param>
/// <param name="PersonName">Who works it, where it is not the whole crew's. Viewers are not told.</param>
/// <param name="LossDb">Of its last connector's link, the reading that came closest to its limit; null before it was measured. Some seconds behind the record.</param>
/// <param name="AcceptedAt">Null while it is not accepted.</param>
/// <param name="MadeByName">Who made its last connector. Viewers are not told.</param>
/// <param name="FirstTime">Accepted by its first connector, without once going back; null while it is not accepted.</param>
public sealed record EndRow(
    EndId EndId, JobId JobId, string Customer, string SpaceCode, string PanelCode, int Port, int Position, string CableCode, int Strand, CableSide Side, string? CrewName, string? PersonName,
    ConnectorForm Form, Polish Polish, FiberMode Mode, TerminationMethod Method, EndStatus Status, EndVerdict Verdict, int Attempts, double SlackUsedMm, double SlackPlannedMm,
    string? ProcedureId, int? ProcedureVersion, Instant? LastAt, BatchId? BatchId, PlaceId PlaceId,
    double? LossDb, double? LimitDb, int? WavelengthNm, Instant? AcceptedAt, string? MadeByName, bool? FirstTime, string TimeZone)
{
    /// <summary>Space, panel, port, and in a multifiber connector the position; cable, strand and side where there is no panel.</summary>
    public string Address => Addresses.Of(SpaceCode, PanelCode, Port, Position, CableCode, Strand, Side, Form);
}

/// <summary>Filters of a list of ends; null takes all.</summary>
/// <param name="PlaceId">A panel, or a jumper's cable.</param>
/// <param name="Mine">Only what was given to this very person.</param>
/// <param name="Find">By the label: of a panel or a cable, or the beginning of one, with port or strand.</param>
/// <param name="From">Last worked on this day of the site, or later;</param>
/// <param name="To">and no later than this.</param>
public sealed record EndFilter(
    JobId? JobId = null, PlaceId? PlaceId = null, ConnectorForm? Form = null, Polish? Polish = null, FiberMode? Mode = null,
    TerminationMethod? Method = null, EndVerdict? Verdict = null, EndStatus? Status = null, CrewId? CrewId = null, bool NearlyOut = false, bool Mine = false,
    EndLabel? Find = null, LocalDate? From = null, LocalDate? To = null, EndOrder Order = EndOrder.Place);

/// <summary>In which order a list of ends comes.</summary>
public enum EndOrder
{
    /// <summary>By job, panel and port.</summary>
    Place,
    /// <summary>What was worked last, first; only what was begun.</summary>
    Newest,
    /// <summary>What has least in hand to its limit first; of one job.</summary>
    InHand,
}

/// <summary>What is planned for one end, with the names around it.</summary>
public sealed record EndPlan(
    EndId EndId, JobId JobId, string Customer, string Site, string TimeZone, string LimitSetId, string? FaceLimitSetId, CrewId CrewId, string? CrewName, PersonId? PersonId, string? PersonName, string SpaceCode, string SpaceName, PlaceId PlaceId, PanelId? PanelId, string PanelCode,
    int Port, int Position, CableId CableId, string CableCode, FiberClass FiberClass, CableConstruction Construction, int StrandCount, int UnitSize, string ColourOrder, double LengthM, double SlackPlannedMm,
    int Strand, CableSide Side, ConnectorForm Form, Polish Polish, FiberMode Mode, TerminationMethod Method, FiberClass? StubClass, string? ProcedureId, int? ProcedureVersion,
    EndId? FarEndId, string FarSpaceCode, string FarPanelCode, int? FarPort, int? FarPosition, ConnectorForm? FarForm, EndStatus? FarStatus, TerminationMethod? FarMethod, int Connections, int CableSplices, double? OrderedLengthMm, double? OrderedToleranceMm, int Version, string? StateJson)
{
    /// <summary>Space, panel, port, and in a multifiber connector the position; cable, strand and side where there is no panel.</summary>
    public string Address() => Addresses.Of(SpaceCode, PanelCode, Port, Position, CableCode, Strand, Side, Form);

    /// <summary>What it is judged by; its link has the splices of pigtails in it.</summary>
    public PlannedConnector Planned() => new(FiberClass, LengthM, Polish, Method, LimitSetId, Connections, Links.Splices(CableSplices, Method, FarMethod)) { PlaceId = PlaceId, TimeZone = TimeZone, FaceLimitSetId = FaceLimitSetId, Form = Form, Cord = EndOptions.CordOf(PanelId is not null, StrandCount) };

    public Strand StrandAt() => Strands.At(Strand, new(UnitSize, Plan.Colours(ColourOrder)));

    /// <summary>How the other end of its strand is called; null where none is planned.</summary>
    public string? FarAddress => FarEndId is null ? null
        : Addresses.Of(FarSpaceCode, FarPanelCode, FarPort!.Value, FarPosition!.Value, CableCode, Strand, Side == CableSide.A ? CableSide.B : CableSide.A, FarForm!.Value);

    private EndState? _read;

    /// <summary>Read once: a panel's bench asks each end for it several times.</summary>
    public EndState State => _read ??= StateJson is null ? EndState.Empty(EndId) : EndStates.Read(StateJson);
}

/// <summary>How an end is called where its connector lands.</summary>
internal static class Addresses
{
    public static string Of(string spaceCode, string panelCode, int port, int position, string cableCode, int strand, CableSide side, ConnectorForm form) =>
        panelCode.Length == 0 ? $"{cableCode}:{strand}{side}" : $"{spaceCode}-{panelCode}:{port}" + (form == ConnectorForm.MPO ? $".{position}" : "");
}

/// <summary>Reads ends and what has become of them.</summary>
public sealed class Records(NpgsqlDataSource db)
{
    // Public so that ./rhabdon bench runs the very same SQL.
    public const string LoomSql = $"""
        select e.end_id, e.place_id, e.port, e.position, e.strand, e.side, e.cable_id, case when not @Viewer then e.crew_id end as crew_id, case when not @Viewer then e.person_id end as person_id,
               coalesce(s.status, 'Planned') as status, coalesce(s.verdict, 'None') as verdict, s.phase, coalesce(s.attempts, 0) as attempts, coalesce(s.loops, '') as loops
        from cable_end e
        join job j on j.company_id = e.company_id and j.job_id = e.job_id
        left join end_state s on s.company_id = e.company_id and s.end_id = e.end_id
        where e.company_id = @CompanyId and e.job_id = @jobId and {Scope.SeesEnd}
        order by e.place_id, e.port, e.position
        """;

    public const string FindSql = $"""
        select e.end_id, e.job_id, j.customer, j.site, j.time_zone, j.limit_set_id, j.face_limit_set_id, e.crew_id, case when not @Viewer then w.name end as crew_name, case when not @Viewer then e.person_id end as person_id, case when not @Viewer then h.name end as person_name,
               coalesce(sp.code, '') as space_code, coalesce(sp.name, '') as space_name, e.place_id, e.panel_id, coalesce(p.code, '') as panel_code,
               e.port, e.position, e.cable_id, k.code as cable_code, k.fiber_class, k.construction, k.strand_count, k.unit_size, k.colour_order, k.length_m,
               case e.side when 'A' then k.slack_a_mm else k.slack_b_mm end as slack_planned_mm,
               e.strand, e.side, e.form, e.polish, e.mode, e.method, e.stub_class, e.procedure_id, e.procedure_version,
               f.end_id as far_end_id, coalesce(fs.code, '') as far_space_code, coalesce(fp.code, '') as far_panel_code, f.port as far_port, f.position as far_position, f.form as far_form, case when f.end_id is not null then coalesce(fst.status, 'Planned') end as far_status, f.method as far_method, k.connections, k.splices as cable_splices, k.ordered_length_mm, k.ordered_tolerance_mm, e.version, s.state::text as state_json
        from cable_end e
        join job j on j.company_id = e.company_id and j.job_id = e.job_id
        join crew w on w.company_id = e.company_id and w.crew_id = e.crew_id
        left join person h on h.company_id = e.company_id and h.person_id = e.person_id
        left join panel p on p.company_id = e.company_id and p.panel_id = e.panel_id
        left join space sp on sp.company_id = p.company_id and sp.space_id = p.space_id
        join cable k on k.company_id = e.company_id and k.cable_id = e.cable_id
        left join cable_end f on f.company_id = e.company_id and f.cable_id = e.cable_id and f.strand = e.strand and f.side <> e.side
        left join panel fp on fp.company_id = f.company_id and fp.panel_id = f.panel_id
        left join space fs on fs.company_id = fp.company_id and fs.space_id = fp.space_id
        left join end_state fst on fst.company_id = f.company_id and fst.end_id = f.end_id
        left join end_state s on s.company_id = e.company_id and s.end_id = e.end_id
        where e.company_id = @CompanyId and e.end_id = @endId and {Scope.SeesEnd}
        """;

    private static readonly string AtSql = FindSql.Replace("e.end_id = @endId", "e.place_id = @placeId") + " order by e.port, e.position";

    /// <summary>The strands of a job that this person may see, in the order of panels and ports.</summary>
    public async Task<IReadOnlyList<LoomEnd>> Loom(Scope scope, JobId jobId, CancellationToken cancel = default)
    {
        await using var c = await db.OpenConnectionAsync(cancel);
        return [.. await c.Query<LoomEnd>(cancel, LoomSql, Jobs.Params(scope, new { jobId }))];
    }

    /// <summary>What facts say of an end's last connector: who made it, when it was accepted, and the reading of its link that came closest to its limit.</summary>
    private const string Worst = """
        left join lateral (
            select a.attempt, a.first_pass, a.accepted_at, a.person_id, r.loss_db, r.limit_db, r.wavelength_nm, r.limit_db - r.loss_db as in_hand_db
            from projection v
            join fact_attempt a on a.company_id = @CompanyId and a.version = v.version and a.end_id = e.end_id
            left join fact_reading r on r.company_id = @CompanyId and r.version = v.version and r.end_id = e.end_id and r.run_id = a.run_id and r.kind = 'link' and r.limit_db is not null
            where v.name = 'facts' order by a.attempt desc, r.limit_db - r.loss_db nulls last limit 1) q on true
        """;

    /// <summary>Ends that this person may see, filtered. Keyset paging: <paramref name="after"/> is the last end of the page before.</summary>
    public async Task<IReadOnlyList<EndRow>> List(Scope scope, EndFilter f, EndId? after, int limit, CancellationToken cancel = default)
    {
        // What has begun is found by an index of its own, whatever the company's age; the status is a word of ours, so that the index is seen to fit.
        // Nearly all are accepted: there another filter, where one is asked, finds what is rare.
        var narrow = f.Form is not null || f.Polish is not null || f.Method is not null || f.Mine;
        var open = f.Status is { } status and not EndStatus.Planned && !(narrow && status == EndStatus.Accepted) ? status.ToString() : null;
        var judged = f.Verdict is { } verdict and not EndVerdict.None ? verdict.ToString() : null;
        string?[] wanted =
        [
            f.JobId is null ? null : "e.job_id = @JobId", f.PlaceId is null ? null : "e.place_id = @PlaceId", f.Form is null ? null : "e.form = @Form", f.Polish is null ? null : "e.polish = @Polish",
            f.Mode is null ? null : "e.mode = @Mode", f.Method is null ? null : "e.method = @Method", f.CrewId is null ? null : "e.crew_id = @CrewId",
            judged is not null ? $"s.verdict = '{judged}' and s.verdict <> 'None'" : f.Verdict is null ? null : "coalesce(s.verdict, 'None') = @Verdict",
            open is not null ? $"s.status = '{open}'" : f.Status is null ? null : "coalesce(s.status, 'Planned') = @Status",
            f.Mine ? "e.person_id = @PersonId and e.person_id is not null" : null,
            f.NearlyOut ? "e.nearly_out" : null,
            f.Find is null ? null : """
            ((e.panel_id = any(array(select p.panel_id from panel p join space sp on sp.company_id = p.company_id and sp.space_id = p.space_id
                                     where p.company_id = @CompanyId and lower(sp.code || '-' || p.code) like @like escape '\'))
              and @side::text is null and (@number::int is null or e.port = @number))
             or (e.cable_id = any(array(select k.cable_id from cable k where k.company_id = @CompanyId and lower(k.code) like @like escape '\'))
              and (@number::int is null or e.strand = @number) and (@side::text is null or e.side = @side)))
            """,
            // A site's day begins and ends within a day of everybody's: that much an index finds.
            f.From is null ? null : "s.last_at >= @From::date - interval '1 day' and (s.last_at at time zone j.time_zone)::date >= @From::date",
            f.To is null ? null : "s.last_at < @To::date + interval '2 days' and (s.last_at at time zone j.time_zone)::date <= @To::date",
        ];
        var begun = open is not null || judged is not null || f.From is not null || f.To is not null || f.Order == EndOrder.Newest;
        var key = open is null && judged is null ? "e" : "s";
        // What comes after a page is told by its last end's place in the same order.
        var (order, beyond, last) = f.Order switch
        {
            EndOrder.Newest => ("s.last_at desc, e.end_id desc", "(s.last_at, e.end_id) <", "select a.last_at, a.end_id from end_state a where a.company_id = @CompanyId and a.end_id = @after"),
            EndOrder.InHand => ("coalesce(q.in_hand_db, 1e9), e.end_id", "(coalesce(q.in_hand_db, 1e9), e.end_id) >",
                $"select coalesce(q.in_hand_db, 1e9), e.end_id from (select @after::uuid as end_id) e {Worst}"),
            _ => ($"{key}.job_id, {key}.place_id, {key}.port, {key}.position", $"({key}.job_id, {key}.place_id, {key}.port, {key}.position) >",
                "select a.job_id, a.place_id, a.port, a.position from cable_end a where a.company_id = @CompanyId and a.end_id = @after"),
        };
        var (columns, sorted, shown) = f.Order switch
        {
            EndOrder.Newest => ("s.last_at", "last_at desc, page_id desc", "s.last_at desc, e.end_id desc"),
            EndOrder.InHand => ("coalesce(q.in_hand_db, 1e9) as in_hand_db", "in_hand_db, page_id", "coalesce(q.in_hand_db, 1e9), e.end_id"),
            _ => (order, "job_id, place_id, port, position", "e.job_id, e.place_id, e.port, e.position"),
        };
        // Where a filter finds many of everybody's, one's own are found by an index for both; what is open is few, and looked through as it is.
        var seen = f.Form is not null || f.Polish is not null || f.Method is not null ? scope.SeesEndInParts : [Scope.SeesEnd];
        string Page(string part) => $"""
            (select {columns}, e.end_id as page_id
              from cable_end e
              {(begun ? "" : "left ")}join end_state s on s.company_id = @CompanyId and s.end_id = e.end_id
              join job j on j.company_id = e.company_id and j.job_id = e.job_id
              {(f.Order == EndOrder.InHand ? Worst : "")}
              where e.company_id = @CompanyId and {part}{string.Concat(wanted.Where(w => w is not null).Select(w => $"\n    and {w}"))}
                and (@after::uuid is null or {beyond} ({last}))
              order by {order} limit @limit)
            """;
        // First which ends are on the page, then all that is said of them: so the rest is looked up for a page's ends only.
        await using var c = await db.OpenConnectionAsync(cancel);
        return [.. await c.Query<EndRow>(cancel, $"""
            with page as materialized (select page_id from ({string.Join("\n union all ", seen.Select(Page))}) parts order by {sorted} limit @limit)
            select e.end_id, e.job_id, j.customer, coalesce(sp.code, '') as space_code, coalesce(p.code, '') as panel_code, e.port, e.position, k.code as cable_code, e.strand, e.side, case when not @Viewer then w.name end as crew_name, case when not @Viewer then h.name end as person_name,
                   e.form, e.polish, e.mode, e.method, coalesce(s.status, 'Planned') as status, coalesce(s.verdict, 'None') as verdict, coalesce(s.attempts, 0) as attempts,
                   coalesce(s.slack_used_mm, 0) as slack_used_mm, case e.side when 'A' then k.slack_a_mm else k.slack_b_mm end as slack_planned_mm,
                   e.procedure_id, e.procedure_version, s.last_at, s.batch_id, e.place_id,
                   q.loss_db, q.limit_db, q.wavelength_nm, case when s.status = 'Accepted' then q.accepted_at end as accepted_at, case when not @Viewer then m.name end as made_by_name,
                   case when s.status = 'Accepted' and q.accepted_at is not null then q.first_pass and q.attempt = 1 end as first_time, j.time_zone
            from page
            join cable_end e on e.company_id = @CompanyId and e.end_id = page.page_id
            left join end_state s on s.company_id = @CompanyId and s.end_id = page.page_id
            join job j on j.company_id = @CompanyId and j.job_id = e.job_id
            join crew w on w.company_id = @CompanyId and w.crew_id = e.crew_id
            left join person h on h.company_id = @CompanyId and h.person_id = e.person_id
            left join panel p on p.company_id = @CompanyId and p.panel_id = e.panel_id
            left join space sp on sp.company_id = @CompanyId and sp.space_id = p.space_id
            join cable k on k.company_id = @CompanyId and k.cable_id = e.cable_id
            {Worst}
            left join person m on m.company_id = @CompanyId and m.person_id = q.person_id
            order by {shown}
            """, Jobs.Params(scope, new
        {
            like = f.Find is null ? null : f.Find.Code.ToLowerInvariant().Replace("\\", "\\\\", StringComparison.Ordinal).Replace("%", "\\%", StringComparison.Ordinal).Replace("_", "\\_", StringComparison.Ordinal) + "%",
            number = f.Find?.Number, side = f.Find?.Side?.ToString(), f.From, f.To,
            f.JobId, f.PlaceId, f.CrewId, Form = f.Form?.ToString(), Polish = f.Polish?.ToString(), Mode = f.Mode?.ToString(), Method = f.Method?.ToString(),
            Verdict = f.Verdict?.ToString(), Status = f.Status?.ToString(), after, limit,
        }))];
    }

    /// <summary>Every end on a panel, or of a jumper, in port order: what a bench needs to go on with no network.</summary>
    public async Task<IReadOnlyList<EndPlan>> At(Scope scope, PlaceId placeId, CancellationToken cancel = default)
    {
        await using var c = await db.OpenConnectionAsync(cancel);
        return [.. await c.Query<EndPlan>(cancel, AtSql, Jobs.Params(scope, new { placeId }))];
    }

    /// <summary>Ends that wait for a decision or are to be made anew, over all jobs, in the order of their places.</summary>
    public async Task<IReadOnlyList<EndPlan>> Waiting(Scope scope, int most, CancellationToken cancel = default)
    {
        await using var c = await db.OpenConnectionAsync(cancel);
        return [.. await c.Query<EndPlan>(cancel, FindSql.Replace("e.end_id = @endId", "s.status in ('NeedsDecision', 'ToRemake')", StringComparison.Ordinal) + " order by j.due_on, e.job_id, e.place_id, e.port, e.position limit @most", Jobs.Params(scope, new { most }))];
    }

    /// <summary>Ends that something was said of since a moment, the last ones.</summary>
    public async Task<IReadOnlyList<EndPlan>> WorkedSince(Scope scope, Instant since, int most, CancellationToken cancel = default)
    {
        await using var c = await db.OpenConnectionAsync(cancel);
        return [.. await c.Query<EndPlan>(cancel, FindSql.Replace("e.end_id = @endId", "s.last_at >= @since", StringComparison.Ordinal) + " order by s.last_at desc, e.end_id limit @most", Jobs.Params(scope, new { since, most }))];
    }

    /// <summary>All ends of a job, in the order of spaces, panels and ports; what lands on none comes last.</summary>
    public async Task<IReadOnlyList<EndPlan>> OfJob(Scope scope, JobId jobId, CancellationToken cancel = default)
    {
        await using var c = await db.OpenConnectionAsync(cancel);
        return [.. await c.Query<EndPlan>(cancel, FindSql.Replace("e.end_id = @endId", "e.job_id = @jobId", StringComparison.Ordinal) + " order by sp.code collate \"C\" nulls last, p.code collate \"C\", k.code collate \"C\", e.port, e.position, e.end_id", Jobs.Params(scope, new { jobId }))];
    }

    /// <summary>The accepted ends of a job.</summary>
    public async Task<IReadOnlyList<EndPlan>> AcceptedOf(Scope scope, JobId jobId, CancellationToken cancel = default)
    {
        await using var c = await db.OpenConnectionAsync(cancel);
        return [.. await c.Query<EndPlan>(cancel, FindSql.Replace("e.end_id = @endId", "e.job_id = @jobId and s.status = 'Accepted'", StringComparison.Ordinal) + " order by e.place_id, e.port, e.position", Jobs.Params(scope, new { jobId }))];
    }

    public async Task<IReadOnlyDictionary<PersonId, string>> Names(CompanyId companyId, IReadOnlyCollection<PersonId> people, CancellationToken cancel = default)
    {
        await using var c = await db.OpenConnectionAsync(cancel);
        return (await c.Query<(PersonId PersonId, string Name)>(cancel, "select person_id, name from person where company_id = @companyId and person_id = any(@ids)", new { companyId, ids = people.Select(p => p.Value).ToArray() })).ToDictionary(p => p.PersonId, p => p.Name);
    }

    public async Task<EndPlan?> Find(Scope scope, EndId endId, CancellationToken cancel = default)
    {
        await using var c = await db.OpenConnectionAsync(cancel);
        return await c.One<EndPlan>(cancel, FindSql, Jobs.Params(scope, new { endId }));
    }
}
