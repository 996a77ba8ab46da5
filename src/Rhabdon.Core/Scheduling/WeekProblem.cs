namespace Rhabdon.Core.Scheduling;

/// <summary>From one minute to another, counted from the beginning of the plan; the last is not in it.</summary>
public sealed record Slot(int From, int To);

/// <param name="Hours">When they work. What hands do lies within one of them, as a break is not worked through.</param>
/// <param name="Skills">What they can do; a task that asks for none is anybody's.</param>
/// <param name="Paces">By a task's work: how many times as long as its minutes it takes these hands; 1 where it is not listed.</param>
public sealed record WeekPerson(string Id, IReadOnlyList<Slot> Hours, IReadOnlyList<string> Skills, IReadOnlyDictionary<string, double>? Paces = null);

/// <summary>Tools that are shared, by kind: ovens, splicers, scopes, meters, plates.</summary>
/// <param name="Count">How many tasks can have one at the same time.</param>
public sealed record WeekTool(string Kind, int Count);

/// <param name="Attended">Hands are at it. What is not attended begins as soon as what was before it has ended, and may go on after hours.</param>
/// <param name="Tool">That it needs; null for none.</param>
/// <param name="Also">Tools that it needs besides, at the same time.</param>
public sealed record WeekStretch(int Minutes, bool Attended = true, string? Tool = null, IReadOnlyList<string>? Also = null)
{
    public IEnumerable<string> Needs() => (Tool is null ? [] : new[] { Tool }).Concat(Also ?? []).Distinct();
}

/// <summary>What is asked for by somebody: it holds, or it is said that it cannot.</summary>
/// <param name="Start">Minute at which it begins; null where the plan chooses.</param>
/// <param name="People">Whose it is; null where the plan chooses.</param>
public sealed record WeekPin(int? Start, IReadOnlyList<string>? People = null);

/// <summary>A piece of work, done by the same hands from its first stretch to its last.</summary>
/// <param name="Stretches">One after another.</param>
/// <param name="Place">Where; null where that does not matter.</param>
/// <param name="Hands">How many people it binds; 0 where none.</param>
/// <param name="From">Not before, as before the cable is pulled.</param>
/// <param name="Due">Later than this it is late; null for never.</param>
/// <param name="After">Tasks that have to be done before.</param>
/// <param name="People">Nobody else; null for all that have the skill.</param>
/// <param name="Work">By which somebody has a pace of their own; what binds more than one goes by the task's minutes.</param>
public sealed record WeekTask(
    string Id, IReadOnlyList<WeekStretch> Stretches, string? Skill = null, string? Place = null, int Hands = 1, int From = 0, int? Due = null, IReadOnlyList<string>? After = null, IReadOnlyList<string>? People = null, WeekPin? Pin = null, string? Work = null);

/// <param name="Minutes">There, and back as well.</param>
public sealed record Travel(string From, string To, int Minutes);

public sealed record WeekProblem(IReadOnlyList<WeekPerson> People, IReadOnlyList<WeekTool> Tools, IReadOnlyList<WeekTask> Tasks, IReadOnlyList<Travel> Travel)
{
    /// <summary>What one plan takes in (ours).</summary>
    public const int MostTasks = 1000, MostPeople = 100, MostStretches = 8, MostMinutes = 60 * 24 * 60;

    /// <summary>Of hands (ours).</summary>
    public const double LeastPace = 0.2, MostPace = 5;

    /// <summary>Who may do a task.</summary>
    public IReadOnlyList<WeekPerson> Fit(WeekTask task) => [.. People.Where(p => (task.Skill is null || p.Skills.Contains(task.Skill)) && (task.People is null || task.People.Contains(p.Id)) && (task.Pin?.People is null || task.Pin.People.Contains(p.Id)))];

    public int Minutes(string? from, string? to) => from is null || to is null || from == to ? 0
        : Travel.FirstOrDefault(t => (t.From == from && t.To == to) || (t.From == to && t.To == from))?.Minutes ?? 0;

    /// <summary>What a stretch takes these hands.</summary>
    public static int Minutes(WeekPerson person, WeekTask task, WeekStretch stretch) =>
        stretch.Attended && task is { Hands: 1, Work: { } work } && person.Paces?.TryGetValue(work, out var pace) == true ? Math.Max(1, (int)Math.Round(stretch.Minutes * pace)) : stretch.Minutes;

    /// <exception cref="RefusedException">It cannot be; each by its field.</exception>
    public void Check()
    {
        var f = new Figures()
            .Require(Tasks.Count is > 0 and <= MostTasks, Refusal.Of("figure-range", "tasks", ("least", 1), ("most", MostTasks)))
            .Require(People.Count <= MostPeople, Refusal.Of("figure-range", "people", ("least", 0), ("most", MostPeople)))
            .Require(Tools.Count <= MostTasks, Refusal.Of("figure-range", "tools", ("least", 0), ("most", MostTasks)))
            .Require(Travel.Count <= MostTasks, Refusal.Of("figure-range", "travel", ("least", 0), ("most", MostTasks)));
        Once("people", People.Select(p => p.Id));
        Once("tools", Tools.Select(t => t.Kind));
        Once("tasks", Tasks.Select(t => t.Id));
        f.ThrowIfBad();
        var (tools, tasks, people) = (Tools.Select(t => t.Kind).ToHashSet(), Tasks.Select(t => t.Id).ToHashSet(), People.Select(p => p.Id).ToHashSet());
        foreach (var (i, p) in People.Index())
        {
            f.Require(p.Hours.Count <= MostTasks && p.Hours.All(h => h.From >= 0 && h.To > h.From && h.To <= MostMinutes) && p.Hours.OrderBy(h => h.From).Pairwise().All(x => x.First.To <= x.Second.From), Refusal.Of("hours-shape", $"people[{i}].hours"))
                .Require((p.Paces?.Count ?? 0) <= MostTasks && (p.Paces ?? new Dictionary<string, double>()).Values.All(x => x is >= LeastPace and <= MostPace), Refusal.Of("figure-range", $"people[{i}].paces", ("least", LeastPace), ("most", MostPace)));
        }

        foreach (var (i, t) in Tools.Index())
        {
            f.Within($"tools[{i}].count", t.Count, 0, 1000);
        }

        foreach (var (i, t) in Travel.Index())
        {
            f.Within($"travel[{i}].minutes", t.Minutes, 0, 1440);
        }

        foreach (var (i, t) in Tasks.Index())
        {
            var at = $"tasks[{i}]";
            f.Require(t.Stretches.Count is > 0 and <= MostStretches, Refusal.Of("figure-range", $"{at}.stretches", ("least", 1), ("most", MostStretches)))
                .Within($"{at}.hands", t.Hands, 0, 4).Within($"{at}.from", t.From, 0, MostMinutes)
                .Within($"{at}.due", t.Due ?? 0, 0, MostMinutes).Within($"{at}.pin.start", t.Pin?.Start ?? 0, 0, MostMinutes);
            foreach (var (n, s) in t.Stretches.Index())
            {
                f.Within($"{at}.stretches[{n}].minutes", s.Minutes, 1, 10_080).Require(s.Tool is null || tools.Contains(s.Tool), Refusal.Of("tool-kind-unknown", $"{at}.stretches[{n}].tool", ("tool", s.Tool ?? "")))
                    .Require((s.Also ?? []).All(tools.Contains), Refusal.Of("tool-kind-unknown", $"{at}.stretches[{n}].also", ("tool", s.Also?.FirstOrDefault(x => !tools.Contains(x)) ?? "")));
            }

            f.Require((t.After ?? []).All(tasks.Contains), Refusal.Of("task-unknown", $"{at}.after"))
                .Require((t.Pin?.People ?? t.People ?? []).All(people.Contains), Refusal.Of("person-unknown", $"{at}.people"));
        }

        f.ThrowIfBad();
        f.Require(InOrder() is not null, Refusal.Of("task-circle", "tasks"));
        f.ThrowIfBad();

        void Once(string field, IEnumerable<string> ids) => f.Require(ids.CountBy(i => i).All(i => i.Key.Length is > 0 and <= 80 && i.Value == 1), Refusal.Of("ids-once", field));
    }

    /// <summary>Tasks with each behind what it comes after; null where they go in a circle.</summary>
    internal IReadOnlyList<WeekTask>? InOrder()
    {
        var (left, done, order) = (Tasks.OrderBy(t => t.Due ?? int.MaxValue).ThenBy(t => t.From).ToList(), new HashSet<string>(), new List<WeekTask>());
        while (left.Count > 0)
        {
            var next = left.FirstOrDefault(t => (t.After ?? []).All(done.Contains));
            if (next is null)
            {
                return null;
            }

            left.Remove(next);
            done.Add(next.Id);
            order.Add(next);
        }

        return order;
    }
}

public enum WeekOutcome
{
    /// <summary>Nothing better can be found.</summary>
    Best,
    Planned,
    /// <summary>What is asked for cannot hold together: see the conflict.</summary>
    Impossible,
}

/// <param name="LateMinutes">0 where it is in time.</param>
public sealed record PlannedTask(string Id, IReadOnlyList<string> People, IReadOnlyList<Slot> Stretches, int LateMinutes);

/// <summary>A plan, and how good it can be.</summary>
/// <param name="LateMinutes">Of all tasks together;</param>
/// <param name="LateBound">below which it cannot be.</param>
/// <param name="FinishMinute">When the last is done;</param>
/// <param name="FinishBound">before which it cannot be, with that lateness.</param>
/// <param name="Gap">Share of the working time up to the finish that could still be won, at most.</param>
/// <param name="TravelMinutes">Between places, as the plan has it.</param>
/// <param name="IdleMinutes">Of those who work on a day, between their first and their last act, neither at work nor on the way.</param>
/// <param name="Conflict">Tasks whose wishes cannot hold together.</param>
public sealed record WeekPlan(
    WeekOutcome Outcome, IReadOnlyList<PlannedTask> Tasks, int LateMinutes, int LateBound, int FinishMinute, int FinishBound, double Gap, int TravelMinutes, int IdleMinutes, IReadOnlyList<string> Conflict, double Seconds);

public static class Pairs
{
    public static IEnumerable<(T First, T Second)> Pairwise<T>(this IEnumerable<T> all) => all.Zip(all.Skip(1));
}
