namespace Rhabdon.Core.Ledger;

/// <summary>What was done with a tool.</summary>
/// <param name="BatchId">In which batch; null where it was none.</param>
public sealed record ToolUsed(int Arcs = 0, int Charges = 0, int Cleaves = 0, int Strokes = 0, int LitS = 0, BatchId? BatchId = null);

internal sealed class ToolUsedRule : StreamRule<ToolState, ToolUsed>
{
    private const int Most = 100_000;

    public override StreamKind Stream => StreamKind.Tool;

    protected override IEnumerable<Refusal> Faults(ToolUsed body)
    {
        foreach (var (field, n) in new[] { ("arcs", body.Arcs), ("charges", body.Charges), ("cleaves", body.Cleaves), ("strokes", body.Strokes), ("litS", body.LitS) })
        {
            if (n is < 0 or > Most)
            {
                yield return OutOf($"body.{field}", $"It is 0 to {Most}.");
            }
        }

        if (body is { Arcs: 0, Charges: 0, Cleaves: 0, Strokes: 0, LitS: 0 })
        {
            yield return OutOf("body", "Say what was done with it.");
        }
    }

    protected override Judged Decide(StreamQuestion q, ToolUsed body) => q.State is ToolState ? new Kept() : throw Unknown(q.Event);

    protected override ToolState Empty(StreamEvent e, ToolUsed body) => throw Unknown(e);

    protected override ToolState Evolve(ToolState state, StreamEvent e, ToolUsed body, Judged judged)
    {
        var done = new ToolCounts(body.Arcs, body.Charges, body.Cleaves, body.Strokes, body.LitS);
        return state with { Total = state.Total.Plus(done), Since = state.Since.Plus(done), SinceCharge = state.SinceCharge.Plus(done) };
    }
}
