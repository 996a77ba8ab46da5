using Rhabdon.Core.Loss;

namespace Rhabdon.Core.Ledger;

/// <summary>What a link's readings are worth hangs on the connector at its far end, too: a pass into nothing is no pass.</summary>
public static class FarEnds
{
    /// <summary>The readings of an end whose far end turns out other than it was judged when they were last judged.</summary>
    /// <param name="far">Null where no far end is planned.</param>
    /// <returns>By the event of the reading: whether the far end's own record says that its connector was finished by then.</returns>
    /// <remarks>Depends on nothing but the two ends' own events, so it comes out alike in whatever order these arrive.</remarks>
    public static IReadOnlyList<(EventId EventId, FarJudged Judged)> Turned(EndState near, EndState? far) =>
        [.. near.Attempts.SelectMany(a => a.Losses).Where(l => !l.TakenOver && l.FarMade != Made(far, l.At)).Select(l => (l.EventId, new FarJudged(!l.FarMade)))];

    /// <summary>The state with readings judged again.</summary>
    public static EndState Settle(EndState near, IReadOnlyList<(EventId EventId, FarJudged Judged)> turned) => turned.Count == 0 ? near : near with
    {
        Attempts = [.. near.Attempts.Select(a => a with
        {
            Losses = [.. a.Losses.Select(l => turned.FirstOrDefault(t => t.EventId == l.EventId).Judged is { } far ? l with { FarMade = far.Made } : l)],
        })],
    };

    /// <summary>A reading's event as a line of the log names it.</summary>
    public static LedgerEvent Reading(EndState near, EventId eventId)
    {
        var (attempt, loss) = near.Attempts.SelectMany(a => a.Losses, (a, l) => (a, l)).First(x => x.l.EventId == eventId);
        return new(eventId, near.EndId, attempt.No, EventKind.Measured, loss.At, default, -1, loss.By, System.Text.Json.JsonSerializer.SerializeToElement(loss.Reading, Wire.Json)) { Taken = true };
    }

    /// <summary>True for the states in which an end has a finished connector on it, so that nobody need be asked what a link is measured into.</summary>
    public static bool IsMade(EndStatus? status) => status is EndStatus.ToLook or EndStatus.ToMeasure or EndStatus.ToAccept or EndStatus.Accepted;

    /// <summary>True when an event of this end may turn what is known at the other one.</summary>
    public static bool Tells(EndState before, EndState after) => !Spans(before).SequenceEqual(Spans(after));

    private static bool Made(EndState? far, Instant readAt) =>
        far is not null && Spans(far).Any(s => s.From <= readAt.Plus(Duration.FromMinutes(References.ClockMinutes)) && (s.To is null || s.To >= readAt.Plus(Duration.FromMinutes(-References.ClockMinutes))));

    /// <summary>From when to when each connector of an end was finished and not given up.</summary>
    private static IEnumerable<(Instant From, Instant? To)> Spans(EndState end) =>
        end.Attempts.Where(a => a.FinishedAt is not null).Select(a => (a.FinishedAt!.Value, a.Closed?.At));
}
