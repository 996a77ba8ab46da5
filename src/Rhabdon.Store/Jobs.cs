using Dapper;
using Npgsql;

namespace Rhabdon.Store;

/// <param name="DueOn">As in 2026-11-30.</param>
/// <param name="TimeZone">IANA name of the site's zone.</param>
/// <param name="Number">The company's own number for it; empty where it has none.</param>
/// <param name="CrewId">The crew whose lead plans it; who works which end is assigned apart from it. Viewers are not told.</param>
/// <param name="FaceLimitSetId">What its faces are held to; null where the house limits in force hold.</param>
/// <param name="Finished">Every planned end is accepted.</param>
/// <param name="Version">Rises with each change; a change says which one it was made on.</param>
public sealed record Job(
    JobId JobId, string Number, string Customer, string Site, string TimeZone, string DueOn, string LimitSetId, string? FaceLimitSetId, CrewId? CrewId, string? CrewName,
    long Ends, long Accepted, long NeedsDecision, long ToRemake, long AtBench, long ToLook, long ToMeasure, long ToAccept, bool Finished, int Version)
{
    /// <summary>Ends that nobody has begun: with all the others they are the ends of the job.</summary>
    public long Planned => Ends - Accepted - NeedsDecision - ToRemake - AtBench - ToLook - ToMeasure - ToAccept;
}

/// <summary>What the office or a lead says of a job.</summary>
public sealed record JobFields(string Number, string Customer, string Site, string TimeZone, string DueOn, string LimitSetId, string? FaceLimitSetId, CrewId CrewId);

/// <summary>Jobs: which there are, and how each stands. What is planned in them is in <see cref="Plan"/>.</summary>
public sealed class Jobs(NpgsqlDataSource db)
{
    private const string JobColumns = """
        j.job_id, j.number, j.customer, j.site, j.time_zone, to_char(j.due_on, 'YYYY-MM-DD') as due_on, j.limit_set_id, j.face_limit_set_id, case when not @Viewer then j.crew_id end as crew_id, case when not @Viewer then w.name end as crew_name,
        coalesce(s.ends, 0) as ends, coalesce(s.accepted, 0) as accepted, coalesce(s.needs_decision, 0) as needs_decision, coalesce(s.to_remake, 0) as to_remake, coalesce(s.at_bench, 0) as at_bench, coalesce(s.to_look, 0) as to_look, coalesce(s.to_measure, 0) as to_measure, coalesce(s.to_accept, 0) as to_accept, not j.is_open as finished, j.version
        """;

    private const string JobFacts = """
        join crew w on w.company_id = j.company_id and w.crew_id = j.crew_id
        left join job_total s on s.company_id = j.company_id and s.job_id = j.job_id
        """;

    public const string FindSql = $"""
        select {JobColumns} from job j {JobFacts} where j.company_id = @CompanyId and j.job_id = @jobId and {Scope.SeesJob}
        """;

    /// <summary>All jobs: open ones before finished ones, newest due first. Keyset paging: <paramref name="after"/> is the last job of the page before.</summary>
    /// <param name="find">Part of the customer's or the site's name; null takes all.</param>
    public async Task<IReadOnlyList<Job>> List(Scope scope, string? find, JobId? after, int limit, CancellationToken cancel = default)
    {
        await using var c = await db.OpenConnectionAsync(cancel);
        return [.. await c.Query<Job>(cancel, $"""
            select {JobColumns}
            from (select j.* from job j
                  where j.company_id = @CompanyId and {Scope.SeesJob}
                    and (@find::text is null or strpos(lower(j.number || ' ' || j.customer || ' ' || j.site), lower(@find)) > 0)
                    and (@after::uuid is null or (j.is_open, j.due_on, j.job_id) < (select p.is_open, p.due_on, p.job_id from job p where p.company_id = @CompanyId and p.job_id = @after))
                  order by j.is_open desc, j.due_on desc, j.job_id desc limit @limit) j
            {JobFacts}
            order by j.is_open desc, j.due_on desc, j.job_id desc
            """, Params(scope, new { find, after, limit }))];
    }

    /// <summary>The work at hand: open jobs, the next one due first. Keyset paging as in <see cref="List"/>.</summary>
    public async Task<IReadOnlyList<Job>> AtHand(Scope scope, JobId? after, int limit, CancellationToken cancel = default)
    {
        await using var c = await db.OpenConnectionAsync(cancel);
        return [.. await c.Query<Job>(cancel, $"""
            select {JobColumns}
            from (select j.* from job j
                  where j.company_id = @CompanyId and j.is_open and {Scope.SeesJob}
                    and (@after::uuid is null or (j.due_on, j.job_id) > (select p.due_on, p.job_id from job p where p.company_id = @CompanyId and p.job_id = @after))
                  order by j.due_on, j.job_id limit @limit) j
            {JobFacts}
            order by j.due_on, j.job_id
            """, Params(scope, new { after, limit }))];
    }

    public async Task<Job?> Find(Scope scope, JobId jobId, CancellationToken cancel = default)
    {
        await using var c = await db.OpenConnectionAsync(cancel);
        return await c.One<Job>(cancel, FindSql, Params(scope, new { jobId }));
    }

    public async Task Add(CompanyId companyId, JobId jobId, JobFields f, CancellationToken cancel = default)
    {
        await using var c = await db.OpenConnectionAsync(cancel);
        await c.Run(cancel, """
            insert into job (company_id, job_id, number, customer, site, time_zone, due_on, limit_set_id, face_limit_set_id, crew_id, created_at)
            values (@companyId, @jobId, @Number, @Customer, @Site, @TimeZone, @DueOn::text::date, @LimitSetId, @FaceLimitSetId, @CrewId, now())
            """, new { companyId, jobId, f.Number, f.Customer, f.Site, f.TimeZone, f.DueOn, f.LimitSetId, f.FaceLimitSetId, f.CrewId });
    }

    /// <summary>Changes a job. Where it goes to another crew, the ends that were that crew's as a whole go with it, from now on.</summary>
    /// <returns>False when the job has changed since the version that the change was made on.</returns>
    public async Task<bool> Change(CompanyId companyId, JobId jobId, JobFields f, int version, Instant now, CancellationToken cancel = default)
    {
        await using var c = await db.OpenConnectionAsync(cancel);
        await using var t = await c.BeginTransactionAsync(cancel);
        var before = await c.One<CrewId?>(cancel, "select crew_id from job where company_id = @companyId and job_id = @jobId and version = @version for update", new { companyId, jobId, version }, t);
        if (before is null)
        {
            return false;
        }

        await c.Run(cancel, """
            update job set number = @Number, customer = @Customer, site = @Site, time_zone = @TimeZone, due_on = @DueOn::text::date, limit_set_id = @LimitSetId,
                face_limit_set_id = @FaceLimitSetId, crew_id = @CrewId, version = version + 1
            where company_id = @companyId and job_id = @jobId
            """, new { companyId, jobId, f.Number, f.Customer, f.Site, f.TimeZone, f.DueOn, f.LimitSetId, f.FaceLimitSetId, f.CrewId }, t);
        if (before != f.CrewId)
        {
            var ends = (await c.Query<EndId>(cancel, "select end_id from cable_end where company_id = @companyId and job_id = @jobId and crew_id = @before and person_id is null order by end_id for update",
                new { companyId, jobId, before }, t)).ToArray();
            await Assignments.Write(c, t, companyId, ends, new(now, f.CrewId, null), null, cancel);
        }

        await t.CommitAsync(cancel);
        return true;
    }

    public async Task<IReadOnlyList<PersonId>> Viewers(CompanyId companyId, JobId jobId, CancellationToken cancel = default)
    {
        await using var c = await db.OpenConnectionAsync(cancel);
        return [.. await c.Query<PersonId>(cancel, "select person_id from job_viewer where company_id = @companyId and job_id = @jobId", new { companyId, jobId })];
    }

    /// <summary>Names the people who may look at a job; only viewers of the company are taken.</summary>
    public async Task SetViewers(CompanyId companyId, JobId jobId, IReadOnlyList<PersonId> personIds, CancellationToken cancel = default)
    {
        await using var c = await db.OpenConnectionAsync(cancel);
        await using var t = await c.BeginTransactionAsync(cancel);
        await c.Run(cancel, "delete from job_viewer where company_id = @companyId and job_id = @jobId", new { companyId, jobId }, t);
        await c.Run(cancel, """
            insert into job_viewer (company_id, job_id, person_id)
            select company_id, @jobId, person_id from person where company_id = @companyId and role = 'Viewer' and person_id = any(@personIds)
            """, new { companyId, jobId, personIds = personIds.ToArray() }, t);
        await t.CommitAsync(cancel);
    }

    /// <summary>Notes which jobs are open: all but those whose every planned end is accepted. Who changed an end holds its job's totals until it is done, so the last one sees all.</summary>
    internal static async Task Stand(NpgsqlConnection c, NpgsqlTransaction t, CompanyId companyId, JobId[] jobIds, CancellationToken cancel = default)
    {
        if (jobIds.Length == 0)
        {
            return;
        }

        await c.Run(cancel, "select job_id from job where company_id = @companyId and job_id = any(@jobIds) order by job_id for no key update", new { companyId, jobIds }, t);
        await c.Run(cancel, """
            update job j set is_open = n.is_open
            from (select x.job_id, coalesce(s.ends, 0) = 0 or s.accepted < s.ends as is_open
                  from job x left join job_total s on s.company_id = x.company_id and s.job_id = x.job_id
                  where x.company_id = @companyId and x.job_id = any(@jobIds)) n
            where j.company_id = @companyId and j.job_id = n.job_id and j.is_open <> n.is_open
            """, new { companyId, jobIds }, t);
    }

    internal static DynamicParameters Params(Scope scope, object more)
    {
        var p = new DynamicParameters(more);
        p.AddDynamicParams(new { scope.CompanyId, scope.PersonId, scope.Office, scope.Viewer, scope.WorkCrewId, scope.MayPlan, Jobs = scope.Jobs?.Select(j => j.Value).ToArray() });
        return p;
    }

    /// <summary>When these jobs are due.</summary>
    public async Task<IReadOnlyDictionary<JobId, LocalDate>> DueOf(CompanyId companyId, IReadOnlyCollection<JobId> jobIds, CancellationToken cancel = default)
    {
        await using var c = await db.OpenConnectionAsync(cancel);
        return (await c.Query<(JobId JobId, LocalDate DueOn)>(cancel, "select job_id, due_on from job where company_id = @companyId and job_id = any(@ids)", new { companyId, ids = jobIds.Select(j => j.Value).ToArray() })).ToDictionary(j => j.JobId, j => j.DueOn);
    }
}
