using MathNet.Numerics.Distributions;

namespace Rhabdon.Core.Scheduling;

/// <param name="Chance">That all of it is done by its due minute, 0 to 1.</param>
public sealed record DueChance(string Group, double Chance);

/// <summary>How sure a plan is: the same people do the same things in the same order, and each takes as long as it may take.</summary>
public static class WeekChances
{
    /// <param name="sd">Of a task's attended minutes, as a share of them.</param>
    /// <param name="groups">Tasks that are asked for together, as those of a job.</param>
    public static IReadOnlyList<DueChance> Of(WeekProblem problem, WeekPlan plan, Func<WeekTask, double> sd, Func<WeekTask, string> groups, int runs = 1000, int seed = 1)
    {
        var random = new Random(seed);
        var tasks = problem.Tasks.ToDictionary(t => t.Id);
        var people = problem.People.ToDictionary(p => p.Id, p => p.Hours.OrderBy(h => h.From).ToList());
        var acts = plan.Tasks.SelectMany(t => t.Stretches.Select((s, i) => (Task: tasks[t.Id], t.People, No: i, Planned: s))).OrderBy(a => a.Planned.From).ThenBy(a => a.No).ToList();
        var due = problem.Tasks.Where(t => t.Due is not null).GroupBy(groups).ToList();
        var hits = due.ToDictionary(g => g.Key, _ => 0);
        for (var run = 0; run < runs; run++)
        {
            var ends = new Dictionary<string, int>();
            var hands = people.Keys.ToDictionary(p => p, _ => (At: 0, Place: (string?)null));
            var tools = problem.Tools.ToDictionary(t => t.Kind, t => new PriorityQueue<int, int>(Enumerable.Range(0, t.Count).Select(_ => (0, 0))));
            var factor = new Dictionary<string, double>();
            foreach (var a in acts)
            {
                var stretch = a.Task.Stretches[a.No];
                if (!factor.TryGetValue(a.Task.Id, out var slow))
                {
                    // A gamma of mean 1: nothing takes less than no time, and what goes wrong takes long.
                    var cv = Math.Max(1e-6, sd(a.Task));
                    factor[a.Task.Id] = slow = Gamma.Sample(random, 1 / (cv * cv), 1 / (cv * cv));
                }

                var minutes = Math.Max(1, (int)Math.Round((a.Planned.To - a.Planned.From) * (stretch.Attended ? slow : 1)));
                var at = Math.Max(a.Task.From, a.No > 0 ? ends[a.Task.Id] : (a.Task.After ?? []).Select(x => ends.GetValueOrDefault(x)).DefaultIfEmpty(0).Max());
                if (a.No == 0 && a.Task.Pin?.Start is { } wish)
                {
                    at = Math.Max(at, wish);
                }

                if (stretch.Attended)
                {
                    at = a.People.Select(p => hands[p].At + problem.Minutes(hands[p].Place, a.Task.Place)).Append(at).Max();
                }

                foreach (var tool in stretch.Needs().Where(n => tools[n].Count > 0))
                {
                    at = Math.Max(at, tools[tool].Dequeue());
                }

                var end = stretch.Attended ? a.People.Select(p => Worked(people[p], at, minutes)).Append(at + minutes).Max() : at + minutes;
                foreach (var p in stretch.Attended ? a.People : [])
                {
                    hands[p] = (end, a.Task.Place);
                }

                foreach (var tool in stretch.Needs())
                {
                    tools[tool].Enqueue(end, end);
                }

                ends[a.Task.Id] = end;
            }

            foreach (var g in due)
            {
                hits[g.Key] += g.All(t => ends.GetValueOrDefault(t.Id, int.MaxValue) <= t.Due) ? 1 : 0;
            }
        }

        return [.. hits.Select(h => new DueChance(h.Key, (double)h.Value / runs))];
    }

    /// <summary>When so many minutes are worked, from there on, in these hours: what takes longer than it should is gone on with after the break.</summary>
    private static int Worked(List<Slot> hours, int from, int minutes)
    {
        foreach (var h in hours)
        {
            var at = Math.Max(from, h.From);
            if (at >= h.To)
            {
                continue;
            }

            if (minutes <= h.To - at)
            {
                return at + minutes;
            }

            minutes -= h.To - at;
        }

        return int.MaxValue / 2;
    }
}
