using OpenCvSharp;
using Rhabdon.Core;
using Rhabdon.Core.Inspection;

namespace Rhabdon.Imaging;

/// <summary>What two photos of the glow show in one window. Levels are light: 0 none, 1 as bright as the camera sees.</summary>
/// <param name="ExposureRatio">Surroundings after, as a multiple of before.</param>
/// <param name="BurntShare">Share of the window that is burnt out before.</param>
public sealed record GlowReading(double BeforeLevel, double AfterLevel, double ExposureRatio, double BurntShare);

/// <summary>Compares the red light in two photos, before and after the fiber is seated, within a window that the person draws.</summary>
public static class RedLight
{
    /// <exception cref="RefusedException">A photo or the window cannot be used; the field says which.</exception>
    public static GlowReading Compare(byte[] before, byte[] after, LightWindow window)
    {
        if (window.Fault is { } fault)
        {
            throw new RefusedException("out-of-range", "window", fault);
        }

        var (first, second) = (Measured(before, window, "before"), Measured(after, window, "after"));
        // What the surroundings send is not the glow's; a black surrounding tells nothing of the exposure.
        var ratio = Math.Max(first.Around, second.Around) < 0.002 ? 1 : Math.Max(second.Around, 5e-4) / Math.Max(first.Around, 5e-4);
        return new(first.Level - first.Around, second.Level - second.Around, ratio, first.Burnt);
    }

    private static (double Level, double Around, double Burnt) Measured(byte[] file, LightWindow w, string field)
    {
        using var red = Pictures.Red(file, field);
        var inside = new Rect((int)(w.X0 * red.Width), (int)(w.Y0 * red.Height), Math.Max(1, (int)((w.X1 - w.X0) * red.Width)), Math.Max(1, (int)((w.Y1 - w.Y0) * red.Height)))
            & new Rect(0, 0, red.Width, red.Height);
        // A frame of half the window's size about it; the middle value, because a glow's halo reaches into it.
        var around = Rect.Inflate(inside, (inside.Width / 2) + 4, (inside.Height / 2) + 4) & new Rect(0, 0, red.Width, red.Height);
        var pixels = red.AsSpan<float>();
        var frame = new List<float>();
        double sum = 0;
        var burnt = 0;
        for (var y = around.Top; y < around.Bottom; y++)
        {
            for (var x = around.Left; x < around.Right; x++)
            {
                var v = pixels[(y * red.Width) + x];
                if (x >= inside.Left && x < inside.Right && y >= inside.Top && y < inside.Bottom)
                {
                    sum += Light(v);
                    burnt += v >= 253 ? 1 : 0;
                }
                else
                {
                    frame.Add(v);
                }
            }
        }

        var area = (double)inside.Width * inside.Height;
        return (sum / area, Light(FiberLocator.Median(System.Runtime.InteropServices.CollectionsMarshal.AsSpan(frame))), burnt / area);
    }

    /// <summary>Light from a picture's value: the sRGB curve undone.</summary>
    /// <remarks>Source: IEC 61966-2-1, from memory.</remarks>
    internal static double Light(double value)
    {
        var v = Math.Clamp(value / 255, 0, 1);
        return v <= 0.04045 ? v / 12.92 : Math.Pow((v + 0.055) / 1.055, 2.4);
    }
}
