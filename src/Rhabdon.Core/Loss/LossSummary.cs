using Rhabdon.Core.Fiber;

namespace Rhabdon.Core.Loss;

/// <summary>What was measured of a link at one wavelength.</summary>
/// <param name="MeanDb">Of both directions; null with only one.</param>
/// <param name="WorstDb">The greater loss, which has to hold.</param>
/// <param name="CoreMix">True when the two directions look like 62.5 µm joined to 50 µm.</param>
public sealed record LossSummary(int WavelengthNm, double? AToBDb, double? BToADb, double? MeanDb, double WorstDb, double LimitDb, bool CoreMix)
{
    /// <summary>A good link's two connections, beside its cable: common practice.</summary>
    private const double UsualConnectionsDb = 0.6;

    /// <param name="losses">Judged losses, with true for light from A to B, false for B to A, null where that was not said.</param>
    public static IReadOnlyList<LossSummary> Of(FiberMode mode, IReadOnlyList<(bool? AToB, LossJudgement Judgement)> losses) =>
        [.. losses.Where(l => l.Judgement.Verdict != LossVerdict.BadReference).GroupBy(l => l.Judgement.WavelengthNm).OrderBy(g => g.Key).Select(g =>
        {
            double? Way(bool way) => g.Where(l => l.AToB == way).Select(l => (double?)l.Judgement.LossDb).LastOrDefault();
            var (there, back) = (Way(true), Way(false));
            var cable = g.First().Judgement.Limit.CableDb;
            var mix = there is { } a && back is { } b && MixUps.LooksLikeCoreMix(mode, a - cable - UsualConnectionsDb, b - cable - UsualConnectionsDb);
            return new LossSummary(g.Key, there, back, there is not null && back is not null ? (there + back) / 2 : null, g.Max(l => l.Judgement.LossDb), g.Min(l => l.Judgement.Limit.LimitDb), mix);
        })];
}
