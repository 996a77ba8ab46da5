using System.Globalization;
using PdfSharp.Drawing;

namespace Rhabdon.Documents.Books;

/// <summary>Lays the pieces of a book onto pages, A4 upright.</summary>
internal sealed partial class Layout
{
    public const double PageWidth = 595.28, PageHeight = 841.89, Margin = 45, Width = PageWidth - (2 * Margin), FootAt = PageHeight - 36;

    private const double Bottom = PageHeight - 58, Pad = 3;

    private readonly Type _body = new(9.5), _small = new(7.5), _smallBold = new(7.5, bold: true), _bodyBold = new(9.5, bold: true), _large = new(13), _h1 = new(17, bold: true), _h2 = new(12, bold: true), _title = new(26, bold: true), _kind = new(10.5, bold: true);

    private readonly Action<Page> _full;

    private Page _page = new();
    private double _y = Margin;

    /// <param name="full">Given each page as soon as it is full.</param>
    public static void Of(Book book, Action<Page> full) => _ = new Layout(book, full);

    private Layout(Book book, Action<Page> full)
    {
        _full = full;
        Cover(book.Cover);
        Turn();
        foreach (var piece in book.Pieces)
        {
            switch (piece)
            {
                case Heading x:
                    Head(x);
                    break;
                case Prose x:
                    Text(x.Text, x.Large ? _large : _body, Ink.Brush(x.Tone), Role.Paragraph);
                    _y += x.Large ? 6 : 4;
                    break;
                case FactList x:
                    Facts(x.Facts, Margin, Width);
                    break;
                case BulletList x:
                    Bullets(x);
                    break;
                case Grid x:
                    Table(x);
                    break;
                case Bars x:
                    Draw(x);
                    break;
                case Strips x:
                    Draw(x);
                    break;
                case LoomPicture x:
                    Draw(x);
                    break;
                case PictureRows x:
                    Draw(x);
                    break;
                case LineChart x:
                    Draw(x);
                    break;
            }
        }

        full(_page);
    }

    private void Turn()
    {
        _full(_page);
        _page = new();
        _y = Margin;
    }

    private void Room(double height)
    {
        if (_y + height > Bottom && _y > Margin)
        {
            Turn();
        }
    }

    private void Cover(BookCover cover)
    {
        if (cover.Mark is { } mark)
        {
            _page.Begin(Role.Figure, cover.Company, new(Margin, Margin, 200, 70));
            _page.Draw(g =>
            {
                using var image = XImage.FromStream(new MemoryStream(mark));
                var scale = Math.Min(200.0 / image.PixelWidth, 70.0 / image.PixelHeight);
                g.DrawImage(image, Margin, Margin, image.PixelWidth * scale, image.PixelHeight * scale);
            });
            _page.End();
        }

        _y = 150;
        Text(cover.Company, _bodyBold, Ink.Brush(Tone.Plain), Role.Paragraph);
        _page.Ornament(g => g.DrawLine(new XPen(Ink.Accent, 2.5), Margin, 178, Margin + Width, 178));
        _y = 250;
        Text(cover.Kind, _kind, new XSolidBrush(Ink.Accent), Role.Paragraph);
        _y += 6;
        Text(cover.Title, _title, Ink.Brush(Tone.Plain), Role.Heading1);
        Text(cover.Subtitle, _large, Ink.Brush(Tone.Faint), Role.Paragraph);
        _y += 30;
        Facts(cover.Facts, Margin, Width);
        if (cover.Code is { } code)
        {
            const double Side = 92;
            var top = PageHeight - 190;
            _page.Begin(Role.Figure, code.Alt, new(Margin, top, Side, Side));
            _page.Draw(g => Codes.Draw(g, code.Content, Margin, top, Side));
            _page.End();
            _y = top;
            Column(code.Title, _bodyBold, Ink.Brush(Tone.Plain), Margin + Side + 14, Width - Side - 14);
            Column(code.Text, _body, Ink.Brush(Tone.Faint), Margin + Side + 14, Width - Side - 14);
        }
    }

    private void Head(Heading h)
    {
        if (h.OnNewPage && _y > Margin)
        {
            Turn();
        }

        _y += _y > Margin ? (h.Level == 1 ? 16 : 10) : 0;
        Room(h.Level == 1 ? 110 : 80);
        _page.Bookmarks.Add((h.Text, h.Level));
        Text(h.Text, h.Level == 1 ? _h1 : _h2, Ink.Brush(Tone.Plain), h.Level == 1 ? Role.Heading1 : Role.Heading2);
        _y += h.Level == 1 ? 6 : 3;
    }

    /// <summary>A paragraph, over as many pages as it takes.</summary>
    private void Text(string text, Type type, XBrush brush, Role role, double left = Margin, double width = Width)
    {
        var lines = type.Wrapped(text, width);
        Room(type.Line);
        _page.Begin(role);
        foreach (var line in lines)
        {
            if (_y + type.Line > Bottom)
            {
                _page.End();
                Turn();
                _page.Begin(role);
            }

            Line(line, type, brush, left, _y);
            _y += type.Line;
        }

        _page.End();
    }

    private void Column(string text, Type type, XBrush brush, double left, double width)
    {
        _page.Begin(Role.Paragraph);
        foreach (var line in type.Wrapped(text, width))
        {
            Line(line, type, brush, left, _y);
            _y += type.Line;
        }

        _page.End();
    }

    private void Line(string text, Type type, XBrush brush, double x, double y)
    {
        if (text.Length > 0)
        {
            _page.Draw(g => g.DrawString(text, type.Font, brush, x, y + (type.Line * 0.8)));
        }
    }

    private void Facts(IReadOnlyList<Fact> facts, double left, double width)
    {
        if (facts.Count == 0)
        {
            return;
        }

        var first = Math.Min(width * 0.4, facts.Max(f => _body.Width(f.Name)) + 14);
        foreach (var fact in facts)
        {
            var lines = _body.Wrapped(fact.Value, width - first);
            Room(lines.Count * _body.Line);
            _page.Begin(Role.Paragraph);
            Line(fact.Name, _body, Ink.Brush(Tone.Faint), left, _y);
            foreach (var line in lines)
            {
                Line(line, _body, Ink.Brush(Tone.Plain), left + first, _y);
                _y += _body.Line;
            }

            _page.End();
            _y += 2;
        }

        _y += 6;
    }

    private void Bullets(BulletList list)
    {
        foreach (var text in list.Lines)
        {
            Room(_body.Line);
            var at = _y + (_body.Line / 2);
            _page.Ornament(g => g.DrawEllipse(new XSolidBrush(Ink.Accent), Margin + 1, at - 1.5, 3, 3));
            Text(text, _body, Ink.Brush(Tone.Plain), Role.Paragraph, Margin + 12, Width - 12);
            _y += 2;
        }

        _y += 4;
    }

    private void Table(Grid table)
    {
        if (table.Rows.Count == 0)
        {
            return;
        }

        var widths = Widths(table);
        var height = _small.Line;
        Room(height * 4);
        HeadRow();
        foreach (var row in table.Rows)
        {
            var cells = row.Select((c, i) => _small.Wrapped(Shown(c), widths[i] - (2 * Pad) - Before(c))).ToList();
            var tall = (cells.Max(c => c.Count) * height) + (2 * Pad);
            if (_y + tall > Bottom)
            {
                _page.End();
                Turn();
                HeadRow();
            }

            Row(cells, row, tall, Role.Cell, _small);
            var under = _y;
            _page.Ornament(g => g.DrawLine(new XPen(Ink.Rule, 0.4), Margin, under, Margin + Width, under));
        }

        _page.End();
        _y += 10;

        void HeadRow()
        {
            var heads = table.Columns.Select((c, i) => _smallBold.Wrapped(c.Title, widths[i] - (2 * Pad))).ToList();
            var tall = (heads.Max(h => h.Count) * height) + (2 * Pad);
            var top = _y;
            _page.Ornament(g => g.DrawRectangle(new XSolidBrush(Ink.Band), Margin, top, Width, tall));
            _page.Begin(Role.Table);
            Row(heads, [.. heads.Select(_ => (object?)null)], tall, Role.HeadCell, _smallBold);
        }

        void Row(IReadOnlyList<IReadOnlyList<string>> cells, IReadOnlyList<object?> row, double tall, Role role, Type type)
        {
            _page.Begin(Role.Row);
            var x = Margin;
            foreach (var (i, lines) in cells.Index())
            {
                _page.Begin(role);
                var (left, y, cell) = (x, _y, row[i]);
                switch (cell)
                {
                    case Mark { Shape: not MarkShape.None } m:
                        _page.Draw(g => Ink.Shape(g, m.Shape, left + Pad + 4, y + Pad + (height / 2), 3.6));
                        break;
                    case StrandMark t:
                        _page.Draw(g => Ink.Strand(g, t.Paint, t.Tracer, left + Pad + 3, y + Pad + 0.5, y + Pad + height - 0.5, 3));
                        break;
                }

                foreach (var (n, line) in lines.Index())
                {
                    var at = table.Columns[i].Right ? left + widths[i] - Pad - type.Width(line) : left + Pad + Before(cell);
                    Line(line, type, Ink.Brush(Tone.Plain), at, y + Pad + (n * height));
                }

                _page.End();
                x += widths[i];
            }

            _page.End();
            _y += tall;
        }
    }

    /// <summary>What each column needs to stand on one line; where that is too much together, the wide ones give in. A word of a title is never parted.</summary>
    private IReadOnlyList<double> Widths(Grid table)
    {
        var need = table.Columns.Select((c, i) => Math.Max(_smallBold.Width(c.Title), table.Rows.Max(r => _small.Width(Shown(r[i])) + Before(r[i]))) + (2 * Pad) + 1).ToList();
        var least = table.Columns.Select(c => c.Title.Split(' ').Max(w => _smallBold.Width(w)) + (2 * Pad) + 1).ToList();
        if (need.Sum() <= Width)
        {
            // What is left over goes to all alike, so that a table is as wide as its page.
            var more = (Width - need.Sum()) / need.Count;
            return [.. need.Select(n => n + more)];
        }

        // The most that any column may have, so that all fit.
        var (low, high) = (0.0, Width);
        for (var i = 0; i < 30; i++)
        {
            var most = (low + high) / 2;
            (low, high) = need.Zip(least, (n, l) => Math.Max(l, Math.Min(n, most))).Sum() > Width ? (low, most) : (most, high);
        }

        return [.. need.Zip(least, (n, l) => Math.Max(l, Math.Min(n, low)))];
    }

    private static double Before(object? cell) => cell is Mark { Shape: not MarkShape.None } or StrandMark ? 11 : 0;

    private static string Shown(object? cell) => cell switch
    {
        double n => n.ToString("0.##", CultureInfo.InvariantCulture),
        Mark m => m.Word,
        StrandMark t => t.Word,
        _ => cell as string ?? "",
    };
}
