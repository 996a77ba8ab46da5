using Rhabdon.Core;
using Rhabdon.Core.Inspection;
using Rhabdon.Core.Ledger;
using Rhabdon.Core.Loss;
using Rhabdon.Core.Procedures;

namespace Rhabdon.Server;

/// <summary>Reads the shipped procedures and limit sets. A fault in one stops the start, with its place.</summary>
public sealed record Documents(Rules Rules, IReadOnlyList<ProcedureDocument> Procedures)
{
    public static Documents Load(string folder)
    {
        var procedures = Read<ProcedureDocument>(folder, "procedures", "*.yaml").ToList();
        return new Documents(
            new Rules(
                procedures,
                Read<EndFaceLimitSet>(folder, "limits", "end-face-*.yaml"),
                Read<LossLimitSet>(folder, "limits", "loss-*.yaml"),
                Read<ApplicationSet>(folder, "limits", "applications-*.yaml")),
            procedures).Checked();
    }

    /// <summary>Compiles every procedure once, so that a fault stops the start and not a run.</summary>
    private Documents Checked()
    {
        _ = Rules.Tables.Count();
        return this;
    }

    private static IEnumerable<T> Read<T>(string folder, string kind, string pattern)
    {
        foreach (var file in Directory.GetFiles(Path.Combine(folder, kind), pattern).Order(StringComparer.Ordinal))
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

            yield return document;
        }
    }
}
