namespace Rhabdon.Documents.Books;

/// <summary>A document of many pages, already in words: what is drawn, in the order in which it is read. The same book gives the same bytes.</summary>
/// <param name="Date">Stands in the document's own information; not when it was made, unless its maker says so.</param>
/// <param name="Foot">On each page, beside its number.</param>
/// <param name="Pieces">Gone through more than once, and worked out anew each time: a large book is never whole in memory.</param>
/// <param name="NumberOf">How a page's number is written, with {page} and {of}.</param>
public sealed record Book(string Title, string Subject, string Author, string Keywords, string Language, DateTimeOffset Date, BookCover Cover, IEnumerable<Piece> Pieces, string Foot, string NumberOf);

/// <param name="Mark">The company's own picture, as PNG; null where it has none.</param>
/// <param name="Kind">What this is, above the title.</param>
public sealed record BookCover(byte[]? Mark, string Company, string Kind, string Title, string Subtitle, IReadOnlyList<Fact> Facts, PrintedCode? Code);

public sealed record Fact(string Name, string Value);

/// <param name="Content">What a camera reads.</param>
/// <param name="Text">What stands beside it, for people.</param>
public sealed record PrintedCode(string Content, string Title, string Text, string Alt);

public enum Tone
{
    Plain, Faint, Good, Doubt, Bad,
}

/// <summary>The shape that a verdict wears, as on the loom.</summary>
public enum MarkShape
{
    None, Accepted, Pass, Marginal, Fail, Decide, Open,
}

public abstract record Piece;

/// <param name="Level">1 or 2; each is a bookmark, too.</param>
public sealed record Heading(string Text, int Level = 1, bool OnNewPage = false) : Piece;

public sealed record Prose(string Text, Tone Tone = Tone.Plain, bool Large = false) : Piece;

public sealed record FactList(IReadOnlyList<Fact> Facts) : Piece;

public sealed record BulletList(IReadOnlyList<string> Lines) : Piece;

/// <param name="Rows">Text, numbers as double, a <see cref="Mark"/>, a <see cref="StrandMark"/>, or null; one for each column.</param>
public sealed record Grid(IReadOnlyList<GridColumn> Columns, IReadOnlyList<IReadOnlyList<object?>> Rows) : Piece;

/// <param name="Right">Numbers stand to the right.</param>
public sealed record GridColumn(string Title, bool Right = false);

/// <summary>A verdict in a table: shape and word.</summary>
public sealed record Mark(MarkShape Shape, string Word);

/// <summary>A strand in a table: its colour as a line, and in words.</summary>
/// <param name="Paint">As in #1f5fd0.</param>
public sealed record StrandMark(string Paint, bool Tracer, string Word);

/// <summary>How much of each is done.</summary>
public sealed record Bars(IReadOnlyList<Bar> Rows, string Alt) : Piece;

public sealed record Bar(string Name, int Done, int Of, string Said);

/// <summary>Where many shares of a limit lie, two of them side by side.</summary>
public sealed record Strips(IReadOnlyList<Strip> All) : Piece;

/// <param name="Shares">1 is at the limit.</param>
/// <param name="LimitWord">Stands at 1.</param>
public sealed record Strip(string Title, string Text, IReadOnlyList<double> Shares, string LimitWord, string ZeroWord, string Alt);

/// <summary>A panel at a glance: one hanging line for each strand, as far as its connector has come.</summary>
public sealed record LoomPicture(IReadOnlyList<LoomThread> Threads, string Alt) : Piece;

/// <param name="Reached">0 to 1.</param>
/// <param name="Loops">How often it went back.</param>
public sealed record LoomThread(string Number, string Paint, bool Tracer, double Reached, int Loops, MarkShape Shape);

/// <summary>Pictures side by side.</summary>
/// <param name="Across">How many in a row.</param>
public sealed record PictureRows(IReadOnlyList<PictureCell> Cells, int Across = 4) : Piece;

/// <param name="Read">The picture as JPEG or PNG, read when its page is drawn; null where it cannot be had.</param>
public sealed record PictureCell(Func<byte[]?> Read, string Caption, string Note, string Missing, Mark? Mark = null);

/// <summary>A line over a length, as a trace.</summary>
/// <param name="X">Rising.</param>
/// <param name="At">Where the connector lies; null where nothing is marked.</param>
public sealed record LineChart(string Title, IReadOnlyList<double> X, IReadOnlyList<double> Y, string XUnit, string YUnit, double? At, string AtWord, string Alt) : Piece;
