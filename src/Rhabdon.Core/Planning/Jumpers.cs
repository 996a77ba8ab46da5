namespace Rhabdon.Core.Planning;

/// <summary>How long a jumper comes out, after what was cut off at both of its ends.</summary>
/// <param name="LengthMm">From ferrule to ferrule, if no more is cut off; longer than ordered, the rest is trimmed before the last connector.</param>
/// <param name="ToleranceMm">By how much it may differ from what was ordered.</param>
/// <param name="ShortByMm">Above 0 where it is too short to be delivered as ordered, tolerance and all.</param>
public sealed record JumperLength(double OrderedMm, double ToleranceMm, double LengthMm, double ShortByMm);

public static class Jumpers
{
    /// <param name="usedAMm">Cut off at side A, by strand: what is cut off one strand of a pair is cut off the other, so the most counts.</param>
    /// <param name="usedBMm">At side B.</param>
    public static JumperLength Length(double orderedMm, double? toleranceMm, double slackAMm, double slackBMm, IEnumerable<double> usedAMm, IEnumerable<double> usedBMm)
    {
        var length = orderedMm + slackAMm - usedAMm.DefaultIfEmpty().Max() + slackBMm - usedBMm.DefaultIfEmpty().Max();
        var tolerance = toleranceMm ?? 0;
        return new(orderedMm, tolerance, length, Math.Max(0, orderedMm - tolerance - length));
    }
}
