namespace Rhabdon.Core.Ledger;

/// <summary>The loss of a run's splice was read.</summary>
/// <param name="LossDb">Below 0 for a gainer, as one direction of a trace may show it.</param>
/// <param name="Estimated">True for the splicer's own estimate; false where it was measured.</param>
/// <param name="LeftAngleDeg">Of the left cleave, as the splicer showed it before the arc.</param>
/// <param name="RightAngleDeg">Of the right one.</param>
public sealed record SpliceRead(RunId RunId, double LossDb, bool Estimated, int? WavelengthNm = null, string? Note = null, double? LeftAngleDeg = null, double? RightAngleDeg = null) : INoted;

internal sealed class SpliceReadRule : EventRule<SpliceRead, Kept>
{
    protected override IEnumerable<Refusal> Faults(SpliceRead body)
    {
        if (!(body.LossDb is >= -2 and <= 20))
        {
            yield return OutOf("body.lossDb", "A splice's loss is −2 to 20 dB.");
        }

        if (body is { LeftAngleDeg: < 0 or > 45 } or { RightAngleDeg: < 0 or > 45 })
        {
            yield return Refusal.Of("cleave-angle", body.LeftAngleDeg is < 0 or > 45 ? "body.leftAngleDeg" : "body.rightAngleDeg");
        }

        if (body.WavelengthNm is < 600 or > 1700)
        {
            yield return OutOf("body.wavelengthNm", "A wavelength is 600 to 1700 nm.");
        }
    }

    protected override Judged Decide(Question q, SpliceRead body)
    {
        Runs.Open(q, body.RunId);
        return new Kept();
    }

    protected override EndState Evolve(EndState state, LedgerEvent e, SpliceRead body, Kept judged) =>
        Runs.With(state, body.RunId, a => a with { Splices = [.. a.Splices, new(e.Id, e.At, e.ActorId, body.LossDb, body.Estimated, body.WavelengthNm, body.LeftAngleDeg, body.RightAngleDeg)] });
}
