using Rhabdon.Core.Inspection;
using Rhabdon.Core.Loss;
using Rhabdon.Core.Procedures;

namespace Rhabdon.Core.Ledger;

/// <summary>What events are judged against: versions of procedures and editions of limits, none of which ever changes once published.</summary>
public sealed class Rules(IEnumerable<RunTable> tables, IEnumerable<EndFaceLimitSet> endFace, IEnumerable<LossLimitSet> loss)
{
    private readonly Dictionary<(string, int), RunTable> _tables = tables.ToDictionary(t => (t.ProcedureId, t.Version));

    public IReadOnlyCollection<RunTable> Tables => _tables.Values;

    public IReadOnlyDictionary<string, EndFaceLimitSet> EndFace { get; } = endFace.ToDictionary(s => s.Id);

    public IReadOnlyDictionary<string, LossLimitSet> Loss { get; } = loss.ToDictionary(s => s.Id);

    /// <exception cref="RefusedException">No such procedure or version.</exception>
    public RunTable Table(string procedureId, int version) => _tables.GetValueOrDefault((procedureId, version))
        ?? throw new RefusedException("procedure-unknown", "procedureId", $"There is no procedure '{procedureId}' version {version}.");

    /// <exception cref="RefusedException">No such limit set.</exception>
    public EndFaceLimitSet EndFaceSet(string id) => EndFace.GetValueOrDefault(id)
        ?? throw new RefusedException("limit-set-unknown", "limitSetId", $"There is no end-face limit set '{id}'.");

    /// <exception cref="RefusedException">No such limit set.</exception>
    public LossLimitSet LossSet(string id) => Loss.GetValueOrDefault(id)
        ?? throw new RefusedException("limit-set-unknown", "limitSetId", $"There is no loss limit set '{id}'.");
}
