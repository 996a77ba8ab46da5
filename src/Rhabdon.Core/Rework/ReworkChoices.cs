using Rhabdon.Core.Ledger;
using Rhabdon.Core.Procedures;

namespace Rhabdon.Core.Rework;

public enum ReworkKind
{
    /// <summary>Cleaned, to be looked at again.</summary>
    Clean,
    /// <summary>Worked again from a step on.</summary>
    Back,
    /// <summary>The connector is given up, the cable cut behind the jacket's edge.</summary>
    CutOff,
}

/// <summary>One thing that can be done with a finished connector that is not good enough.</summary>
/// <param name="StepId">Where the run goes on; null but for <see cref="ReworkKind.Back"/>.</param>
/// <param name="Act">Of that step.</param>
/// <param name="Minutes">That it usually takes: as the procedure's ladders say where they go there, else by its timers, strokes and acts.</param>
/// <param name="SlackMm">That it takes from the cable.</param>
/// <param name="LeftMm">Slack after it, in millimetres; below 0 where it cannot be paid for.</param>
/// <param name="Allowed">False where this person may not say it.</param>
/// <param name="OnLadder">A ladder of the procedure goes there: the way that the trade goes back.</param>
public sealed record ReworkChoice(ReworkKind Kind, string? StepId, string? Act, double Minutes, double SlackMm, double LeftMm, bool Allowed, bool OnLadder = false);

/// <summary>What can be done with a bad connector, the cheapest first.</summary>
public static class ReworkChoices
{
    /// <summary>Wiping and looking again (ours).</summary>
    public const double CleanMinutes = 1;

    /// <summary>An act that has no timer and no strokes (ours).</summary>
    private const double ActS = 15;

    /// <param name="table">As the run walks it.</param>
    /// <param name="slackLeftMm">Before any of it.</param>
    /// <param name="role">Of the one who chooses.</param>
    /// <returns>Nothing where no finished, open connector is there.</returns>
    public static IReadOnlyList<ReworkChoice> Of(EndState state, RunTable table, double slackLeftMm, Role role, PersonId personId)
    {
        if (state.Current is not { Open: true, AcceptedAt: null, Position.Outcome: Bench.RunOutcome.Finished } run)
        {
            return [];
        }

        var works = role is not Role.Viewer;
        var cost = table.Prep.CutOffUsesMm;
        return
        [
            new(ReworkKind.Clean, null, null, CleanMinutes, 0, slackLeftMm, works),
            .. table.States.Where(s => s.Phase == Phase.Finish).Select(s => new ReworkChoice(ReworkKind.Back, s.Id, s.Act, MinutesFrom(table, s), 0, slackLeftMm, works, table.Ladders.SelectMany(l => l.Uses).Any(u => u.To == s.Id))).OrderBy(c => c.Minutes),
            new(ReworkKind.CutOff, null, null, MinutesFrom(table, table.States[0]), cost, slackLeftMm - cost, Rights.AgainstClosing(role, personId, state, run) is null),
        ];
    }

    /// <summary>Minutes from a step to the end of the run.</summary>
    public static double MinutesFrom(RunTable table, RunState step) =>
        table.Ladders.SelectMany(l => l.Uses).FirstOrDefault(u => u.To == step.Id)?.Minutes
        ?? Math.Max(CleanMinutes, Math.Ceiling(table.States.SkipWhile(s => s.Id != step.Id).Sum(Seconds) / 60));

    private static double Seconds(RunState s) => ActS + (s.Timer?.DurationS ?? 0) + (s.Count is { } count ? count.Max / (count.PacePerS ?? 1) : 0);
}
