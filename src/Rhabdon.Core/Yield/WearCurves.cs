namespace Rhabdon.Core.Yield;

/// <summary>A connector that was made with a tool.</summary>
/// <param name="Uses">What the tool had done by then since it was last renewed: cleaves, arcs, or connectors.</param>
public sealed record ToolUse(long Uses, bool Passed);

/// <summary>Connectors made between two counts of a tool.</summary>
public sealed record WearStep(long FromUses, long ToUses, long Made, long Bad, Share Bads);

/// <param name="ChangeAtUses">From so many uses on more goes back, or fewer; null where that is not likely.</param>
/// <param name="Chart">One point a step; null with fewer than four.</param>
public sealed record WearFound(IReadOnlyList<WearStep> Steps, ControlFound? Chart, long? ChangeAtUses);

/// <summary>How what goes back follows the wear of a blade, a film or electrodes.</summary>
public static class WearCurves
{
    /// <summary>As many connectors to a point as this, so that each says something; and no more points than a chart shows.</summary>
    private const int LeastEach = 10, MostSteps = 40, LeastSteps = 4;

    public static WearFound Of(IReadOnlyList<ToolUse> uses)
    {
        var order = uses.OrderBy(u => u.Uses).ToList();
        var each = Math.Max(LeastEach, (order.Count + MostSteps - 1) / MostSteps);
        // What is left over at the end goes with the last step.
        var count = order.Count / each;
        var steps = Enumerable.Range(0, Math.Max(count, order.Count > 0 ? 1 : 0)).Select(i =>
        {
            var of = order.Skip(i * each).Take(i == count - 1 || count == 0 ? order.Count : each).ToList();
            var bad = of.Count(u => !u.Passed);
            return new WearStep(of[0].Uses, of[^1].Uses, of.Count, bad, Share.Of(bad, of.Count));
        }).ToList();
        var chart = steps.Count < LeastSteps ? null : Control.Of(new(ControlKind.P, [.. steps.Select(s => (double)s.Bad)], [.. steps.Select(s => (double)s.Made)]));
        return new(steps, chart, chart?.ChangeAt is { } at ? steps[at].FromUses : null);
    }
}
