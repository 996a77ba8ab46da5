using Rhabdon.Core.Connectors;
using Rhabdon.Core.Kit;
using Rhabdon.Core.Ledger;
using Rhabdon.Core.Procedures;
using Rhabdon.Store;

namespace Rhabdon.Server.Kit;

/// <summary>All that a kit is worked out from, asked once.</summary>
internal sealed record KitQuestion(IReadOnlyList<KitEnd> Planned, IReadOnlyList<EndToMake> Ends, KitMethods Methods, KitFacts Facts, CompanyFigures Figures, Rules Rules)
{
    private static readonly Dictionary<PersonId, GoodAndBad> Nobody = [];

    public static async Task<KitQuestion> Ask(Scope scope, IReadOnlyCollection<JobId> jobIds, Kits kits, Methods methods, StreamProjector streams, CancellationToken cancel)
    {
        var planned = await kits.ToMake(scope, jobIds, cancel);
        var counted = await kits.Counted(scope.CompanyId, cancel);
        var rules = await methods.Rules(scope.CompanyId, cancel);
        var schools = await methods.Schools(scope.CompanyId, cancel);
        var wear = (await streams.List(scope, StreamKind.Tool, true, cancel)).OfType<ToolState>().SelectMany(t => t.Wear).ToLookup(w => w.Kind, w => w.Left);
        var newest = rules.Newest.ToList();
        return new(
            planned, [.. planned.Select(e => e.ToMake())],
            new(e => rules.FindTable(e.ProcedureId, e.ProcedureVersion, Schools(e)), e => [.. newest.Where(p => Fits(p, e)).Select(p => rules.FindTable(p.Id, p.Version, Schools(e))).OfType<RunTable>()]),
            new(m => counted.GetValueOrDefault(m)?.All ?? MethodCount.None, m => counted.GetValueOrDefault(m)?.ByPerson ?? Nobody, kind => wear.Contains(kind) ? wear[kind].Max() : null),
            (await kits.Figures(scope.CompanyId, cancel)).Figures, rules);

        IReadOnlyDictionary<string, string> Schools(EndToMake e) => EndOptions.With(schools, e.Form, e.Polish, e.Mode, e.Cord);
    }

    private static bool Fits(ProcedureDocument p, EndToMake e) =>
        p.Fits.Covers(new ConnectorSpec(e.Form, e.Polish, e.Mode, p.Method, null), new CableSpec(e.FiberClass, e.Construction));
}
