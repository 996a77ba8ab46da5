using Rhabdon.Core.Trace;
using Rhabdon.Instruments;
using Rhabdon.Practice;
using Xunit;

namespace Rhabdon.Core.Tests;

public class TraceTests
{
    private static readonly SimulatedLink Link = new(2000, 0.35, [new(150, 0.3, -45), new(700, 0.12), new(1200, 0.5, -38), new(1500, 0.1, BackscatterStepDb: 0.5)], DynamicDb: 16);

    private static OtdrFile File(SimulatedLink? link = null) => SimulatedTraces.Make(link ?? Link);

    /// <summary>CRC-16 with polynomial 0x1021 and all ones at the start gives 0x29B1 for "123456789".</summary>
    /// <remarks>Source: the check value of the published catalogues of CRCs, from memory.</remarks>
    [Fact]
    public void The_checksum_is_the_published_one() => Assert.Equal(0x29B1, Crc16.Of("123456789"u8));

    [Fact]
    public void A_file_that_was_written_is_the_same_to_the_byte_when_read_and_written_again()
    {
        var file = File() with
        {
            General = File().General with { CableId = "SLIP-24", FiberId = "7", Comment = "after cleaning" },
            Events = new([new(1, 7342, 340, 120, -45_300, "1F9999", "LS", 1, 2, 3, 4, 5, "near")], 1500, 0, 9000, 32_000, 0, 9000),
            Links = new([new(1, "CO", 12, 1, 3, 4, 5, 6, 7, "mt", 920, "hatch")]),
            Others = [new("MakerBlock", 200, [1, 2, 3, 0, 255])],
        };
        var bytes = OtdrWriter.Write(file);
        var read = OtdrReader.Read(bytes);
        Assert.Equal(bytes, OtdrWriter.Write(read));
        Assert.Equal((true, "SLIP-24", "hatch", 2), (read.ChecksumHolds!.Value, read.General.CableId, read.Links.Landmarks[0].Comment, read.Issue));
        Assert.Equal(file.Events.Events[0], read.Events.Events[0]);
    }

    [Fact]
    public void Issue_1_reads_as_the_same_trace()
    {
        var (first, second) = (OtdrReader.Read(Issue1.Write(File())), File());
        Assert.Equal((1, second.Fixed.GroupIndex, second.Fixed.Pulses[0]), (first.Issue, first.Fixed.GroupIndex, first.Fixed.Pulses[0]));
        Assert.Equal(second.Data.Scales[0].Points, first.Data.Scales[0].Points);
        Assert.Equal(second.Events.TotalLossMilliDb, first.Events.TotalLossMilliDb);
    }

    [Fact]
    public void What_is_wrong_with_a_file_is_told_with_its_block()
    {
        var good = OtdrWriter.Write(File());
        string Block(byte[] bytes) => Assert.Throws<RefusedException>(() => OtdrReader.Read(bytes)).Refusals[0].Field;
        Assert.Equal("trace.Map", Block([]));
        Assert.Equal("trace.Map", Block("nothing of the kind"u8.ToArray()));
        Assert.Equal("trace.DataPts", Block(good[..(good.Length / 2)]));
        var flipped = good.ToArray();
        flipped[good.Length / 2] ^= 1;
        Assert.Equal("trace.Cksum", Block(flipped));
        Assert.False(OtdrReader.Read(flipped, checkSum: false).ChecksumHolds); // read all the same when asked to
        Assert.Equal("trace.FxdParams", Block(OtdrWriter.Write(File() with { Fixed = File().Fixed with { GroupIndex = 3 } })));
    }

    /// <summary>2 µs there and back in glass of index 1.5 are 199.86 m: d = c·t / 2n.</summary>
    /// <remarks>Source: the definition of the group index; c = 299,792,458 m/s exactly.</remarks>
    [Fact]
    public void Distance_follows_from_time() => Assert.Equal(199.8616, OtdrUnits.DistanceM(1e-6, 1.5), 4);

    [Fact]
    public void Connectors_splices_gainers_and_the_end_are_found_where_they_are()
    {
        var reading = TraceAnalysis.Read(TraceCurve.Of(File()));
        Assert.Equal([TraceEventKind.Connector, TraceEventKind.Splice, TraceEventKind.Connector, TraceEventKind.Gainer, TraceEventKind.End], reading.Events.Select(e => e.Kind));
        foreach (var (found, truth) in reading.Events.Zip(Link.Events))
        {
            Assert.Equal(truth.DistanceM, found.DistanceM, 3.0);
            Assert.Equal(truth.LossDb - truth.BackscatterStepDb, found.LossDb, 0.02);
        }

        Assert.Equal(-45, reading.Events[0].ReflectanceDb!.Value, 0.6);
        Assert.Equal(-38, reading.Events[2].ReflectanceDb!.Value, 0.6);
        Assert.Equal((2000, 0.35), (reading.LengthM, reading.DbPerKm), new Close(2));
    }

    [Fact]
    public void Cords_are_taken_off_and_distances_begin_at_the_first_connector()
    {
        var link = new SimulatedLink(150 + 600 + 100, 0.35, [new(150, 0.4, -42), new(750, 0.9, -40)], PulseNs: 20, SpacingM: 0.25, DynamicDb: 16);
        var reading = TraceAnalysis.Read(TraceCurve.Of(File(link)), launchM: 150, receiveM: 100);
        Assert.Equal((600, 150), (reading.LengthM, reading.OriginM), new Close(1.5));
        Assert.Equal([0.4, 0.9], reading.Events.Where(e => e.Kind == TraceEventKind.Connector).Select(e => Math.Round(e.LossDb, 1)));
        Assert.Equal(0.4 + 0.9 + 0.21, reading.LossDb, 0.02);
    }

    [Fact]
    public void An_echo_is_a_ghost_and_costs_nothing()
    {
        var link = new SimulatedLink(3000, 0.35, [new(800, 0.3, -30), new(1600, 0, -52, Echo: true)], DynamicDb: 18);
        var ghost = Assert.Single(TraceAnalysis.Read(TraceCurve.Of(File(link))).Events, e => e.Kind == TraceEventKind.Ghost);
        Assert.Equal((1600, 0), (ghost.DistanceM, ghost.LossDb), new Close(3));
    }

    [Fact]
    public void Both_directions_together_give_the_true_loss_of_a_gainer()
    {
        var there = TraceAnalysis.Read(TraceCurve.Of(File(new(2000, 0.35, [new(900, 0.1, BackscatterStepDb: 0.4)], DynamicDb: 18))));
        var back = TraceAnalysis.Read(TraceCurve.Of(File(new(2000, 0.35, [new(1100, 0.1, BackscatterStepDb: -0.4)], DynamicDb: 18, Seed: 2))));
        var joined = Assert.Single(TraceAnalysis.Bidirectional(there.Events, back.Events, 2000, 20));
        Assert.Equal((TraceEventKind.Splice, 0.10), (joined.Kind, Math.Round(joined.LossDb, 2)));
    }

    /// <summary>The line between two cursors is the one that a general-purpose library fits.</summary>
    /// <remarks>Source: MathNet.Numerics, Fit.Line.</remarks>
    [Fact]
    public void The_section_between_cursors_is_the_least_squares_line()
    {
        var curve = TraceCurve.Of(File());
        var section = TraceAnalysis.Section(curve, 800, 1100);
        var at = Enumerable.Range(0, curve.LevelsDb.Length).Where(i => curve.At(i) is >= 800 and <= 1100).ToArray();
        var (_, slope) = MathNet.Numerics.Fit.Line([.. at.Select(curve.At)], [.. at.Select(i => (double)curve.LevelsDb[i])]);
        Assert.Equal(-slope * 1000, section.DbPerKm, 9);
        Assert.Equal("toM", Assert.Throws<RefusedException>(() => TraceAnalysis.Section(curve, 800, 800.1)).Refusals[0].Field);
    }

    [Fact]
    public void A_damaged_file_is_refused_or_read_but_never_breaks_the_reader()
    {
        var good = OtdrWriter.Write(File(new(120, 0.35, [new(60, 0.3, -40)], SpacingM: 0.5)));
        var random = new Random(7);
        for (var n = 0; n < 3000; n++)
        {
            var bytes = Mutations.Of(good, random);
            try
            {
                _ = TraceAnalysis.Read(TraceCurve.Of(OtdrReader.Read(bytes, checkSum: false)));
            }
            catch (RefusedException e)
            {
                Assert.StartsWith("trace.", e.Refusals[0].Field);
            }
        }
    }

    private sealed class Close(double by) : IEqualityComparer<(double, double)>
    {
        public bool Equals((double, double) a, (double, double) b) => Math.Abs(a.Item1 - b.Item1) <= by && Math.Abs(a.Item2 - b.Item2) <= by;

        public int GetHashCode((double, double) value) => 0;
    }
}

/// <summary>Writes issue 1: no names at the blocks' heads, and fewer fields.</summary>
internal static class Issue1
{
    public static byte[] Write(OtdrFile f)
    {
        var p = f.Fixed.Pulses[0];
        (string, byte[])[] blocks =
        [
            ("GenParams", Bytes(w => { Put(w, f.General.Language, false); Put(w, f.General.CableId); Put(w, f.General.FiberId); w.Write(f.General.WavelengthNm); Put(w, "A"); Put(w, "B"); Put(w, ""); Put(w, "BC", false); w.Write(0); Put(w, ""); Put(w, ""); })),
            ("SupParams", Bytes(w => { for (var i = 0; i < 7; i++) { Put(w, "x"); } })),
            ("FxdParams", Bytes(w =>
            {
                w.Write(f.Fixed.UnixSeconds); Put(w, "mt", false); w.Write(f.Fixed.WavelengthTenthNm); w.Write(0); w.Write((short)1); w.Write(p.WidthNs); w.Write(p.SpacingE14S); w.Write(p.Points);
                w.Write(f.Fixed.GroupIndex); w.Write(f.Fixed.BackscatterTenthDb); w.Write(1); w.Write(f.Fixed.Range100ps); w.Write(0); w.Write((ushort)1); w.Write((short)1); w.Write((ushort)1); w.Write((ushort)1); w.Write((ushort)1); w.Write((ushort)1);
            })),
            ("KeyEvents", Bytes(w => { w.Write((short)0); w.Write(f.Events.TotalLossMilliDb); w.Write(0); w.Write(0); w.Write((ushort)0); w.Write(0); w.Write(0); })),
            ("DataPts", Bytes(w => { w.Write(p.Points); w.Write((short)1); w.Write(p.Points); w.Write((short)1000); foreach (var v in f.Data.Scales[0].Points) { w.Write(v); } })),
        ];
        return Bytes(w =>
        {
            w.Write((ushort)100);
            w.Write(8 + blocks.Sum(b => b.Item1.Length + 7));
            w.Write((ushort)(blocks.Length + 1));
            foreach (var (name, body) in blocks)
            {
                Put(w, name);
                w.Write((ushort)100);
                w.Write(body.Length);
            }

            foreach (var (_, body) in blocks)
            {
                w.Write(body);
            }
        });
    }

    private static void Put(BinaryWriter w, string text, bool zero = true) => w.Write(System.Text.Encoding.Latin1.GetBytes(zero ? text + "\0" : text));

    private static byte[] Bytes(Action<BinaryWriter> write)
    {
        using var to = new MemoryStream();
        using var w = new BinaryWriter(to);
        write(w);
        return to.ToArray();
    }
}

internal static class Mutations
{
    /// <summary>A few bytes turned, a piece cut out or doubled, or the end cut off.</summary>
    public static byte[] Of(byte[] good, Random random)
    {
        var bytes = good.ToArray();
        switch (random.Next(4))
        {
            case 0:
                return bytes[..random.Next(bytes.Length)];
            case 1:
                var (from, length) = (random.Next(bytes.Length), random.Next(64));
                return [.. bytes[..from], .. bytes[Math.Min(bytes.Length, from + length)..]];
            default:
                for (var i = random.Next(1, 12); i > 0; i--)
                {
                    // The heads of files hold what matters.
                    bytes[random.Next(3) > 0 ? random.Next(Math.Min(400, bytes.Length)) : random.Next(bytes.Length)] = (byte)random.Next(256);
                }

                return bytes;
        }
    }
}
