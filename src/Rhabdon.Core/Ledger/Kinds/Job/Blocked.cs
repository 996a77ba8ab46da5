namespace Rhabdon.Core.Ledger;

public enum BlockReason
{
    NoAccess, CableNotPulled, NoPower, DamagedByOthers, WaitingForParts, Other,
}

/// <summary>Work cannot begin, or cannot go on, because of something that is not the crew's to mend. It holds until it is lifted.</summary>
/// <param name="PlaceId">The panel or jumper that it is about; null where it is the whole job.</param>
/// <param name="PhotoId">A photo of it among those of the job's site; it may still be on its way.</param>
public sealed record Blocked(BlockReason Reason, PlaceId? PlaceId = null, string? Note = null, EvidenceId? PhotoId = null) : INoted;

/// <summary>What stood in the way is gone.</summary>
/// <param name="EventId">Of the event that said so first.</param>
public sealed record BlockLifted(EventId EventId, string? Note = null) : INoted;

internal sealed class BlockedRule : StreamRule<JobState, Blocked>
{
    public override StreamKind Stream => StreamKind.Job;

    protected override IEnumerable<Refusal> Faults(Blocked body)
    {
        if (body.Reason == BlockReason.Other && string.IsNullOrWhiteSpace(body.Note))
        {
            yield return new("note-empty", "body.note", "Say what stands in the way.");
        }
    }

    protected override JobState Empty(StreamEvent e, Blocked body) => new() { Id = e.StreamId };

    protected override JobState Evolve(JobState state, StreamEvent e, Blocked body, Judged judged) =>
        state with { Blocks = [.. state.Blocks, new(e.Id, e.At, e.ActorId, body.Reason, body.PlaceId, body.Note, PhotoId: body.PhotoId)] };
}

internal sealed class BlockLiftedRule : StreamRule<JobState, BlockLifted>
{
    public override StreamKind Stream => StreamKind.Job;

    protected override Judged Decide(StreamQuestion q, BlockLifted body) =>
        (q.State as JobState)?.Blocks.Any(b => b.EventId == body.EventId) == true ? new Kept()
            : throw new RefusedException("stream-unknown", "body.eventId", "Nothing is known yet of what this lifts.");

    protected override JobState Empty(StreamEvent e, BlockLifted body) => throw Unknown(e);

    /// <summary>Who lifts it first has lifted it.</summary>
    protected override JobState Evolve(JobState state, StreamEvent e, BlockLifted body, Judged judged) =>
        state with { Blocks = [.. state.Blocks.Select(b => b.EventId == body.EventId && b.LiftedAt is null ? b with { LiftedAt = e.At, LiftedBy = e.ActorId } : b)] };
}
