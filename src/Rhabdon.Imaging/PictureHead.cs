using MetadataExtractor;
using MetadataExtractor.Formats.Bmp;
using MetadataExtractor.Formats.Exif;
using MetadataExtractor.Formats.Jpeg;
using MetadataExtractor.Formats.Png;
using MetadataExtractor.Formats.Tiff;
using MetadataExtractor.IO;
using MetadataExtractor.Util;
using Rhabdon.Core;

namespace Rhabdon.Imaging;

/// <summary>What a picture's file says of itself, before anything is unpacked.</summary>
/// <param name="Whole">False where the file ends too early: a library that shows what there is of it would pass for a whole picture.</param>
internal readonly record struct PictureHead(string ContentType, int Width, int Height, bool Whole)
{
    /// <exception cref="RefusedException">It is no picture of a known kind, or says of itself what cannot be.</exception>
    public static PictureHead Of(byte[] file)
    {
        try
        {
            using var stream = new MemoryStream(file, writable: false);
            return FileTypeDetector.DetectFileType(stream) switch
            {
                FileType.Png => Png(stream),
                FileType.Jpeg => Jpeg(stream, file),
                FileType.Bmp => Bmp(stream, file.Length),
                FileType.Tiff => Tiff(stream, file.Length),
                _ => throw Refused("picture-kind"),
            };
        }
        catch (Exception e) when (e is IOException or MetadataException or ImageProcessingException)
        {
            throw Refused("picture-cut-off");
        }
    }

    private static PictureHead Png(Stream stream)
    {
        // The header and the end alone are asked for: nothing that is packed is unpacked.
        var chunks = new PngChunkReader().Extract(new SequentialStreamReader(stream), new HashSet<PngChunkType> { PngChunkType.IHDR, PngChunkType.IEND }).ToList();
        var header = new PngHeader(chunks.FirstOrDefault(c => c.ChunkType.Equals(PngChunkType.IHDR))?.Bytes ?? throw Damaged());
        return new("image/png", Side(header.ImageWidth), Side(header.ImageHeight), chunks.Any(c => c.ChunkType.Equals(PngChunkType.IEND)));
    }

    private static PictureHead Jpeg(Stream stream, byte[] file)
    {
        var frame = JpegSegmentReader.ReadSegments(new SequentialStreamReader(stream), Enum.GetValues<JpegSegmentType>().Where(t => t is >= JpegSegmentType.Sof0 and <= JpegSegmentType.Sof15 and not JpegSegmentType.Dht).ToList()).FirstOrDefault() ?? throw Damaged();
        var size = new JpegReader().Extract(frame);
        return new("image/jpeg", Side(size.GetImageWidth()), Side(size.GetImageHeight()), file.AsSpan().LastIndexOf<byte>([0xFF, 0xD9]) > frame.Offset);
    }

    private static PictureHead Bmp(Stream stream, int length)
    {
        var head = BmpMetadataReader.ReadMetadata(stream).OfType<BmpHeaderDirectory>().FirstOrDefault() ?? throw Damaged();
        if (head.GetInt32(BmpHeaderDirectory.TagHeaderSize) < 40)
        {
            throw Refused("picture-old-bmp");
        }

        var (width, rows) = (head.GetInt32(BmpHeaderDirectory.TagImageWidth), Math.Abs((long)head.GetInt32(BmpHeaderDirectory.TagImageHeight)));
        var stride = ((((long)width * head.GetInt32(BmpHeaderDirectory.TagBitsPerPixel)) + 31) / 32) * 4;
        var packed = head.GetInt32(BmpHeaderDirectory.TagCompression) is 1 or 2;
        return new("image/bmp", Side(width), Side(rows), packed || length >= head.GetInt32(BmpHeaderDirectory.TagHeaderSize) + 14 + (stride * rows));
    }

    private static PictureHead Tiff(Stream stream, int length)
    {
        var directory = TiffMetadataReader.ReadMetadata(stream).OfType<ExifIfd0Directory>().FirstOrDefault() ?? throw Damaged();
        var (starts, sizes) = (Numbers(directory, ExifDirectoryBase.TagStripOffsets, ExifDirectoryBase.TagTileOffsets), Numbers(directory, ExifDirectoryBase.TagStripByteCounts, ExifDirectoryBase.TagTileByteCounts));
        return new("image/tiff", Side(directory.GetInt64(ExifDirectoryBase.TagImageWidth)), Side(directory.GetInt64(ExifDirectoryBase.TagImageHeight)),
            starts.Count > 0 && starts.Count == sizes.Count && starts.Zip(sizes, (start, size) => start + size).All(end => end <= length));
    }

    /// <summary>One number or a list of them, as strips or as tiles.</summary>
    private static List<long> Numbers(ExifIfd0Directory directory, int strips, int tiles) => (directory.GetObject(strips) ?? directory.GetObject(tiles)) switch
    {
        Array list => [.. list.Cast<object>().Select(n => Convert.ToInt64(n, System.Globalization.CultureInfo.InvariantCulture))],
        null => [],
        var one => [Convert.ToInt64(one, System.Globalization.CultureInfo.InvariantCulture)],
    };

    private static int Side(long pixels) => pixels is > 0 and <= 100_000 ? (int)pixels
        : throw Refused("picture-size");

    private static RefusedException Damaged() => Refused("picture-damaged");

    private static RefusedException Refused(string code) => new(Refusal.Of(code, "image"));
}
