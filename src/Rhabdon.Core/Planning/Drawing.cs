namespace Rhabdon.Core.Planning;

/// <summary>A row without a gap, from its first to its last.</summary>
public sealed record Run(int From, int To)
{
    public int Count => To - From + 1;

    /// <summary>What of 1 to <paramref name="most"/> is not taken, as rows.</summary>
    public static IReadOnlyList<Run> Free(IEnumerable<int> taken, int most)
    {
        var (free, from) = (new List<Run>(), 1);
        foreach (var no in taken.Distinct().Order())
        {
            if (no > from)
            {
                free.Add(new(from, no - 1));
            }

            from = Math.Max(from, no + 1);
        }

        if (from <= most)
        {
            free.Add(new(from, most));
        }

        return free;
    }

    /// <summary>Where the next row begins: after all that is taken, else at the first gap; null where all is taken.</summary>
    public static int? Next(IEnumerable<int> taken, int most) => Free(taken, most) is { Count: > 0 } free ? (free[^1].To == most ? free[^1].From : free[0].From) : null;
}
