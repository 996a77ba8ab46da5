using System.Globalization;
using System.Text.RegularExpressions;
using Rhabdon.Core.Fiber;

namespace Rhabdon.Core.Handover;

/// <summary>What a label is put on; each has its own usual words.</summary>
public enum LabelKind
{
    Port, Connector, Strand, Cable,
}

/// <summary>A sheet of labels, or with one column and no rows a tape that is cut after each. All in millimetres.</summary>
/// <param name="Rows">0 for a tape: as many pages as labels, each of a label's size.</param>
/// <param name="MarginLeftMm">From the page's edge to the first label.</param>
/// <param name="GapXMm">Between two labels side by side.</param>
public sealed record LabelSheet(string Name, double PageWidthMm, double PageHeightMm, int Columns, int Rows, double LabelWidthMm, double LabelHeightMm, double MarginLeftMm, double MarginTopMm, double GapXMm, double GapYMm)
{
    public bool IsTape => Rows == 0;

    public int PerPage => IsTape ? 1 : Columns * Rows;

    /// <summary>Sizes that are on the market under no one's name: typical, edit to the packet.</summary>
    public static readonly IReadOnlyList<LabelSheet> Usual =
    [
        new("A4, 5 × 13, 38 × 21 mm", 210, 297, 5, 13, 38.1, 21.2, 4.75, 10.7, 2.5, 0),
        new("A4, 3 × 8, 70 × 37 mm", 210, 297, 3, 8, 70, 37, 0, 0.5, 0, 0),
        new("A4, 4 × 10, 48.5 × 25.4 mm", 210, 297, 4, 10, 48.5, 25.4, 8, 21.5, 0, 0),
        new("Tape, 12 mm", 40, 12, 1, 0, 40, 12, 0, 0, 0, 0),
        new("Tape, 24 mm", 50, 24, 1, 0, 50, 24, 0, 0, 0, 0),
    ];

    private const double LeastMm = 5, MostMm = 420;

    /// <summary>What is wrong with it; empty where it can be printed.</summary>
    public IEnumerable<Refusal> Faults(string field)
    {
        bool Size(double mm) => double.IsFinite(mm) && mm is >= LeastMm and <= MostMm;
        if (Name.Trim().Length is 0 or > 60 || Name.Any(char.IsControl))
        {
            yield return Refusal.Of("name-length", $"{field}.name", ("most", 60));
        }

        foreach (var (name, mm) in new[] { ("pageWidthMm", PageWidthMm), ("pageHeightMm", PageHeightMm), ("labelWidthMm", LabelWidthMm), ("labelHeightMm", LabelHeightMm) }.Where(x => !Size(x.Item2)))
        {
            yield return Refusal.Of("figure-range", $"{field}.{name}", ("least", LeastMm), ("most", MostMm));
        }

        foreach (var (name, mm) in new[] { ("marginLeftMm", MarginLeftMm), ("marginTopMm", MarginTopMm), ("gapXMm", GapXMm), ("gapYMm", GapYMm) }.Where(x => !(double.IsFinite(x.Item2) && x.Item2 is >= 0 and <= MostMm)))
        {
            yield return Refusal.Of("figure-range", $"{field}.{name}", ("least", 0), ("most", MostMm));
        }

        if (Columns is < 1 or > 50 || Rows is < 0 or > 100)
        {
            yield return Refusal.Of("figure-range", $"{field}.{(Columns is < 1 or > 50 ? "columns" : "rows")}", ("least", Columns is < 1 or > 50 ? 1 : 0), ("most", Columns is < 1 or > 50 ? 50 : 100));
        }

        const double Hair = 0.05;
        if (Size(PageWidthMm) && MarginLeftMm + (Columns * LabelWidthMm) + ((Columns - 1) * GapXMm) > PageWidthMm + Hair)
        {
            yield return Refusal.Of("labels-beyond-page", $"{field}.pageWidthMm");
        }

        if (Size(PageHeightMm) && MarginTopMm + (Math.Max(1, Rows) * LabelHeightMm) + ((Math.Max(1, Rows) - 1) * GapYMm) > PageHeightMm + Hair)
        {
            yield return Refusal.Of("labels-beyond-page", $"{field}.pageHeightMm");
        }
    }

    /// <summary>Where a label lies: page from 0, and its upper left corner.</summary>
    /// <param name="index">From 0.</param>
    /// <param name="start">The first place that is still on the sheet, from 1: what was taken off before stays empty.</param>
    public (int Page, double XMm, double YMm) Place(int index, int start)
    {
        var at = index + (IsTape ? 0 : start - 1);
        var (page, on) = (at / PerPage, at % PerPage);
        return (page, MarginLeftMm + (on % Columns * (LabelWidthMm + GapXMm)), MarginTopMm + (on / Columns * (LabelHeightMm + GapYMm)));
    }
}

/// <param name="EndId">Whose record its code opens; null for a cable's.</param>
/// <param name="Lines">The first is the identifier, in large letters.</param>
/// <param name="Strand">Its colour, in words and as a mark that a printer without colour prints, too; null for a cable's.</param>
public sealed record Label(EndId? EndId, IReadOnlyList<string> Lines, Strand? Strand);

/// <summary>Labels by a scheme of identifiers: a template with fields in braces, one line of the label for each line of it.</summary>
public static partial class Labels
{
    public const int LongestTemplate = 200, MostLines = 4;

    /// <summary>The fields that a template may name.</summary>
    public static readonly IReadOnlyList<string> Fields = ["job", "customer", "site", "space", "panel", "port", "position", "cable", "strand", "side", "colour", "far", "form", "polish"];

    public static string Usual(LabelKind kind) => kind switch
    {
        LabelKind.Port => "{space}-{panel}:{port}\n{cable} {strand}{side} {colour}",
        LabelKind.Connector => "{cable}:{strand}{side}\n{space}-{panel}:{port}\n> {far}",
        LabelKind.Strand => "{cable}:{strand}{side}\n{colour}",
        _ => "{cable} {side}\n{space}-{panel}\n{job} {site}",
    };

    /// <summary>One label for each end, or for each side of each cable where it is for cables.</summary>
    /// <param name="colour">The trade's word for a strand's colour.</param>
    /// <exception cref="RefusedException">The template names what there is not, or two labels would say the same.</exception>
    public static IReadOnlyList<Label> Of(DossierSource source, LabelKind kind, string? template, Func<StrandColour, string> colour)
    {
        var words = string.IsNullOrWhiteSpace(template) ? Usual(kind) : template.Replace("\r", "", StringComparison.Ordinal).Trim('\n');
        var lines = words.Split('\n');
        if (words.Length > LongestTemplate || lines.Length > MostLines || words.Any(c => char.IsControl(c) && c != '\n'))
        {
            throw new RefusedException(Refusal.Of("template-length", "template", ("most", LongestTemplate), ("lines", MostLines)));
        }

        if (Named().Matches(words).Select(m => m.Groups[1].Value).FirstOrDefault(f => !Fields.Contains(f)) is { } unknown)
        {
            throw new RefusedException(Refusal.Of("template-field", "template", ("field", unknown), ("fields", string.Join(", ", Fields))));
        }

        var ends = kind == LabelKind.Cable ? source.Ends.GroupBy(e => (e.Cable, e.Side)).Select(g => g.First()) : source.Ends;
        IReadOnlyList<Label> labels = [.. ends.Select(e => new Label(kind == LabelKind.Cable ? null : e.EndId, [.. lines.Select(l => Named().Replace(l, m => Value(m.Groups[1].Value, e, source, colour)).Trim().TrimStart('-'))], kind == LabelKind.Cable ? null : e.Strand))];
        // The identifier has to find one thing. (What lands on no panel has no space: no dash is left before its name.)
        if (labels.GroupBy(l => string.Join('\n', l.Lines)).FirstOrDefault(g => g.Count() > 1) is { } twice)
        {
            throw new RefusedException(Refusal.Of("labels-alike", "template", ("count", twice.Count()), ("label", twice.Key.Replace('\n', ' '))));
        }

        return labels;
    }

    private static string Value(string field, SourceEnd e, DossierSource s, Func<StrandColour, string> colour) => field switch
    {
        "job" => s.Number,
        "customer" => s.Customer,
        "site" => s.Site,
        "space" => e.SpaceCode,
        "panel" => e.PlaceCode.StartsWith(e.SpaceCode + "-", StringComparison.Ordinal) && e.SpaceCode.Length > 0 ? e.PlaceCode[(e.SpaceCode.Length + 1)..] : e.PlaceCode,
        "port" => Number(e.Port),
        "position" => Number(e.Position),
        "cable" => e.Cable,
        "strand" => Number(e.Strand.Number),
        "side" => e.Side,
        "colour" => colour(e.Strand.Colour) + (e.Strand.Tracer ? " tracer" : ""),
        "far" => e.FarAddress ?? "",
        "form" => Wire.Name(e.Form),
        _ => e.Polish.ToString(),
    };

    private static string Number(int n) => n.ToString(CultureInfo.InvariantCulture);

    [GeneratedRegex(@"\{([^{}]*)\}")]
    private static partial Regex Named();
}
