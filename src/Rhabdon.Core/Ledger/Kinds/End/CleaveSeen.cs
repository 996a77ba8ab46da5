using Rhabdon.Core.Inspection;

namespace Rhabdon.Core.Ledger;

/// <summary>A cleave as its picture shows it: evidence of the bench; the step's own check says how the run goes on.</summary>
/// <param name="PictureId">The picture's file.</param>
/// <param name="View">As the device had it: the cleave is judged by what the server read, and what differs is kept as a difference.</param>
/// <param name="Rule">Best left out: where it says otherwise than the one of method and polish, that is kept as a difference.</param>
public sealed record CleaveSeen(RunId RunId, EvidenceId PictureId, double UmPerPx, CleaveView View, string? Note = null, CleaveRule? Rule = null) : INoted;

public sealed record CleaveJudged(CleaveVerdict Verdict, IReadOnlyList<Difference>? Differences, CleaveView? View = null) : Judged;

internal sealed class CleaveSeenRule : EventRule<CleaveSeen, CleaveJudged>
{
    protected override IEnumerable<Refusal> Faults(CleaveSeen body)
    {
        if (!(body.View is { AngleDeg: >= -45 and <= 45, LipUm: >= 0 and <= 250, ChipUm: >= 0 and <= 250, RoughUm: >= 0 and <= 250 }
            && body.Rule is null or { NominalDeg: >= 0 and <= 20, ToleranceDeg: > 0 and <= 10, MostLipUm: >= 0 and <= 250, MostChipUm: >= 0 and <= 250, MostRoughUm: >= 0 and <= 250 }
            && body.UmPerPx is > 0 and <= 10))
        {
            yield return OutOf("body.view", "A cleave's angle is −45 to 45°, its lip, chip and hackle 0 to 250 µm, its rule's tolerance above 0 and at most 10°.");
        }
    }

    protected override Judged Decide(Question q, CleaveSeen body)
    {
        Runs.Open(q, body.RunId);
        if (q.Before is CleaveJudged before)
        {
            return before;
        }

        Citations.Check(q);
        var rule = Cleaves.RuleFor(q.Plan.Method, q.Plan.Polish);
        var read = q.Plan.Evidence?.GetValueOrDefault(body.PictureId)?.Cleave;
        var view = read ?? body.View;
        return new CleaveJudged(Cleaves.Judge(view, rule), Differences.Of(
            ("view.angleDeg", Differences.Figure(body.View.AngleDeg), Differences.Figure(view.AngleDeg)), ("view.lipUm", Differences.Figure(body.View.LipUm), Differences.Figure(view.LipUm)),
            ("view.chipUm", Differences.Figure(body.View.ChipUm), Differences.Figure(view.ChipUm)), ("view.roughUm", Differences.Figure(body.View.RoughUm), Differences.Figure(view.RoughUm)),
            ("rule.nominalDeg", Differences.Figure(body.Rule?.NominalDeg), Differences.Figure(rule.NominalDeg)), ("rule.toleranceDeg", Differences.Figure(body.Rule?.ToleranceDeg), Differences.Figure(rule.ToleranceDeg))), read);
    }

    protected override EndState Evolve(EndState state, LedgerEvent e, CleaveSeen body, CleaveJudged judged) =>
        Runs.With(state, body.RunId, a => a with { CleavesSeen = [.. a.CleavesSeen, new CleaveState(e.Id, e.At, e.ActorId, judged.View is { } read ? body with { View = read } : body, judged.Verdict)] });
}
