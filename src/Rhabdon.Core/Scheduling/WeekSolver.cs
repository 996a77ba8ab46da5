using System.Diagnostics;
using Google.OrTools.Sat;
using Google.OrTools.Util;

namespace Rhabdon.Core.Scheduling;

/// <summary>A plan that is better than the one before.</summary>
public delegate void WeekProgress(WeekPlan plan);

/// <summary>
/// Who does what when: first as little lateness as can be, then the earliest finish with that lateness, then the least way and waiting with both.
/// It begins with a plan that was made in one pass, so that there is one at once; a search makes it better, CP-SAT betters and proves it where it is not too large,
/// and it says how far from the best it may still be.
/// </summary>
public sealed class WeekSolver(WeekProblem problem)
{
    /// <summary>Attended stretches up to which CP-SAT has all of it, with the way from each to each (ours).</summary>
    private const int MostExact = 110;

    /// <summary>What is easy is proven in this share of the time, before anything is searched.</summary>
    private const double EasyShare = 0.1;

    /// <summary>Of what is left then, where CP-SAT has a go at it afterwards.</summary>
    private const double SearchShare = 0.8;

    private readonly int _horizon = Horizon(problem);
    private readonly bool _exact = problem.People.Count == 0 || problem.Tasks.Sum(t => t.Hands > 0 ? t.Stretches.Count(s => s.Attended) : 0) <= MostExact;

    /// <summary>Room for everything one after another behind the last fixed time.</summary>
    private static int Horizon(WeekProblem p) => (int)Math.Min(2L * WeekProblem.MostMinutes, p.People.SelectMany(x => x.Hours).Select(h => (long)h.To).Concat(p.Tasks.Select(t => (long)Math.Max(t.From, t.Pin?.Start ?? 0))).DefaultIfEmpty(0).Max() + p.Tasks.Sum(t => (long)Math.Ceiling(t.Stretches.Sum(s => s.Minutes) * p.People.SelectMany(w => w.Paces?.Values ?? []).Append(1).Max())));

    /// <param name="seconds">At most, for all.</param>
    /// <param name="workers">Ways of looking that go on side by side; more of them than there are cores.</param>
    /// <param name="progress">Each plan that is better than the one before.</param>
    /// <exception cref="RefusedException">The problem cannot be.</exception>
    public WeekPlan Solve(double seconds, int workers = 8, WeekProgress? progress = null, CancellationToken cancel = default)
    {
        problem.Check();
        var clock = Stopwatch.StartNew();
        var best = new FirstPlan(problem).ByDue();
        var (late, finish) = (best?.Sum(t => t.LateMinutes) ?? int.MaxValue, best?.Max(t => t.Stretches[^1].To) ?? int.MaxValue);
        var (lateBound, finishBound) = (WeekBound.Late(problem), 0);
        if (best is not null)
        {
            Tell();
        }

        double Left(double share) => Math.Max(0.05, (seconds - clock.Elapsed.TotalSeconds) * share);
        bool Open() => !cancel.IsCancellationRequested && clock.Elapsed.TotalSeconds < seconds && !(late <= lateBound && finish <= finishBound);
        if (best is null)
        {
            // Wishes are in the way of a plan in one pass: with the ways left out where it is large, as what cannot be without them cannot be with them.
            var m = new Model(problem, _horizon, null, ways: _exact);
            m.Late();
            var (found, bound, status) = m.Run(Left(0.45), workers, null, cancel);
            if (!_exact && found is not null)
            {
                found = new WeekSearch(problem).Best(null, Left(0.5), 0, Threads(workers), null, cancel);
            }

            if (found is null)
            {
                return new(WeekOutcome.Impossible, [], 0, 0, 0, 0, 0, 0, 0, status == CpSolverStatus.Infeasible ? m.Conflict(Math.Max(2, Left(1))) : [.. problem.Tasks.Where(t => t.Pin?.Start is not null).Select(t => t.Id)], clock.Elapsed.TotalSeconds);
            }

            Take(found);
            lateBound = Math.Max(lateBound, bound);
        }

        // With that lateness it cannot be done before, whoever does it.
        finishBound = problem.People.Count > 0 ? WeekBound.Finish(problem) : 0;
        if (problem.People.Count == 0)
        {
            Prove(1);
        }
        else
        {
            if (_exact)
            {
                Prove(EasyShare);
            }

            if (Open())
            {
                Take(new WeekSearch(problem).Best(best, Left(_exact ? SearchShare : 1), finishBound, Threads(workers), Take, cancel));
            }

            if (_exact)
            {
                Prove(0.8);
            }
        }

        if (_exact && problem.People.Count > 0 && !cancel.IsCancellationRequested && clock.Elapsed.TotalSeconds < seconds)
        {
            var m = new Model(problem, finish, best);
            m.Ways(late, finish);
            best = m.Run(Left(1), workers, null, cancel).Tasks ?? best;
        }

        return Plan(best!, late <= lateBound && finish <= finishBound ? WeekOutcome.Best : WeekOutcome.Planned, lateBound, finishBound, clock);

        void Prove(double share)
        {
            var until = clock.Elapsed.TotalSeconds + Left(share);
            if (Open() && late > lateBound)
            {
                var m = new Model(problem, _horizon, best);
                m.Late();
                var (found, bound, _) = m.Run(Math.Max(0.05, (until - clock.Elapsed.TotalSeconds) * 0.5), workers, (tasks, _) => Take(tasks), cancel);
                lateBound = Math.Max(lateBound, bound);
                Take(found);
            }

            if (Open())
            {
                var m = new Model(problem, finish, best);
                m.Finish(late, finishBound);
                var (found, bound, _) = m.Run(Math.Max(0.05, until - clock.Elapsed.TotalSeconds), workers, (tasks, _) => Take(tasks), cancel);
                finishBound = Math.Max(finishBound, bound);
                Take(found);
            }
        }

        void Take(IReadOnlyList<PlannedTask>? tasks)
        {
            if (tasks is not null && (tasks.Sum(t => t.LateMinutes), tasks.Max(t => t.Stretches[^1].To)) is var cost && cost.CompareTo((late, finish)) < 0)
            {
                (best, late, finish) = (tasks, cost.Item1, cost.Item2);
                Tell();
            }
        }

        void Tell() => progress?.Invoke(Plan(best!, WeekOutcome.Planned, lateBound, finishBound, clock));
    }

    /// <summary>The search has no other ways to look: more of it than there are cores is slower.</summary>
    private static int Threads(int workers) => Math.Clamp(Environment.ProcessorCount, 1, Math.Min(4, workers));

    private WeekPlan Plan(IReadOnlyList<PlannedTask> tasks, WeekOutcome outcome, int lateBound, int finishBound, Stopwatch clock)
    {
        var finish = tasks.Max(t => t.Stretches[^1].To);
        var (way, idle) = Idle(tasks);
        var (worked, least) = (Worked(finish), Worked(Math.Min(finish, finishBound)));
        return new(outcome, tasks, tasks.Sum(t => t.LateMinutes), Math.Min(lateBound, tasks.Sum(t => t.LateMinutes)), finish, Math.Min(finishBound, finish), worked == 0 ? 0 : Math.Round(1.0 - ((double)least / worked), 4), way, idle, [], Math.Round(clock.Elapsed.TotalSeconds, 2));
    }

    /// <summary>Minutes up to there in which anybody works; where there are no people, all of them.</summary>
    private int Worked(int until)
    {
        var (sum, at) = (0, 0);
        if (problem.People.Count == 0)
        {
            return until;
        }

        foreach (var h in problem.People.SelectMany(p => p.Hours).OrderBy(h => h.From))
        {
            var (from, to) = (Math.Max(at, h.From), Math.Min(until, h.To));
            (sum, at) = (sum + Math.Max(0, to - from), Math.Max(at, to));
        }

        return sum;
    }

    private (int Way, int Idle) Idle(IReadOnlyList<PlannedTask> tasks)
    {
        var (way, idle) = (0, 0);
        var of = problem.Tasks.ToDictionary(t => t.Id);
        foreach (var person in problem.People)
        {
            var acts = tasks.Where(t => t.People.Contains(person.Id)).SelectMany(t => t.Stretches.Zip(of[t.Id].Stretches).Where(x => x.Second.Attended).Select(x => (x.First, of[t.Id].Place))).OrderBy(x => x.First.From).ToList();
            foreach (var (a, b) in acts.Pairwise())
            {
                var go = problem.Minutes(a.Place, b.Place);
                way += go;
                if (person.Hours.Any(h => h.From <= a.First.From && b.First.To <= h.To))
                {
                    idle += Math.Max(0, b.First.From - a.First.To - go);
                }
            }
        }

        return (way, idle);
    }

    /// <summary>The constraints of a plan, once for each thing that is to be as small as can be.</summary>
    private sealed class Model
    {
        private readonly CpModel _m = new();
        private readonly WeekProblem _p;
        private readonly Dictionary<string, IntVar[]> _starts = [];
        private readonly Dictionary<string, List<(string Person, BoolVar Does)>> _does = [];
        private readonly Dictionary<string, LinearExpr> _ends = [];
        private readonly Dictionary<string, BoolVar> _wishes = [];
        private readonly List<(WeekTask Task, IntVar Late)> _late = [];
        private readonly IntVar _finish;

        public Model(WeekProblem p, int horizon, IReadOnlyList<PlannedTask>? hint, bool ways = true)
        {
            _p = p;
            var hands = p.People.ToDictionary(x => x.Id, _ => new List<IntervalVar>());
            var tools = p.Tools.ToDictionary(x => x.Kind, _ => new List<IntervalVar>());
            var acts = new List<(WeekTask Task, WeekStretch Stretch, LinearExpr Start)>();
            var people = p.People.ToDictionary(x => x.Id);
            var paced = p.People.Any(x => x.Paces?.Count > 0);
            _finish = _m.NewIntVar(0, horizon, "finish");
            foreach (var t in p.Tasks)
            {
                var fit = p.Fit(t);
                var least = WeekBound.Least(p, t);
                var starts = t.Stretches.Select((_, i) => Start(t, i, fit, least, horizon)).ToArray();
                _starts[t.Id] = starts;
                var does = t.Hands == 0 ? [] : fit.Select(w => (w.Id, Does: _m.NewBoolVar($"{t.Id}@{w.Id}"))).ToList();
                _does[t.Id] = does;
                // Without enough people it is impossible, and said so like any wish.
                _m.Add(LinearExpr.Sum(does.Select(d => d.Does)) == t.Hands);
                if (t.Pin is { Start: { } at })
                {
                    var wish = _m.NewBoolVar($"wish.{t.Id}");
                    _wishes[t.Id] = wish;
                    _m.Add(starts[0] == at).OnlyEnforceIf(wish);
                }

                LinearExpr? end = null;
                foreach (var (i, s) in t.Stretches.Index())
                {
                    if (end is not null)
                    {
                        _m.Add(s.Attended ? starts[i] >= end : starts[i] == end);
                    }

                    var own = paced && s.Attended && t is { Hands: 1, Work: not null };
                    end = own ? starts[i] + LinearExpr.Sum(does.Select(d => d.Does * WeekProblem.Minutes(people[d.Item1], t, s))) : starts[i] + s.Minutes;
                    foreach (var tool in s.Needs().Where(_ => own))
                    {
                        tools[tool].AddRange(does.Select(d => _m.NewOptionalFixedSizeIntervalVar(starts[i], WeekProblem.Minutes(people[d.Item1], t, s), d.Does, $"{t.Id}.{i}.{tool}@{d.Item1}")));
                    }

                    foreach (var tool in s.Needs().Where(_ => !own))
                    {
                        tools[tool].Add(_m.NewFixedSizeIntervalVar(starts[i], s.Minutes, $"{t.Id}.{i}.{tool}"));
                    }

                    if (s.Attended && t.Hands > 0)
                    {
                        acts.Add((t, s, starts[i]));
                        foreach (var (w, d) in does)
                        {
                            hands[w].Add(_m.NewOptionalFixedSizeIntervalVar(starts[i], WeekProblem.Minutes(people[w], t, s), d, $"{t.Id}.{i}@{w}"));
                        }
                    }
                }

                _ends[t.Id] = end!;
                _m.Add(_finish >= end!);
                if (t.Due is { } due)
                {
                    var late = _m.NewIntVar(0, horizon, $"{t.Id}.late");
                    _m.Add(late >= end! - due);
                    _late.Add((t, late));
                }
            }

            foreach (var t in p.Tasks)
            {
                foreach (var a in t.After ?? [])
                {
                    _m.Add(_starts[t.Id][0] >= _ends[a]);
                }
            }

            foreach (var w in p.People)
            {
                // Between hours, before the first and after the last: nobody's time.
                var at = 0;
                var alike = !paced && p.People.All(x => x.Hours.SequenceEqual(w.Hours));
                foreach (var h in w.Hours.OrderBy(h => h.From).Append(new(horizon, horizon)))
                {
                    // Where all have the same hours, what hands do begins in them anyway.
                    if (h.From > at && !alike)
                    {
                        hands[w.Id].Add(_m.NewFixedSizeIntervalVar(_m.NewConstant(at), h.From - at, $"off.{w.Id}.{at}"));
                    }

                    at = Math.Max(at, h.To);
                }

                _m.AddNoOverlap(hands[w.Id]);
            }

            foreach (var tool in p.Tools)
            {
                if (tool.Count == 1)
                {
                    _m.AddNoOverlap(tools[tool.Kind]);
                }
                else if (tool.Count < tools[tool.Kind].Count)
                {
                    var all = _m.AddCumulative(tool.Count);
                    all.AddDemands(tools[tool.Kind], tools[tool.Kind].Select(_ => 1L));
                }
            }

            if (ways)
            {
                Travel(acts);
            }

            if (hint is not null)
            {
                foreach (var h in hint)
                {
                    foreach (var (v, span) in _starts[h.Id].Zip(h.Stretches))
                    {
                        _m.AddHint(v, span.From);
                    }

                    foreach (var (person, does) in _does[h.Id])
                    {
                        _m.AddHint(does, h.People.Contains(person) ? 1 : 0);
                    }
                }

                _m.AddHint(_finish, hint.Max(h => h.Stretches[^1].To));
            }

            foreach (var wish in _wishes.Values)
            {
                _m.AddHint(wish, 1);
            }
        }

        /// <summary>When a stretch can begin: where hands are needed, in somebody's hours; with what is before and behind it within the horizon.</summary>
        private IntVar Start(WeekTask t, int i, IReadOnlyList<WeekPerson> fit, IReadOnlyList<int> least, int horizon)
        {
            var (from, to) = (t.From + least.Take(i).Sum(), horizon - least.Skip(i).Sum());
            var minutes = least[i];
            long[][] spans = t.Stretches[i].Attended && t.Hands > 0
                ? [.. fit.SelectMany(p => p.Hours).Distinct().Select(h => new long[] { Math.Max(from, h.From), Math.Min(to, h.To - minutes) }).Where(x => x[0] <= x[1])]
                : from <= to ? [[from, to]] : [];
            if (spans.Length > 0)
            {
                return _m.NewIntVarFromDomain(Domain.FromIntervals(spans), $"{t.Id}.{i}");
            }

            // It fits nowhere.
            _m.AddBoolOr([]);
            return _m.NewIntVar(0, 0, $"{t.Id}.{i}");
        }

        /// <summary>Whoever does both has the way between them.</summary>
        private void Travel(List<(WeekTask Task, WeekStretch Stretch, LinearExpr Start)> acts)
        {
            var people = _p.People.ToDictionary(x => x.Id);
            for (var i = 0; i < acts.Count; i++)
            {
                for (var j = i + 1; j < acts.Count; j++)
                {
                    var (a, b) = (acts[i], acts[j]);
                    if (a.Task == b.Task || _p.Minutes(a.Task.Place, b.Task.Place) is not (> 0 and var way))
                    {
                        continue;
                    }

                    BoolVar? before = null;
                    foreach (var (person, x) in _does[a.Task.Id])
                    {
                        if (_does[b.Task.Id].FirstOrDefault(d => d.Person == person).Does is { } y)
                        {
                            before ??= _m.NewBoolVar($"way.{i}.{j}");
                            _m.Add(b.Start >= a.Start + (WeekProblem.Minutes(people[person], a.Task, a.Stretch) + way)).OnlyEnforceIf([before, x, y]);
                            _m.Add(a.Start >= b.Start + (WeekProblem.Minutes(people[person], b.Task, b.Stretch) + way)).OnlyEnforceIf([before.Not(), x, y]);
                        }
                    }
                }
            }
        }

        private LinearExpr Lateness => LinearExpr.Sum(_late.Select(l => l.Late));

        private void Hold()
        {
            foreach (var wish in _wishes.Values)
            {
                _m.Add(wish == 1);
            }
        }

        public void Late()
        {
            Hold();
            _m.Minimize(Lateness);
        }

        public void Finish(int late, int bound)
        {
            Hold();
            _m.Add(_finish >= bound);
            if (_late.Count > 0)
            {
                _m.Add(Lateness <= late);
            }

            _m.Minimize(_finish);
        }

        /// <summary>Each place that somebody comes to costs its way; all begins as early as it may.</summary>
        public void Ways(int late, int finish)
        {
            Hold();
            if (_late.Count > 0)
            {
                _m.Add(Lateness <= late);
            }

            _m.Add(_finish <= finish);
            var costs = new List<LinearExpr>();
            foreach (var place in _p.Tasks.Select(t => t.Place).OfType<string>().Distinct())
            {
                var way = _p.Travel.Where(t => t.From == place || t.To == place).Select(t => t.Minutes).DefaultIfEmpty(0).Min();
                foreach (var person in way > 0 ? _p.People : [])
                {
                    var comes = _m.NewBoolVar($"comes.{person.Id}.{place}");
                    foreach (var t in _p.Tasks.Where(t => t.Place == place))
                    {
                        if (_does[t.Id].FirstOrDefault(d => d.Person == person.Id).Does is { } does)
                        {
                            _m.AddImplication(does, comes);
                        }
                    }

                    costs.Add(comes * (way * 50));
                }
            }

            costs.AddRange(_starts.Values.SelectMany(s => s));
            _m.Minimize(LinearExpr.Sum(costs));
        }

        public (IReadOnlyList<PlannedTask>? Tasks, int Bound, CpSolverStatus Status) Run(double seconds, int workers, Action<IReadOnlyList<PlannedTask>, int>? better, CancellationToken cancel)
        {
            using var solver = new CpSolver { StringParameters = FormattableString.Invariant($"max_time_in_seconds:{seconds:0.###},num_workers:{workers},random_seed:1") };
            using var stop = cancel.Register(solver.StopSearch);
            using var told = new Told(this, better);
            var status = solver.Solve(_m, told);
            var bound = status is CpSolverStatus.Optimal or CpSolverStatus.Feasible or CpSolverStatus.Unknown && double.IsFinite(solver.BestObjectiveBound) ? (int)Math.Clamp(Math.Ceiling(solver.BestObjectiveBound - 1e-6), 0, int.MaxValue) : 0;
            return (status is CpSolverStatus.Optimal or CpSolverStatus.Feasible ? Read(solver.Value, solver.BooleanValue) : null, bound, status);
        }

        /// <summary>Of the wishes, some that cannot hold together: none of them could be left out of it.</summary>
        public IReadOnlyList<string> Conflict(double seconds)
        {
            var clock = Stopwatch.StartNew();
            var core = _wishes.Keys.ToList();
            foreach (var id in core.ToList())
            {
                if (clock.Elapsed.TotalSeconds > seconds || core.Count == 1)
                {
                    break;
                }

                // Without this one it is still impossible: then it is not what is in the way.
                if (!Holds([.. core.Where(x => x != id)], 1))
                {
                    core.Remove(id);
                }
            }

            return core;
        }

        private bool Holds(IReadOnlyList<string> wishes, double seconds)
        {
            var other = new Model(_p with { Tasks = [.. _p.Tasks.Select(t => t.Pin?.Start is null || wishes.Contains(t.Id) ? t : t with { Pin = t.Pin with { Start = null } })] }, Horizon(_p), null);
            other.Hold();
            return other.Run(seconds, 2, null, default).Status != CpSolverStatus.Infeasible;
        }

        private IReadOnlyList<PlannedTask> Read(Func<IntVar, long> value, Func<ILiteral, bool> does) =>
        [
            .. _p.Tasks.Select(t => (Task: t, People: _p.People.Where(w => _does[t.Id].Any(d => d.Person == w.Id && does(d.Does))).ToList()))
                .Select(x => (x.Task, x.People, Spans: _starts[x.Task.Id].Zip(x.Task.Stretches, (v, s) => new Slot((int)value(v), (int)value(v) + (x.People.Count == 1 ? WeekProblem.Minutes(x.People[0], x.Task, s) : s.Minutes))).ToList()))
                .Select(x => new PlannedTask(x.Task.Id, [.. x.People.Select(w => w.Id)], x.Spans, x.Task.Due is { } due ? Math.Max(0, x.Spans[^1].To - due) : 0)),
        ];

        private sealed class Told(Model model, Action<IReadOnlyList<PlannedTask>, int>? better) : CpSolverSolutionCallback
        {
            public override void OnSolutionCallback() =>
                better?.Invoke(model.Read(v => Value(v), l => BooleanValue(l)), (int)Math.Clamp(Math.Ceiling(BestObjectiveBound() - 1e-6), 0, int.MaxValue));
        }
    }
}
