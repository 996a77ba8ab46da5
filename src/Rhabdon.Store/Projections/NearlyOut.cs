using Npgsql;
using Rhabdon.Core.Ledger;
using Rhabdon.Core.Planning;

namespace Rhabdon.Store;

/// <summary>
/// Keeps beside each planned end whether it is nearly out of slack, so that the list of them costs what it shows and not what the company
/// has ever planned. A projection of its own, made anew where its version has changed.
/// </summary>
public sealed class NearlyOut(NpgsqlDataSource db, Methods methods) : BatchProjection(db)
{
    protected override string Name => "nearly-out";

    protected override int Version => 1;

    protected override (string Table, string Id) Over => ("cable_end", "end_id");

    protected override int BatchSize => 2_000;

    protected override async Task Make(NpgsqlConnection c, NpgsqlTransaction t, CompanyId companyId, Guid[] ids, CancellationToken cancel) =>
        await Stand(c, t, companyId, Array.ConvertAll(ids, id => new EndId(id)), await methods.Rules(c, t, companyId, cancel), cancel);

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
}
