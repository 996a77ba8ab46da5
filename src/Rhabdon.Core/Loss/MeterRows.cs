using System.Globalization;
using Rhabdon.Core.Ledger;

namespace Rhabdon.Core.Loss;

/// <summary>Which column of a meter's table holds what, by its heading. Loss or reading must be there; what has no column is said beside the table.</summary>
public sealed record ReadingColumns(string? Port = null, string? Address = null, string? WavelengthNm = null, string? LossDb = null, string? ReadingDbm = null)
{
    private static readonly (string Field, string[] Words)[] Guesses =
    [
        ("address", ["address", "label", "id", "name", "fiber", "fibre", "link"]), ("port", ["port", "no", "nr", "number", "strand"]),
        ("wavelength", ["wavelength", "nm", "lambda", "wave"]), ("loss", ["loss", "attenuation", "il"]), ("reading", ["dbm", "power", "reading", "level"]),
    ];

    /// <summary>Guessed from the headings, common practice; what is not found is null.</summary>
    public static ReadingColumns Guess(IReadOnlyList<string> headings)
    {
        string? Find(string field) => headings.FirstOrDefault(h => Guesses.First(g => g.Field == field).Words.Any(w => h.Contains(w, StringComparison.OrdinalIgnoreCase) && (w.Length > 2 || h.Length <= 8)));
        var (address, port, wavelength, loss, reading) = (Find("address"), Find("port"), Find("wavelength"), Find("loss"), Find("reading"));
        return new(port, address == port ? null : address, wavelength, loss, loss is null && reading != wavelength ? reading : null);
    }

    /// <exception cref="RefusedException">The table has no column of that name.</exception>
    public void Check(IReadOnlyCollection<string> headings)
    {
        foreach (var (field, name) in new[] { ("port", Port), ("address", Address), ("wavelengthNm", WavelengthNm), ("lossDb", LossDb), ("readingDbm", ReadingDbm) })
        {
            if (name is not null && !headings.Contains(name))
            {
                throw new RefusedException(Refusal.Of("column-unknown", $"columns.{field}", ("column", name)));
            }
        }
    }
}

/// <summary>An end that a row may be about.</summary>
/// <param name="NotNow">Why no reading of it can be recorded yet.</param>
public sealed record MeterEnd(EndId EndId, string Address, int Port, LinkSpec Link, LossLimitSet Limits, NotMeasurable? NotNow);

/// <summary>What is said beside the table, for all its rows.</summary>
/// <param name="WavelengthNm">Where the table has no column for it.</param>
/// <param name="ReferenceDbm">By wavelength in nanometres, for readings in dBm.</param>
public sealed record MeterBasis(int? WavelengthNm, IReadOnlyDictionary<int, double>? ReferenceDbm, ReferenceMethod Reference, double RepeatabilityDb);

/// <summary>One row of the meter's table, matched to an end.</summary>
/// <param name="Row">In the table, the headings being row 1.</param>
/// <param name="MeterLoss">True when the meter showed the loss itself: it stands on the meter's own reference.</param>
/// <param name="Problem">Why it cannot be read; null when it can.</param>
/// <param name="NotNow">Why it cannot be recorded, though it can be read; null when it can.</param>
public sealed record ReadingRow(
    int Row, EndId? EndId, string? Address, int? WavelengthNm, double? ReferenceDbm, double? ReadingDbm, bool MeterLoss, LossJudgement? Judgement, Refusal? Problem, Refusal? NotNow);

/// <summary>Matches the rows of a meter's table to planned ends and judges each, in the order of the table.</summary>
public sealed class MeterRows(IReadOnlyList<MeterEnd> ends, ReadingColumns columns, MeterBasis basis)
{
    private readonly HashSet<(EndId, int)> _seen = [];

    /// <param name="cell">The cell under a heading; null where it is empty or there is no such column.</param>
    public ReadingRow Judge(int row, Func<string?, string?> cell)
    {
        MeterEnd? end = null;
        try
        {
            if (columns.LossDb is null && columns.ReadingDbm is null)
            {
                throw new RefusedException(Refusal.Of("column-missing", "columns.lossDb"));
            }

            end = Match(cell(columns.Address), cell(columns.Port));
            var nm = Wavelength(cell(columns.WavelengthNm));
            var (referenceDbm, readingDbm) = columns.LossDb is not null ? (0, -Loss(cell(columns.LossDb))) : Reading(cell(columns.ReadingDbm), nm);
            if (!_seen.Add((end.EndId, nm)))
            {
                throw new RefusedException(Refusal.Of("duplicate-row", "port", ("end", end.Address), ("wavelengthNm", nm)));
            }

            var judged = InsertionLoss.Judge(new(nm, basis.Reference, referenceDbm, readingDbm, basis.RepeatabilityDb), end.Link, end.Limits);
            return judged.LossDb < -1
                ? throw new RefusedException(Refusal.Of("gain-impossible", "lossDb", ("gainDb", Math.Round(-judged.LossDb, 2))))
                : new(row, end.EndId, end.Address, nm, referenceDbm, readingDbm, columns.LossDb is not null, judged, null, NotNow(end));
        }
        catch (RefusedException e)
        {
            return new(row, end?.EndId, end?.Address ?? cell(columns.Address) ?? cell(columns.Port), null, null, null, false, null, e.Refusals[0].InRow(row), null);
        }
    }

    private MeterEnd Match(string? address, string? port)
    {
        var matching = ends.Where(e => address is not null ? string.Equals(e.Address, address, StringComparison.OrdinalIgnoreCase)
            : port is not null && int.TryParse(port, CultureInfo.InvariantCulture, out var p) && e.Port == p).ToList();
        return matching.Count switch
        {
            1 => matching[0],
            0 => throw new RefusedException(Refusal.Of("end-unknown-here", "port", ("said", address ?? port ?? ""))),
            _ => throw new RefusedException(Refusal.Of("end-unclear", "port", ("said", address ?? port ?? ""), ("count", matching.Count))),
        };
    }

    private int Wavelength(string? text) =>
        text is null ? basis.WavelengthNm ?? throw new RefusedException(Refusal.Of("wavelength-unsaid", "wavelengthNm"))
        : Number(text.Replace("nm", "", StringComparison.OrdinalIgnoreCase)) is >= 600 and <= 1700 and { } nm ? (int)Math.Round(nm)
        : throw new RefusedException(Refusal.Of("wavelength-unread", "wavelengthNm", ("said", text)));

    private static double Loss(string? text) => Number(text) switch
    {
        null => throw new RefusedException(Refusal.Of("loss-unread", "lossDb", ("said", text ?? ""))),
        < -3 or > 60 => throw new RefusedException(Refusal.Of("loss-impossible", "lossDb", ("said", text ?? ""))),
        { } db => db,
    };

    private (double ReferenceDbm, double ReadingDbm) Reading(string? text, int nm) =>
        Number(text) is not { } reading ? throw new RefusedException(Refusal.Of("reading-unread", "readingDbm", ("said", text ?? "")))
        : basis.ReferenceDbm?.TryGetValue(nm, out var reference) == true ? (reference, reading)
        : throw new RefusedException(Refusal.Of("reference-missing", "referenceDbm", ("wavelengthNm", nm)));

    /// <summary>A decimal point or a decimal comma.</summary>
    private static double? Number(string? text) =>
        double.TryParse(text?.Trim().Replace(',', '.').Replace('−', '-'), NumberStyles.Float, CultureInfo.InvariantCulture, out var value) && double.IsFinite(value) ? value : null;

    private static Refusal? NotNow(MeterEnd end) => end.NotNow is { } why ? Refusal.Of($"not-measurable-{Wire.Name(why)}", "endId", ("end", end.Address)) : null;
}
