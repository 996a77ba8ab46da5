using PdfSharp.Drawing;
using PdfSharp.UniversalAccessibility;

namespace Rhabdon.Documents.Books;

/// <summary>What a reader for the blind is told of a part of a page.</summary>
internal enum Role
{
    Paragraph, Heading1, Heading2, Table, Row, HeadCell, Cell, Figure, List, Item,
}

/// <summary>A page as it will be drawn: laid out first, so that its number of many is known.</summary>
internal sealed class Page
{
    private readonly List<Action<XGraphics, StructureBuilder>> _acts = [];

    public List<(string Title, int Level)> Bookmarks { get; } = [];

    public void Begin(Role role, string? alt = null, XRect box = default) => _acts.Add((_, tags) =>
    {
        switch (role)
        {
            case Role.Figure:
                tags.BeginElement(PdfIllustrationElementTag.Figure, alt ?? "", box);
                break;
            default:
                tags.BeginElement(Tags[role]);
                break;
        }
    });

    public void End() => _acts.Add((_, tags) => tags.End());

    public void Draw(Action<XGraphics> draw) => _acts.Add((page, _) => draw(page));

    /// <summary>Lines and page numbers: nothing to be read out.</summary>
    public void Ornament(Action<XGraphics> draw) => _acts.Add((page, tags) =>
    {
        tags.BeginArtifact();
        draw(page);
        tags.End();
    });

    public void Render(XGraphics page, StructureBuilder tags)
    {
        foreach (var act in _acts)
        {
            act(page, tags);
        }

        _acts.Clear();
    }

    private static readonly Dictionary<Role, PdfBlockLevelElementTag> Tags = new()
    {
        [Role.Paragraph] = PdfBlockLevelElementTag.Paragraph,
        [Role.Heading1] = PdfBlockLevelElementTag.Heading1,
        [Role.Heading2] = PdfBlockLevelElementTag.Heading2,
        [Role.Table] = PdfBlockLevelElementTag.Table,
        [Role.Row] = PdfBlockLevelElementTag.TableRow,
        [Role.HeadCell] = PdfBlockLevelElementTag.TableHeaderCell,
        [Role.Cell] = PdfBlockLevelElementTag.TableDataCell,
        [Role.List] = PdfBlockLevelElementTag.List,
        [Role.Item] = PdfBlockLevelElementTag.ListItem,
    };
}
