using MathNet.Numerics.LinearAlgebra;

namespace Rhabdon.Core.Loss;

/// <summary>A measured sum: a link, or an event of a trace.</summary>
/// <param name="Parts">What the light passes: connectors, cords, by any name.</param>
/// <param name="LossDb">Measured, less nothing.</param>
/// <param name="KnownDb">What is known of it: cable and splices.</param>
/// <param name="SigmaDb">How sure the reading is; above 0.</param>
public sealed record MeasuredSum(IReadOnlyList<string> Parts, double LossDb, double KnownDb, double SigmaDb = 0.05);

/// <param name="SigmaDb">How far the estimate may be off; near <see cref="Suspects.UsualSpreadDb"/> nothing has told of it.</param>
/// <param name="OverDb">Loss beyond the limit of one pair, or of so many as are together here, in standard errors.</param>
/// <param name="Together">Parts that every reading went through together: what they lose in all is known, and not which of them. Null for one part.</param>
public sealed record PartEstimate(string Part, double LossDb, double SigmaDb, double OverDb, IReadOnlyList<string>? Together = null)
{
    internal int Count => Together?.Count ?? 1;
}

/// <param name="Parts">Parts that nothing tells apart stand there once, together: a total is not split in half between them.</param>
/// <param name="Suspect">The part to look at first, or those that are together; null when none stands out.</param>
/// <param name="Sure">False when another explains the readings almost as well, or it is one of several that are together.</param>
/// <param name="Unexplained">Readings that the parts cannot make up, by their place in the list.</param>
public sealed record SuspectAnswer(IReadOnlyList<PartEstimate> Parts, string? Suspect, bool Sure, IReadOnlyList<int> Unexplained);

/// <summary>Which connector loses the light: least squares over links that share parts, no part below 0 dB, each taken for a usual one until told otherwise.</summary>
public static class Suspects
{
    /// <summary>A well-made connection, and how far they differ; common practice.</summary>
    public const double UsualDb = 0.25, UsualSpreadDb = 0.35;

    /// <summary>A usual splice, and what usual cable loses of what the standard allows it; common practice.</summary>
    public const double UsualSpliceDb = 0.1, UsualCableShare = 0.8;

    /// <summary>Most parts that hang together by readings, and most readings.</summary>
    private const int MostParts = 600, MostSums = 20_000;

    /// <summary>A reading of a link as a sum: its two ends are sought, its cable, splices and any connections between them taken for usual ones. What the reference took out was in the cords, and is added.</summary>
    public static MeasuredSum Link(string near, string far, LossJudgement judgement, int splices, double repeatabilityDb)
    {
        var others = judgement.Limit.ConnectionsCounted - 2;
        return new([near, far], judgement.LossDb, (judgement.Limit.CableDb * UsualCableShare) + (splices * UsualSpliceDb) + (others * UsualDb),
            Math.Sqrt(Math.Pow(Math.Max(0.05, repeatabilityDb), 2) + (Math.Abs(others) * UsualSpreadDb * UsualSpreadDb)));
    }

    /// <param name="pairLimitDb">What one mated pair may lose.</param>
    /// <exception cref="RefusedException">Nothing to solve, or a value is out of range.</exception>
    public static SuspectAnswer Find(IReadOnlyList<MeasuredSum> sums, double pairLimitDb = 0.75)
    {
        var faults = new List<Refusal>();
        if (sums.Count is 0 or > MostSums)
        {
            faults.Add(new("sums-count", "sums", $"Give 1 to {MostSums} readings."));
        }

        for (var i = 0; i < sums.Count; i++)
        {
            if (!(sums[i].LossDb is >= -5 and <= 80 && sums[i].KnownDb is >= -5 and <= 80 && sums[i].SigmaDb is > 0 and <= 5))
            {
                faults.Add(new("out-of-range", $"sums[{i}].lossDb", "A loss is −5 to 80 dB, and so is what is known of it, its uncertainty above 0 and at most 5 dB."));
            }

            if (sums[i].Parts.Count == 0 || sums[i].Parts.Any(string.IsNullOrEmpty))
            {
                faults.Add(new("parts-none", $"sums[{i}].parts", "A reading goes through at least one part, and each has a name."));
            }
        }

        if (faults.Count > 0)
        {
            throw new RefusedException(faults);
        }

        // Readings that share no part say nothing of each other: each group is solved by itself, so that a panel may have any number of ports.
        var estimates = new List<PartEstimate>();
        var unexplained = new List<int>();
        foreach (var group in Groups(sums))
        {
            Solve(sums, group, pairLimitDb, estimates, unexplained);
        }

        estimates = [.. estimates.OrderByDescending(p => p.LossDb)];
        unexplained.Sort();
        // The limit decides; of several over it the one that is most over.
        double Each(PartEstimate p) => p.LossDb / p.Count;
        var over = estimates.Where(p => p.LossDb > p.Count * pairLimitDb).OrderByDescending(Each).ToList();
        var suspect = over.FirstOrDefault() ?? (unexplained.Count > 0 ? estimates[0] : null);
        var sure = suspect is { Together: null } && estimates.All(p => p == suspect || suspect.LossDb - Each(p) > Math.Max(0.15, suspect.SigmaDb));
        return new(estimates, suspect?.Part, sure, unexplained);
    }

    /// <summary>Readings by their place in the list, those together that hang together by the parts they share.</summary>
    private static IEnumerable<List<int>> Groups(IReadOnlyList<MeasuredSum> sums)
    {
        var through = sums.SelectMany((s, i) => s.Parts, (s, part) => part).Distinct(StringComparer.Ordinal).ToDictionary(p => p, _ => new List<int>(), StringComparer.Ordinal);
        for (var i = 0; i < sums.Count; i++)
        {
            foreach (var part in sums[i].Parts)
            {
                through[part].Add(i);
            }
        }

        var seen = new bool[sums.Count];
        for (var first = 0; first < sums.Count; first++)
        {
            if (seen[first])
            {
                continue;
            }

            seen[first] = true;
            List<int> group = [first];
            for (var at = 0; at < group.Count; at++)
            {
                foreach (var part in sums[group[at]].Parts)
                {
                    // Who has been through a part once has found all that go through it.
                    if (through.Remove(part, out var others))
                    {
                        group.AddRange(others.Where(i => !seen[i]));
                        others.ForEach(i => seen[i] = true);
                    }
                }
            }

            yield return group;
        }
    }

    private static void Solve(IReadOnlyList<MeasuredSum> all, List<int> group, double pairLimitDb, List<PartEstimate> estimates, List<int> unexplained)
    {
        var sums = group.ConvertAll(i => all[i]);
        var parts = sums.SelectMany(s => s.Parts).Distinct(StringComparer.Ordinal).ToList();
        if (parts.Count > MostParts)
        {
            throw new RefusedException("parts-count", "sums", $"At most {MostParts} parts may hang together by their readings; these are {parts.Count}.");
        }

        // What the readings and the usual values ask for, in one: each adds to the normal equations only where its own parts meet.
        var place = parts.Select((p, j) => (p, j)).ToDictionary(x => x.p, x => x.j, StringComparer.Ordinal);
        var rows = sums.ConvertAll(s => s.Parts.GroupBy(p => place[p]).Select(g => (At: g.Key, Share: g.Count() / s.SigmaDb)).ToArray());
        var normal = new double[parts.Count, parts.Count];
        var right = new double[parts.Count];
        for (var j = 0; j < parts.Count; j++)
        {
            normal[j, j] = 1 / (UsualSpreadDb * UsualSpreadDb);
            right[j] = UsualDb / (UsualSpreadDb * UsualSpreadDb);
        }

        double Told(int i) => (sums[i].LossDb - sums[i].KnownDb) / sums[i].SigmaDb;
        for (var i = 0; i < sums.Count; i++)
        {
            foreach (var (j, share) in rows[i])
            {
                Effort.Spend(rows[i].Length);
                right[j] += share * Told(i);
                foreach (var (k, other) in rows[i])
                {
                    normal[j, k] += share * other;
                }
            }
        }

        var x = NotNegative(normal, right);
        var spread = Matrix<double>.Build.DenseOfArray(normal).Inverse();
        Effort.Spend(parts.Count * parts.Count);
        // Parts with the very same readings: only their sum was measured.
        var through = parts.ConvertAll(_ => new List<(int Row, double Share)>());
        for (var i = 0; i < rows.Count; i++)
        {
            foreach (var (j, share) in rows[i])
            {
                through[j].Add((i, share));
            }
        }

        estimates.AddRange(Enumerable.Range(0, parts.Count).GroupBy(j => string.Join(';', through[j])).Select(g =>
        {
            int[] together = [.. g];
            var loss = together.Sum(j => x[j]);
            var sigma = Math.Sqrt(together.Sum(j => together.Sum(k => spread[j, k])));
            return new PartEstimate(string.Join(" + ", together.Select(j => parts[j])), loss, sigma, (loss - (together.Length * pairLimitDb)) / sigma, together.Length == 1 ? null : [.. together.Select(j => parts[j])]);
        }));
        unexplained.AddRange(Enumerable.Range(0, sums.Count).Where(i => Math.Abs(rows[i].Sum(r => r.Share * x[r.At]) - Told(i)) > 4).Select(i => group[i]));
    }

    /// <summary>Least squares with no unknown below 0, one after another until nothing moves; the matrix is positive definite, so it ends.</summary>
    private static double[] NotNegative(double[,] normal, double[] right)
    {
        var x = new double[right.Length];
        for (var pass = 0; pass < 5000; pass++)
        {
            var moved = 0.0;
            for (var j = 0; j < x.Length; j++)
            {
                var sum = 0.0;
                for (var k = 0; k < x.Length; k++)
                {
                    sum += normal[j, k] * x[k];
                }

                var next = Math.Max(0, x[j] + ((right[j] - sum) / normal[j, j]));
                moved = Math.Max(moved, Math.Abs(next - x[j]));
                x[j] = next;
            }

            Effort.Spend(x.Length * x.Length);
            if (moved < 1e-9)
            {
                break;
            }
        }

        return x;
    }
}
