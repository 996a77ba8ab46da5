namespace Rhabdon.Core.Trace;

/// <summary>A cable on the way of a trace, from the end where the light goes in.</summary>
/// <param name="PatchM">The cord between the cable before and this one; 0 for the first.</param>
public sealed record TraceLeg(EndId NearEndId, string NearAddress, EndId? FarEndId, string? FarAddress, double LengthM, double PatchM = 0);

/// <summary>A connector that the job plans, at the event of the trace that is it.</summary>
/// <param name="Event">Place in the list of events; null when the trace shows none there.</param>
/// <param name="PlannedM">Where it should lie.</param>
/// <param name="OffM">How far the event lies from there; positive is farther out.</param>
public sealed record TraceTie(EndId EndId, string Address, double PlannedM, int? Event, double? OffM);

/// <summary>Ties the events of a trace to the planned connectors, by distance.</summary>
public static class TraceTies
{
    /// <summary>Cables are cut longer than drawn, and the glass is longer than its jacket: this share of the distance, and some metres.</summary>
    public const double Share = 0.05, LeastM = 4;

    /// <summary>Shorter than this nobody calls it a cord (ours).</summary>
    private const double LeastCordM = 5;

    /// <summary>What goes on after the planned far connector: the receive cord.</summary>
    /// <returns>Whole metres; null where the far connector is not seen, or where the fiber ends at it.</returns>
    public static double? ReceiveCordM(IReadOnlyList<TraceEvent> events, IReadOnlyList<TraceTie> ties, EndId? farEndId)
    {
        var tie = farEndId is null ? null : ties.FirstOrDefault(t => t.EndId == farEndId);
        return tie?.Event is { } at && events[at] is { Kind: TraceEventKind.Connector } far && events.FirstOrDefault(e => e.Kind == TraceEventKind.End) is { } end
            && Math.Round(end.DistanceM - far.DistanceM) is > LeastCordM and var metres ? metres : null;
    }

    /// <param name="deadM">How near two connectors cannot be told apart: about the pulse.</param>
    public static IReadOnlyList<TraceTie> Of(IReadOnlyList<TraceEvent> events, IReadOnlyList<TraceLeg> legs, double deadM)
    {
        var planned = new List<(EndId EndId, string Address, double AtM)>();
        double at = 0;
        foreach (var leg in legs)
        {
            at += leg.PatchM;
            planned.Add((leg.NearEndId, leg.NearAddress, at));
            at += leg.LengthM;
            if (leg.FarEndId is { } far)
            {
                planned.Add((far, leg.FarAddress ?? "", at));
            }
        }

        // The nearest pairs first; two connectors closer than the pulse share an event, which is both of them.
        var near = planned.SelectMany((p, i) => events.Select((e, j) => (Plan: i, Event: j, Off: e.DistanceM - p.AtM, Kind: e.Kind)))
            .Where(x => x.Kind != TraceEventKind.Ghost && Math.Abs(x.Off) <= LeastM + deadM + (Share * planned[x.Plan].AtM))
            .OrderBy(x => Math.Abs(x.Off)).ToList();
        var tied = new Dictionary<int, (int Event, double Off)>();
        foreach (var x in near)
        {
            var sharers = tied.Where(t => t.Value.Event == x.Event).ToList();
            if (!tied.ContainsKey(x.Plan) && sharers.All(s => Math.Abs(planned[s.Key].AtM - planned[x.Plan].AtM) <= deadM))
            {
                tied[x.Plan] = (x.Event, x.Off);
            }
        }

        return [.. planned.Select((p, i) => tied.TryGetValue(i, out var t) ? new TraceTie(p.EndId, p.Address, p.AtM, t.Event, t.Off) : new TraceTie(p.EndId, p.Address, p.AtM, null, null))];
    }
}
