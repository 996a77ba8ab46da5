using Rhabdon.Core.Fiber;

namespace Rhabdon.Core.Loss;

/// <summary>A reference of the light source and meter.</summary>
/// <param name="Levels">By wavelength in nanometres: each is set, checked and grows old on its own.</param>
/// <param name="Cords">What the cords are called, so that a worn one can be found.</param>
public sealed record ReferenceSet(ReferenceMethod Method, IReadOnlyDictionary<int, ReferenceLevel> Levels, string Cords = "");

/// <summary>The reference at one wavelength.</summary>
/// <param name="Dbm">Power through the reference cords.</param>
/// <param name="CheckDbm">The same cords read again later; what they drifted counts.</param>
public sealed record ReferenceLevel(double Dbm, Instant SetAt, double? CheckDbm = null, Instant? CheckedAt = null);

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

/// <param name="OldestHours">A reference holds for a shift.</param>
/// <param name="MostDriftDb">More drift than this and the reference is set again.</param>
/// <param name="ClockMinutes">Device clocks differ by so much.</param>
/// <param name="WarmUpMinutes">A source that was on for less is not steady yet.</param>
/// <param name="MostCordDb">What launch cord against receive cord may lose, by fiber mode.</param>
public sealed record ReferenceRule(double OldestHours, double MostDriftDb, double ClockMinutes, double WarmUpMinutes, IReadOnlyDictionary<FiberMode, double> MostCordDb);

/// <summary>Whether readings may rest on a reference. A reference that is old, lost or has drifted stops the measuring.</summary>
public static class References
{
    /// <summary>A reference holds for a shift; common practice.</summary>
    public const double OldestHours = 12;

    /// <summary>More drift than this and the reference is set again; common practice.</summary>
    public const double MostDriftDb = 0.1;

    /// <summary>Device clocks differ by so much.</summary>
    public const double ClockMinutes = 150;

    /// <summary>A source that was on for less is not steady yet; common practice, from memory.</summary>
    public const double WarmUpMinutes = 10;

    /// <summary>What launch cord against receive cord may lose; more, and one of the two is worn or dirty. Common practice, from memory.</summary>
    public static double MostCordDb(FiberMode mode) => mode is FiberMode.SingleMode ? 0.2 : 0.1;

    /// <summary>The same, for a device that asks itself where no network is.</summary>
    public static readonly ReferenceRule Rule = new(OldestHours, MostDriftDb, ClockMinutes, WarmUpMinutes, Enum.GetValues<FiberMode>().ToDictionary(m => m, MostCordDb));

    public static ReferenceJudgement Judge(ReferenceSet set, int wavelengthNm, Instant now)
    {
        if (set.Levels.GetValueOrDefault(wavelengthNm) is not { } level)
        {
            return new(wavelengthNm, ReferenceState.Missing, 0, null);
        }

        var age = AgeHours(level.SetAt, level.CheckDbm is null ? null : level.CheckedAt, now);
        var drift = level.Dbm - level.CheckDbm;
        var state = age * 60 < -ClockMinutes ? ReferenceState.Future
            : Math.Abs(drift ?? 0) > MostDriftDb + 1e-9 ? ReferenceState.Drifted
            : age > OldestHours ? ReferenceState.Old
            : ReferenceState.Good;
        return new(wavelengthNm, state, age, drift);
    }

    /// <summary>The one age that a reference has: since it was set, or since it was read again and had held.</summary>
    public static double AgeHours(Instant setAt, Instant? checkedAt, Instant at) => (at - (checkedAt > setAt ? checkedAt.Value : setAt)).TotalHours;

    /// <exception cref="RefusedException">The reading was made more than a shift after its reference was set or checked, or before.</exception>
    public static void Check(Instant referenceAt, Instant? checkedAt, Instant readAt, string field)
    {
        var age = AgeHours(referenceAt, checkedAt, readAt);
        if (age > OldestHours)
        {
            throw new RefusedException(Refusal.Of("reference-old", field, ("ageHours", Math.Round(age, 1)), ("oldestHours", OldestHours)));
        }

        if (age * 60 < -ClockMinutes)
        {
            throw new RefusedException(Refusal.Of("reference-future", field));
        }
    }
}
