namespace Rhabdon.Core.Ledger;

public sealed record Accepted(RunId RunId, string? Note = null) : INoted;

internal sealed class AcceptedRule : EventRule<Accepted, Kept>
{
    protected override Judged Decide(Question q, Accepted body)
    {
        var attempt = Runs.Open(q, body.RunId);
        var against = Acceptances.Unproven(q.State, attempt, q.Before is null)
            ?? (attempt.MarginalOver && string.IsNullOrWhiteSpace(body.Note) ? Refusal.Of("reason-missing", "body.note") : null)
            ?? Acceptances.Damaged(attempt)
            ?? (q.Before is null ? Acceptances.Uncounted(attempt, q.Plan.ContainersCountedAt) : null);
        if (against is not null)
        {
            throw new RefusedException(against);
        }

        return new Kept();
    }

    protected override EndState Evolve(EndState state, LedgerEvent e, Accepted body, Kept judged) => Runs.With(state, body.RunId, a => a with { AcceptedAt = e.At });
}
