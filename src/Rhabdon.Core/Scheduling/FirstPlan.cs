namespace Rhabdon.Core.Scheduling;

/// <summary>A plan in one pass: what is due first, as soon as hands and tools are there. It is what the solver begins with.</summary>
internal sealed class FirstPlan(WeekProblem problem)
{
    private readonly Dictionary<string, List<(Slot Slot, string? Place)>> _hands = problem.People.ToDictionary(p => p.Id, _ => new List<(Slot, string?)>());
    private readonly Dictionary<string, List<Slot>> _tools = problem.Tools.ToDictionary(t => t.Kind, _ => new List<Slot>());

    /// <returns>Null where a task finds nobody or no time, as it may with wishes in the way.</returns>
    public IReadOnlyList<PlannedTask>? Make(IReadOnlyList<WeekTask> order)
    {
        var done = new Dictionary<string, PlannedTask>();
        // What somebody asked for at a time stands there first.
        foreach (var task in order.Where(t => t.Pin?.Start is not null).OrderBy(t => t.Pin!.Start).Concat(order.Where(t => t.Pin?.Start is null)))
        {
            var from = Math.Max(task.From, (task.After ?? []).Select(a => done.TryGetValue(a, out var before) ? before.Stretches[^1].To : 0).DefaultIfEmpty(0).Max());
            var best = Groups(task).Select(group => (Group: group, Spans: Place(task, group, from))).Where(x => x.Spans is not null).OrderBy(x => x.Spans![^1].To).ThenBy(x => x.Group.Sum(Load)).FirstOrDefault();
            if (best.Spans is null)
            {
                return null;
            }

            foreach (var (stretch, span) in task.Stretches.Zip(best.Spans))
            {
                foreach (var p in stretch.Attended ? best.Group : [])
                {
                    _hands[p.Id].Add((span, task.Place));
                }

                if (stretch.Tool is { } tool)
                {
                    _tools[tool].Add(span);
                }
            }

            done[task.Id] = new(task.Id, [.. best.Group.Select(p => p.Id)], best.Spans, task.Due is { } due ? Math.Max(0, best.Spans[^1].To - due) : 0);
        }

        return [.. problem.Tasks.Select(t => done[t.Id])];
    }

    private int Load(WeekPerson p) => _hands[p.Id].Sum(h => h.Slot.To - h.Slot.From);

    private IEnumerable<IReadOnlyList<WeekPerson>> Groups(WeekTask task)
    {
        var fit = problem.Fit(task);
        return task.Hands switch
        {
            0 => [[]],
            1 => fit.Select(p => (IReadOnlyList<WeekPerson>)[p]),
            // The least loaded first: all groups of many would be too many.
            _ => fit.Count < task.Hands ? [] : [[.. fit.OrderBy(Load).Take(task.Hands)]],
        };
    }

    private IReadOnlyList<Slot>? Place(WeekTask task, IReadOnlyList<WeekPerson> group, int from)
    {
        for (var (start, tries) = (task.Pin?.Start ?? from, 0); tries < 5000; tries++)
        {
            if (Try(task, group, start, out var spans, out var next))
            {
                return spans;
            }

            if (next is not { } later || task.Pin?.Start is not null)
            {
                return null;
            }

            start = Math.Max(later, start + 1);
        }

        return null;
    }

    /// <summary>From that minute; else the minute at which it may go.</summary>
    private bool Try(WeekTask task, IReadOnlyList<WeekPerson> group, int start, out List<Slot> spans, out int? next)
    {
        spans = [];
        next = null;
        var at = start;
        foreach (var (i, stretch) in task.Stretches.Index())
        {
            // The first begins where it is asked to; what hands do later may wait, what lies in an oven goes in at once.
            var waits = i > 0 && stretch.Attended;
            for (var tries = 0; ; tries++)
            {
                var blocked = (stretch.Attended ? group.Max(p => (int?)Free(p, task.Place, at, stretch.Minutes)) : null) is { } hands && hands != at ? hands : stretch.Tool is { } tool ? FreeTool(tool, at, stretch.Minutes) : at;
                if (blocked == at)
                {
                    break;
                }

                if (blocked == int.MaxValue || tries > 2000)
                {
                    return false;
                }

                if (!waits)
                {
                    next = start + (blocked - at);
                    return false;
                }

                at = blocked;
            }

            spans.Add(new(at, at + stretch.Minutes));
            at += stretch.Minutes;
        }

        return true;
    }

    /// <summary>The first minute from there at which these hands are free for so long; never: the largest number.</summary>
    private int Free(WeekPerson person, string? place, int from, int minutes)
    {
        var busy = _hands[person.Id];
        foreach (var hours in person.Hours.OrderBy(h => h.From))
        {
            var at = Math.Max(from, hours.From);
            for (var moved = true; moved && at + minutes <= hours.To;)
            {
                moved = false;
                foreach (var (span, other) in busy)
                {
                    var way = problem.Minutes(place, other);
                    if (at < span.To + way && span.From < at + minutes + way)
                    {
                        (at, moved) = (span.To + way, true);
                    }
                }
            }

            if (at + minutes <= hours.To)
            {
                return at;
            }
        }

        return int.MaxValue;
    }

    private int FreeTool(string kind, int from, int minutes)
    {
        var count = problem.Tools.First(t => t.Kind == kind).Count;
        if (count == 0)
        {
            return int.MaxValue;
        }

        var busy = _tools[kind];
        for (var at = from; ;)
        {
            var over = busy.Where(s => s.From < at + minutes && at < s.To).ToList();
            // The most at any one moment of it.
            var most = over.Count == 0 ? 0 : over.Select(s => Math.Max(s.From, at)).Max(m => over.Count(s => s.From <= m && m < s.To));
            if (most < count)
            {
                return at;
            }

            at = over.Min(s => s.To);
        }
    }
}
