using System.Globalization;
using System.Security.Claims;
using Rhabdon.Core;
using Rhabdon.Core.Ledger;
using Rhabdon.Core.Loss;
using Rhabdon.Core.Planning;
using Rhabdon.Instruments;
using Rhabdon.Server.Accounts;
using Rhabdon.Server.Web;
using Rhabdon.Store;

namespace Rhabdon.Server.Measure;

/// <summary>Which column holds what, by its heading. Loss or reading must be there; what has no column is taken from the request.</summary>
public sealed record ReadingColumns(string? Port = null, string? Address = null, string? WavelengthNm = null, string? LossDb = null, string? ReadingDbm = null);

/// <param name="Csv">The meter's table: comma, semicolon or tab between the columns, the headings in the first row.</param>
/// <param name="Columns">Left out, headings are guessed.</param>
/// <param name="WavelengthNm">Where the table has no column for it.</param>
/// <param name="ReferenceDbm">By wavelength in nanometres, for readings in dBm.</param>
public sealed record ReadingsRequest(
    string Csv, ReadingColumns? Columns = null, int? WavelengthNm = null, IReadOnlyDictionary<int, double>? ReferenceDbm = null, ReferenceMethod Reference = ReferenceMethod.OneCord,
    double RepeatabilityDb = 0.05);

/// <summary>One row of the meter's table, matched to an end.</summary>
/// <param name="Row">In the table, the headings being row 1.</param>
/// <param name="MeterLoss">True when the meter showed the loss itself: it stands on the meter's own reference.</param>
/// <param name="Problem">Why it cannot be read; null when it can.</param>
/// <param name="NotNow">Why it cannot be recorded, though it can be read; null when it can.</param>
public sealed record ReadingRow(
    int Row, EndId? EndId, string? Address, int? WavelengthNm, double? ReferenceDbm, double? ReadingDbm, bool MeterLoss, LossJudgement? Judgement, Refusal? Problem, Refusal? NotNow);

/// <param name="Headings">Of the table, to choose columns from.</param>
/// <param name="Columns">As chosen or guessed.</param>
public sealed record ReadingsAnswer(IReadOnlyList<string> Headings, ReadingColumns Columns, IReadOnlyList<ReadingRow> Rows);

/// <param name="Links">How many readings and traces told.</param>
public sealed record PanelSuspects(int Links, SuspectAnswer? Answer);

/// <summary>Tables of meter results for a panel, and what a panel's readings say of its connectors.</summary>
public static class ReadingEndpoints
{
    private const int LongestCsv = 1_000_000;

    private static readonly (string Field, string[] Words)[] Guesses =
    [
        ("address", ["address", "label", "id", "name", "fiber", "fibre", "link"]), ("port", ["port", "no", "nr", "number", "strand"]),
        ("wavelength", ["wavelength", "nm", "lambda", "wave"]), ("loss", ["loss", "attenuation", "il"]), ("reading", ["dbm", "power", "reading", "level"]),
    ];

    public static void MapReadings(this RouteGroupBuilder api)
    {
        api.MapPost("/places/{placeId:guid}/readings/check", Check).RequireAuthorization(Policies.Work)
            .WithSummary("Match a meter's table to a panel's ends and judge each row. Nothing is kept: recording is an event for each row.");
        api.MapGet("/places/{placeId:guid}/suspects", Suspect).WithSummary("From the panel's readings and traces: the loss of each connector with its uncertainty, and which to look at first.");
    }

    private static async Task<ReadingsAnswer> Check(PlaceId placeId, ReadingsRequest r, ClaimsPrincipal user, Store.Records records, Methods methods, CancellationToken cancel)
    {
        new Input().Require(r.Csv.Length is > 0 and <= LongestCsv, "csv-size", "csv", "Paste a table of up to a million characters.").ThrowIfBad();
        var ends = await records.At(user.Scope(), placeId, cancel);
        if (ends.Count == 0)
        {
            throw new ApiException(404, "not-found", "placeId", "There is no such panel among yours, or nothing is planned on it.");
        }

        var rules = await methods.Rules(user.Scope().CompanyId, cancel);
        var (headings, table) = MeterTable.Read(r.Csv);
        var columns = r.Columns ?? Guess(headings);
        foreach (var (field, name) in new[] { ("port", columns.Port), ("address", columns.Address), ("wavelengthNm", columns.WavelengthNm), ("lossDb", columns.LossDb), ("readingDbm", columns.ReadingDbm) })
        {
            if (name is not null && !headings.Contains(name))
            {
                throw new RefusedException("column-unknown", $"columns.{field}", $"The table has no column '{name}'.");
            }
        }

        var seen = new HashSet<(EndId, int)>();
        var rows = new List<ReadingRow>();
        foreach (var (row, cells) in table)
        {
            string? Cell(string? column) => column is not null && headings.IndexOf(column) is var i and >= 0 && i < cells.Length && cells[i].Trim().Length > 0 ? cells[i].Trim() : null;
            rows.Add(Judge(row, Cell(columns.Port), Cell(columns.Address), Cell(columns.WavelengthNm), Cell(columns.LossDb), Cell(columns.ReadingDbm), r, columns, ends, rules, seen));
        }

        return new(headings, columns, rows);
    }

    private static ReadingRow Judge(
        int row, string? port, string? address, string? wavelength, string? loss, string? reading, ReadingsRequest r, ReadingColumns columns, IReadOnlyList<EndPlan> ends, Rules rules, HashSet<(EndId, int)> seen)
    {
        ReadingRow Bad(string code, string field, string message, EndPlan? end = null) => new(row, end?.EndId, end is null ? address ?? port : end.Address(), null, null, null, false, null, new(code, field, $"Row {row}: {message}"), null);
        if (columns.LossDb is null && columns.ReadingDbm is null)
        {
            return Bad("column-missing", "columns.lossDb", "say which column holds the loss or the reading.");
        }

        var matching = ends.Where(e => address is not null && string.Equals(e.Address(), address, StringComparison.OrdinalIgnoreCase)
            || (address is null && port is not null && int.TryParse(port, CultureInfo.InvariantCulture, out var p) && e.Port == p)).ToList();
        if (matching.Count != 1)
        {
            return Bad(matching.Count == 0 ? "end-unknown" : "end-unclear", "port", matching.Count == 0 ? $"nothing is planned at '{address ?? port}' on this panel." : $"'{port}' names {matching.Count} ends; use the address.");
        }

        var end = matching[0];
        int nm;
        if (wavelength is null)
        {
            nm = r.WavelengthNm ?? 0;
        }
        else if (!Number(wavelength.Replace("nm", "", StringComparison.OrdinalIgnoreCase), out var parsed) || parsed is < 600 or > 1700)
        {
            return Bad("wavelength-unknown", "wavelengthNm", $"'{wavelength}' is no wavelength in nanometres.", end);
        }
        else
        {
            nm = (int)Math.Round(parsed);
        }

        if (nm == 0)
        {
            return Bad("wavelength-unknown", "wavelengthNm", "no wavelength is said, neither in the table nor beside it.", end);
        }

        double reference = 0, level;
        if (columns.LossDb is not null)
        {
            if (!Number(loss ?? "", out var db))
            {
                return Bad("number-bad", "lossDb", $"'{loss}' is no loss in dB.", end);
            }

            if (db is < -3 or > 60)
            {
                return Bad("value-impossible", "lossDb", $"a loss of {loss} dB cannot be.", end);
            }

            level = -db;
        }
        else
        {
            if (!Number(reading ?? "", out level))
            {
                return Bad("number-bad", "readingDbm", $"'{reading}' is no reading in dBm.", end);
            }

            if (r.ReferenceDbm?.TryGetValue(nm, out reference) != true)
            {
                return Bad("reference-missing", "referenceDbm", $"there is no reference at {nm} nm.", end);
            }
        }

        if (!seen.Add((end.EndId, nm)))
        {
            return Bad("duplicate", "port", $"{end.Address()} at {nm} nm stands in an earlier row.", end);
        }

        try
        {
            var judgement = InsertionLoss.Judge(new(nm, r.Reference, reference, level, r.RepeatabilityDb), new(end.FiberClass, end.LengthM, end.Connections, end.LinkSplices()), rules.LossSet(end.LimitSetId));
            return judgement.LossDb < -1
                ? Bad("value-impossible", "lossDb", $"a gain of {-judgement.LossDb:0.00} dB cannot be: the reference is wrong.", end)
                : new(row, end.EndId, end.Address(), nm, reference, level, columns.LossDb is not null, judgement, null, NotNow(end));
        }
        catch (RefusedException e)
        {
            return Bad(e.Refusals[0].Code, e.Refusals[0].Field, e.Refusals[0].Message, end);
        }
    }

    private static Refusal? NotNow(EndPlan end)
    {
        var why = end.State.NotMeasurable switch
        {
            NotMeasurable.Conflict => "two devices worked it at once; that is settled first.",
            NotMeasurable.NotBegun => "no connector was begun on it.",
            NotMeasurable.GivenUp => "its connector was given up; the next one is not made yet.",
            NotMeasurable.Accepted => "it is accepted already.",
            NotMeasurable.AtBench => "it is still at the bench.",
            _ => null,
        };
        return why is null ? null : new("not-measurable", "endId", $"{end.Address()}: {why}");
    }

    /// <summary>A decimal point or a decimal comma.</summary>
    private static bool Number(string text, out double value) =>
        double.TryParse(text.Trim().Replace(',', '.').Replace('−', '-'), NumberStyles.Float, CultureInfo.InvariantCulture, out value) && double.IsFinite(value);

    private static ReadingColumns Guess(List<string> headings)
    {
        string? Find(string field) => headings.FirstOrDefault(h => Guesses.First(g => g.Field == field).Words.Any(w => h.Contains(w, StringComparison.OrdinalIgnoreCase) && (w.Length > 2 || h.Length <= 8)));
        var (address, port, wavelength, loss, reading) = (Find("address"), Find("port"), Find("wavelength"), Find("loss"), Find("reading"));
        return new(port, address == port ? null : address, wavelength, loss, loss is null && reading != wavelength ? reading : null);
    }

    private static async Task<PanelSuspects> Suspect(PlaceId placeId, ClaimsPrincipal user, Store.Records records, Methods methods, CancellationToken cancel)
    {
        var ends = await records.At(user.Scope(), placeId, cancel);
        if (ends.Count == 0)
        {
            throw new ApiException(404, "not-found", "placeId", "There is no such panel among yours, or nothing is planned on it.");
        }

        var rules = await methods.Rules(user.Scope().CompanyId, cancel);
        var sums = new List<MeasuredSum>();
        var pair = 0.75;
        foreach (var e in ends)
        {
            var (near, far) = (e.Address(), e.FarAddress ?? $"{e.Address()} far end");
            pair = rules.LossSet(e.LimitSetId).Connections.FirstOrDefault(c => c.Mode == e.Mode)?.PairDb ?? pair;
            if (e.State.Current is not { Open: true } attempt)
            {
                continue;
            }

            var splices = Links.Splices(e.CableSplices, e.Method, e.FarMethod);
            sums.AddRange(attempt.Losses.Where(l => l.Judgement.Verdict != LossVerdict.BadReference).Select(l => Suspects.Link(near, far, l.Judgement, splices, l.Reading.RepeatabilityDb)));
            sums.AddRange(attempt.Traces.Select(t => new MeasuredSum([near], t.Reading.LossDb, 0, 0.05)));
        }

        return new(sums.Count, sums.Count == 0 ? null : Suspects.Find(sums, pair));
    }
}
