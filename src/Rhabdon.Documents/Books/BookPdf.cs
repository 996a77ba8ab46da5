using System.Globalization;
using System.Security.Cryptography;
using System.Text;
using PdfSharp.Drawing;
using PdfSharp.Pdf;
using PdfSharp.UniversalAccessibility;

namespace Rhabdon.Documents.Books;

/// <summary>A book as PDF: tagged for those who listen, with bookmarks, page numbers and its own fonts. The same book gives the same bytes.</summary>
public static class BookPdf
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
        document.Save(to, closeStream: false);
        var pdf = to.ToArray();
        Settle(pdf);
        return pdf;
    }

    /// <summary>What the library draws by lot is made to follow from the rest of the file: ids and the prefixes of fonts. Nothing changes its length, so every place in it stays.</summary>
    private static void Settle(Span<byte> pdf)
    {
        Each(pdf, "+DejaVu"u8, (all, at) =>
        {
            if (at > 6 && all[at - 7] == '/' && !all[(at - 6)..at].ContainsAnyExceptInRange((byte)'A', (byte)'Z'))
            {
                all[(at - 6)..at].Fill((byte)'A');
            }
        });
        Each(pdf, "uuid:"u8, (all, at) =>
        {
            const int Letters = 36;
            var id = all.Slice(at + 5, Math.Min(Letters, all.Length - at - 5));
            if (id.Length == Letters && System.Buffers.Text.Utf8Parser.TryParse(id, out Guid _, out var read) && read == Letters)
            {
                Encoding.ASCII.GetBytes(Guid.Empty.ToString()).CopyTo(id);
            }
        });
        // The two ids of the file stand in its trailer, in hexadecimal; what has no ids yet is what they follow from.
        var trailer = pdf.LastIndexOf("/ID"u8);
        var ids = trailer < 0 ? [] : pdf[trailer..];
        Hexadecimal(ids, default);
        var hash = Convert.ToHexString(SHA256.HashData(pdf));
        Hexadecimal(ids, Encoding.ASCII.GetBytes(hash));
    }

    private delegate void At(Span<byte> all, int at);

    private static void Each(Span<byte> all, ReadOnlySpan<byte> what, At act)
    {
        for (var from = 0; all[from..].IndexOf(what) is >= 0 and var found; from += found + what.Length)
        {
            act(all, from + found);
        }
    }

    /// <summary>Writes over the figures between &lt; and &gt;; zeros where nothing is given.</summary>
    private static void Hexadecimal(Span<byte> trailer, ReadOnlySpan<byte> with)
    {
        var n = 0;
        var inside = false;
        foreach (ref var letter in trailer)
        {
            switch (letter)
            {
                case (byte)']':
                    return;
                case (byte)'<':
                    (inside, n) = (true, 0);
                    break;
                case (byte)'>':
                    inside = false;
                    break;
                case var _ when inside:
                    letter = with.IsEmpty ? (byte)'0' : with[n++ % with.Length];
                    break;
            }
        }
    }
}
