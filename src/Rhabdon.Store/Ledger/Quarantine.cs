using Dapper;
using Npgsql;
using Rhabdon.Core;

namespace Rhabdon.Store;

public sealed record Quarantined(Guid QuarantineId, Guid? EventId, string Raw, string Code, string Field, string Reason, string SenderName, DateTime ReceivedAt, int Tries);

/// <summary>Events that the rules refused, kept until somebody settles them. A lead has their own crew's, the office all.</summary>
public sealed class Quarantine(NpgsqlDataSource db)
{
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
            insert into quarantine (company_id, quarantine_id, event_id, raw, code, field, reason, sender_id, received_at)
            values (@CompanyId, @id, @eventId, @raw, @Code, @Field, @Message, @PersonId, @now)
            on conflict (company_id, md5(raw)) do update set tries = quarantine.tries + 1, code = excluded.code, field = excluded.field, reason = excluded.reason
            """, refused.Select(r => (Raw: r.In.Raw.GetRawText(), r.In.Event, r.Why)).OrderBy(r => r.Raw, StringComparer.Ordinal).Select(r => new
        {
            sender.CompanyId,
            sender.PersonId,
            id = Guid.CreateVersion7(new DateTimeOffset(now)),
            eventId = r.Event?.Id,
            raw = r.Raw,
            r.Why.Code,
            r.Why.Field,
            r.Why.Message,
            now,
        }), t);
    }
}
