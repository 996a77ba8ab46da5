using System.Text.Json;
using CsCheck;
using Rhabdon.Core;
using Rhabdon.Core.Bench;
using Rhabdon.Core.Inspection;
using Rhabdon.Core.Ledger;
using Rhabdon.Core.Loss;
using Rhabdon.Core.Procedures;
using Rhabdon.Core.Rework;

namespace Rhabdon.Tests;

/// <summary>Three devices that work one end, mostly without a signal and with clocks that are wrong.</summary>
/// <param name="endId">The end, whose procedure is <paramref name="table"/>.</param>
internal sealed class LedgerModel(EndId endId, RunTable table, Rules rules, PlannedConnector plan, PersonId actorId)
{
    public const int Devices = 3;

    /// <summary>What a device does next; what is impossible in its eyes is left out.</summary>
    public enum Act
    {
        Sync, Start, Good, Bad, Undo, Look, Measure, Accept, Close, Clean, Note, Rash,
    }

    private static readonly Gen<(int Device, Act Act)> Step = Gen.Frequency(
        (2, Gen.Const(Act.Sync)), (2, Gen.Const(Act.Start)), (9, Gen.Const(Act.Good)), (1, Gen.Const(Act.Bad)), (2, Gen.Const(Act.Undo)), (2, Gen.Const(Act.Look)),
        (3, Gen.Const(Act.Measure)), (1, Gen.Const(Act.Accept)), (1, Gen.Const(Act.Close)), (1, Gen.Const(Act.Clean)), (1, Gen.Const(Act.Note)), (1, Gen.Const(Act.Rash)))
        .Select(Gen.Int[0, Devices - 1], (act, device) => (device, act));

    public static readonly Gen<((int Device, Act Act)[] Steps, int[] SkewMinutes, int Order)> Stories =
        Gen.Select(Step.Array[1, 60], Gen.Int[-180, 180].Array[Devices], Gen.Int[0, 1_000_000]);

    private static readonly Instant Start = Instant.FromUtc(2026, 3, 2, 8, 0, 0);
    /// <summary>How many times as many stories are told; ./rhabdon prove asks for more.</summary>
    public static readonly int More = int.Parse(Environment.GetEnvironmentVariable("RHABDON_STORIES") ?? "1", System.Globalization.CultureInfo.InvariantCulture);

    private readonly DeviceId[] _devices = [.. Enumerable.Range(0, Devices).Select(_ => DeviceId.New())];

    public Desk NewDesk() => new(endId, rules, plan);

    /// <summary>Without what the hearing of a refused event alone may change.</summary>
    public static string Json(EndState s) => JsonSerializer.Serialize(s with { LastAt = null, Devices = [] }, Wire.Json);

    public static List<LedgerEvent> Mixed(LedgerEvent[][] queues, Func<List<int>, int> pick)
    {
        var at = new int[queues.Length];
        var mixed = new List<LedgerEvent>();
        while (Enumerable.Range(0, queues.Length).Where(q => at[q] < queues[q].Length).ToList() is { Count: > 0 } open)
        {
            var q = open[pick(open)];
            mixed.Add(queues[q][at[q]++]);
        }

        return mixed;
    }

    /// <summary>What each device wrote, by what it knew when it wrote it.</summary>
    public LedgerEvent[][] Queues((int Device, Act Act)[] steps, int[] skewMinutes)
    {
        var cloud = new List<LedgerEvent>();
        var known = Enumerable.Range(0, Devices).Select(_ => new List<LedgerEvent>()).ToArray();
        var own = Enumerable.Range(0, Devices).Select(_ => new List<LedgerEvent>()).ToArray();
        for (var minute = 0; minute < steps.Length; minute++)
        {
            var (device, act) = steps[minute];
            if (act == Act.Sync)
            {
                cloud.AddRange(own[device].Except(cloud));
                known[device] = [.. cloud];
                continue;
            }

            var view = NewDesk().Send(known[device]);
            if (Make(act, view, own[device], known[device]) is { } made)
            {
                var deviceId = _devices[device];
                var e = new LedgerEvent(EventId.New(Start.Plus(Duration.FromMinutes(minute))), endId, made.Attempt, made.Kind, Start.Plus(Duration.FromMinutes(minute + skewMinutes[device])),
                    deviceId, own[device].Count + 1, actorId, JsonSerializer.SerializeToElement(made.Body, made.Body.GetType(), Wire.Json));
                own[device].Add(e);
                known[device].Add(e);
            }
        }

        return [.. own.Select(o => o.ToArray())];
    }

    private (EventKind Kind, object Body, int Attempt)? Make(Act act, Desk view, List<LedgerEvent> own, List<LedgerEvent> known)
    {
        var a = view.State.Current;
        var (run, no) = (a?.RunId ?? default, a?.No ?? 1);
        var step = a is { Open: true, Position.StateId: { } id } ? table.State(id) : null;
        var made = a is { Open: true, Position.Outcome: RunOutcome.Finished, AcceptedAt: null };
        (EventKind, object, int)? Advance(bool good) => step is null ? null
            : step.Question is null ? (EventKind.StepDone, new StepDone(run, step.Id), no)
            : (EventKind.CheckAnswered, new CheckAnswered(run, step.Id, (good ? step.Answers[0] : step.Answers[^1]).Id), no);
        return act switch
        {
            Act.Start => a is { Open: true } ? null : (EventKind.AttemptStarted, new AttemptStarted(table.ProcedureId, table.Version), (a?.No ?? 0) + 1),
            Act.Good => Advance(true),
            Act.Bad => Advance(false),
            Act.Undo => own.LastOrDefault(e => e.Kind != EventKind.Corrected && known.All(k => k.Kind != EventKind.Corrected || Telling.Target(k) != e.Id)) is { } last ? (EventKind.Corrected, new Corrected(last.Id), last.Attempt) : null,
            Act.Look => made ? (EventKind.Inspected, new Inspected(run, own.Count % 5 == 4 ? [new(Zone.A, FindingKind.Crack, 9)] : []), no) : null,
            Act.Measure => made ? (EventKind.Measured, Reading(run, own.Count % 2 == 0 ? 850 : 1300), no) : null,
            Act.Accept => made ? (EventKind.Accepted, new Accepted(run, "so"), no) : null,
            Act.Close => a is { Open: true } ? (EventKind.AttemptClosed, new AttemptClosed(run, ReworkReason.Other, own.Count % 2 == 0), no) : null,
            Act.Clean => made ? (EventKind.Reworked, new Reworked(run, ReworkReason.Contamination), no) : null,
            Act.Note => (EventKind.Noted, new Noted("here"), no),
            // What it cannot do yet, or not at all.
            Act.Rash => (own.Count % 3) switch { 0 => (EventKind.Accepted, new Accepted(run, "so"), no), 1 => (EventKind.StepDone, new StepDone(run, "housing"), no), _ => (EventKind.Measured, Reading(run, 850), no) },
            _ => null,
        };
    }

    private static Measured Reading(RunId run, int nm) => new(run, ReferenceMethod.OneCord, nm, -20, -20.6, Into: MeasuredInto.FinishedConnector);

    /// <summary>The ledger's door, as the server has it, without the server.</summary>
    public sealed class Desk(EndId endId, Rules rules, PlannedConnector plan)
    {
        private readonly List<LedgerEvent> _waiting = [];
        private readonly List<LedgerEvent> _refused = [];

        public EndState State { get; private set; } = EndState.Empty(endId);

        public List<LedgerEvent> Ledger { get; } = [];

        public List<Entry> Log { get; } = [];

        public IEnumerable<LedgerEvent> Quarantine => _waiting.Concat(_refused);

        public override string ToString() => Json(State) + string.Concat(Telling.Live(Log).Select(x => $"\n  {x.Event.DeviceId.ToString()[7]}.{x.Event.DeviceSeq} {x.Event.Kind} {x.Judged.Write()}"))
            + string.Concat(_waiting.Select(w => $"\n  waits {w.DeviceId.ToString()[7]}.{w.DeviceSeq} {w.Kind} {w.Body}")) + string.Concat(_refused.Select(w => $"\n  refused {w.DeviceId.ToString()[7]}.{w.DeviceSeq} {w.Kind} {w.Body}"));

        public Desk Send(IEnumerable<LedgerEvent> events)
        {
            foreach (var e in events)
            {
                if (!Ledger.Concat(Quarantine).Any(k => k.Id == e.Id))
                {
                    Take(e);
                }
            }

            return this;
        }

        private void Take(LedgerEvent e)
        {
            if (_waiting.Count == 0 && !Telling.NeedsRetelling(State, e))
            {
                try
                {
                    var told = Telling.Tell(new(plan, State, rules, e, Role.Lead));
                    State = told.State;
                    Ledger.Add(e);
                    Log.Add(new(e, told.Judged));
                }
                catch (RefusedException x)
                {
                    (Retelling.Waits(x.Refusals[0]) ? _waiting : _refused).Add(e);
                }

                return;
            }

            var again = Retelling.Tell(plan, endId, null, Ledger, Log, [.. _waiting.Append(e).Select(w => (w, Role.Lead))], rules, e.Id);
            State = again.State;
            Log.AddRange(again.Added);
            foreach (var w in _waiting.Append(e).ToList())
            {
                _waiting.Remove(w);
                (again.Refused.TryGetValue(w.Id, out var why) ? Retelling.Waits(why) ? _waiting : _refused : Ledger).Add(w);
            }
        }
    }
}
