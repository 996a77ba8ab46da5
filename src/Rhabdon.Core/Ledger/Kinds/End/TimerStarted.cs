namespace Rhabdon.Core.Ledger;

/// <summary>A step's timer runs from here, so that another device can go on with it.</summary>
public sealed record TimerStarted(RunId RunId, string StepId);

public sealed record Timed(Instant EndsAt) : Judged;

internal sealed class TimerStartedRule : EventRule<TimerStarted, Timed>
{
    protected override Judged Decide(Question q, TimerStarted body)
    {
        var attempt = Runs.Open(q, body.RunId);
        if (Moves.Strays(attempt, q.Event, body.StepId))
        {
            return new Strayed();
        }

        return attempt.Position.StateId == body.StepId && Runs.Table(q, attempt).State(body.StepId)?.Timer is { } timer
            ? new Timed(q.Event.At.Plus(Duration.FromSeconds(timer.DurationS)))
            : throw new RefusedException("timer-none", "body.stepId", "The run does not wait at a step of that name with a timer.");
    }

    protected override EndState Evolve(EndState state, LedgerEvent e, TimerStarted body, Timed judged) =>
        Runs.With(state, body.RunId, a => a with { Timer = new(e.Id, body.StepId, e.At, judged.EndsAt), LastDeviceId = e.DeviceId });

    protected override EndState Otherwise(EndState state, LedgerEvent e, TimerStarted body, Judged judged) =>
        judged is Strayed ? Moves.Stray(state, e, body.RunId, body.StepId, "timer") : state;
}
