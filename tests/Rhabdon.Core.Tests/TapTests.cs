using Rhabdon.Core.Bench;
using Rhabdon.Core.Procedures;
using Xunit;

namespace Rhabdon.Core.Tests;

/// <summary>How often a screen is touched for a batch of twelve at the bench, where every check is answered well: by the choice of the next act that the bench makes.</summary>
public class TapTests
{
    private const int Strands = 12;

    private static readonly Instant Begun = Instant.FromUtc(2026, 11, 24, 9, 0, 0);

    [Fact]
    public void Beyond_the_judgements_a_batch_of_twelve_takes_few_taps_by_every_procedure()
    {
        // Until 2026-11-27: cold cure 28, heat-cured 91, hot melt 77, splice-on 44; a timer took two taps of each strand.
        var most = Repo.Newest.ToDictionary(d => d.Id, d => Work(ProcedureCompiler.Compile(d)));
        foreach (var (id, (judgements, taps, by)) in most)
        {
            var each = by.Where(x => x.Value >= Strands).ToList();
            var said = $"{id}: {judgements} judgements, {taps} other taps: {string.Join(", ", by.Select(x => $"{x.Key} {x.Value}"))}";
            Assert.True(taps <= (each.Count * Strands) + 17, said);
            Assert.True(each.All(x => x.Key.EndsWith(" start", StringComparison.Ordinal)), said);
        }

        Assert.True(most["cold-cure-3mm"].Taps <= 4, $"{most["cold-cure-3mm"].Taps}");
        Assert.True(most["wedge-locked-upc-3mm"].Taps <= 6, $"{most["wedge-locked-upc-3mm"].Taps}");
    }

    /// <summary>Works a batch to its end, as the hands would with the bench's card.</summary>
    private static (int Judgements, int Taps, Dictionary<string, int> By) Work(RunTable table)
    {
        var strands = Enumerable.Range(1, Strands).Select(n => new BatchStrand($"{n:00}", RunPosition.At(table))).ToDictionary(s => s.Id);
        var (judgements, taps, by, now) = (0, 0, new Dictionary<string, int>(), Begun);
        string? last = null;
        void Tap(string what)
        {
            taps++;
            by[what] = by.GetValueOrDefault(what) + 1;
        }

        for (var guard = 0; guard < 5_000; guard++)
        {
            var next = Batches.Next(table, [.. strands.Values], last, new HashSet<string>(), now);
            if (next.StrandId is null)
            {
                if (next.ReadyAt is null)
                {
                    return (judgements, taps, by);
                }

                now = next.ReadyAt.Value;
                continue;
            }

            var state = table.State(next.StateId!)!;
            var all = state.Batch || table.Together > 1 ? next.Together : [next.StrandId];
            var up = strands[next.StrandId].TimerEndsAt;
            if (up > now)
            {
                now = up.Value; // an attended one: the hands hold on
            }

            var acts = Batches.RunUp(table, state.Id, new HashSet<string>(), up is not null);
            void Move(string id, RunState act)
            {
                var input = act.Question is null ? RunTable.Done : act.Answers.First(a => act.On[a.Id].Ladder is null).Id;
                strands[id] = new(id, RunWalk.Advance(table, strands[id].Position, act.Id, input).Position);
                var then = strands[id].Position.StateId is { } to ? table.State(to) : null;
                if (act.Question is not null && then is not null && Batches.StartsItself(then))
                {
                    Start(id, then);
                }
            }

            void Start(string id, RunState act) => strands[id] = strands[id] with { TimerEndsAt = now.Plus(Duration.FromSeconds(act.Timer!.DurationS)) };

            if (acts[^1] is { Timer: not null, Question: null } timed && !(acts.Count == 1 && up is not null))
            {
                Tap($"{timed.Id} start");
                foreach (var id in all)
                {
                    acts.SkipLast(1).ToList().ForEach(act => Move(id, act));
                    Start(id, timed);
                }

                last = next.StrandId;
                continue;
            }
            var check = acts[^1].Question is null ? null : acts[^1];
            if (check is null)
            {
                Tap(state.Id);
            }
            else if (check.Once)
            {
                Tap(check.Id);
            }
            else
            {
                judgements++;
            }

            var who = check?.Once == true ? [.. strands.Values.Where(s => s.Position.StateId == state.Id).Select(s => s.Id)] : all;
            foreach (var id in who)
            {
                (check is null ? acts.Take(1) : acts).ToList().ForEach(act => Move(id, act));
            }

            now = now.Plus(Duration.FromSeconds(40));
            last = next.StrandId;
        }

        throw new InvalidOperationException($"{table.ProcedureId} never ends");
    }
}
