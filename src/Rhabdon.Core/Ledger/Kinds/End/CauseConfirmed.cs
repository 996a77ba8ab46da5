using Rhabdon.Core.Rework;

namespace Rhabdon.Core.Ledger;

/// <summary>Somebody found out why a connector failed. Said again, the last word holds.</summary>
/// <param name="By">What showed it, in the words of the person.</param>
public sealed record CauseConfirmed(RunId RunId, ReworkReason Cause, string? By = null) : INoted
{
    string? INoted.Note => By;
}

internal sealed class CauseConfirmedRule : EventRule<CauseConfirmed, Kept>
{
    protected override Judged Decide(Question q, CauseConfirmed body) => q.State.Attempts.Any(a => a.RunId == body.RunId)
        ? new Kept()
        : throw new RefusedException("run-unknown", "body.runId", "This end has no such run.");

    protected override EndState Evolve(EndState state, LedgerEvent e, CauseConfirmed body, Kept judged) =>
        Runs.With(state, body.RunId, a => a with { Cause = new(e.Id, e.At, e.ActorId, body.Cause, body.By) });
}
