using Rhabdon.Core.Kit;
using Rhabdon.Core.Planning;

namespace Rhabdon.Core.Ledger;

/// <summary>What a crew is to load for some jobs.</summary>
/// <param name="Confidence">That its connectors are enough.</param>
public sealed record PickMade(CrewId CrewId, IReadOnlyList<JobId> JobIds, double Confidence, IReadOnlyList<PickLine> Lines);

internal sealed class PickMadeRule : StreamRule<PickState, PickMade>
{
    private const int MostLines = 500, MostJobs = 20;

    public override StreamKind Stream => StreamKind.Pick;

    protected override IEnumerable<Refusal> Faults(PickMade body)
    {
        if (body.Lines.Count is 0 or > MostLines)
        {
            yield return Refusal.Of("figure-range", "body.lines", ("least", 1), ("most", MostLines));
        }

        if (body.JobIds.Count > MostJobs)
        {
            yield return Refusal.Of("figure-range", "body.jobIds", ("least", 0), ("most", MostJobs));
        }

        if (!(body.Confidence is >= 0 and <= 1))
        {
            yield return Refusal.Of("figure-range", "body.confidence", ("least", 0), ("most", 1));
        }

        foreach (var (i, line) in body.Lines.Take(MostLines).Index())
        {
            if (!(line.Needed is > 0 and <= 1e6))
            {
                yield return Refusal.Of("figure-above", $"body.lines[{i}].needed", ("least", 0), ("most", 1e6));
            }

            foreach (var fault in line.Item.Faults($"body.lines[{i}].item"))
            {
                yield return fault;
            }
        }
    }

    protected override Refusal? Against(StreamQuestion q, Worker sender, PickMade body) =>
        LeadOnly(sender) ?? OwnCrewOnly(sender, body.CrewId) ?? base.Against(q, sender, body);

    protected override Judged Decide(StreamQuestion q, PickMade body) =>
        !q.Facts.Crews.Contains(body.CrewId) ? throw new RefusedException("crew-unknown", "body.crewId", "There is no such crew.")
        : q.State is not null ? throw new RefusedException("stream-known", "streamId", "This list is known already.")
        : new Kept();

    protected override PickState Empty(StreamEvent e, PickMade body) => new() { Id = e.StreamId, CrewId = body.CrewId };

    protected override PickState Evolve(PickState state, StreamEvent e, PickMade body, Judged judged) =>
        state with { JobIds = body.JobIds, Confidence = body.Confidence, MadeAt = e.At, MadeBy = e.ActorId, Lines = [.. body.Lines.Select(l => new PickedLine(l.Item, l.Needed, l.SpaceId))] };
}
