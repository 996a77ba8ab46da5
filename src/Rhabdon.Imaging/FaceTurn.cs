using OpenCvSharp;
using Rhabdon.Core.Inspection;

namespace Rhabdon.Imaging;

/// <summary>By how much one picture of an end face is turned against another: a connector is not always put under the microscope the same way round.</summary>
public static class FaceTurn
{
    private const int Angles = 720;

    /// <summary>Clearer than chance by so many standard deviations.</summary>
    private const double Sure = 5.5;

    private static readonly double[] Radii = [.. Enumerable.Range(0, 24).Select(i => 10 + (2.0 * i)), .. Enumerable.Range(0, 20).Select(i => 69 + (2.0 * i))];

    /// <summary>The turn of the first picture that lays it on the second, in degrees clockwise, −180 to 180; null when nothing on the faces tells it.</summary>
    public static double? Between(Mat before, Mat now, EndFaceClass endFaceClass, double? umPerPx = null)
    {
        if (Unrolled(before, endFaceClass, umPerPx) is not { } a || Unrolled(now, endFaceClass, umPerPx) is not { } b)
        {
            return null;
        }

        var score = new double[Angles];
        for (var turn = 0; turn < Angles; turn++)
        {
            double sum = 0;
            for (var r = 0; r < Radii.Length; r++)
            {
                var from = a.AsSpan(r * Angles, Angles);
                var to = b.AsSpan(r * Angles, Angles);
                float ring = 0;
                for (var i = 0; i < Angles; i++)
                {
                    var j = i + turn;
                    ring += from[i] * to[j < Angles ? j : j - Angles];
                }

                sum += ring * Radii[r];
            }

            score[turn] = sum;
        }

        var best = Enumerable.Range(0, Angles).MaxBy(t => score[t]);
        // Neighbours of the peak belong to it; the rest is chance.
        var rest = Enumerable.Range(0, Angles).Where(t => Math.Min(Math.Abs(t - best), Angles - Math.Abs(t - best)) > 12).Select(t => score[t]).ToList();
        var mean = rest.Average();
        var spread = Math.Sqrt(rest.Average(s => (s - mean) * (s - mean)));
        if (spread <= 0 || (score[best] - mean) / spread < Sure)
        {
            return null;
        }

        var (left, right) = (score[(best + Angles - 1) % Angles], score[(best + 1) % Angles]);
        var bend = left - (2 * score[best]) + right;
        var degrees = (best + (bend < 0 ? (left - right) / (2 * bend) : 0)) * 360 / Angles;
        return degrees > 180 ? degrees - 360 : degrees;
    }

    /// <summary>What stands out of the face, by radius and angle; a strong finding counts hardly more than a weak one.</summary>
    private static float[]? Unrolled(Mat grey, EndFaceClass endFaceClass, double? umPerPx)
    {
        var thick = endFaceClass == EndFaceClass.MmPc;
        if (FiberLocator.Find(grey, thick, EndFaces.CladdingUm / 2 / umPerPx) is not { } place)
        {
            return null;
        }

        using var face = Face.Cut(grey, place, umPerPx ?? (EndFaces.CladdingUm / 2 / place.RadiusPx));
        face.Flatten(thick);
        using var soft = new Mat();
        Cv2.GaussianBlur(face.Residual, soft, new Size(0, 0), 0.8 / face.UmPerPx);
        var pixels = soft.AsSpan<float>();
        var noise = face.NoiseOf(pixels, 14, 58);
        var image = new FiberLocator.Grey(soft);
        var unrolled = new float[Radii.Length * Angles];
        for (var r = 0; r < Radii.Length; r++)
        {
            for (var i = 0; i < Angles; i++)
            {
                var (cos, sin) = (Math.Cos(i * 2 * Math.PI / Angles), Math.Sin(i * 2 * Math.PI / Angles));
                if (image.TryAt(face.XPx + (Radii[r] * cos / face.UmPerPx), face.YPx + (Radii[r] * sin / face.UmPerPx), out var v))
                {
                    unrolled[(r * Angles) + i] = (float)Math.Tanh(v / (5 * noise));
                }
            }
        }

        return unrolled;
    }
}
