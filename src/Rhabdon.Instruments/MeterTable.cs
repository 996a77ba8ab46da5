using System.Globalization;
using CsvHelper;
using CsvHelper.Configuration;
using Rhabdon.Core;

namespace Rhabdon.Instruments;

/// <summary>A meter's table as text: comma, semicolon or tab between the columns, headings in the first row.</summary>
public static class MeterTable
{
    private const int MostRows = 5000;

    /// <exception cref="RefusedException">It is empty, too long or cannot be read.</exception>
    public static (List<string> Headings, List<(int Row, string[] Cells)> Rows) Read(string csv)
    {
        var first = csv.Split('\n')[0];
        var delimiter = new[] { "\t", ";", "," }.MaxBy(d => first.Split(d).Length)!;
        using var reader = new CsvReader(new StringReader(csv), new CsvConfiguration(CultureInfo.InvariantCulture) { Delimiter = delimiter, BadDataFound = null, MissingFieldFound = null, HasHeaderRecord = false });
        var (headings, rows) = (new List<string>(), new List<(int, string[])>());
        try
        {
            for (var row = 1; reader.Read(); row++)
            {
                var cells = reader.Parser.Record ?? [];
                if (row == 1)
                {
                    headings = [.. cells.Select(c => c.Trim().TrimStart('\uFEFF'))];
                }
                else if (cells.Any(c => c.Trim().Length > 0))
                {
                    rows.Add((row, cells));
                }

                if (rows.Count > MostRows)
                {
                    throw new RefusedException("csv-size", "csv", $"A table has at most {MostRows:N0} rows.");
                }
            }
        }
        catch (CsvHelperException e)
        {
            throw new RefusedException("csv-bad", "csv", $"The table cannot be read: {e.Message.Split('\n')[0]}");
        }

        return headings.Count > 0 && rows.Count > 0 ? (headings, rows) : throw new RefusedException("csv-empty", "csv", "The table needs a row of headings and at least one row below it.");
    }
}
