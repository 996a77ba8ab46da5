using Rhabdon.Core.Diagnosis;
using Rhabdon.Core.Yield;

namespace Rhabdon.Server.Calc;

/// <param name="Of">The families that it is seen of; null for all.</param>
/// <param name="Minutes">What it takes to see it; null where it cannot be looked for afterwards.</param>
public sealed record SignView(string Sign, IReadOnlyList<string> Values, IReadOnlyList<GlassFamily>? Of, double? Minutes);

/// <param name="Acts">What may stand in <c>tried</c>, and what may be advised.</param>
public sealed record SignsView(IReadOnlyList<SignView> Signs, IReadOnlyList<string> Acts);

/// <summary>Statistics of rates and of values in their order, and what ails a connector: plain JSON in, plain JSON out, nothing kept.</summary>
public static class YieldEndpoints
{
    public static void MapRates(this RouteGroupBuilder api)
    {
        var calc = api.MapGroup("/calc");
        calc.MapPost("/rates", (RatesAsk r) => Rates.Of(r)).WithSummary("Rates of groups with Wilson's intervals, a funnel around what all do, and, where strata are given, what each would be with everybody's mix. Shares 0 to 1.");
        calc.MapPost("/control", (ControlAsk r) => Control.Of(r)).WithSummary("A control chart (p, individuals, CUSUM): centre, limits, the rules that fired at each point, and the point from which it was otherwise. ISO 7870-2, from memory.");
        calc.MapPost("/diagnose", (DiagnoseAsk r) => Diagnoses.Shipped.Of(r)).WithSummary("What may ail a connector, by what was seen and tried, and what to do next at the least cost until it is accepted. Expert judgement; minutes, millimetres.");
        calc.MapGet("/diagnose/signs", Signs).WithSummary("The signs that a diagnosis knows, with their values, and the acts that it advises.");
    }

    private static SignsView Signs() => new([.. DiagnosisTables.Shipped.Signs.Select(s => new SignView(s.Id, s.Values, s.Of, s.Minutes))], [.. DiagnosisTables.Shipped.Acts.Select(a => a.Id)]);
}
