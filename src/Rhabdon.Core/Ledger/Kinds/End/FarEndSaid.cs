namespace Rhabdon.Core.Ledger;

/// <summary>Somebody says what the readings of this run were measured into, where the far end is not known to be made.</summary>
public sealed record FarEndSaid(RunId RunId, MeasuredInto Into, string? Note = null) : INoted;

internal sealed class FarEndSaidRule : EventRule<FarEndSaid, Kept>
{
    public static readonly Refusal NoteMissing = new("note-missing", "body.note", "Say in the note what it was measured into.");

    protected override IEnumerable<Refusal> Faults(FarEndSaid body) => body.Into is MeasuredInto.Other && string.IsNullOrWhiteSpace(body.Note) ? [NoteMissing] : [];

    protected override Judged Decide(Question q, FarEndSaid body) => Runs.Finished(q, body.RunId).Losses.Count > 0 ? new Kept()
        : throw new RefusedException("nothing-measured", "body.runId", "Nothing was measured on this run yet.");

    protected override EndState Evolve(EndState state, LedgerEvent e, FarEndSaid body, Kept judged) =>
        Runs.With(state, body.RunId, a => a with { Losses = [.. a.Losses.Select(l => l with { Said = body.Into })] });
}
