using Rhabdon.Core;
using Rhabdon.Core.Connectors;
using Rhabdon.Core.Fiber;
using Rhabdon.Core.Inspection;
using Rhabdon.Core.Ledger;
using Rhabdon.Core.Loss;
using Rhabdon.Core.Prep;

namespace Rhabdon.Server.Calc;

/// <param name="Panel">Leave out to judge without a panel.</param>
public sealed record CompatibilityRequest(ConnectorSpec Connector, CableSpec Cable, PanelSpec? Panel);

public sealed record CompatibilityAnswer(bool Fits, IReadOnlyList<Refusal> Reasons);

/// <param name="Method">Gives advice that fits the method; may be left out.</param>
public sealed record EndFaceGradeRequest(EndFaceClass EndFaceClass, string LimitSetId, IReadOnlyList<Finding> Findings, TerminationMethod? Method);

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
        calc.MapGet("/strands/{number:int}", StrandAt).WithSummary("Unit, position and colour of a strand, 1 to 288.");
    }

    private static CompatibilityAnswer Compatible(CompatibilityRequest r)
    {
        var reasons = Compatibility.Judge(r.Connector, r.Cable, r.Panel);
        return new(reasons.Count == 0, reasons);
    }

    private static PrepCard Prep(PrepPlan plan) => PrepCards.Resolve(plan);

    private static EndFaceVerdict Grade(EndFaceGradeRequest r, Rules rules) => EndFaces.Grade(r.Findings, r.EndFaceClass, rules.EndFaceSet(r.LimitSetId), r.Method);

    private static LossJudgement Loss(InsertionLossRequest r, Rules rules) => InsertionLoss.Judge(r.Reading, r.Link, rules.LossSet(r.LimitSetId));

    private static Strand StrandAt(int number) => number is >= 1 and <= Strands.MaxPerCable ? Strands.At(number)
        : throw new RefusedException("out-of-range", "number", $"Strands are numbered 1 to {Strands.MaxPerCable}.");
}
