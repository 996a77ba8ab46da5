using System.Collections.Immutable;
using Rhabdon.Core.Fiber;

namespace Rhabdon.Core.Ledger;

/// <summary>An end told again.</summary>
/// <param name="Added">Lines to add to the log.</param>
/// <param name="Refused">Why events that are not in the ledger yet do not fit, by id.</param>
public sealed record Retold(EndState State, IReadOnlyList<Entry> Added, IReadOnlyDictionary<EventId, Refusal> Refused);

/// <summary>
/// Tells an end from all that was ever said of it, so that it comes out alike in whatever order that arrived: each device's events in
/// the device's own order; between devices work before verdicts before giving up, then by the clock; what does not fit yet waits.
/// </summary>
public static class Retelling
{
    private static readonly HashSet<string> WaitingCodes =
    [
        "run-unknown", "run-over", "run-not-finished", "step-not-current", "attempt-number", "attempt-open", "attempt-closed", "already-accepted", "not-proven", "not-proven-far-end", "not-proven-at-bench", "not-proven-to-look", "not-proven-to-measure", "not-proven-failed", "not-proven-accepted", "not-proven-conflict",
        "event-unknown", "later-events-rest-on-it", "nothing-measured", "shards-uncounted", "timer-none", "evidence-unknown", "kit-unknown", "instrument-unknown", "tool-unknown",
    ];

    /// <summary>Codes of what waits for something that is not of its own end.</summary>
    public static readonly string[] Borrowed = ["evidence-unknown", "kit-unknown", "instrument-unknown", "tool-unknown", "shards-uncounted"];

    /// <summary>True for an event that does not fit yet, and may once others have arrived.</summary>
    public static bool Waits(Refusal why) => WaitingCodes.Contains(why.Code);

    /// <param name="ledger">Every event of the end that is in the ledger, in ledger order.</param>
    /// <param name="log">What was made of them.</param>
    /// <param name="more">Events that are not in the ledger: those that are being taken in, and those that wait, with the role of who sent them.</param>
    /// <param name="far">What the far end has come to: a reading is worth what that is.</param>
    /// <param name="cause">The event for whose sake it is told again.</param>
    public static Retold Tell(
        PlannedConnector plan, EndId endId, EndState? far, IReadOnlyList<LedgerEvent> ledger, IReadOnlyList<Entry> log, IReadOnlyList<(LedgerEvent Event, Role Sender)> more, Rules rules, EventId cause)
    {
        IReadOnlyList<LedgerEvent> all = [.. ledger, .. more.Select(m => m.Event)];
        var known = ledger.Select(e => e.Id).ToHashSet();
        var story = new Story(plan, endId, far, rules, Before(log), all, more.ToDictionary(m => m.Event.Id, m => m.Sender));

        var notes = new HashSet<EventId>(); // taken back, and still among what is told
        var (told, refused, struck, corrections) = (story.Tell(new HashSet<EventId>()), new Dictionary<EventId, Refusal>(), new HashSet<EventId>(), new List<Entry>());
        foreach (var c in all.Where(e => e.Kind == EventKind.Corrected).OrderBy(e => e.ToldAt).ThenBy(e => e.DeviceId).ThenBy(e => e.DeviceSeq))
        {
            var (against, target) = (story.Against(c, told.State), Telling.Target(c));
            var there = target == c.Id || notes.Contains(target) ? null : told.Find(target);
            if (against is null && there is { Event.Kind: EventKind.Noted })
            {
                // Nothing rests on a note: the rest stays told as it is, however many are taken back.
                notes.Add(target);
                corrections.Add(new(c, new Kept()));
                struck.Add(target);
            }
            else if (against is null && there is not null && Without(story, told = Apart(told, notes), struck, c, target) is { } without)
            {
                told = without;
                corrections.Add(new(c, new Kept()));
                struck.Add(target);
            }
            else
            {
                var why = against ?? Why(all, told, struck, target);
                refused[c.Id] = why;
                corrections.Add(new(c, Voided.For(why)));
            }
        }

        told = Apart(told, notes);
        foreach (var (e, why) in told.Refused)
        {
            refused[e.Id] = why;
        }

        if (log.Any(x => x.Judged is TakenOver) && refused.Keys.Any(known.Contains))
        {
            // Entries from before judgements were kept no longer fit today's documents: what stands, stands.
            return new(Telling.Fold(endId, log), [], more.ToDictionary(m => m.Event.Id, _ => new Refusal("taken-over", "body.eventId", "Entries of this end are from an older version and cannot be told again without it.")));
        }

        IEnumerable<Entry> rest = [
            .. told.Refused.Select(r => new Entry(r.Event, Voided.For(r.Why))),
            .. all.Where(e => struck.Contains(e.Id)).Select(e => new Entry(e, new Voided("struck", "eventId", "A correction took it back."))),
            .. corrections];
        IReadOnlyList<Entry> kept = [.. rest.Where(x => known.Contains(x.Event.Id) || !refused.ContainsKey(x.Event.Id))];
        var added = Added(log, told.Entries, kept, cause);
        return new(Telling.Fold(endId, [.. log, .. added]), added, refused.Where(r => !known.Contains(r.Key)).ToDictionary());
    }

    /// <summary>Leaves out notes that were taken back, all at once.</summary>
    private static Telled Apart(Telled told, HashSet<EventId> notes)
    {
        var apart = notes.Count == 0 ? told : told.Apart(notes);
        notes.Clear();
        return apart;
    }

    /// <summary>What is told without the event that a correction names; null where what was said before the correction rests on it.</summary>
    private static Telled? Without(Story story, Telled told, HashSet<EventId> struck, LedgerEvent c, EventId target)
    {
        var without = story.Tell(new HashSet<EventId>(struck) { target }, told, target);
        var counts = without.Entries.Where(x => x.Judged is not Strayed).Select(x => x.Event.Id).ToHashSet();
        bool Knew(LedgerEvent e) => e.DeviceId == c.DeviceId ? e.DeviceSeq < c.DeviceSeq : e.ToldAt <= c.ToldAt;
        return told.Entries.Any(x => x.Event.Id != target && x.Judged is not Strayed && Knew(x.Event) && !counts.Contains(x.Event.Id)) ? null : without;
    }

    private static Refusal Why(IReadOnlyList<LedgerEvent> all, Telled told, HashSet<EventId> struck, EventId target)
    {
        return struck.Contains(target) || all.Any(e => e.Id == target && e.Kind == EventKind.Corrected)
            ? new("already-corrected", "body.eventId", "That event is struck already, or is itself a correction.")
            : told.Find(target) is null ? new("event-unknown", "body.eventId", "This end has no such event to correct.")
            : new("later-events-rest-on-it", "body.eventId", "Later entries rest on this one; undo those first.");
    }

    /// <summary>The lines that the log lacks. Where what stands in it holds on, only what is new; else all of it, told anew.</summary>
    private static IReadOnlyList<Entry> Added(IReadOnlyList<Entry> log, IReadOnlyList<Entry> told, IReadOnlyList<Entry> rest, EventId cause)
    {
        var live = Telling.Live(log).Where(x => x.Judged is not FarJudged).ToList();
        // What a correction takes back is passed over where the log is folded; what no longer fits is not.
        var struck = rest.Where(x => x.Judged is Voided { Code: "struck" }).Select(x => x.Event.Id).ToHashSet();
        var aside = rest.Where(x => x.Judged is Voided && x.Event.Kind != EventKind.Corrected).Select(x => x.Event.Id).ToHashSet();
        var standing = live.Where(x => x.Judged is not Voided && x.Event.Kind != EventKind.Corrected && !struck.Contains(x.Event.Id)).ToList();
        var last = live.GroupBy(x => x.Event.Id).ToDictionary(g => g.Key, g => g.Last().Judged);
        var holds = live.All(x => x.Judged is not TakenOver)
            && standing.Count <= told.Count
            && standing.Zip(told).All(p => p.First.Event.Id == p.Second.Event.Id && p.First.Judged.Says(p.Second.Judged))
            // What was set aside is so still, and no correction has turned.
            && live.Where(x => x.Judged is Voided && x.Event.Kind != EventKind.Corrected).All(x => aside.Contains(x.Event.Id))
            && rest.Where(x => x.Event.Kind == EventKind.Corrected).All(x => last.GetValueOrDefault(x.Event.Id) is not { } was || was is Voided == x.Judged is Voided);
        if (!holds)
        {
            IReadOnlyList<Entry> anew = [.. told, .. rest];
            return [.. anew.Select((x, i) => x with { Cause = x.Event.Id == cause ? null : cause, Restart = i == 0 })];
        }

        bool New(Entry x) => !last.TryGetValue(x.Event.Id, out var judged) || ((x.Judged is Voided) != (judged is Voided) && (x.Judged as Voided)?.Code != "struck");
        return [.. told.Skip(standing.Count).Concat(rest.Where(New)).Select(x => x with { Cause = x.Event.Id == cause ? null : cause })];
    }

    /// <summary>What each event was judged when it was first heard.</summary>
    private static Func<LedgerEvent, Judged?> Before(IReadOnlyList<Entry> log)
    {
        var first = log.Where(x => x.Judged is not (FarJudged or Voided or Strayed or TakenOver)).GroupBy(x => x.Event.Id).ToDictionary(g => g.Key, g => g.First().Judged);
        var taken = log.Select(x => x.Judged).OfType<TakenOver>().FirstOrDefault()?.State;
        return e => first.GetValueOrDefault(e.Id) ?? (taken is null ? null : FromState(taken, e));
    }

    /// <summary>What an event is judged now; null for one that the log knows nothing of.</summary>
    public static Judged? Of(IReadOnlyList<Entry> log, LedgerEvent e)
    {
        var last = log.LastOrDefault(x => x.Event.Id == e.Id && x.Judged is not FarJudged)?.Judged;
        return last is null or TakenOver && log.Select(x => x.Judged).OfType<TakenOver>().FirstOrDefault()?.State is { } taken ? FromState(taken, e) : last;
    }

    /// <summary>Of an event from before judgements were kept: what the state of its end said.</summary>
    private static Judged? FromState(EndState state, LedgerEvent e) => e.Kind switch
    {
        EventKind.Inspected => state.Attempts.SelectMany(a => a.Looks).Where(l => l.EventId == e.Id).Select(l => new FaceGraded(l.Verdict, null)).FirstOrDefault(),
        EventKind.Measured => state.Attempts.SelectMany(a => a.Losses).Where(l => l.EventId == e.Id).Select(l => new LossJudged(l.Judgement, l.Reading.FiberClass?.TestWavelengthsNm() ?? [], null)).FirstOrDefault(),
        EventKind.Traced => state.Attempts.SelectMany(a => a.Traces).Where(t => t.EventId == e.Id).Select(t => new TraceJudged(t.Verdict, null)).FirstOrDefault(),
        EventKind.CleaveSeen => state.Attempts.SelectMany(a => a.CleavesSeen).Where(c => c.EventId == e.Id).Select(c => new CleaveJudged(c.Verdict, null)).FirstOrDefault(),
        EventKind.LightJudged => state.Attempts.SelectMany(a => a.Lights).Where(l => l.EventId == e.Id).Select(l => new GlowJudged(l.Judgement, null)).FirstOrDefault(),
        EventKind.Accepted when state.Attempts.Any(a => a.AcceptedAt == e.At) => new Kept(),
        _ => null,
    };

    /// <param name="Entries">In the order that they were told.</param>
    /// <param name="Stops">Where it stood before each event, as long as no order had to be chosen.</param>
    private sealed record Telled(EndState State, IReadOnlyList<Entry> Entries, IReadOnlyList<(LedgerEvent Event, Refusal Why)> Refused, IReadOnlyList<Stop> Stops)
    {
        private Dictionary<EventId, Entry>? _byId;

        public Entry? Find(EventId id) => (_byId ??= Entries.GroupBy(x => x.Event.Id).ToDictionary(g => g.Key, g => g.Last())).GetValueOrDefault(id);

        /// <summary>Without these notes. Behind the first of them it stood where it is counted otherwise now: what is told again begins before it.</summary>
        public Telled Apart(IReadOnlySet<EventId> notes)
        {
            var first = Entries.TakeWhile(x => !notes.Contains(x.Event.Id)).Count();
            return new(State, [.. Entries.Where(x => !notes.Contains(x.Event.Id))], Refused, [.. Stops.TakeWhile(s => s.Told <= first)]);
        }
    }

    /// <summary>A place in a telling from which it can be told again: what lies before is the same whatever is struck of what lies behind.</summary>
    /// <param name="At">How many of each device's events were heard.</param>
    private readonly record struct Stop(EndState State, int Told, int Refused, ImmutableArray<int> At);

    private sealed class Story
    {
        private readonly PlannedConnector _plan;
        private readonly EndState? _far;
        private readonly Rules _rules;
        private readonly Func<LedgerEvent, Judged?> _before;
        private readonly IReadOnlyDictionary<EventId, Role> _senders;
        private readonly EndState _empty;

        /// <summary>Each device's events in its own order, with what each says, and the run that it moves.</summary>
        private readonly (LedgerEvent Event, object? Body, RunId? Run)[][] _devices;
        private readonly Dictionary<EventId, (int Device, int At)> _places = [];
        private EndState _state;

        public Story(PlannedConnector plan, EndId endId, EndState? far, Rules rules, Func<LedgerEvent, Judged?> before, IReadOnlyList<LedgerEvent> all, IReadOnlyDictionary<EventId, Role> senders)
        {
            (_plan, _far, _rules, _before, _senders) = (plan, far, rules, before, senders);
            _state = _empty = EndState.Empty(endId);
            _devices = [.. all.Where(e => e.Kind != EventKind.Corrected).GroupBy(e => e.DeviceId).OrderBy(g => g.Key)
                .Select(g => g.OrderBy(e => e.DeviceSeq).ThenBy(e => e.Id).Select(e => (Event: e, Body: Telling.BodyOf(e))).Select(e => (e.Event, e.Body, Run(e.Body))).ToArray())];
            for (var d = 0; d < _devices.Length; d++)
            {
                for (var i = 0; i < _devices[d].Length; i++)
                {
                    _places[_devices[d][i].Event.Id] = (d, i);
                }
            }
        }

        /// <param name="struck">Events that it is told without.</param>
        /// <param name="known">A telling without fewer of them by <paramref name="more"/>: what lies before that one is taken from there.</param>
        public Telled Tell(IReadOnlySet<EventId> struck, Telled? known = null, EventId? more = null)
        {
            var (told, refused, stops) = (new List<Entry>(), new List<(LedgerEvent, Refusal)>(), new List<Stop>());
            var at = new int[_devices.Length];
            _state = _empty;
            if (known is not null && more is { } target && _places.TryGetValue(target, out var place) && LastBefore(known.Stops, place) is { } from)
            {
                var stop = known.Stops[from];
                _state = stop.State;
                told.AddRange(known.Entries.Take(stop.Told));
                refused.AddRange(known.Refused.Take(stop.Refused));
                stops.AddRange(known.Stops.Take(from));
                stop.At.CopyTo(at);
            }

            var lost = new HashSet<(DeviceId Device, RunId Run)>();
            var ahead = Ahead(at, struck);
            var alone = true;
            while (true)
            {
                if (alone)
                {
                    stops.Add(new(_state, told.Count, refused.Count, [.. at]));
                }

                var heads = new List<(int Device, LedgerEvent Event, RunId? Run, (Told? Told, Refusal? Why) Try)>();
                for (var d = 0; d < _devices.Length; d++)
                {
                    while (at[d] < _devices[d].Length && struck.Contains(_devices[d][at[d]].Event.Id))
                    {
                        at[d]++;
                    }

                    if (at[d] < _devices[d].Length)
                    {
                        var (e, body, run) = _devices[d][at[d]];
                        heads.Add((d, e, run, Try(e, body, run, lost)));
                    }
                }

                if (heads.Count == 0)
                {
                    return new(_state, told, refused, stops);
                }

                // Who has gone further in a run counts, where two went on from the same step.
                int Further((int Device, LedgerEvent Event, RunId? Run, (Told? Told, Refusal? Why) Try) h) => h.Run is { } run ? ahead[(h.Device, run)] : 0;
                var ready = heads.Where(h => h.Try.Told is { Judged: not Strayed }).ToList();
                if (ready.Count > 1)
                {
                    // Only between two that move a run does it matter what lies behind them.
                    alone &= ready.Count(h => h.Run is not null) < 2;
                    ready = [.. ready.OrderBy(h => Class(h.Event.Kind)).ThenByDescending(Further).ThenBy(h => h.Event.ToldAt).ThenBy(h => h.Event.DeviceId)];
                }

                if (ready.Count > 0)
                {
                    var next = ready[0];
                    if (next.Try.Told!.Judged is Moved && next.Run is { } run)
                    {
                        // Two devices each moved this run from here: the other's moves of it are kept, not counted.
                        lost.UnionWith(ready.Skip(1).Where(h => h.Try.Told!.Judged is Moved && h.Run == run).Select(h => (h.Event.DeviceId, run)));
                    }

                    Take(told, next.Event, next.Try.Told!);
                    Pass(next.Device, next.Run);
                    continue;
                }

                var blocked = heads.Count == 1 ? heads[0] : heads.OrderBy(h => h.Try.Told is not null).ThenBy(h => h.Event.ToldAt).ThenBy(h => h.Event.DeviceId).First();
                Pass(blocked.Device, blocked.Run);
                if (blocked.Try.Told is { } stray)
                {
                    Take(told, blocked.Event, stray);
                }
                else
                {
                    refused.Add((blocked.Event, blocked.Try.Why!));
                }
            }

            void Pass(int device, RunId? run)
            {
                at[device]++;
                if (run is { } r)
                {
                    ahead[(device, r)]--;
                }
            }
        }

        /// <summary>The last stop at which a device had not come to this place yet; null where there is none.</summary>
        private static int? LastBefore(IReadOnlyList<Stop> stops, (int Device, int At) place)
        {
            var (low, high) = (0, stops.Count);
            while (low < high)
            {
                var middle = (low + high) / 2;
                (low, high) = stops[middle].At[place.Device] < place.At ? (middle + 1, high) : (low, middle);
            }

            // A device's next event is looked at while it waits: the stop has to lie before that.
            return low > 0 ? low - 1 : null;
        }

        /// <summary>How many moves of each run lie before each device.</summary>
        private Dictionary<(int Device, RunId Run), int> Ahead(int[] at, IReadOnlySet<EventId> struck)
        {
            var ahead = new Dictionary<(int, RunId), int>();
            for (var d = 0; d < _devices.Length; d++)
            {
                foreach (var (e, _, run) in _devices[d].Skip(at[d]))
                {
                    if (run is { } r && !struck.Contains(e.Id))
                    {
                        ahead[(d, r)] = ahead.GetValueOrDefault((d, r)) + 1;
                    }
                }
            }

            return ahead;
        }

        /// <summary>Why its sender may not say it; what is in the ledger was asked when it came.</summary>
        public Refusal? Against(LedgerEvent e, EndState state) => Role(e) is { } role ? Rights.Against(role, state, e) : null;

        private Role? Role(LedgerEvent e) => _senders.TryGetValue(e.Id, out var role) ? role : null;

        private void Take(List<Entry> to, LedgerEvent e, Told told)
        {
            _state = e.Kind == EventKind.Measured ? FarEnds.Settle(told.State, FarEnds.Turned(told.State, _far)) : told.State;
            to.Add(new(e, told.Judged));
        }

        private (Told? Told, Refusal? Why) Try(LedgerEvent e, object? body, RunId? run, HashSet<(DeviceId Device, RunId Run)> lost)
        {
            try
            {
                var told = Telling.Tell(new(_plan, _state, _rules, e, Role(e), _before(e), body));
                return told.Judged is Moved or Timed && run is { } r && lost.Contains((e.DeviceId, r))
                    ? (new(Telling.Evolve(_state, e, new Strayed()), new Strayed()), null)
                    : (told, null);
            }
            catch (RefusedException x)
            {
                return (null, x.Refusals[0]);
            }
        }

        /// <summary>Work, then what was seen of it, then giving it up.</summary>
        private static int Class(EventKind kind) => kind switch
        {
            EventKind.AttemptStarted or EventKind.StepDone or EventKind.CheckAnswered or EventKind.TimerStarted or EventKind.PreflightAnswered => 0,
            EventKind.AttemptClosed => 2,
            _ => 1,
        };

        /// <summary>The run that an act or an answer moves.</summary>
        private static RunId? Run(object? body) => body switch
        {
            StepDone done => done.RunId,
            CheckAnswered answered => answered.RunId,
            TimerStarted started => started.RunId,
            _ => null,
        };
    }
}
