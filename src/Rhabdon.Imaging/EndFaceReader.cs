using OpenCvSharp;
using Rhabdon.Core.Inspection;

namespace Rhabdon.Imaging;

/// <summary>Why a picture cannot be judged.</summary>
public enum NotGradable
{
    /// <summary>No cladding edge was found.</summary>
    NoFiber,
    /// <summary>Too soft to show what would fail it.</summary>
    Focus,
    /// <summary>Too dark or burnt out.</summary>
    Exposure,
    /// <summary>The zones that decide lie outside the frame.</summary>
    OutsideFrame,
}

/// <summary>What the picture of an end face shows. Places are micrometres from the fiber's centre, x right, y down.</summary>
/// <param name="Reason">Null when it can be judged.</param>
/// <param name="UmPerPx">Scale, from the cladding's 125 µm or as given.</param>
/// <param name="CoreUm">Diameter of the core where one was seen.</param>
/// <param name="BlurPx">How soft the picture is, as the standard deviation of a blur.</param>
/// <param name="NoiseLevels">Noise on the cladding, of 255.</param>
/// <param name="ContactCut">Part of zone D lies outside the frame and was not judged.</param>
public sealed record EndFaceReading(
    NotGradable? Reason, double UmPerPx, double CentreXPx, double CentreYPx, double CladdingDiameterPx, double? CoreUm,
    double BlurPx, double NoiseLevels, bool ContactCut, IReadOnlyList<SeenFinding> Findings)
{
    public bool Gradable => Reason is null;

    internal static EndFaceReading Poor(NotGradable reason, FiberPlace? place = null, double umPerPx = 0) =>
        new(reason, umPerPx, place?.XPx ?? 0, place?.YPx ?? 0, (place?.RadiusPx ?? 0) * 2, null, place?.EdgeSigmaPx ?? 0, 0, false, []);
}

/// <summary>From the pixels of an end face to its findings. It measures; whether that is good enough is for Core.</summary>
public static class EndFaceReader
{
    /// <summary>A scratch as near to the centre as this, and longer than it, covers a good part of the circles about it; a shorter one may be the rest of a core.</summary>
    private const double HidesCoreUm = 16;

    /// <summary>A face that is worn all over is judged by the first reading: it fails, and nobody waits for a second.</summary>
    private const int MostAcross = 6;

    /// <summary>Blur beyond which a 2 µm finding is lost, in pixels and micrometres: both must be exceeded.</summary>
    private const double WorstBlurPx = 2.6, WorstBlurUm = 0.7;

    /// <param name="grey">The picture, 0 to 255 as floats; see <see cref="Pictures.Grey"/>.</param>
    /// <param name="endFaceClass">Tells how thick the core is.</param>
    /// <param name="umPerPx">Set scale; left out, the cladding's 125 µm set it.</param>
    public static EndFaceReading Read(Mat grey, EndFaceClass endFaceClass, double? umPerPx = null)
    {
        if (!Exposed(grey))
        {
            return EndFaceReading.Poor(NotGradable.Exposure);
        }

        var thick = endFaceClass == EndFaceClass.MmPc;
        if (FiberLocator.Find(grey, thick, EndFaces.CladdingUm / 2 / umPerPx) is not { } place)
        {
            return EndFaceReading.Poor(NotGradable.NoFiber);
        }

        var scale = umPerPx ?? (EndFaces.CladdingUm / 2 / place.RadiusPx);
        if (place.Coverage < 0.55)
        {
            return EndFaceReading.Poor(NotGradable.NoFiber);
        }

        if (place.EdgeSigmaPx > WorstBlurPx && place.EdgeSigmaPx * scale > WorstBlurUm)
        {
            return EndFaceReading.Poor(NotGradable.Focus, place, scale);
        }

        // Zones A and B must be in the frame: what is not seen is not passed.
        var decisive = place.RadiusPx * 0.96;
        if (place.XPx - decisive < 0 || place.YPx - decisive < 0 || place.XPx + decisive > grey.Width - 1 || place.YPx + decisive > grey.Height - 1)
        {
            return EndFaceReading.Poor(NotGradable.OutsideFrame, place, scale);
        }

        using var face = Face.Cut(grey, place, scale);
        if (face.BurntShare > 0.25)
        {
            return EndFaceReading.Poor(NotGradable.Exposure, place, scale);
        }

        face.Flatten(thick);
        var findings = FindingSearch.In(face);
        var near = findings.Where(f => f.Reach().NearUm < HidesCoreUm).ToList();
        var across = near.Where(f => f.Kind == FindingKind.Scratch && FindingSearch.Extent(f) > HidesCoreUm).ToList();
        // What else there is may be the rest of a core. Once more with what is known of the scratches.
        if (across.Count is > 0 and <= MostAcross && (face.CoreUm is null || near.Count > across.Count))
        {
            face.LeaveOut(across);
            face.Flatten(thick);
            findings = FindingSearch.In(face);
        }

        var contact = 125 / scale;
        var cut = place.XPx - contact < 0 || place.YPx - contact < 0 || place.XPx + contact > grey.Width - 1 || place.YPx + contact > grey.Height - 1;
        return new(null, scale, place.XPx, place.YPx, place.RadiusPx * 2, face.CoreUm, place.EdgeSigmaPx, face.Noise, cut, findings);
    }

    /// <summary>Some light, and not all of it burnt out.</summary>
    private static bool Exposed(Mat grey)
    {
        var pixels = grey.AsSpan<float>();
        var some = new float[Math.Min(pixels.Length, 12_000)];
        for (var i = 0; i < some.Length; i++)
        {
            some[i] = pixels[(int)((long)i * pixels.Length / some.Length)];
        }

        Array.Sort(some);
        var (dark, middle, bright) = (some[some.Length / 50], some[some.Length * 2 / 5], some[some.Length * 49 / 50]);
        return bright >= 12 && middle < 252 && bright - dark >= 4;
    }
}
