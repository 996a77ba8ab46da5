using Google.OrTools.Sat;

namespace Rhabdon.Core.Scheduling;

/// <summary>
/// Before when no plan can be done, whatever its order: hands have only so many minutes, what is not interrupted leaves some of each half day over,
/// and a tool serves only so many at once. What is left out (ways, what waits for what) could only make it later.
/// </summary>
public static class WeekBound
{
    /// <summary>Ways to fill a half day that are looked at (ours); with more, durations are rounded down first, which keeps it a bound.</summary>
    private const int MostFillings = 4000;

    private const double Seconds = 0.5;

    public static int Finish(WeekProblem p)
    {
        var bound = p.Tasks.Max(t => t.From + Least(p, t).Sum());
        foreach (var (people, tasks) in Apart(p))
        {
            var from = tasks.Min(t => t.From);
            var hours = people.Select(w => Later(w.Hours, from)).ToList();
            List<int> items = [.. tasks.SelectMany(t => t.Stretches.Zip(Least(p, t)).Where(s => s.First.Attended).SelectMany(s => Enumerable.Repeat(s.Second, t.Hands)))];
            bound = Math.Max(bound, Room(hours, items.Sum()));
            if (hours.All(h => h.SequenceEqual(hours[0])))
            {
                bound = Math.Max(bound, Filled(hours[0], people.Count, items, Room(hours, items.Sum())));
            }
        }

        foreach (var tool in p.Tools.Where(t => t.Count > 0))
        {
            var users = p.Tasks.Where(t => t.Hands > 0 && t.Stretches.Any(s => s.Attended && s.Needs().Contains(tool.Kind))).ToList();
            if (users.Count > 0)
            {
                var open = Later(Union(users.SelectMany(p.Fit).SelectMany(w => w.Hours)), users.Min(t => t.From));
                bound = Math.Max(bound, Room([.. Enumerable.Repeat(open, tool.Count)], users.Sum(t => t.Stretches.Zip(Least(p, t)).Where(s => s.First.Attended && s.First.Needs().Contains(tool.Kind)).Sum(s => s.Second))));
            }
        }

        return bound;
    }

    /// <summary>What no plan can be late in sum: each task alone, as soon as it may.</summary>
    public static int Late(WeekProblem p) => p.Tasks.Sum(t => t.Due is { } due ? Math.Max(0, t.From + Least(p, t).Sum() - due) : 0);

    /// <summary>What each stretch takes the quickest of those who may do it.</summary>
    internal static IReadOnlyList<int> Least(WeekProblem p, WeekTask t)
    {
        var fit = t is { Hands: 1, Work: not null } ? p.Fit(t) : [];
        return [.. t.Stretches.Select(s => fit.Count == 0 ? s.Minutes : fit.Min(w => WeekProblem.Minutes(w, t, s)))];
    }

    /// <summary>People who share work, and that work: what is apart does not take each other's hands.</summary>
    private static IEnumerable<(List<WeekPerson> People, List<WeekTask> Tasks)> Apart(WeekProblem p)
    {
        var of = p.People.ToDictionary(w => w.Id, w => w.Id);
        string Root(string id) => of[id] == id ? id : of[id] = Root(of[id]);
        var tasks = p.Tasks.Where(t => t.Hands > 0).Select(t => (Task: t, Fit: p.Fit(t))).Where(t => t.Fit.Count > 0).ToList();
        foreach (var (_, fit) in tasks)
        {
            foreach (var w in fit)
            {
                of[Root(w.Id)] = Root(fit[0].Id);
            }
        }

        return tasks.GroupBy(t => Root(t.Fit[0].Id)).Select(g => (p.People.Where(w => Root(w.Id) == g.Key).ToList(), g.Select(t => t.Task).ToList()));
    }

    private static List<Slot> Later(IEnumerable<Slot> hours, int from) => [.. hours.Where(h => h.To > from).Select(h => h with { From = Math.Max(h.From, from) }).OrderBy(h => h.From)];

    private static List<Slot> Union(IEnumerable<Slot> hours)
    {
        var all = new List<Slot>();
        foreach (var h in hours.OrderBy(h => h.From))
        {
            if (all.Count > 0 && h.From <= all[^1].To)
            {
                all[^1] = all[^1] with { To = Math.Max(all[^1].To, h.To) };
            }
            else
            {
                all.Add(h);
            }
        }

        return all;
    }

    /// <summary>The first minute up to which all of these together have so many; behind their last hours there are none, and so it is the end of those.</summary>
    private static int Room(IReadOnlyList<List<Slot>> hours, int minutes)
    {
        var (low, high) = (0, hours.SelectMany(h => h).Select(h => h.To).DefaultIfEmpty(0).Max());
        while (low < high)
        {
            var middle = (low + high) / 2;
            if (hours.Sum(w => w.Sum(h => Math.Max(0, Math.Min(h.To, middle) - h.From))) >= minutes)
            {
                high = middle;
            }
            else
            {
                low = middle + 1;
            }
        }

        return low;
    }

    /// <summary>People with the same hours, and durations none of which is interrupted: the least of the last half day that still has to be worked.</summary>
    private static int Filled(List<Slot> hours, int people, List<int> items, int room)
    {
        List<IReadOnlyList<int>>? fillings = null;
        var (sizes, counts) = (Array.Empty<int>(), Array.Empty<int>());
        foreach (var step in new[] { 1, 5, 15, 30 })
        {
            var by = items.CountBy(m => m / step * step).Where(c => c.Key > 0).OrderByDescending(c => c.Key).ToList();
            (sizes, counts) = ([.. by.Select(b => b.Key)], [.. by.Select(b => b.Value)]);
            fillings = Fillings(sizes, counts, hours.Max(h => h.To - h.From));
            if (fillings is not null)
            {
                break;
            }
        }

        if (fillings is null)
        {
            return room;
        }

        int Sum(IReadOnlyList<int> filling) => filling.Select((n, i) => n * sizes[i]).Sum();
        for (var k = hours.TakeWhile(h => h.To < room).Count(); k < hours.Count; k++)
        {
            var m = new CpModel();
            var last = m.NewIntVar(1, hours[k].To - hours[k].From, "last");
            var made = sizes.Select(_ => new List<LinearExpr>()).ToList();
            // Half days before it, by their length, and the last one.
            foreach (var (minutes, bins) in hours.Take(k).CountBy(h => h.To - h.From).Select(b => (b.Key, b.Value * people)).Append((-1, people)))
            {
                var here = new List<IntVar>();
                foreach (var filling in fillings.Where(f => Sum(f) <= (minutes < 0 ? hours[k].To - hours[k].From : minutes)))
                {
                    var times = m.NewIntVar(0, bins, "");
                    here.Add(times);
                    foreach (var (n, i) in filling.Select((n, i) => (n, i)).Where(x => x.n > 0))
                    {
                        made[i].Add(times * n);
                    }

                    if (minutes < 0)
                    {
                        var any = m.NewBoolVar("");
                        m.Add(times <= bins * any);
                        m.Add(last >= Sum(filling)).OnlyEnforceIf(any);
                    }
                }

                m.Add(LinearExpr.Sum(here) <= bins);
            }

            foreach (var (of, count) in made.Zip(counts))
            {
                m.Add(LinearExpr.Sum(of) >= count);
            }

            m.Minimize(last);
            using var solver = new CpSolver { StringParameters = FormattableString.Invariant($"max_time_in_seconds:{Seconds},num_workers:4,random_seed:1") };
            var status = solver.Solve(m);
            if (status != CpSolverStatus.Infeasible)
            {
                return status is CpSolverStatus.Optimal or CpSolverStatus.Feasible ? Math.Max(room, hours[k].From + (int)Math.Ceiling(solver.BestObjectiveBound - 1e-6)) : Math.Max(room, hours[k].From);
            }
        }

        return room;
    }

    /// <summary>How often each duration goes into so many minutes, in all ways; null where there are too many of them.</summary>
    private static List<IReadOnlyList<int>>? Fillings(int[] sizes, int[] counts, int minutes)
    {
        var all = new List<IReadOnlyList<int>>();
        var now = new int[sizes.Length];
        return Go(0, minutes) ? all : null;

        bool Go(int i, int left)
        {
            if (i == sizes.Length)
            {
                all.Add((int[])now.Clone());
                return all.Count <= MostFillings;
            }

            for (now[i] = 0; now[i] <= counts[i] && now[i] * sizes[i] <= left; now[i]++)
            {
                if (!Go(i + 1, left - (now[i] * sizes[i])))
                {
                    return false;
                }
            }

            now[i] = 0;
            return true;
        }
    }
}
