using Rhabdon.Core;
using Rhabdon.Core.Inspection;
using Rhabdon.Core.Ledger;
using Rhabdon.Core.Loss;
using Rhabdon.Core.Procedures;

namespace Rhabdon.Server;

/// <summary>Reads every version of the shipped procedures, and the limit sets. A fault in one stops the start, with its place.</summary>
/// <param name="Procedures">Every version that was ever shipped.</param>
public sealed record Documents(Rules Rules, IReadOnlyList<ProcedureDocument> Procedures)
{
    public static Documents Load(string folder)
    {
        var procedures = Read<ProcedureDocument>(folder, "procedures", "*.yaml", p => $"{p.Id}/{p.Version}.yaml").ToList();
        return new Documents(
            new Rules(
                procedures,
                Read<EndFaceLimitSet>(folder, "limits", "end-face-*.yaml"),
                Read<LossLimitSet>(folder, "limits", "loss-*.yaml"),
                Read<ApplicationSet>(folder, "limits", "applications-*.yaml"))
            {
                Renumbered = YamlText.Read<Dictionary<string, int>>(File.ReadAllText(Path.Combine(folder, "procedures", "renumbered.yaml"))),
            },
            procedures).Checked();
    }

    /// <summary>Compiles every procedure once, so that a fault stops the start and not a run.</summary>
    private Documents Checked()
    {
        _ = Rules.Tables.Count();
        return this;
    }

    /// <param name="place">Where a document has to lie, below its folder; left out, its folder itself holds all.</param>
    private static IEnumerable<T> Read<T>(string folder, string kind, string pattern, Func<T, string>? place = null)
    {
        var root = Path.Combine(folder, kind);
        var files = place is null ? Directory.GetFiles(root, pattern) : Directory.GetDirectories(root).SelectMany(d => Directory.GetFiles(d, pattern));
        foreach (var file in files.Order(StringComparer.Ordinal))
        {
            T document;
            try
            {
                document = YamlText.Read<T>(File.ReadAllText(file));
            }
            catch (RefusedException e)
            {
                throw new InvalidOperationException($"{Path.GetFileName(file)}: {e.Message}", e);
            }

            if (place is not null && place(document) != Path.GetRelativePath(root, file))
            {
                throw new InvalidOperationException($"{Path.GetRelativePath(root, file)} says that it is {place(document)}");
            }

            yield return document;
        }
    }
}
