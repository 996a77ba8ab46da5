using Npgsql;
using Rhabdon.Core;
using Rhabdon.Core.Ledger;

namespace Rhabdon.Store;

/// <summary>What batches, jobs, crews, tools, lots and instruments have come to.</summary>
public sealed class StreamProjector(NpgsqlDataSource db)
{
    /// <summary>The streams of a kind that this person's crew has, open ones only where asked. The office has all.</summary>
    public async Task<IReadOnlyList<StreamState>> List(Scope scope, StreamKind kind, bool openOnly, CancellationToken cancel = default)
    {
        await using var c = await db.OpenConnectionAsync(cancel);
        return [.. (await c.Query<string>(cancel, $"""
            select s.state::text from stream_state s
            where s.company_id = @CompanyId and s.stream = @kind and (@Office or s.crew_id = @WorkCrewId) {(openOnly ? "and s.is_open" : "")}
            order by s.is_open desc, s.last_at desc, s.stream_id limit 500
            """, Jobs.Params(scope, new { kind = kind.ToString() }))).Select(Streams.Read)];
    }

    /// <summary>One stream; null where this company has none such yet.</summary>
    public async Task<StreamState?> Find(CompanyId companyId, StreamKind kind, StreamId id, CancellationToken cancel = default)
    {
        await using var c = await db.OpenConnectionAsync(cancel);
        return await c.One<string>(cancel, "select state::text from stream_state where company_id = @companyId and stream = @kind and stream_id = @id", new { companyId, kind = kind.ToString(), id }) is { } json ? Streams.Read(json) : null;
    }

    /// <summary>What was counted of these batches; those that nobody counted are not among them.</summary>
    public async Task<IReadOnlyList<BatchState>> Batches(CompanyId companyId, IEnumerable<BatchId> ids, CancellationToken cancel = default)
    {
        var asked = ids.Distinct().ToArray();
        if (asked.Length == 0)
        {
            return [];
        }

        await using var c = await db.OpenConnectionAsync(cancel);
        return [.. (await c.Query<string>(cancel, "select state::text from stream_state where company_id = @companyId and stream = 'Batch' and stream_id = any(@asked)", new { companyId, asked })).Select(s => (BatchState)Streams.Read(s))];
    }

    private sealed record OffRow(string State, JobId? JobId, string? Customer, string? CrewName, PlaceId? PlaceId, string? Place, long Ends);

    /// <summary>Batches of this person's crew whose container is off, with where they were worked.</summary>
    public async Task<IReadOnlyList<ContainerOff>> ContainersOff(Scope scope, CancellationToken cancel = default)
    {
        await using var c = await db.OpenConnectionAsync(cancel);
        return [.. (await c.Query<OffRow>(cancel, """
            select s.state::text as state, s.job_id, j.customer, w.name as crew_name, n.place_id, coalesce(sp.code || '-' || p.code, k.code) as place, n.ends
            from stream_state s
            left join job j on j.company_id = s.company_id and j.job_id = s.job_id
            left join crew w on w.company_id = s.company_id and w.crew_id = s.crew_id
            left join lateral (
                select (array_agg(e.place_id))[1] as place_id, (array_agg(e.panel_id))[1] as panel_id, (array_agg(e.cable_id))[1] as cable_id, count(*) as ends
                from batch_end b join cable_end e on e.company_id = b.company_id and e.end_id = b.end_id
                where b.company_id = s.company_id and b.batch_id = s.stream_id) n on true
            left join panel p on p.company_id = s.company_id and p.panel_id = n.panel_id
            left join space sp on sp.company_id = p.company_id and sp.space_id = p.space_id
            left join cable k on k.company_id = s.company_id and k.cable_id = n.cable_id
            where s.company_id = @CompanyId and s.stream = 'Batch' and s.is_open and (@Office or s.crew_id = @WorkCrewId)
            order by s.last_at desc limit 200
            """, Jobs.Params(scope, new { }))).Select(r => new ContainerOff((BatchState)Streams.Read(r.State), r.JobId, r.Customer ?? "", r.CrewName ?? "", r.PlaceId, r.Place ?? "", r.Ends))];
    }

    /// <summary>Folds every stream of a company again, and the counts that devices of before said end by end.</summary>
    internal static async Task Rebuild(NpgsqlConnection c, NpgsqlTransaction t, CompanyId companyId, CancellationToken cancel)
    {
        await c.Run(cancel, "delete from stream_state where company_id = @companyId", new { companyId }, t);
        var keys = (await c.Query<(StreamKind Stream, StreamId Id)>(cancel, """
            select distinct l.stream, l.stream_id from ledger l where l.company_id = @companyId and l.stream <> 'End'
            union
            select distinct 'Batch', b.batch_id from batch_end b join end_state s on s.company_id = b.company_id and s.end_id = b.end_id
            where b.company_id = @companyId and s.state::text like '%"shardCount": {%'
            """, new { companyId }, t)).ToList();
        foreach (var (kind, id) in keys)
        {
            BatchState? before = null;
            (CrewId? Crew, JobId? Job) whose = (null, kind == StreamKind.Job ? id.As<Ids.Job>() : null);
            if (kind == StreamKind.Batch)
            {
                var ends = (await c.Query<(CrewId CrewId, JobId JobId, string State)>(cancel, """
                    select e.crew_id, e.job_id, s.state::text as state from batch_end b
                    join cable_end e on e.company_id = b.company_id and e.end_id = b.end_id
                    join end_state s on s.company_id = b.company_id and s.end_id = b.end_id
                    where b.company_id = @companyId and b.batch_id = @id
                    """, new { companyId, id }, t)).ToList();
                before = Shards.Before(ends.Select(e => EndStates.Read(e.State)), id.As<Ids.Batch>());
                whose = ends.Count == 0 ? (null, null) : (ends[0].CrewId, ends[0].JobId);
            }

            if (Streams.Fold(await OpenStreams.Log(c, t, companyId, kind, id, cancel), before) is { } state)
            {
                await c.Run(cancel, OpenStreams.WriteSql, new
                {
                    companyId,
                    streams = new[] { kind.ToString() },
                    ids = new[] { id },
                    crews = new[] { state.Whose() ?? whose.Crew },
                    jobs = new[] { whose.Job },
                    opens = new[] { state.IsOpen() },
                    lastAts = new[] { (state.LastAt ?? NodaConstants.UnixEpoch) },
                    states = new[] { Streams.Write(state) },
                }, t);
            }
        }
    }
}

/// <summary>A batch whose container holds other shards than were made.</summary>
/// <param name="PlaceId">The panel or jumper where it was worked.</param>
public sealed record ContainerOff(BatchState Batch, JobId? JobId, string Customer, string CrewName, PlaceId? PlaceId, string Place, long Ends);
