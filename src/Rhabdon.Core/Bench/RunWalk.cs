using Rhabdon.Core.Procedures;
using Rhabdon.Core.Rework;

namespace Rhabdon.Core.Bench;

public enum RunOutcome
{
    Running,
    /// <summary>The last step is done.</summary>
    Finished,
    /// <summary>A ladder ran out: the end needs a new attempt.</summary>
    GivenUp,
}

/// <summary>Where a run stands. A value: the same inputs always give the same position.</summary>
/// <param name="StateId">The step that waits; null once the run is over.</param>
/// <param name="LadderUses">How often each ladder was needed in this attempt.</param>
public sealed record RunPosition(string? StateId, IReadOnlyDictionary<string, int> LadderUses, RunOutcome Outcome)
{
    public static RunPosition At(RunTable table) => new(table.Start, new Dictionary<string, int>(), RunOutcome.Running);
}

/// <param name="Rung">The rung that was taken, if the answer led to a ladder.</param>
public sealed record RunMove(RunPosition Position, RunState Left, RunRung? Rung, ReworkReason? Reason);

/// <summary>Walks a run table. web/src/features/bench/walk.ts does the same in the browser; tests/vectors/walks.json keeps them alike.</summary>
public static class RunWalk
{
    /// <param name="input"><c>done</c>, or the id of an answer.</param>
    /// <exception cref="RefusedException">The run is over, waits at another step, or does not know the input.</exception>
    public static RunMove Advance(RunTable table, RunPosition position, string stepId, string input)
    {
        if (position.StateId is not { } current)
        {
            throw new RefusedException("run-over", "stepId", "This run is over; nothing more can be done in it.");
        }

        if (current != stepId)
        {
            throw new RefusedException("step-not-current", "stepId", $"The run waits at '{current}', not at '{stepId}'.");
        }

        var state = table.State(current)!;
        if (!state.On.TryGetValue(input, out var transition))
        {
            throw new RefusedException("answer-unknown", "answerId", $"'{current}' takes {string.Join(", ", state.On.Keys)}, not '{input}'.");
        }

        if (transition.Ladder is not { } ladderId)
        {
            return new(position with { StateId = transition.To, Outcome = transition.To is null ? RunOutcome.Finished : RunOutcome.Running }, state, null, transition.Reason);
        }

        var used = position.LadderUses.GetValueOrDefault(ladderId);
        var rung = table.Ladder(ladderId).Uses[used];
        var uses = new Dictionary<string, int>(position.LadderUses) { [ladderId] = used + 1 };
        return new(new RunPosition(rung.To, uses, rung.To is null ? RunOutcome.GivenUp : RunOutcome.Running), state, rung, transition.Reason);
    }
}
