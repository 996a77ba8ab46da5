namespace Rhabdon.Core.Inspection;

/// <summary>Two lists of findings of the same face laid over each other: the truth of a simulated face against what was found, or one person's eye against another's.</summary>
/// <param name="Missed">Places in the first list that nothing in the second meets.</param>
/// <param name="Extra">Places in the second list that meet nothing in the first.</param>
public sealed record FindingMatch(IReadOnlyList<int> Missed, IReadOnlyList<int> Extra)
{
    /// <summary>Spots meet when their centres lie within half a diameter or 2 µm; scratches when they run along each other for most of the shorter one's length.
    /// One may meet several: a scratch that is seen in two pieces is seen.</summary>
    public static FindingMatch Of(IReadOnlyList<SeenFinding> truth, IReadOnlyList<SeenFinding> found) => new(
        [.. Enumerable.Range(0, truth.Count).Where(i => !found.Any(f => Meet(truth[i], f)))],
        [.. Enumerable.Range(0, found.Count).Where(i => !truth.Any(t => Meet(t, found[i])))]);

    private static bool Meet(SeenFinding a, SeenFinding b)
    {
        if ((a.Kind == FindingKind.Scratch) != (b.Kind == FindingKind.Scratch))
        {
            return false;
        }

        if (a.Kind != FindingKind.Scratch)
        {
            return double.Hypot(a.XUm!.Value - b.XUm!.Value, a.YUm!.Value - b.YUm!.Value) <= Math.Max(2, Math.Max(a.SizeUm, b.SizeUm) / 2);
        }

        return Along(a, b) || Along(b, a);
    }

    /// <summary>True when most of <paramref name="b"/> lies on <paramref name="a"/>.</summary>
    private static bool Along(SeenFinding a, SeenFinding b)
    {
        const int Points = 20;
        var on = 0;
        var near = Math.Max(2, a.SizeUm);
        for (var i = 0; i <= Points; i++)
        {
            var t = i / (double)Points;
            var point = SeenFinding.Scratch(a.X0Um!.Value, a.Y0Um!.Value, a.X1Um!.Value, a.Y1Um!.Value, 1e-6);
            var (x, y) = (b.X0Um!.Value + (t * (b.X1Um!.Value - b.X0Um.Value)), b.Y0Um!.Value + (t * (b.Y1Um!.Value - b.Y0Um.Value)));
            var shifted = point with { X0Um = point.X0Um - x, Y0Um = point.Y0Um - y, X1Um = point.X1Um - x, Y1Um = point.Y1Um - y };
            on += shifted.Reach().NearUm <= near ? 1 : 0;
        }

        return on >= Points * 0.6;
    }
}
