using CsCheck;
using Rhabdon.Core.Scheduling;
using Xunit;

namespace Rhabdon.Core.Tests;

/// <summary>Small weeks of any kind: every plan can be worked as it stands, and none is better than trying all orders by all hands, which is done here without the solver.</summary>
public class SchedulePropertyTests
{
    private const int Morning = 240, Day = 480;

    private static readonly string?[] Places = [null, "here", "there", "away"];

    /// <summary>Two days, some with a break at noon, some who come late or go home at noon.</summary>
    private static readonly Gen<IReadOnlyList<Slot>> Hours = Gen.Select(Gen.Int[0, 2], Gen.Bool, Gen.Int[0, 60]).Select((kind, second, late) => (IReadOnlyList<Slot>)
    [
        .. kind switch
        {
            0 => new Slot[] { new(late, Morning), new(Morning + 30, Day) },
            1 => [new(late, Day)],
            _ => [new(late, Morning)],
        },
        .. second ? new Slot[] { new(1440, 1440 + Day) } : [],
    ]);

    private static readonly Gen<WeekPerson[]> People = Gen.Select(Hours, Gen.Bool, Gen.Bool).Select((hours, splices, slow) => new WeekPerson("", hours, splices ? ["splice"] : [], slow ? new Dictionary<string, double> { ["splice"] = 1.5 } : null)).Array[1, 2]
        .Select(all => all.Select((p, n) => p with { Id = $"p{n}" }).ToArray());

    private static readonly Gen<Travel[]> Ways = Gen.Select(Gen.Int[0, 20], Gen.Int[0, 20], Gen.Int[0, 20]).Select((a, b, c) => new Travel[] { new("here", "there", a), new("there", "away", b), new("here", "away", c) });

    private static readonly Gen<WeekTask> Task = Gen.Select(Gen.Int[1, 12], Gen.Int[0, 3], Gen.Int[0, 3], Gen.Int[0, 3], Gen.Int[0, 5]).Select((length, place, due, from, kind) => new WeekTask(
        "", [new(length * 15)], kind == 0 ? "splice" : null, Places[place], Due: due == 0 ? null : due * 150, From: from == 0 ? 90 : 0, Work: kind <= 1 ? "splice" : null));

    /// <summary>One stretch each, so that orders can be tried out; some come after the one before.</summary>
    private static readonly Gen<WeekProblem> Plain = Gen.Select(People, Gen.Select(Task, Gen.Int[0, 4]).Array[2, 5], Ways).Select((people, tasks, ways) => new WeekProblem(
        people, [], [.. tasks.Select((t, n) => t.Item1 with { Id = $"t{n}", After = t.Item2 == 0 && n > 0 ? [$"t{n - 1}"] : null })], ways));

    private static readonly Gen<WeekStretch[]> Stretches = Gen.Select(Gen.Int[1, 8], Gen.Bool, Gen.Int[0, 3]).Select((length, attended, tool) => new WeekStretch(length * 15, attended, tool switch { 0 => "oven", 1 => "meter", _ => null }, tool == 1 ? ["scope"] : null)).Array[1, 3]
        // The first needs hands, as nothing cures that nobody has made.
        .Select(s => s.Select((x, n) => n == 0 ? x with { Attended = true } : x).ToArray());

    /// <summary>Whatever a week may hold: ovens, two at a test, what was dragged, what comes after what.</summary>
    private static readonly Gen<WeekProblem> Mixed = Gen.Select(People, Gen.Select(Task, Stretches, Gen.Int[0, 9], Gen.Int[0, 40]).Array[2, 7], Ways, Gen.Int[1, 2]).Select((people, tasks, ways, ovens) => new WeekProblem(
        people, [new("oven", ovens), new("meter", 1), new("scope", 2)],
        [
            .. tasks.Select((t, n) => t.Item1 with
            {
                Id = $"t{n}", Stretches = t.Item2, Hands = t.Item3 == 0 ? people.Length : 1, After = t.Item3 is 1 or 2 && n > 0 ? [$"t{n - 1}"] : null, Pin = t.Item3 == 3 ? new(t.Item4 * 15) : null,
            }),
        ],
        ways));

    private static WeekPlan Solve(WeekProblem p) => new WeekSolver(p).Solve(20, cancel: TestContext.Current.CancellationToken);

    /// <summary>Every order of the tasks, each by everybody who may, each as early as it can be behind what its hands did before: one of these is the best.</summary>
    private static (int Late, int Finish)? Tried(WeekProblem p)
    {
        (int Late, int Finish)? best = null;
        var (ends, done) = (new Dictionary<string, int>(), p.People.ToDictionary(w => w.Id, _ => new Stack<(int Free, string? Place)>()));
        Next(0, 0);
        return best;

        void Next(int late, int finish)
        {
            if (best is { } b && (late > b.Late || (late == b.Late && finish >= b.Finish)))
            {
                return;
            }

            if (ends.Count == p.Tasks.Count)
            {
                best = (late, finish);
                return;
            }

            foreach (var t in p.Tasks.Where(t => !ends.ContainsKey(t.Id) && (t.After ?? []).All(ends.ContainsKey)))
            {
                foreach (var w in p.Fit(t))
                {
                    var minutes = WeekProblem.Minutes(w, t, t.Stretches[0]);
                    // The way is walked from wherever one was, whatever was done meanwhile that has no place.
                    var ready = done[w.Id].Select(d => d.Free + p.Minutes(d.Place, t.Place)).Concat((t.After ?? []).Select(a => ends[a])).Append(t.From).Max();
                    if (w.Hours.Where(h => Math.Max(h.From, ready) + minutes <= h.To).MinBy(h => h.From) is not { } slot)
                    {
                        continue;
                    }

                    var end = Math.Max(slot.From, ready) + minutes;
                    ends[t.Id] = end;
                    done[w.Id].Push((end, t.Place));
                    Next(late + Math.Max(0, end - (t.Due ?? end)), Math.Max(finish, end));
                    ends.Remove(t.Id);
                    done[w.Id].Pop();
                }
            }
        }
    }

    [Fact]
    public void No_order_by_any_hands_is_better_than_the_plan_that_is_called_the_best() => Plain.Sample(p =>
    {
        var (plan, tried) = (Solve(p), Tried(p));
        return tried is null ? plan.Outcome == WeekOutcome.Impossible : plan.Outcome == WeekOutcome.Best && (plan.LateMinutes, plan.FinishMinute) == tried && plan.LateBound <= plan.LateMinutes && plan.FinishBound <= plan.FinishMinute;
    }, iter: 60, threads: 1, print: p => System.Text.Json.JsonSerializer.Serialize(p, Wire.Json));

    [Fact]
    public void Every_plan_can_be_worked_as_it_stands_and_says_truly_how_late_it_is() => Mixed.Sample(p =>
    {
        var plan = Solve(p);
        if (plan.Outcome == WeekOutcome.Impossible)
        {
            // With more days for everybody and nothing wished for, it can be.
            var free = p with { People = [.. p.People.Select(w => w with { Skills = ["splice"], Hours = [.. Enumerable.Range(0, 30).Select(d => new Slot(d * 1440, (d * 1440) + 1440))] })], Tasks = [.. p.Tasks.Select(t => t with { Pin = null })] };
            return Solve(free).Outcome != WeekOutcome.Impossible && plan.Conflict.All(c => p.Tasks.Any(t => t.Id == c && t.Pin is not null));
        }

        ScheduleTests.Sound(p with { Tasks = [.. p.Tasks.Where(t => t.Work is null || t.Hands != 1 || p.People.All(w => w.Paces is null))] }, plan);
        var ends = plan.Tasks.ToDictionary(t => t.Id, t => t.Stretches[^1].To);
        return plan.LateMinutes == p.Tasks.Sum(t => Math.Max(0, ends[t.Id] - (t.Due ?? ends[t.Id])))
            && plan.FinishMinute == ends.Values.Max() && plan.LateBound <= plan.LateMinutes && plan.FinishBound <= plan.FinishMinute
            && plan.Tasks.All(t => t.LateMinutes == Math.Max(0, ends[t.Id] - (p.Tasks.Single(x => x.Id == t.Id).Due ?? ends[t.Id])));
    }, iter: 60, threads: 1, print: p => System.Text.Json.JsonSerializer.Serialize(p, Wire.Json));
}
