namespace Rhabdon.Documents.Labels;

/// <summary>Labels to print at true scale. All in millimetres from the page's upper left corner.</summary>
/// <param name="Pages">Of each the labels that lie on it.</param>
/// <param name="Outlined">Each label's edge is drawn, to see whether it lies where the sheet's does.</param>
/// <param name="Rulers">Of so many millimetres along the top and the left, to measure the printer; 0 for none.</param>
public sealed record LabelPages(string Title, double WidthMm, double HeightMm, IReadOnlyList<IReadOnlyList<LabelBox>> Pages, bool Outlined = false, double Rulers = 0);

/// <param name="Code">What a camera reads; null where it has no code.</param>
/// <param name="MarkLetters">Two letters for the strand's colour: a printer without colour prints them, too. Null where it has none.</param>
/// <param name="MarkPaint">As in #1f5fd0.</param>
public sealed record LabelBox(double XMm, double YMm, double WidthMm, double HeightMm, IReadOnlyList<string> Lines, string? Code, string? MarkLetters, string? MarkPaint, bool Tracer);

/// <summary>Something drawn on a label page, with its place on the page.</summary>
internal abstract record Stroke;

internal sealed record TextStroke(double XMm, double BaseMm, double SizeMm, string Text, bool Bold) : Stroke;

/// <param name="Fill">Null leaves it open, with an edge.</param>
internal sealed record BoxStroke(double XMm, double YMm, double WidthMm, double HeightMm, string? Fill, double EdgeMm = 0) : Stroke;

internal sealed record LineStroke(double X0Mm, double Y0Mm, double X1Mm, double Y1Mm, double WidthMm) : Stroke;
