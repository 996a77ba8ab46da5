using Rhabdon.Core.Fiber;

namespace Rhabdon.Core.Loss;

/// <summary>One joint with faults: what would each cost?</summary>
/// <param name="OffsetUm">Distance between the core centres.</param>
/// <param name="TiltDeg">Angle between the axes.</param>
/// <param name="AirGap">True when air lies between the faces.</param>
public sealed record JointFaults(FiberClass From, FiberClass To, int WavelengthNm, double OffsetUm = 0, double TiltDeg = 0, bool AirGap = false);

/// <param name="MismatchDb">From mode field, or core and aperture, in the direction of the light.</param>
public sealed record JointBudget(double OffsetDb, double TiltDb, double GapDb, double MismatchDb, double TotalDb, double BackwardMismatchDb, string? Note);

/// <summary>What faults of a joint cost; see docs/numbers.md#physics.</summary>
public static class Budget
{
    public const double GlassIndex = 1.468;

    /// <summary>Share of the light that one glass-air face sends back: R = ((n−1)/(n+1))².</summary>
    public static double FresnelReflectance(double index) => Math.Pow((index - 1) / (index + 1), 2);

    /// <summary>Return of one glass-air face in decibels, below 0.</summary>
    public static double FresnelDb(double index) => 10 * Math.Log10(FresnelReflectance(index));

    /// <summary>Loss of an air gap: two faces.</summary>
    public static double AirGapLossDb(double index) => -10 * Math.Log10(Math.Pow(1 - FresnelReflectance(index), 2));

    /// <summary>Loss of one joint from a lateral offset between two single-mode cores.</summary>
    /// <param name="offsetUm">0 or more.</param>
    /// <param name="modeFieldDiameterUm">Above 0.</param>
    /// <exception cref="ArgumentOutOfRangeException">An argument is outside its range.</exception>
    public static double LateralOffsetLossDb(double offsetUm, double modeFieldDiameterUm)
    {
        ArgumentOutOfRangeException.ThrowIfNegative(offsetUm);
        ArgumentOutOfRangeException.ThrowIfNegativeOrZero(modeFieldDiameterUm);
        return 10 / Math.Log(10) * Math.Pow(offsetUm / (modeFieldDiameterUm / 2), 2);
    }

    /// <summary>Loss of one joint from a tilt between two single-mode cores.</summary>
    /// <exception cref="ArgumentOutOfRangeException">An argument is outside its range.</exception>
    public static double TiltLossDb(double tiltDeg, double modeFieldDiameterUm, int wavelengthNm, double index = GlassIndex)
    {
        ArgumentOutOfRangeException.ThrowIfNegative(tiltDeg);
        ArgumentOutOfRangeException.ThrowIfNegativeOrZero(modeFieldDiameterUm);
        ArgumentOutOfRangeException.ThrowIfNegativeOrZero(wavelengthNm);
        var angle = tiltDeg * Math.PI / 180;
        return 10 / Math.Log(10) * Math.Pow(Math.PI * index * (modeFieldDiameterUm / 2) * angle / (wavelengthNm / 1000.0), 2);
    }

    /// <summary>Loss of one joint between unlike mode fields; the same both ways.</summary>
    public static double ModeFieldMismatchDb(double firstDiameterUm, double secondDiameterUm)
    {
        var (a, b) = (firstDiameterUm / 2, secondDiameterUm / 2);
        return -20 * Math.Log10(2 * a * b / ((a * a) + (b * b)));
    }

    /// <summary>Loss from a larger into a smaller multimode core, all modes filled; 0 the other way.</summary>
    public static double CoreMismatchDb(double fromCoreUm, double toCoreUm, double fromAperture, double toAperture) =>
        (toCoreUm < fromCoreUm ? -20 * Math.Log10(toCoreUm / fromCoreUm) : 0) + (toAperture < fromAperture ? -20 * Math.Log10(toAperture / fromAperture) : 0);

    /// <exception cref="RefusedException">The joint makes no sense or a value is out of range.</exception>
    public static JointBudget Of(JointFaults j)
    {
        var faults = new List<Refusal>();
        if (!(j.OffsetUm is >= 0 and <= 50))
        {
            faults.Add(new("out-of-range", "offsetUm", "An offset is 0 to 50 µm."));
        }

        if (!(j.TiltDeg is >= 0 and <= 10))
        {
            faults.Add(new("out-of-range", "tiltDeg", "A tilt is 0 to 10 degrees."));
        }

        if (j.WavelengthNm is < 600 or > 1700)
        {
            faults.Add(new("out-of-range", "wavelengthNm", "The wavelength is 600 to 1700 nm."));
        }

        if (j.From.Mode() != j.To.Mode())
        {
            faults.Add(new("mode-differs", "to", "A multimode and a single-mode fiber do not join; there is no budget for that."));
        }

        if (faults.Count > 0)
        {
            throw new RefusedException(faults);
        }

        var gap = j.AirGap ? AirGapLossDb(GlassIndex) : 0;
        if (j.From.Mode() == FiberMode.SingleMode)
        {
            var field = ModeFieldUm(j.WavelengthNm);
            var (offset, tilt) = (LateralOffsetLossDb(j.OffsetUm, field), TiltLossDb(j.TiltDeg, field, j.WavelengthNm));
            return new(offset, tilt, gap, 0, offset + tilt + gap, 0, null);
        }

        double Core(FiberClass c) => c.CoreUm() ?? 50;
        double Aperture(FiberClass c) => c == FiberClass.OM1 ? 0.275 : 0.20;
        var forward = CoreMismatchDb(Core(j.From), Core(j.To), Aperture(j.From), Aperture(j.To));
        var backward = CoreMismatchDb(Core(j.To), Core(j.From), Aperture(j.To), Aperture(j.From));
        // Multimode, all modes filled: the share of the core's area that still lies over the other core.
        var shifted = OverlapLossDb(j.OffsetUm, Math.Min(Core(j.From), Core(j.To)));
        return new(shifted, 0, gap, forward, shifted + gap + forward, backward, j.TiltDeg > 0 ? "tilt-not-counted" : null);
    }

    /// <summary>Mode field of standard single-mode fiber, in a straight line between 9.2 µm at 1310 nm and 10.4 µm at 1550 nm.</summary>
    /// <remarks>ITU-T G.652, from memory.</remarks>
    public static double ModeFieldUm(int wavelengthNm) => 9.2 + ((wavelengthNm - 1310) / 240.0 * 1.2);

    private static double OverlapLossDb(double offsetUm, double coreUm)
    {
        var d = Math.Min(offsetUm / coreUm, 0.999);
        return -10 * Math.Log10((2 / Math.PI * Math.Acos(d)) - (2 / Math.PI * d * Math.Sqrt(1 - (d * d))));
    }
}

/// <summary>Losses that tell what was mixed up.</summary>
public static class MixUps
{
    /// <summary>What 62.5 µm into 50 µm costs more than the other way: 1.94 dB of core and 2.77 dB of aperture.</summary>
    public static readonly double CoreMixDb = Budget.CoreMismatchDb(62.5, 50, 0.275, 0.20);

    /// <summary>True when one direction loses what 62.5 µm into 50 µm loses, and the other hardly anything.</summary>
    /// <param name="excessForwardDb">Loss beyond what cable and good connectors would show.</param>
    public static bool LooksLikeCoreMix(FiberMode mode, double excessForwardDb, double excessBackwardDb)
    {
        var (high, low) = (Math.Max(excessForwardDb, excessBackwardDb), Math.Min(excessForwardDb, excessBackwardDb));
        return mode == FiberMode.Multimode && low < 1.2 && Math.Abs(high - low - CoreMixDb) < 1.3;
    }
}
