using Npgsql;
using Rhabdon.Core;
using Rhabdon.Core.Ledger;

namespace Rhabdon.Store;

/// <summary>What a rebuild came to.</summary>
/// <param name="Folded">Ends that were folded again.</param>
/// <param name="SetAside">Ends whose events could not be read, with the reason. They keep the state they had.</param>
public sealed record Rebuilt(int Folded, IReadOnlyList<(EndId EndId, string Reason)> SetAside);

/// <summary>Keeps what each end has come to, beside the ledger that it was folded from.</summary>
public sealed class Projector(NpgsqlDataSource db)
{
    /// <summary>Raised by whoever changes what the fold makes of events: the next start folds all of them again, once.</summary>
    public const int Version = 5;

    private const int BatchSize = 500;

    private const string Name = "end-state";

    internal static async Task Write(NpgsqlConnection c, NpgsqlTransaction? t, CompanyId companyId, IReadOnlyList<EndState> ends, CancellationToken cancel = default)
    {
        if (ends.Count == 0)
        {
            return;
        }

        await c.Run(cancel, """
            with due as (
                insert into facts_due (company_id, end_id) select @companyId, end_id from unnest(@endIds) as n (end_id) order by end_id
                on conflict (company_id, end_id) do update set told = facts_due.told + 1)
            insert into end_state (company_id, end_id, job_id, place_id, port, position, status, verdict, phase, attempts, loops, slack_used_mm, last_at, batch_id, state)
            select e.company_id, e.end_id, e.job_id, e.place_id, e.port, e.position, n.status, n.verdict, n.phase, n.attempts, n.loops, n.slack_used_mm, n.last_at, n.batch_id, n.state
            from unnest(@endIds, @statuses, @verdicts, @phases, @attempts, @loops, @slacks, @lastAts, @batches, @states::jsonb[])
              as n (end_id, status, verdict, phase, attempts, loops, slack_used_mm, last_at, batch_id, state)
            join cable_end e on e.company_id = @companyId and e.end_id = n.end_id
            on conflict (company_id, end_id) do update set
                status = excluded.status, verdict = excluded.verdict, phase = excluded.phase, attempts = excluded.attempts, loops = excluded.loops,
                slack_used_mm = excluded.slack_used_mm, last_at = excluded.last_at, batch_id = excluded.batch_id, state = excluded.state
            """, new
        {
            companyId,
            endIds = ends.Select(e => e.EndId).ToArray(),
            statuses = ends.Select(e => e.Status.ToString()).ToArray(),
            verdicts = ends.Select(e => e.Verdict.ToString()).ToArray(),
            phases = ends.Select(e => e.Phase?.ToString()).ToArray(),
            attempts = ends.Select(e => e.Attempts.Select(a => a.No).DefaultIfEmpty(0).Max()).ToArray(),
            loops = ends.Select(e => string.Join(' ', e.Attempts.SelectMany(a => a.Loops).Select(l => $"{Wire.Name(l.From)}>{Wire.Name(l.To)}"))).ToArray(),
            slacks = ends.Select(e => e.SlackUsedMm).ToArray(),
            lastAts = ends.Select(e => e.LastAt).ToArray(),
            batches = ends.Select(e => e.Current?.BatchId).ToArray(),
            states = ends.Select(e => EndStates.Write(e)).ToArray(),
        }, t);
    }

    /// <summary>Notes which ends the runs of these ends put into which batch.</summary>
    internal static async Task WriteBatches(NpgsqlConnection c, NpgsqlTransaction? t, CompanyId companyId, IReadOnlyList<EndState> ends, CancellationToken cancel)
    {
        var pairs = ends.SelectMany(e => e.Attempts, (e, a) => (e.EndId, a.BatchId)).Where(x => x.BatchId is not null).Distinct().OrderBy(x => x.BatchId).ThenBy(x => x.EndId).ToList();
        if (pairs.Count > 0)
        {
            await c.Run(cancel, "insert into batch_end (company_id, batch_id, end_id) select @companyId, batch_id, end_id from unnest(@batches, @ends) as n (batch_id, end_id) on conflict (company_id, batch_id, end_id) do nothing",
                new { companyId, batches = pairs.Select(p => p.BatchId!.Value).ToArray(), ends = pairs.Select(p => p.EndId).ToArray() }, t);
        }
    }

    /// <summary>A ledger in which nothing stands yet has nothing to be folded again: what this version writes is its own.</summary>
    public async Task Begin(CancellationToken cancel = default)
    {
        await using var c = await db.OpenConnectionAsync(cancel);
        await c.Run(cancel, """
            insert into projection (name, version, built_at)
            select @Name, @Version, now() where not exists (select company_id from ledger)
            on conflict (name) do nothing
            """, new { Name, Version });
    }

    /// <summary>True when the projection was written by another version of the fold.</summary>
    public async Task<bool> NeedsRebuild(CancellationToken cancel = default)
    {
        await using var c = await db.OpenConnectionAsync(cancel);
        return await c.Scalar<int?>(cancel, "select version from projection where name = @Name", new { Name }) != Version;
    }

    /// <summary>Folds every end of every company again from its judgements; no rule is asked. One that cannot be read is set aside, told, and stops nobody.</summary>
    public async Task<Rebuilt> Rebuild(CancellationToken cancel = default)
    {
        await using var c = await db.OpenConnectionAsync(cancel);
        await using var t = await c.BeginTransactionAsync(cancel);
        await c.Run(cancel, "lock table end_state in exclusive mode", transaction: t);
        var ends = (await c.Query<(CompanyId CompanyId, EndId EndId)>(cancel, """
            select e.company_id, e.end_id from cable_end e
            where exists (select 1 from ledger l where l.company_id = e.company_id and l.stream_id = e.end_id)
            """, transaction: t)).ToList();
        var aside = new List<(CompanyId CompanyId, EndId EndId, string Reason)>();
        foreach (var company in ends.GroupBy(e => e.CompanyId, e => e.EndId))
        {
            foreach (var some in company.Chunk(BatchSize))
            {
                var folded = new List<EndState>();
                foreach (var (endId, log) in await Logs(c, t, company.Key, some, aside, cancel))
                {
                    try
                    {
                        folded.Add(log.Log.Count > 0 ? Telling.Fold(endId, log.Log) : throw new InvalidOperationException("nothing was ever made of its entries"));
                    }
                    catch (Exception x) when (x is not (NpgsqlException or OperationCanceledException))
                    {
                        aside.Add((company.Key, endId, x.Message));
                    }
                }

                await Write(c, t, company.Key, folded, cancel);
                await WriteBatches(c, t, company.Key, folded, cancel);
            }
        }

        foreach (var company in await c.Query<CompanyId>(cancel, "select company_id from company", transaction: t))
        {
            await StreamProjector.Rebuild(c, t, company, cancel);
            await Jobs.Stand(c, t, company, [.. await c.Query<JobId>(cancel, "select job_id from job where company_id = @company", new { company }, t)], cancel);
        }

        await c.Run(cancel, "delete from end_set_aside where company_id is not null", transaction: t);
        await c.Run(cancel, "insert into end_set_aside (company_id, end_id, reason, since) values (@CompanyId, @EndId, @Reason, now())", aside.Select(a => new { a.CompanyId, a.EndId, a.Reason }), t);
        await c.Run(cancel, """
            insert into projection (name, version, built_at) values (@Name, @Version, now())
            on conflict (name) do update set version = excluded.version, built_at = excluded.built_at
            """, new { Name, Version }, t);
        await t.CommitAsync(cancel);
        return new(ends.Count - aside.Count, [.. aside.Select(a => (a.EndId, a.Reason))]);
    }

    /// <summary>The logs of these ends; where one of them cannot be read, they are read one by one, and it is set aside.</summary>
    private static async Task<Dictionary<EndId, EndLog>> Logs(
        NpgsqlConnection c, NpgsqlTransaction t, CompanyId companyId, EndId[] ends, List<(CompanyId CompanyId, EndId EndId, string Reason)> aside, CancellationToken cancel)
    {
        try
        {
            return await EventLog.Read(c, t, companyId, ends, cancel);
        }
        catch (Exception x) when (x is not (NpgsqlException or OperationCanceledException))
        {
            if (ends.Length == 1)
            {
                aside.Add((companyId, ends[0], x.Message));
                return [];
            }

            var logs = new Dictionary<EndId, EndLog>();
            foreach (var end in ends)
            {
                foreach (var (id, log) in await Logs(c, t, companyId, [end], aside, cancel))
                {
                    logs[id] = log;
                }
            }

            return logs;
        }
    }
}
