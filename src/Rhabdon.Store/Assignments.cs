using Npgsql;
using Rhabdon.Core.Planning;

namespace Rhabdon.Store;

/// <summary>One line of what was ever given to whom: ends of one place that went together.</summary>
/// <param name="Ends">How many went then.</param>
/// <param name="StillHeld">How many of them nobody has given to others since.</param>
/// <param name="Since">Null where it was so from the planning on.</param>
public sealed record AssignedLine(PlaceId PlaceId, int FromPort, int ToPort, long Ends, Instant? Since, string CrewName, string? PersonName, string? GivenBy, long StillHeld);

/// <summary>Who works which end, and who did.</summary>
public sealed class Assignments(NpgsqlDataSource db)
{
    /// <summary>The ends that a choice means, among those of a job.</summary>
    public async Task<IReadOnlyList<EndId>> Chosen(CompanyId companyId, JobId jobId, PlaceId? placeId, int? fromPort, int? toPort, BatchId? batchId, EndId[]? endIds, CancellationToken cancel = default)
    {
        await using var c = await db.OpenConnectionAsync(cancel);
        return [.. await c.Query<EndId>(cancel, """
            select e.end_id from cable_end e
            where e.company_id = @companyId and e.job_id = @jobId
              and (@placeId::uuid is null or e.place_id = @placeId) and (@fromPort::int is null or e.port >= @fromPort) and (@toPort::int is null or e.port <= @toPort)
              and (@batchId::uuid is null or exists (select 1 from end_state s where s.company_id = e.company_id and s.end_id = e.end_id and s.batch_id = @batchId))
              and (@endIds::uuid[] is null or e.end_id = any(@endIds))
            order by e.place_id, e.port, e.position
            """, new { companyId, jobId, placeId, fromPort, toPort, batchId, endIds })];
    }

    /// <summary>What was given to whom in a job, newest first.</summary>
    public async Task<IReadOnlyList<AssignedLine>> Of(CompanyId companyId, JobId jobId, CancellationToken cancel = default)
    {
        await using var c = await db.OpenConnectionAsync(cancel);
        return [.. await c.Query<AssignedLine>(cancel, """
            with line as (
                select e.place_id, e.port, a.since, a.crew_id, a.person_id, a.event_id,
                       a.since = max(a.since) over (partition by a.end_id) and a.seq = max(a.seq) over (partition by a.end_id, a.since) as holds
                from assigned a join cable_end e on e.company_id = a.company_id and e.end_id = a.end_id
                where a.company_id = @companyId and e.job_id = @jobId)
            select n.place_id, min(n.port) as from_port, max(n.port) as to_port, count(*) as ends, case when isfinite(n.since) then n.since end as since,
                   w.name as crew_name, p.name as person_name, b.name as given_by, count(*) filter (where n.holds) as still_held
            from line n
            join crew w on w.company_id = @companyId and w.crew_id = n.crew_id
            left join person p on p.company_id = @companyId and p.person_id = n.person_id
            left join ledger l on l.company_id = @companyId and l.event_id = n.event_id
            left join person b on b.company_id = @companyId and b.person_id = l.actor_id
            group by n.place_id, n.since, w.name, p.name, b.name
            order by n.since desc, n.place_id, from_port limit 500
            """, new { companyId, jobId })];
    }

    private sealed record Row(EndId EndId, Instant? Since, CrewId CrewId, PersonId? PersonId);

    /// <summary>Everything that was ever assigned of these ends.</summary>
    internal static async Task<ILookup<EndId, Assignment>> Of(NpgsqlConnection c, NpgsqlTransaction t, CompanyId companyId, EndId[] endIds, CancellationToken cancel) =>
        (await c.Query<Row>(cancel, "select end_id, case when isfinite(since) then since end as since, crew_id, person_id from assigned where company_id = @companyId and end_id = any(@endIds) order by since, seq",
            new { companyId, endIds }, t)).ToLookup(r => r.EndId, r => new Assignment(r.Since is { } at ? at : Instant.MinValue, r.CrewId, r.PersonId));

    /// <summary>Notes an assignment, and lets the one that began last hold.</summary>
    internal static async Task Write(NpgsqlConnection c, NpgsqlTransaction t, CompanyId companyId, EndId[] endIds, Assignment to, EventId? eventId, CancellationToken cancel = default)
    {
        await c.Run(cancel, "insert into assigned (company_id, end_id, since, crew_id, person_id, event_id) select @companyId, end_id, @since, @CrewId, @PersonId, @eventId from unnest(@endIds) as n (end_id) where @companyId::uuid is not null",
            new { companyId, endIds, since = to.Since, to.CrewId, to.PersonId, eventId }, t);
        await c.Run(cancel, """
            update cable_end e set crew_id = n.crew_id, person_id = n.person_id
            from (select distinct on (end_id) end_id, crew_id, person_id from assigned where company_id = @companyId and end_id = any(@endIds) order by end_id, since desc, seq desc) n
            where e.company_id = @companyId and e.end_id = n.end_id
            """, new { companyId, endIds }, t);
    }
}
