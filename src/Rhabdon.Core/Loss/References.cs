namespace Rhabdon.Core.Loss;

/// <summary>A reference of the light source and meter.</summary>
/// <param name="Dbm">Power through the reference cords, by wavelength in nanometres.</param>
/// <param name="Cords">What the cords are called, so that a worn one can be found.</param>
/// <param name="CheckDbm">The same cords read again later, by wavelength; what they drifted counts.</param>
public sealed record ReferenceSet(
    ReferenceMethod Method, DateTimeOffset SetAt, IReadOnlyDictionary<int, double> Dbm, string Cords, DateTimeOffset? CheckedAt = null, IReadOnlyDictionary<int, double>? CheckDbm = null);

public enum ReferenceState
{
    Good,
    /// <summary>Older than a shift.</summary>
    Old,
    /// <summary>The check reading is too far from the reference.</summary>
    Drifted,
    /// <summary>No value for this wavelength.</summary>
    Missing,
    /// <summary>Set later than now: a clock is wrong.</summary>
    Future,
}

/// <param name="DriftDb">Reference less check reading; null without a check.</param>
public sealed record ReferenceJudgement(int WavelengthNm, ReferenceState State, double AgeHours, double? DriftDb);

/// <summary>Whether readings may rest on a reference. A reference that is old, lost or has drifted stops the measuring.</summary>
public static class References
{
    /// <summary>A reference holds for a shift; common practice.</summary>
    public const double OldestHours = 12;

    /// <summary>More drift than this and the reference is set again; common practice.</summary>
    public const double MostDriftDb = 0.1;

    /// <summary>Device clocks differ by so much.</summary>
    public const double ClockMinutes = 150;

    public static ReferenceJudgement Judge(ReferenceSet set, int wavelengthNm, DateTimeOffset now)
    {
        var age = (now - (set.CheckedAt is { } later && later > set.SetAt ? later : set.SetAt)).TotalHours;
        var has = set.Dbm.TryGetValue(wavelengthNm, out var dbm);
        double? drift = has && set.CheckDbm?.TryGetValue(wavelengthNm, out var check) == true ? dbm - check : null;
        var state = !has ? ReferenceState.Missing
            : age * 60 < -ClockMinutes ? ReferenceState.Future
            : Math.Abs(drift ?? 0) > MostDriftDb + 1e-9 ? ReferenceState.Drifted
            : age > OldestHours ? ReferenceState.Old
            : ReferenceState.Good;
        return new(wavelengthNm, state, age, drift);
    }

    /// <exception cref="RefusedException">The reading was made more than a shift after its reference, or before it.</exception>
    public static void Check(DateTimeOffset referenceAt, DateTimeOffset readAt, string field)
    {
        var age = (readAt - referenceAt).TotalHours;
        if (age > OldestHours)
        {
            throw new RefusedException("reference-old", field, $"The reference was {age:0.0} hours old; set it again after {OldestHours:0} hours at the latest.");
        }

        if (age * 60 < -ClockMinutes)
        {
            throw new RefusedException("reference-future", field, "The reference is later than the reading: a clock is wrong, or it is not this reading's reference.");
        }
    }
}
