using System.Text.Json;
using Dapper;
using Npgsql;
using Rhabdon.Core.Ledger;

namespace Rhabdon.Store;

/// <summary>An event as it stands in the ledger.</summary>
public sealed record StoredEvent(
    Guid EventId, Guid EndId, int Attempt, EventKind Kind, DateTime At, Guid DeviceId, long DeviceSeq, Guid ActorId, string ActorName, string Body, DateTime ReceivedAt, long ClockBehindMs)
{
    public LedgerEvent ToEvent() => new(EventId, EndId, Attempt, Kind, new DateTimeOffset(At, TimeSpan.Zero), DeviceId, DeviceSeq, ActorId, JsonDocument.Parse(Body).RootElement)
    {
        Taken = true,
        ClockBehind = TimeSpan.FromMilliseconds(ClockBehindMs),
    };
}

/// <summary>All that was said of one end, and what was made of it.</summary>
/// <param name="Log">From the last restart on.</param>
public sealed record EndLog(IReadOnlyList<StoredEvent> Stored, IReadOnlyList<LedgerEvent> Events, IReadOnlyList<Entry> Log);

/// <summary>Reads and writes the ledger and its judgements. What is in them is never changed.</summary>
public sealed class EventLog(NpgsqlDataSource db)
{
    private const string EventColumns =
        "l.event_id, l.end_id, l.attempt, l.kind, l.at, l.device_id, l.device_seq, l.actor_id, coalesce(p.name, '') as actor_name, l.body::text as body, l.received_at, l.clock_behind_ms";

    private const string EventTables = "ledger l left join person p on p.company_id = l.company_id and p.person_id = l.actor_id";

    public const string HistorySql = $"select {EventColumns} from {EventTables} where l.company_id = @companyId and l.end_id = any(@endIds) order by l.seq";

    public const string LogSql = """
        select g.end_id, g.event_id, g.cause_id, g.restart, g.judged::text as judged from judgement g
        where g.company_id = @companyId and g.end_id = any(@endIds)
          and g.seq >= coalesce((select max(r.seq) from judgement r where r.company_id = g.company_id and r.end_id = g.end_id and r.restart), 0)
        order by g.end_id, g.seq
        """;

    private sealed record LogRow(Guid EndId, Guid EventId, Guid? CauseId, bool Restart, string Judged);

    /// <summary>Everything that was written down about an end.</summary>
    public async Task<EndLog> Of(Guid companyId, Guid endId, CancellationToken cancel = default)
    {
        await using var c = await db.OpenConnectionAsync(cancel);
        return (await Read(c, null, companyId, [endId], cancel)).GetValueOrDefault(endId) ?? new([], [], []);
    }

    internal static async Task<Dictionary<Guid, EndLog>> Read(NpgsqlConnection c, NpgsqlTransaction? t, Guid companyId, Guid[] endIds, CancellationToken cancel)
    {
        var stored = (await c.QueryAsync<StoredEvent>(new CommandDefinition(HistorySql, new { companyId, endIds }, t, cancellationToken: cancel))).ToLookup(s => s.EndId);
        var rows = (await c.QueryAsync<LogRow>(new CommandDefinition(LogSql, new { companyId, endIds }, t, cancellationToken: cancel))).ToLookup(r => r.EndId);
        return endIds.Where(stored.Contains).ToDictionary(id => id, id =>
        {
            IReadOnlyList<StoredEvent> said = [.. stored[id]];
            var events = said.ToDictionary(s => s.EventId, s => s.ToEvent());
            return new EndLog(said, [.. said.Select(s => events[s.EventId])], [.. rows[id].Select(r => new Entry(events[r.EventId], Judged.Read(r.Judged), r.CauseId, r.Restart))]);
        });
    }

    internal static async Task<Dictionary<Guid, LedgerEvent>> Known(NpgsqlConnection c, NpgsqlTransaction t, Guid companyId, Guid[] ids, CancellationToken cancel) =>
        (await c.QueryAsync<StoredEvent>(new CommandDefinition($"select {EventColumns} from {EventTables} where l.company_id = @companyId and l.event_id = any(@ids)", new { companyId, ids }, t, cancellationToken: cancel)))
            .ToDictionary(s => s.EventId, s => s.ToEvent());

    internal static async Task Write(NpgsqlConnection c, NpgsqlTransaction t, Guid companyId, IReadOnlyList<(LedgerEvent Event, Guid SenderId)> events, DateTime now, CancellationToken cancel)
    {
        if (events.Count == 0)
        {
            return;
        }

        await c.ExecuteAsync(new CommandDefinition("""
            insert into ledger (company_id, event_id, end_id, attempt, kind, at, device_id, device_seq, actor_id, sender_id, body, received_at, clock_behind_ms)
            select @companyId, event_id, end_id, attempt, kind, at, device_id, device_seq, actor_id, sender_id, body::jsonb, @now, behind
            from unnest(@ids, @ends, @attempts, @kinds, @ats, @devices, @seqs, @actors, @senders, @bodies, @behinds)
              as n (event_id, end_id, attempt, kind, at, device_id, device_seq, actor_id, sender_id, body, behind)
            """, new
        {
            companyId,
            now,
            ids = events.Select(e => e.Event.Id).ToArray(),
            ends = events.Select(e => e.Event.EndId).ToArray(),
            attempts = events.Select(e => e.Event.Attempt).ToArray(),
            kinds = events.Select(e => e.Event.Kind.ToString()).ToArray(),
            ats = events.Select(e => e.Event.At.UtcDateTime).ToArray(),
            devices = events.Select(e => e.Event.DeviceId).ToArray(),
            seqs = events.Select(e => e.Event.DeviceSeq).ToArray(),
            actors = events.Select(e => e.Event.ActorId).ToArray(),
            senders = events.Select(e => e.SenderId).ToArray(),
            bodies = events.Select(e => e.Event.Body.GetRawText()).ToArray(),
            behinds = events.Select(e => (long)e.Event.ClockBehind.TotalMilliseconds).ToArray(),
        }, t, cancellationToken: cancel));
    }

    internal static async Task Write(NpgsqlConnection c, NpgsqlTransaction t, Guid companyId, IReadOnlyList<Entry> entries, DateTime now, CancellationToken cancel)
    {
        if (entries.Count == 0)
        {
            return;
        }

        await c.ExecuteAsync(new CommandDefinition("""
            insert into judgement (company_id, end_id, event_id, cause_id, restart, judged, made_at)
            select @companyId, end_id, event_id, cause_id, restart, judged::jsonb, @now
            from unnest(@ends, @ids, @causes, @restarts, @judged) with ordinality as n (end_id, event_id, cause_id, restart, judged, place) order by place
            """, new
        {
            companyId,
            now,
            ends = entries.Select(e => e.Event.EndId).ToArray(),
            ids = entries.Select(e => e.Event.Id).ToArray(),
            causes = entries.Select(e => e.Cause).ToArray(),
            restarts = entries.Select(e => e.Restart).ToArray(),
            judged = entries.Select(e => e.Judged.Write()).ToArray(),
        }, t, cancellationToken: cancel));
    }
}
