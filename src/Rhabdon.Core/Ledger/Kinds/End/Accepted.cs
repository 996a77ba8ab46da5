namespace Rhabdon.Core.Ledger;

public sealed record Accepted(RunId RunId, string? Note = null) : INoted;

internal sealed class AcceptedRule : EventRule<Accepted, Kept>
{
    protected override Judged Decide(Question q, Accepted body)
    {
        var attempt = Runs.Open(q, body.RunId);
        // What the ledger took before far ends had to be known stays accepted.
        if (attempt.Proven != EndStatus.ToAccept || q.State.Conflict || (q.Before is null && attempt.FarEndUnknown))
        {
            throw new RefusedException("not-proven", "kind", attempt.Status switch
            {
                EndStatus.ToMeasure when attempt.Proven == EndStatus.ToAccept => "The far end is not known to be made. Say what it was measured into, or send the far end's entries first.",
                EndStatus.AtBench => "The run is not finished.",
                EndStatus.ToLook => "The end face has not been looked at.",
                EndStatus.ToMeasure => "A wavelength has no valid loss reading yet.",
                EndStatus.NeedsDecision => "It failed; rework it or close the attempt.",
                EndStatus.Accepted => "It is accepted already.",
                _ => "Two devices worked this end at once; settle that first.",
            });
        }

        if (attempt.MarginalOver && string.IsNullOrWhiteSpace(body.Note))
        {
            throw new RefusedException("reason-missing", "body.note", "A reading lies over its limit, within what the meter can tell. Say why it is accepted.");
        }

        if (attempt.Broken)
        {
            throw new RefusedException("damaged", "kind", "It is damaged and has to be made again.");
        }

        if (q.Before is null && !Shards.Counted(attempt, q.Plan.ContainersCountedAt))
        {
            throw new RefusedException("shards-uncounted", "kind", "The shards of this batch are not counted yet: count them into the container first.");
        }

        return new Kept();
    }

    protected override EndState Evolve(EndState state, LedgerEvent e, Accepted body, Kept judged) => Runs.With(state, body.RunId, a => a with { AcceptedAt = e.At });
}
