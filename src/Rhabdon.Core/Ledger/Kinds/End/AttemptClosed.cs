using Rhabdon.Core.Rework;

namespace Rhabdon.Core.Ledger;

/// <summary>This connector is given up.</summary>
/// <param name="CutOff">True when the cable is cut behind the jacket edge.</param>
public sealed record AttemptClosed(RunId RunId, ReworkReason Reason, bool CutOff, string? Note = null) : INoted;

/// <param name="SlackMm">What the cut costs.</param>
public sealed record GivenUp(double SlackMm) : Judged;

internal sealed class AttemptClosedRule : EventRule<AttemptClosed, GivenUp>
{
    protected override Judged Decide(Question q, AttemptClosed body) => new GivenUp(Runs.Open(q, body.RunId) is var attempt && body.CutOff ? Runs.Table(q, attempt).Prep.CutOffUsesMm : 0);

    protected override EndState Evolve(EndState state, LedgerEvent e, AttemptClosed body, GivenUp judged) => Runs.With(state, body.RunId, a => a with
    {
        Closed = new(e.At, e.ActorId, body.Reason, body.CutOff, body.Note),
        AcceptedAt = null,
        SlackMm = a.SlackMm + judged.SlackMm,
        PartsLost = body.CutOff ? [.. a.PartsLost, "connector"] : a.PartsLost,
    }) with
    { SlackUsedMm = state.SlackUsedMm + judged.SlackMm };
}
