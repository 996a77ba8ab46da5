using OpenCvSharp;
using Rhabdon.Core;
using Rhabdon.Core.Inspection;

namespace Rhabdon.Imaging;

/// <summary>Compares the red light in two photos, before and after the fiber is seated, within a window that the person draws.</summary>
public static class RedLight
{
    /// <exception cref="RefusedException">A photo or the window cannot be used; the field says which.</exception>
    public static Glow Compare(ReadOnlySpan<byte> before, ReadOnlySpan<byte> after, LightWindow window)
    {
        if (window.Fault is { } fault)
        {
            throw new RefusedException("out-of-range", "window", fault);
        }

        var (first, second) = (Measured(before, window, "before"), Measured(after, window, "after"));
        // A black surrounding tells nothing of the exposure.
        var ratio = Math.Max(first.Ground, second.Ground) < 0.002 ? 1 : Math.Max(second.Ground, 5e-4) / Math.Max(first.Ground, 5e-4);
        return new(first.Level, second.Level, ratio, first.Burnt);
    }

    private static (double Level, double Ground, double Burnt) Measured(ReadOnlySpan<byte> file, LightWindow w, string field)
    {
        using var photo = Pictures.Colour(file, field);
        var all = new Rect(0, 0, photo.Width, photo.Height);
        var inside = new Rect((int)(w.X0 * photo.Width), (int)(w.Y0 * photo.Height), Math.Max(1, (int)((w.X1 - w.X0) * photo.Width)), Math.Max(1, (int)((w.Y1 - w.Y0) * photo.Height))) & all;
        // A frame of half the window's size about it; the middle value, because a glow's halo reaches into it.
        var around = Rect.Inflate(inside, (inside.Width / 2) + 4, (inside.Height / 2) + 4) & all;
        var pixels = photo.AsSpan<Vec3f>();
        var (glows, grounds) = (new List<float>(), new List<float>());
        var coloured = IsColoured(pixels);
        double sum = 0;
        var burnt = 0;
        for (var y = around.Top; y < around.Bottom; y++)
        {
            for (var x = around.Left; x < around.Right; x++)
            {
                var v = pixels[(y * photo.Width) + x];
                // White light falls on the bench in all colours: what the red has more of is the glow's.
                var glow = coloured ? Light(v.Item2) - ((Light(v.Item0) + Light(v.Item1)) / 2) : Light(v.Item1);
                if (inside.Contains(x, y))
                {
                    sum += glow;
                    burnt += (coloured ? v.Item2 : v.Item1) >= 253 ? 1 : 0;
                }
                else
                {
                    glows.Add((float)glow);
                    grounds.Add(v.Item1);
                }
            }
        }

        // Farther out no halo reaches; a window over nearly all of the picture leaves only its frame.
        var farther = new List<float>();
        for (var i = 0; i < pixels.Length; i += 7)
        {
            if (!around.Contains(i % photo.Width, i / photo.Width))
            {
                farther.Add(pixels[i].Item1);
            }
        }

        static double Middle(List<float> values) => FiberLocator.Median(System.Runtime.InteropServices.CollectionsMarshal.AsSpan(values));
        var area = (double)inside.Width * inside.Height;
        // The exposure shows in the green, where the glow is not.
        return ((sum / area) - Middle(glows), Light(Middle(farther.Count > 500 ? farther : grounds)), burnt / area);
    }

    private static bool IsColoured(ReadOnlySpan<Vec3f> pixels)
    {
        for (var i = 0; i < pixels.Length; i += 7)
        {
            if (Math.Abs(pixels[i].Item2 - pixels[i].Item1) > 12)
            {
                return true;
            }
        }

        return false;
    }

    /// <summary>Light from a picture's value: the sRGB curve undone.</summary>
    /// <remarks>Source: IEC 61966-2-1, from memory.</remarks>
    internal static double Light(double value)
    {
        var v = Math.Clamp(value / 255, 0, 1);
        return v <= 0.04045 ? v / 12.92 : Math.Pow((v + 0.055) / 1.055, 2.4);
    }
}
