using System.Globalization;
using Rhabdon.Documents.Books;

namespace Rhabdon.Documents.Labels;

/// <summary>What stands where on a page of labels; the PDF and the SVG draw the same.</summary>
internal static class LabelDrawing
{
    private const double Pad = 1.2, LeastTextMm = 1.5, MarkMm = 3.6;

    private static readonly Books.Type Regular = new(10), Bold = new(10, bold: true);

    public static IEnumerable<Stroke> Of(LabelPages pages, int page)
    {
        foreach (var box in pages.Pages[page])
        {
            if (pages.Outlined)
            {
                yield return new BoxStroke(box.XMm, box.YMm, box.WidthMm, box.HeightMm, null, 0.1);
            }

            foreach (var stroke in Label(box))
            {
                yield return stroke;
            }
        }

        foreach (var stroke in pages.Rulers > 0 ? Rulers(pages) : [])
        {
            yield return stroke;
        }
    }

    private static IEnumerable<Stroke> Label(LabelBox b)
    {
        var inner = (X: b.XMm + Pad, Y: b.YMm + Pad, Width: b.WidthMm - (2 * Pad), Height: b.HeightMm - (2 * Pad));
        // The code takes a square of the label's height, as long as words have more than half of it.
        var code = b.Code is null ? 0 : Math.Min(inner.Height, inner.Width * 0.42);
        if (b.Code is { } content)
        {
            foreach (var stroke in Squares(content, inner.X + inner.Width - code, inner.Y + ((inner.Height - code) / 2), code))
            {
                yield return stroke;
            }
        }

        var mark = b.MarkLetters is null ? 0 : Math.Min(MarkMm, inner.Height * 0.45);
        var room = inner.Width - (code > 0 ? code + 1 : 0);
        var tall = inner.Height / Math.Max(1, b.Lines.Count);
        foreach (var (i, line) in b.Lines.Index())
        {
            var left = i == b.Lines.Count - 1 && mark > 0 ? mark * 1.6 : 0;
            var type = i == 0 ? Bold : Regular;
            // As large as its line and its room allow; the identifier larger than the rest.
            var most = Math.Min(tall * (i == 0 ? 0.82 : 0.68), i == 0 ? 6 : 3.4);
            var wide = type.Width(line) / 10;
            var size = Math.Max(LeastTextMm, wide == 0 ? most : Math.Min(most, (room - left) / wide));
            var text = Fit(line, type, size, room - left);
            yield return new TextStroke(inner.X + left, inner.Y + (tall * i) + (tall / 2) + (size * 0.36), size, text, i == 0);
            if (left > 0)
            {
                foreach (var stroke in Mark(b, inner.X, inner.Y + (tall * i) + ((tall - mark) / 2), mark))
                {
                    yield return stroke;
                }
            }
        }
    }

    /// <summary>A label is never printed over its neighbour: what does not fit at the least size is cut, and ends in dots.</summary>
    private static string Fit(string line, Books.Type type, double sizeMm, double roomMm)
    {
        if (type.Width(line) / 10 * sizeMm <= roomMm + 0.01)
        {
            return line;
        }

        var cut = line;
        while (cut.Length > 1 && type.Width(cut + "…") / 10 * sizeMm > roomMm)
        {
            cut = cut[..^1];
        }

        return cut + "…";
    }

    /// <summary>The strand's colour as a box with its letters; a tracer has a second edge.</summary>
    private static IEnumerable<Stroke> Mark(LabelBox b, double x, double y, double side)
    {
        yield return new BoxStroke(x, y, side * 1.35, side, null, 0.25);
        if (b.Tracer)
        {
            yield return new BoxStroke(x + 0.45, y + 0.45, (side * 1.35) - 0.9, side - 0.9, null, 0.15);
        }

        yield return new BoxStroke(x + 0.13, y + side - 0.9, (side * 1.35) - 0.26, 0.77, b.MarkPaint);
        var size = side * 0.56;
        yield return new TextStroke(x + (((side * 1.35) - (Bold.Width(b.MarkLetters!) / 10 * size)) / 2), y + (side * 0.58), size, b.MarkLetters!, true);
    }

    private static IEnumerable<Stroke> Squares(string content, double left, double top, double side)
    {
        var squares = Codes.Squares(content);
        var (n, unit) = (squares.GetLength(0), side / squares.GetLength(0));
        for (var y = 0; y < n; y++)
        {
            for (var x = 0; x < n; x++)
            {
                var from = x;
                while (x < n && squares[y, x])
                {
                    x++;
                }

                if (x > from)
                {
                    yield return new BoxStroke(left + (from * unit), top + (y * unit), (x - from) * unit, unit + 0.005, "#000000");
                }
            }
        }
    }

    /// <summary>Rulers to hold a real one against: what a printer shrinks shows at once.</summary>
    private static IEnumerable<Stroke> Rulers(LabelPages pages)
    {
        const double At = 8;
        yield return new LineStroke(At, At, At + pages.Rulers, At, 0.2);
        yield return new LineStroke(At, At, At, At + pages.Rulers, 0.2);
        for (var mm = 0; mm <= pages.Rulers; mm++)
        {
            var length = mm % 10 == 0 ? 4 : mm % 5 == 0 ? 2.8 : 1.6;
            yield return new LineStroke(At + mm, At, At + mm, At + length, 0.12);
            yield return new LineStroke(At, At + mm, At + length, At + mm, 0.12);
            if (mm % 10 == 0 && mm > 0)
            {
                yield return new TextStroke(At + mm - 1.5, At + length + 2.6, 2.2, mm.ToString(CultureInfo.InvariantCulture), false);
                yield return new TextStroke(At + length + 0.6, At + mm + 0.8, 2.2, mm.ToString(CultureInfo.InvariantCulture), false);
            }
        }
    }
}
