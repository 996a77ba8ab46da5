using System.Text.Json;
using FsCheck.Fluent;
using Rhabdon.Core.Bench;
using Rhabdon.Core.Inspection;
using Rhabdon.Core.Ledger;
using Rhabdon.Core.Loss;
using Rhabdon.Core.Procedures;

namespace Rhabdon.Core.Tests;

/// <summary>The shipped documents, read from the repository.</summary>
internal static class Repo
{
    public static readonly string Root = Find(AppContext.BaseDirectory);

    /// <summary>Every version of every shipped procedure.</summary>
    public static readonly IReadOnlyList<ProcedureDocument> Documents = [.. Directory.GetDirectories(Path.Combine(Root, "procedures"))
        .SelectMany(d => Directory.GetFiles(d, "*.yaml")).Where(f => !f.EndsWith(".en.yaml", StringComparison.Ordinal)).Order(StringComparer.Ordinal)
        .Select(f => ProcedureTexts.Read(File.ReadAllText(f), File.ReadAllText(Path.ChangeExtension(f, ".en.yaml"))))];

    /// <summary>The newest version of each.</summary>
    public static readonly IReadOnlyList<ProcedureDocument> Newest = [.. Documents.GroupBy(d => d.Id).Select(g => g.MaxBy(d => d.Version)!)];

    // Tests of the engine walk documents that stay as they are; what ships now has tests of its own.
    public static readonly RunTable Wedge = Compile("wedge-locked-upc-3mm", 4);
    public static readonly RunTable ColdCure = Compile("cold-cure-3mm", 3);
    public static readonly EndFaceLimitSet EndFace = YamlText.Read<EndFaceLimitSet>(Text("limits/end-face-iec-61300-3-35.yaml"));
    public static readonly LossLimitSet Tia = YamlText.Read<LossLimitSet>(Text("limits/loss-tia-568.3-d.yaml"));
    public static readonly LossLimitSet IsoReference = YamlText.Read<LossLimitSet>(Text("limits/loss-iso-reference-grade.yaml"));
    public static readonly Rules Rules = new Rules(Documents, [EndFace], [Tia, IsoReference]).With(RandomProcedures.Documents);

    /// <summary>Any shipped procedure, or any made-up one that is valid.</summary>
    public static FsCheck.Arbitrary<RunTable> AnyTable => Gen.OneOf(Gen.Elements(Rules.Tables.ToArray()), Gen.Elements(RandomProcedures.Tables)).ToArbitrary();

    public static string Text(string path) => File.ReadAllText(Path.Combine(Root, path));

    public static ProcedureDocument Document(string id) => Documents.Last(d => d.Id == id);

    public static ProcedureDocument Document(string id, int version) => Documents.Single(d => d.Id == id && d.Version == version);

    private static RunTable Compile(string id, int version) => ProcedureCompiler.Compile(Document(id, version));

    private static string Find(string from) => File.Exists(Path.Combine(from, "Rhabdon.slnx")) ? from : Find(Path.GetDirectoryName(from)!);
}

/// <summary>Writes a made-up end's events, one after another.</summary>
internal sealed class EndStory(RunTable table)
{
    private readonly List<LedgerEvent> _events = [];
    private readonly List<Entry> _log = [];
    private long _seq;

    public static readonly EndId End = EndId.Parse("00000000-0000-7000-8000-000000000001");

    public EndState State { get; private set; } = EndState.Empty(End);

    public IReadOnlyList<LedgerEvent> Events => _events;

    public IReadOnlyList<Entry> Log => _log;

    public PlannedConnector Plan { get; set; } = new(Fiber.FiberClass.OM3, 300, Connectors.Polish.UPC, table.Method, Repo.Tia.Id, 2, 0);

    public Rules Rules { get; set; } = Repo.Rules;

    public RunId RunId { get; private set; }

    public BatchId? BatchId { get; init; }

    public DeviceId Device { get; set; } = DeviceId.Parse("00000000-0000-7000-8000-0000000000d1");

    public LedgerEvent Make(EventKind kind, object body, int attempt)
    {
        _seq++;
        return new(EventId.New(), End, attempt, kind, NodaConstants.UnixEpoch.Plus(Duration.FromMinutes(_seq)), Device, _seq, default, JsonSerializer.SerializeToElement(body, Wire.Json));
    }

    public LedgerEvent Tell(EventKind kind, object body, int? attempt = null)
    {
        var e = Make(kind, body, attempt ?? State.Current?.No ?? 1);
        Take(e);
        return e;
    }

    /// <summary>Takes an event in as the ledger does: told after the others where that will do, else all of it told again.</summary>
    public void Take(LedgerEvent e, IReadOnlyList<LedgerEvent>? waiting = null)
    {
        if (!Telling.NeedsRetelling(State, e) && waiting is null)
        {
            var told = Telling.Tell(new(Plan, State, Rules, e));
            State = told.State;
            _log.Add(new(e, told.Judged));
            _events.Add(e);
            return;
        }

        IReadOnlyList<LedgerEvent> more = [e, .. waiting ?? []];
        var again = Retelling.Tell(Plan, End, null, _events, _log, [.. more.Select(m => (m, Role.Lead))], Rules, e.Id);
        State = again.State;
        _log.AddRange(again.Added);
        _events.AddRange(more.Where(m => !again.Refused.ContainsKey(m.Id)));
        if (again.Refused.TryGetValue(e.Id, out var why))
        {
            throw new RefusedException([why]);
        }
    }

    public EndStory Start(int attempt = 1)
    {
        RunId = Tell(EventKind.AttemptStarted, new AttemptStarted(table.ProcedureId, table.Version, BatchId, table.Schools.ToDictionary(s => s.Option, s => s.Choice)), attempt).Id.As<Ids.Run>();
        return this;
    }

    /// <summary>Walks on until the step, or to the end, giving the first good answer everywhere.</summary>
    public EndStory WalkTo(string? stepId = null)
    {
        while (State.Current is { Position: { Outcome: RunOutcome.Running, StateId: { } id } } && id != stepId)
        {
            var step = table.State(id)!;
            if (step.Question is null)
            {
                Tell(EventKind.StepDone, new StepDone(RunId, id, step.Timer?.DurationS, step.Count?.Min));
            }
            else
            {
                Tell(EventKind.CheckAnswered, new CheckAnswered(RunId, id, step.Answers[0].Id));
            }
        }

        return this;
    }

    public EndStory Answer(string stepId, string answerId)
    {
        WalkTo(stepId);
        Tell(EventKind.CheckAnswered, new CheckAnswered(RunId, stepId, answerId));
        return this;
    }

    public EndStory Look(params Finding[] findings)
    {
        Tell(EventKind.Inspected, new Inspected(RunId, findings));
        return this;
    }

    public EndStory Measure(int wavelengthNm, double lossDb, MeasuredInto? into = MeasuredInto.FinishedConnector)
    {
        Tell(EventKind.Measured, new Measured(RunId, ReferenceMethod.OneCord, wavelengthNm, -20, -20 - lossDb, Into: into));
        return this;
    }
}
