using Rhabdon.Core.Procedures;

namespace Rhabdon.Core.Ledger;

/// <summary>Something of the pre-flight was made so after the run began.</summary>
public sealed record PreflightAnswered(RunId RunId, PreflightAnswer Answer);

internal sealed class PreflightAnsweredRule : EventRule<PreflightAnswered, Kept>
{
    private const int LongestLot = 60;
    private const int MostAnswers = 100;
    internal const int LongestReason = 200;

    public static IEnumerable<Refusal> Faults(IReadOnlyList<PreflightAnswer> answers)
    {
        if (answers.Count > MostAnswers || answers.Any(l => l.Lot?.Length > LongestLot || l.Number is { } n && !double.IsFinite(n)))
        {
            yield return OutOf("body.preflight", $"A pre-flight has at most {MostAnswers} answers, and a lot at most {LongestLot} characters.");
        }

        if (answers.Any(a => a.InSpiteOf?.Length > LongestReason))
        {
            yield return Refusal.Of("text-length", "body.preflight", ("field", "inSpiteOf"), ("most", LongestReason));
        }
    }

    protected override IEnumerable<Refusal> Faults(PreflightAnswered body) => Faults([body.Answer]);

    protected override Judged Decide(Question q, PreflightAnswered body) => Runs.Table(q, Runs.Open(q, body.RunId)).Preflight.Any(i => i.Id == body.Answer.ItemId)
        ? new Kept()
        : throw new RefusedException("preflight-unknown", "body.answer.itemId", $"This procedure asks for no '{body.Answer.ItemId}'.");

    protected override EndState Evolve(EndState state, LedgerEvent e, PreflightAnswered body, Kept judged) =>
        Runs.With(state, body.RunId, a => a with { Preflight = [.. a.Preflight.Where(p => p.ItemId != body.Answer.ItemId), body.Answer] });
}
