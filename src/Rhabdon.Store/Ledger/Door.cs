using System.Text.Json;
using Npgsql;
using Rhabdon.Core;
using Rhabdon.Core.Ledger;
using Rhabdon.Core.Planning;

namespace Rhabdon.Store;

/// <summary>What a device sent, event by event: which may be asked about, and what became of each.</summary>
internal sealed class Door(Scope sender, bool mayVouch, IReadOnlyList<Incoming> incoming, Instant now)
{
    /// <summary>How far a clock may be ahead of ours, by what its device itself says of it: a day, as time zones set wrongly make it.</summary>
    private static readonly Duration MostAhead = Duration.FromDays(1);

    private readonly bool[] _duplicate = new bool[incoming.Count];
    private readonly List<int> _takeable = [];

    /// <summary>Why each was refused; null for those that were not.</summary>
    public Refusal?[] Why { get; } = [.. incoming.Select(i => i.Fault)];

    public Worker Worker { get; } = new(sender.PersonId, sender.WorkCrewId, sender.Role);

    public IReadOnlyList<LedgerEvent> Readable { get; } = [.. incoming.Select(i => i.Event).OfType<LedgerEvent>()];

    public EventId[] Ids { get; } = [.. incoming.Select(i => i.Id).OfType<EventId>().Distinct()];

    public IReadOnlyList<StreamEvent> Streams { get; } = [.. incoming.Select(i => i.Stream).OfType<StreamEvent>()];

    public IEnumerable<(int At, LedgerEvent Event)> TakeableEnds => _takeable.Where(i => incoming[i].Event is not null).Select(i => (i, incoming[i].Event!));

    public IEnumerable<(int At, StreamEvent Event)> Takeable(StreamKind? kind = null) =>
        _takeable.Where(i => incoming[i].Stream is { } s && (kind is null || s.Stream == kind)).Select(i => (i, incoming[i].Stream!));

    public List<(Incoming In, Refusal Why)> Refused => [.. incoming.Select((x, i) => (In: x, Why: Why[i])).Where(x => x.Why is not null).Select(x => (x.In, x.Why!))];

    public IReadOnlyList<IntakeLine> Outcomes =>
        [.. incoming.Select((x, i) => new IntakeLine(x.Id, _duplicate[i] ? IntakeOutcome.Duplicate : Why[i] is null ? IntakeOutcome.Stored : IntakeOutcome.Quarantined, Why[i]))];

    /// <summary>Looks at each: known already, or not for this sender to say.</summary>
    /// <param name="known">Those of them that are in the ledger as events of ends.</param>
    public async Task Look(NpgsqlConnection c, NpgsqlTransaction t, Ends ends, Dictionary<EventId, LedgerEvent> known, OpenStreams streams, CancellationToken cancel)
    {
        var knownStreams = await streams.Known(Streams.Count > 0 || Readable.Count < Ids.Length ? Ids : [], cancel);
        var others = Readable.Select(e => e.ActorId).Concat(Streams.Select(s => s.ActorId)).Where(id => id != sender.PersonId).Distinct().ToArray();
        HashSet<PersonId> actors = [sender.PersonId, .. others.Length == 0 ? [] :
            await c.Query<PersonId>(cancel, "select person_id from person where company_id = @CompanyId and person_id = any(@others)", new { sender.CompanyId, others }, t)];
        var strangers = Readable.Select(e => ends.Find(e.EndId)).OfType<OpenEnd>().Distinct().Where(e => !Holds(e.Plan)).Select(e => e.Plan.EndId).ToArray();
        var history = strangers.Length > 0 ? await Assignments.Of(c, t, sender.CompanyId, strangers, cancel) : null;
        for (var i = 0; i < incoming.Count; i++)
        {
            if (incoming[i].Id is not { } id)
            {
                continue;
            }

            if (known.TryGetValue(id, out var earlier) || knownStreams.ContainsKey(id))
            {
                _duplicate[i] = incoming[i].Event is { } e ? earlier is not null && Same(earlier, e) : knownStreams.TryGetValue(id, out var was) && Same(was, incoming[i].Stream!);
                Why[i] = _duplicate[i] ? null : new("id-reused", "id", "Another event has this id already.");
                continue;
            }

            if (incoming[i].Event is { } of)
            {
                known[id] = of;
                Why[i] = Against(of, ends.Find(of.EndId), history) ?? Actor(of.ActorId, actors) ?? Ahead(of.ToldAt);
            }
            else
            {
                var said = incoming[i].Stream!;
                knownStreams[id] = said;
                Why[i] = (said.Stream == StreamKind.Job && !sender.Reaches(said.StreamId.As<Ids.Job>()) ? OtherJob("streamId") : null) ?? Actor(said.ActorId, actors) ?? Ahead(said.ToldAt);
            }

            if (Why[i] is null)
            {
                _takeable.Add(i);
            }
        }
    }

    public void Refuse(IReadOnlyDictionary<EventId, Refusal> refused)
    {
        foreach (var i in _takeable.Where(i => incoming[i].Id is { } id && refused.ContainsKey(id)))
        {
            Why[i] = refused[incoming[i].Id!.Value];
        }
    }

    private bool Holds(EndPlanRow end) => Works.Against(Worker, end.PlannedBy, [new(Instant.MinValue, end.CrewId, end.PersonId)], Instant.MaxValue) is null;

    /// <summary>Why an event is not even asked about.</summary>
    private Refusal? Against(LedgerEvent e, OpenEnd? end, ILookup<EndId, Assignment>? history) =>
        end is null ? new("end-unknown", "endId", "No such end is planned.")
        : !sender.Reaches(end.Plan.JobId) ? OtherJob("endId")
        : !Holds(end.Plan) && Works.Against(Worker, end.Plan.PlannedBy, [.. history?[e.EndId] ?? []], e.ToldAt) is { } against ? against
        : end.Plan.SetAside is { } reason ? new("end-set-aside", "endId", $"This end's entries could not be read again ({reason}). What is sent waits here until that is mended.")
        : null;

    private static Refusal OtherJob(string field) => new("token-other-job", field, "This token is held to other jobs.");

    private Refusal? Actor(PersonId actorId, HashSet<PersonId> actors) =>
        !actors.Contains(actorId) ? new("actor-unknown", "actorId", "Nobody here has this id.")
        : actorId != sender.PersonId && !mayVouch ? new("sent-for-another", "actorId", "This was done by one person and sent under another's sign-in; a lead has to confirm it.")
        : null;

    private Refusal? Ahead(Instant at) => at - now <= MostAhead ? null
        : new("at-future", "at", $"By the device's clock this was done on {at:yyyy-MM-dd}, which is still to come. Set the clock and say it again; what was sent is kept here.");

    private static bool Same(LedgerEvent a, LedgerEvent b) =>
        a.EndId == b.EndId && a.Attempt == b.Attempt && a.Kind == b.Kind && a.DeviceId == b.DeviceId && a.DeviceSeq == b.DeviceSeq && a.ActorId == b.ActorId
        && Math.Abs((a.At - b.At).TotalMilliseconds) < 0.002 && JsonElement.DeepEquals(a.Body, b.Body);

    private static bool Same(StreamEvent a, StreamEvent b) =>
        a.Stream == b.Stream && a.StreamId == b.StreamId && a.Kind == b.Kind && a.DeviceId == b.DeviceId && a.DeviceSeq == b.DeviceSeq && a.ActorId == b.ActorId
        && Math.Abs((a.At - b.At).TotalMilliseconds) < 0.002 && JsonElement.DeepEquals(a.Body, b.Body);
}
