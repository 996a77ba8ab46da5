using System.Globalization;
using System.Security.Cryptography;
using System.Text;
using System.Text.RegularExpressions;
using PdfSharp.Drawing;
using PdfSharp.Pdf;
using PdfSharp.UniversalAccessibility;

namespace Rhabdon.Documents.Books;

/// <summary>A book as PDF: tagged for those who listen, with bookmarks, page numbers and its own fonts. The same book gives the same bytes.</summary>
public static partial class BookPdf
{
    /// <param name="progress">Told how much of it is drawn, 0 to 1.</param>
    public static byte[] Of(Book book, Action<double>? progress = null, CancellationToken cancel = default)
    {
        Printed.Fonts();
        var pages = new Layout(book).Pages;
        using var document = new PdfDocument();
        document.Info.Title = book.Title;
        document.Info.Subject = book.Subject;
        document.Info.Author = book.Author;
        document.Info.Keywords = book.Keywords;
        document.Info.Creator = "Rhabdon";
        document.Info.CreationDate = document.Info.ModificationDate = book.Date.UtcDateTime;
        document.Language = book.Language;
        document.ViewerPreferences.DisplayDocTitle = true;
        document.PageMode = PdfPageMode.UseOutlines;
        document.Options.CompressContentStreams = true;
        document.Options.FlateEncodeMode = PdfFlateEncodeMode.Default;
        var tags = UAManager.ForDocument(document).StructureBuilder;
        PdfOutline? chapter = null;
        var small = new Type(7.5);
        tags.BeginElement(PdfGroupingElementTag.Document);
        foreach (var (i, page) in pages.Index())
        {
            cancel.ThrowIfCancellationRequested();
            var sheet = document.AddPage();
            (sheet.Width, sheet.Height) = (XUnit.FromPoint(Layout.PageWidth), XUnit.FromPoint(Layout.PageHeight));
            using var on = XGraphics.FromPdfPage(sheet);
            foreach (var (title, level) in page.Bookmarks)
            {
                if (level == 1 || chapter is null)
                {
                    chapter = document.Outlines.Add(title, sheet, opened: false);
                }
                else
                {
                    chapter.Outlines.Add(title, sheet, opened: false);
                }
            }

            page.Render(on, tags);
            tags.BeginArtifact();
            var number = book.NumberOf.Replace("{page}", (i + 1).ToString(CultureInfo.InvariantCulture), StringComparison.Ordinal).Replace("{of}", pages.Count.ToString(CultureInfo.InvariantCulture), StringComparison.Ordinal);
            on.DrawString(small.Wrapped(book.Foot, Layout.Width - 80)[0], small.Font, Ink.Brush(Tone.Faint), Layout.Margin, Layout.FootAt);
            on.DrawString(number, small.Font, Ink.Brush(Tone.Faint), Layout.Margin + Layout.Width - small.Width(number), Layout.FootAt);
            tags.End();
            progress?.Invoke((i + 1.0) / pages.Count);
        }

        tags.End();
        using var to = new MemoryStream();
        document.Save(to);
        return Settled(to.ToArray());
    }

    /// <summary>What the library draws by lot is made to follow from the rest of the file: ids and the prefixes of fonts. Nothing changes its length, so every place in it stays.</summary>
    private static byte[] Settled(byte[] pdf)
    {
        // One byte is one letter.
        var text = Encoding.Latin1.GetString(pdf);
        var blank = Guids().Replace(Prefixes().Replace(Ids().Replace(text, m => m.Groups[1].Value + new string('0', m.Groups[2].Length) + m.Groups[3].Value), "AAAAAA+"), Guid.Empty.ToString());
        var hash = Convert.ToHexString(SHA256.HashData(Encoding.Latin1.GetBytes(blank)));
        return Encoding.Latin1.GetBytes(Ids().Replace(blank, m => m.Groups[1].Value + hash[..32][..Math.Min(32, m.Groups[2].Length)].PadRight(m.Groups[2].Length, '0') + m.Groups[3].Value));
    }

    [GeneratedRegex("(?<=/)[A-Z]{6}\\+(?=DejaVu)")]
    private static partial Regex Prefixes();

    [GeneratedRegex("(?<=/ID ?\\[.{0,80})(<)([0-9A-Fa-f]+)(>)", RegexOptions.Singleline)]
    private static partial Regex Ids();

    [GeneratedRegex("(?<=uuid:)[0-9a-fA-F]{8}(-[0-9a-fA-F]{4}){3}-[0-9a-fA-F]{12}")]
    private static partial Regex Guids();
}
