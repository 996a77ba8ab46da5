using System.Globalization;
using System.IO.Compression;
using System.Text.RegularExpressions;
using CsvHelper;
using CsvHelper.Configuration;
using MiniExcelLibs;
using MiniExcelLibs.OpenXml;

namespace Rhabdon.Documents;

/// <summary>Tables for other programs. A cell that begins like a formula is text.</summary>
public static partial class Tables
{
    /// <summary>What a table program would take for a formula.</summary>
    private static readonly char[] Formula = ['=', '+', '-', '@', '\t', '\r'];

    /// <summary>All tables of a paper below each other, each with its title and its columns.</summary>
    public static byte[] Csv(Paper paper)
    {
        using var to = new MemoryStream();
        using (var text = new StreamWriter(to, new System.Text.UTF8Encoding(encoderShouldEmitUTF8Identifier: true)))
        using (var csv = new CsvWriter(text, new CsvConfiguration(CultureInfo.InvariantCulture) { NewLine = "\r\n" }))
        {
            foreach (var (i, table) in paper.Tables.Index())
            {
                if (i > 0)
                {
                    csv.NextRecord();
                }

                if (paper.Tables.Count > 1)
                {
                    csv.WriteField(Plain(table.Title));
                    csv.NextRecord();
                }

                foreach (var column in table.Columns)
                {
                    csv.WriteField(column.Title);
                }

                csv.NextRecord();
                foreach (var row in table.Rows)
                {
                    foreach (var cell in row)
                    {
                        csv.WriteField(cell is double n ? n.ToString(CultureInfo.InvariantCulture) : Plain(cell as string));
                    }

                    csv.NextRecord();
                }
            }
        }

        return to.ToArray();
    }

    /// <summary>One sheet for each table.</summary>
    public static byte[] Xlsx(Paper paper)
    {
        var sheets = new Dictionary<string, object>();
        foreach (var table in paper.Tables)
        {
            sheets[SheetName(table.Title, sheets.Keys)] = table.Rows.Select(row => table.Columns.Index().ToDictionary(c => c.Item.Title, c => row[c.Index] is string s ? Plain(s) : row[c.Index])).ToList();
        }

        using var to = new MemoryStream();
        to.SaveAs(sheets, configuration: new OpenXmlConfiguration { AutoFilter = false, FastMode = false });
        return Settled(to.ToArray());
    }

    /// <summary>What the library draws by lot is numbered, and its times are left out: the same tables give the same bytes.</summary>
    private static byte[] Settled(byte[] xlsx)
    {
        var numbers = new Dictionary<string, string>();
        using var to = new MemoryStream();
        using (var from = new ZipArchive(new MemoryStream(xlsx), ZipArchiveMode.Read))
        using (var zip = new ZipArchive(to, ZipArchiveMode.Create, leaveOpen: true))
        {
            foreach (var entry in from.Entries)
            {
                using var read = new StreamReader(entry.Open());
                var text = Lots().Replace(read.ReadToEnd(), m => numbers.TryGetValue(m.Value, out var known) ? known : numbers[m.Value] = $"id{numbers.Count + 1}");
                var made = zip.CreateEntry(entry.FullName, CompressionLevel.Optimal);
                made.LastWriteTime = new DateTimeOffset(1980, 1, 1, 0, 0, 0, TimeSpan.Zero);
                using var write = new StreamWriter(made.Open(), new System.Text.UTF8Encoding(false));
                write.Write(text);
            }
        }

        return to.ToArray();
    }

    [GeneratedRegex("\\bR?[0-9a-f]{32}\\b")]
    private static partial Regex Lots();

    private static string? Plain(string? text) => text is { Length: > 0 } && Formula.Contains(text[0]) ? "'" + text : text;

    private static string SheetName(string title, IEnumerable<string> taken)
    {
        var clean = new string([.. title.Where(c => !"[]:*?/\\'".Contains(c))]) is { Length: > 0 } kept ? kept : "Sheet";
        clean = clean[..Math.Min(31, clean.Length)];
        return taken.Contains(clean) ? $"{clean[..Math.Min(28, clean.Length)]} {taken.Count() + 1}" : clean;
    }
}
