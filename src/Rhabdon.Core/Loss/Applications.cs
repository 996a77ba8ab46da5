using Rhabdon.Core.Fiber;

namespace Rhabdon.Core.Loss;

/// <summary>What network applications allow a whole channel, kept as data with their edition.</summary>
public sealed record ApplicationSet(string Id, string Title, string Edition, string Source, IReadOnlyList<ApplicationLimit> Applications);

/// <param name="MaxLengthM">Longest channel on this class.</param>
/// <param name="MaxLossDb">Most loss of the channel.</param>
public sealed record ApplicationLimit(string Name, FiberClass FiberClass, int WavelengthNm, double MaxLengthM, double MaxLossDb);

/// <param name="Carries">Null when the wavelength was not measured.</param>
/// <param name="MarginDb">How much loss is left.</param>
public sealed record ApplicationFit(ApplicationLimit Limit, bool? Carries, double? LossDb, double? MarginDb, bool TooLong);

/// <summary>Which applications a measured link carries.</summary>
public static class Applications
{
    /// <param name="lossDb">Loss of the channel, by wavelength in nanometres.</param>
    /// <exception cref="RefusedException">The length is out of range.</exception>
    public static IReadOnlyList<ApplicationFit> Carried(FiberClass fiberClass, double lengthM, IReadOnlyDictionary<int, double> lossDb, ApplicationSet set)
    {
        if (!(lengthM is > 0 and <= 200_000))
        {
            throw new RefusedException("out-of-range", "lengthM", "The length must be above 0 and at most 200,000 m.");
        }

        return [.. set.Applications.Where(a => a.FiberClass == fiberClass).Select(a =>
        {
            var measured = lossDb.TryGetValue(a.WavelengthNm, out var loss);
            var tooLong = lengthM > a.MaxLengthM;
            return new ApplicationFit(a, tooLong ? false : measured ? loss <= a.MaxLossDb + 1e-9 : null, measured ? loss : null, measured ? a.MaxLossDb - loss : null, tooLong);
        })];
    }
}
