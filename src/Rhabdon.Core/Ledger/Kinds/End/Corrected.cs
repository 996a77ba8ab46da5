namespace Rhabdon.Core.Ledger;

/// <summary>An earlier event was a mistake. It stays in the ledger; the state is told without it.</summary>
public sealed record Corrected(EventId EventId, string? Note = null) : INoted;

/// <summary>Whether a correction holds is decided by telling the end with and without it; see <see cref="Telling"/>.</summary>
internal sealed class CorrectedRule : EventRule<Corrected, Kept>
{
    protected override Judged Decide(Question q, Corrected body) => new Kept();

    protected override EndState Evolve(EndState state, LedgerEvent e, Corrected body, Kept judged) => state;
}
