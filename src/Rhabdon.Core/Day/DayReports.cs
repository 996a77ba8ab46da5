using Rhabdon.Core.Handover;
using Rhabdon.Core.Ledger;
using Rhabdon.Core.Planning;

namespace Rhabdon.Core.Day;

/// <summary>Something that was said of an end.</summary>
public sealed record DayEntry(EndId EndId, PersonId By, Instant At, EventKind Kind);

/// <summary>What was done at a site on one day, as the ledger has it.</summary>
/// <param name="People">Who was there, by first act.</param>
/// <param name="Places">Panels that something was done on.</param>
/// <param name="Waiting">Ends that wait by now: for a decision, or to be made again.</param>
/// <param name="Blocks">What stood in the way on that day.</param>
/// <param name="Accepted">On that day, and of <paramref name="Planned"/> at its end.</param>
public sealed record DayReport(
    LocalDate On, int Begun, int Accepted, int GivenUp, int AcceptedByThen, int Planned, IReadOnlyList<DayPerson> People, IReadOnlyList<DayPlace> Places, IReadOnlyList<DayWaiting> Waiting, IReadOnlyList<DayBlock> Blocks, IReadOnlyList<DayDelay> Delays, IReadOnlyList<EvidenceId> Photos);

public sealed record DayPerson(PersonId PersonId, string Name, Instant FirstAt, Instant LastAt, int Entries, int Begun, int Accepted, int GivenUp);

public sealed record DayPlace(PlaceId PlaceId, string Code, string SpaceName, int Begun, int Accepted, int GivenUp, int AcceptedByThen, int Planned);

public sealed record DayWaiting(EndId EndId, string Address, EndStatus Status);

/// <param name="Hours">Of that day, from midnight to midnight at the site, as far as it stood in the way and had come.</param>
/// <param name="HoursInAll">Until it was lifted, else until the day's end.</param>
/// <param name="Place">Null where it is of the whole job.</param>
public sealed record DayBlock(BlockReason Reason, string? Place, string? Note, string By, Instant Since, Instant? LiftedAt, double Hours, double HoursInAll);

public sealed record DayDelay(DelayReason Reason, int? Minutes, string? Note, string By, Instant At);

public static class DayReports
{
    /// <param name="now">Where the day is not over, its end.</param>
    public static DayReport Of(DossierSource source, IReadOnlyList<DayEntry> entries, JobState? job, LocalDate on, Instant now)
    {
        bool That(Instant at) => SiteDates.On(at, source.TimeZone) == on;
        string Name(PersonId id) => source.People.GetValueOrDefault(id) ?? "";
        var (start, midnight) = SiteDates.Bounds(on, source.TimeZone);
        var end = midnight < now ? midnight : now;
        var day = entries.Where(e => That(e.At)).ToList();
        int Count(IEnumerable<DayEntry> of, EventKind kind) => of.Where(e => e.Kind == kind).Select(e => e.EndId).Distinct().Count();
        var by = day.ToLookup(e => e.EndId);
        return new(
            on, Count(day, EventKind.AttemptStarted), Count(day, EventKind.Accepted), Count(day, EventKind.AttemptClosed), source.Ends.Count(e => Standing(e.State, end)), source.Ends.Count,
            [.. day.GroupBy(e => e.By).Select(g => new DayPerson(g.Key, Name(g.Key), g.Min(e => e.At), g.Max(e => e.At), g.Count(), Count(g, EventKind.AttemptStarted), Count(g, EventKind.Accepted), Count(g, EventKind.AttemptClosed))).OrderBy(p => p.FirstAt)],
            [.. source.Ends.GroupBy(e => e.PlaceId).Select(g => (Of: g, Said: g.SelectMany(e => by[e.EndId]).ToList())).Where(x => x.Said.Count > 0).Select(x => new DayPlace(
                x.Of.Key, x.Of.First().PlaceCode, x.Of.First().SpaceName, Count(x.Said, EventKind.AttemptStarted), Count(x.Said, EventKind.Accepted), Count(x.Said, EventKind.AttemptClosed), x.Of.Count(e => Standing(e.State, end)), x.Of.Count()))],
            [.. source.Ends.Where(e => e.State.Status is EndStatus.NeedsDecision or EndStatus.ToRemake).Select(e => new DayWaiting(e.EndId, e.Address, e.State.Status))],
            [.. (job?.Blocks ?? []).Where(b => b.At < end && (b.LiftedAt ?? Instant.MaxValue) > start).Select(b => new DayBlock(
                b.Reason, b.PlaceId is { } place ? source.Ends.FirstOrDefault(e => e.PlaceId == place)?.PlaceCode : null, b.Note, Name(b.By), b.At, b.LiftedAt,
                Hours(Max(b.At, start), Min(b.LiftedAt ?? end, end)), Hours(b.At, Min(b.LiftedAt ?? end, Max(end, b.LiftedAt ?? end)))))],
            [.. (job?.Delays ?? []).Where(d => That(d.At)).Select(d => new DayDelay(d.Reason, d.Minutes, d.Note, Name(d.By), d.At))],
            [.. source.Photos.Where(p => That(p.At)).Select(p => p.EvidenceId)]);
    }

    /// <summary>It had been accepted by then, and was not given up after.</summary>
    internal static bool Standing(EndState state, Instant then) => state.Attempts.Any(a => a.AcceptedAt <= then && !(a.Closed is { } c && c.At <= then));

    private static Instant Max(Instant a, Instant b) => a > b ? a : b;

    private static Instant Min(Instant a, Instant b) => a < b ? a : b;

    private static double Hours(Instant from, Instant to) => Math.Round(Math.Max(0, (to - from).TotalHours), 2);
}
