namespace Rhabdon.Core.Inspection;

/// <summary>What tells that a connector without polish is seated.</summary>
public enum LightRule
{
    NoneVisible, ClearlyDimmer,
    /// <summary>The installation tool judges, and says it with its lamp.</summary>
    Lamp,
}

/// <summary>What the red light did when the fiber was seated.</summary>
public enum LightSeen
{
    NoneVisible, ClearlyDimmer,
    /// <summary>Dimmer, but still bright.</summary>
    StillBright,
    Unchanged, LampGreen, LampRed,
}

public enum LightVerdict
{
    Good, Doubtful, Bad,
}

/// <summary>A part of a picture, as shares of its width and height from the top left corner.</summary>
public sealed record LightWindow(double X0, double Y0, double X1, double Y1)
{
    /// <summary>What is wrong with it, if anything.</summary>
    public string? Fault => !(X0 >= 0 && Y0 >= 0 && X1 <= 1 && Y1 <= 1) ? "A window lies within the picture: its places are 0 to 1."
        : !(X1 - X0 >= 0.005 && Y1 - Y0 >= 0.005) ? "Draw the window from one corner to the other, around the glow." : null;
}

/// <summary>What two photos of the glow show in the same window. Levels are light, not grey values: 0 none, 1 as bright as the camera sees.</summary>
/// <param name="ExposureRatio">Surroundings after, as a multiple of before: far from 1, the camera or the room has changed.</param>
/// <param name="BurntShare">Share of the window that is burnt out before: the true light was brighter than its level says.</param>
public sealed record Glow(double BeforeLevel, double AfterLevel, double ExposureRatio, double BurntShare);

/// <summary>What the server read of two photos when it kept the second.</summary>
public sealed record KeptGlow(EvidenceId BeforeId, LightWindow Window, Glow Glow);

/// <summary>Two photos of the glow, before and after seating, and the window in both.</summary>
/// <param name="BeforeLevel">As the device had it, with the three that follow: it counts only where the server keeps no reading of its own.</param>
public sealed record LightPhotos(
    EvidenceId BeforeId, EvidenceId AfterId, LightWindow Window, double? BeforeLevel = null, double? AfterLevel = null, double? ExposureRatio = null, double? BurntShare = null)
{
    internal Glow? Said => (BeforeLevel, AfterLevel, ExposureRatio, BurntShare) is ({ } before, { } after, { } exposure, { } burnt) ? new(before, after, exposure, burnt) : null;
}

/// <param name="Ratio">Light after as a share of before; null without photos.</param>
/// <param name="PhotosSay">What that share comes to; null without photos, or where they cannot be compared.</param>
/// <param name="Doubt">Why the photos cannot be compared.</param>
/// <param name="Differs">The photos and the eye lead to different verdicts: look again.</param>
public sealed record LightJudgement(LightVerdict Verdict, LightRule Rule, double? Ratio, LightSeen? PhotosSay, LightDoubt? Doubt, bool Differs, string Source);

public enum LightDoubt
{
    /// <summary>Before seating there was no glow in the window.</summary>
    NoGlow,
    /// <summary>The surroundings changed by more than half: hold exposure, distance and room light.</summary>
    ExposureChanged,
    /// <summary>Both photos are burnt out in the window: nothing to tell apart.</summary>
    Burnt,
}

/// <summary>Judges the red light by the rule of the connector. The eye decides; photos stand beside it with their share of light.</summary>
public static class RedLights
{
    private const double LeastGlow = 0.01, MostExposure = 1.5, MostBurnt = 0.3;

    /// <summary>What can be seen by a rule.</summary>
    public static IReadOnlyList<LightSeen> SeenBy(LightRule rule) => rule == LightRule.Lamp
        ? [LightSeen.LampGreen, LightSeen.LampRed] : [LightSeen.NoneVisible, LightSeen.ClearlyDimmer, LightSeen.StillBright, LightSeen.Unchanged];

    /// <exception cref="RefusedException">What was seen does not belong to the rule.</exception>
    public static LightJudgement Judge(LightRule rule, LightSeen seen, Glow? glow, LightLimitSet limits, string field = "seen")
    {
        if (!SeenBy(rule).Contains(seen))
        {
            throw new RefusedException("light-rule", field, rule == LightRule.Lamp ? "By the rule of the lamp its answer is green or red." : "A lamp's answer needs the rule of the lamp.");
        }

        var verdict = Verdict(rule, seen);
        var (ratio, says, doubt) = glow is null ? (null, null, null) : Compare(glow, limits);
        var differs = rule != LightRule.Lamp && says is { } s && Verdict(rule, s) != verdict;
        return new(verdict, rule, ratio, says, doubt, differs, $"rule of the connector, common practice; shares of light: {limits.Title}, {limits.Edition}");
    }

    /// <summary>What two photos come to.</summary>
    public static (double? Ratio, LightSeen? Says, LightDoubt? Doubt) Compare(Glow p, LightLimitSet limits)
    {
        if (p.BeforeLevel < LeastGlow)
        {
            return (null, null, LightDoubt.NoGlow);
        }

        var ratio = Math.Max(0, p.AfterLevel) / p.BeforeLevel;
        return p.ExposureRatio is > MostExposure or < 1 / MostExposure ? (ratio, null, LightDoubt.ExposureChanged)
            // A burnt-out glow was brighter than it looks, so it dimmed by more: that helps no judgement only where it hardly dimmed.
            : p.BurntShare > MostBurnt && ratio > limits.MostDimmerShare ? (ratio, null, LightDoubt.Burnt)
            : (ratio, limits.Says(ratio), null);
    }

    private static LightVerdict Verdict(LightRule rule, LightSeen seen) => (rule, seen) switch
    {
        (_, LightSeen.NoneVisible or LightSeen.LampGreen) => LightVerdict.Good,
        (LightRule.ClearlyDimmer, LightSeen.ClearlyDimmer) => LightVerdict.Good,
        (LightRule.NoneVisible, LightSeen.ClearlyDimmer) => LightVerdict.Doubtful,
        (LightRule.ClearlyDimmer, LightSeen.StillBright) => LightVerdict.Doubtful,
        _ => LightVerdict.Bad,
    };
}
