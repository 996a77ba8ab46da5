using Rhabdon.Core.Loss;

namespace Rhabdon.Core.Ledger;

/// <summary>What a link's readings are worth hangs on the connector at its far end, too: a pass into nothing is no pass.</summary>
public static class FarEnds
{
    /// <summary>Notes for each reading of an end whether the far end's own record says that its connector was finished by then.</summary>
    /// <param name="far">Null where no far end is planned.</param>
    /// <returns>The very same state where nothing changes.</returns>
    /// <remarks>Depends on nothing but the two ends' own events, so it comes out alike in whatever order these arrive.</remarks>
    public static EndState Settle(EndState near, EndState? far)
    {
        var changed = false;
        var attempts = near.Attempts.Select(a =>
        {
            if (a.Losses.All(l => l.FarMade == Made(far, l.At)))
            {
                return a;
            }

            changed = true;
            return a with { Losses = [.. a.Losses.Select(l => l with { FarMade = Made(far, l.At) })] };
        }).ToList();
        return changed ? near with { Attempts = attempts } : near;
    }

    /// <summary>True for the states in which an end has a finished connector on it, so that nobody need be asked what a link is measured into.</summary>
    public static bool IsMade(EndStatus? status) => status is EndStatus.ToLook or EndStatus.ToMeasure or EndStatus.ToAccept or EndStatus.Accepted;

    /// <summary>True when an event of this end may turn what is known at the other one.</summary>
    public static bool Tells(EndState before, EndState after) => !Spans(before).SequenceEqual(Spans(after));

    private static bool Made(EndState? far, DateTimeOffset readAt) =>
        far is not null && Spans(far).Any(s => s.From <= readAt.AddMinutes(References.ClockMinutes) && (s.To is null || s.To >= readAt.AddMinutes(-References.ClockMinutes)));

    /// <summary>From when to when each connector of an end was finished and not given up.</summary>
    private static IEnumerable<(DateTimeOffset From, DateTimeOffset? To)> Spans(EndState end) =>
        end.Attempts.Where(a => a.FinishedAt is not null).Select(a => (a.FinishedAt!.Value, a.Closed?.At));
}
