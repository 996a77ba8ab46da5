using System.Buffers.Binary;
using System.Text;
using Rhabdon.Core.Trace;

namespace Rhabdon.Instruments;

/// <summary>Writes trace files of SR-4731 issue 2. A file that it wrote, read and written again, is the same to the byte.</summary>
public static class OtdrWriter
{
    private const ushort Revision = 200;

    public static byte[] Write(OtdrFile file)
    {
        var blocks = new List<(string Name, ushort Revision, byte[] Bytes)>
        {
            ("GenParams", Revision, Block("GenParams", b => General(b, file.General))),
            ("SupParams", Revision, Block("SupParams", b => Supplier(b, file.Supplier))),
            ("FxdParams", Revision, Block("FxdParams", b => Fixed(b, file.Fixed))),
            ("KeyEvents", Revision, Block("KeyEvents", b => Events(b, file.Events))),
            ("LnkParams", Revision, Block("LnkParams", b => Links(b, file.Links))),
            ("DataPts", Revision, Block("DataPts", b => Data(b, file.Data))),
        };
        blocks.AddRange(file.Others.Select(o => (o.Name, o.Revision, Block(o.Name, b => b.Raw(o.Bytes)))));
        blocks.Add(("Cksum", Revision, Block("Cksum", b => b.U16(0))));

        var map = new Bytes();
        map.Text("Map");
        map.U16(Revision);
        map.I32(4 + 2 + 4 + 2 + blocks.Sum(b => b.Name.Length + 1 + 2 + 4));
        map.U16((ushort)(blocks.Count + 1));
        foreach (var (name, revision, bytes) in blocks)
        {
            map.Text(name);
            map.U16(revision);
            map.I32(bytes.Length);
        }

        foreach (var (_, _, bytes) in blocks)
        {
            map.Raw(bytes);
        }

        var whole = map.ToArray();
        BinaryPrimitives.WriteUInt16LittleEndian(whole.AsSpan(^2), Crc16.Of(whole.AsSpan(..^2)));
        return whole;
    }

    private static byte[] Block(string name, Action<Bytes> write)
    {
        var b = new Bytes();
        b.Text(name);
        write(b);
        return b.ToArray();
    }

    private static void General(Bytes b, GenParams g)
    {
        b.Chars(g.Language, 2);
        b.Text(g.CableId);
        b.Text(g.FiberId);
        b.I16(g.FiberType);
        b.I16(g.WavelengthNm);
        b.Text(g.LocationA);
        b.Text(g.LocationB);
        b.Text(g.CableCode);
        b.Chars(g.BuildCondition, 2);
        b.I32(g.UserOffset100ps);
        b.I32(g.UserOffsetDistance);
        b.Text(g.Operator);
        b.Text(g.Comment);
    }

    private static void Supplier(Bytes b, SupParams s)
    {
        foreach (var text in new[] { s.Supplier, s.Mainframe, s.MainframeSerial, s.Module, s.ModuleSerial, s.Software, s.Other })
        {
            b.Text(text);
        }
    }

    private static void Fixed(Bytes b, FxdParams f)
    {
        b.I32(unchecked((int)f.UnixSeconds));
        b.Chars(f.DistanceUnit, 2);
        b.I16(f.WavelengthTenthNm);
        b.I32(f.AcquisitionOffset100ps);
        b.I32(f.AcquisitionOffsetDistance);
        b.I16((short)f.Pulses.Count);
        foreach (var p in f.Pulses)
        {
            b.I16(p.WidthNs);
        }

        foreach (var p in f.Pulses)
        {
            b.I32(p.SpacingE14S);
        }

        foreach (var p in f.Pulses)
        {
            b.I32(p.Points);
        }

        b.I32(f.GroupIndex);
        b.I16(f.BackscatterTenthDb);
        b.I32(f.Averages);
        b.U16(f.AveragingTenthS);
        b.I32(f.Range100ps);
        b.I32(f.RangeDistance);
        b.I32(f.FrontPanelOffset100ps);
        b.U16(f.NoiseFloorMilliDb);
        b.I16(f.NoiseFloorScale);
        b.U16(f.FirstPointMilliDb);
        b.U16(f.LossThresholdMilliDb);
        b.U16(f.ReflectanceThresholdMilliDb);
        b.U16(f.EndThresholdMilliDb);
        b.Chars(f.TraceType, 2);
        b.I32(f.WindowX1);
        b.I32(f.WindowY1);
        b.I32(f.WindowX2);
        b.I32(f.WindowY2);
    }

    private static void Events(Bytes b, KeyEvents k)
    {
        b.I16((short)k.Events.Count);
        foreach (var e in k.Events)
        {
            b.I16(e.Number);
            b.I32(e.Time100ps);
            b.I16(e.LeadInMilliDbPerKm);
            b.I16(e.LossMilliDb);
            b.I32(e.ReflectanceMilliDb);
            b.Chars(e.Code, 6);
            b.Chars(e.Technique, 2);
            b.I32(e.EndOfPrevious);
            b.I32(e.Start);
            b.I32(e.End);
            b.I32(e.StartOfNext);
            b.I32(e.Peak);
            b.Text(e.Comment);
        }

        b.I32(k.TotalLossMilliDb);
        b.I32(k.LossStart100ps);
        b.I32(k.LossEnd100ps);
        b.U16(k.ReturnLossMilliDb);
        b.I32(k.ReturnLossStart100ps);
        b.I32(k.ReturnLossEnd100ps);
    }

    private static void Links(Bytes b, LnkParams l)
    {
        b.I16((short)l.Landmarks.Count);
        foreach (var m in l.Landmarks)
        {
            b.I16(m.Number);
            b.Chars(m.Code, 2);
            b.I32(m.Time100ps);
            b.I16(m.RelatedEvent);
            b.I32(m.Longitude);
            b.I32(m.Latitude);
            b.I16(m.FiberCorrection);
            b.I32(m.SheathEntering);
            b.I32(m.SheathLeaving);
            b.Chars(m.SheathUnit, 2);
            b.I16(m.ModeFieldHundredthUm);
            b.Text(m.Comment);
        }
    }

    private static void Data(Bytes b, DataPts d)
    {
        b.I32(d.Scales.Sum(s => s.Points.Length));
        b.I16((short)d.Scales.Count);
        foreach (var run in d.Scales)
        {
            b.I32(run.Points.Length);
            b.I16(run.ScaleThousandth);
            foreach (var p in run.Points)
            {
                b.U16(p);
            }
        }
    }

    /// <summary>Bytes in the making, little end first; what is no Latin-1 becomes a question mark.</summary>
    private sealed class Bytes
    {
        private readonly MemoryStream _to = new();

        public void U16(ushort v) => Raw([(byte)v, (byte)(v >> 8)]);

        public void I16(short v) => U16(unchecked((ushort)v));

        public void I32(int v)
        {
            Span<byte> four = stackalloc byte[4];
            BinaryPrimitives.WriteInt32LittleEndian(four, v);
            Raw(four);
        }

        public void Text(string v)
        {
            Raw(Encoding.Latin1.GetBytes(v.Replace("\0", "")));
            Raw([0]);
        }

        public void Chars(string v, int count) => Raw(Encoding.Latin1.GetBytes(v.PadRight(count)[..count]));

        public void Raw(ReadOnlySpan<byte> bytes) => _to.Write(bytes);

        public byte[] ToArray() => _to.ToArray();
    }
}
