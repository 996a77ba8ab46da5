using System.Diagnostics;
using OpenCvSharp;
using Rhabdon.Core;
using Rhabdon.Core.Inspection;
using Rhabdon.Imaging;
using Rhabdon.Imaging.Tests;
using Rhabdon.Practice;

namespace Rhabdon.Figures;

/// <summary>How well and how fast end faces are read, on ones whose truth is known.</summary>
internal static class Faces
{
    /// <summary>A picture with its truth, wherever it comes from.</summary>
    private sealed record Known(EndFaceClass Class, byte[] File, double XPx, double YPx, double CladdingPx, string Look, IReadOnlyList<SeenFinding> Truth);

    /// <summary>From the simulated microscope that ships with the application.</summary>
    public static void Simulated(int count, bool talk) => Run("simulated", count, talk, (of, n) =>
    {
        var s = FaceSamples.Draw(of, n);
        var o = s.Optics;
        return new(of, Microscope.Png(s.Marks, o), o.CentreXPx!.Value, o.CentreYPx!.Value, o.CladdingPx,
            $"{125 / o.CladdingPx:0.00} µm/px, noise {o.NoiseLevels:0.0}, blur {o.BlurPx:0.0}, gain {o.Gain:0.00}, ring {o.RingUm:0.0} level {o.RingLevel:0}, ferrule {o.FerruleLevel:0} cladding {o.CladdingLevel:0}", s.Truth);
    });

    /// <summary>Drawn by a general-purpose graphics library, with other optics and other outlines.</summary>
    /// <param name="from">The first seed.</param>
    public static void Drawn(int count, bool talk, int from = 0) => Run("drawn by other means", count, talk, (of, n) =>
    {
        var d = DrawnFaces.Draw(of, from + n);
        return new(of, d.File, d.XPx, d.YPx, d.CladdingPx, d.Look, d.Truth);
    });

    private static void Run(string from, int count, bool talk, Func<EndFaceClass, int, Known> draw)
    {
        Cv2.SetNumThreads(1);
        var limits = YamlText.Read<EndFaceLimitSet>(File.ReadAllText(Path.Combine(AppContext.BaseDirectory, "limits", "end-face-iec-61300-3-35.yaml")));
        var classes = Enum.GetValues<EndFaceClass>();
        int placed = 0, graded = 0, truths = 0, missed = 0, found = 0, extra = 0, same = 0, falseAccept = 0;
        foreach (var (n, known, reading) in Enumerable.Range(0, count).AsParallel().AsOrdered().Select(n =>
        {
            var known = draw(classes[n % classes.Length], n);
            using var grey = Pictures.Grey(known.File);
            return (n, known, EndFaceReader.Read(grey, known.Class));
        }))
        {
            var name = $"{n} {known.Class}";
            if (!reading.Gradable)
            {
                Say($"{name}: not gradable, {reading.Reason}; blur {reading.BlurPx:0.00}, diameter {reading.CladdingDiameterPx:0} for {known.CladdingPx:0}; {known.Look}");
                continue;
            }

            graded++;
            var off = double.Hypot(reading.CentreXPx - known.XPx, reading.CentreYPx - known.YPx) / known.CladdingPx * 2;
            var radius = Math.Abs((reading.CladdingDiameterPx / known.CladdingPx) - 1);
            placed += off < 0.01 && radius < 0.01 ? 1 : 0;
            if (off >= 0.01 || radius >= 0.01)
            {
                Say($"{name}: place off {off:P2}, radius {radius:P2} ({reading.CladdingDiameterPx:0.0} for {known.CladdingPx:0.0}); {known.Look}");
            }

            var match = FindingMatch.Of(known.Truth, reading.Findings);
            bool Counts(SeenFinding f) => f.SizeUm >= 2;
            if (125 / known.CladdingPx <= 0.35)
            {
                var near = known.Truth.Select(Counts).ToList();
                truths += near.Count(c => c);
                missed += match.Missed.Count(i => near[i]);
                found += reading.Findings.Count(Counts);
                extra += match.Extra.Count(i => Counts(reading.Findings[i]));
                foreach (var i in match.Missed.Where(i => near[i]))
                {
                    Say($"{name}: missed {Text(known.Truth[i])}; {known.Look}");
                }

                foreach (var i in match.Extra.Where(i => Counts(reading.Findings[i])))
                {
                    Say($"{name}: extra {Text(reading.Findings[i])}; {known.Look}");
                }
            }

            var (truth, seen) = (SeenEndFaces.Grade(known.Truth, known.Class, limits), SeenEndFaces.Grade(reading.Findings, known.Class, limits));
            same += truth.Pass == seen.Pass ? 1 : 0;
            falseAccept += seen.Pass && !truth.Pass ? 1 : 0;
            if (truth.Pass != seen.Pass)
            {
                Say($"{name}: {(seen.Pass ? "FALSE ACCEPT" : "false reject")}; {known.Look}; " +
                    $"{string.Join(", ", (truth.Pass ? seen : truth).DecidedBy.SelectMany(b => b.Findings).Distinct().Select(i => Text((truth.Pass ? reading.Findings : known.Truth)[i])))}");
            }
        }

        Console.WriteLine($"End faces, {count} {from}: gradable {graded}, placed within 1 % {placed / (double)count:P1}, recall {1 - (missed / (double)truths):P2} of {truths}, precision {1 - (extra / (double)found):P2}, " +
            $"same verdict {same / (double)count:P2}, false accepts {falseAccept} = {falseAccept / (double)count:P2}, at most {Most(falseAccept, count):P2} (95 %)");

        void Say(string text)
        {
            if (talk)
            {
                Console.WriteLine(text);
            }
        }
    }

    /// <summary>The exact one-sided bound of a share (Clopper and Pearson) of which some were seen among so many.</summary>
    private static double Most(int seen, int of) => MathNet.Numerics.Distributions.Beta.InvCDF(seen + 1, of - seen, 0.95);

    public static void Time(int rounds)
    {
        Cv2.SetNumThreads(1);
        var sample = FaceSamples.Draw(EndFaceClass.SmUpc, 3);
        var png = Microscope.Png(sample.Marks, sample.Optics with { WidthPx = 1280, HeightPx = 960, CladdingPx = 500, CentreXPx = 640, CentreYPx = 480 });
        var (plain, ours) = (new List<double>(), new List<double>());
        for (var i = 0; i < rounds + 40; i++)
        {
            var watch = Stopwatch.StartNew();
            using (var read = Cv2.ImDecode(png, ImreadModes.Grayscale))
            {
                Cv2.GaussianBlur(read, read, new Size(0, 0), 1.5);
                _ = Cv2.HoughCircles(read, HoughModes.Gradient, 1.5, 400, 120, 60, 100, 450);
            }

            var first = watch.Elapsed.TotalMilliseconds;
            using (var grey = Pictures.Grey(png))
            {
                _ = EndFaceReader.Read(grey, EndFaceClass.SmUpc);
            }

            if (i >= 40)
            {
                plain.Add(first);
                ours.Add(watch.Elapsed.TotalMilliseconds - first);
            }
        }

        var (a, b) = (plain.Order().ElementAt(rounds / 2), ours.Order().ElementAt(rounds / 2));
        Console.WriteLine($"End face 1280×960, one core, median of {rounds}: decode, smooth and one Hough circle search {a:0.0} ms; the whole reading {b:0.0} ms, {b / a:0.00}×  (wanted 3 or less)");
    }

    private static string Text(SeenFinding f) => f.Kind == FindingKind.Scratch
        ? $"scratch ({f.X0Um:0.0},{f.Y0Um:0.0})–({f.X1Um:0.0},{f.Y1Um:0.0}) w {f.WidthUm:0.00}"
        : $"{f.Kind} ({f.XUm:0.0},{f.YUm:0.0}) r {double.Hypot(f.XUm!.Value, f.YUm!.Value):0.0} d {f.DiameterUm:0.00}";
}
