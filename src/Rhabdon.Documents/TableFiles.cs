using System.Globalization;
using System.IO.Compression;
using System.Text;
using CsvHelper;
using CsvHelper.Configuration;
using MiniExcelLibs;
using Rhabdon.Core;
using Rhabdon.Core.Planning;

namespace Rhabdon.Documents;

/// <summary>Reads tables that other programs wrote: CSV with commas, semicolons or tabs, or the first sheet of an XLSX.</summary>
public static class TableFiles
{
    private const int MostColumns = 200, LongestCell = 500;

    /// <summary>What a sheet may unpack to: a file of some megabytes can hold a thousand times as much of nothing.</summary>
    private const long MostUnpacked = 256L * 1024 * 1024;

    /// <exception cref="RefusedException">It is empty, too long, or no table.</exception>
    public static PlanTable Read(ReadOnlyMemory<byte> file)
    {
        var rows = file.Span.StartsWith("PK"u8) ? Sheet(file) : Text(file.Span);
        var (headings, below) = (default(IReadOnlyList<string>), new List<(int, IReadOnlyList<string>)>());
        foreach (var (row, cells) in rows)
        {
            if (cells.Count > MostColumns || cells.Any(c => c.Length > LongestCell))
            {
                throw new RefusedException(Refusal.Of("table-size", "file", ("columns", MostColumns), ("letters", LongestCell)));
            }

            if (cells.All(string.IsNullOrWhiteSpace))
            {
                continue;
            }

            if (headings is null)
            {
                headings = [.. cells.Select(c => c.Trim().TrimStart('\uFEFF'))];
            }
            else if (below.Count > PlanSheets.MostRows)
            {
                throw new RefusedException(Refusal.Of("rows-range", "file", ("most", PlanSheets.MostRows)));
            }
            else
            {
                below.Add((row, cells));
            }
        }

        return headings is null || below.Count == 0 ? throw new RefusedException(Refusal.Of("rows-range", "file", ("most", PlanSheets.MostRows)))
            : headings.Where(h => h.Length > 0).GroupBy(h => h).FirstOrDefault(g => g.Count() > 1) is { } twice ? throw new RefusedException(Refusal.Of("heading-twice", "file", ("heading", twice.Key)))
            : new(headings, below);
    }

    private static IEnumerable<(int Row, IReadOnlyList<string> Cells)> Text(ReadOnlySpan<byte> file)
    {
        string text;
        try
        {
            text = new UTF8Encoding(false, throwOnInvalidBytes: true).GetString(file);
        }
        catch (DecoderFallbackException)
        {
            // Older office programs write one byte for each letter.
            text = Encoding.Latin1.GetString(file);
        }

        var first = text.Split('\n')[0];
        var delimiter = new[] { "\t", ";", "," }.MaxBy(d => first.Split(d).Length)!;
        return Rows(text, delimiter);
    }

    private static List<(int, IReadOnlyList<string>)> Rows(string text, string delimiter)
    {
        using var reader = new CsvReader(new StringReader(text), new CsvConfiguration(CultureInfo.InvariantCulture) { Delimiter = delimiter, BadDataFound = null, MissingFieldFound = null, HasHeaderRecord = false });
        var rows = new List<(int, IReadOnlyList<string>)>();
        try
        {
            for (var row = 1; reader.Read() && rows.Count <= PlanSheets.MostRows + 1; row++)
            {
                rows.Add((row, reader.Parser.Record ?? []));
            }
        }
        catch (CsvHelperException)
        {
            throw new RefusedException(Refusal.Of("table-unread", "file"));
        }

        return rows;
    }

    private static List<(int, IReadOnlyList<string>)> Sheet(ReadOnlyMemory<byte> file)
    {
        using var bytes = new MemoryStream(file.ToArray(), writable: false);
        try
        {
            using (var zip = new ZipArchive(bytes, ZipArchiveMode.Read, leaveOpen: true))
            {
                if (zip.Entries.Sum(e => e.Length) > MostUnpacked)
                {
                    throw new RefusedException(Refusal.Of("table-unread", "file"));
                }
            }

            bytes.Position = 0;
            var rows = new List<(int, IReadOnlyList<string>)>();
            var row = 0;
            foreach (var cells in bytes.Query(useHeaderRow: false).Cast<IDictionary<string, object?>>())
            {
                row++;
                rows.Add((row, [.. cells.Values.Take(MostColumns + 1).Select(Plain)]));
                if (rows.Count > PlanSheets.MostRows + 2)
                {
                    break;
                }
            }

            return rows;
        }
        catch (Exception e) when (e is InvalidDataException or System.Xml.XmlException or IOException or InvalidOperationException or FormatException or NotSupportedException or KeyNotFoundException or ArgumentException or NullReferenceException or OverflowException)
        {
            throw new RefusedException(Refusal.Of("table-unread", "file"));
        }
    }

    private static string Plain(object? cell) => cell switch
    {
        null => "",
        double n => n.ToString("R", CultureInfo.InvariantCulture),
        DateTime day => day.ToString("yyyy-MM-dd", CultureInfo.InvariantCulture),
        _ => Convert.ToString(cell, CultureInfo.InvariantCulture) ?? "",
    };
}
