using System.Diagnostics;
using System.Text;
using Rhabdon.Core;
using Rhabdon.Core.Inspection;
using Rhabdon.Core.Trace;
using Rhabdon.Imaging;
using Rhabdon.Instruments;
using Rhabdon.Practice;

namespace Rhabdon.Figures;

/// <summary>Damaged pictures, traces and tables: each is read or refused, in bounded time and memory.</summary>
internal static class Fuzz
{
    public static void Run(int count)
    {
        using var face = Microscope.Picture([new(SeenFinding.Spot(FindingKind.Particle, 10, 5, 9))], new(WidthPx: 120, HeightPx: 100, CladdingPx: 80));
        byte[][] pictures = [.. new[] { ".png", ".jpg", ".bmp", ".tiff" }.Select(k => face.ImEncode(k))];
        // Most are small, so that many can be tried; one in four hundred is a worn face of full size.
        var random = new Random(7);
        double At() => (random.NextDouble() - 0.5) * 220;
        using var worn = Microscope.Picture([.. Enumerable.Range(0, 60).Select(_ => new FaceMark(SeenFinding.Scratch(At(), At(), At(), At(), 1.5)))], new(CladdingPx: 500));
        byte[][] large = [.. new[] { ".png", ".jpg", ".bmp", ".tiff" }.Select(k => worn.ImEncode(k))];
        Try("Pictures", count, n => n % 400 == 399 ? large[n / 400 % 4] : pictures[n % 4], bytes =>
        {
            using var grey = Pictures.Grey(bytes);
            _ = EndFaceReader.Read(grey, EndFaceClass.SmUpc);
            _ = CleaveReader.Read(grey);
        });
        var link = new SimulatedLink(200, 0.35, [new(90, 0.3, -40)], SpacingM: 0.5);
        var trace = OtdrWriter.Write(SimulatedTraces.Make(link));
        Try("Traces", count, _ => trace, bytes => _ = TraceAnalysis.Read(TraceCurve.Of(OtdrReader.Read(bytes, checkSum: false))));
        var table = Encoding.UTF8.GetBytes("Port;Wavelength;Loss dB\n" + string.Join('\n', Enumerable.Range(1, 24).Select(i => $"{i};850;0,{i}\n\"{i}\";1300;0.4")));
        Try("Tables", count, _ => table, bytes => _ = MeterTable.Read(Encoding.UTF8.GetString(bytes)));
    }

    private static void Try(string name, int count, Func<int, byte[]> good, Action<byte[]> read)
    {
        var random = new Random(20261124);
        var (refused, worst) = (0, 0.0);
        for (var n = 0; n < count; n++)
        {
            var bytes = Mutated(good(n), random);
            var watch = Stopwatch.StartNew();
            try
            {
                read(bytes);
            }
            catch (RefusedException)
            {
                refused++;
            }

            worst = Math.Max(worst, watch.Elapsed.TotalMilliseconds);
        }

        Console.WriteLine($"{name}: {count:N0} damaged ones, {refused:N0} refused with a reason, none broke the reader; the slowest took {worst:0} ms; memory peaked at {Process.GetCurrentProcess().PeakWorkingSet64 / 1024 / 1024} MB");
    }

    private static byte[] Mutated(byte[] good, Random random)
    {
        var bytes = good.ToArray();
        switch (random.Next(5))
        {
            case 0:
                return bytes[..random.Next(bytes.Length)];
            case 1:
                var (from, length) = (random.Next(bytes.Length), random.Next(64));
                return [.. bytes[..from], .. bytes[Math.Min(bytes.Length, from + length)..]];
            case 2:
                var at = random.Next(bytes.Length);
                return [.. bytes[..at], .. bytes[random.Next(bytes.Length)..]];
            default:
                for (var i = random.Next(1, 12); i > 0; i--)
                {
                    // The heads of files hold what matters.
                    bytes[random.Next(3) > 0 ? random.Next(Math.Min(300, bytes.Length)) : random.Next(bytes.Length)] = (byte)random.Next(256);
                }

                return bytes;
        }
    }
}
