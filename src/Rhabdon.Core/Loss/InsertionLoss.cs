using Rhabdon.Core.Fiber;

namespace Rhabdon.Core.Loss;

/// <summary>How the meter was zeroed, which decides what end connections are in the result (IEC 61280-4-1, -4-2).</summary>
public enum ReferenceMethod
{
    /// <summary>Both end connections are in the result.</summary>
    OneCord,
    /// <summary>One end connection is in the result.</summary>
    TwoCord,
    /// <summary>Neither is.</summary>
    ThreeCord,
}

/// <summary>Component limits from which a link's limit is summed, kept as data with their edition.</summary>
public sealed record LossLimitSet(
    string Id, string Title, string Edition, string Source, double SpliceDb, IReadOnlyList<ConnectionLimit> Connections, IReadOnlyList<CableLimit> Cable);

/// <param name="EndDb">Connection between a test cord and the link.</param>
/// <param name="PairDb">Mated pair within the link.</param>
public sealed record ConnectionLimit(FiberMode Mode, double EndDb, double PairDb);

public sealed record CableLimit(FiberClass FiberClass, int WavelengthNm, double DbPerKm);

/// <summary>A link as the limit sees it.</summary>
/// <param name="LengthM">Cable length in metres, above 0, at most 200,000.</param>
/// <param name="Connections">Mated pairs in the link with both ends mated, 0 to 50.</param>
/// <param name="Splices">Splices in the link, 0 to 100.</param>
public sealed record LinkSpec(FiberClass FiberClass, double LengthM, int Connections, int Splices);

/// <summary>One reading of the meter with the reference it stands on.</summary>
/// <param name="ReferenceDbm">Power with the reference cords, −80 to +30 dBm.</param>
/// <param name="ReadingDbm">Power through the link, −80 to +30 dBm.</param>
/// <param name="RepeatabilityDb">How far two readings of the same link may differ, 0 to 1 dB.</param>
public sealed record LossReading(int WavelengthNm, ReferenceMethod Reference, double ReferenceDbm, double ReadingDbm, double RepeatabilityDb);

public enum LossVerdict
{
    Pass,
    /// <summary>Under the limit, by less than two readings of the meter may differ.</summary>
    MarginalUnder,
    /// <summary>Over the limit, by less than two readings of the meter may differ: only a lead accepts it, with the reason.</summary>
    MarginalOver,
    Fail,
    /// <summary>Better than physics allows: the reference is wrong, the connector is not proven.</summary>
    BadReference,
}

/// <summary>The limit and the sum that makes it.</summary>
public sealed record LossLimit(double LimitDb, double CableDb, double ConnectionsDb, double SplicesDb, int ConnectionsCounted, string LimitSetId, string Edition);

/// <summary>The most that a link may lose at one wavelength, where the meter was zeroed this way.</summary>
public sealed record LossLimitAt(int WavelengthNm, ReferenceMethod Reference, double LimitDb);

public sealed record LossJudgement(int WavelengthNm, double LossDb, LossLimit Limit, double MarginDb, LossVerdict Verdict);

/// <summary>Insertion loss of a link and its verdict; see docs/numbers.md#insertion-loss.</summary>
public static class InsertionLoss
{
    /// <summary>How far two readings of one link differ with a meter in good order and clean cords, in decibels (common practice).</summary>
    public const double UsualRepeatabilityDb = 0.05;

    /// <summary>loss = reference − reading, in decibels.</summary>
    public static double LossDb(double referenceDbm, double readingDbm) => referenceDbm - readingDbm;

    /// <summary>The most loss that the limit set allows this link.</summary>
    /// <exception cref="RefusedException">The link is out of range or the set has no figure for its class and wavelength.</exception>
    public static LossLimit Limit(LinkSpec link, int wavelengthNm, ReferenceMethod reference, LossLimitSet limits)
    {
        var faults = new List<Refusal>();
        Range(faults, "lengthM", link.LengthM is > 0 and <= 200_000, "The length must be above 0 and at most 200,000 m.");
        Range(faults, "connections", link.Connections is >= 0 and <= 50, "A link has 0 to 50 connections.");
        Range(faults, "splices", link.Splices is >= 0 and <= 100, "A link has 0 to 100 splices.");
        var cable = limits.Cable.FirstOrDefault(c => c.FiberClass == link.FiberClass && c.WavelengthNm == wavelengthNm);
        if (cable is null)
        {
            faults.Add(new("wavelength-unknown", "wavelengthNm", $"{limits.Edition} has no limit for {Wire.Name(link.FiberClass)} at {wavelengthNm} nm; test at {Known(link, limits)}."));
        }

        var connection = limits.Connections.FirstOrDefault(c => c.Mode == link.FiberClass.Mode());
        if (connection is null)
        {
            faults.Add(new("mode-unknown", "limitSetId", $"{limits.Edition} has no connection limit for this fiber mode."));
        }

        var left = link.Connections - (reference switch { ReferenceMethod.OneCord => 0, ReferenceMethod.TwoCord => 1, _ => 2 });
        Range(faults, "connections", left >= 0, "This reference takes out more end connections than the link has.");
        if (faults.Count > 0)
        {
            throw new RefusedException(faults);
        }

        var ends = Math.Min(left, reference switch { ReferenceMethod.OneCord => 2, ReferenceMethod.TwoCord => 1, _ => 0 });
        var cableDb = link.LengthM / 1000 * cable!.DbPerKm;
        var connectionsDb = (ends * connection!.EndDb) + ((left - ends) * connection.PairDb);
        var splicesDb = link.Splices * limits.SpliceDb;
        return new(cableDb + connectionsDb + splicesDb, cableDb, connectionsDb, splicesDb, left, limits.Id, limits.Edition);
    }

    /// <summary>Loss, limit, margin and verdict of one reading.</summary>
    /// <exception cref="RefusedException">A value is out of range; the field is named.</exception>
    public static LossJudgement Judge(LossReading reading, LinkSpec link, LossLimitSet limits)
    {
        var faults = new List<Refusal>();
        Range(faults, "referenceDbm", reading.ReferenceDbm is >= -80 and <= 30, "The reference must be −80 to +30 dBm.");
        Range(faults, "readingDbm", reading.ReadingDbm is >= -80 and <= 30, "The reading must be −80 to +30 dBm.");
        Range(faults, "repeatabilityDb", reading.RepeatabilityDb is >= 0 and <= 1, "The meter's repeatability must be 0 to 1 dB.");
        if (faults.Count > 0)
        {
            throw new RefusedException(faults);
        }

        var limit = Limit(link, reading.WavelengthNm, reading.Reference, limits);
        var lossDb = LossDb(reading.ReferenceDbm, reading.ReadingDbm);
        return new(reading.WavelengthNm, lossDb, limit, limit.LimitDb - lossDb, Verdict(lossDb, limit.LimitDb, reading.RepeatabilityDb));
    }

    /// <summary>How a loss stands to its limit, where two readings of one link may differ by so much. A device asks the same while figures are typed.</summary>
    public static LossVerdict Verdict(double lossDb, double limitDb, double repeatabilityDb)
    {
        var marginDb = limitDb - lossDb;
        // A meter shows hundredths; a hair of binary rounding must not turn a verdict.
        const double Hair = 1e-9;
        return lossDb < -repeatabilityDb - Hair ? LossVerdict.BadReference
            : Math.Abs(marginDb) <= repeatabilityDb + Hair ? (marginDb < -Hair ? LossVerdict.MarginalOver : LossVerdict.MarginalUnder)
            : marginDb > 0 ? LossVerdict.Pass
            : LossVerdict.Fail;
    }

    /// <summary>The limits of a link for every way of zeroing that it allows, so that a device can say what is in hand while a reading is typed.</summary>
    public static IReadOnlyList<LossLimitAt> Limits(LinkSpec link, IEnumerable<int> wavelengthsNm, LossLimitSet limits) =>
        [.. wavelengthsNm.SelectMany(nm => Enum.GetValues<ReferenceMethod>().Where(m => Allows(link, nm, m, limits)).Select(m => new LossLimitAt(nm, m, Limit(link, nm, m, limits).LimitDb)))];

    private static bool Allows(LinkSpec link, int wavelengthNm, ReferenceMethod reference, LossLimitSet limits) =>
        link.Connections >= (int)reference && limits.Cable.Any(c => c.FiberClass == link.FiberClass && c.WavelengthNm == wavelengthNm)
        && limits.Connections.Any(c => c.Mode == link.FiberClass.Mode());

    private static void Range(List<Refusal> faults, string field, bool inRange, string message)
    {
        if (!inRange)
        {
            faults.Add(new("out-of-range", field, message));
        }
    }

    private static string Known(LinkSpec link, LossLimitSet limits) =>
        string.Join(" or ", limits.Cable.Where(c => c.FiberClass == link.FiberClass).Select(c => $"{c.WavelengthNm} nm"));
}
