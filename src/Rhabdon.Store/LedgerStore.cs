using System.Text.Json;
using System.Text.Json.Serialization;
using Dapper;
using Npgsql;
using Rhabdon.Core;
using Rhabdon.Core.Ledger;

namespace Rhabdon.Store;

public enum IntakeOutcome
{
    Stored, Duplicate, Quarantined,
}

/// <summary>What became of one event that was sent.</summary>
/// <param name="Id">The event's id, where it had one that could be read.</param>
/// <param name="Refusal">Why it went to quarantine.</param>
public sealed record Intake(Guid? Id, IntakeOutcome Outcome, Refusal? Refusal);

/// <param name="Touched">The jobs that something was stored for.</param>
public sealed record IntakeResult(IReadOnlyList<Intake> Events, IReadOnlyList<EndState> Ends, [property: JsonIgnore] IReadOnlyList<Guid> Touched);

/// <summary>An event as it stands in the ledger.</summary>
public sealed record StoredEvent(Guid EventId, Guid EndId, int Attempt, EventKind Kind, DateTime At, Guid DeviceId, long DeviceSeq, Guid ActorId, string ActorName, string Body, DateTime ReceivedAt)
{
    public LedgerEvent ToEvent() => new(EventId, EndId, Attempt, Kind, new DateTimeOffset(At, TimeSpan.Zero), DeviceId, DeviceSeq, ActorId, JsonDocument.Parse(Body).RootElement);
}

public sealed record Quarantined(Guid QuarantineId, Guid? EventId, string Raw, string Code, string Field, string Reason, string SenderName, DateTime ReceivedAt, int Tries);

/// <summary>Takes events in, folds them, and keeps the projection beside them in one transaction.</summary>
public sealed class LedgerStore(NpgsqlDataSource db, Methods methods)
{
    public const string HistorySql = """
        select l.event_id, l.end_id, l.attempt, l.kind, l.at, l.device_id, l.device_seq, l.actor_id, p.name as actor_name, l.body::text as body, l.received_at
        from ledger l join person p on p.company_id = l.company_id and p.person_id = l.actor_id
        where l.company_id = @companyId and l.end_id = @endId order by l.seq
        """;

    private const string EventColumns = "l.event_id, l.end_id, l.attempt, l.kind, l.at, l.device_id, l.device_seq, l.actor_id, '' as actor_name, l.body::text as body, l.received_at";

    private sealed record EndRow(Guid EndId, Guid JobId, Guid CrewId, string? StateJson);

    private sealed class Touched(EndRow row)
    {
        public EndRow Row { get; } = row;

        public EndState State { get; set; } = row.StateJson is null ? EndState.Empty(row.EndId) : JsonSerializer.Deserialize<EndState>(row.StateJson, EndStates.Json)!;

        /// <summary>Events taken in by this very batch, which a later correction in it may speak of.</summary>
        public List<LedgerEvent> New { get; } = [];
    }

    /// <summary>Takes in what a device sent. Each event is stored, known already, or quarantined with the reason; none is lost.</summary>
    /// <param name="mayVouch">True when the sender may send what others did, as a lead settling a quarantine.</param>
    public async Task<IntakeResult> Append(Scope sender, IReadOnlyList<Incoming> incoming, DateTime now, bool mayVouch = false)
    {
        var rules = await methods.Rules(sender.CompanyId);
        await using var c = await db.OpenConnectionAsync();
        await using var t = await c.BeginTransactionAsync();
        var readable = incoming.Where(i => i.Event is not null).Select(i => i.Event!).ToList();
        var ends = await LockEnds(c, t, sender.CompanyId, readable);
        var known = await Known(c, t, sender.CompanyId, readable);
        var actors = (await c.QueryAsync<Guid>("select person_id from person where company_id = @CompanyId and person_id = any(@ids)",
            new { sender.CompanyId, ids = readable.Select(e => e.ActorId).Distinct().ToArray() }, t)).ToHashSet();

        var outcomes = new Intake[incoming.Count];
        var stored = new List<LedgerEvent>();
        var refused = new List<(Incoming In, Refusal Why)>();
        // Device order is the order that counts; different devices keep the order they came in.
        var order = Enumerable.Range(0, incoming.Count).GroupBy(i => incoming[i].Event?.DeviceId).SelectMany(g => g.OrderBy(i => incoming[i].Event?.DeviceSeq ?? 0));
        foreach (var i in order)
        {
            var item = incoming[i];
            Refusal? why = item.Fault;
            if (item.Event is { } e)
            {
                if (known.TryGetValue(e.Id, out var earlier) && Same(earlier, e))
                {
                    outcomes[i] = new(e.Id, IntakeOutcome.Duplicate, null);
                    continue;
                }

                why = earlier is not null ? new("id-reused", "id", "Another event has this id already.")
                    : await Take(c, t, rules, sender, mayVouch, e, ends, actors);
                if (why is null)
                {
                    stored.Add(e);
                    known[e.Id] = e;
                    outcomes[i] = new(e.Id, IntakeOutcome.Stored, null);
                    continue;
                }
            }

            refused.Add((item, why!));
            outcomes[i] = new(item.Event?.Id, IntakeOutcome.Quarantined, why);
        }

        await WriteEvents(c, t, sender, stored, now);
        await WriteStates(c, t, sender.CompanyId, [.. ends.Values.Where(x => x.New.Count > 0).Select(x => (x.Row.JobId, x.State))]);
        await WriteKit(c, t, sender.CompanyId, [.. ends.Values.SelectMany(x => x.New.Select(e => (x.Row.CrewId, e)))]);
        await WriteRefused(c, t, sender, refused, now);
        await t.CommitAsync();
        return new(outcomes, [.. ends.Values.Where(x => Sees(sender, x.Row)).Select(x => x.State)], [.. ends.Values.Where(x => x.New.Count > 0).Select(x => x.Row.JobId).Distinct()]);
    }

    private static bool Sees(Scope sender, EndRow end) => sender.Office || end.CrewId == sender.WorkCrewId;

    private static async Task<Refusal?> Take(NpgsqlConnection c, NpgsqlTransaction t, Rules rules, Scope sender, bool mayVouch, LedgerEvent e, Dictionary<Guid, Touched> ends, HashSet<Guid> actors)
    {
        if (!ends.TryGetValue(e.EndId, out var end))
        {
            return new("end-unknown", "endId", "No such end is planned.");
        }

        if (!Sees(sender, end.Row))
        {
            return new("not-your-crews-job", "endId", "This end belongs to another crew's job.");
        }

        if (!actors.Contains(e.ActorId))
        {
            return new("actor-unknown", "actorId", "Nobody here has this id.");
        }

        if (e.ActorId != sender.PersonId && !mayVouch)
        {
            return new("sent-for-another", "actorId", "This was done by one person and sent under another's sign-in; a lead has to confirm it.");
        }

        try
        {
            end.State = e.Kind == EventKind.Corrected
                ? EndFold.Correct([.. await Events(c, t, sender.CompanyId, e.EndId), .. end.New], e, rules)
                : EndFold.Fold(end.State, e, rules);
            end.New.Add(e);
            return null;
        }
        catch (RefusedException x)
        {
            return x.Refusals[0] with { Message = x.Message };
        }
    }

    private static async Task<Dictionary<Guid, Touched>> LockEnds(NpgsqlConnection c, NpgsqlTransaction t, Guid companyId, List<LedgerEvent> events)
    {
        // The lock is one statement and the reading another: a statement that has waited for a lock still sees the states of before.
        await using var q = await c.QueryMultipleAsync("""
            select e.end_id from cable_end e where e.company_id = @companyId and e.end_id = any(@ids) order by e.end_id for update;
            select e.end_id, e.job_id, j.crew_id, s.state::text as state_json
            from cable_end e
            join job j on j.company_id = e.company_id and j.job_id = e.job_id
            left join end_state s on s.company_id = e.company_id and s.end_id = e.end_id
            where e.company_id = @companyId and e.end_id = any(@ids);
            """, new { companyId, ids = events.Select(e => e.EndId).Distinct().ToArray() }, t);
        await q.ReadAsync<Guid>();
        return (await q.ReadAsync<EndRow>()).ToDictionary(r => r.EndId, r => new Touched(r));
    }

    private static async Task<Dictionary<Guid, LedgerEvent>> Known(NpgsqlConnection c, NpgsqlTransaction t, Guid companyId, List<LedgerEvent> events) =>
        (await c.QueryAsync<StoredEvent>($"select {EventColumns} from ledger l where l.company_id = @companyId and l.event_id = any(@ids)",
            new { companyId, ids = events.Select(e => e.Id).Distinct().ToArray() }, t)).ToDictionary(s => s.EventId, s => s.ToEvent());

    private static async Task<IReadOnlyList<LedgerEvent>> Events(NpgsqlConnection c, NpgsqlTransaction? t, Guid companyId, Guid endId) =>
        [.. (await c.QueryAsync<StoredEvent>($"select {EventColumns} from ledger l where l.company_id = @companyId and l.end_id = @endId order by l.seq", new { companyId, endId }, t))
            .Select(s => s.ToEvent())];

    private static bool Same(LedgerEvent a, LedgerEvent b) =>
        a.EndId == b.EndId && a.Attempt == b.Attempt && a.Kind == b.Kind && a.DeviceId == b.DeviceId && a.DeviceSeq == b.DeviceSeq && a.ActorId == b.ActorId
        && Math.Abs((a.At - b.At).TotalMicroseconds) < 2 && JsonElement.DeepEquals(a.Body, b.Body);

    private static async Task WriteEvents(NpgsqlConnection c, NpgsqlTransaction t, Scope sender, List<LedgerEvent> events, DateTime now)
    {
        if (events.Count == 0)
        {
            return;
        }

        await c.ExecuteAsync("""
            insert into ledger (company_id, event_id, end_id, attempt, kind, at, device_id, device_seq, actor_id, sender_id, body, received_at)
            select @CompanyId, event_id, end_id, attempt, kind, at, device_id, device_seq, actor_id, @PersonId, body::jsonb, @now
            from unnest(@ids, @ends, @attempts, @kinds, @ats, @devices, @seqs, @actors, @bodies)
              as n (event_id, end_id, attempt, kind, at, device_id, device_seq, actor_id, body)
            """, new
        {
            sender.CompanyId,
            sender.PersonId,
            now,
            ids = events.Select(e => e.Id).ToArray(),
            ends = events.Select(e => e.EndId).ToArray(),
            attempts = events.Select(e => e.Attempt).ToArray(),
            kinds = events.Select(e => e.Kind.ToString()).ToArray(),
            ats = events.Select(e => e.At.UtcDateTime).ToArray(),
            devices = events.Select(e => e.DeviceId).ToArray(),
            seqs = events.Select(e => e.DeviceSeq).ToArray(),
            actors = events.Select(e => e.ActorId).ToArray(),
            bodies = events.Select(e => e.Body.GetRawText()).ToArray(),
        }, t);
    }

    private static async Task WriteStates(NpgsqlConnection c, NpgsqlTransaction? t, Guid companyId, IReadOnlyList<(Guid JobId, EndState State)> ends)
    {
        if (ends.Count == 0)
        {
            return;
        }

        await c.ExecuteAsync("""
            insert into end_state (company_id, end_id, job_id, status, verdict, phase, attempts, loops, slack_used_mm, last_at, batch_id, shards_off, state)
            select @companyId, * from unnest(@endIds, @jobIds, @statuses, @verdicts, @phases, @attempts, @loops, @slacks, @lastAts, @batches, @shardsOff, @states::jsonb[])
            on conflict (company_id, end_id) do update set
                status = excluded.status, verdict = excluded.verdict, phase = excluded.phase, attempts = excluded.attempts, loops = excluded.loops,
                slack_used_mm = excluded.slack_used_mm, last_at = excluded.last_at, batch_id = excluded.batch_id, shards_off = excluded.shards_off, state = excluded.state
            """, new
        {
            companyId,
            endIds = ends.Select(e => e.State.EndId).ToArray(),
            jobIds = ends.Select(e => e.JobId).ToArray(),
            statuses = ends.Select(e => e.State.Status.ToString()).ToArray(),
            verdicts = ends.Select(e => e.State.Verdict.ToString()).ToArray(),
            phases = ends.Select(e => e.State.Phase?.ToString()).ToArray(),
            attempts = ends.Select(e => e.State.Attempts.Select(a => a.No).DefaultIfEmpty(0).Max()).ToArray(),
            loops = ends.Select(e => string.Join(' ', e.State.Attempts.SelectMany(a => a.Loops).Select(l => $"{Wire.Name(l.From)}>{Wire.Name(l.To)}"))).ToArray(),
            slacks = ends.Select(e => e.State.SlackUsedMm).ToArray(),
            lastAts = ends.Select(e => e.State.LastAt?.UtcDateTime).ToArray(),
            batches = ends.Select(e => e.State.Current?.BatchId).ToArray(),
            shardsOff = ends.Select(e => e.State.Current?.ShardCount is { } s ? s.Counted - s.Made : 0).ToArray(),
            states = ends.Select(e => EndStates.Write(e.State)).ToArray(),
        }, t);
    }

    /// <summary>Remembers what a crew said of its lots and tools, so that the next batch need not say it again.</summary>
    private static async Task WriteKit(NpgsqlConnection c, NpgsqlTransaction t, Guid companyId, IReadOnlyList<(Guid CrewId, LedgerEvent Event)> events)
    {
        var said = events.SelectMany(x => x.Event.Kind switch
        {
            EventKind.AttemptStarted => EventBodies.Read<AttemptStarted>(x.Event).Preflight ?? [],
            EventKind.PreflightAnswered => [EventBodies.Read<PreflightAnswered>(x.Event).Answer],
            _ => [],
        }, (x, a) => (x.CrewId, Answer: a)).Where(x => x.Answer.Lot is not null || x.Answer.UseBy is not null || x.Answer.Number is not null)
            .GroupBy(x => (x.CrewId, x.Answer.ItemId)).Select(g => g.Last()).ToList();
        if (said.Count > 0)
        {
            await c.ExecuteAsync("""
                insert into kit (company_id, crew_id, item_id, answer) values (@companyId, @CrewId, @ItemId, @answer::jsonb)
                on conflict (company_id, crew_id, item_id) do update set answer = excluded.answer
                """, said.Select(x => new { companyId, x.CrewId, x.Answer.ItemId, answer = JsonSerializer.Serialize(x.Answer, Wire.Json) }), t);
        }
    }

    private static async Task WriteRefused(NpgsqlConnection c, NpgsqlTransaction t, Scope sender, List<(Incoming In, Refusal Why)> refused, DateTime now)
    {
        if (refused.Count == 0)
        {
            return;
        }

        await c.ExecuteAsync("""
            insert into quarantine (company_id, quarantine_id, event_id, raw, code, field, reason, sender_id, received_at)
            values (@CompanyId, @id, @eventId, @raw, @Code, @Field, @Message, @PersonId, @now)
            on conflict (company_id, md5(raw)) do update set tries = quarantine.tries + 1, code = excluded.code, field = excluded.field, reason = excluded.reason
            """, refused.Select(r => new
        {
            sender.CompanyId,
            sender.PersonId,
            id = Guid.CreateVersion7(new DateTimeOffset(now)),
            eventId = r.In.Event?.Id,
            raw = r.In.Raw.GetRawText(),
            r.Why.Code,
            r.Why.Field,
            r.Why.Message,
            now,
        }), t);
    }

    /// <summary>Everything that was written down about an end, in ledger order.</summary>
    public async Task<IReadOnlyList<StoredEvent>> History(Guid companyId, Guid endId)
    {
        await using var c = await db.OpenConnectionAsync();
        return [.. await c.QueryAsync<StoredEvent>(HistorySql, new { companyId, endId })];
    }

    /// <summary>Open quarantined events, newest first. Keyset paging by <paramref name="after"/>.</summary>
    public async Task<IReadOnlyList<Quarantined>> Quarantine(Guid companyId, Guid? after, int limit)
    {
        await using var c = await db.OpenConnectionAsync();
        return [.. await c.QueryAsync<Quarantined>("""
            select q.quarantine_id, q.event_id, q.raw, q.code, q.field, q.reason, p.name as sender_name, q.received_at, q.tries
            from quarantine q join person p on p.company_id = q.company_id and p.person_id = q.sender_id
            where q.company_id = @companyId and q.settled_at is null and (@after::uuid is null or q.quarantine_id < @after)
            order by q.quarantine_id desc limit @limit
            """, new { companyId, after, limit })];
    }

    public async Task<Quarantined?> FindQuarantined(Guid companyId, Guid quarantineId)
    {
        await using var c = await db.OpenConnectionAsync();
        return await c.QuerySingleOrDefaultAsync<Quarantined>("""
            select q.quarantine_id, q.event_id, q.raw, q.code, q.field, q.reason, p.name as sender_name, q.received_at, q.tries
            from quarantine q join person p on p.company_id = q.company_id and p.person_id = q.sender_id
            where q.company_id = @companyId and q.quarantine_id = @quarantineId and q.settled_at is null
            """, new { companyId, quarantineId });
    }

    public async Task Settle(Guid companyId, Guid quarantineId, bool stored, DateTime now)
    {
        await using var c = await db.OpenConnectionAsync();
        await c.ExecuteAsync("update quarantine set settled_at = @now, settled_as = @how where company_id = @companyId and quarantine_id = @quarantineId",
            new { companyId, quarantineId, now, how = stored ? "stored" : "set-aside" });
    }

    /// <summary>True when a projection was written by an older Rhabdon, whose states lack what this one reads.</summary>
    public async Task<bool> NeedsRebuild()
    {
        await using var c = await db.OpenConnectionAsync();
        return await c.ExecuteScalarAsync<bool>("select exists (select company_id from end_state where jsonb_array_length(state -> 'attempts') > 0 and state -> 'attempts' -> 0 -> 'lights' is null)");
    }

    /// <summary>Forgets every projection of every company and folds it again from the ledger, one end at a time.</summary>
    /// <returns>How many ends were folded.</returns>
    public async Task<int> Rebuild()
    {
        await using var c = await db.OpenConnectionAsync();
        await using var t = await c.BeginTransactionAsync();
        await c.ExecuteAsync("lock table end_state in exclusive mode; delete from end_state where company_id is not null", transaction: t);
        var ends = (await c.QueryAsync<(Guid CompanyId, Guid EndId, Guid JobId)>("""
            select e.company_id, e.end_id, e.job_id from cable_end e
            where exists (select 1 from ledger l where l.company_id = e.company_id and l.end_id = e.end_id)
            """, transaction: t)).ToList();
        foreach (var (companyId, endId, jobId) in ends)
        {
            await WriteStates(c, t, companyId, [(jobId, EndFold.Replay(endId, await Events(c, t, companyId, endId), await methods.Rules(companyId)))]);
        }

        await t.CommitAsync();
        return ends.Count;
    }
}
