using System.Text.Json;
using Npgsql;
using Rhabdon.Core;
using Rhabdon.Core.Connectors;
using Rhabdon.Core.Fiber;
using Rhabdon.Core.Planning;

namespace Rhabdon.Store;

/// <param name="Mapping">Headings by column.</param>
public sealed record PlanMapping(string Name, IReadOnlyDictionary<PlanColumn, string> Mapping);

/// <summary>Plans that come in by file: what is planned already, and all that the file adds or changes in one go.</summary>
public sealed class PlanFiles(NpgsqlDataSource db, Plan plan, Methods methods)
{
    private sealed record EndRow(
        EndId EndId, string CableCode, int Strand, string Side, string? SpaceCode, string? PanelCode, int Port, int Position, ConnectorForm Form, Polish Polish, FiberMode Mode, TerminationMethod Method, FiberClass? StubClass, bool Worked);

    public async Task<KnownPlan> Known(CompanyId companyId, JobId jobId, CancellationToken cancel = default)
    {
        var at = await plan.Layout(companyId, jobId, cancel);
        var codes = at.Spaces.ToDictionary(s => s.SpaceId, s => s.Code);
        await using var c = await db.OpenConnectionAsync(cancel);
        var ends = await c.Query<EndRow>(cancel, """
            select e.end_id, k.code as cable_code, e.strand, e.side, sp.code as space_code, p.code as panel_code, e.port, e.position, e.form, e.polish, e.mode, e.method, e.stub_class,
                   exists (select 1 from ledger l where l.company_id = e.company_id and l.stream_id = e.end_id) as worked
            from cable_end e
            join cable k on k.company_id = e.company_id and k.cable_id = e.cable_id
            left join panel p on p.company_id = e.company_id and p.panel_id = e.panel_id
            left join space sp on sp.company_id = p.company_id and sp.space_id = p.space_id
            where e.company_id = @companyId and e.job_id = @jobId
            """, new { companyId, jobId });
        return new(
            [.. at.Spaces.Select(s => new SketchSpace(s.Code, s.Name))], [.. at.Panels.Select(p => new SketchPanel(codes[p.SpaceId], p.Code, p.Ports, p.AdapterForm, p.Angled))],
            [.. at.Cables.Select(k => new SketchCable(k.Code, k.FiberClass, k.Construction, k.StrandCount, k.LengthM, k.SlackAMm, k.SlackBMm, k.UnitSize))],
            [.. ends.Select(e => new KnownEnd(e.EndId, e.CableCode, e.Strand, e.Side[0], e.SpaceCode, e.PanelCode, e.Port, e.Position, e.Form, e.Polish, e.Mode, e.Method, e.StubClass, e.Worked))]);
    }

    /// <summary>Writes all of it, or nothing.</summary>
    /// <param name="procedureOf">By which procedure an end is made; null where none fits.</param>
    public async Task Write(CompanyId companyId, JobId jobId, PlanMerge merge, Func<SketchEnd, (string? Id, int? Version)> procedureOf, CancellationToken cancel = default)
    {
        await using var c = await db.OpenConnectionAsync(cancel);
        await using var t = await c.BeginTransactionAsync(cancel);
        // One file at a time, and nobody plans beside it.
        var crew = await c.Scalar<CrewId>(cancel, "select crew_id from job where company_id = @companyId and job_id = @jobId for update", new { companyId, jobId }, t);
        await c.Run(cancel, """
            insert into space (company_id, space_id, job_id, code, name) select @companyId, gen_random_uuid(), @jobId, code, name from unnest(@codes, @names) as n (code, name)
            on conflict (company_id, job_id, code) do update set name = excluded.name, version = space.version + 1 where space.name <> excluded.name
            """, new { companyId, jobId, codes = merge.Spaces.Select(s => s.Now.Code).ToArray(), names = merge.Spaces.Select(s => s.Now.Name).ToArray() }, t);
        var spaces = (await c.Query<(string Code, SpaceId Id)>(cancel, "select code, space_id from space where company_id = @companyId and job_id = @jobId", new { companyId, jobId }, t)).ToDictionary(s => s.Code, s => s.Id);
        foreach (var p in merge.Panels.Where(p => p.Kind != MergeKind.Same).Select(p => p.Now))
        {
            await c.Run(cancel, """
                insert into panel (company_id, panel_id, job_id, space_id, code, ports, adapter_form, angled) values (@companyId, gen_random_uuid(), @jobId, @space, @Code, @Ports, @form, @Angled)
                on conflict (company_id, space_id, code) do update set ports = excluded.ports, adapter_form = excluded.adapter_form, angled = excluded.angled, version = panel.version + 1
                """, new { companyId, jobId, space = spaces[p.SpaceCode], p.Code, p.Ports, form = p.Form.ToString(), p.Angled }, t);
        }

        foreach (var k in merge.Cables.Where(k => k.Kind != MergeKind.Same).Select(k => k.Now))
        {
            await c.Run(cancel, """
                insert into cable (company_id, cable_id, job_id, code, fiber_class, construction, strand_count, length_m, slack_a_mm, slack_b_mm, unit_size, colour_order)
                values (@companyId, gen_random_uuid(), @jobId, @Code, @glass, @construction, @StrandCount, @LengthM, @SlackAMm, @SlackBMm, @UnitSize, @order)
                on conflict (company_id, job_id, code) do update set strand_count = excluded.strand_count, length_m = excluded.length_m, slack_a_mm = excluded.slack_a_mm, slack_b_mm = excluded.slack_b_mm, version = cable.version + 1
                """, new { companyId, jobId, k.Code, glass = k.FiberClass.ToString(), construction = k.Construction.ToString(), k.StrandCount, k.LengthM, k.SlackAMm, k.SlackBMm, k.UnitSize, order = string.Join(',', StrandLay.Usual.Order) }, t);
        }

        var panels = (await c.Query<(SpaceId SpaceId, string Code, PanelId Id)>(cancel, "select space_id, code, panel_id from panel where company_id = @companyId and job_id = @jobId", new { companyId, jobId }, t)).ToDictionary(p => (p.SpaceId, p.Code), p => p.Id);
        var cables = (await c.Query<(string Code, CableId Id)>(cancel, "select code, cable_id from cable where company_id = @companyId and job_id = @jobId", new { companyId, jobId }, t)).ToDictionary(k => k.Code, k => k.Id);
        var (added, changed) = (merge.Ends.Where(e => e.Kind == MergeKind.Added).Select(e => (End: e.Now, Id: EndId.New())).ToList(), merge.Ends.Where(e => e.Kind == MergeKind.Changed).Select(e => (End: e.Now, Id: e.EndId!.Value)).ToList());
        // Out of each other's way first: two that change places land on each other's port.
        await c.Run(cancel, "update cable_end set port = port + 1000000 where company_id = @companyId and job_id = @jobId and end_id = any(@ids)", new { companyId, jobId, ids = changed.Select(e => e.Id).ToArray() }, t);
        await c.Run(cancel, """
            update cable_end e set panel_id = n.panel_id, port = n.port, position = n.position, form = n.form, polish = n.polish, mode = n.mode, method = n.method, stub_class = n.stub_class, procedure_id = n.procedure_id, procedure_version = n.procedure_version, version = e.version + 1
            from unnest(@ids::uuid[], @panelIds::uuid[], @ports::int[], @positions::int[], @forms::text[], @polishes::text[], @modes::text[], @methods::text[], @stubs::text[], @procedures::text[], @versions::int[])
                as n (end_id, panel_id, port, position, form, polish, mode, method, stub_class, procedure_id, procedure_version)
            where e.company_id = @companyId and e.job_id = @jobId and e.end_id = n.end_id
            """, Columns(changed), t);
        await c.Run(cancel, """
            insert into cable_end (company_id, end_id, job_id, cable_id, strand, side, panel_id, port, position, form, polish, mode, method, stub_class, procedure_id, procedure_version, crew_id)
            select @companyId, n.end_id, @jobId, n.cable_id, n.strand, n.side, n.panel_id, n.port, n.position, n.form, n.polish, n.mode, n.method, n.stub_class, n.procedure_id, n.procedure_version, @crew
            from unnest(@ids::uuid[], @cableIds::uuid[], @strands::int[], @sides::text[], @panelIds::uuid[], @ports::int[], @positions::int[], @forms::text[], @polishes::text[], @modes::text[], @methods::text[], @stubs::text[], @procedures::text[], @versions::int[])
                as n (end_id, cable_id, strand, side, panel_id, port, position, form, polish, mode, method, stub_class, procedure_id, procedure_version)
            """, Columns(added), t);
        await c.Run(cancel, "insert into assigned (company_id, end_id, since, crew_id) select company_id, end_id, '-infinity', crew_id from cable_end where company_id = @companyId and end_id = any(@ids)", new { companyId, ids = added.Select(e => e.Id).ToArray() }, t);
        await NearlyOut.Stand(c, t, companyId, [.. added.Concat(changed).Select(e => e.Id)], await methods.Rules(c, t, companyId, cancel), cancel);
        await Jobs.Stand(c, t, companyId, [jobId], cancel);
        await t.CommitAsync(cancel);

        object Columns(List<(SketchEnd End, EndId Id)> ends)
        {
            var made = ends.Select(e => procedureOf(e.End)).ToList();
            return new
            {
                companyId,
                jobId,
                crew,
                ids = ends.Select(e => e.Id.Value).ToArray(),
                cableIds = ends.Select(e => cables[e.End.CableCode].Value).ToArray(),
                strands = ends.Select(e => e.End.Strand).ToArray(),
                sides = ends.Select(e => e.End.Side.ToString()).ToArray(),
                panelIds = ends.Select(e => panels[(spaces[e.End.SpaceCode], e.End.PanelCode)].Value).ToArray(),
                ports = ends.Select(e => e.End.Port).ToArray(),
                positions = ends.Select(e => e.End.Position).ToArray(),
                forms = ends.Select(e => e.End.Form.ToString()).ToArray(),
                polishes = ends.Select(e => e.End.Polish.ToString()).ToArray(),
                modes = ends.Select(e => e.End.Mode.ToString()).ToArray(),
                methods = ends.Select(e => e.End.Method.ToString()).ToArray(),
                stubs = ends.Select(e => e.End.StubClass?.ToString()).ToArray(),
                procedures = made.Select(p => p.Id).ToArray(),
                versions = made.Select(p => p.Version).ToArray(),
            };
        }
    }

    public async Task<IReadOnlyList<PlanMapping>> Mappings(CompanyId companyId, CancellationToken cancel = default)
    {
        await using var c = await db.OpenConnectionAsync(cancel);
        return [.. (await c.Query<(string Name, string Json)>(cancel, "select name, mapping::text from plan_mapping where company_id = @companyId order by name limit 100", new { companyId }))
            .Select(m => new PlanMapping(m.Name, JsonSerializer.Deserialize<Dictionary<PlanColumn, string>>(m.Json, Wire.Json)!))];
    }

    public async Task SetMapping(CompanyId companyId, PlanMapping mapping, PersonId by, Instant now, CancellationToken cancel = default)
    {
        await using var c = await db.OpenConnectionAsync(cancel);
        await c.Run(cancel, """
            insert into plan_mapping (company_id, name, mapping, changed_by, changed_at) values (@companyId, @Name, @json::jsonb, @by, @now)
            on conflict (company_id, name) do update set mapping = @json::jsonb, changed_by = @by, changed_at = @now
            """, new { companyId, mapping.Name, json = JsonSerializer.Serialize(mapping.Mapping, Wire.Json), by, now });
    }
}
