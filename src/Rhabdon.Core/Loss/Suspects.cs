using MathNet.Numerics.LinearAlgebra;

namespace Rhabdon.Core.Loss;

/// <summary>A measured sum: a link, or an event of a trace.</summary>
/// <param name="Parts">What the light passes: connectors, cords, by any name.</param>
/// <param name="LossDb">Measured, less nothing.</param>
/// <param name="KnownDb">What is known of it: cable and splices.</param>
/// <param name="SigmaDb">How sure the reading is; above 0.</param>
public sealed record MeasuredSum(IReadOnlyList<string> Parts, double LossDb, double KnownDb, double SigmaDb = 0.05);

/// <param name="SigmaDb">How far the estimate may be off; near <see cref="Suspects.UsualSpreadDb"/> nothing has told of it.</param>
/// <param name="OverDb">Loss beyond the limit of one pair, in standard errors.</param>
public sealed record PartEstimate(string Part, double LossDb, double SigmaDb, double OverDb);

/// <param name="Suspect">The part to look at first; null when none stands out.</param>
/// <param name="Sure">False when another explains the readings almost as well: clean and swap to tell them apart.</param>
/// <param name="Unexplained">Readings that the parts cannot make up, by their place in the list.</param>
public sealed record SuspectAnswer(IReadOnlyList<PartEstimate> Parts, string? Suspect, bool Sure, IReadOnlyList<int> Unexplained);

/// <summary>Which connector loses the light: least squares over links that share parts, no part below 0 dB, each taken for a usual one until told otherwise.</summary>
public static class Suspects
{
    /// <summary>A well-made connection, and how far they differ; common practice.</summary>
    public const double UsualDb = 0.25, UsualSpreadDb = 0.35;

    private const int MostParts = 600;

    /// <param name="pairLimitDb">What one mated pair may lose.</param>
    /// <exception cref="RefusedException">Nothing to solve, or a value is out of range.</exception>
    public static SuspectAnswer Find(IReadOnlyList<MeasuredSum> sums, double pairLimitDb = 0.75)
    {
        var parts = sums.SelectMany(s => s.Parts).Distinct(StringComparer.Ordinal).ToList();
        var faults = new List<Refusal>();
        if (sums.Count == 0 || parts.Count is 0 or > MostParts)
        {
            faults.Add(new("sums-count", "sums", $"Give at least one reading, and at most {MostParts} parts."));
        }

        for (var i = 0; i < sums.Count; i++)
        {
            if (!(sums[i].LossDb is >= -5 and <= 80 && sums[i].KnownDb is >= 0 and <= 80 && sums[i].SigmaDb is > 0 and <= 5))
            {
                faults.Add(new("out-of-range", $"sums[{i}].lossDb", "A loss is −5 to 80 dB, what is known of it 0 to 80 dB, its uncertainty above 0 and at most 5 dB."));
            }

            if (sums[i].Parts.Count == 0)
            {
                faults.Add(new("parts-none", $"sums[{i}].parts", "A reading goes through at least one part."));
            }
        }

        if (faults.Count > 0)
        {
            throw new RefusedException(faults);
        }

        var a = Matrix<double>.Build.Dense(sums.Count + parts.Count, parts.Count);
        var b = Vector<double>.Build.Dense(sums.Count + parts.Count);
        for (var i = 0; i < sums.Count; i++)
        {
            foreach (var part in sums[i].Parts)
            {
                a[i, parts.IndexOf(part)] += 1 / sums[i].SigmaDb;
            }

            b[i] = (sums[i].LossDb - sums[i].KnownDb) / sums[i].SigmaDb;
        }

        for (var j = 0; j < parts.Count; j++)
        {
            a[sums.Count + j, j] = 1 / UsualSpreadDb;
            b[sums.Count + j] = UsualDb / UsualSpreadDb;
        }

        var (normal, right) = (a.TransposeThisAndMultiply(a), a.TransposeThisAndMultiply(b));
        var x = NotNegative(normal, right);
        var spread = normal.Inverse();
        var estimates = parts.Select((p, j) =>
        {
            var sigma = Math.Sqrt(spread[j, j]);
            return new PartEstimate(p, x[j], sigma, (x[j] - pairLimitDb) / sigma);
        }).OrderByDescending(p => p.LossDb).ToList();
        var unexplained = Enumerable.Range(0, sums.Count).Where(i => Math.Abs((a.Row(i) * x) - b[i]) > 4).ToList();
        // The limit decides; of several over it the one that is most over.
        var over = estimates.Where(p => p.LossDb > pairLimitDb).OrderByDescending(p => p.LossDb).ToList();
        var suspect = over.FirstOrDefault() ?? (unexplained.Count > 0 ? estimates[0] : null);
        var sure = suspect is not null && estimates.All(p => p == suspect || suspect.LossDb - p.LossDb > Math.Max(0.15, suspect.SigmaDb));
        return new(estimates, suspect?.Part, sure, unexplained);
    }

    /// <summary>Least squares with no unknown below 0, one after another until nothing moves; the matrix is positive definite, so it ends.</summary>
    private static Vector<double> NotNegative(Matrix<double> normal, Vector<double> right)
    {
        var x = Vector<double>.Build.Dense(right.Count);
        for (var pass = 0; pass < 5000; pass++)
        {
            var moved = 0.0;
            for (var j = 0; j < x.Count; j++)
            {
                var next = Math.Max(0, x[j] + ((right[j] - (normal.Row(j) * x)) / normal[j, j]));
                moved = Math.Max(moved, Math.Abs(next - x[j]));
                x[j] = next;
            }

            if (moved < 1e-9)
            {
                break;
            }
        }

        return x;
    }
}
