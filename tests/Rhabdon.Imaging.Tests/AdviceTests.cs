using Rhabdon.Core;
using Rhabdon.Core.Bench;
using Rhabdon.Core.Connectors;
using Rhabdon.Core.Diagnosis;
using Rhabdon.Core.Inspection;
using Rhabdon.Core.Ledger;
using Rhabdon.Core.Loss;
using Rhabdon.Practice;
using Xunit;

namespace Rhabdon.Imaging.Tests;

/// <summary>
/// What following the diagnosis saves, where the truth is a body with faults (<see cref="SimulatedConnector"/>: faces that are photographed and read, light, loss from physics, hands that err at
/// other rates than the tables say) and the record says what it would say of it. Printed for docs/numbers.md.
/// </summary>
public class AdviceTests
{
    /// <summary>The figures of docs/numbers.md are of 150 (RHABDON_ADVICE=150).</summary>
    private static readonly int Connectors = int.Parse(Environment.GetEnvironmentVariable("RHABDON_ADVICE") ?? "45", System.Globalization.CultureInfo.InvariantCulture);

    private static readonly EndFaceLimitSet Faces = YamlText.Read<EndFaceLimitSet>(File.ReadAllText(Path.Combine(AppContext.BaseDirectory, "limits", "end-face-iec-61300-3-35.yaml")));

    private static readonly LossLimitSet Losses = YamlText.Read<LossLimitSet>(File.ReadAllText(Path.Combine(AppContext.BaseDirectory, "limits", "loss-tia-568.3-d.yaml")));

    private static readonly (GlassFamily Family, TerminationMethod Method, bool Multimode)[] Kinds =
        [(GlassFamily.Polished, TerminationMethod.ColdCure, true), (GlassFamily.Stub, TerminationMethod.WedgeLocked, true), (GlassFamily.Fused, TerminationMethod.SpliceOn, false)];

    [Theory]
    [InlineData(1, 0.1)]
    [InlineData(3, 0)]
    public void Following_it_costs_less_than_the_plain_ladder_and_little_more_when_its_tables_are_wrong(double factor, double leastSaved)
    {
        var (tables, ladder, advised, pulled) = (Skewed(DiagnosisTables.Shipped, factor, new Random(15)), 0.0, 0.0, 0);
        for (var (n, seed) = (0, 1000); n < Connectors; seed++)
        {
            var kind = Kinds[n % 3];
            if (Bench.Of(kind, seed).Good())
            {
                continue;
            }

            n++;
            ladder += Ladder(Bench.Of(kind, seed));
            var (minutes, again) = Advised(new Diagnoses(tables), Bench.Of(kind, seed));
            advised += minutes;
            pulled += again ? 1 : 0;
        }

        TestContext.Current.TestOutputHelper?.WriteLine($"tables off by {factor}: ladder {ladder / Connectors:F1} min, advised {advised / Connectors:F1} min, saved {1 - (advised / ladder):P0}; {pulled} of {Connectors} pulled anew");
        Assert.True(advised < ladder * (1 - leastSaved), $"{advised / Connectors:F1} against {ladder / Connectors:F1} min");
    }

    private static double Ladder(Bench at)
    {
        var acts = DiagnosisTables.Shipped.ActsOf(at.Body.Family);
        var minutes = 0.0;
        foreach (var id in new[] { "clean", "reseat", "more-polish", "more-polish", "re-cleave", "re-cleave", "replace", "replace", "new-reference", "open-tray", "swap-back", "re-pull", "re-pull" })
        {
            if (acts.FirstOrDefault(a => a.Id == id) is { } act)
            {
                minutes += act.Cost;
                at.Body.Do(id);
                if (at.Good())
                {
                    break;
                }
            }
        }

        return minutes;
    }

    private static (double Minutes, bool Pulled) Advised(Diagnoses diagnoses, Bench at)
    {
        var (tried, looked, minutes) = (new List<string>(), new Dictionary<string, string>(), 0.0);
        while (tried.Count < 20 && diagnoses.Of(new(at.Method, Observations: [.. at.Record(), .. looked.Select(l => new Observation(l.Key, l.Value))], SlackMm: 400, Tried: tried)).Next is { } next)
        {
            if (next.Act.StartsWith("look:", StringComparison.Ordinal))
            {
                var sign = DiagnosisTables.Shipped.Signs.Single(s => s.Id == next.Act[5..]);
                minutes += sign.Minutes!.Value;
                looked[sign.Id] = at.Look(sign.Id);
                continue;
            }

            minutes += DiagnosisTables.Shipped.Acts.Single(a => a.Id == next.Act).Cost;
            at.Body.Do(next.Act);
            if (at.Good())
            {
                return (minutes, next.Act == "re-pull");
            }

            tried.Add(next.Act);
        }

        return (minutes + 300, true);
    }

    /// <summary>Tables each of whose entries is off by up to a factor.</summary>
    private static DiagnosisTables Skewed(DiagnosisTables tables, double factor, Random random)
    {
        double By() => Math.Pow(factor, (2 * random.NextDouble()) - 1);
        IReadOnlyList<double> Row(IReadOnlyList<double> row)
        {
            var moved = row.Select(p => p * By()).ToList();
            return [.. moved.Select(p => p / moved.Sum())];
        }

        return tables with
        {
            Causes = tables.Causes.ToDictionary(c => c.Key, c => (IReadOnlyDictionary<GlassFamily, double>)c.Value.ToDictionary(f => f.Key, f => f.Value * By())),
            Signs = [.. tables.Signs.Select(s => s with { Given = s.Given.ToDictionary(g => g.Key, g => Row(g.Value)) })],
            Acts = [.. tables.Acts.Select(a => a with { Cures = a.Cures.ToDictionary(c => c.Key, c => 1 - Math.Min(1, (1 - c.Value) * By())) })],
        };
    }

    /// <summary>Looks at a body as a crew does, and keeps what it sees as the record does.</summary>
    private sealed class Bench(SimulatedConnector body, TerminationMethod method)
    {
        private IReadOnlyList<FaceMark>? _pictured;
        private EndFaceVerdict? _verdict;

        public SimulatedConnector Body => body;

        public TerminationMethod Method => method;

        private int[] Wavelengths => body.FiberClass == Core.Fiber.FiberClass.OM3 ? [850, 1300] : [1310, 1550];

        public static Bench Of((GlassFamily Family, TerminationMethod Method, bool Multimode) kind, int seed) => new(SimulatedConnector.Made(kind.Family, kind.Multimode, new Random(seed)), kind.Method);

        public bool Good() => Face().Pass && Wavelengths.All(nm => Judged(nm, false).Judgement.Verdict is LossVerdict.Pass or LossVerdict.MarginalUnder);

        /// <summary>What the record says of it without anybody being asked: face and loss at both wavelengths.</summary>
        public IEnumerable<Observation> Record() => Seen.Signs(Run([.. Wavelengths.Select(nm => Judged(nm, false))]), body.Family, []);

        public string Look(string sign) => sign switch
        {
            "light" => body.LeaksBehind ? "leaks-behind" : body.RedEscape switch { < 0.1 => "dark", < 0.2 => "dimmer", _ => "bright" },
            "direction" => Value(Seen.Signs(Run([.. Wavelengths.SelectMany(nm => new[] { Judged(nm, false, Direction.AToB), Judged(nm, true, Direction.BToA) })]), body.Family, []), sign),
            "reflectance" => body.ReflectanceDb > -35 ? "high" : "good",
            "where" => body.Where,
            "neighbours" => Enumerable.Range(0, 4).Count(_ => body.NeighbourBad()) switch { 0 => "sound", 4 => "all-bad", _ => "some-bad" },
            "class" => body.WrongClass ? "differs" : "matches",
            "moved" => body.Moves ? "changes" : "steady",
            _ => throw new InvalidOperationException($"Nobody looks at {sign} afterwards."),
        };

        private static string Value(IReadOnlyList<Observation> seen, string sign) => seen.Single(o => o.Sign == sign).Value;

        /// <summary>By a picture, as long as the face is the same; that a bare one is read as clean, others test.</summary>
        private EndFaceVerdict Face()
        {
            if (body.Face.Count == 0)
            {
                return EndFaces.Grade([], EndFaceClass.MmPc, Faces, method);
            }

            if (_verdict is null || !body.Face.SequenceEqual(_pictured!))
            {
                _pictured = body.Face;
                var of = body.FiberClass == Core.Fiber.FiberClass.OM3 ? EndFaceClass.MmPc : EndFaceClass.SmUpc;
                using var grey = Pictures.Grey(Microscope.Png(_pictured, new(480, 360, 260, CoreUm: Microscope.CoreUm(body.FiberClass), Seed: _pictured.Count)));
                var read = EndFaceReader.Read(grey, of);
                _verdict = SeenEndFaces.Grade(read.Findings, of, Faces, method);
            }

            return _verdict;
        }

        private LossState Judged(int nm, bool back, Direction? direction = null)
        {
            var reading = new Measured(default, ReferenceMethod.OneCord, nm, -20, -20 - body.LossDb(nm, back), Direction: direction);
            return new(default, default, default, reading, InsertionLoss.Judge(new(nm, ReferenceMethod.OneCord, reading.ReferenceDbm, reading.ReadingDbm, 0.05), new(body.FiberClass, 20, 2, 0), Losses));
        }

        private AttemptState Run(IReadOnlyList<LossState> losses) => new()
        {
            No = 1,
            RunId = default,
            ProcedureId = "",
            ProcedureVersion = 1,
            StartedBy = default,
            DeviceId = default,
            StartedAt = default,
            Position = new(null, new Dictionary<string, int>(), RunOutcome.Finished),
            Phase = default,
            Inspection = new(default, default, default, [], Face(), null),
            Losses = losses,
        };
    }
}
