using OpenCvSharp;

namespace Rhabdon.Imaging;

/// <summary>A photo as it is kept: upright, of moderate size, and the picture alone. Where it was taken, by which telephone, goes with the rest of its file.</summary>
public static class PhotoCopy
{
    private const int MostSidePx = 2400, Quality = 86;

    /// <summary>The same file gives the same bytes.</summary>
    /// <exception cref="Core.RefusedException">It is no picture that can be read.</exception>
    public static byte[] Jpeg(ReadOnlySpan<byte> file) => Fitted(file, MostSidePx, Quality);

    /// <summary>As paper shows it.</summary>
    public static byte[] ForPaper(ReadOnlySpan<byte> file) => Fitted(file, 900, 80);

    private static byte[] Fitted(ReadOnlySpan<byte> file, int mostSide, int quality)
    {
        // Read in colour, a picture comes turned as its camera was held.
        using var picture = Pictures.Colour(file);
        using var bytes = new Mat();
        picture.ConvertTo(bytes, MatType.CV_8UC3);
        var scale = Math.Min(1, (double)mostSide / Math.Max(bytes.Width, bytes.Height));
        using var fit = new Mat();
        Cv2.Resize(bytes, fit, new Size(Math.Max(1, (int)Math.Round(bytes.Width * scale)), Math.Max(1, (int)Math.Round(bytes.Height * scale))), interpolation: InterpolationFlags.Area);
        Cv2.ImEncode(".jpg", fit, out var jpeg, new ImageEncodingParam(ImwriteFlags.JpegQuality, quality));
        return jpeg;
    }
}
