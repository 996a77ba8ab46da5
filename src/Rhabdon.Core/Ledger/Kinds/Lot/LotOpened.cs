using Rhabdon.Core.Planning;

namespace Rhabdon.Core.Ledger;

/// <summary>A crew opened a lot of something: adhesive, film, connectors.</summary>
/// <param name="Number">As printed.</param>
/// <param name="UseBy">The last day it may be used, at the site.</param>
public sealed record LotOpened(CrewId CrewId, string Material, string Number, LocalDate? UseBy = null);

internal sealed class LotOpenedRule : StreamRule<LotState, LotOpened>
{
    public override StreamKind Stream => StreamKind.Lot;

    protected override IEnumerable<Refusal> Faults(LotOpened body) => [.. Named("body.material", body.Material, 60), .. Named("body.number", body.Number, 60)];

    protected override Refusal? Against(StreamQuestion q, Worker sender, LotOpened body) =>
        OwnCrewOnly(sender, body.CrewId) ?? base.Against(q, sender, body);

    protected override Judged Decide(StreamQuestion q, LotOpened body) =>
        !q.Facts.Crews.Contains(body.CrewId) ? throw new RefusedException("crew-unknown", "body.crewId", "There is no such crew.")
        : q.State is not null ? throw new RefusedException("stream-known", "streamId", "This lot is known already.")
        : new Kept();

    protected override LotState Empty(StreamEvent e, LotOpened body) => new() { Id = e.StreamId, CrewId = body.CrewId };

    protected override LotState Evolve(LotState state, StreamEvent e, LotOpened body, Judged judged) =>
        state with { Material = body.Material, Number = body.Number, UseBy = body.UseBy, OpenedAt = e.At };
}
