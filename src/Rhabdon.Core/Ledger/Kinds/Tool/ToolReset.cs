namespace Rhabdon.Core.Ledger;

public enum ToolResetKind
{
    Charged, ElectrodesChanged, BladeTurned, BladeChanged, Serviced,
}

/// <summary>A tool was charged, or a part of it that wears was renewed: what it counts begins anew.</summary>
/// <param name="DueOn">The last day until which a service or calibration holds.</param>
public sealed record ToolReset(ToolResetKind What, string? Note = null, LocalDate? DueOn = null) : INoted;

internal sealed class ToolResetRule : StreamRule<ToolState, ToolReset>
{
    public override StreamKind Stream => StreamKind.Tool;

    protected override Judged Decide(StreamQuestion q, ToolReset body) => q.State is ToolState ? new Kept() : throw Unknown(q.Event);

    protected override ToolState Empty(StreamEvent e, ToolReset body) => throw Unknown(e);

    protected override ToolState Evolve(ToolState state, StreamEvent e, ToolReset body, Judged judged) => state with
    {
        Resets = [.. state.Resets, new(e.Id, e.At, e.ActorId, body.What)],
        Since = body.What switch
        {
            ToolResetKind.Charged => state.Since with { Charges = 0, LitS = 0 },
            ToolResetKind.ElectrodesChanged => state.Since with { Arcs = 0 },
            ToolResetKind.BladeTurned or ToolResetKind.BladeChanged => state.Since with { Cleaves = 0 },
            _ => new(),
        },
        DueOn = body.What == ToolResetKind.Serviced ? body.DueOn : state.DueOn,
        SinceCharge = body.What == ToolResetKind.Charged ? new() : state.SinceCharge,
        BladePosition = body.What switch
        {
            ToolResetKind.BladeTurned => state.BladePosition + 1,
            ToolResetKind.BladeChanged => 1,
            _ => state.BladePosition,
        },
    };
}
