using Rhabdon.Core.Planning;

namespace Rhabdon.Core.Ledger;

/// <summary>A tool is out of use.</summary>
public sealed record ToolRetired(string? Note = null) : INoted;

internal sealed class ToolRetiredRule : StreamRule<ToolState, ToolRetired>
{
    public override StreamKind Stream => StreamKind.Tool;

    /// <summary>A film's sheet is used up by whoever polishes on it.</summary>
    protected override Refusal? Against(StreamQuestion q, Worker sender, ToolRetired body) =>
        (q.State is ToolState { Kind: ToolKind.FilmSheet } ? null : LeadOnly(sender)) ?? base.Against(q, sender, body);

    protected override Judged Decide(StreamQuestion q, ToolRetired body) => q.State is ToolState ? new Kept() : throw Unknown(q.Event);

    protected override ToolState Empty(StreamEvent e, ToolRetired body) => throw Unknown(e);

    protected override ToolState Evolve(ToolState state, StreamEvent e, ToolRetired body, Judged judged) => state with { Retired = true };
}
