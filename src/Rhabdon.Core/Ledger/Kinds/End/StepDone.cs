using Rhabdon.Core.Procedures;

namespace Rhabdon.Core.Ledger;

/// <param name="ElapsedS">How long the step's timer ran, in seconds.</param>
/// <param name="Count">Strokes, bites or passes that were counted.</param>
/// <param name="SheetId">The film sheet that was used.</param>
/// <param name="SheetTotal">Strokes on that sheet with these.</param>
/// <param name="Together">Of how many ends one tap said it; null or 1 where it was said of this end alone.</param>
public sealed record StepDone(RunId RunId, string StepId, double? ElapsedS = null, int? Count = null, EvidenceId? SheetId = null, int? SheetTotal = null, int? Together = null);

internal sealed class StepDoneRule : EventRule<StepDone, Moved>
{
    protected override IEnumerable<Refusal> Faults(StepDone body) =>
        [.. body is { Count: < 0 or > 100_000 } or { SheetTotal: < 0 } ? [OutOf("body.count", "A count is 0 to 100,000.")] : Array.Empty<Refusal>(), .. Moves.Faults(body.Together)];

    protected override Judged Decide(Question q, StepDone body) => Moves.Decide(q, body.RunId, body.StepId, RunTable.Done, body.ElapsedS, body);

    protected override EndState Evolve(EndState state, LedgerEvent e, StepDone body, Moved judged) => Moves.Evolve(state, e, body.RunId, body.StepId, body.Together, null, judged);

    protected override EndState Otherwise(EndState state, LedgerEvent e, StepDone body, Judged judged) =>
        judged is Strayed ? Moves.Stray(state, e, body.RunId, body.StepId, RunTable.Done) : state;
}
