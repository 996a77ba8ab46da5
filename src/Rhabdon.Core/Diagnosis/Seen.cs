using Rhabdon.Core.Inspection;
using Rhabdon.Core.Ledger;
using Rhabdon.Core.Loss;
using Rhabdon.Core.Procedures;

namespace Rhabdon.Core.Diagnosis;

/// <summary>What a connector's record says, as signs.</summary>
public static class Seen
{
    /// <summary>So far over its limit it is no matter of a little dirt (ours).</summary>
    private const double FarOverDb = 1;

    /// <summary>Both directions differ by more than two readings do.</summary>
    private const double DirectionDb = 0.3;

    /// <summary>Fewer neighbours say nothing of what they share.</summary>
    private const int LeastNeighbours = 3;

    /// <param name="neighbours">The runs of the other ends of its panel.</param>
    /// <param name="history">What the record says of the things that it was made with.</param>
    public static DiagnoseAsk Of(AttemptState run, PlannedConnector plan, Connectors.ConnectorForm form, double slackLeftMm, IReadOnlyList<AttemptState> neighbours, RunHistory? history = null)
    {
        var family = DiagnosisTables.FamilyOf(plan.Method);
        return new(plan.Method, form, plan.Mode, Signs(run, family, neighbours, history), Math.Max(0, slackLeftMm), [.. run.Loops.Select(l => Tried(l, family)).OfType<string>()]);
    }

    /// <summary>The signs of a run as it stands.</summary>
    public static IReadOnlyList<Observation> Signs(AttemptState run, GlassFamily family, IReadOnlyList<AttemptState> neighbours, RunHistory? history = null)
    {
        var known = DiagnosisTables.Shipped.SignsOf(family).Select(s => s.Id).ToHashSet(StringComparer.Ordinal);
        var seen = new List<Observation>();
        foreach (var (sign, value) in new (string, string?)[]
        {
            ("face", Face(run.Inspection?.Verdict)), ("light", Light(run)), ("cleave", Cleave(run)), ("loss", Loss(run)), ("slope", Slope(run)), ("direction", Direction(run)), ("reflectance", Reflectance(run)),
            ("splice-estimate", Splice(run)), ("timer", run.Deviations.Any(d => d.Kind == DeviationKind.TimerShort) ? "short" : null), ("neighbours", Neighbours(neighbours)),
            ("blade", history?.BladeWorn is { } worn ? worn ? "worn" : "fresh" : null), ("lot", history?.LotWorse is { } worse ? worse ? "worse" : "as-usual" : null),
        })
        {
            if (value is not null && known.Contains(sign))
            {
                seen.Add(new(sign, value));
            }
        }

        return seen;
    }

    /// <summary>What was tried on a run, each with whether it was the last before it was accepted.</summary>
    /// <param name="next">The connector that was made after this one; null where there is none.</param>
    public static IReadOnlyList<TriedAct> Acts(AttemptState run, GlassFamily family, AttemptState? next)
    {
        var tried = run.Loops.Select((l, i) => (Act: Tried(l, family), Cured: run.AcceptedAt is not null && i == run.Loops.Count - 1)).Where(t => t.Act is not null).Select(t => new TriedAct(t.Act!, t.Cured)).ToList();
        return run.Open || next is null or { Open: true, AcceptedAt: null } ? tried : [.. tried, new("replace", next is { AcceptedAt: not null, Loops.Count: 0 })];
    }

    private static string? Face(EndFaceVerdict? verdict) => verdict switch
    {
        null => null,
        { Pass: true } => "clean",
        { Advice: EndFaceAdvice.CutOff or EndFaceAdvice.Replace } => "core-chip",
        { Advice: EndFaceAdvice.BackOneFilm } => "deep-scratch",
        { Advice: EndFaceAdvice.MoreOnLastFilm } => "fine-scratches",
        _ => "dirt",
    };

    private static string? Light(AttemptState run) => run.Lights.LastOrDefault()?.Judgement.Verdict switch
    {
        null => null,
        LightVerdict.Good => "dark",
        LightVerdict.Bad => "bright",
        _ => "dimmer",
    };

    private static string? Cleave(AttemptState run) => run.CleavesSeen.LastOrDefault()?.Verdict switch
    {
        null => null,
        { Doubtful: true } => "lip",
        { Pass: true } => "flat",
        _ => "angle-or-chip",
    };

    private static string? Loss(AttemptState run) => run.Losses.Select(l => l.Judgement).MinBy(l => l.MarginDb) switch
    {
        null => null,
        { Verdict: LossVerdict.Pass } => "within",
        { Verdict: LossVerdict.Fail, MarginDb: < -FarOverDb } => "far-over",
        { Verdict: LossVerdict.Fail or LossVerdict.BadReference } => "over",
        _ => "marginal",
    };

    private static string? Slope(AttemptState run)
    {
        var losses = run.Losses.Select(l => (l.Judgement.WavelengthNm, l.Judgement.LossDb)).ToList();
        return losses.DistinctBy(l => l.WavelengthNm).Count() < 2 ? null
            : Bend.Seen(losses) ? "longer-higher"
            : Bend.Seen(losses.Select(l => (-l.WavelengthNm, l.LossDb))) ? "shorter-higher"
            : "alike";
    }

    private static string? Direction(AttemptState run)
    {
        var pairs = run.Losses.Where(l => l.Reading.Direction is not null).GroupBy(l => l.Judgement.WavelengthNm).Where(g => g.Select(l => l.Reading.Direction).Distinct().Count() == 2).ToList();
        return pairs.Count == 0 ? null : pairs.Any(g => g.Max(l => l.Judgement.LossDb) - g.Min(l => l.Judgement.LossDb) > DirectionDb) ? "one-only" : "alike";
    }

    private static string? Reflectance(AttemptState run)
    {
        var read = run.Traces.Where(t => t.Reading.ReflectanceDb is not null).ToList();
        return read.Count == 0 ? null : read.Any(t => t.Reading.ReflectanceDb > t.Verdict.ReflectanceLimitDb) ? "high" : "good";
    }

    private static string? Splice(AttemptState run) => run.Splices.LastOrDefault() is not { } splice ? null : splice.LossDb > SpliceHighDb ? "high" : "low";

    /// <summary>An estimate above it is looked at again (ours).</summary>
    private const double SpliceHighDb = 0.1;

    private static string? Neighbours(IReadOnlyList<AttemptState> runs)
    {
        var measured = runs.Where(r => r.Losses.Count > 0).ToList();
        var bad = measured.Count(r => r.Losses.Any(l => l.Judgement.Verdict is LossVerdict.Fail or LossVerdict.BadReference));
        return measured.Count < LeastNeighbours ? null : bad == measured.Count ? "all-bad" : bad > 0 ? "some-bad" : "sound";
    }

    private static string? Tried(Loop loop, GlassFamily family) => loop.To == Phase.Look ? "clean" : family switch
    {
        GlassFamily.Polished => "more-polish",
        GlassFamily.Stub => loop.SlackMm > 0 ? "re-cleave" : "reseat",
        _ => null,
    };
}
