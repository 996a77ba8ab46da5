using System.Globalization;
using PdfSharp.Drawing;
using PdfSharp.Fonts;
using PdfSharp.Pdf;

namespace Rhabdon.Documents;

/// <summary>Pages to print: A4 upright, its own embedded font, page numbers, a bookmark for each table.</summary>
public static class Printed
{
    private const double Margin = 42, Line = 15, Pad = 4;

    private static readonly Lock Once = new();

    public static byte[] Pdf(Paper paper, DateTimeOffset madeAt)
    {
        Fonts();
        using var document = new PdfDocument();
        document.Info.Title = paper.Title;
        document.Info.Creator = "Rhabdon";
        document.Info.CreationDate = madeAt.UtcDateTime;
        new Writer(document).Write(paper);
        using var to = new MemoryStream();
        document.Save(to);
        return to.ToArray();
    }

    internal const string FontName = ShippedFonts.Name;

    /// <summary>The library asks for fonts where it is told once for all.</summary>
    internal static void Fonts()
    {
        lock (Once)
        {
            GlobalFontSettings.FontResolver ??= new ShippedFonts();
        }
    }

    private sealed class Writer(PdfDocument document)
    {
        private readonly XFont _body = new(ShippedFonts.Name, 9), _bold = new(ShippedFonts.Name, 9, XFontStyleEx.Bold), _large = new(ShippedFonts.Name, 17, XFontStyleEx.Bold), _head = new(ShippedFonts.Name, 12, XFontStyleEx.Bold);
        private readonly List<XGraphics> _pages = [];
        private XGraphics _page = null!;
        private double _y, _width, _bottom;

        public void Write(Paper paper)
        {
            Turn();
            Text(paper.Title, _large, 24);
            foreach (var line in paper.Lines)
            {
                Text(line, _body, Line);
            }

            foreach (var table in paper.Tables.Where(t => t.Rows.Count > 0))
            {
                Table(table);
            }

            if (paper.Pictures is { Of.Count: > 0 } pictures)
            {
                Pictures(pictures.Title, pictures.Of);
            }

            foreach (var (i, page) in _pages.Index())
            {
                page.DrawString(paper.Foot, _body, XBrushes.DimGray, new XRect(Margin, _bottom + 12, _width - 60, Line), XStringFormats.TopLeft);
                page.DrawString(string.Create(CultureInfo.InvariantCulture, $"{i + 1} / {_pages.Count}"), _body, XBrushes.DimGray, new XRect(Margin, _bottom + 12, _width, Line), XStringFormats.TopRight);
                page.Dispose();
            }
        }

        private void Turn()
        {
            var page = document.AddPage();
            page.Size = PdfSharp.PageSize.A4;
            _page = XGraphics.FromPdfPage(page);
            _pages.Add(_page);
            (_y, _width, _bottom) = (Margin, page.Width.Point - (2 * Margin), page.Height.Point - Margin - 24);
        }

        private void Text(string text, XFont font, double height)
        {
            foreach (var line in Wrapped(text, font, _width))
            {
                Room(height);
                _page.DrawString(line, font, XBrushes.Black, new XRect(Margin, _y, _width, height), XStringFormats.TopLeft);
                _y += height;
            }
        }

        private void Room(double height)
        {
            if (_y + height > _bottom)
            {
                Turn();
            }
        }

        private void Table(PaperTable table)
        {
            _y += 12;
            Room(Line * 4);
            document.Outlines.Add(table.Title, document.Pages[^1], opened: true);
            Text(table.Title, _head, 20);
            var box = table.Ticked ? 18.0 : 0;
            var widths = table.Columns.Select(c => c.Share / table.Columns.Sum(x => x.Share) * (_width - box)).ToList();
            Row([.. table.Columns.Select(c => (object?)c.Title)], _bold, false);
            foreach (var row in table.Rows)
            {
                Row(row, _body, table.Ticked);
            }

            void Row(IReadOnlyList<object?> cells, XFont font, bool tick)
            {
                var lines = cells.Select((c, i) => Wrapped(Shown(c), font, widths[i] - (2 * Pad)).ToList()).ToList();
                var height = (lines.Max(l => l.Count) * 12) + (2 * Pad);
                var turned = _pages.Count;
                Room(height);
                if (turned != _pages.Count && font != _bold)
                {
                    Row([.. table.Columns.Select(c => (object?)c.Title)], _bold, false);
                }

                if (tick)
                {
                    _page.DrawRectangle(new XPen(XColors.Black, 0.8), Margin + 1, _y + Pad, 10, 10);
                }

                var x = Margin + box;
                foreach (var (i, cell) in lines.Index())
                {
                    foreach (var (n, line) in cell.Index())
                    {
                        _page.DrawString(line, font, XBrushes.Black, new XRect(x + Pad, _y + Pad + (n * 12), widths[i] - (2 * Pad), 12), table.Columns[i].Right ? XStringFormats.TopRight : XStringFormats.TopLeft);
                    }

                    x += widths[i];
                }

                _y += height;
                _page.DrawLine(new XPen(XColors.LightGray, 0.5), Margin, _y, Margin + _width, _y);
            }
        }

        /// <summary>Two beside each other, each whole, with what it shows below.</summary>
        private void Pictures(string title, IReadOnlyList<PaperPicture> pictures)
        {
            const double Height = 180;
            _y += 12;
            Room(20 + Height + (2 * Line));
            document.Outlines.Add(title, document.Pages[^1], opened: true);
            Text(title, _head, 20);
            var width = (_width - Line) / 2;
            foreach (var pair in pictures.Chunk(2))
            {
                Room(Height + (2 * Line));
                foreach (var (i, picture) in pair.Index())
                {
                    using var image = XImage.FromStream(new MemoryStream(picture.Bytes));
                    var scale = Math.Min(width / image.PixelWidth, Height / image.PixelHeight);
                    var x = Margin + (i * (width + Line));
                    _page.DrawImage(image, x, _y, image.PixelWidth * scale, image.PixelHeight * scale);
                    _page.DrawString(Wrapped(picture.Caption, _body, width).First(), _body, XBrushes.Black, new XRect(x, _y + Height + 2, width, Line), XStringFormats.TopLeft);
                }

                _y += Height + (2 * Line);
            }
        }

        private static string Shown(object? cell) => cell is double n ? n.ToString("0.##", CultureInfo.InvariantCulture) : cell as string ?? "";

        /// <summary>Lines that fit; a word that is too long is broken.</summary>
        private IEnumerable<string> Wrapped(string text, XFont font, double width)
        {
            var line = "";
            foreach (var word in text.Split(' ').SelectMany(w => Broken(w, font, width)))
            {
                var longer = line.Length == 0 ? word : line + " " + word;
                if (line.Length > 0 && _page.MeasureString(longer, font).Width > width)
                {
                    yield return line;
                    longer = word;
                }

                line = longer;
            }

            yield return line;
        }

        private IEnumerable<string> Broken(string word, XFont font, double width)
        {
            while (word.Length > 1 && _page.MeasureString(word, font).Width > width)
            {
                var fits = Enumerable.Range(1, word.Length).LastOrDefault(n => _page.MeasureString(word[..n], font).Width <= width, 1);
                yield return word[..fits];
                word = word[fits..];
            }

            yield return word;
        }
    }

    /// <summary>The font goes along with the program: what a machine happens to have is not asked.</summary>
    private sealed class ShippedFonts : IFontResolver
    {
        public const string Name = "Shipped";

        public FontResolverInfo ResolveTypeface(string familyName, bool bold, bool italic) => new(bold ? "DejaVuSans-Bold" : "DejaVuSans");

        public byte[] GetFont(string faceName)
        {
            using var from = typeof(ShippedFonts).Assembly.GetManifestResourceStream($"Rhabdon.Documents.Fonts.{faceName}.ttf")!;
            using var to = new MemoryStream();
            from.CopyTo(to);
            return to.ToArray();
        }
    }
}
