namespace Rhabdon.Core.Ledger;

/// <summary>What a tool's own counter shows, which is right where ours differs: what is done from then on comes on top of it.</summary>
/// <param name="ArcsOfCharge">Since its battery was charged.</param>
/// <param name="ArcsOfElectrodes">Since its electrodes were changed.</param>
/// <param name="CleavesOfPosition">Since its blade was turned.</param>
/// <param name="MinutesOfCharge">Of light, since its battery was charged.</param>
public sealed record ToolCounterRead(int? ArcsOfCharge = null, int? ArcsOfElectrodes = null, int? CleavesOfPosition = null, int? StrokesOfSheet = null, int? MinutesOfCharge = null);

internal sealed class ToolCounterReadRule : StreamRule<ToolState, ToolCounterRead>
{
    private const int Most = 1_000_000;

    public override StreamKind Stream => StreamKind.Tool;

    protected override IEnumerable<Refusal> Faults(ToolCounterRead body)
    {
        var said = new[] { ("arcsOfCharge", body.ArcsOfCharge), ("arcsOfElectrodes", body.ArcsOfElectrodes), ("cleavesOfPosition", body.CleavesOfPosition), ("strokesOfSheet", body.StrokesOfSheet), ("minutesOfCharge", body.MinutesOfCharge) };
        return said.All(x => x.Item2 is null)
            ? [Refusal.Of("tool-counter", "body", ("most", Most))]
            : said.Where(x => x.Item2 is < 0 or > Most).Select(x => Refusal.Of("tool-counter", $"body.{x.Item1}", ("most", Most)));
    }

    protected override Judged Decide(StreamQuestion q, ToolCounterRead body) => q.State is ToolState ? new Kept() : throw Unknown(q.Event);

    protected override ToolState Empty(StreamEvent e, ToolCounterRead body) => throw Unknown(e);

    protected override ToolState Evolve(ToolState state, StreamEvent e, ToolCounterRead body, Judged judged) => state with
    {
        Since = state.Since with
        {
            Arcs = body.ArcsOfElectrodes ?? state.Since.Arcs,
            Cleaves = body.CleavesOfPosition ?? state.Since.Cleaves,
            Strokes = body.StrokesOfSheet ?? state.Since.Strokes,
        },
        SinceCharge = state.SinceCharge with
        {
            Arcs = body.ArcsOfCharge ?? state.SinceCharge.Arcs,
            LitS = body.MinutesOfCharge * 60 ?? state.SinceCharge.LitS,
        },
    };
}
