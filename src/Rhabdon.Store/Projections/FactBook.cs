using Npgsql;
using Rhabdon.Core.Ledger;
using Rhabdon.Core.Planning;
using Rhabdon.Core.Yield;

namespace Rhabdon.Store;

/// <summary>How far the facts have come.</summary>
/// <param name="More">False when there was nothing to do.</param>
/// <param name="Skipped">Ends of which none could be made, with the reason: they keep the facts they had, and stop nobody.</param>
public sealed record Followed(bool More, IReadOnlyList<(EndId EndId, string Reason)> Skipped);

/// <summary>
/// Keeps the facts of every end, some seconds behind the ledger. Intake notes with each state that its facts are due; one follower at a time
/// makes them, for whole batches, and takes the note out where nothing more has come meanwhile. Another version of the program makes all of
/// them anew beside those that are read, and only then are the new ones read.
/// </summary>
public sealed class FactBook(NpgsqlDataSource db)
{
    private const string Name = "facts";

    private const int MostEnds = 100;

    /// <summary>What there are facts of, and where they stand.</summary>
    public static readonly IReadOnlyDictionary<string, string> Kinds = new Dictionary<string, string> { ["attempts"] = "fact_attempt", ["acts"] = "fact_act", ["readings"] = "fact_reading", ["looks"] = "fact_look" };

    private sealed record DueRow(CompanyId CompanyId, EndId EndId, long Told);

    private sealed record Walk(int? Version, int? Building, Guid? AtCompanyId, Guid? AtEndId);

    private sealed record StateRow(EndId EndId, string State);

    /// <summary>Makes the facts of some ends that are due, or goes on with making all of them anew.</summary>
    public async Task<Followed> Follow(CancellationToken cancel = default)
    {
        await using var c = await db.OpenConnectionAsync(cancel);
        await using var t = await c.BeginTransactionAsync(cancel);
        // One follower at a time, whichever server it runs in.
        if (!await c.Scalar<bool>(cancel, "select pg_try_advisory_xact_lock(hashtextextended('rhabdon facts', 0))", transaction: t))
        {
            return new(false, []);
        }

        var due = (await c.Query<DueRow>(cancel, """
            select f.company_id, f.end_id, f.told from facts_due f
            where f.company_id = (select company_id from facts_due order by since limit 1) order by f.since limit @MostEnds
            """, new { MostEnds }, t)).ToList();
        if (due.Count > 0)
        {
            var skipped = new List<(EndId, string)>();
            // What one does on one strand says how long one was at the next: whole batches are made, and none of their ends once more.
            var made = (await c.Query<DueRow>(cancel, """
                select @CompanyId as company_id, n.end_id, coalesce(f.told, 0) as told
                from (select end_id from unnest(@due) as n (end_id)
                      union
                      select o.end_id from batch_end b join batch_end o on o.company_id = @CompanyId and o.batch_id = b.batch_id where b.company_id = @CompanyId and b.end_id = any(@due)) n
                left join facts_due f on f.company_id = @CompanyId and f.end_id = n.end_id
                """, new { due[0].CompanyId, due = due.Select(d => d.EndId).ToArray() }, t)).ToList();
            await MakeOrSkip(c, t, due[0].CompanyId, [.. made.Select(d => d.EndId)], skipped, cancel);
            // A note that intake is just writing anew stays, and its end is made once more.
            await c.Run(cancel, """
                delete from facts_due f where (f.company_id, f.end_id) in (
                    select x.company_id, x.end_id from facts_due x join unnest(@ends, @told) as n (end_id, told) on n.end_id = x.end_id and n.told = x.told
                    where x.company_id = @CompanyId for update of x skip locked)
                """, new { due[0].CompanyId, ends = made.Select(d => d.EndId).ToArray(), told = made.Select(d => d.Told).ToArray() }, t);
            await t.CommitAsync(cancel);
            return new(true, skipped);
        }

        var more = await GoOn(c, t, cancel);
        await t.CommitAsync(cancel);
        return new(more, []);
    }

    /// <summary>Since when something of this company waits to be counted; null where its facts are up to date.</summary>
    public async Task<Instant?> DueSince(CompanyId companyId, CancellationToken cancel = default)
    {
        await using var c = await db.OpenConnectionAsync(cancel);
        return await c.Scalar<Instant?>(cancel, "select min(since) from facts_due where company_id = @companyId", new { companyId });
    }

    /// <summary>Writes the facts of one kind as CSV, with a line of names first.</summary>
    /// <param name="kind">One of <see cref="Kinds"/>.</param>
    /// <param name="jobId">Null for all jobs.</param>
    public async Task WriteCsv(CompanyId companyId, string kind, JobId? jobId, Stream to, CancellationToken cancel = default)
    {
        await using var c = await db.OpenConnectionAsync(cancel);
        // COPY takes no parameters: the table is one of ours, and the ids are ids.
        var narrowed = jobId is { } job ? $" and f.job_id = '{job.Value:D}'" : "";
        // Several of a run stand in the order in which they were said, whatever way the database reads them.
        var within = kind == "attempts" ? "" : ", f.at, f.event_id";
        using var from = await c.BeginTextExportAsync(
            $"copy (select f.* from {Kinds[kind]} f join projection p on p.name = '{Name}' and p.version = f.version where f.company_id = '{companyId.Value:D}'{narrowed} order by f.end_id, f.run_id{within}) to stdout (format csv, header)", cancel);
        await using var writer = new StreamWriter(to, leaveOpen: true);
        var buffer = new char[16 * 1024];
        for (int read; (read = await from.ReadAsync(buffer, cancel)) > 0;)
        {
            await writer.WriteAsync(buffer.AsMemory(0, read), cancel);
        }
    }

    /// <summary>One step of making all facts anew: the next ends are noted as due; after the last of them, the new version is read and the old one goes.</summary>
    private static async Task<bool> GoOn(NpgsqlConnection c, NpgsqlTransaction t, CancellationToken cancel)
    {
        var at = await c.One<Walk>(cancel, "select version, building, at_company_id, at_end_id from projection where name = @Name", new { Name }, t);
        if (at is { Version: Facts.Version, Building: null })
        {
            return await Sweep(c, t, cancel);
        }

        if (at?.Building != Facts.Version)
        {
            // Version 0 is none: nothing has ever been read of it.
            await c.Run(cancel, """
                insert into projection (name, version, built_at, building) values (@Name, 0, now(), @Version)
                on conflict (name) do update set building = excluded.building, at_company_id = null, at_end_id = null
                """, new { Name, Facts.Version }, t);
            return true;
        }

        var next = (await c.Query<(CompanyId CompanyId, EndId EndId)>(cancel, """
            select company_id, end_id from end_state
            where (company_id, end_id) > (coalesce(@AtCompanyId, '00000000-0000-0000-0000-000000000000'::uuid), coalesce(@AtEndId, '00000000-0000-0000-0000-000000000000'::uuid))
            order by company_id, end_id limit @MostEnds
            """, new { at.AtCompanyId, at.AtEndId, MostEnds }, t)).ToList();
        if (next.Count == 0)
        {
            await c.Run(cancel, "update projection set version = building, building = null, at_company_id = null, at_end_id = null, built_at = now() where name = @Name", new { Name }, t);
            return true;
        }

        foreach (var company in next.GroupBy(x => x.CompanyId, x => x.EndId))
        {
            // Those that were made with another of their batch are made.
            await c.Run(cancel, """
                insert into facts_due (company_id, end_id) select @company, end_id from unnest(@ends) as n (end_id)
                where not exists (select from fact_attempt f where f.company_id = @company and f.version = @Version and f.end_id = n.end_id)
                order by end_id on conflict (company_id, end_id) do nothing
                """, new { company = company.Key, ends = company.ToArray(), Facts.Version }, t);
        }

        await c.Run(cancel, "update projection set at_company_id = @CompanyId, at_end_id = @EndId where name = @Name", new { next[^1].CompanyId, next[^1].EndId, Name }, t);
        return true;
    }

    /// <summary>Takes out what an earlier version made, some at a time.</summary>
    private static async Task<bool> Sweep(NpgsqlConnection c, NpgsqlTransaction t, CancellationToken cancel)
    {
        var swept = 0;
        foreach (var table in Kinds.Values)
        {
            swept += await c.Run(cancel, $"delete from {table} where ctid = any(array(select ctid from {table} where company_id is not null and version <> @Version limit 5000))", new { Facts.Version }, t);
        }

        // Its days are counted down to nothing by then.
        return swept > 0 || await c.Run(cancel, "delete from yield_day where ctid = any(array(select ctid from yield_day where version <> @Version limit 5000))", new { Facts.Version }, t) > 0;
    }

    /// <summary>One end that cannot be read is found by halving, and skipped. Nothing is written before all is read, so the transaction is whole.</summary>
    private static async Task MakeOrSkip(NpgsqlConnection c, NpgsqlTransaction t, CompanyId companyId, EndId[] due, List<(EndId EndId, string Reason)> skipped, CancellationToken cancel)
    {
        try
        {
            await Make(c, t, companyId, due, cancel);
        }
        catch (Exception x) when (x is not (NpgsqlException or OperationCanceledException))
        {
            if (due.Length == 1)
            {
                skipped.Add((due[0], x.Message));
                return;
            }

            await MakeOrSkip(c, t, companyId, due[..(due.Length / 2)], skipped, cancel);
            await MakeOrSkip(c, t, companyId, due[(due.Length / 2)..], skipped, cancel);
        }
    }

    /// <param name="ends">Whole batches.</param>
    private static async Task Make(NpgsqlConnection c, NpgsqlTransaction t, CompanyId companyId, EndId[] ends, CancellationToken cancel)
    {
        var states = (await c.Query<StateRow>(cancel, "select end_id, state::text as state from end_state where company_id = @companyId and end_id = any(@ends)", new { companyId, ends }, t))
            .ToDictionary(r => r.EndId, r => EndStates.Read(r.State));
        var plans = (await c.Query<FactPlan>(cancel, FactPlan.Sql, new { companyId, ends }, t)).ToDictionary(r => r.EndId);
        var held = await Assignments.Of(c, t, companyId, ends, cancel);
        var logs = await EventLog.Read(c, t, companyId, ends, cancel);
        var attendedS = Pace.AttendedS(logs.Values.SelectMany(l => Facts.Hands(l.Events)));

        var attempts = new List<(FactKey Key, AttemptFact Fact)>();
        var acts = new List<(FactKey Key, ActFact Fact)>();
        var readings = new List<(FactKey Key, ReadingFact Fact)>();
        var looks = new List<(FactKey Key, LookFact Fact)>();
        foreach (var (endId, log) in logs)
        {
            // One that was set aside keeps the facts it had until it can be read again.
            if (!states.TryGetValue(endId, out var state) || !plans.TryGetValue(endId, out var plan) || log.Log.Any(x => x.Judged is Unreadable))
            {
                continue;
            }

            var facts = Facts.Of(state, log.Log, attendedS, plan.Method);
            var keys = facts.Attempts.ToDictionary(a => a.RunId, a => new FactKey(companyId, a, plan, CrewAt([.. held[endId]], a.StartedAt) ?? plan.CrewId));
            attempts.AddRange(facts.Attempts.Select(a => (keys[a.RunId], a)));
            acts.AddRange(facts.Acts.Select(a => (keys[a.RunId], a)));
            readings.AddRange(facts.Readings.Select(a => (keys[a.RunId], a)));
            looks.AddRange(facts.Looks.Select(a => (keys[a.RunId], a)));
        }

        await FactRows.Write(c, t, companyId, [.. attempts.Select(a => a.Key.Plan.EndId).Distinct()], attempts, acts, readings, looks, cancel);
    }

    private static CrewId? CrewAt(IReadOnlyList<Assignment> held, Instant at) => held.LastOrDefault(a => a.Since <= at)?.CrewId ?? held.FirstOrDefault()?.CrewId;
}
