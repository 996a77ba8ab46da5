using Npgsql;
using Rhabdon.Core;
using Rhabdon.Core.Connectors;
using Rhabdon.Core.Fiber;
using Rhabdon.Core.Kit;

namespace Rhabdon.Store;

/// <summary>An end to be made, with the words of its address.</summary>
public sealed record KitEnd(
    EndId EndId, string ProcedureId, int ProcedureVersion, TerminationMethod Method, ConnectorForm Form, Polish Polish, FiberMode Mode, CableConstruction Construction, double SlackLeftMm,
    string SpaceCode, string PanelCode, int Port, int Position, string CableCode, int Strand, CableSide Side)
{
    public EndToMake ToMake() => new(EndId, ProcedureId, ProcedureVersion, Method, Form, Polish, Mode, Construction, SlackLeftMm);

    public string Address() => Addresses.Of(SpaceCode, PanelCode, Port, Position, CableCode, Strand, Side, Form);
}

/// <summary>What the kit of a job is worked out from.</summary>
public sealed class Kits(NpgsqlDataSource db)
{
    /// <summary>Connectors of a method, the last ones, that its first pass is taken from: what was years ago says little of today (ours).</summary>
    private const int MostCounted = 1000;

    private sealed record CountRow(string Method, long Good, long Bad);

    /// <summary>Ends of a job that are planned with a procedure and not accepted, as far as this person sees them.</summary>
    public async Task<IReadOnlyList<KitEnd>> ToMake(Scope scope, JobId jobId, CancellationToken cancel = default)
    {
        await using var c = await db.OpenConnectionAsync(cancel);
        return [.. await c.Query<KitEnd>(cancel, $"""
            select e.end_id, e.procedure_id, e.procedure_version, e.method, e.form, e.polish, e.mode, k.construction,
                   case e.side when 'A' then k.slack_a_mm else k.slack_b_mm end - coalesce(s.slack_used_mm, 0) as slack_left_mm,
                   coalesce(sp.code, '') as space_code, coalesce(p.code, '') as panel_code, e.port, e.position, k.code as cable_code, e.strand, e.side
            from cable_end e
            join job j on j.company_id = e.company_id and j.job_id = e.job_id
            join cable k on k.company_id = e.company_id and k.cable_id = e.cable_id
            left join panel p on p.company_id = e.company_id and p.panel_id = e.panel_id
            left join space sp on sp.company_id = p.company_id and sp.space_id = p.space_id
            left join end_state s on s.company_id = e.company_id and s.end_id = e.end_id
            where e.company_id = @CompanyId and e.job_id = @jobId and e.procedure_id is not null and coalesce(s.status, 'Planned') <> 'Accepted' and {Scope.SeesEnd}
            order by e.place_id, e.port, e.position
            """, Jobs.Params(scope, new { jobId }))];
    }

    /// <summary>How the company's last connectors of these methods went.</summary>
    public async Task<IReadOnlyDictionary<TerminationMethod, Counted>> Counted(CompanyId companyId, IReadOnlyCollection<TerminationMethod> methods, CancellationToken cancel = default)
    {
        await using var c = await db.OpenConnectionAsync(cancel);
        return (await c.Query<CountRow>(cancel, """
            select m.method, count(*) filter (where f.first_pass) as good, count(*) filter (where not f.first_pass) as bad
            from projection v, unnest(@methods) as m (method)
            cross join lateral (select a.first_pass from fact_attempt a where a.company_id = @companyId and a.version = v.version and a.method = m.method and a.outcome <> 'open'
                                order by a.started_at desc limit @MostCounted) f
            where v.name = 'facts' group by m.method
            """, new { companyId, methods = methods.Select(Wire.Name).ToArray(), MostCounted })).ToDictionary(r => Wire.Parse<TerminationMethod>(r.Method), r => new Counted(r.Good, r.Bad));
    }
}
