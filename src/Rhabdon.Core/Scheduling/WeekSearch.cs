using System.Diagnostics;
using System.Runtime.ExceptionServices;

namespace Rhabdon.Core.Scheduling;

/// <summary>
/// Better plans from a plan: blocks of work change places in the order, or tasks go to other hands, and what comes out is kept where it is not worse than a while ago
/// (late acceptance). It knows no bound, but comes near one soon, also where there are hundreds of tasks.
/// </summary>
internal sealed class WeekSearch(WeekProblem problem)
{
    /// <summary>Steps that one looks back, and the blocks up to which that is worth it (ours, tried on the week of 288 and of 2,016 ends).</summary>
    private const int Memory = 3000, MostBlocks = 150;

    /// <summary>One run of few blocks; then it begins anew with other chances.</summary>
    private const double RunSeconds = 4;

    /// <summary>A minute late weighs as much as these of the finish (ours).</summary>
    private const double LateWeight = 20;

    private readonly Lock _lock = new();
    private IReadOnlyList<PlannedTask>? _best;
    private (int Late, int Finish, long Worked) _bestCost = (int.MaxValue, int.MaxValue, long.MaxValue);

    /// <param name="begin">To begin with; null where it has to find one.</param>
    /// <param name="enough">It need not be done before this minute, without lateness.</param>
    /// <param name="threads">Runs side by side.</param>
    /// <param name="better">Each that is better than all before; one at a time.</param>
    /// <returns>The best; null where none was found.</returns>
    public IReadOnlyList<PlannedTask>? Best(IReadOnlyList<PlannedTask>? begin, double seconds, int enough, int threads, Action<IReadOnlyList<PlannedTask>>? better, CancellationToken cancel)
    {
        var clock = Stopwatch.StartNew();
        _best = begin;
        _bestCost = begin is null ? _bestCost : (begin.Sum(t => t.LateMinutes), begin.Max(t => t.Stretches[^1].To), long.MaxValue);
        bool Ended() => cancel.IsCancellationRequested || clock.Elapsed.TotalSeconds >= seconds || (_bestCost.Late == 0 && _bestCost.Finish <= enough);
        // Threads of its own: they are as patient as the one that they come from, and no request waits for them.
        var large = new FirstPlan(problem).Blocks > MostBlocks;
        ExceptionDispatchInfo? fault = null;
        List<Thread> runs = [.. Enumerable.Range(1, threads).Select(n => new Thread(() =>
        {
            try
            {
                for (var seed = n; !Ended() && fault is null; seed += threads)
                {
                    // The first goes on from what there is; the others begin anew, as what is good already is hard to leave.
                    Run(new Random(seed), seed == 1 || large ? begin : null, Ended, better);
                }
            }
            catch (Exception x)
            {
                fault = ExceptionDispatchInfo.Capture(x);
            }
        }) { IsBackground = true })];
        runs.ForEach(t => t.Start());
        runs.ForEach(t => t.Join());
        fault?.Throw();
        return _best;
    }

    private void Run(Random chance, IReadOnlyList<PlannedTask>? begin, Func<bool> ended, Action<IReadOnlyList<PlannedTask>>? better)
    {
        var clock = Stopwatch.StartNew();
        var plan = new FirstPlan(problem);
        int[] order = begin is null ? [.. plan.InOrder()] : [.. begin.Index().SelectMany(t => plan.BlocksOf(t.Index).Select(b => (b, t.Item.Stretches[plan.FirstStretch(b)].From))).OrderBy(x => x.From).Select(x => x.b)];
        var prefers = new int[plan.Tasks];
        Array.Fill(prefers, -1);
        var now = plan.Make(order, prefers) ? Cost(plan) : double.MaxValue;
        var past = new double[plan.Blocks > MostBlocks ? 1 : Memory];
        Array.Fill(past, now);
        var (tried, triedPrefers) = (new int[plan.Blocks], new int[plan.Tasks]);
        for (var step = 0; !ended() && (plan.Blocks > MostBlocks || clock.Elapsed.TotalSeconds < RunSeconds); step++)
        {
            order.CopyTo(tried, 0);
            prefers.CopyTo(triedPrefers, 0);
            for (var changes = chance.Next(3); changes >= 0; changes--)
            {
                Change(chance, tried, triedPrefers, plan);
            }

            if (!plan.Make(tried, triedPrefers))
            {
                continue;
            }

            var cost = Cost(plan);
            if (cost <= now || cost <= past[step % past.Length])
            {
                (order, tried, prefers, triedPrefers, now) = (tried, order, triedPrefers, prefers, cost);
                Keep(plan, better);
            }

            past[step % past.Length] = now;
        }
    }

    private void Keep(FirstPlan plan, Action<IReadOnlyList<PlannedTask>>? better)
    {
        lock (_lock)
        {
            var cost = (plan.Late, plan.Finish, plan.Ends);
            if (cost.CompareTo(_bestCost) >= 0)
            {
                return;
            }

            var told = (plan.Late, plan.Finish).CompareTo((_bestCost.Late, _bestCost.Finish)) < 0;
            (_best, _bestCost) = (plan.Read(), cost);
            if (told)
            {
                better?.Invoke(_best);
            }
        }
    }

    private double Cost(FirstPlan plan) => (LateWeight * plan.Late) + plan.Finish + (plan.Ends / (double)Math.Max(1, problem.People.Count)) + (plan.Blocks > MostBlocks ? plan.Mean : 0);

    private static void Change(Random chance, int[] order, int[] prefers, FirstPlan plan)
    {
        var n = order.Length;
        var (a, b) = (chance.Next(n), chance.Next(n));
        switch (chance.Next(5))
        {
            case 0:
                (order[a], order[b]) = (order[b], order[a]);
                break;
            case 1:
                var task = plan.TaskOf(order[a]);
                var fit = plan.Fit(task);
                prefers[task] = chance.Next(3) == 0 || fit.Length == 0 ? -1 : fit[chance.Next(fit.Length)];
                break;
            case 2:
                // One that is done late goes before others.
                for (var i = 0; i < 3; i++)
                {
                    var other = chance.Next(n);
                    a = plan.End(plan.TaskOf(order[other])) > plan.End(plan.TaskOf(order[a])) ? other : a;
                }

                Move(order, a, chance.Next(a + 1));
                break;
            default:
                // Taken out and put in elsewhere, mostly near.
                Move(order, a, chance.Next(2) == 0 ? b : Math.Clamp(a + chance.Next(-8, 9), 0, n - 1));
                break;
        }
    }

    private static void Move(int[] order, int from, int to)
    {
        var block = order[from];
        if (from < to)
        {
            Array.Copy(order, from + 1, order, from, to - from);
        }
        else
        {
            Array.Copy(order, to, order, to + 1, from - to);
        }

        order[to] = block;
    }
}
