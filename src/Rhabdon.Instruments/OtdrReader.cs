using System.Buffers.Binary;
using System.Runtime.InteropServices;
using System.Text;
using Rhabdon.Core;
using Rhabdon.Core.Trace;

namespace Rhabdon.Instruments;

/// <summary>Reads trace files of SR-4731 issue 1 and 2. Whatever is wrong is told with the block it is in.</summary>
public static class OtdrReader
{
    /// <summary>Most points that a trace may have.</summary>
    public const int MostPoints = 2_000_000;

    private const int MostEvents = 5_000;
    private const int MostBlocks = 100;

    /// <param name="checkSum">False to read a file whose checksum does not hold.</param>
    /// <exception cref="RefusedException">The file is no trace, or is damaged; the field is <c>trace.</c> and the block's name.</exception>
    public static OtdrFile Read(ReadOnlySpan<byte> file, bool checkSum = true)
    {
        var map = new Cursor(file, "Map");
        var second = file.StartsWith("Map\0"u8);
        if (second)
        {
            map.Skip(4);
        }

        var revision = map.U16();
        if (second ? revision is < 200 or >= 300 : revision is < 100 or >= 200)
        {
            throw Bad("Map", "This is no trace file of SR-4731 issue 1 or 2.");
        }

        var (mapSize, blocks) = (map.U32(), map.U16());
        if (blocks is < 1 or > MostBlocks || mapSize > file.Length)
        {
            throw Bad("Map", "The list of blocks is damaged.");
        }

        var at = (long)mapSize;
        GenParams? general = null;
        SupParams? supplier = null;
        FxdParams? fixedParams = null;
        KeyEvents? events = null;
        LnkParams? links = null;
        DataPts? data = null;
        bool? holds = null;
        var others = new List<OtherBlock>();
        for (var i = 1; i < blocks; i++)
        {
            var (name, blockRevision, size) = (map.Text(), map.U16(), map.U32());
            if (at + size > file.Length)
            {
                throw Bad(name, "The file is cut off in this block.");
            }

            var body = new Cursor(file.Slice((int)at, (int)size), name);
            if (second && body.Text() != name)
            {
                throw Bad(name, "The block does not begin with its name: the list of blocks does not fit the file.");
            }

            switch (name)
            {
                case "GenParams": general = General(ref body, second); break;
                case "SupParams": supplier = new(body.Text(), body.Text(), body.Text(), body.Text(), body.Text(), body.Text(), body.Text()); break;
                case "FxdParams": fixedParams = Fixed(ref body, second); break;
                case "KeyEvents": events = Events(ref body, second); break;
                case "LnkParams": links = Links(ref body); break;
                case "DataPts": data = Data(ref body); break;
                case "Cksum": holds = Holds(file, (int)at, body.U16(), body.At - 2); break;
                default: others.Add(new(name, blockRevision, body.Rest().ToArray())); break;
            }

            at += size;
        }

        if (checkSum && holds == false)
        {
            throw Bad("Cksum", "The checksum does not fit: the file was damaged or changed after the instrument wrote it.");
        }

        return new(second ? 2 : 1,
            general ?? throw Missing("GenParams"),
            supplier ?? new("", "", "", "", "", "", ""),
            fixedParams ?? throw Missing("FxdParams"),
            events ?? new([], 0, 0, 0, 0, 0, 0),
            links ?? new([]),
            data ?? throw Missing("DataPts"),
            others)
        { ChecksumHolds = holds };
    }

    /// <summary>The sum runs over everything before its value; some instruments leave out the block's name or begin with zero.</summary>
    private static bool Holds(ReadOnlySpan<byte> file, int blockStart, ushort sum, int valueAt) =>
        Crc16.Of(file[..(blockStart + valueAt)]) == sum || Crc16.Of(file[..blockStart]) == sum || Crc16.Of(file[..(blockStart + valueAt)], 0) == sum || Crc16.Of(file[..blockStart], 0) == sum;

    private static GenParams General(ref Cursor c, bool second) => new(
        c.Chars(2), c.Text(), c.Text(), second ? c.I16() : (short)0, c.I16(), c.Text(), c.Text(), c.Text(), c.Chars(2), c.I32(), second ? c.I32() : 0, c.Text(), c.Text());

    private static FxdParams Fixed(ref Cursor c, bool second)
    {
        var (time, unit, wavelength, offset) = (c.U32(), c.Chars(2), c.I16(), c.I32());
        var offsetDistance = second ? c.I32() : 0;
        var count = c.I16();
        if (count is < 1 or > 64)
        {
            throw Bad("FxdParams", "A trace has 1 to 64 pulse widths.");
        }

        var widths = new short[count];
        var (spacings, points) = (new int[count], new int[count]);
        for (var i = 0; i < count; i++)
        {
            widths[i] = c.I16();
        }

        for (var i = 0; i < count; i++)
        {
            spacings[i] = c.I32();
        }

        for (var i = 0; i < count; i++)
        {
            points[i] = c.I32();
        }

        var f = new FxdParams(time, unit, wavelength, offset, offsetDistance, [.. widths.Select((w, i) => new OtdrPulse(w, spacings[i], points[i]))],
            c.I32(), c.I16(), c.I32(), second ? c.U16() : (ushort)0, c.I32(), second ? c.I32() : 0, c.I32(), c.U16(), c.I16(), c.U16(), c.U16(), c.U16(), c.U16(),
            second ? c.Chars(2) : "ST", second ? c.I32() : 0, second ? c.I32() : 0, second ? c.I32() : 0, second ? c.I32() : 0);
        if (f.GroupIndex is < 100_000 or > 200_000)
        {
            throw Bad("FxdParams", $"A group index of {f.GroupIndex / 100_000.0:0.00000} cannot be; glass has about 1.468.");
        }

        return f.Pulses[0].SpacingE14S > 0 ? f : throw Bad("FxdParams", "The spacing of the points must be above 0.");
    }

    private static KeyEvents Events(ref Cursor c, bool second)
    {
        var count = c.I16();
        if (count is < 0 or > MostEvents)
        {
            throw Bad("KeyEvents", $"A trace has 0 to {MostEvents} events.");
        }

        var events = new KeyEvent[count];
        for (var i = 0; i < count; i++)
        {
            events[i] = new(c.I16(), c.I32(), c.I16(), c.I16(), c.I32(), c.Chars(6), c.Chars(2),
                second ? c.I32() : 0, second ? c.I32() : 0, second ? c.I32() : 0, second ? c.I32() : 0, second ? c.I32() : 0, c.Text());
        }

        return new(events, c.I32(), c.I32(), c.I32(), c.U16(), c.I32(), c.I32());
    }

    private static LnkParams Links(ref Cursor c)
    {
        var count = c.I16();
        if (count is < 0 or > MostEvents)
        {
            throw Bad("LnkParams", $"A trace has 0 to {MostEvents} landmarks.");
        }

        var marks = new Landmark[count];
        for (var i = 0; i < count; i++)
        {
            marks[i] = new(c.I16(), c.Chars(2), c.I32(), c.I16(), c.I32(), c.I32(), c.I16(), c.I32(), c.I32(), c.Chars(2), c.I16(), c.Text());
        }

        return new(marks);
    }

    private static DataPts Data(ref Cursor c)
    {
        var (total, runs) = (c.U32(), c.I16());
        if (total > MostPoints)
        {
            throw Bad("DataPts", $"A trace has at most {MostPoints:N0} points.");
        }

        if (runs is < 1 or > 100)
        {
            throw Bad("DataPts", "A trace has 1 to 100 scale factors.");
        }

        var scales = new DataRun[runs];
        long sum = 0;
        for (var i = 0; i < runs; i++)
        {
            var (points, scale) = (c.U32(), c.I16());
            sum += points;
            if (sum > total)
            {
                throw Bad("DataPts", "The runs hold more points than the block says.");
            }

            scales[i] = new(scale, c.Values((int)points));
        }

        return sum == total && total > 1 ? new(scales) : throw Bad("DataPts", "The block holds fewer points than it says.");
    }

    private static RefusedException Bad(string block, string message) => new("trace-damaged", $"trace.{block}", $"{block}: {message}");

    private static RefusedException Missing(string block) => Bad(block, "The file lacks this block.");

    /// <summary>Walks through a block, little end first.</summary>
    private ref struct Cursor(ReadOnlySpan<byte> bytes, string block)
    {
        private readonly ReadOnlySpan<byte> _bytes = bytes;

        public int At { get; private set; }

        public void Skip(int count) => Take(count);

        public ushort U16() => BinaryPrimitives.ReadUInt16LittleEndian(Take(2));

        public short I16() => BinaryPrimitives.ReadInt16LittleEndian(Take(2));

        public uint U32() => BinaryPrimitives.ReadUInt32LittleEndian(Take(4));

        public int I32() => BinaryPrimitives.ReadInt32LittleEndian(Take(4));

        public string Chars(int count) => Encoding.Latin1.GetString(Take(count));

        /// <summary>Text up to the next zero.</summary>
        public string Text()
        {
            var end = _bytes[At..].IndexOf((byte)0);
            if (end is < 0 or > 4096)
            {
                throw Bad(block, "A text has no end.");
            }

            var text = Encoding.Latin1.GetString(_bytes.Slice(At, end));
            At += end + 1;
            return text;
        }

        public ushort[] Values(int count)
        {
            var raw = Take(checked(count * 2));
            var values = new ushort[count];
            if (BitConverter.IsLittleEndian)
            {
                raw.CopyTo(MemoryMarshal.AsBytes(values.AsSpan()));
            }
            else
            {
                for (var i = 0; i < count; i++)
                {
                    values[i] = BinaryPrimitives.ReadUInt16LittleEndian(raw[(2 * i)..]);
                }
            }

            return values;
        }

        public ReadOnlySpan<byte> Rest() => Take(_bytes.Length - At);

        private ReadOnlySpan<byte> Take(int count)
        {
            if (count < 0 || At + count > _bytes.Length)
            {
                throw Bad(block, "The block ends too early.");
            }

            var part = _bytes.Slice(At, count);
            At += count;
            return part;
        }
    }
}
