using System.Diagnostics;
using System.Text.Json;
using Rhabdon.Core;
using Rhabdon.Core.Connectors;
using Rhabdon.Core.Kit;
using Rhabdon.Core.Scheduling;

namespace Rhabdon.Figures;

/// <summary>How soon there is a plan of a week, how good it is, and how soon there is another after a change.</summary>
internal static class Schedules
{
    private static readonly LocalDate Monday = new(2026, 11, 30);

    /// <summary>Panels of 24 ends in four spaces, a third each of heat-cured epoxy, splice-on and wedge-locked, due through the week, for two crews.</summary>
    private static WeekProblem Week(int ends, int people, int splicers, int ovens)
    {
        static Guid Id(int n) => new(n, 0, 0, [0, 0, 0, 0, 0, 0, 0, 0]);
        TerminationMethod[] methods = [TerminationMethod.HeatCuredEpoxy, TerminationMethod.SpliceOn, TerminationMethod.WedgeLocked];
        var crews = new[] { new CrewId(Id(1)), new CrewId(Id(2)) };
        var hands = Enumerable.Range(0, people).Select(n => new WeekHand(new(Id(100 + n)), $"P{n + 1}", crews[n % 2])).ToList();
        var panels = Enumerable.Range(0, ends / 24).Select(n => new PanelWork(new(Id(10)), "Job", new(Id(1000 + n)), $"S{(n % 4) + 1}-P{n + 1}", $"S{(n % 4) + 1}", methods[n % 3], 24, 0, false, false, Monday.PlusDays(2 + (n % 8)), crews[n % 2], null)).ToList();
        var figures = WeekFigures.Usual with { Tools = [new(WeekWorks.Oven, ovens), new(WeekWorks.Splicer, splicers), new(WeekWorks.Meter, 2), new(WeekWorks.Scope, people), new(WeekWorks.Plate, people)] };
        return WeekWorks.Of(panels, hands, LearnedTimes.None, CompanyFigures.Usual, figures, Monday, 0, new Dictionary<string, int>(), new Dictionary<string, WeekPin>()).Problem;
    }

    /// <param name="file">Where the instance of 288 ends is kept.</param>
    public static void Run(string file)
    {
        if (!File.Exists(file))
        {
            File.WriteAllText(file, JsonSerializer.Serialize(Week(288, 4, 2, 1), Wire.Json));
        }

        var kept = JsonSerializer.Deserialize<WeekProblem>(File.ReadAllText(file), Wire.Json)!;
        var plan = One("288 ends, 4 installers, 2 splicers, 1 oven", kept, 20);
        // Nine in the morning: one task is somebody's wish for tomorrow, one person is away today.
        var late = plan.Tasks.OrderBy(t => t.Stretches[0].From).First(t => t.People.Count > 0);
        One("  planned again after a change", kept with { Tasks = [.. kept.Tasks.Select(t => t.Id == late.Id ? t with { Pin = new(late.Stretches[0].From + 1440) } : t)] }, 2.5);
        One("2,000 ends, 12 installers, 4 splicers, 3 ovens", Week(2016, 12, 4, 3), 60);
    }

    private static WeekPlan One(string what, WeekProblem problem, double seconds)
    {
        var clock = Stopwatch.StartNew();
        double? first = null;
        var plan = new WeekSolver(problem).Solve(seconds, progress: _ => first ??= clock.Elapsed.TotalSeconds);
        Console.WriteLine(FormattableString.Invariant($"{what}: {problem.Tasks.Count} tasks; first plan after {first:0.00} s, {plan.Outcome} after {clock.Elapsed.TotalSeconds:0.0} s; late {plan.LateMinutes} min (never below {plan.LateBound}), finish-time gap {plan.Gap * 100:0.0} %"));
        return plan;
    }
}
