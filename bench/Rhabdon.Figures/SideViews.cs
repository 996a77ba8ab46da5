using System.Diagnostics;
using OpenCvSharp;
using Rhabdon.Core.Connectors;
using Rhabdon.Core.Inspection;
using Rhabdon.Imaging;

namespace Rhabdon.Figures;

/// <summary>How well and how fast cleaves are read from the side, on simulated ones whose truth is known.</summary>
internal static class SideViews
{
    public static void Run(int count, bool talk)
    {
        Cv2.SetNumThreads(1);
        var rule = Cleaves.RuleFor(TerminationMethod.SpliceOn, Polish.UPC);
        var (read, same, falseAccepts, squares, spent) = (0, 0, 0, 0.0, 0.0);
        for (var n = 0; n < count; n++)
        {
            var (scene, turn) = Draw(n);
            using var taken = Pictures.Grey(CleaveReader.Png(scene));
            using var grey = new Mat();
            if (turn is { } t)
            {
                Cv2.Rotate(taken, grey, t);
            }
            else
            {
                taken.CopyTo(grey);
            }

            var watch = Stopwatch.StartNew();
            var reading = CleaveReader.Read(grey);
            spent += watch.Elapsed.TotalMilliseconds;
            if (reading.View is not { } view)
            {
                Say($"{n}: {reading.Reason}; {scene}");
                continue;
            }

            read++;
            var off = Math.Abs(view.AngleDeg) - Math.Abs(scene.AngleDeg);
            squares += off * off;
            var (due, seen) = (Cleaves.Judge(new(scene.AngleDeg, scene.LipUm, scene.ChipUm, scene.RoughUm), rule), Cleaves.Judge(view, rule));
            same += due.Pass == seen.Pass ? 1 : 0;
            falseAccepts += seen.Pass && !due.Pass ? 1 : 0;
            if (due.Pass != seen.Pass)
            {
                Say($"{n}: {(seen.Pass ? "FALSE ACCEPT" : "false reject")} {view} for {scene}");
            }
        }

        Console.WriteLine($"Cleaves from the side, {count} simulated: read {read / (double)count:P1}, angle within {Math.Sqrt(squares / Math.Max(1, read)):0.00}° RMS, same verdict {same / (double)count:P1}, " +
            $"false accepts {falseAccepts / (double)count:P2}; {spent / count:0} ms each, one core");

        void Say(string text)
        {
            if (talk)
            {
                Console.WriteLine(text);
            }
        }
    }

    /// <summary>Square and leaning, clean, lipped, chipped or hackled; none so near a limit that its verdict is open.</summary>
    private static (CleaveScene Scene, RotateFlags? Turn) Draw(int seed)
    {
        var random = new Random(unchecked(seed * 7907));
        double Between(double a, double b) => a + ((b - a) * random.NextDouble());
        var sign = random.Next(2) * 2 - 1;
        var angle = sign * (random.Next(2) == 0 ? Between(0, 1.5) : Between(2.5, 9));
        var fault = random.Next(5);
        var dark = random.Next(3) > 0;
        var (width, height) = random.Next(2) == 0 ? (640, 480) : (1280, 960);
        var scene = new CleaveScene(angle, fault == 1 ? Between(5, 14) : 0, fault == 2 ? Between(6, 20) : 0, fault == 3 ? Between(2.5, 5) : Between(0, 0.4), Between(0.17, 0.45) * width, Between(-10, 10),
            Between(0.3, 1.5), Between(0, 8), dark ? Between(50, 110) : Between(170, 220), dark ? Between(150, 220) : Between(50, 110), width, height, seed);
        return (scene, random.Next(4) switch { 0 => null, 1 => RotateFlags.Rotate180, 2 => RotateFlags.Rotate90Clockwise, _ => RotateFlags.Rotate90Counterclockwise });
    }
}
