using OpenCvSharp;

namespace Rhabdon.Imaging;

/// <summary>A company's own picture for its papers: as PNG of moderate size on white, with nothing else of the file that it came in.</summary>
public static class CompanyMark
{
    private const int MostWidthPx = 900, MostHeightPx = 400;

    /// <exception cref="Core.RefusedException">It is no picture that can be read.</exception>
    public static byte[] Png(ReadOnlySpan<byte> file)
    {
        // Refuses what is no picture, is cut off or too large, before it is unpacked otherwise.
        using var known = Pictures.Colour(file, "mark");
        using var read = Cv2.ImDecode(file, ImreadModes.Unchanged);
        using var whole = read.Channels() == 4 && read.Depth() == MatType.CV_8U ? OnWhite(read) : Bytes(known);
        var scale = Math.Min(1, Math.Min((double)MostWidthPx / whole.Width, (double)MostHeightPx / whole.Height));
        using var fit = new Mat();
        Cv2.Resize(whole, fit, new Size(Math.Max(1, (int)(whole.Width * scale)), Math.Max(1, (int)(whole.Height * scale))), interpolation: InterpolationFlags.Area);
        Cv2.ImEncode(".png", fit, out var png);
        return png;
    }

    private static Mat Bytes(Mat floats)
    {
        var bytes = new Mat();
        floats.ConvertTo(bytes, MatType.CV_8UC3);
        return bytes;
    }

    private static Mat OnWhite(Mat withAlpha)
    {
        var parts = Cv2.Split(withAlpha);
        try
        {
            using var alpha = new Mat();
            using var ground = new Mat();
            parts[3].ConvertTo(alpha, MatType.CV_32F, 1 / 255.0);
            alpha.ConvertTo(ground, MatType.CV_32F, -255, 255);
            var colours = new Mat[3];
            for (var i = 0; i < 3; i++)
            {
                using var colour = new Mat();
                parts[i].ConvertTo(colour, MatType.CV_32F);
                Cv2.Multiply(colour, alpha, colour);
                Cv2.Add(colour, ground, colour);
                colours[i] = new Mat();
                colour.ConvertTo(colours[i], MatType.CV_8U);
            }

            var whole = new Mat();
            Cv2.Merge(colours, whole);
            Array.ForEach(colours, c => c.Dispose());
            return whole;
        }
        finally
        {
            Array.ForEach(parts, p => p.Dispose());
        }
    }
}
