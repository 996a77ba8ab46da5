using Rhabdon.Core.Connectors;
using Rhabdon.Core.Fiber;
using Rhabdon.Core.Procedures;

namespace Rhabdon.Core.Kit;

/// <summary>Losses of a method's connectors, as far as traces have shown them.</summary>
public sealed record LossSeen(int Count, double MeanDb, double SdDb);

/// <param name="ProcedureId">Also the name in the question and the answer.</param>
/// <param name="FirstPass">The chance that a connector is good at once.</param>
/// <param name="LossCounted">Traces that the loss rests on; 0 where it is an assumption.</param>
/// <param name="WorstSlackRisk">Of the end that has the least to spare.</param>
/// <param name="EndsAtRisk">Above the risk that the company has shown.</param>
public sealed record MethodOption(string ProcedureId, int Version, TerminationMethod Method, double FirstPass, long Counted, int LossCounted, double WorstSlackRisk, int EndsAtRisk);

/// <summary>Ends of one kind, and every way to make them.</summary>
/// <param name="Planned">Ids of the procedures that are planned for them now.</param>
public sealed record MethodGroup(
    ConnectorForm Form, Polish Polish, FiberMode Mode, FiberClass FiberClass, CableConstruction Construction, int Ends, IReadOnlyList<string> Planned,
    IReadOnlyList<MethodOption> Options, CompareAsk Ask, Comparison Answer);

/// <summary>By which method: cost, time, loss and slack risk of every procedure that fits.</summary>
public static class MethodPlan
{
    /// <summary>Fewer traces say less than what is usually seen (ours).</summary>
    private const int FewestTraces = 20;

    /// <param name="ofLoss">Null where no trace was taken.</param>
    /// <param name="limitDb">Of a mated pair.</param>
    /// <param name="count">For how many ends to reckon; null for those of the plan.</param>
    public static IReadOnlyList<MethodGroup> Of(
        IReadOnlyList<EndToMake> ends, KitMethods methods, KitFacts facts, Func<TerminationMethod, FiberMode, LossSeen?> ofLoss, CompanyFigures company, Func<FiberMode, double> limitDb, int? count = null)
    {
        var groups = new List<MethodGroup>();
        foreach (var g in ends.GroupBy(e => (e.Form, e.Polish, e.Mode, e.FiberClass, e.Construction)).OrderByDescending(g => g.Count()))
        {
            var (options, figures) = (new List<MethodOption>(), new List<MethodFigures>());
            foreach (var table in methods.For(g.First()))
            {
                var own = facts.OfMethod(table.Method);
                var firstPass = Experience.FirstPass(table.Method, own);
                var model = Experience.Model(table, firstPass, own);
                var slack = model.Slack();
                var price = company.Of(table.Method);
                var loss = ofLoss(table.Method, g.Key.Mode) is { Count: >= FewestTraces } seen ? seen : new(0, price.LossMeanDb, price.LossSdDb);
                var risks = g.Select(e => slack.Beyond(e.SpareMm)).ToList();
                options.Add(new(table.ProcedureId, table.Version, table.Method, firstPass.Mean, own.All, loss.Count, risks.Max(), risks.Count(r => r >= company.RiskShown)));
                figures.Add(Figures(table, model, price with { ToolOwned = price.ToolOwned || own.All > 0 }, loss, company)); // who has made some has the tools
            }

            if (figures.Count > 0)
            {
                var ask = new CompareAsk(count ?? g.Count(), company.WagePerHour, figures, limitDb(g.Key.Mode));
                groups.Add(new(g.Key.Form, g.Key.Polish, g.Key.Mode, g.Key.FiberClass, g.Key.Construction, g.Count(), [.. g.Select(e => e.ProcedureId).Distinct()], options, ask, MethodCosts.Of(ask)));
            }
        }

        return groups;
    }

    /// <summary>The calculator takes one that is not good for made again; here the ladder says how many connectors and minutes an accepted one takes, and both come out alike.</summary>
    private static MethodFigures Figures(RunTable table, ReworkModel model, MethodPrice price, LossSeen loss, CompanyFigures company)
    {
        var yield = 1 / model.ExpectedConnectors;
        return new(
            table.ProcedureId, price.ConnectorPrice, SupplyCount.CostEach(table, company), price.ToolOwned ? 0 : price.ToolPrice, price.ToolLifeEnds, price.Minutes, yield,
            yield < 1 ? model.ExpectedReworkMinutes / (model.ExpectedConnectors - 1) : 0, loss.MeanDb, loss.SdDb);
    }
}
