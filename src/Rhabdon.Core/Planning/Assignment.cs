using Rhabdon.Core.Ledger;

namespace Rhabdon.Core.Planning;

/// <summary>Who works an end from a moment on.</summary>
/// <param name="PersonId">Null where it is the whole crew's.</param>
public sealed record Assignment(Instant Since, CrewId CrewId, PersonId? PersonId)
{
    /// <summary>True for those who may work it: the person, or anyone of the crew where none is named, and the crew's lead.</summary>
    public bool Covers(Worker worker) => CrewId == worker.CrewId && (PersonId is null || PersonId == worker.PersonId || worker.Role == Role.Lead);
}

/// <summary>Somebody who says what was done.</summary>
public sealed record Worker(PersonId PersonId, CrewId? CrewId, Role Role);

/// <summary>Who may say what was done on an end.</summary>
public static class Works
{
    /// <summary>Why this person's word of an end is not taken; null when it is. What was done while an assignment held counts, however late it comes.</summary>
    /// <param name="plannedBy">The crew whose lead plans the job.</param>
    /// <param name="history">Every assignment of the end, in any order.</param>
    public static Refusal? Against(Worker worker, CrewId plannedBy, IReadOnlyCollection<Assignment> history, Instant at)
    {
        if (worker.Role == Role.Office || (worker.Role == Role.Lead && worker.CrewId == plannedBy))
        {
            return null;
        }

        var order = history.OrderBy(a => a.Since).ToList();
        var held = order.LastOrDefault(a => a.Since <= at) ?? order.FirstOrDefault();
        var holds = order.LastOrDefault();
        return held?.Covers(worker) == true || holds?.Covers(worker) == true ? null
            : holds?.CrewId == worker.CrewId ? new("given-to-another", "endId", "This end was given to somebody else of your crew; the crew lead can take this in.")
            : new("not-your-crews-job", "endId", "This end is another crew's to work.");
    }
}
