namespace Rhabdon.Core.Ledger;

public sealed record Noted(string Text) : INoted
{
    string? INoted.Note => Text;
}

internal sealed class NotedRule : EventRule<Noted, Kept>
{
    protected override Judged Decide(Question q, Noted body) => body.Text.Trim().Length > 0 ? new Kept() : throw new RefusedException("note-empty", "body.text", "A note needs some text.");

    protected override EndState Evolve(EndState state, LedgerEvent e, Noted body, Kept judged) => state;
}
