using Npgsql;
using Rhabdon.Core;
using Rhabdon.Core.Connectors;
using Rhabdon.Core.Rework;
using Rhabdon.Core.Yield;

namespace Rhabdon.Store;

/// <summary>Which connectors are counted: those that were accepted or given up between two days.</summary>
/// <param name="To">The last day.</param>
public sealed record YieldFilter(LocalDate From, LocalDate To, JobId? JobId = null, CrewId? CrewId = null, string? Method = null, string? Construction = null);

/// <summary>Which loss is meant.</summary>
public sealed record LossFilter(YieldFilter Of, string Kind, int WavelengthNm);

/// <summary>A connector that was made with a tool, in the order in which they were begun.</summary>
public sealed record MadeWith(Instant StartedAt, int Cleaves, int Arcs, bool Passed);

/// <summary>An end that a view counts, with what it comes from.</summary>
/// <param name="Passed">Good at once.</param>
/// <param name="Reason">Why it last went back or was given up; null where nobody said.</param>
public sealed record YieldEnd(EndId EndId, JobId JobId, string Address, int Attempt, Instant EndedAt, AttemptOutcome Outcome, bool Passed, ReworkReason? Reason);

/// <summary>Counts connectors from the facts. Everybody sees their own, leads their crew's, the office all; viewers nothing.</summary>
public sealed class YieldCounts(NpgsqlDataSource db)
{
    private sealed record Row(string Key, string? Second, LocalDate Week, string Method, string Construction, long Made, long Passed, double ReworkMinutes, long PartsLost, long Accepted);

    private sealed record EndRow(
        EndId EndId, JobId JobId, string SpaceCode, string PanelCode, int Port, int Position, string CableCode, int Strand, CableSide Side, ConnectorForm Form, int Attempt, Instant EndedAt, string Outcome, bool Passed, string? Reason);

    private sealed record Reason(string? Name, string Method, long Count, double ReworkMinutes, long PartsLost);

    private sealed record LossRow(string Key, double LossDb, bool OverLimit);

    /// <summary>Whose connectors this person sees, and which of those are asked for.</summary>
    private const string Seen = """
              (@Office or (f.crew_id = @WorkCrewId and (@MayPlan or f.person_id = @PersonId)))
          and (@Jobs::uuid[] is null or f.job_id = any(@Jobs)) and (@jobId::uuid is null or f.job_id = @jobId) and (@crewId::uuid is null or f.crew_id = @crewId)
          and (@method::text is null or f.method = @method) and (@construction::text is null or f.construction = @construction)
        """;

    /// <summary>Days, each with all that views count by.</summary>
    /// <param name="jobs">By job; else of all jobs together, which is far less to read.</param>
    private static string Days(bool jobs) => $"""
        from yield_day f
        where f.company_id = @CompanyId and f.version = (select version from projection where name = 'facts') and f.day >= @fromDay and f.day <= @toDay and f.made > 0 and f.job_id is {(jobs ? "not " : "")}null and {Seen}
        """;

    private static bool ByJob(Scope scope, YieldFilter filter, params YieldBy?[] keys) => scope.Jobs is not null || filter.JobId is not null || keys.Any(k => k is YieldBy.Job or YieldBy.Space);

    /// <summary>The connectors themselves.</summary>
    private const string Attempts = $"""
        from fact_attempt f
        join cable_end e on e.company_id = f.company_id and e.end_id = f.end_id
        join cable k on k.company_id = e.company_id and k.cable_id = e.cable_id
        left join panel p on p.company_id = e.company_id and p.panel_id = e.panel_id
        left join space sp on sp.company_id = p.company_id and sp.space_id = p.space_id
        where f.company_id = @CompanyId and f.version = (select version from projection where name = 'facts') and f.outcome <> 'open' and coalesce(f.accepted_at, f.given_up_at) >= @from and coalesce(f.accepted_at, f.given_up_at) < @to and {Seen}
        """;

    /// <summary>What of a connector the group is; a list where it may be of several.</summary>
    private static (string Column, bool List) KeyOf(YieldBy by) => by switch
    {
        YieldBy.Method => ("f.method", false),
        YieldBy.Construction => ("f.construction", false),
        YieldBy.Form => ("f.form", false),
        YieldBy.Polish => ("f.polish", false),
        YieldBy.Mode => ("f.mode", false),
        YieldBy.Crew => ("f.crew_id::text", false),
        YieldBy.Person => ("f.person_id::text", false),
        YieldBy.Procedure => ("f.procedure_id || ' ' || f.procedure_version", false),
        YieldBy.Job => ("f.job_id::text", false),
        YieldBy.Space => ("coalesce(f.space_id::text, '')", false),
        YieldBy.Lot => ("f.lots", true),
        YieldBy.School => ("f.schools", true),
        _ => ("f.tool_ids::text[]", true),
    };

    /// <summary>That a connector is of a group.</summary>
    private static string Is(YieldBy by, string key) => KeyOf(by) is (var column, var list) && list ? $"{column} @> array[@{key}]" : $"{column} = @{key}";

    public async Task<IReadOnlyList<YieldRow>> Rows(Scope scope, YieldBy by, YieldFilter filter, CancellationToken cancel = default) =>
        by is YieldBy.Job or YieldBy.Space ? await Largest(scope, by, filter, cancel)
        : [.. (await Weekly(scope, by, null, filter, cancel)).Select(r => new YieldRow(r.Key, r.Week, r.Method, r.Construction, r.Made, r.Passed, r.ReworkMinutes, r.PartsLost, r.Accepted))];

    /// <summary>All of a view together, week by week.</summary>
    public async Task<IReadOnlyList<YieldRow>> Whole(Scope scope, YieldFilter filter, CancellationToken cancel = default)
    {
        await using var c = await db.OpenConnectionAsync(cancel);
        return [.. (await c.Query<Row>(cancel, $"""
            select '' as key, null::text as second, date_trunc('week', f.day)::date as week, '' as method, '' as construction, sum(f.made)::bigint as made, sum(f.passed)::bigint as passed,
                   sum(f.rework_minutes) as rework_minutes, sum(f.parts_lost)::bigint as parts_lost, sum(f.accepted)::bigint as accepted
            {Days(ByJob(scope, filter))}
            group by 3
            """, Args(scope, filter))).Select(r => new YieldRow(r.Key, r.Week, r.Method, r.Construction, r.Made, r.Passed, r.ReworkMinutes, r.PartsLost, r.Accepted))];
    }

    /// <summary>Jobs and rooms come and go, and there are thousands: only the largest are shown, and no weeks of theirs.</summary>
    private async Task<IReadOnlyList<YieldRow>> Largest(Scope scope, YieldBy by, YieldFilter filter, CancellationToken cancel)
    {
        await using var c = await db.OpenConnectionAsync(cancel);
        return [.. (await c.Query<Row>(cancel, $"""
            with summed as (
                select {(by == YieldBy.Job ? "f.job_id" : "f.space_id")} as id, f.method, f.construction, min(f.day) as week, sum(f.made)::bigint as made, sum(f.passed)::bigint as passed,
                       sum(f.rework_minutes) as rework_minutes, sum(f.parts_lost)::bigint as parts_lost, sum(f.accepted)::bigint as accepted
                {Days(jobs: true)}
                group by 1, 2, 3),
            -- By their rank, and not by a list of the largest: a plan made for any company would look through that list for each of thousands.
            ranked as (
                select t.*, dense_rank() over (order by t.of_all desc, t.id) as place
                from (select s.*, sum(s.made) over (partition by s.id) as of_all from summed s) t)
            select coalesce(r.id::text, '') as key, null::text as second, r.week, r.method, r.construction, r.made, r.passed, r.rework_minutes, r.parts_lost, r.accepted
            from ranked r where r.place <= {Rates.MostGroups}
            """, Args(scope, filter))).Select(r => new YieldRow(r.Key, r.Week, r.Method, r.Construction, r.Made, r.Passed, r.ReworkMinutes, r.PartsLost, r.Accepted))];
    }

    private sealed record WholeRow(string Crew, string Procedure, Guid SetId, LocalDate Week, string Method, string Construction, long Made, long Passed);

    private sealed record SetRow(Guid SetId, bool Lot, string Key);

    /// <summary>The views that are searched for what stands out, from one reading of the days.</summary>
    public async Task<IReadOnlyDictionary<YieldBy, IReadOnlyList<YieldRow>>> Searched(Scope scope, YieldFilter filter, CancellationToken cancel = default)
    {
        await using var c = await db.OpenConnectionAsync(cancel);
        var rows = (await c.Query<WholeRow>(cancel, $"""
            select {KeyOf(YieldBy.Crew).Column} as crew, {KeyOf(YieldBy.Procedure).Column} as procedure, f.set_id, date_trunc('week', f.day)::date as week, f.method, f.construction, sum(f.made)::bigint as made, sum(f.passed)::bigint as passed
            {Days(ByJob(scope, filter))}
            group by 1, 2, 3, 4, 5, 6
            """, Args(scope, filter))).ToList();
        var sets = (await c.Query<SetRow>(cancel, """
            select set_id, true as lot, unnest(lots) as key from yield_set where company_id = @CompanyId and set_id = any(@sets)
            union all select set_id, false, unnest(tool_ids)::text from yield_set where company_id = @CompanyId and set_id = any(@sets)
            """, new { scope.CompanyId, sets = rows.Select(r => r.SetId).Distinct().ToArray() })).ToLookup(s => (s.SetId, s.Lot), s => s.Key);
        IReadOnlyList<YieldRow> By(Func<WholeRow, IEnumerable<string>> keys) =>
            [.. rows.SelectMany(r => keys(r).Select(k => (Key: k, Row: r))).GroupBy(x => (x.Key, x.Row.Week, x.Row.Method, x.Row.Construction), x => x.Row)
                .Select(g => new YieldRow(g.Key.Key, g.Key.Week, g.Key.Method, g.Key.Construction, g.Sum(r => r.Made), g.Sum(r => r.Passed), 0, 0))];
        return new Dictionary<YieldBy, IReadOnlyList<YieldRow>>
        {
            [YieldBy.Crew] = By(r => [r.Crew]),
            [YieldBy.Method] = By(r => [r.Method]),
            [YieldBy.Construction] = By(r => [r.Construction]),
            [YieldBy.Procedure] = By(r => [r.Procedure]),
            [YieldBy.Lot] = By(r => sets[(r.SetId, true)]),
            [YieldBy.Tool] = By(r => sets[(r.SetId, false)]),
        };
    }

    /// <summary>Connectors by two keys at once.</summary>
    public async Task<IReadOnlyList<(string Key, string And, long Made, long Passed)>> Cells(Scope scope, YieldBy by, YieldBy and, YieldFilter filter, CancellationToken cancel = default) =>
        [.. (await Weekly(scope, by, and, filter, cancel)).GroupBy(r => (r.Key, And: r.Second!)).Select(g => (g.Key.Key, g.Key.And, g.Sum(r => r.Made), g.Sum(r => r.Passed)))];

    /// <remarks>Lists are taken apart after the days were summed: one sum for each set of lots, not for each lot of each day.</remarks>
    private async Task<IReadOnlyList<Row>> Weekly(Scope scope, YieldBy by, YieldBy? and, YieldFilter filter, CancellationToken cancel)
    {
        var (key, second) = (KeyOf(by), and is { } a ? KeyOf(a) : ("null::text", false));
        var lists = key.List || second.Item2;
        string One((string Column, bool List) of, string name) => of.List ? $"{name}.key" : $"g.{name}";
        string Apart((string Column, bool List) of, string name) => of.List ? $"cross join unnest({of.Column.Replace("f.", "s.", StringComparison.Ordinal)}) as {name} (key)" : "";
        string Summed((string Column, bool List) of) => of.List ? "null::text" : of.Column;
        await using var c = await db.OpenConnectionAsync(cancel);
        return [.. await c.Query<Row>(cancel, $"""
            select {One(key, "first")} as key, {One(second, "second")} as second, g.week, g.method, g.construction, g.made, g.passed, g.rework_minutes, g.parts_lost, g.accepted
            from (select {Summed(key)} as first, {Summed(second)} as second, date_trunc('week', f.day)::date as week, f.method, f.construction, {(lists ? "f.set_id" : "null::uuid")} as set_id,
                         sum(f.made)::bigint as made, sum(f.passed)::bigint as passed, sum(f.rework_minutes) as rework_minutes, sum(f.parts_lost)::bigint as parts_lost, sum(f.accepted)::bigint as accepted
                  {Days(ByJob(scope, filter, by, and))}
                  group by 1, 2, 3, 4, 5, 6) g
            {(lists ? "join yield_set s on s.company_id = @CompanyId and s.set_id = g.set_id" : "")} {Apart(key, "first")} {Apart(second, "second")}
            """, Args(scope, filter))];
    }

    /// <summary>Why they went back or were given up, the most frequent first.</summary>
    public async Task<IReadOnlyList<ReasonCount>> Reasons(Scope scope, YieldFilter filter, ReworkPrices prices, CancellationToken cancel = default)
    {
        await using var c = await db.OpenConnectionAsync(cancel);
        return [.. (await c.Query<Reason>(cancel, $"""
            select f.reason as name, f.method, sum(f.made - f.passed)::bigint as count, sum(f.rework_minutes) as rework_minutes, sum(f.parts_lost)::bigint as parts_lost
            {Days(ByJob(scope, filter))} and f.made > f.passed
            group by 1, 2
            """, Args(scope, filter))).GroupBy(r => r.Name).Select(g => new ReasonCount(
                g.Key is { } name ? Wire.Parse<ReworkReason>(name) : null, g.Sum(r => r.Count), g.Sum(r => r.ReworkMinutes), g.Sum(r => r.PartsLost), g.Sum(r => prices.Of(r.Method, r.ReworkMinutes, r.PartsLost))))
            .OrderByDescending(r => r.Count).ThenBy(r => r.Reason)];
    }

    /// <summary>Shards that containers lack, by group: those of a batch are shared among its connectors as they made them.</summary>
    public async Task<IReadOnlyDictionary<string, double>> ShardsMissing(Scope scope, YieldBy by, YieldFilter filter, CancellationToken cancel = default)
    {
        var (column, list) = KeyOf(by);
        await using var c = await db.OpenConnectionAsync(cancel);
        return (await c.Query<(string Key, double Missing)>(cancel, $"""
            select {(list ? "x.key" : column)} as key, sum(f.missing) as missing
            from (select f.*, coalesce(b.missing * f.shards::double precision / nullif(sum(f.shards) over (partition by b.batch_id), 0), b.missing::double precision / count(*) over (partition by b.batch_id)) as missing
                  from (select stream_id as batch_id, -(state ->> 'off')::int as missing from stream_state where company_id = @CompanyId and stream = 'Batch' and is_open and (state ->> 'off')::int < 0) b
                  join batch_end n on n.company_id = @CompanyId and n.batch_id = b.batch_id
                  join fact_attempt f on f.company_id = @CompanyId and f.version = (select version from projection where name = 'facts') and f.end_id = n.end_id and f.batch_id = b.batch_id) f
            {(list ? $"cross join unnest({column}) as x (key)" : "")}
            where coalesce(f.accepted_at, f.given_up_at, f.started_at) >= @from and coalesce(f.accepted_at, f.given_up_at, f.started_at) < @to and {Seen}
            group by 1
            """, Args(scope, filter))).ToDictionary(r => r.Key, r => r.Missing);
    }

    /// <summary>The last losses of a view, the oldest of them first: the losses that connectors were accepted or rejected by.</summary>
    public async Task<IReadOnlyList<LossValue>> LossesOf(Scope scope, YieldBy by, LossFilter filter, int most, CancellationToken cancel = default)
    {
        var (column, list) = KeyOf(by);
        // Lots, tools and schools stand with the attempt that the reading belongs to.
        var attempt = list ? "join fact_attempt a on a.company_id = f.company_id and a.version = f.version and a.end_id = f.end_id and a.run_id = f.run_id" : "";
        await using var c = await db.OpenConnectionAsync(cancel);
        var rows = await c.Query<LossRow>(cancel, $"""
            select {(list ? "x.key" : "g.key")} as key, g.loss_db, g.over_limit
            from (select {(list ? column.Replace("f.", "a.", StringComparison.Ordinal) : column)} as key, f.loss_db, f.loss_db > f.limit_db is true as over_limit, f.at, f.event_id
                  from fact_reading f
                  {attempt}
                  where f.company_id = @CompanyId and f.version = (select version from projection where name = 'facts') and f.at >= @from and f.at < @to and f.kind = @kind and f.wavelength_nm = @wavelengthNm and {Seen}
                  order by f.at desc limit @most) g
            {(list ? "cross join unnest(g.key) as x (key)" : "")}
            order by g.at, g.event_id
            """, Args(scope, filter.Of, new { filter.Kind, filter.WavelengthNm, most }));
        return [.. rows.Select(r => new LossValue(r.Key, r.LossDb, r.OverLimit))];
    }

    /// <summary>The kinds and wavelengths of losses that there are lately, the most frequent first.</summary>
    public async Task<IReadOnlyList<(string Kind, int WavelengthNm)>> LossKinds(Scope scope, YieldFilter filter, CancellationToken cancel = default)
    {
        await using var c = await db.OpenConnectionAsync(cancel);
        return [.. await c.Query<(string, int)>(cancel, $"""
            select g.kind, g.wavelength_nm from (select f.kind, f.wavelength_nm from fact_reading f
                where f.company_id = @CompanyId and f.version = (select version from projection where name = 'facts') and f.at >= @from and f.at < @to and f.wavelength_nm is not null and {Seen} order by f.at desc limit 5000) g
            group by 1, 2 order by count(*) desc, 1, 2
            """, Args(scope, filter))];
    }

    /// <summary>The last connectors that were made with a tool, in their order.</summary>
    public async Task<IReadOnlyList<MadeWith>> MadeBy(Scope scope, ToolId toolId, int most, CancellationToken cancel = default)
    {
        await using var c = await db.OpenConnectionAsync(cancel);
        return [.. (await c.Query<MadeWith>(cancel, """
            select f.started_at, f.cleaves, f.arcs, f.first_pass as passed
            from fact_attempt f
            where f.company_id = @CompanyId and f.version = (select version from projection where name = 'facts') and f.tool_ids @> array[@tool] and f.tool_ids <> '{}' and f.outcome <> 'open'
              and (@Office or (f.crew_id = @WorkCrewId and (@MayPlan or f.person_id = @PersonId))) and (@Jobs::uuid[] is null or f.job_id = any(@Jobs))
            order by f.started_at desc, f.end_id limit @most
            """, Store.Jobs.Params(scope, new { tool = toolId.Value, most }))).Reverse()];
    }

    /// <summary>The ends behind a group, the last first.</summary>
    /// <param name="key">Null for all.</param>
    /// <param name="and">Of a second group, too.</param>
    public async Task<IReadOnlyList<YieldEnd>> Ends(Scope scope, YieldBy by, string? key, (YieldBy By, string Key)? and, YieldFilter filter, int limit, CancellationToken cancel = default)
    {
        await using var c = await db.OpenConnectionAsync(cancel);
        return [.. (await c.Query<EndRow>(cancel, $"""
            select f.end_id, f.job_id, coalesce(sp.code, '') as space_code, coalesce(p.code, '') as panel_code, e.port, e.position, k.code as cable_code, e.strand, e.side, e.form, f.attempt,
                   coalesce(f.accepted_at, f.given_up_at) as ended_at, f.outcome, f.first_pass as passed, f.reason
            {Attempts}{(key is null ? "" : $" and {Is(by, "key")}")}{(and is { } a ? $" and {Is(a.By, "second")}" : "")}
            order by f.first_pass, coalesce(f.accepted_at, f.given_up_at) desc, f.end_id limit @limit
            """, Args(scope, filter, new { key, second = and?.Key, limit }))).Select(r => new YieldEnd(
                r.EndId, r.JobId, Addresses.Of(r.SpaceCode, r.PanelCode, r.Port, r.Position, r.CableCode, r.Strand, r.Side, r.Form), r.Attempt, r.EndedAt, Wire.Parse<AttemptOutcome>(r.Outcome), r.Passed,
                r.Reason is { } why ? Wire.Parse<ReworkReason>(why) : null))];
    }

    /// <summary>Lots of connectors that this person sees, whose number holds a text.</summary>
    public async Task<IReadOnlyList<string>> LotsLike(Scope scope, string text, int most, CancellationToken cancel = default)
    {
        await using var c = await db.OpenConnectionAsync(cancel);
        return [.. await c.Query<string>(cancel, """
            select l.lot from (select distinct lot from yield_set s, unnest(s.lots) as u (lot) where s.company_id = @CompanyId and strpos(lower(lot), lower(@text)) > 0 order by lot limit 50) l
            where exists (select 1 from fact_attempt f where f.company_id = @CompanyId and f.lots @> array[l.lot] and f.lots <> '{}' and (@Office or (f.crew_id = @WorkCrewId and (@MayPlan or f.person_id = @PersonId)))
                          and (@Jobs::uuid[] is null or f.job_id = any(@Jobs)))
            order by 1 limit @most
            """, Store.Jobs.Params(scope, new { text, most }))];
    }

    public async Task<bool> NamesPeople(CompanyId companyId, CancellationToken cancel = default)
    {
        await using var c = await db.OpenConnectionAsync(cancel);
        return await c.Scalar<bool>(cancel, "select names_people from company where company_id = @companyId", new { companyId });
    }

    public async Task NamePeople(CompanyId companyId, bool named, CancellationToken cancel = default)
    {
        await using var c = await db.OpenConnectionAsync(cancel);
        await c.Run(cancel, "update company set names_people = @named where company_id = @companyId", new { companyId, named });
    }

    /// <summary>What the keys of a view are called.</summary>
    public async Task<IReadOnlyDictionary<string, string>> Names(CompanyId companyId, YieldBy by, IReadOnlyCollection<string> keys, CancellationToken cancel = default)
    {
        var sql = by switch
        {
            YieldBy.Crew => "select crew_id::text, name from crew where company_id = @companyId and crew_id = any(@ids)",
            YieldBy.Person => "select person_id::text, name from person where company_id = @companyId and person_id = any(@ids)",
            YieldBy.Job => "select job_id::text, customer || ' · ' || site from job where company_id = @companyId and job_id = any(@ids)",
            YieldBy.Space => "select space_id::text, code || ' · ' || name from space where company_id = @companyId and space_id = any(@ids)",
            YieldBy.Tool => "select stream_id::text, trim(coalesce(state->>'name', '') || ' ' || coalesce(state->>'number', '')) from stream_state where company_id = @companyId and stream = 'Tool' and stream_id = any(@ids)",
            _ => null,
        };
        // As ids, which an index finds: hundreds of texts would be held against every row there is.
        var ids = keys.Select(k => Guid.TryParse(k, out var id) ? id : (Guid?)null).OfType<Guid>().ToArray();
        if (sql is null || ids.Length == 0)
        {
            return new Dictionary<string, string>();
        }

        await using var c = await db.OpenConnectionAsync(cancel);
        return (await c.Query<(string Key, string Name)>(cancel, sql, new { companyId, ids })).ToDictionary(r => r.Key, r => r.Name);
    }

    private static Dapper.DynamicParameters Args(Scope scope, YieldFilter f, object? more = null)
    {
        var p = Store.Jobs.Params(scope, new
        {
            fromDay = f.From,
            toDay = f.To,
            from = f.From.AtStartOfDayInZone(DateTimeZone.Utc).ToInstant(),
            to = f.To.PlusDays(1).AtStartOfDayInZone(DateTimeZone.Utc).ToInstant(),
            jobId = f.JobId,
            crewId = f.CrewId,
            method = f.Method,
            construction = f.Construction,
        });
        p.AddDynamicParams(more);
        return p;
    }
}
