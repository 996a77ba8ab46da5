using Rhabdon.Core.Planning;

namespace Rhabdon.Core.Ledger;

/// <summary>Ends were given to a crew, or to one person of it, from this moment on.</summary>
/// <param name="PersonId">Null where they are the whole crew's.</param>
public sealed record Assigned(IReadOnlyList<EndId> EndIds, CrewId CrewId, PersonId? PersonId = null, string? Note = null) : INoted;

internal sealed class AssignedRule : StreamRule<JobState, Assigned>
{
    private const int MostEnds = 5000;

    public override StreamKind Stream => StreamKind.Job;

    protected override IEnumerable<Refusal> Faults(Assigned body)
    {
        if (body.EndIds.Count is 0 or > MostEnds)
        {
            yield return OutOf("body.endIds", $"Give 1 to {MostEnds} ends at a time.");
        }
    }

    protected override Refusal? Against(StreamQuestion q, Worker sender, Assigned body) => LeadOnly(sender) ?? base.Against(q, sender, body);

    protected override Judged Decide(StreamQuestion q, Assigned body)
    {
        if (body.EndIds.FirstOrDefault(id => !q.Facts.Ends.Contains(id)) is var stranger && stranger != default)
        {
            throw new RefusedException("end-unknown", "body.endIds", "One of these ends is not of this job.");
        }

        if (!q.Facts.Crews.Contains(body.CrewId))
        {
            throw new RefusedException("crew-unknown", "body.crewId", "There is no such crew.");
        }

        return body.PersonId is { } person && !q.Facts.Crews[body.CrewId].Contains(person)
            ? throw new RefusedException("person-unknown", "body.personId", "This crew has no such person.")
            : new Kept();
    }

    protected override JobState Empty(StreamEvent e, Assigned body) => new() { Id = e.StreamId };

    protected override JobState Evolve(JobState state, StreamEvent e, Assigned body, Judged judged) => state;
}
