using Rhabdon.Core.Connectors;
using Rhabdon.Core.Inspection;
using Rhabdon.Core.Loss;

namespace Rhabdon.Core.Ledger;

/// <summary>A connector's verdict from a trace.</summary>
/// <param name="LossLimitDb">What a mated pair may lose.</param>
/// <param name="ReflectanceLimitDb">The most that it may reflect.</param>
public sealed record TracedVerdict(bool LossPass, bool ReflectancePass, double LossLimitDb, double ReflectanceLimitDb, string Edition)
{
    public bool Pass => LossPass && ReflectancePass;
}

/// <summary>Judges what an event says, by nothing but the event and the limit set that it names.</summary>
public static class Judgements
{
    public static EndFaceVerdict Of(Inspected body, Rules rules, TerminationMethod? method) => body.Picture is { } picture
        ? SeenEndFaces.Grade(picture.Final, body.EndFaceClass, rules.EndFaceSet(body.LimitSetId), method, "body.picture.final")
        : EndFaces.Grade(body.Findings, body.EndFaceClass, rules.EndFaceSet(body.LimitSetId), method);

    public static LossJudgement Of(Measured body, Rules rules) => InsertionLoss.Judge(
        new(body.WavelengthNm, body.Reference, body.ReferenceDbm, body.ReadingDbm, body.RepeatabilityDb),
        new(body.FiberClass, body.LengthM, body.Connections, body.Splices), rules.LossSet(body.LimitSetId));

    public static LightJudgement Of(LightJudged body) => RedLights.Judge(body.Rule, body.Seen, body.Photos, "body.seen");

    /// <summary>Loss against the limit of one pair, reflection against what the polish has to hold.</summary>
    public static TracedVerdict Of(Traced body, Rules rules)
    {
        var set = rules.LossSet(body.LimitSetId);
        var pair = set.Connections.FirstOrDefault(c => c.Mode == body.Mode)?.PairDb
            ?? throw new RefusedException("mode-unknown", "body.mode", $"{set.Edition} has no connection limit for this fiber mode.");
        var reflectance = -ReturnLoss.LeastDb(body.Mode, body.Polish);
        return new(body.LossDb <= pair + 1e-9, body.ReflectanceDb is null || body.ReflectanceDb <= reflectance + 1e-9, pair, reflectance, set.Edition);
    }
}
