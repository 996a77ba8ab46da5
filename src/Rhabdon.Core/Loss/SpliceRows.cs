using System.Globalization;

namespace Rhabdon.Core.Loss;

/// <summary>Which column of a splicer's table holds what, by its heading. The loss must be there.</summary>
/// <param name="Strand">The strand's number.</param>
/// <param name="Address">Of the end, as on the loom.</param>
public sealed record SpliceColumns(string? Strand = null, string? Address = null, string? LossDb = null, string? LeftAngleDeg = null, string? RightAngleDeg = null)
{
    /// <summary>Guessed from the headings, common practice; what is not found is null.</summary>
    public static SpliceColumns Guess(IReadOnlyList<string> headings)
    {
        string? Find(params string[] words) => headings.FirstOrDefault(h => words.All(w => h.Contains(w, StringComparison.OrdinalIgnoreCase)));
        return new(
            Find("strand") ?? Find("fiber") ?? Find("fibre") ?? Find("core"), Find("address") ?? Find("label") ?? Find("comment"), Find("loss"),
            Find("angle", "left") ?? Find("left") ?? Find("angle", "L"), Find("angle", "right") ?? Find("right") ?? Find("angle", "R"));
    }

    /// <exception cref="RefusedException">The table has no column of that name.</exception>
    public void Check(IReadOnlyCollection<string> headings)
    {
        foreach (var (field, name) in new[] { ("strand", Strand), ("address", Address), ("lossDb", LossDb), ("leftAngleDeg", LeftAngleDeg), ("rightAngleDeg", RightAngleDeg) })
        {
            if (name is not null && !headings.Contains(name))
            {
                throw new RefusedException(Refusal.Of("column-unknown", $"columns.{field}", ("column", name)));
            }
        }
    }
}

/// <summary>An end that a row may be about.</summary>
public sealed record SplicedEnd(EndId EndId, string Address, int Strand);

/// <summary>One row of the splicer's table, matched to an end.</summary>
/// <param name="Row">In the table, the headings being row 1.</param>
/// <param name="Problem">Why it cannot be read; null when it can.</param>
public sealed record SpliceRow(int Row, EndId? EndId, string? Address, double? LossDb, double? LeftAngleDeg, double? RightAngleDeg, Refusal? Problem);

/// <summary>
/// Matches a splicer's table to ends: by address, by strand, or, where the table says neither, row by row in the order of splicing, if there are
/// as many rows as ends. What the splicer estimates is a guess; the loss test decides.
/// </summary>
public static class SpliceRows
{
    /// <param name="ends">In the order in which they were spliced.</param>
    /// <param name="table">Rows with their cells by heading; null where a cell is empty or there is no such column.</param>
    public static IReadOnlyList<SpliceRow> Read(IReadOnlyList<SplicedEnd> ends, SpliceColumns columns, IReadOnlyList<(int Row, Func<string?, string?> Cell)> table)
    {
        // From the last row up: an end that was spliced again counts as it was spliced last.
        var seen = new HashSet<EndId>();
        return [.. table.Select((t, at) => (t, at)).Reverse().Select(x => Read(ends, columns, table.Count, x.at, x.t.Row, x.t.Cell, seen)).Reverse()];
    }

    private static SpliceRow Read(IReadOnlyList<SplicedEnd> ends, SpliceColumns columns, int rows, int at, int row, Func<string?, string?> cell, HashSet<EndId> seen)
    {
        SplicedEnd? end = null;
        try
        {
            if (columns.LossDb is null)
            {
                throw new RefusedException(Refusal.Of("column-missing", "columns.lossDb"));
            }

            end = Match(ends, columns, rows, at, cell(columns.Address), cell(columns.Strand));
            var loss = Number(cell(columns.LossDb)) is >= -2 and <= 20 and { } db ? db : throw new RefusedException(Refusal.Of("splice-loss-unread", "lossDb", ("said", cell(columns.LossDb) ?? "")));
            var (left, right) = (Angle("leftAngleDeg", cell(columns.LeftAngleDeg)), Angle("rightAngleDeg", cell(columns.RightAngleDeg)));
            return seen.Add(end.EndId) ? new(row, end.EndId, end.Address, loss, left, right, null) : throw new RefusedException(Refusal.Of("splice-again", "strand", ("end", end.Address)));
        }
        catch (RefusedException e)
        {
            return new(row, end?.EndId, end?.Address ?? cell(columns.Address) ?? cell(columns.Strand), null, null, null, e.Refusals[0].InRow(row));
        }
    }

    private static SplicedEnd Match(IReadOnlyList<SplicedEnd> ends, SpliceColumns columns, int rows, int at, string? address, string? strand)
    {
        if (address is null && strand is null)
        {
            return columns is { Address: null, Strand: null } && rows == ends.Count ? ends[at] : throw new RefusedException(Refusal.Of("splice-order", "csv", ("rows", rows), ("ends", ends.Count)));
        }

        var matching = ends.Where(e => address is not null ? string.Equals(e.Address, address, StringComparison.OrdinalIgnoreCase) : int.TryParse(strand, CultureInfo.InvariantCulture, out var n) && e.Strand == n).ToList();
        return matching.Count == 1 ? matching[0] : throw new RefusedException(matching.Count == 0
            ? Refusal.Of("end-unknown-here", "strand", ("said", address ?? strand ?? ""))
            : Refusal.Of("end-unclear", "strand", ("said", address ?? strand ?? ""), ("count", matching.Count)));
    }

    private static double? Angle(string field, string? text) =>
        text is null ? null : Number(text) is >= 0 and <= 45 and { } deg ? deg : throw new RefusedException(Refusal.Of("cleave-angle", field));

    /// <summary>A decimal point or a decimal comma, with or without its unit.</summary>
    private static double? Number(string? text) =>
        double.TryParse(text?.Trim().Replace("dB", "", StringComparison.OrdinalIgnoreCase).TrimEnd('°', ' ').Replace(',', '.').Replace('−', '-'), NumberStyles.Float, CultureInfo.InvariantCulture, out var value) && double.IsFinite(value) ? value : null;
}
