using System.Text.Json;
using Rhabdon.Core.Bench;
using Rhabdon.Core.Ledger;
using Rhabdon.Core.Loss;
using Rhabdon.Core.Procedures;
using Xunit;

namespace Rhabdon.Core.Tests;

/// <summary>
/// Writes what Core makes of thousands of random walks, batches and pre-flights to .rhabdon/vectors; the browser's walker is held to
/// the same files by web/src/engine/vectors.test.ts. Every procedure, with random schools.
/// </summary>
public class VectorTests
{
    private const int WalksPerTable = 120;
    private const int WalksPerPair = 8;
    private const int BatchesPerTable = 25;
    private static readonly Instant Now = Instant.FromUtc(2026, 11, 24, 9, 0, 0);

    private static readonly List<RunTable> Tables = [.. Repo.Documents.SelectMany((d, i) => Enumerable.Range(0, 5).Select(n => ProcedureCompiler.Compile(d, RandomSchools(d, new Random((i * 10) + n), n == 0))))];

    private static Dictionary<string, string>? RandomSchools(ProcedureDocument d, Random random, bool defaults) => defaults ? null
        : Schools.OptionsOf(d).ToDictionary(o => o.Id, o => o.Choices[random.Next(o.Choices.Count)].Id);

    private static void Write(string name, object content)
    {
        var folder = Directory.CreateDirectory(Path.Combine(Repo.Root, ".rhabdon/vectors"));
        File.WriteAllText(Path.Combine(folder.FullName, name), JsonSerializer.Serialize(content, Wire.Json));
    }

    private sealed record Walk(int Table, string Inputs, int Steps, RunPosition End, IEnumerable<string> Rungs);

    private static List<Walk> Walked(IReadOnlyList<RunTable> tables, int each) => [.. tables.SelectMany((table, t) => Enumerable.Range(1, each).Select(seed =>
    {
        var walk = ProcedureTests.RandomWalk(table, seed, out var end, out var rungs);
        // Every walk is told as the places of its inputs among the keys of each state.
        var inputs = string.Concat(walk.Select(w => table.State(w.Step)!.On.Keys.ToList().IndexOf(w.Input)));
        return new Walk(t, inputs, walk.Count, end, rungs.Select(r => r.Id));
    }))];

    /// <summary>Every choice of every option with every choice of every other, of each procedure that ships now.</summary>
    [Fact]
    public void Walks_of_schools_in_pairs()
    {
        List<RunTable> tables = [.. Repo.Newest.SelectMany(d => Schools.Pairwise(d).Select(c => ProcedureCompiler.Compile(d, c)))];
        Assert.True(tables.Count > 300, $"{tables.Count}");
        Write("pairs.json", new { Tables = tables, Walks = Walked(tables, WalksPerPair) });
    }

    [Fact]
    public void Walks()
    {
        var walks = Walked(Tables, WalksPerTable);
        Assert.True(walks.Count >= 10_000);
        Assert.Contains(walks, w => w.End.Outcome == RunOutcome.GivenUp);
        Assert.Contains(walks, w => w.End.Outcome == RunOutcome.Finished);
        Write("walks.json", new { Tables, Walks = walks });
    }

    [Fact]
    public void Batches_and_preflights()
    {
        var batches = new List<object>();
        var kinds = new HashSet<string>();
        foreach (var (table, t) in Tables.Select((x, i) => (x, i)))
        {
            for (var seed = 0; seed < BatchesPerTable; seed++)
            {
                var random = new Random((t * 1000) + seed);
                var strands = Enumerable.Range(1, random.Next(1, 7)).Select(n => Somewhere(table, $"s{n}", random)).ToList();
                var last = random.Next(3) == 0 ? null : strands[random.Next(strands.Count)].Id;
                var blocked = table.States.Where(_ => random.Next(12) == 0).Select(s => s.Id).ToHashSet();
                var next = Batches.Next(table, strands, last, blocked, Now);
                kinds.Add(next.StrandId is null ? next.ReadyAt is null ? "over" : "wait" : next.Blocked ? "blocked" : next.Together.Count > 1 ? "together" : "one");
                batches.Add(new { Table = t, strands, last, blocked, Now, next });
            }
        }

        Assert.Equal(["blocked", "one", "over", "together", "wait"], kinds.Order());
        var preflights = Tables.SelectMany((table, t) => table.Preflight.SelectMany(item => Enumerable.Range(0, 8).Select(seed =>
        {
            var random = new Random((t * 100) + seed);
            PreflightAnswer? answer = seed == 0 ? null : new(item.Id, Now.Plus(Duration.FromSeconds(-random.Next(0, 3600))),
                random.Next(3) > 0 ? "L7" : " ", random.Next(4) > 0 ? new LocalDate(2026, 11, random.Next(22, 28)) : null, random.Next(4) > 0 ? random.Next(90, 101) : null);
            var timeZone = new[] { "UTC", "Pacific/Kiritimati", "Pacific/Pago_Pago" }[random.Next(3)];
            return new { item, answer, Now, timeZone, Satisfied = Preflights.Satisfied(item, answer, Now, timeZone) };
        }))).ToList();
        Assert.Contains(preflights, p => p.Satisfied);
        Write("batches.json", new { Batches = batches, Preflights = preflights });
    }

    /// <summary>What the ledger makes of each event of random runs: a device with no network lays the same over what it has.</summary>
    [Fact]
    public void Projections_and_containers()
    {
        var told = new List<object>();
        var counts = new List<object>();
        var kinds = new HashSet<EventKind>();
        foreach (var (table, t) in Tables.Select((x, i) => (x, i)).Where(x => x.i % 5 == x.i / 5 % 5))
        {
            var random = new Random(t);
            var story = new EndStory(table) { BatchId = BatchId.New() };
            var states = new List<EndState> { story.State };
            story.Start();
            states.Add(story.State);
            for (var n = 0; n < 60 && story.State.Current is { Position.StateId: { } at } run; n++)
            {
                var state = table.State(at)!;
                var last = story.Events[^1];
                var input = random.Next(6) > 0 ? state.On.Keys.First() : state.On.Keys.ElementAt(random.Next(state.On.Count));
                int? together = random.Next(4) == 0 ? 3 : null;
                _ = random.Next(8) switch
                {
                    0 when last.Kind is EventKind.StepDone or EventKind.CheckAnswered => story.Tell(EventKind.Corrected, new Corrected(last.Id)),
                    1 when state.Timer is not null => story.Tell(EventKind.TimerStarted, new TimerStarted(story.RunId, at)),
                    2 when table.Preflight.Count > 0 => story.Tell(EventKind.PreflightAnswered, new PreflightAnswered(story.RunId, new(table.Preflight[random.Next(table.Preflight.Count)].Id, Now, "L7", new LocalDate(2030, 1, 1), 99))),
                    _ when state.Question is null => story.Tell(EventKind.StepDone, new StepDone(story.RunId, at, null, state.Count?.Min, null, null, together)),
                    _ => story.Tell(EventKind.CheckAnswered, new CheckAnswered(story.RunId, at, input, null, "as seen", together)),
                };
                states.Add(story.State);
                kinds.Add(story.Events[^1].Kind);
                Instant? counted = random.Next(4) == 0 ? null : story.Events[random.Next(story.Events.Count)].At;
                counts.Add(new { Run = story.State.Current, Counted = counted, IsCounted = Shards.Counted(story.State.Current!, counted is { } c ? new Dictionary<BatchId, Instant> { [story.BatchId.Value] = c } : null) });
            }

            told.Add(new { Table = t, story.Events, States = states });
        }

        Assert.Equal([EventKind.StepDone, EventKind.CheckAnswered, EventKind.Corrected, EventKind.TimerStarted, EventKind.PreflightAnswered], kinds.Order());
        Write("projections.json", new { Told = told, Counts = counts });
    }

    /// <summary>Acts that one tap may say, and whether a reference holds: a device asks both of itself.</summary>
    [Fact]
    public void Run_ups_and_references()
    {
        var runUps = Tables.SelectMany((table, t) => table.States.Select((s, n) =>
        {
            var blocked = table.States.Where((_, i) => (i * 7) + n % 5 == 0).Select(x => x.Id).ToHashSet();
            var timerUp = (t + n) % 2 == 0;
            return new { Table = t, s.Id, blocked, timerUp, Acts = Batches.RunUp(table, s.Id, blocked, timerUp).Select(x => x.Id), Itself = Batches.StartsItself(s) };
        })).ToList();
        Assert.Contains(runUps, r => r.Acts.Count() > 2);
        Assert.Contains(runUps, r => r.Itself);
        var random = new Random(7);
        var references = Enumerable.Range(0, 400).Select(n =>
        {
            var level = n % 9 == 0 ? null : new ReferenceLevel(-20, Now.Plus(Duration.FromMinutes(random.Next(-1500, 400))), random.Next(2) == 0 ? null : -20 + (random.Next(-20, 20) / 100.0), random.Next(3) == 0 ? null : Now.Plus(Duration.FromMinutes(random.Next(-1500, 400))));
            return new { level, WavelengthNm = 850, Now, Judged = References.Judge(new(ReferenceMethod.OneCord, level is null ? new Dictionary<int, ReferenceLevel>() : new() { [850] = level }), 850, Now) };
        }).ToList();
        Assert.Equal(Enum.GetValues<ReferenceState>().Length, references.Select(r => r.Judged.State).Distinct().Count());
        var losses = Enumerable.Range(0, 400).Select(n => (LossDb: random.Next(-20, 300) / 100.0, LimitDb: random.Next(50, 250) / 100.0, RepeatabilityDb: random.Next(0, 12) / 100.0))
            .Select(x => new { x.LossDb, x.LimitDb, x.RepeatabilityDb, Verdict = InsertionLoss.Verdict(x.LossDb, x.LimitDb, x.RepeatabilityDb) }).ToList();
        Assert.Equal(Enum.GetValues<LossVerdict>().Length, losses.Select(x => x.Verdict).Distinct().Count());
        int[][] read = [[], [1310], [1310, 1550], [1310, 1550, 1625], [850, 1300]];
        var bends = Enumerable.Range(0, 200).Select(n => read[n % read.Length].ToDictionary(nm => nm, _ => random.Next(0, 120) / 100.0)).Select(b => new { LossesDb = b, Seen = Bend.Seen(b.Select(x => (x.Key, x.Value))) }).ToList();
        Assert.Equal(2, bends.Select(b => b.Seen).Distinct().Count());
        var pair = new TraceLimits(0.75, -35, "made up");
        var traces = Enumerable.Range(0, 100).Select(n => (Loss: random.Next(50, 100) / 100.0, Reflectance: n % 4 == 0 ? (double?)null : random.Next(-40, -30)))
            .Select(x => new { x.Loss, x.Reflectance, LossPass = pair.LossPass(x.Loss), ReflectancePass = pair.ReflectancePass(x.Reflectance) }).ToList();
        Write("references.json", new { RunUps = runUps, References.Rule, References = references, Losses = losses, Bend.LeastDb, Bends = bends, Pair = pair, Traces = traces });
    }

    private static BatchStrand Somewhere(RunTable table, string id, Random random)
    {
        var position = RunPosition.At(table);
        for (var n = random.Next(table.States.Count + 2); n > 0 && position.StateId is { } at; n--)
        {
            var keys = table.State(at)!.On.Keys.ToArray();
            position = RunWalk.Advance(table, position, at, random.Next(8) > 0 ? keys[0] : keys[random.Next(keys.Length)]).Position;
        }

        var timer = position.StateId is { } state ? table.State(state)!.Timer : null;
        return new(id, position, timer is not null && random.Next(3) > 0 ? Now.Plus(Duration.FromSeconds(random.Next(-300, 300))) : null);
    }
}
