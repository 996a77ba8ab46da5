using System.Diagnostics;
using OpenCvSharp;
using Rhabdon.Core;
using Rhabdon.Core.Inspection;
using Rhabdon.Imaging;

namespace Rhabdon.Figures;

/// <summary>How well and how fast end faces are read, on simulated ones whose truth is known.</summary>
internal static class Faces
{
    public static void Run(int count, bool talk)
    {
        Cv2.SetNumThreads(1);
        var limits = YamlText.Read<EndFaceLimitSet>(File.ReadAllText(Path.Combine(AppContext.BaseDirectory, "limits", "end-face-iec-61300-3-35.yaml")));
        var classes = Enum.GetValues<EndFaceClass>();
        int placed = 0, graded = 0, truths = 0, missed = 0, found = 0, extra = 0, same = 0, falseAccept = 0;
        for (var n = 0; n < count; n++)
        {
            var sample = FaceSamples.Draw(classes[n % classes.Length], n);
            using var grey = Pictures.Grey(Microscope.Png(sample.Marks, sample.Optics));
            var reading = EndFaceReader.Read(grey, sample.Class);
            var o = sample.Optics;
            if (!reading.Gradable)
            {
                Say($"{n} {sample.Class}: not gradable, {reading.Reason}; blur {reading.BlurPx:0.00} true {o.BlurPx:0.00} dia {reading.CladdingDiameterPx:0} true {o.CladdingPx:0}");
                continue;
            }

            graded++;
            var off = double.Hypot(reading.CentreXPx - o.CentreXPx!.Value, reading.CentreYPx - o.CentreYPx!.Value) / o.CladdingPx * 2;
            var radius = Math.Abs((reading.CladdingDiameterPx / o.CladdingPx) - 1);
            placed += off < 0.01 && radius < 0.01 ? 1 : 0;
            if (off >= 0.01 || radius >= 0.01)
            {
                Say($"{n} {sample.Class}: place off {off:P2}, radius {radius:P2} ({reading.CladdingDiameterPx:0.0} for {o.CladdingPx:0.0}, ring {o.RingUm:0.0} level {o.RingLevel:0}, ferrule {o.FerruleLevel:0} cladding {o.CladdingLevel:0}, blur {o.BlurPx:0.0})");
            }

            var match = FindingMatch.Of(sample.Truth, reading.Findings);
            bool Counts(SeenFinding f) => f.SizeUm >= 2;
            if (125 / o.CladdingPx <= 0.35)
            {
                var near = sample.Truth.Select(Counts).ToList();
                truths += near.Count(c => c);
                missed += match.Missed.Count(i => near[i]);
                found += reading.Findings.Count(Counts);
                extra += match.Extra.Count(i => Counts(reading.Findings[i]));
                foreach (var i in match.Missed.Where(i => near[i]))
                {
                    Say($"{n} {sample.Class}: missed {Text(sample.Truth[i])} contrast {sample.Marks[i].Contrast:0.00}");
                }

                foreach (var i in match.Extra.Where(i => Counts(reading.Findings[i])))
                {
                    Say($"{n} {sample.Class}: extra {Text(reading.Findings[i])}");
                }
            }

            var (truth, seen) = (SeenEndFaces.Grade(sample.Truth, sample.Class, limits), SeenEndFaces.Grade(reading.Findings, sample.Class, limits));
            same += truth.Pass == seen.Pass ? 1 : 0;
            falseAccept += seen.Pass && !truth.Pass ? 1 : 0;
            if (truth.Pass != seen.Pass)
            {
                Say($"{n} {sample.Class}: {(seen.Pass ? "FALSE ACCEPT" : "false reject")}; {125 / o.CladdingPx:0.00} µm/px, noise {o.NoiseLevels:0.0}, blur {o.BlurPx:0.0}, gain {o.Gain:0.00}; " +
                    $"{string.Join(", ", (truth.Pass ? seen : truth).DecidedBy.SelectMany(b => b.Findings).Distinct().Select(i => Text((truth.Pass ? reading.Findings : sample.Truth)[i])))}");
            }
        }

        Console.WriteLine($"End faces, {count} simulated: gradable {graded}, placed within 1 % {placed / (double)count:P1}, recall {1 - (missed / (double)truths):P2} of {truths}, precision {1 - (extra / (double)found):P2}, " +
            $"same verdict {same / (double)count:P2}, false accepts {falseAccept / (double)count:P2}");

        void Say(string text)
        {
            if (talk)
            {
                Console.WriteLine(text);
            }
        }
    }

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
