using Rhabdon.Core.Inspection;

namespace Rhabdon.Core.Ledger;

/// <summary>What the red light did.</summary>
/// <param name="Rule">By what it is judged where the procedure judges none: the person says so. The procedure's own is used where it has one.</param>
/// <param name="Photos">Two photos that were compared, if any.</param>
public sealed record LightJudged(RunId RunId, LightSeen Seen, LightPhotos? Photos = null, string? Note = null, LightRule? Rule = null) : INoted;

public sealed record GlowJudged(LightJudgement Judgement, IReadOnlyList<Difference>? Differences) : Judged;

internal sealed class LightJudgedRule : EventRule<LightJudged, GlowJudged>
{
    protected override IEnumerable<Refusal> Faults(LightJudged body)
    {
        if (body.Photos?.Window.Fault is { } fault)
        {
            yield return OutOf("body.photos.window", fault);
        }

        if (body.Photos is not (null or { BeforeLevel: null or (>= -1 and <= 1.01), AfterLevel: null or (>= -1 and <= 1.01), ExposureRatio: null or (>= 0 and <= 1e6), BurntShare: null or (>= 0 and <= 1) }))
        {
            yield return OutOf("body.photos.beforeLevel", "Levels of light are at most 1, shares 0 to 1.");
        }
    }

    protected override Judged Decide(Question q, LightJudged body)
    {
        var attempt = Runs.Open(q, body.RunId);
        if (q.Before is GlowJudged before)
        {
            return before;
        }

        Citations.Check(q);
        var rule = Runs.Table(q, attempt).States.Select(s => s.Light).FirstOrDefault(l => l is not null) ?? body.Rule ?? throw new RefusedException(Refusal.Of("light-rule-missing", "body.rule"));
        return new GlowJudged(RedLights.Judge(rule, body.Seen, GlowOf(q, body), q.Rules.LightInForce, "body.seen"), Differences.Of(("rule", body.Rule is { } said ? Wire.Name(said) : null, Wire.Name(rule))));
    }

    private static Glow? GlowOf(Question q, LightJudged body) =>
        body.Photos is not { } photos ? null
        : q.Plan.Evidence?.GetValueOrDefault(photos.AfterId)?.Glow is { } kept && kept.BeforeId == photos.BeforeId && kept.Window == photos.Window ? kept.Glow
        : photos.Said;

    protected override EndState Evolve(EndState state, LedgerEvent e, LightJudged body, GlowJudged judged) =>
        Runs.With(state, body.RunId, a => a with { Lights = [.. a.Lights, new LightState(e.Id, e.At, e.ActorId, body, judged.Judgement)] });
}
