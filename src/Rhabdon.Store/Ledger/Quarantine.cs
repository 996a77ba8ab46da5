using System.Runtime.InteropServices;
using System.Text;
using System.Text.Json;
using System.Text.Json.Serialization;
using Npgsql;
using Rhabdon.Core;
using Rhabdon.Core.Ledger;
using Rhabdon.Core.Planning;

namespace Rhabdon.Store;

/// <param name="Raw">As it came; in a list its beginning.</param>
/// <param name="RawLength">How many characters it has in all.</param>
/// <param name="ClockBehindMs">By how much its device's clock was behind ours when it came.</param>
public sealed record Quarantined(QuarantineId QuarantineId, EventId? EventId, string Raw, int RawLength, string Code, string Field, string Reason, [property: JsonIgnore] string? ArgsJson, string SenderName, Instant ReceivedAt, int Tries, [property: JsonIgnore] long ClockBehindMs)
{
    public Refusal Why() => new(Code, Field, Reason, ArgsJson is null ? null : JsonSerializer.Deserialize<Dictionary<string, object>>(ArgsJson));
}

/// <summary>Refused entries of one sender, all for the same cause: one row, however many they are.</summary>
/// <param name="Reason">Of the newest.</param>
/// <param name="NewestId">The newest of them, to be read as it came.</param>
public sealed record QuarantineCause(string Code, string Field, PersonId SenderId, string SenderName, long Events, Instant FirstAt, Instant LastAt, QuarantineId NewestId, string Reason, [property: JsonIgnore] string? ArgsJson)
{
    public Refusal Why() => new(Code, Field, Reason, ArgsJson is null ? null : JsonSerializer.Deserialize<Dictionary<string, object>>(ArgsJson));
}

/// <summary>Events that the rules refused, kept until somebody settles them. A lead has their own crew's, the office all.</summary>
public sealed class Quarantine(NpgsqlDataSource db)
{
    /// <summary>More than this are not tried again by themselves.</summary>
    private const int MostWaiting = 200;

    /// <summary>What a list shows of an event: a junk event may be as large as a request.</summary>
    private const int Head = 2000;

    /// <summary>Open quarantined events, newest first. Keyset paging by <paramref name="after"/>.</summary>
    public async Task<IReadOnlyList<Quarantined>> List(Scope scope, QuarantineId? after, int limit, CancellationToken cancel = default)
    {
        await using var c = await db.OpenConnectionAsync(cancel);
        return [.. await c.Query<Quarantined>(cancel, """
            select q.quarantine_id, q.event_id, left(q.raw, @Head) as raw, length(q.raw) as raw_length, q.code, q.field, q.reason, q.args::text as args_json, p.name as sender_name, q.received_at, q.tries, q.clock_behind_ms
            from quarantine q join person p on p.company_id = q.company_id and p.person_id = q.sender_id
            where q.company_id = @CompanyId and q.settled_at is null and (@Office or p.crew_id = @WorkCrewId) and (@after::uuid is null or q.quarantine_id < @after)
            order by q.quarantine_id desc limit @limit
            """, Jobs.Params(scope, new { after, limit, Head }))];
    }

    /// <summary>How many are open.</summary>
    public async Task<int> Count(Scope scope, CancellationToken cancel = default)
    {
        await using var c = await db.OpenConnectionAsync(cancel);
        return await c.Scalar<int>(cancel, $"select count(*)::int {OfCause}", Jobs.Params(scope, new { }));
    }

    public async Task<Quarantined?> Find(Scope scope, QuarantineId quarantineId, CancellationToken cancel = default)
    {
        await using var c = await db.OpenConnectionAsync(cancel);
        return await c.One<Quarantined>(cancel, """
            select q.quarantine_id, q.event_id, q.raw, length(q.raw) as raw_length, q.code, q.field, q.reason, q.args::text as args_json, p.name as sender_name, q.received_at, q.tries, q.clock_behind_ms
            from quarantine q join person p on p.company_id = q.company_id and p.person_id = q.sender_id
            where q.company_id = @CompanyId and q.quarantine_id = @quarantineId and q.settled_at is null and (@Office or p.crew_id = @WorkCrewId)
            """, Jobs.Params(scope, new { quarantineId }));
    }

    private const string OfCause = """
        from quarantine q join person p on p.company_id = q.company_id and p.person_id = q.sender_id
        where q.company_id = @CompanyId and q.settled_at is null and (@Office or p.crew_id = @WorkCrewId)
        """;

    /// <summary>What is open, by cause, the latest first.</summary>
    public async Task<IReadOnlyList<QuarantineCause>> Causes(Scope scope, int limit, CancellationToken cancel = default)
    {
        await using var c = await db.OpenConnectionAsync(cancel);
        return [.. await c.Query<QuarantineCause>(cancel, $"""
            select n.code, n.field, n.sender_id, n.name as sender_name, n.events, n.first_at, n.last_at, n.newest_id, q.reason, q.args::text as args_json
            from (select q.code, q.field, q.sender_id, p.name, count(*) as events, min(q.received_at) as first_at, max(q.received_at) as last_at, max(q.quarantine_id::text)::uuid as newest_id
                  {OfCause} group by q.code, q.field, q.sender_id, p.name order by max(q.received_at) desc limit @limit) n
            join quarantine q on q.company_id = @CompanyId and q.quarantine_id = n.newest_id
            order by n.last_at desc
            """, Jobs.Params(scope, new { limit }))];
    }

    /// <summary>The open ones of a cause, oldest first: each may have to come before the next.</summary>
    public async Task<IReadOnlyList<(QuarantineId QuarantineId, string Raw, long ClockBehindMs)>> OfOne(Scope scope, string code, string field, PersonId senderId, int limit, CancellationToken cancel = default)
    {
        await using var c = await db.OpenConnectionAsync(cancel);
        return [.. await c.Query<(QuarantineId, string, long)>(cancel, $"select q.quarantine_id, q.raw, q.clock_behind_ms {OfCause} and q.code = @code and q.field = @field and q.sender_id = @senderId order by q.tries, q.quarantine_id limit @limit",
            Jobs.Params(scope, new { code, field, senderId, limit }))];
    }

    /// <summary>Closes all that is open of a cause without taking it in.</summary>
    /// <returns>How many.</returns>
    public async Task<int> SetAside(Scope scope, string code, string field, PersonId senderId, Instant now, CancellationToken cancel = default)
    {
        await using var c = await db.OpenConnectionAsync(cancel);
        return await c.Run(cancel, $"""
            update quarantine set settled_at = @now, settled_as = 'set-aside' where company_id = @CompanyId and settled_at is null and quarantine_id in
                (select q.quarantine_id {OfCause} and q.code = @code and q.field = @field and q.sender_id = @senderId)
            """, Jobs.Params(scope, new { code, field, senderId, now }));
    }

    public async Task Settle(CompanyId companyId, QuarantineId quarantineId, bool stored, Instant now, CancellationToken cancel = default)
    {
        await using var c = await db.OpenConnectionAsync(cancel);
        await c.Run(cancel, "update quarantine set settled_at = @now, settled_as = @how where company_id = @companyId and quarantine_id = @quarantineId",
            new { companyId, quarantineId, now, how = stored ? "stored" : "set-aside" });
    }

    /// <summary>As it came; bytes that are no letters of UTF-8, which no text can hold, stand as U+FFFD.</summary>
    private static string Written(JsonElement raw) => Encoding.UTF8.GetString(JsonMarshal.GetRawUtf8Value(raw));

    internal static async Task Write(NpgsqlConnection c, NpgsqlTransaction t, Scope sender, List<(Incoming In, Refusal Why)> refused, Instant now, CancellationToken cancel = default)
    {
        if (refused.Count == 0)
        {
            return;
        }

        await c.Run(cancel, """
            insert into quarantine (company_id, quarantine_id, event_id, stream_id, waits, clock_behind_ms, raw, code, field, reason, args, sender_id, received_at)
            values (@CompanyId, @id, @eventId, @streamId, @waits, @behind, @raw, @Code, @Field, @Message, @args::jsonb, @PersonId, @now)
            on conflict (company_id, md5(raw)) do update set tries = quarantine.tries + 1, code = excluded.code, field = excluded.field, reason = excluded.reason, args = excluded.args, waits = excluded.waits
            """, refused.Select(r => (Raw: Written(r.In.Raw), r.In, r.Why)).OrderBy(r => r.Raw, StringComparer.Ordinal).Select(r => new
        {
            sender.CompanyId,
            sender.PersonId,
            id = QuarantineId.New(now),
            eventId = r.In.Id,
            streamId = r.In.Event?.EndId.As<Ids.Stream>() ?? r.In.Stream?.StreamId,
            waits = r.In.Event is not null ? Retelling.Waits(r.Why) : r.In.Stream is not null && Streams.Waits(r.Why),
            behind = (long)(r.In.Event?.ClockBehind ?? r.In.Stream?.ClockBehind ?? Duration.Zero).TotalMilliseconds,
            raw = r.Raw,
            r.Why.Code,
            r.Why.Field,
            r.Why.Message,
            args = r.Why.Args is null ? null : JsonSerializer.Serialize(r.Why.Args),
            now,
        }), t);
    }

    private sealed record WaitingRow(QuarantineId QuarantineId, string Raw, PersonId SenderId, Role Role, CrewId? CrewId, long ClockBehindMs);

    /// <summary>What waits for other events of this end or stream, oldest first.</summary>
    internal static async Task<IReadOnlyList<Waiting>> Waiting(NpgsqlConnection c, NpgsqlTransaction t, CompanyId companyId, StreamId streamId, CancellationToken cancel) =>
        [.. (await c.Query<WaitingRow>(cancel, """
            select q.quarantine_id, q.raw, q.sender_id, p.role, p.crew_id, q.clock_behind_ms from quarantine q join person p on p.company_id = q.company_id and p.person_id = q.sender_id
            where q.company_id = @companyId and q.stream_id = @streamId and q.settled_at is null and q.waits order by q.quarantine_id limit @MostWaiting
            """, new { companyId, streamId, MostWaiting }, t))
            .Select(r => new Waiting(r.QuarantineId, Incoming.Read(JsonDocument.Parse(r.Raw).RootElement, Duration.FromMilliseconds(r.ClockBehindMs)), new(r.SenderId, r.Role == Role.Viewer ? null : r.CrewId, r.Role)))];

    /// <summary>Ends with something that waits for what was not theirs to say: a picture, the crew's kit, an instrument, the count of a batch.</summary>
    internal static async Task<IReadOnlyList<EndId>> EndsWaiting(NpgsqlConnection c, CompanyId companyId, CancellationToken cancel) =>
        [.. await c.Query<EndId>(cancel, """
            select distinct q.stream_id from quarantine q
            where q.company_id = @companyId and q.settled_at is null and q.waits and q.code = any(@Borrowed)
              and exists (select 1 from cable_end e where e.company_id = q.company_id and e.end_id = q.stream_id) limit @MostWaiting
            """, new { companyId, Retelling.Borrowed, MostWaiting })];

    internal static async Task SettleTold(NpgsqlConnection c, NpgsqlTransaction t, CompanyId companyId, QuarantineId[] quarantineIds, Instant now, CancellationToken cancel = default)
    {
        if (quarantineIds.Length > 0)
        {
            await c.Run(cancel, "update quarantine set settled_at = @now, settled_as = 'stored' where company_id = @companyId and quarantine_id = any(@quarantineIds)", new { companyId, quarantineIds, now }, t);
        }
    }
}

/// <summary>A quarantined event that waits for others of its end or stream.</summary>
internal sealed record Waiting(QuarantineId QuarantineId, Incoming In, Worker Sender);
