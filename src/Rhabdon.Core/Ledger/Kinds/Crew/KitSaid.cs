using Rhabdon.Core.Procedures;

namespace Rhabdon.Core.Ledger;

/// <summary>What a pre-flight asks of a crew's kit was said once; runs that rest on it cite this event.</summary>
/// <param name="LotId">The lot that it speaks of, where one was opened.</param>
public sealed record KitSaid(PreflightAnswer Answer, LotId? LotId = null);

internal sealed class KitSaidRule : StreamRule<CrewState, KitSaid>
{
    public override StreamKind Stream => StreamKind.Crew;

    protected override IEnumerable<Refusal> Faults(KitSaid body) => [.. Named("body.answer.itemId", body.Answer.ItemId), .. PreflightAnsweredRule.Faults([body.Answer])];

    protected override CrewState Empty(StreamEvent e, KitSaid body) => new() { Id = e.StreamId };

    protected override CrewState Evolve(CrewState state, StreamEvent e, KitSaid body, Judged judged) =>
        state with { Kit = [.. state.Kit.Where(k => k.Answer.ItemId != body.Answer.ItemId), new(e.Id, e.At, e.ActorId, body.Answer, body.LotId)] };
}
