namespace Rhabdon.Core.Ledger;

/// <summary>One line of an end's log: an event and what was made of it. The last line of an event holds.</summary>
/// <param name="Cause">The event for whose sake it was judged again; null for the first judgement.</param>
/// <param name="Restart">True where the end is told anew from here: lines before it count no more.</param>
public sealed record Entry(LedgerEvent Event, Judged Judged, EventId? Cause = null, bool Restart = false);

/// <summary>Decides events and folds what was decided. Pure: the same log always gives the same state, and folding asks no rule.</summary>
public static class Telling
{
    private static readonly Dictionary<EventKind, EventRule> Kinds = new()
    {
        [EventKind.AttemptStarted] = new AttemptStartedRule(),
        [EventKind.StepDone] = new StepDoneRule(),
        [EventKind.CheckAnswered] = new CheckAnsweredRule(),
        [EventKind.Inspected] = new InspectedRule(),
        [EventKind.Measured] = new MeasuredRule(),
        [EventKind.Reworked] = new ReworkedRule(),
        [EventKind.AttemptClosed] = new AttemptClosedRule(),
        [EventKind.Accepted] = new AcceptedRule(),
        [EventKind.Corrected] = new CorrectedRule(),
        [EventKind.Noted] = new NotedRule(),
        [EventKind.TimerStarted] = new TimerStartedRule(),
        [EventKind.PreflightAnswered] = new PreflightAnsweredRule(),
        [EventKind.ShardsCounted] = new ShardsCountedRule(),
        [EventKind.Traced] = new TracedRule(),
        [EventKind.CleaveSeen] = new CleaveSeenRule(),
        [EventKind.LightJudged] = new LightJudgedRule(),
        [EventKind.FarEndSaid] = new FarEndSaidRule(),
        [EventKind.Damaged] = new DamagedRule(),
        [EventKind.CauseConfirmed] = new CauseConfirmedRule(),
        [EventKind.SpliceRead] = new SpliceReadRule(),
    };

    /// <summary>Decides one more event.</summary>
    /// <exception cref="RefusedException">The event breaks a rule of the job; nothing has changed.</exception>
    public static Told Tell(Question q) => q.Sender is { } role && Rights.Against(role, q.State, q.Event) is { } against
        ? throw new RefusedException([against])
        : Kinds[q.Event.Kind].Tell(q);

    /// <summary>What an event says, read once for all the times that it is told; null where it cannot be read, which telling it says.</summary>
    public static object? BodyOf(LedgerEvent e) => Kinds[e.Kind].BodyOf(e);

    /// <summary>The state after one more event as it was judged.</summary>
    public static EndState Evolve(EndState state, LedgerEvent e, Judged judged) => judged switch
    {
        TakenOver taken => Heard(taken.State, e),
        Voided => Heard(state, e),
        Unreadable unread => throw new InvalidDataException(unread.Why),
        FarJudged far => FarEnds.Settle(state, [(e.Id, far)]),
        _ => Kinds[e.Kind].Evolve(state, e, judged),
    };

    /// <summary>The state that a log comes to.</summary>
    public static EndState Fold(EndId endId, IReadOnlyList<Entry> log)
    {
        var struck = Struck(log);
        return Live(log).Aggregate(EndState.Empty(endId), (state, x) => struck.Contains(x.Event.Id) ? Heard(state, x.Event) : Evolve(state, x.Event, x.Judged));
    }

    /// <summary>Events that a correction has taken back.</summary>
    public static IReadOnlySet<EventId> Struck(IReadOnlyList<Entry> log) =>
        Live(log).Where(x => x is { Event.Kind: EventKind.Corrected, Judged: Kept }).Select(x => Target(x.Event)).ToHashSet();

    /// <summary>The lines that count: from the last restart on.</summary>
    public static IEnumerable<Entry> Live(IReadOnlyList<Entry> log)
    {
        var from = log.Count - 1;
        while (from > 0 && !log[from].Restart)
        {
            from--;
        }

        return log.Skip(from);
    }

    /// <summary>The event that a correction takes back.</summary>
    public static EventId Target(LedgerEvent correction) => EventBodies.Read<Corrected>(correction with { Taken = true }).EventId;

    internal static EndState Heard(EndState state, LedgerEvent e)
    {
        var known = state.Devices.FirstOrDefault(d => d.DeviceId == e.DeviceId);
        return state with
        {
            LastAt = state.LastAt > e.ToldAt ? state.LastAt : e.ToldAt,
            Devices = known?.Seq >= e.DeviceSeq ? state.Devices
                : [.. state.Devices.Where(d => d.DeviceId != e.DeviceId).Append(new(e.DeviceId, e.DeviceSeq)).OrderBy(d => d.DeviceId)],
        };
    }

    /// <summary>True where an event cannot simply be told after the others: it takes one back, it comes late, or more than one device has spoken.</summary>
    public static bool NeedsRetelling(EndState state, LedgerEvent e) =>
        e.Kind == EventKind.Corrected || state.Devices.Any(d => d.DeviceId != e.DeviceId || d.Seq > e.DeviceSeq);
}
