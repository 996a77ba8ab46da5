using Rhabdon.Core.Planning;

namespace Rhabdon.Core.Ledger;

/// <summary>Work was handed over to the customer.</summary>
/// <param name="To">Who took it.</param>
/// <param name="EndIds">Null where it was the whole job.</param>
public sealed record HandedOver(string To, IReadOnlyList<EndId>? EndIds = null, string? Note = null) : INoted;

internal sealed class HandedOverRule : StreamRule<JobState, HandedOver>
{
    public override StreamKind Stream => StreamKind.Job;

    protected override IEnumerable<Refusal> Faults(HandedOver body) => Named("body.to", body.To);

    protected override Refusal? Against(StreamQuestion q, Worker sender, HandedOver body) => LeadOnly(sender) ?? base.Against(q, sender, body);

    protected override Judged Decide(StreamQuestion q, HandedOver body) =>
        body.EndIds?.Any(id => !q.Facts.Ends.Contains(id)) == true ? throw new RefusedException("end-unknown", "body.endIds", "One of these ends is not of this job.") : new Kept();

    protected override JobState Empty(StreamEvent e, HandedOver body) => new() { Id = e.StreamId };

    protected override JobState Evolve(JobState state, StreamEvent e, HandedOver body, Judged judged) =>
        state with { Handovers = [.. state.Handovers, new(e.Id, e.At, e.ActorId, body.To, body.EndIds?.Count, body.Note)] };
}
