using Rhabdon.Core.Procedures;

namespace Rhabdon.Core.Bench;

/// <summary>One strand of a batch, as far as the choice of the next act cares.</summary>
/// <param name="TimerEndsAt">When the timer of the step that waits will be up; null where none runs.</param>
public sealed record BatchStrand(string Id, RunPosition Position, Instant? TimerEndsAt = null)
{
    /// <summary>True once it has fallen back on a ladder: from then on it goes its own way and holds nobody up.</summary>
    public bool Alone => Position.LadderUses.Count > 0;
}

/// <summary>The next best act of a batch.</summary>
/// <param name="StrandId">The strand to work; null when every hand is free or all is done.</param>
/// <param name="StateId">The step it waits at.</param>
/// <param name="Together">The strands for which one tap may say that this act is done: those that wait at the same batch step.</param>
/// <param name="ReadyAt">When nothing can be worked now: the time the first unattended timer is up.</param>
/// <param name="Blocked">True when the act rests on something of the pre-flight that is missing, and there is nothing better to do.</param>
public sealed record BatchNext(string? StrandId, string? StateId, IReadOnlyList<string> Together, Instant? ReadyAt, bool Blocked);

/// <summary>Chooses what the hands do next. web/src/engine/batch.ts does the same without a network; vectors keep them alike.</summary>
public static class Batches
{
    public const int MostStrands = 24;

    /// <param name="strands">In the order of the panel.</param>
    /// <param name="last">The strand that was worked last; a run once begun is not left for another without a reason.</param>
    /// <param name="blocked">Steps that the pre-flight holds back.</param>
    public static BatchNext Next(RunTable table, IReadOnlyList<BatchStrand> strands, string? last, IReadOnlySet<string> blocked, Instant now)
    {
        var index = table.States.Select((s, i) => (s.Id, i)).ToDictionary(x => x.Id, x => x.i);
        var open = strands.Where(s => s.Position.StateId is not null).ToList();
        if (open.Count == 0)
        {
            return new(null, null, [], null, false);
        }

        int At(BatchStrand s) => index[s.Position.StateId!];
        RunState StateOf(BatchStrand s) => table.States[At(s)];
        bool Cooking(BatchStrand s) => StateOf(s).Timer is { Unattended: true } && s.TimerEndsAt is { } up && up > now;

        // A batch step is done for all before anyone goes on; a strand that fell back holds nobody and is held by nobody.
        bool Held(BatchStrand s) => !s.Alone && open.Any(o => !o.Alone && At(o) < At(s)
            && table.States.Skip(At(o)).Take(At(s) - At(o)).Any(x => x.Batch));

        var able = open.Where(s => !Cooking(s) && !Held(s)).ToList();
        var free = able.Where(s => !blocked.Contains(s.Position.StateId!)).ToList();
        if (free.Count == 0 && able.Count == 0)
        {
            return new(null, null, [], open.Where(Cooking).Select(s => s.TimerEndsAt).Min(), false);
        }

        var pool = free.Count > 0 ? free : able;
        var rung = pool.Where(s => StateOf(s).Timer is { Unattended: true } && s.TimerEndsAt is { } up && up <= now).OrderBy(s => s.TimerEndsAt).ToList();
        var chosen = rung.FirstOrDefault()                                         // what the oven has finished comes out
            ?? pool.FirstOrDefault(s => s.Id == last && !StateOf(s).Batch)         // then go on where the hands are
            ?? pool.Where(s => StateOf(s).Batch).OrderBy(At).FirstOrDefault()      // then what all have to pass
            ?? pool.OrderByDescending(At).First();                                 // then finish what is furthest on
        IReadOnlyList<string> together = StateOf(chosen).Batch || table.Together > 1
            ? [.. pool.Where(s => s.Position.StateId == chosen.Position.StateId).Select(s => s.Id)]
            : [chosen.Id];
        return new(chosen.Id, chosen.Position.StateId, together, null, free.Count == 0);
    }

    /// <summary>
    /// The acts that one tap may say: from where a strand waits to its next check, which the tap answers, or to its next timer, which the tap
    /// starts. A timer that is up is passed like any act; an act of the whole batch is told on its own.
    /// </summary>
    /// <param name="blocked">Steps that the pre-flight holds back.</param>
    /// <param name="timerUp">True when the timer of the step that waits has run its time.</param>
    public static IReadOnlyList<RunState> RunUp(RunTable table, string stateId, IReadOnlySet<string> blocked, bool timerUp = false)
    {
        var acts = new List<RunState>();
        foreach (var state in table.States.SkipWhile(s => s.Id != stateId))
        {
            if (acts.Count > 0 && (state.Batch || blocked.Contains(state.Id)))
            {
                break;
            }

            acts.Add(state);
            if (state.Question is not null || state.Batch || (state.Timer is not null && !(acts.Count == 1 && timerUp)))
            {
                break;
            }
        }

        return acts;
    }

    /// <summary>True for a timer that begins with the answer before it: the hands hold from the moment at which they said that it is home.</summary>
    public static bool StartsItself(RunState state) => state is { Batch: false, Timer.Unattended: false };
}
