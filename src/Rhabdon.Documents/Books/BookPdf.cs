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
    private const int Window = 1 << 20, Overlap = 64, TrailerMost = 4096;

    /// <param name="to">A file that can be read again: what is written is settled afterwards, in its place.</param>
    /// <param name="progress">Told how much of it is drawn, 0 to 1.</param>
    public static void Write(Book book, FileStream to, Action<double>? progress = null, CancellationToken cancel = default)
    {
        Draw(book, to, progress, cancel);
        to.Flush();
        Settle(to);
        to.Position = 0;
    }

    /// <summary>Apart, so that what was drawn is let go before what comes next.</summary>
    private static void Draw(Book book, FileStream to, Action<double>? progress, CancellationToken cancel)
    {
        Printed.Fonts();
        // Laid out twice: first for the number of pages, then each page is drawn and let go as soon as it is full.
        var (count, drawn) = (0, 0);
        Layout.Of(book, _ =>
        {
            cancel.ThrowIfCancellationRequested();
            count++;
        });
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
        Layout.Of(book, page =>
        {
            cancel.ThrowIfCancellationRequested();
            var sheet = document.AddPage();
            (sheet.Width, sheet.Height) = (XUnit.FromPoint(Layout.PageWidth), XUnit.FromPoint(Layout.PageHeight));
            var on = XGraphics.FromPdfPage(sheet);
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
            var number = book.NumberOf.Replace("{page}", (++drawn).ToString(CultureInfo.InvariantCulture), StringComparison.Ordinal).Replace("{of}", count.ToString(CultureInfo.InvariantCulture), StringComparison.Ordinal);
            on.DrawString(small.Wrapped(book.Foot, Layout.Width - 80)[0], small.Font, Ink.Brush(Tone.Faint), Layout.Margin, Layout.FootAt);
            on.DrawString(number, small.Font, Ink.Brush(Tone.Faint), Layout.Margin + Layout.Width - small.Width(number), Layout.FootAt);
            tags.End();
            on.Dispose();
            // Small at once, and not all together at the end.
            foreach (var content in sheet.Contents)
            {
                content.Stream?.Zip();
            }

            progress?.Invoke((double)drawn / count);
        });

        tags.End();
        progress?.Invoke(1);
        document.Save(new Paced(to, () => progress?.Invoke(1)), closeStream: false);
    }

    /// <summary>A file on whose way something is told, every few megabytes.</summary>
    private sealed class Paced(FileStream to, Action told) : Stream
    {
        private const int Each = 4 << 20;

        private int _since;

        public override bool CanRead => false;

        public override bool CanSeek => true;

        public override bool CanWrite => true;

        public override long Length => to.Length;

        public override long Position
        {
            get => to.Position;
            set => to.Position = value;
        }

        public override void Flush() => to.Flush();

        public override int Read(byte[] buffer, int offset, int count) => throw new NotSupportedException();

        public override long Seek(long offset, SeekOrigin origin) => to.Seek(offset, origin);

        public override void SetLength(long value) => to.SetLength(value);

        public override void Write(byte[] buffer, int offset, int count)
        {
            to.Write(buffer, offset, count);
            _since += count;
            if (_since >= Each)
            {
                _since = 0;
                told();
            }
        }
    }

    /// <summary>What the library draws by lot is made to follow from the rest of the file: ids and the prefixes of fonts. Nothing changes its length, so every place in it stays.</summary>
    private static void Settle(FileStream file)
    {
        var buffer = new byte[Window + (2 * Overlap)];
        for (long at = 0; at < file.Length; at += Window)
        {
            Change(file, Math.Max(0, at - Overlap), buffer, Plain);
        }

        // The two ids of the file stand in its trailer, in hexadecimal; what has no ids yet is what they follow from.
        var trailer = new byte[(int)Math.Min(TrailerMost, file.Length)];
        Change(file, file.Length - trailer.Length, trailer, end => Hexadecimal(Ids(end), default));
        file.Position = 0;
        var hash = Encoding.ASCII.GetBytes(Convert.ToHexString(SHA256.HashData(file)));
        Change(file, file.Length - trailer.Length, trailer, end => Hexadecimal(Ids(end), hash));
    }

    private static Span<byte> Ids(Span<byte> end) => end.LastIndexOf("/ID"u8) is >= 0 and var at ? end[at..] : [];

    private static void Change(FileStream file, long from, byte[] buffer, Act act)
    {
        file.Position = from;
        var part = buffer.AsSpan(0, file.ReadAtLeast(buffer, buffer.Length, throwOnEndOfStream: false));
        act(part);
        file.Position = from;
        file.Write(part);
    }

    private static void Plain(Span<byte> part)
    {
        Each(part, "+DejaVu"u8, (all, at) =>
        {
            if (at > 6 && all[at - 7] == '/' && !all[(at - 6)..at].ContainsAnyExceptInRange((byte)'A', (byte)'Z'))
            {
                all[(at - 6)..at].Fill((byte)'A');
            }
        });
        Each(part, "uuid:"u8, (all, at) =>
        {
            const int Letters = 36;
            var id = all.Slice(at + 5, Math.Min(Letters, all.Length - at - 5));
            if (id.Length == Letters && System.Buffers.Text.Utf8Parser.TryParse(id, out Guid _, out var read) && read == Letters)
            {
                Encoding.ASCII.GetBytes(Guid.Empty.ToString()).CopyTo(id);
            }
        });
    }

    private delegate void Act(Span<byte> part);

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
