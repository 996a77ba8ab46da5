namespace Rhabdon.Core.Loss;

/// <summary>A bend or a pinch takes more of the longer wavelength than of the shorter; a connector takes about the same of both.</summary>
public static class Bend
{
    /// <summary>So much more at the longest than at the shortest says bend (ours; that it says so is common practice).</summary>
    public const double LeastDb = 0.3;

    /// <param name="losses">By wavelength, in any order; a wavelength that was not read is left out.</param>
    public static bool Seen(IEnumerable<(int WavelengthNm, double LossDb)> losses) =>
        losses.OrderBy(l => l.WavelengthNm).ToList() is [var shortest, .., var longest] && longest.LossDb - shortest.LossDb >= LeastDb;
}
