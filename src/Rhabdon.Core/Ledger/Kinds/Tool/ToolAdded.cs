using Rhabdon.Core.Planning;

namespace Rhabdon.Core.Ledger;

public enum ToolKind
{
    Cleaver, Splicer, Stripper, Crimper, Oven, PolishingPuck, RedLightSource, Other, FilmSheet,
}

/// <summary>A crew has a tool.</summary>
/// <param name="Number">Its own, as engraved; null where it has none.</param>
/// <param name="Life">How long its parts last, where its owner knows better than is usual.</param>
public sealed record ToolAdded(CrewId CrewId, ToolKind Kind, string Name, string? Number = null, ToolLife? Life = null);

internal sealed class ToolAddedRule : StreamRule<ToolState, ToolAdded>
{
    public override StreamKind Stream => StreamKind.Tool;

    private const int LongestLife = 1_000_000;

    protected override IEnumerable<Refusal> Faults(ToolAdded body) =>
        [.. Named("body.name", body.Name, 60), .. body.Number is null ? [] : Named("body.number", body.Number, 60), .. Lives(body.Life)];

    private static IEnumerable<Refusal> Lives(ToolLife? life) =>
        from x in new[] { ("arcsOfCharge", life?.ArcsOfCharge), ("arcsOfElectrodes", life?.ArcsOfElectrodes), ("cleavesOfPosition", life?.CleavesOfPosition), ("strokesOfSheet", life?.StrokesOfSheet), ("minutesOfCharge", life?.MinutesOfCharge) }
        where x.Item2 is < 1 or > LongestLife
        select Refusal.Of("tool-life", $"body.life.{x.Item1}", ("most", LongestLife));

    protected override Refusal? Against(StreamQuestion q, Worker sender, ToolAdded body) =>
        OwnCrewOnly(sender, body.CrewId) ?? base.Against(q, sender, body);

    protected override Judged Decide(StreamQuestion q, ToolAdded body) =>
        !q.Facts.Crews.Contains(body.CrewId) ? throw new RefusedException("crew-unknown", "body.crewId", "There is no such crew.")
        : q.State is not null ? throw new RefusedException("stream-known", "streamId", "This tool is known already.")
        : new Kept();

    protected override ToolState Empty(StreamEvent e, ToolAdded body) => new() { Id = e.StreamId, CrewId = body.CrewId };

    protected override ToolState Evolve(ToolState state, StreamEvent e, ToolAdded body, Judged judged) => state with { Kind = body.Kind, Name = body.Name, Number = body.Number, Life = body.Life };
}
