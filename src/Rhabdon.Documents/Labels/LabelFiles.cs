using System.Globalization;
using System.Net;
using System.Text;
using PdfSharp.Drawing;
using PdfSharp.Pdf;
using Rhabdon.Documents.Books;

namespace Rhabdon.Documents.Labels;

/// <summary>Labels as files that print at true scale.</summary>
public static class LabelFiles
{
    private const double PointsPerMm = 72 / 25.4;

    public static byte[] Pdf(LabelPages pages, DateTimeOffset madeAt)
    {
        Printed.Fonts();
        using var document = new PdfDocument();
        document.Info.Title = pages.Title;
        document.Info.Creator = "Rhabdon";
        document.Info.CreationDate = madeAt.UtcDateTime;
        // What fits a label fits it only unshrunk.
        document.ViewerPreferences.Elements.SetName("/PrintScaling", "/None");
        for (var i = 0; i < pages.Pages.Count; i++)
        {
            var sheet = document.AddPage();
            (sheet.Width, sheet.Height) = (XUnit.FromMillimeter(pages.WidthMm), XUnit.FromMillimeter(pages.HeightMm));
            using var on = XGraphics.FromPdfPage(sheet);
            foreach (var stroke in LabelDrawing.Of(pages, i))
            {
                Draw(on, stroke);
            }
        }

        using var to = new MemoryStream();
        document.Save(to);
        return to.ToArray();
    }

    private static void Draw(XGraphics on, Stroke stroke)
    {
        static double Pt(double mm) => mm * PointsPerMm;
        switch (stroke)
        {
            case TextStroke t:
                on.DrawString(t.Text, new XFont(Printed.FontName, Pt(t.SizeMm), t.Bold ? XFontStyleEx.Bold : XFontStyleEx.Regular), XBrushes.Black, Pt(t.XMm), Pt(t.BaseMm));
                break;
            case BoxStroke b:
                on.DrawRectangle(b.EdgeMm > 0 ? new XPen(XColors.Black, Pt(b.EdgeMm)) : null, b.Fill is { } fill ? new XSolidBrush(fill == "#000000" ? XColors.Black : Ink.Of(fill)) : null, Pt(b.XMm), Pt(b.YMm), Pt(b.WidthMm), Pt(b.HeightMm));
                break;
            case LineStroke l:
                on.DrawLine(new XPen(XColors.Black, Pt(l.WidthMm)), Pt(l.X0Mm), Pt(l.Y0Mm), Pt(l.X1Mm), Pt(l.Y1Mm));
                break;
        }
    }

    /// <summary>One page, in millimetres.</summary>
    /// <param name="page">From 0.</param>
    public static string Svg(LabelPages pages, int page)
    {
        Printed.Fonts();
        static string N(double mm) => mm.ToString("0.###", CultureInfo.InvariantCulture);
        var svg = new StringBuilder();
        svg.Append(CultureInfo.InvariantCulture, $"<svg xmlns=\"http://www.w3.org/2000/svg\" width=\"{N(pages.WidthMm)}mm\" height=\"{N(pages.HeightMm)}mm\" viewBox=\"0 0 {N(pages.WidthMm)} {N(pages.HeightMm)}\" font-family=\"DejaVu Sans, sans-serif\">");
        svg.Append(CultureInfo.InvariantCulture, $"<title>{WebUtility.HtmlEncode(pages.Title)}</title><rect width=\"{N(pages.WidthMm)}\" height=\"{N(pages.HeightMm)}\" fill=\"#ffffff\"/>");
        foreach (var stroke in LabelDrawing.Of(pages, page))
        {
            switch (stroke)
            {
                case TextStroke t:
                    svg.Append(CultureInfo.InvariantCulture, $"<text x=\"{N(t.XMm)}\" y=\"{N(t.BaseMm)}\" font-size=\"{N(t.SizeMm)}\"{(t.Bold ? " font-weight=\"700\"" : "")}>{WebUtility.HtmlEncode(t.Text)}</text>");
                    break;
                case BoxStroke b:
                    var edge = b.EdgeMm > 0 ? $" stroke=\"#000000\" stroke-width=\"{N(b.EdgeMm)}\"" : "";
                    svg.Append(CultureInfo.InvariantCulture, $"<rect x=\"{N(b.XMm)}\" y=\"{N(b.YMm)}\" width=\"{N(b.WidthMm)}\" height=\"{N(b.HeightMm)}\" fill=\"{b.Fill ?? "none"}\"{edge}/>");
                    break;
                case LineStroke l:
                    svg.Append(CultureInfo.InvariantCulture, $"<path d=\"M{N(l.X0Mm)} {N(l.Y0Mm)}L{N(l.X1Mm)} {N(l.Y1Mm)}\" stroke=\"#000000\" stroke-width=\"{N(l.WidthMm)}\"/>");
                    break;
            }
        }

        return svg.Append("</svg>").ToString();
    }
}
