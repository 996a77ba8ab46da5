using System.Text.Json;
using Rhabdon.Core;
using Rhabdon.Core.Bench;
using Rhabdon.Core.Fiber;
using Rhabdon.Core.Inspection;
using Rhabdon.Core.Ledger;
using Rhabdon.Core.Loss;
using Rhabdon.Core.Procedures;
using Rhabdon.Core.Rework;
using Rhabdon.Imaging;
using Rhabdon.Instruments;
using Rhabdon.Practice;
using Rhabdon.Store;

namespace Rhabdon.Server.Demo;

/// <summary>Writes the events of one demo person's working days. The same seed writes the same events.</summary>
public sealed class DemoTeller(Random random, Instant startsAt, DeviceId deviceId, PersonId actorId, Rules rules)
{
    private Instant _now = startsAt;
    private long _seq;
    private BatchId _batchId;
    private bool _farMade;
    private PlannedConnector _plan = null!;
    private EndState _state = EndState.Empty(default);

    /// <summary>Of the adhesive that is open.</summary>
    public string Lot { get; init; } = "GR-118";

    /// <summary>The cleaver that stubs are cleaved with, where it is named.</summary>
    public ToolId? Cleaver { get; init; }

    /// <summary>The crew's meter, where readings name it.</summary>
    public InstrumentId? Meter { get; init; }

    /// <summary>False where nothing was photographed.</summary>
    public bool Photographed { get; init; } = true;

    /// <summary>What was said, in order.</summary>
    public List<(Instant At, Incoming In)> Said { get; } = [];

    private readonly Dictionary<BatchId, int> _shards = [];

    /// <summary>What the last end has left in its batch's container.</summary>
    public void Close()
    {
        _shards[_batchId] = _shards.GetValueOrDefault(_batchId) + _state.Attempts.Sum(a => a.Shards);
        _state = EndState.Empty(default);
    }

    /// <param name="batchId">The batch that the end was worked in.</param>
    /// <param name="lossDb">The link's loss by wavelength: both ends of a link show the same.</param>
    /// <param name="farMade">The connector at the far end is finished, too.</param>
    public void Tell(string story, EndId endId, BatchId batchId, RunTable table, PlannedConnector plan, Func<int, double> lossDb, bool farMade)
    {
        Close();
        _plan = plan;
        _farMade = farMade;
        _state = EndState.Empty(endId);
        _batchId = batchId;
        if (story == "planned")
        {
            return;
        }

        var (checkStep, badAnswer, givesUp) = table.Method == Core.Connectors.TerminationMethod.WedgeLocked ? ("glow", "bright", 2) : ("glance", "fine-scratches", 3);
        Start(table);
        if (story.StartsWith("at:", StringComparison.Ordinal))
        {
            Walk(table, story[3..]);
            return;
        }

        if (story.StartsWith("back:", StringComparison.Ordinal))
        {
            Answer(table, checkStep, badAnswer);
            Walk(table, story[5..]);
            return;
        }

        if (story is "at-bench")
        {
            Walk(table, table.States[random.Next(2, table.States.Count - 1)].Id);
            return;
        }

        if (story is "looped" or "looped-at-bench")
        {
            Walk(table, checkStep);
            if (Photographed && table.Method == Core.Connectors.TerminationMethod.WedgeLocked)
            {
                SeeCleave();
                SeeLight(table);
            }

            Answer(table, checkStep, badAnswer);
        }

        if (story is "looped-at-bench")
        {
            Walk(table, checkStep);
            return;
        }

        if (story is "remade" or "to-remake")
        {
            for (var i = 0; i < givesUp; i++)
            {
                Answer(table, checkStep, badAnswer);
            }

            if (story == "to-remake")
            {
                return;
            }

            Start(table);
        }

        if (story == "nearly-out")
        {
            for (var i = 0; i < 4; i++)
            {
                Walk(table);
                Look([new(Zone.A, FindingKind.Crack, 9)]);
                Write(EventKind.AttemptClosed, new AttemptClosed(Run, ReworkReason.CoreChippedOrCracked, true));
                Start(table);
            }
        }

        // A cleave that was flat, a glow that did not dim, and went on all the same: it lies short of the stub.
        if (story == "sunk")
        {
            Walk(table, checkStep);
            SeeCleave(0.4);
            SeeLight(table, 0.89, LightSeen.Unchanged);
        }
        else if (story == "wrong-class" && table.Method == Core.Connectors.TerminationMethod.WedgeLocked)
        {
            Walk(table, checkStep);
            Write(EventKind.LightJudged, new LightJudged(Run, LightSeen.NoneVisible));
        }

        Walk(table);
        Finish(story, lossDb);
    }

    /// <summary>True for the stories at whose end the connector is finished.</summary>
    public static bool Finishes(string? story) => story is not (null or "planned" or "at-bench" or "looped-at-bench" or "to-remake") && !story.Contains(':', StringComparison.Ordinal);

    /// <summary>What the instruments gave meanwhile.</summary>
    public List<(EvidenceId Id, EndId EndId, EvidenceKind Kind, string ContentType, byte[] Bytes, Instant At, KeptEvidence? Read)> Evidence { get; } = [];

    private RunId Run => _state.Current!.RunId;

    private void Finish(string story, Func<int, double> lossDb)
    {
        if (story is "to-look" or "nearly-out")
        {
            return;
        }

        if (story is "pictured" or "pictured-cleaned" or "pictured-traced")
        {
            if (story == "pictured-cleaned")
            {
                LookAt(SpeckledFace(dirty: true));
                Write(EventKind.Reworked, new Reworked(Run, ReworkReason.Contamination));
            }

            LookAt(SpeckledFace(dirty: false));
            if (story == "pictured-traced")
            {
                KeepTrace(_plan.FiberClass, _plan.LengthM, true);
                Write(EventKind.Traced, new Traced(Run, Evidence[^1].Id, _plan.FiberClass.TestWavelengthsNm()[0], 0, 0.31, -44, _plan.LengthM));
            }
        }
        else if (story == "look-again")
        {
            LookAtPicture();
            Write(EventKind.Reworked, new Reworked(Run, ReworkReason.Contamination));
            return;
        }

        if (story == "dirty")
        {
            Look([new(Zone.A, FindingKind.Particle, 14), new(Zone.B, FindingKind.Residue, 9, 2)]);
            return;
        }

        if (story == "failed-look")
        {
            Look([new(Zone.A, FindingKind.Crack, 14), new(Zone.B, FindingKind.Pit, 1.5, 2)]);
            return;
        }

        if (story == "cleaned")
        {
            Look([new(Zone.A, FindingKind.Particle, 22), new(Zone.B, FindingKind.Residue, 8, 3)]);
            Write(EventKind.Reworked, new Reworked(Run, ReworkReason.Contamination));
        }

        if (!story.StartsWith("pictured", StringComparison.Ordinal))
        {
            Look(random.Next(3) == 0 ? [new(Zone.B, FindingKind.Pit, 1.5), new(Zone.C, FindingKind.Particle, 4)] : []);
        }

        if (story == "to-measure")
        {
            return;
        }

        if (story is "failed-loss" or "traced")
        {
            KeepTrace(_plan.FiberClass, _plan.LengthM, story == "traced");
        }

        foreach (var nm in _plan.FiberClass.TestWavelengthsNm())
        {
            var limit = InsertionLoss.Limit(new(_plan.FiberClass, _plan.LengthM, _plan.Connections, _plan.Splices), nm, ReferenceMethod.OneCord, rules.LossSet(_plan.LossLimitSetId)).LimitDb;
            if (story is "wrong-class" or "off-reference")
            {
                _referenceAt = story == "wrong-class" ? null : _referenceAt ?? _now;
                // A reel of another class loses light into the smaller core only; a reference that was off spoils all alike.
                Read(nm, story == "wrong-class" ? limit + 1.4 : limit + 0.5 + (0.1 * random.NextDouble()), Direction.AToB);
                Read(nm, story == "wrong-class" ? limit - 0.5 : limit + 0.5 + (0.1 * random.NextDouble()), Direction.BToA);
                continue;
            }

            var loss = story switch { "failed-loss" => limit + 0.7, "sunk" => limit + 1.3, "bad-reference" => -0.31, "marginal" => limit - 0.03, _ => Math.Min(lossDb(nm), limit - 0.08) };
            var reference = Math.Round(-19.5 - (random.NextDouble() * 0.2), 2);
            Write(EventKind.Measured, new Measured(Run, ReferenceMethod.OneCord, nm, reference, Math.Round(reference - loss, 2),
                story == "far-unknown" || _farMade ? null : "a bare-fiber adapter on the far strand",
                Into: story == "far-unknown" ? null : _farMade ? MeasuredInto.FinishedConnector : MeasuredInto.Other, InstrumentId: Meter));
        }

        if (story is "accepted" or "traced" or "cleaned" or "looped" or "remade" or "pictured" or "pictured-cleaned" or "pictured-traced")
        {
            CountShards();
            Write(EventKind.Accepted, new Accepted(Run));
        }
    }

    private Instant? _referenceAt;

    private void Read(int nm, double lossDb, Direction direction) =>
        Write(EventKind.Measured, new Measured(Run, ReferenceMethod.OneCord, nm, -19.6, Math.Round(-19.6 - lossDb, 2), ReferenceAt: _referenceAt, Direction: direction, Into: MeasuredInto.FinishedConnector));

    /// <summary>The shards of the batch so far go into the container.</summary>
    private void CountShards()
    {
        var made = _shards.GetValueOrDefault(_batchId) + _state.Attempts.Sum(a => a.Shards);
        Tell(StreamKind.Batch, _batchId.As<Ids.Stream>(), StreamEventKind.ContainerCounted, new ContainerCounted(made, made));
        _plan = _plan with { ContainersCountedAt = new Dictionary<BatchId, Instant> { [_batchId] = _now } };
    }

    /// <summary>Says something of a batch, a tool, a lot or an instrument.</summary>
    public void Tell<T>(StreamKind stream, StreamId streamId, StreamEventKind kind, T body)
    {
        Later();
        Said.Add((_now, Incoming.Of(new StreamEvent(new(DemoIds.At(_now, random)), stream, streamId, kind, _now, deviceId, ++_seq, actorId, JsonSerializer.SerializeToElement(body, Wire.Json)))));
    }

    public BatchId LastBatch => _shards.Keys.Last(id => id != default);

    /// <summary>A shard of a batch was not found.</summary>
    public void MissOne(BatchId batchId) => Tell(StreamKind.Batch, batchId.As<Ids.Stream>(), StreamEventKind.ContainerCounted, new ContainerCounted(_shards.GetValueOrDefault(batchId), _shards.GetValueOrDefault(batchId) - 1, "one rolled under the bench"));

    /// <summary>What an orderly crew says before the first cut.</summary>
    private PreflightAnswer[] Ready(RunTable table) => [.. table.Preflight.Select(i => new PreflightAnswer(i.Id, _now.Plus(Duration.FromMinutes(-20)),
        i.Asks?.Contains(PreflightAsk.Lot) == true ? Lot : null, i.Asks?.Contains(PreflightAsk.UseBy) == true ? new LocalDate(2027, 6, 30) : null,
        i.Asks?.Contains(PreflightAsk.Number) == true ? Math.Max(99.5, i.Min ?? 0) : null))];

    private void Start(RunTable table) => Write(EventKind.AttemptStarted, new AttemptStarted(table.ProcedureId, table.Version, _batchId, null, Ready(table), table.Hash, Cleaver is { } cleaver && table.Method == Core.Connectors.TerminationMethod.WedgeLocked ? [cleaver] : null), (_state.Current?.No ?? 0) + 1);

    private void Look(IReadOnlyList<Finding> findings) => Write(EventKind.Inspected, new Inspected(Run, findings));

    /// <summary>A dirty face under the simulated microscope, read as any picture is.</summary>
    private void LookAtPicture() => LookAt(Microscope.Png(
        [
            new(SeenFinding.Spot(FindingKind.Particle, 7, -9, 9), 0.7), new(SeenFinding.Spot(FindingKind.Residue, -34, 22, 15), 0.25), new(SeenFinding.Spot(FindingKind.Particle, 41, 31, 6), 0.65),
            new(SeenFinding.Spot(FindingKind.Particle, -81, -46, 12), 0.6), new(SeenFinding.Scratch(-52, -18, -14, -41, 1.6), 0.5),
        ],
        new(CladdingPx: 470, CentreXPx: 655, CentreYPx: 470, CoreUm: Microscope.CoreUm(_plan.FiberClass), UnevenShare: 0.12, NoiseLevels: 3, Seed: 11)));

    /// <summary>A face as faces are: some specks out on the ferrule, and dirt on the fiber where it was not cleaned.</summary>
    private byte[] SpeckledFace(bool dirty)
    {
        var specks = Enumerable.Range(0, random.Next(1, 4)).Select(_ => (Angle: random.NextDouble() * 2 * Math.PI, Away: 72 + (random.NextDouble() * 40), Size: 3 + (random.NextDouble() * 4)))
            .Select(s => new FaceMark(SeenFinding.Spot(FindingKind.Particle, s.Away * Math.Cos(s.Angle), s.Away * Math.Sin(s.Angle), s.Size), 0.6));
        return Microscope.Png(
            [.. specks, .. dirty ? [new FaceMark(SeenFinding.Spot(FindingKind.Particle, 12, -8, 11), 0.65), new FaceMark(SeenFinding.Spot(FindingKind.Residue, -28, 25, 14), 0.3)] : Array.Empty<FaceMark>()],
            new(WidthPx: 640, HeightPx: 480, CladdingPx: 210, CentreXPx: 320 + random.Next(-15, 16), CentreYPx: 240 + random.Next(-12, 13), CoreUm: Microscope.CoreUm(_plan.FiberClass), UnevenShare: 0.1, NoiseLevels: 2, Seed: random.Next()));
    }

    private void LookAt(byte[] png)
    {
        using var grey = Pictures.Grey(png);
        var r = EndFaceReader.Read(grey, _plan.EndFaceClass);
        var id = Kept(png, new(r.Findings));
        Write(EventKind.Inspected, new Inspected(Run, [], null, new(id, grey.Width, grey.Height, r.UmPerPx, r.CentreXPx, r.CentreYPx, r.CladdingDiameterPx, r.Findings, r.Findings)));
    }

    /// <summary>A cleave from the side; the usual one leans too far.</summary>
    private void SeeCleave(double angleDeg = 3.6)
    {
        var png = CleaveReader.Png(new(angleDeg, LipUm: angleDeg < 1 ? 0 : 1.5, AxisDeg: 2, WidthPx: 480, HeightPx: 360, FiberPx: 150, Seed: 31));
        using var grey = Pictures.Grey(png);
        var r = CleaveReader.Read(grey);
        Write(EventKind.CleaveSeen, new CleaveSeen(Run, Kept(png, new(null, Cleave: r.View)), r.UmPerPx, r.View!));
    }

    /// <summary>The glow before and after seating: hardly dimmer.</summary>
    private void SeeLight(RunTable table, double share = 0.76, LightSeen seen = LightSeen.StillBright)
    {
        byte[] Photo(double share) => Microscope.Png([new(SeenFinding.Spot(FindingKind.Pit, 0, 0, 44), -4.6 * share)], new(360, 240, 160, BlurPx: 3, CladdingLevel: 42, CoreLevel: 42, FerruleLevel: 26, RingUm: 0, GrainLevels: 2, Seed: 17));
        var (before, after, window) = (Photo(0.9), Photo(share), new LightWindow(0.42, 0.38, 0.58, 0.62));
        var beforeId = Kept(before);
        Write(EventKind.LightJudged, new LightJudged(Run, seen, new(beforeId, Kept(after, new(null, new(beforeId, window, RedLight.Compare(before, after, window)))), window)));
    }

    private EvidenceId Kept(byte[] png, KeptEvidence? read = null)
    {
        var id = new EvidenceId(DemoIds.At(_now, random));
        Evidence.Add((id, _state.EndId, EvidenceKind.Picture, "image/png", png, _now, read));
        return id;
    }

    /// <summary>The trace of a link one of whose connectors loses too much: the near one, or the far one when it is taken from the other side.</summary>
    private void KeepTrace(FiberClass fiber, double lengthM, bool other)
    {
        var multimode = fiber.Mode() == FiberMode.Multimode;
        const double Cord = 150;
        SimulatedEvent[] connectors = other ? [new(Cord, 0.31, -44), new(Cord + lengthM, 1.36, -38)] : [new(Cord, 1.24, -38), new(Cord + lengthM, 0.27, -44)];
        var link = new SimulatedLink(lengthM + (2 * Cord), multimode ? 2.6 : 0.34, connectors, PulseNs: 10, SpacingM: 0.25, RangeM: lengthM + (2 * Cord) + 80, DynamicDb: 18,
            WavelengthNm: multimode ? 850 : 1310, BackscatterDb: multimode ? -68 : -79, Seed: 23);
        Evidence.Add((new(DemoIds.At(_now, random)), _state.EndId, EvidenceKind.Trace, "application/octet-stream", OtdrWriter.Write(SimulatedTraces.Make(link)), _now, null));
    }

    private void Answer(RunTable table, string stepId, string answerId)
    {
        Walk(table, stepId);
        Write(EventKind.CheckAnswered, new CheckAnswered(Run, stepId, answerId));
    }

    private void Walk(RunTable table, string? stopAt = null)
    {
        while (_state.Current!.Position is { Outcome: RunOutcome.Running, StateId: { } id } && id != stopAt)
        {
            var step = table.State(id)!;
            if (step.Question is not null)
            {
                Write(EventKind.CheckAnswered, new CheckAnswered(Run, id, step.Answers[0].Id));
            }
            else
            {
                Write(EventKind.StepDone, new StepDone(Run, id,
                    step.Timer is { } t ? Math.Round(t.DurationS + (random.NextDouble() * 6), 1) : null,
                    step.Count is { } c ? random.Next(c.Min, c.Max + 1) : null));
            }
        }
    }

    private void Later()
    {
        _now = _now.Plus(Duration.FromSeconds(random.Next(8, 45)));
        if (_now.InUtc() is { Hour: >= 16 } evening)
        {
            _now = evening.Date.PlusDays(evening.DayOfWeek == IsoDayOfWeek.Friday ? 3 : 1).At(new(7, 45)).InUtc().ToInstant();
        }
    }

    private void Write<T>(EventKind kind, T body, int? attempt = null)
    {
        Later();

        var e = new LedgerEvent(new(DemoIds.At(_now, random)), _state.EndId, attempt ?? _state.Current!.No, kind, _now, deviceId, ++_seq, actorId, JsonSerializer.SerializeToElement(body, Wire.Json));
        _state = Telling.Tell(new(_plan, _state, rules, e)).State;
        Said.Add((_now, Incoming.Of(e)));
    }
}

/// <summary>UUIDs of version 7 from a time and a seeded source, so that the demo is the same each time.</summary>
public static class DemoIds
{
    public static Guid At(Instant at, Random random)
    {
        Span<byte> b = stackalloc byte[16];
        random.NextBytes(b);
        System.Buffers.Binary.BinaryPrimitives.WriteInt64BigEndian(b, (at.ToUnixTimeMilliseconds() << 16) | 0x7000L | ((long)(b[6] & 0x0F) << 8) | b[7]);
        b[8] = (byte)((b[8] & 0x3F) | 0x80);
        return new Guid(b, bigEndian: true);
    }
}
