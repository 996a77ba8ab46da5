using Rhabdon.Core.Ledger;

namespace Rhabdon.Core.Inspection;

public enum FaceMatch
{
    /// <summary>It bears the marks of the face that was accepted.</summary>
    Same,
    /// <summary>It bears none of them, and they are of a kind that does not go away.</summary>
    Other,
    /// <summary>The accepted face had too few marks that last, or chance would show as much.</summary>
    Untold,
}

/// <summary>A face that was looked at after a connector of its end was accepted, held against the picture that it was accepted by.</summary>
/// <param name="EventId">The later look.</param>
/// <param name="AcceptedAt">When it was accepted;</param>
/// <param name="Shared">how many of the marks of then are there,</param>
/// <param name="Of">of how many that last: pits, chips, cracks and scratches, not dirt;</param>
/// <param name="New">and how many lasting marks have come since.</param>
/// <param name="TurnedDeg">How far the connector was turned under the microscope.</param>
public sealed record FaceAgain(EventId EventId, Instant AcceptedAt, FaceMatch Match, int Shared, int Of, int New, double TurnedDeg);

/// <summary>Whether a face that is looked at again is the one that was accepted: by its lasting marks, turned onto each other.</summary>
public static class FacesAgain
{
    /// <summary>The same place of a face, as far as centre and edge are found (ours).</summary>
    private const double SameUm = 2;

    private const double CladdingUm = 62.5;

    /// <summary>Marks that have to be there before their absence says anything.</summary>
    private const int LeastToMiss = 3, MostMarks = 200;

    /// <summary>That chance lays as many marks onto each other.</summary>
    private const double Allowed = 0.001;

    /// <summary>Every pictured look of an end that came after a connector of it was accepted by a picture.</summary>
    public static IReadOnlyList<FaceAgain> Of(EndState state)
    {
        var accepted = state.Attempts.Where(a => a.AcceptedAt is not null).Select(a => (At: a.AcceptedAt!.Value, Look: a.Looks.LastOrDefault(l => l.Picture is not null && l.At <= a.AcceptedAt))).Where(a => a.Look is not null).OrderBy(a => a.At).ToList();
        return [.. state.Attempts.SelectMany(a => a.Looks).Where(l => l.Picture is not null).OrderBy(l => l.At)
            .Select(l => (Look: l, Before: accepted.LastOrDefault(a => a.At < l.At && a.Look != l))).Where(x => x.Before.Look is not null)
            .Select(x => Compare(x.Look.EventId, x.Before.At, x.Before.Look!.Picture!.Final, x.Look.Picture!.Final))];
    }

    public static FaceAgain Compare(EventId eventId, Instant acceptedAt, IReadOnlyList<SeenFinding> accepted, IReadOnlyList<SeenFinding> seen)
    {
        var (then, now, shared, turn) = (Marks(accepted), Marks(seen), 0, 0.0);
        foreach (var (a, b) in from a in then from b in now where Math.Abs(Radius(a) - Radius(b)) <= SameUm select (a, b))
        {
            // Near the middle every turn lays them onto each other, and none is told by it.
            if (Radius(a) < 2 * SameUm)
            {
                continue;
            }

            Effort.Spend(then.Count);
            var by = Math.Atan2(b.Y, b.X) - Math.Atan2(a.Y, a.X);
            var count = then.Count(m => now.Any(n => double.Hypot((m.X * Math.Cos(by)) - (m.Y * Math.Sin(by)) - n.X, (m.X * Math.Sin(by)) + (m.Y * Math.Cos(by)) - n.Y) <= SameUm));
            (shared, turn) = count > shared ? (count, by) : (shared, turn);
        }

        // One pair of marks is laid onto each other by choice; that each further one lies right is chance, of all pairs that could be chosen.
        var chance = shared == 0 ? 1 : Math.Min(1, then.Count * now.Count * (2 * SameUm / CladdingUm) * Ways(then.Count - 1, shared - 1) * Math.Pow(now.Count * SameUm * SameUm / (CladdingUm * CladdingUm), shared - 1));
        var match = shared >= 2 && 2 * shared >= then.Count && chance <= Allowed ? FaceMatch.Same : then.Count >= LeastToMiss && shared <= 1 ? FaceMatch.Other : FaceMatch.Untold;
        return new(eventId, acceptedAt, match, shared, then.Count, match == FaceMatch.Same ? now.Count - shared : 0, match == FaceMatch.Same ? Math.Round(Math.IEEERemainder(turn, 2 * Math.PI) * 180 / Math.PI) : 0);
    }

    /// <summary>Where lasting marks lie: dirt goes, and a scratch is known by its two ends.</summary>
    private static List<(double X, double Y)> Marks(IReadOnlyList<SeenFinding> findings) =>
        [.. findings.Where(f => f.Kind is not (FindingKind.Particle or FindingKind.Residue))
            .SelectMany(f => f.Kind == FindingKind.Scratch ? new[] { (f.X0Um!.Value, f.Y0Um!.Value), (f.X1Um!.Value, f.Y1Um!.Value) } : [(f.XUm!.Value, f.YUm!.Value)])
            .Where(m => double.Hypot(m.Item1, m.Item2) <= CladdingUm).Take(MostMarks)];

    private static double Radius((double X, double Y) m) => double.Hypot(m.X, m.Y);

    private static double Ways(int of, int choose)
    {
        var ways = 1.0;
        for (var i = 0; i < choose; i++)
        {
            ways *= (double)(of - i) / (i + 1);
        }

        return ways;
    }
}
