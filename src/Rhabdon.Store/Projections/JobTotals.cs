using Npgsql;

namespace Rhabdon.Store;

/// <summary>
/// How each job stands: its ends, and how many are accepted, wait for a decision, are to be remade or at the bench. Kept in the database with
/// each change of an end, whoever makes it; counted from the ends again, job by job beside the running work, where another version of the program did it.
/// </summary>
public sealed class JobTotals(NpgsqlDataSource db)
{
    private const string Name = "job-totals";

    /// <summary>Raised by whoever changes what is counted.</summary>
    private const int Version = 1;

    private sealed record JobRow(CompanyId CompanyId, JobId JobId);

    public async Task BuildWhereOld(CancellationToken cancel = default)
    {
        await using var c = await db.OpenConnectionAsync(cancel);
        if (await c.Scalar<int?>(cancel, "select version from projection where name = @Name", new { Name }) == Version)
        {
            return;
        }

        foreach (var job in (await c.Query<JobRow>(cancel, "select company_id, job_id from job order by company_id, job_id")).ToList())
        {
            await Count(c, job, cancel);
        }

        await c.Run(cancel, """
            insert into projection (name, version, built_at) values (@Name, @Version, now())
            on conflict (name) do update set version = excluded.version, built_at = excluded.built_at
            """, new { Name, Version });
    }

    /// <summary>Whoever changes an end of the job meanwhile waits for its line: what they did is in the count or is added after it, never both.</summary>
    private static async Task Count(NpgsqlConnection c, JobRow job, CancellationToken cancel)
    {
        await using var t = await c.BeginTransactionAsync(cancel);
        await c.Run(cancel, "insert into job_total (company_id, job_id) values (@CompanyId, @JobId) on conflict (company_id, job_id) do update set ends = job_total.ends", job, t);
        await c.Run(cancel, """
            update job_total t set ends = e.ends, accepted = s.accepted, needs_decision = s.needs_decision, to_remake = s.to_remake, at_bench = s.at_bench
            from (select count(*) as ends from cable_end where company_id = @CompanyId and job_id = @JobId) e,
                 (select count(*) filter (where status = 'Accepted') as accepted, count(*) filter (where status = 'NeedsDecision') as needs_decision,
                         count(*) filter (where status = 'ToRemake') as to_remake, count(*) filter (where status = 'AtBench') as at_bench
                  from end_state where company_id = @CompanyId and job_id = @JobId) s
            where t.company_id = @CompanyId and t.job_id = @JobId
            """, job, t);
        await t.CommitAsync(cancel);
    }
}
