using System.Collections.Concurrent;
using Rhabdon.Core;
using Rhabdon.Core.Scheduling;
using Rhabdon.Server.Web;
using Rhabdon.Store;

namespace Rhabdon.Server.Schedule;

/// <summary>Works weeks out: one of a company at a time, and as many companies' as there are cores for.</summary>
internal sealed class WeekMaker(Weeks weeks, Kits kits, TimeProvider clock, ILogger<WeekMaker> log) : QueueWorker<NextWeek>("Weeks", Math.Clamp(Environment.ProcessorCount, 1, MostLanes), clock, log)
{
    private const int MostLanes = 4;

    private static readonly TimeSpan BetweenWords = TimeSpan.FromMilliseconds(500);

    /// <summary>For each question of what one more would win.</summary>
    private const double BindSeconds = 2;

    /// <summary>Below this it wins nothing worth a word, in minutes (ours).</summary>
    private const int LeastSaved = 15;

    private readonly TimeProvider _clock = clock;

    /// <summary>What one more would win is asked only as long as nobody waits for a plan.</summary>
    private readonly ConcurrentDictionary<NextWeek, CancellationTokenSource> _binding = [];

    public override void Wake()
    {
        base.Wake();
        foreach (var (week, binding) in _binding)
        {
            // Whoever takes it out is the one who stops it: its lane does so only when it has an answer.
            if (_binding.TryRemove(KeyValuePair.Create(week, binding)))
            {
                binding.Cancel();
            }
        }
    }

    protected override Task<NextWeek?> Next(CancellationToken cancel) => weeks.Next(_clock.GetCurrentInstant(), cancel);

    protected override async Task Make(NextWeek next, CancellationToken cancel)
    {
        var work = await Work(next, cancel);
        if (work.Problem.Tasks.Count == 0)
        {
            await weeks.Keep(next, work, null, "week-empty", cancel);
            return;
        }

        using var enough = CancellationTokenSource.CreateLinkedTokenSource(cancel);
        WeekPlan? best = null;
        var solved = false;
        var telling = Tell();
        WeekPlan plan;
        try
        {
            plan = await Solving.Apart(stop => new WeekSolver(work.Problem).Solve(next.Seconds, Solving.Workers, p => Volatile.Write(ref best, p), stop), enough.Token);
        }
        catch (RefusedException x)
        {
            await weeks.Keep(next, work, null, x.Refusals[0].Plain, cancel);
            return;
        }
        finally
        {
            Volatile.Write(ref solved, true);
            await telling.ConfigureAwait(ConfigureAwaitOptions.SuppressThrowing);
        }

        cancel.ThrowIfCancellationRequested();
        var kept = Judged(work, plan, (await weeks.Times(next.CompanyId, cancel: cancel)).Methods);
        var ask = !enough.IsCancellationRequested && plan.Outcome != WeekOutcome.Impossible;
        await weeks.Keep(next, work, kept with { Binds = ask ? null : [] }, null, cancel);
        if (!ask)
        {
            return;
        }

        using var binding = CancellationTokenSource.CreateLinkedTokenSource(cancel);
        _binding[next] = binding;
        IReadOnlyList<WeekBind> binds = [];
        try
        {
            binds = await Solving.Apart(stop => Binds(work.Problem, plan, stop), binding.Token);
        }
        catch (OperationCanceledException) when (!cancel.IsCancellationRequested)
        {
            // Somebody waits for a plan.
        }
        finally
        {
            _binding.TryRemove(next, out _);
        }

        await weeks.Bind(next, binds, cancel);

        async Task Tell()
        {
            WeekPlan? told = null;
            var first = true;
            while (!Volatile.Read(ref solved))
            {
                await Task.Delay(BetweenWords, _clock, cancel);
                var now = Volatile.Read(ref best);
                if (!await weeks.Tell(next, first ? work : null, now == told || now is null ? null : new(now, [], []), _clock.GetCurrentInstant(), cancel))
                {
                    await enough.CancelAsync();
                    return;
                }

                (told, first) = (now, false);
            }
        }
    }

    private async Task<WeekWork> Work(NextWeek next, CancellationToken cancel)
    {
        var (figures, _) = await weeks.Figures(next.CompanyId, cancel);
        var wishes = (await weeks.Find(next.CompanyId, next.Monday, cancel))!.Wishes;
        var minutes = Math.Max(0, WeekClock.Minute(next.Monday, _clock.GetCurrentInstant(), await weeks.Zone(next.CompanyId, cancel)));
        return WeekWorks.Of(
            await weeks.Left(next.CompanyId, cancel), await weeks.Hands(next.CompanyId, cancel), await weeks.Times(next.CompanyId, cancel: cancel), (await kits.Figures(next.CompanyId, cancel)).Figures, figures, next.Monday, minutes, wishes.Closed, wishes.Pins);
    }

    private static KeptPlan Judged(WeekWork work, WeekPlan plan, IReadOnlyList<MethodTime> times)
    {
        if (plan.Outcome == WeekOutcome.Impossible)
        {
            return new(plan, [], []);
        }

        var labels = work.Labels.ToDictionary(l => l.Id);
        // Of a batch: what differs from connector to connector evens out, what differs from day to day does not (ours: 15 %).
        double Sd(WeekTask t) => labels[t.Id] is var l && times.FirstOrDefault(x => x.Method == l.Method) is { Minutes: > 0 } m ? Math.Sqrt(Math.Pow(m.SdMinutes / m.Minutes, 2) / Math.Max(1, l.Ends) + 0.0225) : 0.25;
        // A job of which a part is in no plan is not done by what is planned.
        var parted = work.Waiting.Select(w => w.Work.JobId.ToString()).ToHashSet();
        return new(plan, [.. WeekChances.Of(work.Problem, plan, Sd, t => labels[t.Id].JobId.ToString()).Where(c => !parted.Contains(c.Group))], []);
    }

    private static IReadOnlyList<WeekBind> Binds(WeekProblem p, WeekPlan plan, CancellationToken stop)
    {
        var used = p.Tasks.SelectMany(t => t.Stretches).SelectMany(s => s.Needs()).Distinct().ToList();
        var more = used.Select(kind => (What: kind, Problem: p with { Tools = [.. p.Tools.Select(t => t.Kind == kind ? t with { Count = t.Count + 1 } : t)] })).ToList();
        if (p.People.Count > 0)
        {
            // One who can what the first can, and works when they do.
            var like = p.People[0];
            more.Add(("person", p with { People = [.. p.People, like with { Id = "one-more" }], Tasks = [.. p.Tasks.Select(t => t.People?.Contains(like.Id) == true ? t with { People = [.. t.People, "one-more"] } : t)] }));
        }

        return
        [
            .. more.TakeWhile(_ => !stop.IsCancellationRequested).Select(x => (x.What, Plan: new WeekSolver(x.Problem).Solve(BindSeconds, Solving.Workers, null, stop))).Where(x => x.Plan.Outcome != WeekOutcome.Impossible)
                .Select(x => new WeekBind(x.What, plan.LateMinutes > x.Plan.LateMinutes ? plan.LateMinutes - x.Plan.LateMinutes : plan.LateMinutes == x.Plan.LateMinutes ? plan.FinishMinute - x.Plan.FinishMinute : 0)).Where(b => b.SavesMinutes >= LeastSaved).OrderByDescending(b => b.SavesMinutes),
        ];
    }
}
