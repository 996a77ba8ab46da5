using Npgsql;

namespace Rhabdon.Store;

/// <summary>
/// How each job stands: its ends, and how many of them have come how far. Kept by the database with
/// each change of an end, whoever makes it; counted from the ends again where another version of the program did it.
/// </summary>
public sealed class JobTotals(NpgsqlDataSource db) : BatchProjection(db)
{
    protected override string Name => "job-totals";

    protected override int Version => 2;

    protected override (string Table, string Id) Over => ("job", "job_id");

    protected override int BatchSize => 50;

    /// <summary>Whoever changes an end of a job meanwhile waits for its line: what they did is in the count or is added after it, never both.</summary>
    protected override async Task Make(NpgsqlConnection c, NpgsqlTransaction t, CompanyId companyId, Guid[] ids, CancellationToken cancel)
    {
        await c.Run(cancel, "insert into job_total (company_id, job_id) select @companyId, id from unnest(@ids) as n (id) order by id on conflict (company_id, job_id) do update set ends = job_total.ends", new { companyId, ids }, t);
        await c.Run(cancel, """
            update job_total t set ends = e.ends, accepted = s.accepted, needs_decision = s.needs_decision, to_remake = s.to_remake, at_bench = s.at_bench,
                to_look = s.to_look, to_measure = s.to_measure, to_accept = s.to_accept
            from unnest(@ids) as n (id),
                 lateral (select count(*) as ends from cable_end where company_id = @companyId and job_id = n.id) e,
                 lateral (select count(*) filter (where status = 'Accepted') as accepted, count(*) filter (where status = 'NeedsDecision') as needs_decision,
                                 count(*) filter (where status = 'ToRemake') as to_remake, count(*) filter (where status = 'AtBench') as at_bench,
                                 count(*) filter (where status = 'ToLook') as to_look, count(*) filter (where status = 'ToMeasure') as to_measure, count(*) filter (where status = 'ToAccept') as to_accept
                          from end_state where company_id = @companyId and job_id = n.id) s
            where t.company_id = @companyId and t.job_id = n.id
            """, new { companyId, ids }, t);
    }
}
