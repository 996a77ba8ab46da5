using System.IO.Compression;
using System.Text.Json;
using System.Text.Json.Nodes;
using Rhabdon.Core.Ledger;
using Rhabdon.Core.Procedures;
using Xunit;

namespace Rhabdon.Core.Tests;

/// <summary>
/// What is published never changes. tests/frozen/procedures.txt names the hash of each version that was ever shipped, and
/// tests/frozen/ledgers-N.json.gz holds ledgers with the states that version N made of them: all replay alike, for ever.
/// A new version of a document, or of the ledger, adds a line or a file (RHABDON_FREEZE=1 writes what is missing); none is changed.
/// </summary>
public class PublishedTests
{
    private static readonly string Frozen = Path.Combine(Repo.Root, "tests", "frozen");
    /// <summary>Rises with each file: 3 holds the procedures as practitioners show them.</summary>
    private const int Newest = 3;

    private static readonly bool Freeze = Environment.GetEnvironmentVariable("RHABDON_FREEZE") == "1";

    [Fact]
    public void A_published_procedure_never_changes_and_every_version_has_its_number()
    {
        var file = Path.Combine(Frozen, "procedures.txt");
        var now = Repo.Documents.ToDictionary(d => $"{d.Id}/{d.Version}", ProcedureHash.Of);
        var pinned = File.Exists(file) ? File.ReadAllLines(file).Select(l => l.Split(' ')).ToDictionary(p => p[0], p => p[1]) : [];
        if (Freeze)
        {
            File.WriteAllLines(file, now.Where(n => !pinned.ContainsKey(n.Key)).ToDictionary().Concat(pinned).OrderBy(p => p.Key, StringComparer.Ordinal).Select(p => $"{p.Key} {p.Value}"));
        }

        Assert.All(pinned, p => Assert.Equal((p.Key, p.Value), (p.Key, now.GetValueOrDefault(p.Key, "gone"))));
        Assert.All(now.Keys, k => Assert.True(pinned.ContainsKey(k), $"{k} is not named in tests/frozen/procedures.txt"));
        Assert.All(Repo.Documents.GroupBy(d => d.Id), g => Assert.Equal(Enumerable.Range(1, g.Count()), g.Select(d => d.Version).Order()));

        // What is done has no words in it, and words have a place there.
        var (done, words) = (Repo.Text("procedures/cold-cure-3mm/3.yaml"), Repo.Text("procedures/cold-cure-3mm/3.en.yaml"));
        Assert.DoesNotContain("act:", done);
        Assert.Equal(now["cold-cure-3mm/3"], ProcedureHash.Of(ProcedureTexts.Read(done, words.Replace("Boot", "Strain relief boot"))));
        Assert.Equal("text-nowhere", Assert.Throws<RefusedException>(() => ProcedureTexts.Read(done, words.Replace("  boot:", "  shoe:"))).Refusals[0].Code);
        Assert.Equal("yaml-shape", Assert.Throws<RefusedException>(() => ProcedureTexts.Read(done, words.Replace("title:", "heading:"))).Refusals[0].Code);

        // Two numbers of one procedure are two procedures, unless a better wording is all that differs.
        Assert.NotEqual(now["cold-cure-3mm/1"], now["cold-cure-3mm/3"]);
        var wording = Repo.Documents.Single(d => d is { Id: "cold-cure-3mm", Version: 3 }) with { Title = "Another title" };
        Assert.Equal(now["cold-cure-3mm/3"], ProcedureHash.Of(wording));
        Assert.NotEqual(now["cold-cure-3mm/3"], ProcedureHash.Of(wording with { Steps = [.. wording.Steps.Skip(1)] }));
    }

    [Fact]
    public void A_number_that_stood_for_several_means_the_last_of_them_and_a_hash_means_its_own()
    {
        var rules = new Rules(Repo.Documents, [Repo.EndFace], [Repo.Tia]) { Renumbered = YamlText.Read<Dictionary<string, int>>(Repo.Text("procedures/renumbered.yaml")) };
        Assert.Equal(10, rules.Renumbered.Count);
        // What came after has numbers of its own.
        Assert.All(rules.Renumbered, r => Assert.True(r.Value < Repo.Documents.Where(d => d.Id == r.Key).Max(d => d.Version)));
        int Begun(int version, string? hash) => Telling.Tell(new(new EndStory(Repo.Wedge).Plan, EndState.Empty(EndStory.End), rules, new EndStory(Repo.Wedge).Make(EventKind.AttemptStarted,
            new AttemptStarted("wedge-locked-upc-3mm", version, ProcedureHash: hash), 1))).State.Current!.ProcedureVersion;
        string Hash(int version) => ProcedureHash.Of(Repo.Documents.First(d => d.Id == "wedge-locked-upc-3mm" && d.Version == version));
        Assert.Equal((4, 1, 4, 3), (Begun(1, null), Begun(1, Hash(1)), Begun(4, Hash(4)), Begun(1, Hash(3))));
    }

    [Fact]
    public void Frozen_ledgers_replay_alike()
    {
        Directory.CreateDirectory(Frozen);
        if (Freeze && !File.Exists(Path.Combine(Frozen, $"ledgers-{Newest}.json.gz")))
        {
            Write(Path.Combine(Frozen, $"ledgers-{Newest}.json.gz"));
        }

        var files = Directory.GetFiles(Frozen, "ledgers-*.json.gz");
        Assert.NotEmpty(files);
        foreach (var file in files)
        {
            using var zip = new GZipStream(File.OpenRead(file), CompressionMode.Decompress);
            var ends = JsonNode.Parse(zip)!.AsArray();
            Assert.True(ends.Count >= 20);
            foreach (var end in ends)
            {
                var of = end!["log"]![0]!["event"]!["endId"]!.Deserialize<EndId>();
                var log = end["log"]!.AsArray().Select(x => new Entry(x!["event"].Deserialize<LedgerEvent>(Wire.Json)!, Judged.Read(x["judged"]!.ToJsonString()), x["cause"]?.Deserialize<EventId>(), x["restart"]!.GetValue<bool>())).ToList();
                var now = JsonSerializer.SerializeToNode(Telling.Fold(of, log), Wire.Json)!.AsObject();
                // A later version may say more of a state; what was said stays as it was.
                AssertWithin(end["state"]!, now, $"{Path.GetFileName(file)} {end["name"]}");
            }
        }
    }

    /// <summary>Batches, jobs, crews, tools, lots and instruments of the demo, in any order.</summary>
    [Fact]
    public void Frozen_streams_replay_alike()
    {
        foreach (var file in Directory.GetFiles(Frozen, "streams-*.json.gz"))
        {
            using var zip = new GZipStream(File.OpenRead(file), CompressionMode.Decompress);
            var streams = JsonNode.Parse(zip)!.AsArray();
            Assert.NotEmpty(streams);
            foreach (var stream in streams)
            {
                var log = stream!["log"]!.AsArray().Select(x => (x!["event"].Deserialize<StreamEvent>(Wire.Json)! with { Taken = true }, Judged.Read(x["judged"]!.ToJsonString()))).Reverse().ToList();
                AssertWithin(stream["state"]!, JsonNode.Parse(Streams.Write(Streams.Fold(log)!)), $"{Path.GetFileName(file)} {stream["state"]!["id"]}");
            }
        }
    }

    /// <summary>One instant, written with its offset before and with a Z now.</summary>
    private static bool Same(JsonNode was, JsonNode? now) =>
        was.ToString() is { Length: > 16 } a && DateTimeOffset.TryParse(a, out var then) && DateTimeOffset.TryParse(now?.ToString(), out var later) && then == later;

    private static void AssertWithin(JsonNode was, JsonNode? now, string at)
    {
        switch (was)
        {
            case JsonObject o:
                Assert.All(o, p => Assert.True(p.Value is null || now?[p.Key] is not null, $"{at}.{p.Key} is gone"));
                foreach (var (key, value) in o.Where(p => p.Value is not null))
                {
                    AssertWithin(value!, now![key], $"{at}.{key}");
                }

                break;
            case JsonArray a:
                Assert.True(a.Count == now!.AsArray().Count, at);
                for (var i = 0; i < a.Count; i++)
                {
                    AssertWithin(a[i]!, now[i], $"{at}[{i}]");
                }

                break;
            default:
                Assert.True(JsonNode.DeepEquals(was, now) || Same(was, now), $"{at}: was {was}, is {now}");
                break;
        }
    }

    /// <summary>Each procedure walked, with a fall-back, a look that fails, cleaning, readings, an undo and what comes after.</summary>
    private static void Write(string file)
    {
        var ends = new JsonArray();
        foreach (var table in Repo.Newest.Select(d => Repo.Rules.Table(d.Id, d.Version)))
        {
            var story = new EndStory(table).Start();
            var ladder = table.States.FirstOrDefault(s => s.Answers.Any(a => s.On[a.Id].Ladder is not null));
            if (ladder is not null)
            {
                story.Answer(ladder.Id, ladder.Answers.First(a => ladder.On[a.Id].Ladder is not null).Id);
            }

            story.WalkTo();
            if (story.State.Current is { Position.Outcome: Bench.RunOutcome.Finished })
            {
                story.Look(new Inspection.Finding(Inspection.Zone.A, Inspection.FindingKind.Crack, 9));
                story.Tell(EventKind.Reworked, new Reworked(story.RunId, Rework.ReworkReason.Contamination));
                story.Look().Measure(850, 0.4).Measure(1300, 0.3);
                story.Tell(EventKind.Corrected, new Corrected(story.Events[^1].Id));
                story.Measure(1300, 0.35).Tell(EventKind.Accepted, new Accepted(story.RunId));
                story.Tell(EventKind.AttemptClosed, new AttemptClosed(story.RunId, Rework.ReworkReason.DamagedAfterAcceptance, true));
            }

            ends.Add(new JsonObject
            {
                ["name"] = $"{table.ProcedureId}/{table.Version}",
                ["log"] = new JsonArray([.. story.Log.Select(x => new JsonObject
                {
                    ["event"] = JsonSerializer.SerializeToNode(x.Event, Wire.Json),
                    ["judged"] = JsonNode.Parse(x.Judged.Write()),
                    ["cause"] = x.Cause?.Value,
                    ["restart"] = x.Restart,
                })]),
                ["state"] = JsonSerializer.SerializeToNode(story.State, Wire.Json),
            });
        }

        using var zip = new GZipStream(File.Create(file), CompressionLevel.SmallestSize);
        JsonSerializer.Serialize(zip, ends);
    }
}
