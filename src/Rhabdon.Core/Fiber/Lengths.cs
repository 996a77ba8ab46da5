namespace Rhabdon.Core.Fiber;

/// <summary>Exact conversion between the two units of length that the trade quotes.</summary>
public static class Lengths
{
    /// <summary>Millimetres in one inch; exact by definition.</summary>
    public const double MmPerInch = 25.4;

    public static double MmFromInches(double inches) => inches * MmPerInch;

    public static double InchesFromMm(double mm) => mm / MmPerInch;
}
