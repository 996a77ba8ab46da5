namespace Rhabdon.Core.Ledger;

/// <param name="Together">Of how many ends one tap said it; null or 1 where it was said of this end alone.</param>
public sealed record CheckAnswered(RunId RunId, string StepId, string AnswerId, double? ElapsedS = null, string? Note = null, int? Together = null) : INoted;

internal sealed class CheckAnsweredRule : EventRule<CheckAnswered, Moved>
{
    protected override IEnumerable<Refusal> Faults(CheckAnswered body) => Moves.Faults(body.Together);

    protected override Judged Decide(Question q, CheckAnswered body) => Moves.Decide(q, body.RunId, body.StepId, body.AnswerId, body.ElapsedS, null);

    protected override EndState Evolve(EndState state, LedgerEvent e, CheckAnswered body, Moved judged) => Moves.Evolve(state, e, body.RunId, body.StepId, body.Together, body.Note, judged);

    protected override EndState Otherwise(EndState state, LedgerEvent e, CheckAnswered body, Judged judged) =>
        judged is Strayed ? Moves.Stray(state, e, body.RunId, body.StepId, body.AnswerId) : state;
}
