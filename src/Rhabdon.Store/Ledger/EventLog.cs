using System.Text.Json;
using Npgsql;
using Rhabdon.Core;
using Rhabdon.Core.Ledger;

namespace Rhabdon.Store;

/// <summary>An event as it stands in the ledger.</summary>
public sealed record StoredEvent(
    EventId EventId, EndId EndId, int Attempt, EventKind Kind, Instant At, DeviceId DeviceId, long DeviceSeq, PersonId ActorId, string ActorName, string Body, Instant ReceivedAt, long ClockBehindMs)
{
    public LedgerEvent ToEvent() => new(EventId, EndId, Attempt, Kind, At, DeviceId, DeviceSeq, ActorId, JsonDocument.Parse(Body).RootElement)
    {
        Taken = true,
        ClockBehind = Duration.FromMilliseconds(ClockBehindMs),
    };
}

/// <summary>All that was said of one end, and what was made of it.</summary>
/// <param name="Log">From the last restart on.</param>
public sealed record EndLog(IReadOnlyList<StoredEvent> Stored, IReadOnlyList<LedgerEvent> Events, IReadOnlyList<Entry> Log);

/// <summary>Reads and writes the ledger and its judgements. What is in them is never changed.</summary>
public sealed class EventLog(NpgsqlDataSource db)
{
    private const string EventColumns =
        "l.event_id, l.stream_id as end_id, l.attempt, l.kind, l.at, l.device_id, l.device_seq, l.actor_id, coalesce(p.name, '') as actor_name, l.body::text as body, l.received_at, l.clock_behind_ms";

    private const string EventTables = "ledger l left join person p on p.company_id = l.company_id and p.person_id = l.actor_id";

    public const string HistorySql = $"select {EventColumns} from {EventTables} where l.company_id = @companyId and l.stream_id = any(@endIds) order by l.seq";

    // Where each end's log begins is asked once for each end, not once for each of its lines.
    public const string LogSql = """
        select g.stream_id as end_id, g.event_id, g.cause_id, g.restart, g.judged::text as judged
        from unnest(@endIds) as asked (stream_id)
        cross join lateral (
          select coalesce(max(r.seq), 0) as seq from judgement r where r.company_id = @companyId and r.stream_id = asked.stream_id and r.restart) begun
        cross join lateral (
          select * from judgement x where x.company_id = @companyId and x.stream_id = asked.stream_id and x.seq >= begun.seq order by x.seq) g
        order by g.stream_id, g.seq
        """;

    /// <summary>Which of these events of ends are in the ledger.</summary>
    public const string KnownSql = $"select {EventColumns} from {EventTables} where l.company_id = @companyId and l.event_id = any(@eventIds) and l.stream = 'End'";

    private sealed record LogRow(EndId EndId, EventId EventId, EventId? CauseId, bool Restart, string Judged);

    /// <summary>Everything that was written down about an end.</summary>
    public async Task<EndLog> Of(CompanyId companyId, EndId endId, CancellationToken cancel = default)
    {
        await using var c = await db.OpenConnectionAsync(cancel);
        return (await Read(c, null, companyId, [endId], cancel)).GetValueOrDefault(endId) ?? new([], [], []);
    }

    internal static async Task<Dictionary<EndId, EndLog>> Read(NpgsqlConnection c, NpgsqlTransaction? t, CompanyId companyId, EndId[] endIds, CancellationToken cancel)
    {
        // Judgements first: what is written between the two questions then is an event without its judgement yet, never a judgement of nothing.
        var rows = (await c.Query<LogRow>(cancel, LogSql, new { companyId, endIds }, t)).ToLookup(r => r.EndId);
        var stored = (await c.Query<StoredEvent>(cancel, HistorySql, new { companyId, endIds }, t)).ToLookup(s => s.EndId);
        return endIds.Where(stored.Contains).ToDictionary(id => id, id =>
        {
            IReadOnlyList<StoredEvent> said = [.. stored[id]];
            var events = said.ToDictionary(s => s.EventId, s => s.ToEvent());
            return new EndLog(said, [.. said.Select(s => events[s.EventId])], [.. rows[id].Select(r => new Entry(events[r.EventId], Judged.Read(r.Judged), r.CauseId, r.Restart))]);
        });
    }

    /// <param name="lines">Each in its stream's own order.</param>
    internal static async Task Write(NpgsqlConnection c, NpgsqlTransaction t, CompanyId companyId, IReadOnlyList<LedgerRow> events, IReadOnlyList<JudgementRow> lines, Instant now, CancellationToken cancel)
    {
        if (events.Count == 0 && lines.Count == 0)
        {
            return;
        }

        await c.Copy(cancel, "copy ledger (company_id, event_id, stream, stream_id, attempt, kind, at, device_id, device_seq, actor_id, sender_id, body, received_at, clock_behind_ms) from stdin (format binary)", events,
            async (row, e) =>
            {
                await row.Put(companyId.Value);
                await row.Put(e.Id.Value);
                await row.Put(e.Stream);
                await row.Put(e.StreamId.Value);
                await row.Put(e.Attempt);
                await row.Put(e.Kind);
                await row.Put(e.At);
                await row.Put(e.DeviceId.Value);
                await row.Put(e.DeviceSeq);
                await row.Put(e.ActorId.Value);
                await row.Put(e.SenderId.Value);
                await row.PutJson(e.Body.GetRawText());
                await row.Put(now);
                await row.Put((long)e.ClockBehind.TotalMilliseconds);
            });
        await c.Copy(cancel, "copy judgement (company_id, stream_id, event_id, cause_id, restart, judged, made_at) from stdin (format binary)", lines,
            async (row, l) =>
            {
                await row.Put(companyId.Value);
                await row.Put(l.StreamId.Value);
                await row.Put(l.EventId.Value);
                await row.Put(l.Cause?.Value);
                await row.Put(l.Restart);
                await row.PutJson(l.Judged.Write());
                await row.Put(now);
            });
    }
}

/// <summary>An event as it is written down.</summary>
internal sealed record LedgerRow(
    EventId Id, string Stream, StreamId StreamId, int Attempt, string Kind, Instant At, DeviceId DeviceId, long DeviceSeq, PersonId ActorId, PersonId SenderId, JsonElement Body, Duration ClockBehind)
{
    public static LedgerRow Of(LedgerEvent e, PersonId senderId) => new(e.Id, "End", e.EndId.As<Ids.Stream>(), e.Attempt, e.Kind.ToString(), e.At, e.DeviceId, e.DeviceSeq, e.ActorId, senderId, e.Body, e.ClockBehind);

    public static LedgerRow Of(StreamEvent e, PersonId senderId) => new(e.Id, e.Stream.ToString(), e.StreamId, 0, e.Kind.ToString(), e.At, e.DeviceId, e.DeviceSeq, e.ActorId, senderId, e.Body, e.ClockBehind);
}

/// <summary>What was made of an event, as it is written down.</summary>
internal sealed record JudgementRow(StreamId StreamId, EventId EventId, EventId? Cause, bool Restart, Judged Judged)
{
    public static JudgementRow Of(Entry e) => new(e.Event.EndId.As<Ids.Stream>(), e.Event.Id, e.Cause, e.Restart, e.Judged);
}
