using Npgsql;
using Rhabdon.Core;
using Rhabdon.Core.Connectors;
using Rhabdon.Core.Ledger;
using Rhabdon.Core.Planning;

namespace Rhabdon.Store;

/// <summary>Ends of one panel or jumper by one method, and how far they have come.</summary>
/// <param name="Place">As the panel is called.</param>
/// <param name="Mine">Of them, given to this very person.</param>
public sealed record PlaceCount(JobId JobId, PlaceId PlaceId, string Place, string SpaceName, TerminationMethod Method, EndStatus Status, long Ends, long Mine);

/// <summary>What was proven in one space: of its ends, and the least that a reading had in hand.</summary>
/// <param name="Space">Empty for what lands on no panel.</param>
/// <param name="LeastInHandDb">Limit less loss, of the reading that came closest; null before anything accepted was measured.</param>
public sealed record SpaceProof(JobId JobId, string Space, long Ends, long Accepted, double? WorstLossDb, double? WorstLimitDb, double? LeastInHandDb);

/// <summary>What the first screen asks, in one question each, over the few jobs that it shows.</summary>
public sealed class Today(NpgsqlDataSource db)
{
    private sealed record Accepted(JobId JobId, LocalDate On, long Count);

    private sealed record WaitingRow(EndId EndId, string State);

    /// <summary>How many connectors these jobs came to accept on each of the last days of their sites.</summary>
    public async Task<ILookup<JobId, DayCount>> AcceptedByDay(CompanyId companyId, JobId[] jobIds, Instant since, CancellationToken cancel)
    {
        await using var c = await db.OpenConnectionAsync(cancel);
        return (await c.Query<Accepted>(cancel, """
            select f.job_id, (f.accepted_at at time zone j.time_zone)::date as "on", count(*) as count
            from projection p
            join fact_attempt f on f.company_id = @companyId and f.version = p.version and f.job_id = any(@jobIds) and f.accepted_at >= @since
            join job j on j.company_id = @companyId and j.job_id = f.job_id
            where p.name = 'facts' group by 1, 2
            """, new { companyId, jobIds, since })).ToLookup(a => a.JobId, a => new DayCount(a.On, (int)a.Count));
    }

    /// <summary>What stands or stood in the way of these jobs.</summary>
    public async Task<IReadOnlyDictionary<JobId, JobState>> States(CompanyId companyId, JobId[] jobIds, CancellationToken cancel)
    {
        await using var c = await db.OpenConnectionAsync(cancel);
        return (await c.Query<string>(cancel, "select state::text from stream_state where company_id = @companyId and stream = 'Job' and stream_id = any(@jobIds)", new { companyId, jobIds }))
            .Select(s => (JobState)Streams.Read(s)).ToDictionary(s => s.Id.As<Ids.Job>());
    }

    /// <summary>How many ends of these jobs lie where and have come how far, as far as this person sees them.</summary>
    public async Task<IReadOnlyList<PlaceCount>> Places(Scope scope, JobId[] jobIds, CancellationToken cancel)
    {
        await using var c = await db.OpenConnectionAsync(cancel);
        return [.. await c.Query<PlaceCount>(cancel, $"""
            select n.job_id, n.place_id, coalesce(sp.code || '-' || p.code, k.code) as place, coalesce(sp.name, '') as space_name, n.method, n.status, n.ends, n.mine
            from (select e.job_id, e.place_id, (array_agg(e.panel_id))[1] as panel_id, (array_agg(e.cable_id))[1] as cable_id, e.method, coalesce(s.status, 'Planned') as status,
                         count(*) as ends, count(*) filter (where e.person_id = @PersonId) as mine
                  from cable_end e
                  join job j on j.company_id = e.company_id and j.job_id = e.job_id
                  left join end_state s on s.company_id = e.company_id and s.end_id = e.end_id
                  where e.company_id = @CompanyId and e.job_id = any(@jobIds) and {Scope.SeesEnd}
                  group by e.job_id, e.place_id, e.method, coalesce(s.status, 'Planned')) n
            left join panel p on p.company_id = @CompanyId and p.panel_id = n.panel_id
            left join space sp on sp.company_id = @CompanyId and sp.space_id = p.space_id
            left join cable k on k.company_id = @CompanyId and k.cable_id = n.cable_id
            order by n.job_id, sp.code, p.code, k.code, n.method, n.status
            """, Jobs.Params(scope, new { jobIds }))];
    }

    /// <summary>States of these ends, for what a list does not hold.</summary>
    public async Task<IReadOnlyDictionary<EndId, EndState>> Ends(CompanyId companyId, EndId[] endIds, CancellationToken cancel)
    {
        await using var c = await db.OpenConnectionAsync(cancel);
        return (await c.Query<WaitingRow>(cancel, "select end_id, state::text as state from end_state where company_id = @companyId and end_id = any(@endIds)", new { companyId, endIds }))
            .ToDictionary(r => r.EndId, r => EndStates.Read(r.State));
    }

    /// <summary>Who these people are.</summary>
    public async Task<IReadOnlyDictionary<PersonId, string>> Names(CompanyId companyId, PersonId[] personIds, CancellationToken cancel)
    {
        await using var c = await db.OpenConnectionAsync(cancel);
        return (await c.Query<(PersonId PersonId, string Name)>(cancel, "select person_id, name from person where company_id = @companyId and person_id = any(@personIds)", new { companyId, personIds })).ToDictionary(r => r.PersonId, r => r.Name);
    }

    /// <summary>What a customer asks of a job: how much is proven, where, and by how much it keeps its limits.</summary>
    public async Task<IReadOnlyList<SpaceProof>> Proven(Scope scope, JobId[] jobIds, CancellationToken cancel)
    {
        await using var c = await db.OpenConnectionAsync(cancel);
        return [.. await c.Query<SpaceProof>(cancel, $"""
            select n.job_id, coalesce(sp.code || ' ' || sp.name, '') as space, sum(n.ends)::bigint as ends, sum(n.accepted)::bigint as accepted, w.loss_db as worst_loss_db, w.limit_db as worst_limit_db, w.limit_db - w.loss_db as least_in_hand_db
            from (select e.job_id, p.space_id, count(*) as ends, count(*) filter (where s.status = 'Accepted') as accepted
                  from cable_end e
                  join job j on j.company_id = e.company_id and j.job_id = e.job_id
                  left join panel p on p.company_id = e.company_id and p.panel_id = e.panel_id
                  left join end_state s on s.company_id = e.company_id and s.end_id = e.end_id
                  where e.company_id = @CompanyId and e.job_id = any(@jobIds) and {Scope.SeesEnd}
                  group by e.job_id, p.space_id) n
            left join space sp on sp.company_id = @CompanyId and sp.space_id = n.space_id
            left join lateral (
                  select r.loss_db, r.limit_db from projection v
                  join fact_attempt a on a.company_id = @CompanyId and a.version = v.version and a.job_id = n.job_id and a.accepted_at is not null and a.space_id is not distinct from n.space_id
                  join fact_reading r on r.company_id = @CompanyId and r.version = v.version and r.end_id = a.end_id and r.run_id = a.run_id and r.kind = 'link' and r.limit_db is not null
                  where v.name = 'facts' order by r.limit_db - r.loss_db limit 1) w on true
            group by n.job_id, sp.code, sp.name, w.loss_db, w.limit_db
            order by n.job_id, sp.code
            """, Jobs.Params(scope, new { jobIds }))];
    }
}
