using Rhabdon.Core.Inspection;

namespace Rhabdon.Practice;

/// <summary>A simulated end face with its truth.</summary>
public sealed record FaceSample(EndFaceClass Class, Optics Optics, IReadOnlyList<FaceMark> Marks)
{
    public IReadOnlyList<SeenFinding> Truth => [.. Marks.Select(m => m.Finding)];
}

/// <summary>Made-up but believable end faces, for the demo, for tests and for practice. The same seed gives the same face.</summary>
public static class FaceSamples
{
    private static readonly double[] Limits = [2, 3, 5, 10];

    public static FaceSample Draw(EndFaceClass endFaceClass, int seed)
    {
        var random = new Random(unchecked((seed * 7919) + ((int)endFaceClass * 104729)));
        double Between(double a, double b) => a + ((b - a) * random.NextDouble());
        var large = random.Next(3) > 0;
        var (width, height) = large ? (1280, 960) : (640, 480);
        var cladding = large ? Between(300, 900) : Between(200, 430);
        var slackX = Math.Max(0, (width - (cladding * 1.06)) / 2);
        var slackY = Math.Max(0, (height - (cladding * 1.06)) / 2);
        var brightFerrule = random.Next(4) > 0;
        var claddingLevel = Between(85, 150);
        var apc = endFaceClass == EndFaceClass.SmApc;
        var optics = new Optics(
            width, height, cladding,
            (width / 2.0) + (Between(-0.8, 0.8) * Math.Min(slackX, cladding * 0.35)),
            (height / 2.0) + (Between(-0.8, 0.8) * Math.Min(slackY, cladding * 0.35)),
            BlurPx: Between(0.3, 1.5), NoiseLevels: Between(0.5, 8), Gain: Between(0.5, 1.25), UnevenShare: Between(0, 0.25),
            ShadowShare: apc ? Between(0.1, 0.45) : 0, LightAngleDeg: Between(0, 360),
            CladdingLevel: claddingLevel,
            CoreLevel: random.Next(4) == 0 ? claddingLevel * Between(0.65, 0.85) : Math.Min(215, claddingLevel * Between(1.15, 1.7)),
            FerruleLevel: brightFerrule ? claddingLevel * Between(1.15, 1.45) : claddingLevel * Between(0.55, 0.8),
            RingLevel: claddingLevel * Between(0.15, 0.6), RingUm: random.Next(5) == 0 ? 0 : Between(0.6, 2.4), GrainLevels: Between(0, 5),
            CoreUm: endFaceClass == EndFaceClass.MmPc ? (random.Next(2) == 0 ? 50 : 62.5) : Between(8.4, 9.6), Seed: seed);
        return new(endFaceClass, optics, [.. Marks(random, endFaceClass).Where(m => InFrame(m.Finding, optics))]);
    }

    /// <summary>A finding outside the picture is none; one that the frame cuts has a size that nobody can tell.</summary>
    private static bool InFrame(SeenFinding f, Optics o)
    {
        var umPerPx = EndFaces.CladdingUm / o.CladdingPx;
        bool Inside(double xUm, double yUm, double half) =>
            (xUm - half) / umPerPx > -o.CentreXPx + 3 && (yUm - half) / umPerPx > -o.CentreYPx + 3
            && (xUm + half) / umPerPx < o.WidthPx - o.CentreXPx - 4 && (yUm + half) / umPerPx < o.HeightPx - o.CentreYPx - 4;
        return f.Kind == FindingKind.Scratch
            ? Inside(f.X0Um!.Value, f.Y0Um!.Value, f.SizeUm) && Inside(f.X1Um!.Value, f.Y1Um!.Value, f.SizeUm)
            : Inside(f.XUm!.Value, f.YUm!.Value, f.SizeUm * 0.6);
    }

    private static List<FaceMark> Marks(Random random, EndFaceClass endFaceClass)
    {
        double Between(double a, double b) => a + ((b - a) * random.NextDouble());
        var marks = new List<FaceMark>();
        // A third is clean or nearly so; the rest carries a handful.
        var spots = random.Next(3) == 0 ? random.Next(2) : random.Next(1, 9);
        var scratches = random.Next(3) == 0 ? random.Next(1, 5) : 0;
        for (var i = 0; i < scratches; i++)
        {
            var (turn, away, length) = (Between(0, 2 * Math.PI), Between(0, 55), Between(18, 110));
            var (cx, cy) = (away * Math.Cos(turn), away * Math.Sin(turn));
            var aim = Between(0, Math.PI);
            Add(SeenFinding.Scratch(
                cx - (length / 2 * Math.Cos(aim)), cy - (length / 2 * Math.Sin(aim)), cx + (length / 2 * Math.Cos(aim)), cy + (length / 2 * Math.Sin(aim)),
                Size(random, 0.8, random.Next(4) == 0 ? 6 : 2.9)), Between(0.3, 0.7));
        }

        for (var i = 0; i < spots; i++)
        {
            var turn = Between(0, 2 * Math.PI);
            var kind = random.Next(12) switch { < 6 => FindingKind.Particle, < 8 => FindingKind.Pit, 8 or 9 => FindingKind.Residue, 10 => FindingKind.Chip, _ => FindingKind.Crack };
            var size = kind switch
            {
                FindingKind.Pit => Size(random, 1.4, 4),
                FindingKind.Residue => Size(random, 6, 18),
                FindingKind.Chip => Size(random, 6, 16),
                FindingKind.Crack => Size(random, 12, 28),
                _ => Size(random, 1.4, random.Next(3) == 0 ? 14 : 6),
            };
            var away = kind == FindingKind.Chip ? 61.5 : 110 * Math.Sqrt(random.NextDouble()) + (kind == FindingKind.Crack ? 4 : 0);
            Add(SeenFinding.Spot(kind, away * Math.Cos(turn), away * Math.Sin(turn), size), kind == FindingKind.Residue ? Between(0.15, 0.3) : Between(0.35, 0.85));
        }

        return marks;

        void Add(SeenFinding f, double contrast)
        {
            if (Clear(f, marks, endFaceClass))
            {
                marks.Add(new(f, contrast));
            }
        }
    }

    /// <summary>A size that is not so near to a limit that the standard's own reading of it is open.</summary>
    private static double Size(Random random, double from, double to)
    {
        while (true)
        {
            var size = from + ((to - from) * random.NextDouble());
            if (Limits.All(l => Math.Abs(size - l) > Math.Max(0.3, 0.08 * l)))
            {
                return size;
            }
        }
    }

    /// <summary>Findings that touch would be one finding; one astride a zone's border has two readings.</summary>
    private static bool Clear(SeenFinding f, List<FaceMark> marks, EndFaceClass endFaceClass)
    {
        var (near, far) = f.Reach();
        double[] borders = [endFaceClass == EndFaceClass.MmPc ? 32.5 : 12.5, 60, 65, 125];
        if (f.Kind != FindingKind.Chip && borders.Any(b => Math.Abs(near - b) < 1.2 || (f.Kind == FindingKind.Scratch && Math.Abs(far - b) < 1.2))
            || (f.Kind is not (FindingKind.Chip or FindingKind.Scratch) && near < 66 && far > 58.5))
        {
            return false;
        }

        return marks.All(m => (m.Finding.Kind, f.Kind) switch
        {
            (FindingKind.Scratch, FindingKind.Scratch) => Angle(m.Finding, f) > 0.25,
            (FindingKind.Scratch, _) => Apart(m.Finding, f) > 3,
            (_, FindingKind.Scratch) => Apart(f, m.Finding) > 3,
            _ => double.Hypot(m.Finding.XUm!.Value - f.XUm!.Value, m.Finding.YUm!.Value - f.YUm!.Value) > ((m.Finding.SizeUm + f.SizeUm) * 0.6) + 3,
        });
    }

    private static double Angle(SeenFinding a, SeenFinding b)
    {
        double Aim(SeenFinding s) => Math.Atan2(s.Y1Um!.Value - s.Y0Um!.Value, s.X1Um!.Value - s.X0Um!.Value);
        return Math.Abs(Math.Sin(Aim(a) - Aim(b)));
    }

    private static double Apart(SeenFinding scratch, SeenFinding spot) =>
        (scratch with
        {
            X0Um = scratch.X0Um - spot.XUm,
            X1Um = scratch.X1Um - spot.XUm,
            Y0Um = scratch.Y0Um - spot.YUm,
            Y1Um = scratch.Y1Um - spot.YUm,
        }).Reach().NearUm - (spot.SizeUm * 0.55);
}
