using System.Text.Json;
using Dapper;
using Npgsql;
using Rhabdon.Core;
using Rhabdon.Core.Ledger;

namespace Rhabdon.Store;

public sealed record Quarantined(Guid QuarantineId, Guid? EventId, string Raw, string Code, string Field, string Reason, string SenderName, DateTime ReceivedAt, int Tries);

/// <summary>Events that the rules refused, kept until somebody settles them. A lead has their own crew's, the office all.</summary>
public sealed class Quarantine(NpgsqlDataSource db)
{
    /// <summary>More than this are not tried again by themselves.</summary>
    private const int MostWaiting = 200;

    /// <summary>Open quarantined events, newest first. Keyset paging by <paramref name="after"/>.</summary>
    public async Task<IReadOnlyList<Quarantined>> List(Scope scope, Guid? after, int limit)
    {
        await using var c = await db.OpenConnectionAsync();
        return [.. await c.QueryAsync<Quarantined>("""
            select q.quarantine_id, q.event_id, q.raw, q.code, q.field, q.reason, p.name as sender_name, q.received_at, q.tries
            from quarantine q join person p on p.company_id = q.company_id and p.person_id = q.sender_id
            where q.company_id = @CompanyId and q.settled_at is null and (@Office or p.crew_id = @WorkCrewId) and (@after::uuid is null or q.quarantine_id < @after)
            order by q.quarantine_id desc limit @limit
            """, Jobs.Params(scope, new { after, limit }))];
    }

    public async Task<Quarantined?> Find(Scope scope, Guid quarantineId)
    {
        await using var c = await db.OpenConnectionAsync();
        return await c.QuerySingleOrDefaultAsync<Quarantined>("""
            select q.quarantine_id, q.event_id, q.raw, q.code, q.field, q.reason, p.name as sender_name, q.received_at, q.tries
            from quarantine q join person p on p.company_id = q.company_id and p.person_id = q.sender_id
            where q.company_id = @CompanyId and q.quarantine_id = @quarantineId and q.settled_at is null and (@Office or p.crew_id = @WorkCrewId)
            """, Jobs.Params(scope, new { quarantineId }));
    }

    public async Task Settle(Guid companyId, Guid quarantineId, bool stored, DateTime now)
    {
        await using var c = await db.OpenConnectionAsync();
        await c.ExecuteAsync("update quarantine set settled_at = @now, settled_as = @how where company_id = @companyId and quarantine_id = @quarantineId",
            new { companyId, quarantineId, now, how = stored ? "stored" : "set-aside" });
    }

    internal static async Task Write(NpgsqlConnection c, NpgsqlTransaction t, Scope sender, List<(Incoming In, Refusal Why)> refused, DateTime now)
    {
        if (refused.Count == 0)
        {
            return;
        }

        await c.ExecuteAsync("""
            insert into quarantine (company_id, quarantine_id, event_id, end_id, waits, clock_behind_ms, raw, code, field, reason, sender_id, received_at)
            values (@CompanyId, @id, @eventId, @endId, @waits, @behind, @raw, @Code, @Field, @Message, @PersonId, @now)
            on conflict (company_id, md5(raw)) do update set tries = quarantine.tries + 1, code = excluded.code, field = excluded.field, reason = excluded.reason, waits = excluded.waits
            """, refused.Select(r => (Raw: r.In.Raw.GetRawText(), r.In.Event, r.Why)).OrderBy(r => r.Raw, StringComparer.Ordinal).Select(r => new
        {
            sender.CompanyId,
            sender.PersonId,
            id = Guid.CreateVersion7(new DateTimeOffset(now)),
            eventId = r.Event?.Id,
            endId = r.Event?.EndId,
            waits = r.Event is not null && Retelling.Waits(r.Why),
            behind = (long)(r.Event?.ClockBehind.TotalMilliseconds ?? 0),
            raw = r.Raw,
            r.Why.Code,
            r.Why.Field,
            r.Why.Message,
            now,
        }), t);
    }

    private sealed record WaitingRow(Guid QuarantineId, string Raw, Guid SenderId, Role Role, long ClockBehindMs);

    /// <summary>What waits for other events of this end, oldest first.</summary>
    internal static async Task<IReadOnlyList<Waiting>> Waiting(NpgsqlConnection c, NpgsqlTransaction t, Guid companyId, Guid endId, CancellationToken cancel) =>
        [.. (await c.QueryAsync<WaitingRow>(new CommandDefinition("""
            select q.quarantine_id, q.raw, q.sender_id, p.role, q.clock_behind_ms from quarantine q join person p on p.company_id = q.company_id and p.person_id = q.sender_id
            where q.company_id = @companyId and q.end_id = @endId and q.settled_at is null and q.waits order by q.quarantine_id limit @MostWaiting
            """, new { companyId, endId, MostWaiting }, t, cancellationToken: cancel)))
            .Select(r => (Row: r, Incoming.Read(JsonDocument.Parse(r.Raw).RootElement, TimeSpan.FromMilliseconds(r.ClockBehindMs)).Event))
            .Where(x => x.Event is not null).Select(x => new Waiting(x.Row.QuarantineId, x.Event!, x.Row.SenderId, x.Row.Role))];

    internal static async Task SettleTold(NpgsqlConnection c, NpgsqlTransaction t, Guid companyId, Guid[] quarantineIds, DateTime now)
    {
        if (quarantineIds.Length > 0)
        {
            await c.ExecuteAsync("update quarantine set settled_at = @now, settled_as = 'stored' where company_id = @companyId and quarantine_id = any(@quarantineIds)", new { companyId, quarantineIds, now }, t);
        }
    }
}

/// <summary>A quarantined event that waits for others of its end.</summary>
internal sealed record Waiting(Guid QuarantineId, LedgerEvent Event, Guid SenderId, Role Role);
