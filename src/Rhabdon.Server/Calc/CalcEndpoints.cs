using System.Security.Claims;
using Rhabdon.Core;
using Rhabdon.Core.Connectors;
using Rhabdon.Core.Fiber;
using Rhabdon.Core.Inspection;
using Rhabdon.Core.Loss;
using Rhabdon.Core.Prep;
using Rhabdon.Server.Accounts;
using Rhabdon.Store;

namespace Rhabdon.Server.Calc;

/// <param name="Panel">Leave out to judge without a panel.</param>
public sealed record CompatibilityRequest(ConnectorSpec Connector, CableSpec Cable, PanelSpec? Panel = null);

public sealed record CompatibilityAnswer(bool Fits, IReadOnlyList<Refusal> Reasons);

/// <param name="Method">Gives advice that fits the method; may be left out.</param>
public sealed record EndFaceGradeRequest(EndFaceClass EndFaceClass, string LimitSetId, IReadOnlyList<Finding> Findings, TerminationMethod? Method = null);

public sealed record InsertionLossRequest(string LimitSetId, LinkSpec Link, LossReading Reading);

/// <summary>Pure calculators: plain JSON in, plain JSON out, nothing kept.</summary>
public static class CalcEndpoints
{
    public static void MapCalc(this RouteGroupBuilder api)
    {
        var calc = api.MapGroup("/calc");
        calc.MapPost("/compatibility", Compatible).WithSummary("Whether a connector goes on a cable and into a panel, with every reason against it.");
        calc.MapPost("/prep", Prep).WithSummary("Resolve stated distances to a prep card; contradictions are refused. All in millimetres.");
        calc.MapPost("/end-face-grade", Grade).WithSummary("Grade findings on an end face by zone and class. Sizes in micrometres.");
        calc.MapPost("/insertion-loss", Loss).WithSummary("Loss, limit, margin and verdict of one reading. Powers in dBm, loss in dB.");
        calc.MapPost("/procedure", (Procedures.ProcedureText r) => Procedures.ProcedureEndpoints.Check(r)).WithSummary("Judge a procedure document: faults with their place, prep card, run table.");
        calc.MapGet("/strands/{number:int}", StrandAt).WithSummary("Unit, position and colour of a strand, 1 to 288. unitSize: strands that share a unit, 4, 6, 8, 12 or 24; colours count as in TIA-598.");
    }

    private static CompatibilityAnswer Compatible(CompatibilityRequest r)
    {
        var reasons = Compatibility.Judge(r.Connector, r.Cable, r.Panel);
        return new(reasons.Count == 0, reasons);
    }

    private static PrepCard Prep(PrepPlan plan) => PrepCards.Resolve(plan);

    private static async Task<EndFaceVerdict> Grade(EndFaceGradeRequest r, ClaimsPrincipal user, Methods methods, CancellationToken cancel) =>
        EndFaces.Grade(r.Findings, r.EndFaceClass, (await methods.Rules(user.Scope(), cancel)).EndFaceSet(r.LimitSetId), r.Method);

    private static async Task<LossJudgement> Loss(InsertionLossRequest r, ClaimsPrincipal user, Methods methods, CancellationToken cancel) =>
        InsertionLoss.Judge(r.Reading, r.Link, (await methods.Rules(user.Scope(), cancel)).LossSet(r.LimitSetId));

    private static Strand StrandAt(int number, int unitSize = Strands.PerUnit) =>
        StrandLay.Usual with { UnitSize = unitSize } is { Fault: { } fault } ? throw new RefusedException([fault])
        : number is >= 1 and <= Strands.MaxPerCable ? Strands.At(number, StrandLay.Usual with { UnitSize = unitSize })
        : throw new RefusedException(Refusal.Of("out-of-range", "number", ("maxPerCable", Strands.MaxPerCable)));
}
