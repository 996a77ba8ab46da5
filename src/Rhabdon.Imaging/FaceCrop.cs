using OpenCvSharp;

namespace Rhabdon.Imaging;

/// <summary>A face cut out of its picture, small enough for paper.</summary>
public static class FaceCrop
{
    private const int SidePx = 360, Quality = 82;

    /// <summary>As much around the fiber as the interface shows, in micrometres.</summary>
    private const double ReachUm = 132;

    /// <summary>A square of JPEG with the fiber in its middle; what lies outside the picture is black. The same picture gives the same bytes.</summary>
    /// <exception cref="Core.RefusedException">It is no picture that can be read.</exception>
    public static byte[] Jpeg(ReadOnlySpan<byte> file, double centreXPx, double centreYPx, double umPerPx)
    {
        using var picture = Pictures.Colour(file);
        using var bytes = new Mat();
        picture.ConvertTo(bytes, MatType.CV_8UC3);
        var scale = SidePx / (2 * ReachUm / umPerPx);
        using var to = new Mat(2, 3, MatType.CV_64FC1);
        to.Set(0, 0, scale);
        to.Set(0, 1, 0.0);
        to.Set(0, 2, (SidePx / 2.0) - (scale * centreXPx));
        to.Set(1, 0, 0.0);
        to.Set(1, 1, scale);
        to.Set(1, 2, (SidePx / 2.0) - (scale * centreYPx));
        using var blurred = new Mat();
        // Shrunk by much, fine scratches would come and go: what lies under one pixel is averaged first.
        if (scale < 0.7)
        {
            Cv2.GaussianBlur(bytes, blurred, default, 0.4 / scale);
        }

        using var square = new Mat();
        Cv2.WarpAffine(scale < 0.7 ? blurred : bytes, square, to, new Size(SidePx, SidePx), InterpolationFlags.Linear, BorderTypes.Constant, Scalar.Black);
        Cv2.ImEncode(".jpg", square, out var jpeg, new ImageEncodingParam(ImwriteFlags.JpegQuality, Quality));
        return jpeg;
    }
}
