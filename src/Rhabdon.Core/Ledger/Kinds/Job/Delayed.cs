namespace Rhabdon.Core.Ledger;

public enum DelayReason
{
    NoAccess, Material, Tool, Power, Weather, OtherTrades, Safety, Other,
}

/// <summary>Something holds a job up.</summary>
/// <param name="Minutes">That were lost, where somebody said.</param>
/// <param name="DueOn">The new date, at the site; null where it stays.</param>
public sealed record Delayed(DelayReason Reason, int? Minutes = null, LocalDate? DueOn = null, string? Note = null) : INoted;

internal sealed class DelayedRule : StreamRule<JobState, Delayed>
{
    public override StreamKind Stream => StreamKind.Job;

    protected override IEnumerable<Refusal> Faults(Delayed body)
    {
        if (body.Minutes is < 0 or > 100_000)
        {
            yield return OutOf("body.minutes", "A delay is 0 to 100,000 minutes.");
        }

        if (body.Reason == DelayReason.Other && string.IsNullOrWhiteSpace(body.Note))
        {
            yield return new("note-empty", "body.note", "Say what holds it up.");
        }
    }

    protected override JobState Empty(StreamEvent e, Delayed body) => new() { Id = e.StreamId };

    protected override JobState Evolve(JobState state, StreamEvent e, Delayed body, Judged judged) =>
        state with { Delays = [.. state.Delays, new(e.Id, e.At, e.ActorId, body.Reason, body.Minutes, body.DueOn, body.Note)] };
}
