using System.Globalization;
using PdfSharp.Drawing;

namespace Rhabdon.Documents.Books;

internal sealed partial class Layout
{
    private void Draw(Bars bars)
    {
        const double Row = 20, Name = 150, Said = 110;
        Room(Math.Min(bars.Rows.Count, 8) * Row);
        foreach (var bar in bars.Rows)
        {
            Room(Row);
            var (y, room) = (_y, Width - Name - Said);
            _page.Ornament(g =>
            {
                g.DrawRectangle(new XPen(Ink.Rule, 0.6), new XSolidBrush(Ink.Band), Margin + Name, y + 3, room, 10);
                g.DrawRectangle(new XSolidBrush(bar.Done == bar.Of ? Ink.Good : Ink.Accent), Margin + Name, y + 3, bar.Of == 0 ? 0 : room * bar.Done / bar.Of, 10);
            });
            _page.Begin(Role.Paragraph);
            Line(_body.Wrapped(bar.Name, Name - 8)[0], _body, Ink.Brush(Tone.Plain), Margin, y);
            Line(bar.Said, _body, Ink.Brush(Tone.Plain), Margin + Width - Said + 10, y);
            _page.End();
            _y += Row;
        }

        _y += 6;
    }

    private void Draw(Strips strips)
    {
        const double Gap = 18, Dot = 3.4, MostTall = 60, LeastTall = 26;
        var side = (Width - Gap) / 2;
        foreach (var pair in strips.All.Chunk(2))
        {
            var most = pair.Max(s => Bins(s, side, Dot).Counts.Max());
            var tall = Math.Clamp((most * Dot) + 8, LeastTall, MostTall);
            var texts = pair.Select(s => _small.Wrapped(s.Text, side)).ToList();
            var head = _bodyBold.Line + (texts.Max(t => t.Count) * _small.Line) + 3;
            Room(head + tall + 22);
            foreach (var (i, strip) in pair.Index())
            {
                var left = Margin + (i * (side + Gap));
                _page.Begin(Role.Paragraph);
                Line(strip.Title, _bodyBold, Ink.Brush(Tone.Plain), left, _y);
                foreach (var (n, line) in texts[i].Index())
                {
                    Line(line, _small, Ink.Brush(Tone.Faint), left, _y + _bodyBold.Line + (n * _small.Line));
                }

                _page.End();
                Draw(strip, left, _y + head, side, tall, Dot);
            }

            _y += head + tall + 22;
        }
    }

    private static (int[] Counts, double Most) Bins(Strip strip, double width, double dot)
    {
        var most = Math.Max(1.1, strip.Shares.DefaultIfEmpty(0).Max() * 1.03);
        var counts = new int[(int)(width / dot) + 1];
        foreach (var share in strip.Shares)
        {
            counts[(int)(Math.Clamp(share / most, 0, 1) * (counts.Length - 1))]++;
        }

        return (counts, most);
    }

    private void Draw(Strip strip, double left, double top, double width, double tall, double dot)
    {
        var (counts, most) = Bins(strip, width, dot);
        // A dot for each reading as long as they fit above each other; a column of that height where they do not.
        var step = Math.Min(dot, (tall - 4) / Math.Max(1, counts.Max()));
        _page.Begin(Role.Figure, strip.Alt, new(left, top, width, tall + 14));
        _page.Draw(g =>
        {
            var foot = top + tall;
            var limit = left + (width / most);
            g.DrawRectangle(new XSolidBrush(Ink.Band), left, top, limit - left, tall);
            g.DrawLine(new XPen(Ink.Edge, 0.6), left, foot, left + width, foot);
            g.DrawLine(new XPen(Ink.Bad, 1.2), limit, top - 2, limit, foot + 3);
            foreach (var (bin, count) in counts.Index().Where(c => c.Item > 0))
            {
                var x = left + (bin * dot) + (dot / 2);
                var brush = new XSolidBrush(bin * dot / width * most > 1 ? Ink.Bad : Ink.Accent);
                if (step < dot)
                {
                    g.DrawRectangle(brush, x - (dot * 0.4), foot - (count * step), dot * 0.8, count * step);
                    continue;
                }

                for (var n = 0; n < count; n++)
                {
                    g.DrawEllipse(brush, x - (dot * 0.42), foot - ((n + 1) * dot), dot * 0.84, dot * 0.84);
                }
            }

            g.DrawString(strip.ZeroWord, _small.Font, Ink.Brush(Tone.Faint), left, foot + 10);
            g.DrawString(strip.LimitWord, _small.Font, Ink.Brush(Tone.Bad), Math.Min(limit - (_small.Width(strip.LimitWord) / 2), left + width - _small.Width(strip.LimitWord)), foot + 10);
        });
        _page.End();
    }

    private void Draw(LoomPicture loom)
    {
        const int PerRow = 48;
        const double Tall = 58, Foot = 12, Head = 9;
        foreach (var row in loom.Threads.Chunk(PerRow))
        {
            Room(Tall + Head + Foot + 8);
            var (top, step) = (_y + Head, Math.Min(22, Width / row.Length));
            var line = Math.Clamp(step * 0.3, 1.2, 4.5);
            _page.Begin(Role.Figure, loom.Alt, new(Margin, _y, Width, Tall + Head + Foot));
            _page.Draw(g =>
            {
                for (var band = 0; band < 9; band += 2)
                {
                    g.DrawRectangle(new XSolidBrush(Ink.Band), Margin, top + (Tall * band / 9), step * row.Length, Tall / 9);
                }

                foreach (var (i, thread) in row.Index())
                {
                    var x = Margin + (step * (i + 0.5));
                    g.DrawLine(new XPen(Ink.Rule, 0.7), x, top, x, top + Tall);
                    if (thread.Reached > 0)
                    {
                        Ink.Strand(g, thread.Paint, thread.Tracer, x, top, top + (Tall * thread.Reached), line);
                    }

                    for (var n = 0; n < Math.Min(3, thread.Loops); n++)
                    {
                        var at = top + (Tall * (0.35 + (0.16 * n)));
                        g.DrawBezier(new XPen(Ink.Doubt, 0.9), x, at + 9, x - (step * 0.55), at + 11, x - (step * 0.55), at - 2, x, at);
                    }

                    Ink.Shape(g, thread.Shape, x, top + Tall + (Foot / 2), Math.Min(4.2, step * 0.36));
                    if (step >= 12 || i % 6 == 0)
                    {
                        g.DrawString(thread.Number, _small.Font, Ink.Brush(Tone.Faint), x - (_small.Width(thread.Number) / 2), top - 2);
                    }
                }
            });
            _page.End();
            _y = top + Tall + Foot + 8;
        }
    }

    private void Draw(PictureRows pictures)
    {
        const double Gap = 10;
        var side = (Width - (Gap * (pictures.Across - 1))) / pictures.Across;
        foreach (var row in pictures.Cells.Chunk(pictures.Across))
        {
            var notes = row.Select(c => _small.Wrapped(c.Note, side)).ToList();
            var tall = side + 4 + _smallBold.Line + (notes.Max(n => n.Count) * _small.Line) + 8;
            Room(tall);
            foreach (var (i, cell) in row.Index())
            {
                var (x, y) = (Margin + (i * (side + Gap)), _y);
                _page.Begin(Role.Figure, $"{cell.Caption}. {cell.Note}", new(x, y, side, side));
                _page.Draw(g => Picture(g, cell, x, y, side));
                _page.End();
                _page.Begin(Role.Paragraph);
                if (cell.Mark is { } mark)
                {
                    _page.Draw(g => Ink.Shape(g, mark.Shape, x + 4, y + side + 4 + (_smallBold.Line / 2), 3.6));
                }

                Line(cell.Caption, _smallBold, Ink.Brush(Tone.Plain), x + (cell.Mark is null ? 0 : 11), y + side + 4);
                foreach (var (n, line) in notes[i].Index())
                {
                    Line(line, _small, Ink.Brush(Tone.Faint), x, y + side + 4 + _smallBold.Line + (n * _small.Line));
                }

                _page.End();
            }

            _y += tall;
        }
    }

    private void Picture(XGraphics g, PictureCell cell, double x, double y, double side)
    {
        var bytes = cell.Read();
        if (bytes is null)
        {
            g.DrawRectangle(new XPen(Ink.Rule, 0.6), new XSolidBrush(Ink.Band), x, y, side, side);
            g.DrawString(cell.Missing, _small.Font, Ink.Brush(Tone.Faint), new XRect(x, y, side, side), XStringFormats.Center);
            return;
        }

        using var image = XImage.FromStream(new MemoryStream(bytes));
        var scale = Math.Min(side / image.PixelWidth, side / image.PixelHeight);
        var (w, h) = (image.PixelWidth * scale, image.PixelHeight * scale);
        g.DrawRectangle(new XSolidBrush(XColors.Black), x, y, side, side);
        g.DrawImage(image, x + ((side - w) / 2), y + ((side - h) / 2), w, h);
    }

    private void Draw(LineChart chart)
    {
        const double Tall = 86;
        Room(Tall + 40);
        Text(chart.Title, _smallBold, Ink.Brush(Tone.Plain), Role.Paragraph);
        var top = _y + 2;
        var (x0, x1, y0, y1) = (chart.X[0], Math.Max(chart.X[^1], chart.X[0] + 1e-9), chart.Y.Min(), Math.Max(chart.Y.Max(), chart.Y.Min() + 1e-9));
        double X(double x) => Margin + ((x - x0) / (x1 - x0) * Width);
        double Y(double y) => top + 4 + ((y1 - y) / (y1 - y0) * (Tall - 8));
        _page.Begin(Role.Figure, chart.Alt, new(Margin, top, Width, Tall));
        _page.Draw(g =>
        {
            g.DrawRectangle(new XPen(Ink.Rule, 0.6), new XSolidBrush(Ink.Band), Margin, top, Width, Tall);
            g.DrawLines(new XPen(Ink.Text, 0.7) { LineJoin = XLineJoin.Round }, [.. chart.X.Select((x, i) => new XPoint(X(x), Y(chart.Y[i])))]);
            if (chart.At is { } at)
            {
                g.DrawLine(new XPen(Ink.Accent, 1) { DashStyle = XDashStyle.Dash }, X(at), top, X(at), top + Tall);
                g.DrawString(chart.AtWord, _small.Font, new XSolidBrush(Ink.Accent), Math.Min(X(at) + 3, Margin + Width - _small.Width(chart.AtWord) - 3), top + 10);
            }

            var end = string.Create(CultureInfo.InvariantCulture, $"{x1:0.#} {chart.XUnit}");
            g.DrawString(string.Create(CultureInfo.InvariantCulture, $"{x0:0.#} {chart.XUnit}"), _small.Font, Ink.Brush(Tone.Faint), Margin, top + Tall + 9);
            g.DrawString(end, _small.Font, Ink.Brush(Tone.Faint), Margin + Width - _small.Width(end), top + Tall + 9);
            g.DrawString(string.Create(CultureInfo.InvariantCulture, $"{y1 - y0:0.#} {chart.YUnit} high"), _small.Font, Ink.Brush(Tone.Faint), Margin + (Width / 2) - 20, top + Tall + 9);
        });
        _page.End();
        _y = top + Tall + 16;
    }
}
