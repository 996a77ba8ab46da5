using System.Runtime.InteropServices;
using OpenCvSharp;
using Rhabdon.Core;

namespace Rhabdon.Imaging;

/// <summary>Reads a picture of a microscope: PNG, JPEG, BMP or TIFF, 8 or 16 bit, grey or colour.</summary>
public static partial class Pictures
{
    static Pictures()
    {
        // The decoder asks no head of ours how large a picture is: it is told the same bound, before it is loaded.
        _ = SetEnv("OPENCV_IO_MAX_IMAGE_PIXELS", MostPixels.ToString(System.Globalization.CultureInfo.InvariantCulture), 1);
        // What is large goes back to the system when it is freed, and does not stay with the thread that had it.
        _ = MallOpt(MmapThreshold, 1024 * 1024);
    }

    private const int MmapThreshold = -3;

    [LibraryImport("libc", EntryPoint = "setenv", StringMarshalling = StringMarshalling.Utf8)]
    private static partial int SetEnv(string name, string value, int overwrite);

    [LibraryImport("libc", EntryPoint = "mallopt")]
    private static partial int MallOpt(int what, int value);

    /// <summary>Most pixels that are read; a file that claims more is refused before anything is unpacked.</summary>
    public const int MostPixels = 20_000_000;

    /// <summary>Fewest pixels on a side.</summary>
    public const int LeastSide = 64;

    /// <summary>A file's kind, as its content type.</summary>
    public static string ContentType(ReadOnlySpan<byte> file) => PictureHead.Of(file).ContentType;

    /// <summary>The picture in grey, 0 to 255 as 32-bit floats.</summary>
    /// <param name="field">Under which name it was sent.</param>
    /// <exception cref="RefusedException">It is no picture of a known kind, is cut off, or is too large.</exception>
    public static Mat Grey(ReadOnlySpan<byte> file, string field = "image") => Read(file, ImreadModes.Grayscale | ImreadModes.AnyDepth, field);

    /// <summary>The picture in blue, green and red, 0 to 255 as 32-bit floats.</summary>
    /// <param name="field">Under which name it was sent.</param>
    /// <exception cref="RefusedException">It is no picture of a known kind, is cut off, or is too large.</exception>
    public static Mat Colour(ReadOnlySpan<byte> file, string field = "image") => Read(file, ImreadModes.Color | ImreadModes.AnyDepth, field);

    private static Mat Read(ReadOnlySpan<byte> file, ImreadModes mode, string field)
    {
        try
        {
            return Read(file, mode);
        }
        catch (RefusedException e) when (field != "image")
        {
            throw new RefusedException([.. e.Refusals.Select(r => r with { Field = field })]);
        }
    }

    private static Mat Read(ReadOnlySpan<byte> file, ImreadModes mode)
    {
        var header = PictureHead.Of(file);
        if ((long)header.Width * header.Height > MostPixels)
        {
            throw Refused("picture-too-large", $"The picture has {header.Width} × {header.Height} pixels; at most 20 megapixels are read.");
        }

        if (header.Width < LeastSide || header.Height < LeastSide)
        {
            throw Refused("picture-too-small", $"The picture has {header.Width} × {header.Height} pixels; {LeastSide} on a side are the least.");
        }

        if (!header.Whole)
        {
            throw new RefusedException(Refusal.Of("picture-cut-off", "image"));
        }

        using var read = Decoded(file, mode);
        // A picture that its camera had on its side comes turned.
        if (read.Empty() || ((read.Width, read.Height) != (header.Width, header.Height) && (read.Height, read.Width) != (header.Width, header.Height)))
        {
            throw new RefusedException(Refusal.Of("picture-damaged", "image"));
        }

        var floats = new Mat();
        read.ConvertTo(floats, MatType.MakeType(MatType.CV_32F, read.Channels()), 255.0 / FullScale(read));
        return floats;
    }

    private static Mat Decoded(ReadOnlySpan<byte> file, ImreadModes mode)
    {
        try
        {
            return Cv2.ImDecode(file, mode);
        }
        catch (OpenCVException)
        {
            return new Mat();
        }
    }

    /// <summary>Cameras put 10, 12 or 14 bits in 16: the least of these that holds the brightest pixel is the scale.</summary>
    private static double FullScale(Mat read)
    {
        if (read.Depth() == MatType.CV_8U)
        {
            return 255;
        }

        if (read.Depth() != MatType.CV_16U)
        {
            throw Refused("picture-depth", "A picture has 8 or 16 bits per channel.");
        }

        using var flat = read.Reshape(1);
        Cv2.MinMaxLoc(flat, out _, out double brightest);
        return brightest <= 1023 ? 1023 : brightest <= 4095 ? 4095 : brightest <= 16383 ? 16383 : 65535;
    }

    private static RefusedException Refused(string code, string message) => new(code, "image", message);
}
