using Rhabdon.Core.Bench;
using Rhabdon.Core.Procedures;
using Rhabdon.Core.Rework;

namespace Rhabdon.Core.Ledger;

/// <summary>Something was done again on a finished connector: cleaned, or polished on from a step.</summary>
/// <param name="StepId">The step that the run goes back to; null when it was only cleaned.</param>
/// <param name="Minutes">That it took, where somebody says so; else what it usually takes.</param>
public sealed record Reworked(RunId RunId, ReworkReason Reason, string? StepId = null, double? Minutes = null, string? Note = null) : INoted;

/// <param name="Act">Of the step that the run goes back to; null when it was only cleaned.</param>
/// <param name="Minutes">That it usually takes; null in what was judged before that was asked.</param>
public sealed record WentBack(Phase Phase, string? Act, double? Minutes = null) : Judged;

internal sealed class ReworkedRule : EventRule<Reworked, WentBack>
{
    protected override IEnumerable<Refusal> Faults(Reworked body) => body.Minutes is null or (>= 0 and <= 1440) ? [] : [OutOf("body.minutes", "Minutes are 0 to 1440.")];

    protected override Judged Decide(Question q, Reworked body)
    {
        var attempt = Runs.Finished(q, body.RunId);
        if (body.StepId is null)
        {
            return new WentBack(Phase.Look, null, ReworkChoices.CleanMinutes);
        }

        var table = Runs.Table(q, attempt);
        var step = table.State(body.StepId) ?? throw new RefusedException("step-unknown", "body.stepId", $"There is no step '{body.StepId}'.");
        return new WentBack(step.Phase, step.Act, ReworkChoices.MinutesFrom(table, step));
    }

    protected override EndState Evolve(EndState state, LedgerEvent e, Reworked body, WentBack judged) => Runs.With(state, body.RunId, a => a with
    {
        Position = body.StepId is null ? a.Position : a.Position with { StateId = body.StepId, Outcome = RunOutcome.Running },
        FinishedAt = body.StepId is null ? a.FinishedAt : null,
        Phase = judged.Phase,
        Inspection = null,
        Losses = [],
        Traces = [],
        ReworkMinutes = a.ReworkMinutes + Took(body, judged),
        Loops = [.. a.Loops, new Loop(e.Id, e.At, a.Phase, judged.Phase, judged.Act ?? "Clean and look again", body.Reason, Took(body, judged), 0, [], body.Note)],
    });

    private static double Took(Reworked body, WentBack judged) => body.Minutes ?? judged.Minutes ?? 0;
}
