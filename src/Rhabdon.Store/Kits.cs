using System.Text.Json;
using Npgsql;
using Rhabdon.Core;
using Rhabdon.Core.Connectors;
using Rhabdon.Core.Fiber;
using Rhabdon.Core.Kit;
using Rhabdon.Core.Ledger;
using Rhabdon.Core.Procedures;
using Rhabdon.Core.Rework;

namespace Rhabdon.Store;

/// <summary>An end to be made, with the words of its address.</summary>
public sealed record KitEnd(
    EndId EndId, JobId JobId, string ProcedureId, int ProcedureVersion, TerminationMethod Method, ConnectorForm Form, Polish Polish, FiberMode Mode, FiberClass FiberClass, CableConstruction Construction,
    double SlackLeftMm, double ReachMm, int LoopTurns, SpaceId? SpaceId, string SpaceCode, string PanelCode, int Port, int Position, string CableCode, int Strand, CableSide Side, int StrandCount)
{
    public EndToMake ToMake() => new(
        EndId, ProcedureId, ProcedureVersion, Method, Form, Polish, Mode, FiberClass, Construction, EndOptions.CordOf(PanelCode != "", StrandCount), SlackLeftMm, ReachMm, LoopTurns);

    public string Address() => Addresses.Of(SpaceCode, PanelCode, Port, Position, CableCode, Strand, Side, Form);
}

/// <summary>A cable of ribbons with ends that are not accepted yet.</summary>
public sealed record RibbonCable(CableId CableId, string Code, CableSide Side, double SlackMm, double? DiameterMm, int StrandCount);

/// <summary>Of one method.</summary>
public sealed record Counted(MethodCount All, IReadOnlyDictionary<PersonId, GoodAndBad> ByPerson);

/// <param name="Version">0 where the usual ones hold.</param>
public sealed record SavedFigures(CompanyFigures Figures, int Version);

/// <summary>What the kit of a job is worked out from.</summary>
public sealed class Kits(NpgsqlDataSource db)
{
    /// <summary>Connectors of a method, the last ones, that its first pass is taken from: what was years ago says little of today (ours).</summary>
    private const int MostCounted = 1000;

    private sealed record CountRow(string Method, PersonId PersonId, string? Reason, long Good, long Bad, long Mended, long Loops);

    private sealed record LossRow(string Method, string Mode, int Count, double MeanDb, double SdDb);

    /// <summary>Ends of jobs that are planned with a procedure and not accepted, as far as this person sees them.</summary>
    public async Task<IReadOnlyList<KitEnd>> ToMake(Scope scope, IReadOnlyCollection<JobId> jobIds, CancellationToken cancel = default)
    {
        await using var c = await db.OpenConnectionAsync(cancel);
        return [.. await c.Query<KitEnd>(cancel, $"""
            select e.end_id, e.job_id, e.procedure_id, e.procedure_version, e.method, e.form, e.polish, e.mode, k.fiber_class, k.construction,
                   case e.side when 'A' then k.slack_a_mm else k.slack_b_mm end - coalesce(s.slack_used_mm, 0) as slack_left_mm, coalesce(p.reach_mm, 0) as reach_mm, coalesce(p.loop_turns, 0) as loop_turns,
                   p.space_id, coalesce(sp.code, '') as space_code, coalesce(p.code, '') as panel_code, e.port, e.position, k.code as cable_code, e.strand, e.side, k.strand_count
            from cable_end e
            join job j on j.company_id = e.company_id and j.job_id = e.job_id
            join cable k on k.company_id = e.company_id and k.cable_id = e.cable_id
            left join panel p on p.company_id = e.company_id and p.panel_id = e.panel_id
            left join space sp on sp.company_id = p.company_id and sp.space_id = p.space_id
            left join end_state s on s.company_id = e.company_id and s.end_id = e.end_id
            where e.company_id = @CompanyId and e.job_id = any(@jobs) and e.procedure_id is not null and coalesce(s.status, 'Planned') <> 'Accepted' and {Scope.SeesEnd}
            order by e.place_id, e.port, e.position
            """, Store.Jobs.Params(scope, new { jobs = jobIds.Select(j => j.Value).ToArray() }))];
    }

    /// <summary>Sides of ribbon cables that a splice module has to take in.</summary>
    public async Task<IReadOnlyList<RibbonCable>> Ribbons(CompanyId companyId, IReadOnlyCollection<JobId> jobIds, CancellationToken cancel = default)
    {
        await using var c = await db.OpenConnectionAsync(cancel);
        return [.. await c.Query<RibbonCable>(cancel, """
            select distinct k.cable_id, k.code, e.side, case e.side when 'A' then k.slack_a_mm else k.slack_b_mm end as slack_mm, k.diameter_mm, k.strand_count
            from cable_end e join cable k on k.company_id = e.company_id and k.cable_id = e.cable_id
            where e.company_id = @companyId and e.job_id = any(@jobs) and k.construction = 'Ribbon12' and e.method = 'PigtailSplice'
            order by k.code, e.side
            """, new { companyId, jobs = jobIds.Select(j => j.Value).ToArray() })];
    }

    /// <summary>How the company's last connectors went, by method; and by who made them.</summary>
    public async Task<IReadOnlyDictionary<TerminationMethod, Counted>> Counted(CompanyId companyId, CancellationToken cancel = default)
    {
        await using var c = await db.OpenConnectionAsync(cancel);
        return (await c.Query<CountRow>(cancel, """
            select m.method, f.person_id, f.reason, count(*) filter (where f.first_pass) as good, count(*) filter (where not f.first_pass) as bad,
                   count(*) filter (where f.outcome = 'accepted' and f.loops > 0) as mended, coalesce(sum(f.loops), 0)::bigint as loops
            from projection v, unnest(@methods) as m (method)
            cross join lateral (select a.first_pass, a.person_id, a.reason, a.outcome, a.loops from fact_attempt a where a.company_id = @companyId and a.version = v.version and a.method = m.method and a.outcome <> 'open'
                                order by a.started_at desc limit @MostCounted) f
            where v.name = 'facts' group by m.method, f.person_id, f.reason
            """, new { companyId, methods = Enum.GetValues<TerminationMethod>().Select(Wire.Name).ToArray(), MostCounted }))
            .GroupBy(r => Wire.Parse<TerminationMethod>(r.Method)).ToDictionary(g => g.Key, g => new Counted(
                new(new(g.Sum(r => r.Good), g.Sum(r => r.Bad)), new(g.Sum(r => r.Mended), g.Sum(r => r.Loops - r.Mended)),
                    g.Where(r => r.Reason is not null && r.Bad > 0).GroupBy(r => Wire.Parse<ReworkReason>(r.Reason!)).ToDictionary(x => x.Key, x => x.Sum(r => r.Bad))),
                g.GroupBy(r => r.PersonId).ToDictionary(p => p.Key, p => new GoodAndBad(p.Sum(r => r.Good), p.Sum(r => r.Bad)))));
    }

    /// <summary>What traces have shown of connectors, by method and mode: the last of them.</summary>
    public async Task<IReadOnlyDictionary<(TerminationMethod, FiberMode), LossSeen>> Losses(CompanyId companyId, CancellationToken cancel = default)
    {
        await using var c = await db.OpenConnectionAsync(cancel);
        return (await c.Query<LossRow>(cancel, """
            select f.method, f.mode, count(*)::int as count, avg(f.loss_db) as mean_db, coalesce(stddev_samp(f.loss_db), 0) as sd_db
            from (select r.method, r.mode, r.loss_db from fact_reading r, projection v
                  where v.name = 'facts' and r.company_id = @companyId and r.version = v.version and r.kind = 'trace' order by r.at desc limit 5000) f
            group by f.method, f.mode
            """, new { companyId })).ToDictionary(r => (Wire.Parse<TerminationMethod>(r.Method), Wire.Parse<FiberMode>(r.Mode)), r => new LossSeen(r.Count, r.MeanDb, r.SdDb));
    }

    /// <summary>What the company said that it pays, else what is usual.</summary>
    public async Task<SavedFigures> Figures(CompanyId companyId, CancellationToken cancel = default)
    {
        await using var c = await db.OpenConnectionAsync(cancel);
        var row = (await c.Query<(int Version, string Document)>(cancel, "select version, document::text from company_figures where company_id = @companyId", new { companyId })).ToList();
        return row.Count == 0 ? new(CompanyFigures.Usual, 0) : new(JsonSerializer.Deserialize<CompanyFigures>(row[0].Document, Wire.Json)!, row[0].Version);
    }

    /// <returns>False when they have changed since the version that the change was made on.</returns>
    public async Task<bool> Save(CompanyId companyId, PersonId personId, CompanyFigures figures, int onVersion, Instant now, CancellationToken cancel = default)
    {
        await using var c = await db.OpenConnectionAsync(cancel);
        return await c.Run(cancel, """
            insert into company_figures (company_id, version, document, changed_by, changed_at)
            select @companyId, 1, @document::jsonb, @personId, @now where @onVersion = 0
            on conflict (company_id) do nothing
            """, Args()) == 1
            || (onVersion > 0 && await c.Run(cancel, """
            update company_figures set version = version + 1, document = @document::jsonb, changed_by = @personId, changed_at = @now where company_id = @companyId and version = @onVersion
            """, Args()) == 1);

        object Args() => new { companyId, personId, document = JsonSerializer.Serialize(figures, Wire.Json), onVersion, now };
    }

    /// <summary>Connectors of a kind that a crew has begun since a moment.</summary>
    public async Task<IReadOnlyList<(string Method, string Form, string Polish, string Mode, Instant At)>> MadeSince(CompanyId companyId, CrewId crewId, Instant since, CancellationToken cancel = default)
    {
        await using var c = await db.OpenConnectionAsync(cancel);
        return [.. await c.Query<(string, string, string, string, Instant)>(cancel, """
            select a.method, a.form, a.polish, a.mode, a.started_at from fact_attempt a, projection v
            where v.name = 'facts' and a.company_id = @companyId and a.version = v.version and a.crew_id = @crewId and a.started_at >= @since
            order by a.started_at desc limit 20000
            """, new { companyId, crewId, since })];
    }

    /// <summary>What these people are called, where the company lets views name people.</summary>
    public async Task<IReadOnlyDictionary<PersonId, string>> Names(CompanyId companyId, IReadOnlyCollection<PersonId> people, CancellationToken cancel = default)
    {
        await using var c = await db.OpenConnectionAsync(cancel);
        return (await c.Query<(PersonId PersonId, string Name)>(cancel, "select p.person_id, p.name from person p join company m on m.company_id = p.company_id and m.names_people where p.company_id = @companyId and p.person_id = any(@ids)",
            new { companyId, ids = people.Select(p => p.Value).ToArray() })).ToDictionary(p => p.PersonId, p => p.Name);
    }

    /// <summary>The company's lists of the last months, of all crews: what they took out of the store is gone from it.</summary>
    public async Task<IReadOnlyList<PickState>> Picks(CompanyId companyId, CancellationToken cancel = default)
    {
        await using var c = await db.OpenConnectionAsync(cancel);
        return [.. (await c.Query<string>(cancel, "select state::text from stream_state where company_id = @companyId and stream = 'Pick' order by last_at desc limit 500", new { companyId })).Select(s => (PickState)Streams.Read(s))];
    }

    public async Task<IReadOnlyList<string>> Customers(Scope scope, IReadOnlyCollection<JobId> jobIds, CancellationToken cancel = default)
    {
        await using var c = await db.OpenConnectionAsync(cancel);
        return [.. await c.Query<string>(cancel, $"select j.customer || ', ' || j.site from job j where j.company_id = @CompanyId and j.job_id = any(@jobs) and {Scope.SeesJob} order by 1",
            Store.Jobs.Params(scope, new { jobs = jobIds.Select(j => j.Value).ToArray() }))];
    }

    public async Task<IReadOnlyDictionary<SpaceId, string>> SpaceCodes(CompanyId companyId, IReadOnlyCollection<SpaceId> ids, CancellationToken cancel = default)
    {
        await using var c = await db.OpenConnectionAsync(cancel);
        return (await c.Query<(SpaceId SpaceId, string Code)>(cancel, "select space_id, code from space where company_id = @companyId and space_id = any(@ids)",
            new { companyId, ids = ids.Select(i => i.Value).ToArray() })).ToDictionary(x => x.SpaceId, x => x.Code);
    }

    private sealed record TouchedRow(EndId EndId, JobId JobId, string Customer, int Attempt, string Outcome, Instant StartedAt, Instant? AcceptedAt, string PersonName, string SpaceCode, string PanelCode, int Port, int Position, string CableCode, int Strand, CableSide Side, ConnectorForm Form);

    /// <summary>Every connector that a lot or a tool touched, newest first, as far as this person sees them.</summary>
    /// <param name="lot">As printed; null where a tool is meant.</param>
    public async Task<IReadOnlyList<Touched>> TouchedBy(Scope scope, string? lot, ToolId? toolId, int most, CancellationToken cancel = default)
    {
        await using var c = await db.OpenConnectionAsync(cancel);
        return [.. (await c.Query<TouchedRow>(cancel, $"""
            select e.end_id, e.job_id, j.customer, a.attempt, a.outcome, a.started_at, a.accepted_at, coalesce(w.name, '') as person_name,
                   coalesce(sp.code, '') as space_code, coalesce(p.code, '') as panel_code, e.port, e.position, k.code as cable_code, e.strand, e.side, e.form
            from fact_attempt a
            join projection v on v.name = 'facts' and v.version = a.version
            join cable_end e on e.company_id = a.company_id and e.end_id = a.end_id
            join job j on j.company_id = e.company_id and j.job_id = e.job_id
            join cable k on k.company_id = e.company_id and k.cable_id = e.cable_id
            left join panel p on p.company_id = e.company_id and p.panel_id = e.panel_id
            left join space sp on sp.company_id = p.company_id and sp.space_id = p.space_id
            left join person w on w.company_id = a.company_id and w.person_id = a.person_id
            where a.company_id = @CompanyId and {(lot is not null ? "a.lots @> array[@lot] and a.lots <> '{}'" : "a.tool_ids @> array[@tool] and a.tool_ids <> '{}'")} and {Scope.SeesEnd}
            order by a.started_at desc, a.end_id limit @most
            """, Store.Jobs.Params(scope, new { lot, tool = toolId?.Value, most })))
            .Select(r => new Touched(r.EndId, Addresses.Of(r.SpaceCode, r.PanelCode, r.Port, r.Position, r.CableCode, r.Strand, r.Side, r.Form), r.JobId, r.Customer, r.Attempt, r.Outcome, r.StartedAt, r.AcceptedAt, r.PersonName))];
    }
}

/// <summary>A connector that a lot or a tool touched.</summary>
/// <param name="Outcome">Of that attempt.</param>
public sealed record Touched(EndId EndId, string Address, JobId JobId, string Customer, int Attempt, string Outcome, Instant StartedAt, Instant? AcceptedAt, string PersonName);
