namespace Rhabdon.Documents;

/// <summary>A column of a table on paper.</summary>
/// <param name="Share">Of the width.</param>
/// <param name="Right">Numbers stand to the right.</param>
public sealed record PaperColumn(string Title, double Share, bool Right = false);

/// <param name="Rows">Text, numbers (as double) or null, one for each column.</param>
/// <param name="Ticked">A box to tick stands before each row.</param>
public sealed record PaperTable(string Title, IReadOnlyList<PaperColumn> Columns, IReadOnlyList<IReadOnlyList<object?>> Rows, bool Ticked = false);

/// <param name="Bytes">JPEG or PNG.</param>
public sealed record PaperPicture(string Caption, byte[] Bytes);

/// <summary>What is printed, opened in a table program, or read by another one: the same content, whatever the file.</summary>
/// <param name="Lines">Under the title.</param>
/// <param name="Foot">On each page.</param>
public sealed record Paper(string Title, IReadOnlyList<string> Lines, IReadOnlyList<PaperTable> Tables, string Foot)
{
    /// <summary>After the tables, under a heading of their own; on paper alone.</summary>
    public (string Title, IReadOnlyList<PaperPicture> Of)? Pictures { get; init; }
}
