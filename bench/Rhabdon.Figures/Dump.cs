using System.Diagnostics;
using OpenCvSharp;
using Rhabdon.Core.Inspection;
using Rhabdon.Imaging;
namespace Rhabdon.Figures;
internal static class Dump
{
    public static void Blur()
    {
        foreach (var ring in new[] { 0, 0.8, 1.5, 2.4 })
        foreach (var dia in new[] { 220.0, 400, 800 })
        {
            Console.Write($"ring {ring} dia {dia}: ");
            foreach (var blur in new[] { 0.5, 1, 1.5, 2, 3, 4, 6, 8 })
            {
                using var grey = Pictures.Grey(Microscope.Png([], new(CladdingPx: dia, BlurPx: blur, RingUm: ring)));
                var place = FiberLocator.Find(grey, false, null);
                Console.Write($"{blur}->{place?.EdgeSigmaPx:0.00} ");
            }
            Console.WriteLine();
        }
    }

    public static void Run(int n)
    {
        var sample = FaceSamples.Draw((EndFaceClass)(n % 4), n);
        var png = Microscope.Png(sample.Marks, sample.Optics);
        File.WriteAllBytes("/tmp/face.png", png);
        for (var k = 0; k < 3; k++)
        {
            var w = Stopwatch.StartNew();
            using var grey = Pictures.Grey(png);
            Console.Write($"decode {w.Elapsed.TotalMilliseconds:0} ");
            w.Restart();
            var place = FiberLocator.Find(grey, n % 4 == 3, null);
            Console.Write($"find {w.Elapsed.TotalMilliseconds:0} ");
            w.Restart();
            if (place is null) { Console.WriteLine("none"); return; }
            using var face = Face.Cut(grey, place, 62.5 / place.RadiusPx);
            Console.Write($"cut {w.Elapsed.TotalMilliseconds:0} ");
            w.Restart();
            face.Flatten(n % 4 == 3);
            Console.Write($"flatten {w.Elapsed.TotalMilliseconds:0} ");
            w.Restart();
            var f = FindingSearch.In(face);
            Console.WriteLine($"search {w.Elapsed.TotalMilliseconds:0} noise {face.Noise:0.0} size {face.Width} scale {face.UmPerPx:0.00}");
            using var r = new Mat();
            face.Residual.ConvertTo(r, MatType.CV_8UC1, 3, 128);
            r.ImWrite("/tmp/residual.png");
            if (k == 2) foreach (var x in f) Console.WriteLine(x);
        }
    }
}
