using Rhabdon.Core.Connectors;
using Rhabdon.Core.Fiber;
using Rhabdon.Core.Procedures;

namespace Rhabdon.Core.Kit;

/// <summary>An end that is not accepted yet, as far as its kit hangs on it.</summary>
/// <param name="SlackLeftMm">Planned, less what is used up.</param>
public sealed record EndToMake(EndId EndId, string ProcedureId, int ProcedureVersion, TerminationMethod Method, ConnectorForm Form, Polish Polish, FiberMode Mode, CableConstruction Construction, double SlackLeftMm);

/// <summary>So many of one part.</summary>
public sealed record PartNeed(string Part, int Count);

/// <param name="FirstPass">The chance that a connector is good at once, as the plan takes it;</param>
/// <param name="FirstPassLow">it lies between this</param>
/// <param name="FirstPassHigh">and this with nine chances in ten.</param>
/// <param name="Counted">Connectors of the company's own that it rests on, of the last of them; 0 where it is all assumption.</param>
/// <param name="Connectors">That are enough with the confidence.</param>
/// <param name="ReworkMinutes">To be expected of all these ends.</param>
/// <param name="Parts">Of each connector, and one for each that is packed.</param>
public sealed record KitGroup(
    string ProcedureId, int ProcedureVersion, TerminationMethod Method, ConnectorForm Form, Polish Polish, FiberMode Mode, CableConstruction Construction, int Ends,
    double FirstPass, double FirstPassLow, double FirstPassHigh, long Counted, int Connectors, double ReworkMinutes, IReadOnlyList<PartNeed> Parts);

/// <param name="Risk">That it can no longer be worked before it is accepted.</param>
public sealed record SlackRisk(EndId EndId, double SlackLeftMm, double Risk);

/// <param name="Risks">Ends above the least risk, the highest first.</param>
public sealed record JobKit(double Confidence, IReadOnlyList<KitGroup> Groups, IReadOnlyList<SlackRisk> Risks);

/// <summary>What to bring for the ends that are not accepted yet, and which of them cannot afford a second try.</summary>
public static class JobKits
{
    /// <summary>What is less likely is not shown (ours).</summary>
    public const double LeastRisk = 0.01;

    private const double Low = 0.05, High = 0.95;

    /// <param name="table">Of a procedure, as the company walks it; null where it cannot be walked.</param>
    /// <param name="counted">Of a method, by the company's own ledger.</param>
    public static JobKit Of(IReadOnlyList<EndToMake> ends, Func<string, int, RunTable?> table, Func<TerminationMethod, Counted> counted, double confidence)
    {
        new Figures().Within("confidence", confidence, 0.5, 0.999).ThrowIfBad();
        var (groups, risks) = (new List<KitGroup>(), new List<SlackRisk>());
        foreach (var g in ends.GroupBy(e => (e.ProcedureId, e.ProcedureVersion, e.Method, e.Form, e.Polish, e.Mode, e.Construction)))
        {
            if (table(g.Key.ProcedureId, g.Key.ProcedureVersion) is not { } run)
            {
                continue;
            }

            var own = counted(g.Key.Method);
            var firstPass = Experience.FirstPass(g.Key.Method).And(own.Good, own.Bad);
            var model = Experience.Model(run, firstPass);
            var need = ConnectorKit.Of(new(g.Count(), model.FirstPass, model.Rungs, model.NewConnectorMinutes, model.NewConnectorSlackMm, confidence));
            groups.Add(new(
                g.Key.ProcedureId, g.Key.ProcedureVersion, g.Key.Method, g.Key.Form, g.Key.Polish, g.Key.Mode, g.Key.Construction, g.Count(),
                firstPass.Mean, firstPass.Quantile(Low), firstPass.Quantile(High), own.Good + own.Bad, need.Connectors, need.ExpectedReworkMinutes * g.Count(),
                [.. run.Parts.GroupBy(p => p.Name, StringComparer.Ordinal).Select(p => new PartNeed(p.Key, need.Connectors * p.Count()))]));
            risks.AddRange(g.Select(e => new SlackRisk(e.EndId, e.SlackLeftMm, model.OutOfSlack(e.SlackLeftMm))).Where(r => r.Risk >= LeastRisk));
        }

        return new(confidence, [.. groups.OrderBy(g => g.Method).ThenBy(g => g.ProcedureId, StringComparer.Ordinal).ThenBy(g => g.Construction)], [.. risks.OrderByDescending(r => r.Risk).ThenBy(r => r.SlackLeftMm)]);
    }
}
