using System.Text.Json;
using Npgsql;
using Rhabdon.Core;
using Rhabdon.Core.Day;

namespace Rhabdon.Store;

/// <summary>Days as the ledger has them: what was done at a site, and whose hours it were; and what the customer pays for it.</summary>
public sealed class Days(NpgsqlDataSource db)
{
    /// <summary>What was said of a job's ends in a time.</summary>
    public async Task<IReadOnlyList<DayEntry>> Entries(CompanyId companyId, JobId jobId, Instant from, Instant to, CancellationToken cancel = default)
    {
        await using var c = await db.OpenConnectionAsync(cancel);
        return [.. await c.Query<DayEntry>(cancel, """
            select e.end_id, l.actor_id as by, l.at, l.kind
            from cable_end e join ledger l on l.company_id = e.company_id and l.stream = 'End' and l.stream_id = e.end_id
            where e.company_id = @companyId and e.job_id = @jobId and l.at >= @from and l.at < @to
            order by l.at, l.seq
            """, new { companyId, jobId, from, to })];
    }

    /// <summary>Days from first to last act, by the calendar of the site, and what was said of them: a person's own; their crew's for a lead; all for the office. Newest first.</summary>
    /// <param name="to">The last day.</param>
    public async Task<IReadOnlyList<WorkedDay>> Hours(Scope scope, LocalDate from, LocalDate to, CancellationToken cancel = default)
    {
        await using var c = await db.OpenConnectionAsync(cancel);
        // A day and a bit more on either side: the calendar is the site's, and the index knows but the clock.
        return [.. await c.Query<WorkedDay>(cancel, """
            with shown as (
                select p.person_id, p.name, w.name as crew_name from person p left join crew w on w.company_id = p.company_id and w.crew_id = p.crew_id
                where p.company_id = @CompanyId and (@Office or p.person_id = @PersonId or (@MayPlan and p.crew_id = @CrewId))),
            said as (
                select l.actor_id as person_id, (l.at at time zone j.time_zone)::date as day, min(l.at) as first_at, max(l.at) as last_at, count(*)::int as entries, (count(*) filter (where l.kind = 'Accepted'))::int as accepted
                from ledger l
                left join cable_end e on l.stream = 'End' and e.company_id = l.company_id and e.end_id = l.stream_id
                left join stream_state s on l.stream <> 'End' and s.company_id = l.company_id and s.stream = l.stream and s.stream_id = l.stream_id
                join job j on j.company_id = l.company_id and j.job_id = coalesce(e.job_id, s.job_id)
                where l.company_id = @CompanyId and l.at >= @early and l.at < @late and l.actor_id in (select person_id from shown)
                group by 1, 2)
            select w.person_id, w.name, w.crew_name, coalesce(d.day, h.day) as day, d.first_at, d.last_at, coalesce(d.entries, 0) as entries, coalesce(d.accepted, 0) as accepted, h.minutes as said_minutes, h.note, b.name as said_by
            from said d
            full join (select * from hours_said where company_id = @CompanyId and day between @from and @to) h on h.person_id = d.person_id and h.day = d.day
            join shown w on w.person_id = coalesce(d.person_id, h.person_id)
            left join person b on b.company_id = h.company_id and b.person_id = h.said_by
            where coalesce(d.day, h.day) between @from and @to
            order by coalesce(d.day, h.day) desc, w.name, w.person_id
            """, new { scope.CompanyId, scope.PersonId, scope.CrewId, scope.Office, scope.MayPlan, from, to, early = from.AtMidnight().InUtc().ToInstant() - Duration.FromHours(15), late = to.PlusDays(1).AtMidnight().InUtc().ToInstant() + Duration.FromHours(15) })];
    }

    /// <summary>True where this person's hours are theirs to say: their own, their crew's for a lead, all for the office.</summary>
    public async Task<bool> MaySay(Scope scope, PersonId personId, CancellationToken cancel = default)
    {
        await using var c = await db.OpenConnectionAsync(cancel);
        return await c.Scalar<bool>(cancel, "select exists (select 1 from person p where p.company_id = @CompanyId and p.person_id = @whose and (@Office or p.person_id = @PersonId or (@MayPlan and p.crew_id = @CrewId)))",
            new { scope.CompanyId, scope.PersonId, scope.CrewId, scope.Office, scope.MayPlan, whose = personId });
    }

    /// <param name="minutes">Null where the ledger's count holds again.</param>
    public async Task SayHours(CompanyId companyId, PersonId personId, LocalDate day, int? minutes, string note, PersonId by, Instant now, CancellationToken cancel = default)
    {
        await using var c = await db.OpenConnectionAsync(cancel);
        await c.Run(cancel, minutes is null ? "delete from hours_said where company_id = @companyId and person_id = @personId and day = @day" : """
            insert into hours_said (company_id, person_id, day, minutes, note, said_by, said_at) values (@companyId, @personId, @day, @minutes, @note, @by, @now)
            on conflict (company_id, person_id, day) do update set minutes = @minutes, note = @note, said_by = @by, said_at = @now
            """, new { companyId, personId, day, minutes, note, by, now });
    }

    public async Task<JobPrices> Prices(CompanyId companyId, JobId jobId, CancellationToken cancel = default)
    {
        await using var c = await db.OpenConnectionAsync(cancel);
        return await c.Scalar<string>(cancel, "select prices::text from job_price where company_id = @companyId and job_id = @jobId", new { companyId, jobId }) is { } json ? JsonSerializer.Deserialize<JobPrices>(json, Wire.Json)! : JobPrices.None;
    }

    public async Task SetPrices(CompanyId companyId, JobId jobId, JobPrices prices, PersonId by, Instant now, CancellationToken cancel = default)
    {
        await using var c = await db.OpenConnectionAsync(cancel);
        await c.Run(cancel, """
            insert into job_price (company_id, job_id, prices, changed_by, changed_at) values (@companyId, @jobId, @json::jsonb, @by, @now)
            on conflict (company_id, job_id) do update set prices = @json::jsonb, changed_by = @by, changed_at = @now
            """, new { companyId, jobId, json = JsonSerializer.Serialize(prices, Wire.Json), by, now });
    }
}
