namespace Rhabdon.Core.Scheduling;

/// <summary>An operation of a job: on which machine, for how long.</summary>
public sealed record ShopOperation(int Machine, int Duration);

/// <param name="Makespan">When the last operation ends;</param>
/// <param name="LowerBound">before which it cannot.</param>
/// <param name="Proven">It is the best that can be.</param>
/// <param name="Starts">Of each operation of each job.</param>
public sealed record ShopPlan(int Makespan, int LowerBound, bool Proven, IReadOnlyList<IReadOnlyList<int>> Starts);

/// <summary>A job shop, as the textbooks have it, put to the same solver as a week: an operation is a task with no hands, a machine a tool of which there is one.</summary>
public static class JobShops
{
    /// <exception cref="RefusedException">It cannot be; each by its field.</exception>
    public static ShopPlan Solve(IReadOnlyList<IReadOnlyList<ShopOperation>> jobs, double seconds, int workers = 8, CancellationToken cancel = default)
    {
        var f = new Figures().Require(jobs.Count is > 0 and <= 100 && jobs.Sum(j => j.Count) <= WeekProblem.MostTasks, Refusal.Of("figure-range", "jobs", ("least", 1), ("most", WeekProblem.MostTasks)));
        f.ThrowIfBad();
        foreach (var (j, job) in jobs.Index())
        {
            f.Require(job.Count > 0, Refusal.Of("figure-range", $"jobs[{j}]", ("least", 1), ("most", WeekProblem.MostTasks)));
            foreach (var (o, op) in job.Index())
            {
                f.Within($"jobs[{j}][{o}].machine", op.Machine, 0, 1000).Within($"jobs[{j}][{o}].duration", op.Duration, 1, 10_080);
            }
        }

        f.ThrowIfBad();
        static string Id(int job, int operation) => FormattableString.Invariant($"{job}.{operation}");
        var plan = new WeekSolver(new(
            [], [.. jobs.SelectMany(j => j).Select(o => o.Machine).Distinct().Select(m => new WeekTool(FormattableString.Invariant($"{m}"), 1))],
            [.. jobs.Index().SelectMany(j => j.Item.Index().Select(o => new WeekTask(Id(j.Index, o.Index), [new(o.Item.Duration, false, FormattableString.Invariant($"{o.Item.Machine}"))], Hands: 0, After: o.Index == 0 ? null : [Id(j.Index, o.Index - 1)])))], [])).Solve(seconds, workers, null, cancel);
        var starts = plan.Tasks.ToDictionary(t => t.Id, t => t.Stretches[0].From);
        return new(plan.FinishMinute, plan.FinishBound, plan.Outcome == WeekOutcome.Best, [.. jobs.Index().Select(j => (IReadOnlyList<int>)[.. j.Item.Index().Select(o => starts[Id(j.Index, o.Index)])])]);
    }
}
