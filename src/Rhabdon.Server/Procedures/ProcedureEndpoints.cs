using Rhabdon.Core.Connectors;
using Rhabdon.Core.Fiber;
using Rhabdon.Core.Inspection;
using Rhabdon.Core.Ledger;
using Rhabdon.Core.Loss;
using Rhabdon.Core.Procedures;
using Rhabdon.Server.Web;

namespace Rhabdon.Server.Procedures;

public sealed record ProcedureLine(string Id, int Version, string Title, TerminationMethod Method, ProcedureFit Fits, int Steps, string Source);

public sealed record LimitSets(IReadOnlyList<EndFaceLimitSet> EndFace, IReadOnlyList<LossLimitSet> Loss);

/// <param name="HasStub">True for methods whose connector brings its own piece of glass; its class has to be said.</param>
public sealed record MethodChoice(TerminationMethod Method, bool HasStub, IReadOnlyList<CableConstruction> Constructions);

/// <param name="TestWavelengthsNm">The usual test wavelengths, shortest first.</param>
public sealed record FiberClassChoice(FiberClass FiberClass, FiberMode Mode, double? CoreUm, IReadOnlyList<int> TestWavelengthsNm);

/// <summary>What Core knows of methods and fiber classes, for forms that offer them.</summary>
public sealed record Choices(IReadOnlyList<MethodChoice> Methods, IReadOnlyList<FiberClassChoice> FiberClasses);

public static class ProcedureEndpoints
{
    public static void MapProcedures(this RouteGroupBuilder api)
    {
        api.MapGet("/procedures", List).WithSummary("The procedures there are.");
        api.MapGet("/procedures/{procedureId}/{version:int}", Table).WithSummary("A procedure's run table, ready to walk.");
        api.MapGet("/choices", () => AllChoices).WithSummary("Methods with what they take, and fiber classes with their mode, core and test wavelengths.");
        api.MapGet("/limits", Limits).WithSummary("Limit sets with their editions and sources.");
    }

    private static readonly Choices AllChoices = new(
        [.. Enum.GetValues<TerminationMethod>().Select(m => new MethodChoice(m, Compatibility.HasStub(m), Compatibility.Constructions(m)))],
        [.. Enum.GetValues<FiberClass>().Select(c => new FiberClassChoice(c, c.Mode(), c.CoreUm(), c.TestWavelengthsNm()))]);

    private static IReadOnlyList<ProcedureLine> List(Documents documents) =>
        [.. documents.Procedures.Select(p => new ProcedureLine(p.Id, p.Version, p.Title, p.Method, p.Fits, p.Steps.Count, p.Source))];

    private static RunTable Table(string procedureId, int version, Rules rules) =>
        rules.Tables.FirstOrDefault(t => t.ProcedureId == procedureId && t.Version == version)
        ?? throw new ApiException(404, "not-found", "procedureId", "There is no such procedure or version.");

    private static LimitSets Limits(Rules rules) => new([.. rules.EndFace.Values], [.. rules.Loss.Values]);
}
