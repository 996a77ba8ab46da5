using PdfSharp.Drawing;
using QRCoder;

namespace Rhabdon.Documents.Books;

/// <summary>QR codes, drawn as what they are: dark squares.</summary>
public static class Codes
{
    /// <summary>The squares of a QR code of medium correction, without the quiet zone; true is dark.</summary>
    public static bool[,] Squares(string content)
    {
        using var generator = new QRCodeGenerator();
        using var data = generator.CreateQrCode(content, QRCodeGenerator.ECCLevel.M);
        // The library leaves four squares of quiet zone around it.
        const int Quiet = 4;
        var side = data.ModuleMatrix.Count - (2 * Quiet);
        var squares = new bool[side, side];
        for (var y = 0; y < side; y++)
        {
            for (var x = 0; x < side; x++)
            {
                squares[y, x] = data.ModuleMatrix[y + Quiet][x + Quiet];
            }
        }

        return squares;
    }

    internal static void Draw(XGraphics on, string content, double left, double top, double side)
    {
        var squares = Squares(content);
        var (n, unit) = (squares.GetLength(0), side / squares.GetLength(0));
        for (var y = 0; y < n; y++)
        {
            for (var x = 0; x < n; x++)
            {
                // Dark neighbours are one rectangle: no hairline between them.
                var from = x;
                while (x < n && squares[y, x])
                {
                    x++;
                }

                if (x > from)
                {
                    on.DrawRectangle(XBrushes.Black, left + (from * unit), top + (y * unit), (x - from) * unit, unit + 0.02);
                }
            }
        }
    }
}
