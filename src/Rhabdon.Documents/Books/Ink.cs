using System.Globalization;
using PdfSharp.Drawing;

namespace Rhabdon.Documents.Books;

/// <summary>Colours and shapes on paper: the interface's own, in its light theme. Every shape reads without its colour.</summary>
internal static class Ink
{
    public static readonly XColor Text = Of("#1c2a2d"), Faint = Of("#55625f"), Rule = Of("#cfc7b5"), Accent = Of("#0d5b60"), Good = Of("#1f6b3a"), Doubt = Of("#8a5200"), Bad = Of("#a3271d"), Band = Of("#f1ede2"), Edge = Of("#3b4648");

    public static XColor Of(string paint)
    {
        var rgb = int.Parse(paint.AsSpan(1), NumberStyles.HexNumber, CultureInfo.InvariantCulture);
        return XColor.FromArgb(rgb >> 16 & 255, rgb >> 8 & 255, rgb & 255);
    }

    public static XBrush Brush(Tone tone) => new XSolidBrush(tone switch { Tone.Faint => Faint, Tone.Good => Good, Tone.Doubt => Doubt, Tone.Bad => Bad, _ => Text });

    /// <summary>Knot, ring, half ring, barred square, fork, dashed ring.</summary>
    public static void Shape(XGraphics on, MarkShape shape, double x, double y, double r)
    {
        var w = Math.Max(0.7, r / 3);
        void Round(XColor? fill, XColor? edge, double of) => on.DrawEllipse(edge is { } e ? new XPen(e, w) : null, fill is { } f ? new XSolidBrush(f) : null, x - (r * of), y - (r * of), 2 * r * of, 2 * r * of);
        switch (shape)
        {
            case MarkShape.Accepted:
                Round(Good, null, 1);
                Round(XColors.White, null, 0.35);
                break;
            case MarkShape.Pass:
                Round(XColors.White, Good, 0.85);
                break;
            case MarkShape.Marginal:
                Round(XColors.White, Doubt, 0.85);
                on.DrawPie(new XSolidBrush(Doubt), x - (r * 0.85), y - (r * 0.85), 1.7 * r, 1.7 * r, 90, 180);
                break;
            case MarkShape.Fail:
                on.DrawRectangle(new XSolidBrush(Bad), x - (r * 0.85), y - (r * 0.85), 1.7 * r, 1.7 * r);
                on.DrawLine(new XPen(XColors.White, w), x - (r * 0.55), y, x + (r * 0.55), y);
                break;
            case MarkShape.Decide:
                on.DrawPolygon(new XSolidBrush(Bad), [new(x, y - r), new(x + r, y + (r * 0.8)), new(x - r, y + (r * 0.8))], XFillMode.Winding);
                on.DrawLine(new XPen(XColors.White, w), x, y - (r * 0.3), x, y + (r * 0.45));
                break;
            case MarkShape.Open:
                on.DrawEllipse(new XPen(Faint, w * 0.8) { DashStyle = XDashStyle.Dot }, x - (r * 0.85), y - (r * 0.85), 1.7 * r, 1.7 * r);
                break;
        }
    }

    /// <summary>A strand from top to bottom in its colour, with an edge that shows white, slate and black.</summary>
    public static void Strand(XGraphics on, string paint, bool tracer, double x, double y0, double y1, double width)
    {
        on.DrawLine(new XPen(Edge, width + 1), x, y0, x, y1);
        on.DrawLine(new XPen(Of(paint), width), x, y0, x, y1);
        if (tracer)
        {
            on.DrawLine(new XPen(paint == "#15181a" ? XColors.White : XColors.Black, Math.Max(0.6, width / 3)) { DashStyle = XDashStyle.Dash }, x, y0, x, y1);
        }
    }
}
