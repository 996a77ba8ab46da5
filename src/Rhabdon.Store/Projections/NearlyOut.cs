using Npgsql;
using Rhabdon.Core.Ledger;
using Rhabdon.Core.Planning;

namespace Rhabdon.Store;

/// <summary>
/// Keeps beside each planned end whether it is nearly out of slack, so that the list of them costs what it shows and not what the company
/// has ever planned. A projection of its own: name, version, and worked out again at the start when the version has changed.
/// </summary>
public sealed class NearlyOut(NpgsqlDataSource db, Methods methods)
{
    private const string Name = "nearly-out";

    /// <summary>Raised by whoever changes what nearly out means.</summary>
    private const int Version = 1;

    private const int BatchSize = 5_000;

    /// <summary>Works it out again for these ends: some of their slack was used, or they are planned otherwise.</summary>
    internal static async Task Stand(NpgsqlConnection c, NpgsqlTransaction? t, CompanyId companyId, EndId[] endIds, Rules rules, CancellationToken cancel)
    {
        if (endIds.Length == 0)
        {
            return;
        }

        var tables = rules.Tables.ToList();
        await c.Run(cancel, """
            update cable_end e set nearly_out = now.nearly_out
            from (select x.end_id, exists (
                    select 1 from unnest(@procedureIds, @versions, @below) as n (procedure_id, version, below_mm)
                    where n.procedure_id = x.procedure_id and n.version = x.procedure_version
                      and (case x.side when 'A' then k.slack_a_mm else k.slack_b_mm end) - coalesce(s.slack_used_mm, 0) < n.below_mm) as nearly_out
                  from cable_end x
                  join cable k on k.company_id = @companyId and k.cable_id = x.cable_id
                  left join end_state s on s.company_id = @companyId and s.end_id = x.end_id
                  where x.company_id = @companyId and x.end_id = any(@endIds)) now
            where e.company_id = @companyId and e.end_id = now.end_id and e.nearly_out <> now.nearly_out
            """, new
        {
            companyId,
            endIds,
            procedureIds = tables.Select(x => x.ProcedureId).ToArray(),
            versions = tables.Select(x => x.Version).ToArray(),
            below = tables.Select(x => Plans.NearlyOutBelowMm(x.Prep)).ToArray(),
        }, t);
    }

    /// <summary>Works it out for every end where another version of the program did, some at a time.</summary>
    public async Task BuildWhereOld(CancellationToken cancel = default)
    {
        await using var c = await db.OpenConnectionAsync(cancel);
        if (await c.Scalar<int?>(cancel, "select version from projection where name = @Name", new { Name }) == Version)
        {
            return;
        }

        foreach (var company in (await c.Query<CompanyId>(cancel, "select company_id from company")).ToList())
        {
            var rules = await methods.Rules(c, null, company, cancel);
            for (EndId? after = null; ;)
            {
                var some = (await c.Query<EndId>(cancel, "select end_id from cable_end where company_id = @company and (@after::uuid is null or end_id > @after) order by end_id limit @BatchSize",
                    new { company, after, BatchSize })).ToArray();
                if (some.Length == 0)
                {
                    break;
                }

                await Stand(c, null, company, some, rules, cancel);
                after = some[^1];
            }
        }

        await c.Run(cancel, """
            insert into projection (name, version, built_at) values (@Name, @Version, now())
            on conflict (name) do update set version = excluded.version, built_at = excluded.built_at
            """, new { Name, Version });
    }
}
