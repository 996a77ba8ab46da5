namespace Rhabdon.Core.Yield;

/// <summary>That somebody did something, on one device, in one batch or on one end alone.</summary>
/// <param name="At">By our clock.</param>
/// <param name="IsAct">False for what is no act itself, but shows that the hands were busy until then.</param>
public sealed record Done(EventId EventId, BatchId? BatchId, DeviceId DeviceId, long DeviceSeq, Instant At, bool IsAct);

/// <summary>How long the hands were at an act.</summary>
public static class Pace
{
    /// <summary>Longer than this between two acts is a break, an oven or a night, and says nothing of the act (ours).</summary>
    public const double LongestS = 1800;

    /// <summary>
    /// Seconds of each act, by its event. In a batch one goes from strand to strand, so an act began when the same device had told the one
    /// before it, on whichever strand. What one tap said of several ends has one moment: its seconds are shared among them. The first
    /// moment of a batch began nobody knows when, and is not among the answers; nor is what came after a break.
    /// </summary>
    public static IReadOnlyDictionary<EventId, double> AttendedS(IEnumerable<Done> done)
    {
        var seconds = new Dictionary<EventId, double>();
        foreach (var hands in done.GroupBy(d => (d.DeviceId, d.BatchId)))
        {
            Instant? before = null;
            foreach (var moment in hands.GroupBy(d => d.At).OrderBy(g => g.Key))
            {
                var acts = moment.Where(d => d.IsAct).ToList();
                if (before is { } from && (moment.Key - from).TotalSeconds <= LongestS)
                {
                    foreach (var act in acts)
                    {
                        seconds[act.EventId] = (moment.Key - from).TotalSeconds / acts.Count;
                    }
                }

                before = moment.Key;
            }
        }

        return seconds;
    }
}
