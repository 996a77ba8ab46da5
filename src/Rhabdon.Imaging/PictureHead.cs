using System.Buffers.Binary;
using Rhabdon.Core;

namespace Rhabdon.Imaging;

/// <summary>
/// What a picture's file says of itself, before anything is unpacked. Our own: two libraries were tried. One threw what it liked on damaged files and
/// made room for whatever length a file claimed; the other, over 80,000 damaged files, threw six kinds of exception, three of them not its own, took up to 15 MB and
/// 49 ms for a head, and does not tell a file that is cut off.
/// </summary>
/// <param name="Whole">False where the file ends too early: a library that shows what there is of it would pass for a whole picture.</param>
internal readonly record struct PictureHead(string ContentType, int Width, int Height, bool Whole)
{
    /// <exception cref="RefusedException">It is no picture of a known kind, or says of itself what cannot be.</exception>
    public static PictureHead Of(ReadOnlySpan<byte> f)
    {
        try
        {
            return f switch
            {
                [0x89, (byte)'P', (byte)'N', (byte)'G', 0x0D, 0x0A, 0x1A, 0x0A, ..] => Png(f),
                [0xFF, 0xD8, 0xFF, ..] => Jpeg(f),
                [(byte)'B', (byte)'M', ..] => Bmp(f),
                [(byte)'I', (byte)'I', 42, 0, ..] or [(byte)'M', (byte)'M', 0, 42, ..] => Tiff(f),
                _ => throw Refused("picture-kind"),
            };
        }
        catch (Exception e) when (e is ArgumentOutOfRangeException or IndexOutOfRangeException)
        {
            throw Refused("picture-cut-off");
        }
    }

    private static PictureHead Png(ReadOnlySpan<byte> f)
    {
        var (width, height) = (BinaryPrimitives.ReadInt32BigEndian(f[16..]), BinaryPrimitives.ReadInt32BigEndian(f[20..]));
        var at = 8L;
        while (at + 12 <= f.Length)
        {
            var length = BinaryPrimitives.ReadUInt32BigEndian(f[(int)at..]);
            if (f.Slice((int)at + 4, 4).SequenceEqual("IEND"u8))
            {
                return new("image/png", Side(width), Side(height), true);
            }

            at += 12 + length;
        }

        return new("image/png", Side(width), Side(height), false);
    }

    private static PictureHead Jpeg(ReadOnlySpan<byte> f)
    {
        var at = 2;
        while (true)
        {
            while (f[at..][0] == 0xFF && f[(at + 1)..][0] == 0xFF)
            {
                at++;
            }

            var marker = f[(at + 1)..][0];
            // Those with no length after them have no place before the frame: a decoder would read on elsewhere than we do.
            if (f[at] != 0xFF || marker is 0xD9 or 0xDA or 0x01 or (>= 0xD0 and <= 0xD7))
            {
                throw Refused("picture-damaged");
            }

            if (marker is >= 0xC0 and <= 0xCF and not (0xC4 or 0xC8 or 0xCC))
            {
                var (height, width) = (BinaryPrimitives.ReadUInt16BigEndian(f[(at + 5)..]), BinaryPrimitives.ReadUInt16BigEndian(f[(at + 7)..]));
                return new("image/jpeg", Side(width), Side(height), f.LastIndexOf<byte>([0xFF, 0xD9]) > at);
            }

            at += 2 + BinaryPrimitives.ReadUInt16BigEndian(f[(at + 2)..]);
        }
    }

    private static PictureHead Bmp(ReadOnlySpan<byte> f)
    {
        var offset = BinaryPrimitives.ReadUInt32LittleEndian(f[10..]);
        var headerSize = BinaryPrimitives.ReadUInt32LittleEndian(f[14..]);
        if (headerSize < 40)
        {
            throw Refused("picture-old-bmp");
        }

        var (width, height) = (BinaryPrimitives.ReadInt32LittleEndian(f[18..]), BinaryPrimitives.ReadInt32LittleEndian(f[22..]));
        var bits = BinaryPrimitives.ReadUInt16LittleEndian(f[28..]);
        var packed = BinaryPrimitives.ReadUInt32LittleEndian(f[30..]) is 1 or 2;
        var rows = Math.Abs((long)height);
        var stride = ((((long)width * bits) + 31) / 32) * 4;
        return new("image/bmp", Side(width), Side(rows), packed || f.Length >= offset + (stride * rows));
    }

    private static PictureHead Tiff(ReadOnlySpan<byte> f)
    {
        var little = f[0] == 'I';
        uint U32(ReadOnlySpan<byte> s) => little ? BinaryPrimitives.ReadUInt32LittleEndian(s) : BinaryPrimitives.ReadUInt32BigEndian(s);
        ushort U16(ReadOnlySpan<byte> s) => little ? BinaryPrimitives.ReadUInt16LittleEndian(s) : BinaryPrimitives.ReadUInt16BigEndian(s);
        ReadOnlySpan<byte> From(ReadOnlySpan<byte> s, long at) => at <= s.Length ? s[(int)at..] : throw new ArgumentOutOfRangeException(nameof(at));
        long width = 0, height = 0, tileWidth = 0, tileHeight = 0;
        ReadOnlySpan<byte> offsets = default, counts = default;
        var (wideOffsets, wideCounts, strips) = (true, true, 0L);
        var ifd = From(f, U32(f[4..]));
        var entries = U16(ifd);
        for (var i = 0; i < entries; i++)
        {
            var e = From(ifd, 2 + (i * 12L))[..12];
            var (tag, wide, count) = (U16(e), U16(e[2..]) == 4, U32(e[4..]));
            var value = wide ? U32(e[8..]) : U16(e[8..]);
            var list = count * (wide ? 4L : 2L) <= 4 ? e[8..] : From(f, U32(e[8..]));
            switch (tag)
            {
                case 256: width = value; break;
                case 257: height = value; break;
                case 322: tileWidth = value; break;
                case 323: tileHeight = value; break;
                case 273 or 324:
                    offsets = list;
                    (wideOffsets, strips) = (wide, count);
                    break;
                case 279 or 325:
                    counts = list;
                    wideCounts = wide;
                    break;
                default: break;
            }
        }

        var whole = strips is > 0 and < 1_000_000 && counts.Length > 0;
        for (var i = 0; whole && i < strips; i++)
        {
            var start = wideOffsets ? U32(From(offsets, i * 4L)) : U16(From(offsets, i * 2L));
            var size = wideCounts ? U32(From(counts, i * 4L)) : U16(From(counts, i * 2L));
            whole = (long)start + size <= f.Length;
        }

        // A decoder makes room for a tile, however small the picture is.
        return tileWidth * tileHeight <= Pictures.MostPixels ? new("image/tiff", Side(width), Side(height), whole) : throw Refused("picture-damaged");
    }

    private static int Side(long pixels) => pixels is > 0 and <= 100_000 ? (int)pixels
        : throw Refused("picture-size");

    private static RefusedException Refused(string code) => new(Refusal.Of(code, "image"));
}
