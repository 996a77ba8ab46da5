using PdfSharp.Drawing;

namespace Rhabdon.Documents.Books;

/// <summary>A font with the widths of its letters, each measured once: a long table asks for them a hundred thousand times.</summary>
internal sealed class Type(double size, bool bold = false)
{
    private static readonly XGraphics Measure = XGraphics.CreateMeasureContext(new XSize(10_000, 1000), XGraphicsUnit.Point, XPageDirection.Downwards);

    private readonly Dictionary<char, double> _widths = [];

    public XFont Font { get; } = Made(size, bold);

    public double Line { get; } = size * 1.3;

    private static XFont Made(double size, bool bold)
    {
        Printed.Fonts();
        return new(Printed.FontName, size, bold ? XFontStyleEx.Bold : XFontStyleEx.Regular);
    }

    public double Width(ReadOnlySpan<char> text)
    {
        var width = 0.0;
        foreach (var letter in text)
        {
            if (!_widths.TryGetValue(letter, out var w))
            {
                lock (Measure)
                {
                    // Between two others, so that blanks count.
                    _widths[letter] = w = Measure.MeasureString($"|{letter}|", Font).Width - Measure.MeasureString("||", Font).Width;
                }
            }

            width += w;
        }

        return width;
    }

    /// <summary>Lines that fit; a word that is too long is broken.</summary>
    public IReadOnlyList<string> Wrapped(string text, double room)
    {
        var lines = new List<string>();
        var line = "";
        foreach (var word in text.Split(' ').SelectMany(w => Broken(w, room)))
        {
            var longer = line.Length == 0 ? word : $"{line} {word}";
            if (line.Length > 0 && Width(longer) > room)
            {
                lines.Add(line);
                longer = word;
            }

            line = longer;
        }

        lines.Add(line);
        return lines;
    }

    private IEnumerable<string> Broken(string word, double room)
    {
        while (word.Length > 1 && Width(word) > room)
        {
            var fits = 1;
            while (fits < word.Length && Width(word.AsSpan(0, fits + 1)) <= room)
            {
                fits++;
            }

            yield return word[..fits];
            word = word[fits..];
        }

        yield return word;
    }
}
