namespace Rhabdon.Core.Day;

/// <summary>A person's day: from the first act to the last, and what they say of it.</summary>
/// <param name="SaidMinutes">As the person, or whoever plans, has it; null where nobody said otherwise.</param>
/// <param name="SaidBy">Who said so.</param>
public sealed record WorkedDay(PersonId PersonId, string Name, string? CrewName, LocalDate Day, Instant? FirstAt, Instant? LastAt, int Entries, int Accepted, int? SaidMinutes, string? Note, string? SaidBy)
{
    /// <summary>From first to last act: no claim of what lies between, before and after.</summary>
    public int Minutes => FirstAt is { } first && LastAt is { } last ? (int)Math.Round((last - first).TotalMinutes) : 0;

    /// <summary>What counts.</summary>
    public int CountedMinutes => SaidMinutes ?? Minutes;
}
