using Npgsql;
using Rhabdon.Core;
using Rhabdon.Core.Connectors;
using Rhabdon.Core.Rework;
using Rhabdon.Core.Yield;

namespace Rhabdon.Store;

/// <summary>Which connectors are counted: those that were accepted or given up between two days.</summary>
/// <param name="To">The last day.</param>
public sealed record YieldFilter(LocalDate From, LocalDate To, JobId? JobId = null, CrewId? CrewId = null, string? Method = null, string? Construction = null);

/// <summary>An end that a view counts, with what it comes from.</summary>
/// <param name="Passed">Good at once.</param>
/// <param name="Reason">Why it last went back or was given up; null where nobody said.</param>
public sealed record YieldEnd(EndId EndId, JobId JobId, string Address, int Attempt, Instant EndedAt, AttemptOutcome Outcome, bool Passed, ReworkReason? Reason);

/// <summary>Counts connectors from the facts. Everybody sees their own, leads their crew's, the office all; viewers nothing.</summary>
public sealed class YieldCounts(NpgsqlDataSource db)
{
    private sealed record Row(string Key, LocalDate Week, string Method, string Construction, long Made, long Passed, double ReworkMinutes, long PartsLost);

    private sealed record EndRow(
        EndId EndId, JobId JobId, string SpaceCode, string PanelCode, int Port, int Position, string CableCode, int Strand, CableSide Side, ConnectorForm Form, int Attempt, Instant EndedAt, string Outcome, bool Passed, string? Reason);

    private sealed record Reason(string? Name, long Count, double ReworkMinutes, long PartsLost);

    private const string Counted = """
        from fact_attempt f
        join projection v on v.name = 'facts' and v.version = f.version
        {0}
        where f.company_id = @CompanyId and f.outcome <> 'open' and coalesce(f.accepted_at, f.given_up_at) >= @from and coalesce(f.accepted_at, f.given_up_at) < @to
          and (@Office or (f.crew_id = @WorkCrewId and (@MayPlan or f.person_id = @PersonId)))
          and (@Jobs::uuid[] is null or f.job_id = any(@Jobs)) and (@jobId::uuid is null or f.job_id = @jobId) and (@crewId::uuid is null or f.crew_id = @crewId)
          and (@method::text is null or f.method = @method) and (@construction::text is null or f.construction = @construction)
        """;

    /// <summary>What of an attempt the group is.</summary>
    private static string KeyOf(YieldBy by) => by switch
    {
        YieldBy.Method => "f.method",
        YieldBy.Construction => "f.construction",
        YieldBy.Form => "f.form",
        YieldBy.Polish => "f.polish",
        YieldBy.Mode => "f.mode",
        YieldBy.Crew => "f.crew_id::text",
        YieldBy.Person => "f.person_id::text",
        YieldBy.Procedure => "f.procedure_id || ' ' || f.procedure_version",
        YieldBy.Job => "f.job_id::text",
        YieldBy.Space => "coalesce(f.space_id::text, '')",
        YieldBy.Lot => "x.lot",
        _ => "x.tool::text",
    };

    private static string From(YieldBy by) => Counted.Replace("{0}", by switch
    {
        YieldBy.Lot => "cross join unnest(f.lots) as x (lot)",
        YieldBy.Tool => "cross join unnest(f.tool_ids) as x (tool)",
        _ => "",
    }, StringComparison.Ordinal);

    public async Task<IReadOnlyList<YieldRow>> Rows(Scope scope, YieldBy by, YieldFilter filter, CancellationToken cancel = default)
    {
        await using var c = await db.OpenConnectionAsync(cancel);
        return [.. (await c.Query<Row>(cancel, $"""
            select {KeyOf(by)} as key, date_trunc('week', coalesce(f.accepted_at, f.given_up_at) at time zone 'UTC')::date as week, f.method, f.construction,
                   count(*) as made, count(*) filter (where f.first_pass) as passed, sum(f.rework_minutes) as rework_minutes, sum(f.parts_lost)::bigint as parts_lost
            {From(by)}
            group by 1, 2, 3, 4
            """, Args(scope, filter))).Select(r => new YieldRow(r.Key, r.Week, r.Method, r.Construction, r.Made, r.Passed, r.ReworkMinutes, r.PartsLost))];
    }

    /// <summary>Why they went back or were given up, the most frequent first.</summary>
    /// <param name="partCost">Of a part that was lost, in the company's currency;</param>
    /// <param name="minuteCost">and of a minute.</param>
    public async Task<IReadOnlyList<ReasonCount>> Reasons(Scope scope, YieldFilter filter, double partCost, double minuteCost, CancellationToken cancel = default)
    {
        await using var c = await db.OpenConnectionAsync(cancel);
        return [.. (await c.Query<Reason>(cancel, $"""
            select f.reason as name, count(*) as count, sum(f.rework_minutes) as rework_minutes, sum(f.parts_lost)::bigint as parts_lost
            {From(YieldBy.Method)} and not f.first_pass
            group by 1 order by 2 desc, 1
            """, Args(scope, filter))).Select(r => new ReasonCount(r.Name is { } name ? Wire.Parse<ReworkReason>(name) : null, r.Count, r.ReworkMinutes, r.PartsLost, (r.ReworkMinutes * minuteCost) + (r.PartsLost * partCost)))];
    }

    /// <summary>The ends behind a group, the last first.</summary>
    public async Task<IReadOnlyList<YieldEnd>> Ends(Scope scope, YieldBy by, string key, YieldFilter filter, int limit, CancellationToken cancel = default)
    {
        await using var c = await db.OpenConnectionAsync(cancel);
        return [.. (await c.Query<EndRow>(cancel, $"""
            select f.end_id, f.job_id, coalesce(sp.code, '') as space_code, coalesce(p.code, '') as panel_code, e.port, e.position, k.code as cable_code, e.strand, e.side, e.form, f.attempt,
                   coalesce(f.accepted_at, f.given_up_at) as ended_at, f.outcome, f.first_pass as passed, f.reason
            {From(by).Replace("where f.company_id", """
            join cable_end e on e.company_id = f.company_id and e.end_id = f.end_id
            join cable k on k.company_id = e.company_id and k.cable_id = e.cable_id
            left join panel p on p.company_id = e.company_id and p.panel_id = e.panel_id
            left join space sp on sp.company_id = p.company_id and sp.space_id = p.space_id
            where f.company_id
            """, StringComparison.Ordinal)}
              and {KeyOf(by)} = @key
            order by f.first_pass, coalesce(f.accepted_at, f.given_up_at) desc, f.end_id limit @limit
            """, Args(scope, filter, new { key, limit }))).Select(r => new YieldEnd(
                r.EndId, r.JobId, Addresses.Of(r.SpaceCode, r.PanelCode, r.Port, r.Position, r.CableCode, r.Strand, r.Side, r.Form), r.Attempt, r.EndedAt, Wire.Parse<AttemptOutcome>(r.Outcome), r.Passed,
                r.Reason is { } why ? Wire.Parse<ReworkReason>(why) : null))];
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
            YieldBy.Crew => "select crew_id::text, name from crew where company_id = @companyId and crew_id::text = any(@keys)",
            YieldBy.Person => "select person_id::text, name from person where company_id = @companyId and person_id::text = any(@keys)",
            YieldBy.Job => "select job_id::text, customer || ' · ' || site from job where company_id = @companyId and job_id::text = any(@keys)",
            YieldBy.Space => "select space_id::text, code || ' · ' || name from space where company_id = @companyId and space_id::text = any(@keys)",
            YieldBy.Tool => "select stream_id::text, trim(coalesce(state->>'name', '') || ' ' || coalesce(state->>'number', '')) from stream_state where company_id = @companyId and stream = 'Tool' and stream_id::text = any(@keys)",
            _ => null,
        };
        if (sql is null || keys.Count == 0)
        {
            return new Dictionary<string, string>();
        }

        await using var c = await db.OpenConnectionAsync(cancel);
        return (await c.Query<(string Key, string Name)>(cancel, sql, new { companyId, keys = keys.ToArray() })).ToDictionary(r => r.Key, r => r.Name);
    }

    private static Dapper.DynamicParameters Args(Scope scope, YieldFilter f, object? more = null)
    {
        var p = Store.Jobs.Params(scope, new
        {
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
