using System.Collections.Concurrent;
using Rhabdon.Core.Inspection;
using Rhabdon.Core.Loss;
using Rhabdon.Core.Procedures;

namespace Rhabdon.Core.Ledger;

/// <summary>What events are judged against: versions of procedures and editions of limits, none of which ever changes once published.</summary>
public sealed class Rules
{
    private readonly Dictionary<(string, int), ProcedureDocument> _procedures;
    private readonly ConcurrentDictionary<(string, int, string), RunTable> _compiled = new();

    public Rules(IEnumerable<ProcedureDocument> procedures, IEnumerable<EndFaceLimitSet> endFace, IEnumerable<LossLimitSet> loss, IEnumerable<ApplicationSet>? applications = null)
    {
        _procedures = procedures.ToDictionary(p => (p.Id, p.Version));
        EndFace = endFace.ToDictionary(s => s.Id);
        Loss = loss.ToDictionary(s => s.Id);
        Applications = [.. applications ?? []];
    }

    /// <summary>The newest version of each procedure, in the order of their ids: what is planned from now on.</summary>
    public IEnumerable<ProcedureDocument> Newest => _procedures.Values.GroupBy(p => p.Id).Select(g => g.MaxBy(p => p.Version)!);

    /// <summary>Which version is meant by a number that once stood for several, where no hash is named.</summary>
    public IReadOnlyDictionary<string, int> Renumbered { get; init; } = new Dictionary<string, int>();

    /// <summary>The version that an event means.</summary>
    /// <param name="hash">Of the procedure's structure; null in events of before hashes were named.</param>
    public int VersionOf(string procedureId, int version, string? hash) =>
        hash is null && version == 1 && Renumbered.TryGetValue(procedureId, out var meant) ? meant
        : hash is not null && _procedures.Values.FirstOrDefault(p => p.Id == procedureId && ProcedureHash.Of(p) == hash) is { } exact && Find(procedureId, version) is var named && (named is null || ProcedureHash.Of(named) != hash) ? exact.Version
        : version;

    public IReadOnlyList<ApplicationSet> Applications { get; }

    public IReadOnlyCollection<ProcedureDocument> Procedures => _procedures.Values;

    /// <summary>Every version of every procedure that can be walked, with the default schools.</summary>
    public IEnumerable<RunTable> Tables => _procedures.Keys.Select(k => FindTable(k.Item1, k.Item2)).OfType<RunTable>();

    public IReadOnlyDictionary<string, EndFaceLimitSet> EndFace { get; }

    public IReadOnlyDictionary<string, LossLimitSet> Loss { get; }

    /// <summary>The company's own face limits, oldest first.</summary>
    public IReadOnlyList<EndFaceLimitSet> HouseFaces { get; private init; } = [];

    /// <summary>The shares of red light that can be chosen from, oldest first: ours, then the company's own.</summary>
    public IReadOnlyList<LightLimitSet> Light { get; private init; } = [LightLimitSet.Ours];

    /// <summary>What photos of the red light are judged by: the newest of the company, else ours.</summary>
    public LightLimitSet LightInForce => Light[^1];

    /// <summary>These rules with a company's own procedures and limit sets beside the shipped ones.</summary>
    /// <param name="endFace">Oldest first: the newest is in force, as of <paramref name="light"/>.</param>
    public Rules With(IEnumerable<ProcedureDocument> more, IReadOnlyList<EndFaceLimitSet>? endFace = null, IEnumerable<LossLimitSet>? loss = null, IReadOnlyList<LightLimitSet>? light = null) =>
        new(_procedures.Values.Concat(more), EndFace.Values.Concat(endFace ?? []), Loss.Values.Concat(loss ?? []), Applications) { HouseFaces = [.. HouseFaces, .. endFace ?? []], Light = [.. Light, .. light ?? []], Renumbered = Renumbered };

    /// <summary>The set that faces of a class are held to, in a picture, by eye and in the proof alike: the newest house set that knows the class, else the standard.</summary>
    public EndFaceLimitSet FaceSetInForce(EndFaceClass endFaceClass) =>
        HouseFaces.LastOrDefault(s => s.Classes.Any(c => c.Class == endFaceClass)) ?? EndFace.Values.First(s => s.Classes.Any(c => c.Class == endFaceClass));

    /// <summary>What the face of a planned end is held to.</summary>
    public EndFaceLimitSet FaceSetFor(PlannedConnector plan) => FaceSetFor(plan.FaceLimitSetId, plan.EndFaceClass);

    /// <param name="ofJob">The set that the job names; null where it names none.</param>
    public EndFaceLimitSet FaceSetFor(string? ofJob, EndFaceClass endFaceClass) =>
        ofJob is not null && EndFace.TryGetValue(ofJob, out var set) && set.Classes.Any(c => c.Class == endFaceClass) ? set : FaceSetInForce(endFaceClass);

    /// <summary>As <see cref="Table"/>; null where there is none, or one with faults, so that it breaks nothing but itself.</summary>
    public RunTable? FindTable(string procedureId, int version, IReadOnlyDictionary<string, string>? schools = null)
    {
        try
        {
            return Table(procedureId, version, schools);
        }
        catch (RefusedException)
        {
            return null;
        }
    }

    public ProcedureDocument? Find(string procedureId, int version) => _procedures.GetValueOrDefault((procedureId, version));

    /// <summary>The table to walk, for the schools that are followed; those not named follow the default.</summary>
    /// <exception cref="RefusedException">No such procedure or version.</exception>
    public RunTable Table(string procedureId, int version, IReadOnlyDictionary<string, string>? schools = null)
    {
        var document = Find(procedureId, version)
            ?? throw new RefusedException("procedure-unknown", "procedureId", $"There is no procedure '{procedureId}' version {version}.");
        var choices = Schools.Resolve(document, schools);
        var key = string.Join(';', choices.Select(c => $"{c.Key}={c.Value}"));
        return _compiled.GetOrAdd((procedureId, version, key), _ => ProcedureCompiler.Compile(document, choices));
    }

    /// <exception cref="RefusedException">No such limit set.</exception>
    public EndFaceLimitSet EndFaceSet(string id) => EndFace.GetValueOrDefault(id)
        ?? throw new RefusedException("limit-set-unknown", "limitSetId", $"There is no end-face limit set '{id}'.");

    /// <exception cref="RefusedException">No such limit set.</exception>
    public LossLimitSet LossSet(string id) => Loss.GetValueOrDefault(id)
        ?? throw new RefusedException("limit-set-unknown", "limitSetId", $"There is no loss limit set '{id}'.");
}
