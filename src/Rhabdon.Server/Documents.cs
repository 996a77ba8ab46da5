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
        var procedures = ShippedProcedures(Path.Combine(folder, "procedures")).ToList();
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

    /// <summary>Every version of every procedure below a folder, in the order of ids and numbers.</summary>
    private static IEnumerable<ProcedureDocument> ShippedProcedures(string root)
    {
        foreach (var file in Directory.GetDirectories(root).SelectMany(d => Directory.GetFiles(d, "*.yaml")).Where(f => !f.EndsWith(Words, StringComparison.Ordinal)).Order(StringComparer.Ordinal))
        {
            var document = Told(Path.GetRelativePath(root, file), () => ProcedureTexts.Read(File.ReadAllText(file), File.ReadAllText(Path.ChangeExtension(file, Words))));
            if ($"{document.Id}/{document.Version}.yaml" != Path.GetRelativePath(root, file))
            {
                throw new InvalidOperationException($"{Path.GetRelativePath(root, file)} says that it is {document.Id}/{document.Version}.yaml");
            }

            yield return document;
        }
    }

    /// <summary>The words of a procedure lie beside it.</summary>
    private const string Words = ".en.yaml";

    private static IEnumerable<T> Read<T>(string folder, string kind, string pattern) =>
        Directory.GetFiles(Path.Combine(folder, kind), pattern).Order(StringComparer.Ordinal).Select(file => Told(Path.GetFileName(file), () => YamlText.Read<T>(File.ReadAllText(file))));

    private static T Told<T>(string file, Func<T> read)
    {
        try
        {
            return read();
        }
        catch (RefusedException e)
        {
            throw new InvalidOperationException($"{file}: {e.Message}", e);
        }
    }
}
