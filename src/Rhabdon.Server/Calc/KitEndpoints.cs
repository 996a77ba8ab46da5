using Rhabdon.Core.Kit;
using Rhabdon.Core.Planning;

namespace Rhabdon.Server.Calc;

/// <summary>Calculators about what to bring, by which method, and whether transmit meets receive: plain JSON in, plain JSON out, nothing kept.</summary>
public static class KitEndpoints
{
    public static void MapKit(this RouteGroupBuilder api)
    {
        var calc = api.MapGroup("/calc");
        calc.MapPost("/kit", (KitAsk r) => ConnectorKit.Of(r)).WithSummary("Connectors and packs that are enough for a number of ends with a confidence, and what an end takes of attempts, minutes and slack. Chances 0 to 1, minutes, millimetres.");
        calc.MapPost("/adhesive", (AdhesiveAsk r) => AdhesivePlan.Of(r)).WithSummary("The fewest mixes of adhesive, when each has to start, and what is wasted. Millilitres, minutes from switching the oven on.");
        calc.MapPost("/hot-melt", (MeltAsk r) => MeltPlan.Of(r.Connectors, r.Figures)).WithSummary("Hot-melt connectors by places in the oven and cooling stands: when each goes in, what binds, and when the last is cold. Minutes from switching the oven on.");
        calc.MapPost("/polarity", (PolarityAsk r) => Polarity.Of(r)).WithSummary("Whether transmit meets receive through a chain of trunks, modules and cords, and the first part that is wrong. ANSI/TIA-568.3-D, from memory.");
        calc.MapPost("/ports", (PortsAsk r) => PortMaps.Of(r)).WithSummary("Which strand lies on which duplex port and position at both ends: straight, consecutive-fiber or reverse-pair. ANSI/TIA-568.3-D, from memory.");
        calc.MapPost("/compare", (CompareAsk r) => MethodCosts.Of(r)).WithSummary("What methods cost for a number of ends, the hours, the share over the loss limit, and from how many ends on one is no dearer than another. Any one currency, minutes, dB.");
    }
}
