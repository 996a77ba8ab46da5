namespace Rhabdon.Core.Ledger;

public enum DamageKind
{
    FaceStruck, FiberPulled, CablePinched, JacketCut, ConnectorBroken, Wet, Other,
}

/// <summary>A connector was damaged after it was made.</summary>
/// <param name="Usable">False where it has to be made again: it then waits for a decision until it is given up.</param>
public sealed record Damaged(RunId RunId, DamageKind What, bool Usable, string? Note = null) : INoted;

internal sealed class DamagedRule : EventRule<Damaged, Kept>
{
    protected override IEnumerable<Refusal> Faults(Damaged body)
    {
        if (body.What == DamageKind.Other && string.IsNullOrWhiteSpace(body.Note))
        {
            yield return new("note-empty", "body.note", "Say what happened to it.");
        }
    }

    protected override Judged Decide(Question q, Damaged body)
    {
        Runs.Open(q, body.RunId);
        return new Kept();
    }

    protected override EndState Evolve(EndState state, LedgerEvent e, Damaged body, Kept judged) =>
        Runs.With(state, body.RunId, a => a with { Damages = [.. a.Damages, new(e.Id, e.At, e.ActorId, body.What, body.Usable, body.Note)] });
}
