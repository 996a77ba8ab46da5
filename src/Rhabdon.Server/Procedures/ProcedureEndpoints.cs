using Rhabdon.Core.Connectors;
using Rhabdon.Core.Inspection;
using Rhabdon.Core.Ledger;
using Rhabdon.Core.Loss;
using Rhabdon.Core.Procedures;
using Rhabdon.Server.Web;

namespace Rhabdon.Server.Procedures;

public sealed record ProcedureLine(string Id, int Version, string Title, TerminationMethod Method, ProcedureFit Fits, int Steps, string Source);

public sealed record LimitSets(IReadOnlyList<EndFaceLimitSet> EndFace, IReadOnlyList<LossLimitSet> Loss);

public static class ProcedureEndpoints
{
    public static void MapProcedures(this RouteGroupBuilder api)
    {
        api.MapGet("/procedures", List).WithSummary("The procedures there are.");
        api.MapGet("/procedures/{procedureId}/{version:int}", Table).WithSummary("A procedure's run table, ready to walk.");
        api.MapGet("/limits", Limits).WithSummary("Limit sets with their editions and sources.");
    }

    private static IReadOnlyList<ProcedureLine> List(Documents documents) =>
        [.. documents.Procedures.Select(p => new ProcedureLine(p.Id, p.Version, p.Title, p.Method, p.Fits, p.Steps.Count, p.Source))];

    private static RunTable Table(string procedureId, int version, Rules rules) =>
        rules.Tables.FirstOrDefault(t => t.ProcedureId == procedureId && t.Version == version)
        ?? throw new ApiException(404, "not-found", "procedureId", "There is no such procedure or version.");

    private static LimitSets Limits(Rules rules) => new([.. rules.EndFace.Values], [.. rules.Loss.Values]);
}
