using Rhabdon.Core;

namespace Rhabdon.Practice;

/// <summary>A light source and meter made of arithmetic, for practice, demo and tests.</summary>
/// <param name="SourceDbm">Power into the cord, by wavelength in nanometres.</param>
/// <param name="NoiseDb">Standard deviation of one reading.</param>
/// <param name="DriftDbPerHour">How the source wanders as it warms.</param>
public sealed record SimulatedMeter(IReadOnlyDictionary<int, double> SourceDbm, double NoiseDb = 0.01, double DriftDbPerHour = 0.01, int Seed = 1)
{
    /// <summary>What the display shows, to the hundredth.</summary>
    /// <param name="lossDb">Everything between source and meter.</param>
    /// <param name="hours">Time since the source was switched on.</param>
    /// <exception cref="RefusedException">The source has no such wavelength.</exception>
    public double ReadDbm(int wavelengthNm, double lossDb, double hours, int reading)
    {
        if (!SourceDbm.TryGetValue(wavelengthNm, out var source))
        {
            throw new RefusedException("wavelength-unknown", "wavelengthNm", $"This source has no {wavelengthNm} nm.");
        }

        var random = new Random(unchecked((Seed * 31) + (reading * 7919) + wavelengthNm));
        var normal = Math.Sqrt(-2 * Math.Log(1 - random.NextDouble())) * Math.Cos(2 * Math.PI * random.NextDouble());
        return Math.Round(source - lossDb - (DriftDbPerHour * hours) + (NoiseDb * normal), 2);
    }
}
