using Rhabdon.Core.Connectors;
using Rhabdon.Core.Fiber;
using Rhabdon.Core.Prep;
using Rhabdon.Core.Procedures;

namespace Rhabdon.Core.Tests;

/// <summary>Made-up procedures, valid by the way they are built: any number of steps, checks, jumps, ladders and schools.</summary>
internal static class RandomProcedures
{
    public static readonly ProcedureDocument[] Documents = [.. Enumerable.Range(1, 60).Select(Make)];

    public static readonly RunTable[] Tables = [.. Documents.Select((d, i) => ProcedureCompiler.Compile(d, new Dictionary<string, string> { ["o"] = i % 2 == 0 ? "a" : "b" }))];

    public static ProcedureDocument Make(int seed)
    {
        var random = new Random(seed);
        var count = random.Next(3, 14);
        var ladders = new List<Ladder>();
        var steps = Enumerable.Range(0, count).Select(i =>
        {
            var phase = (Phase)(i * 7 / count);
            var id = $"s{i}";
            if (random.Next(2) == 0)
            {
                return new Step(id, phase, $"Act {i}", Batch: random.Next(3) == 0, Mandatory: true, Shards: random.Next(2),
                    Timer: random.Next(5) == 0 ? new("t", random.Next(1, 90), random.Next(2) == 0) : null, Count: random.Next(5) == 0 ? new("n", 1, random.Next(1, 9)) : null);
            }

            var answers = new List<Answer> { new("good", "Good", Tone.Good, Next: true) };
            if (random.Next(2) == 0)
            {
                answers.Add(new("on", "On", Tone.Doubtful, Next: true));
            }

            ladders.Add(new($"l{i}", "Ladder",
            [
                .. Enumerable.Range(0, random.Next(3)).Select(r => new Rung($"r{r}", "Back", random.Next(9), random.Next(1, 3), Goto: $"s{random.Next(i + 1)}", Slack: (SlackCost)random.Next(4), Parts: random.Next(2) == 0 ? ["p"] : null)),
                new Rung("end", "New", random.Next(9), NewAttempt: true, SlackMm: random.Next(50), Parts: ["p"]),
            ]));
            answers.Add(new("bad", "Bad", Tone.Bad, Ladder: $"l{i}"));
            return new Step(id, phase, $"Act {i}", Mandatory: true, Check: new("?", answers));
        }).ToList();
        // One step that only one school has, and a second way past nothing that is mandatory.
        steps.Insert(steps.Count, new("extra", Phase.Finish, "Extra", When: new("o", ["a"])));
        return new($"made-up-{seed}", 1, "Made up", TerminationMethod.WedgeLocked, "Invented for the tests", new([ConnectorForm.SC], [Polish.UPC], [CableConstruction.Cordage30], [FiberClass.OM3]),
            [new("p", "Part", true)], [], new([new("jacket-edge", "Jacket", Layer.Jacket), new("buffer-edge", "Buffer", Layer.Buffer)], [new("a", "cable-end", "jacket-edge", 50), new("b", "cable-end", "buffer-edge", 30)], new Cleave("buffer-edge", 10, 1), null, 10),
            steps, ladders, [new("o", "Which?", "a", "Invented", [new("a", "A"), new("b", "B")])]);
    }
}
