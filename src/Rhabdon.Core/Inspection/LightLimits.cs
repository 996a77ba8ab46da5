namespace Rhabdon.Core.Inspection;

/// <summary>How much of the red light may be left in the window once the fiber is seated, as shares of what was there before.</summary>
/// <param name="MostNoneShare">Up to this share no light is visible;</param>
/// <param name="MostDimmerShare">up to this it is clearly dimmer;</param>
/// <param name="MostBrightShare">up to this dimmer but still bright; above it is unchanged.</param>
public sealed record LightLimitSet(string Id, string Title, string Edition, string Source, double MostNoneShare, double MostDimmerShare, double MostBrightShare)
{
    /// <summary>Where a company says nothing else.</summary>
    /// <remarks>Where the window shows what is not coupled, 0.75 dB of loss leaves 16 % of the light in it, and 50 % left is 3 dB: not a seated fiber.</remarks>
    public static readonly LightLimitSet Ours = new("red-light-shares", "Red light by share", "1", "Ours: 0.75 dB of loss leaves 16 % of the light in the window, 50 % left is 3 dB", 0.03, 0.2, 0.5);

    public LightSeen Says(double share) =>
        share <= MostNoneShare ? LightSeen.NoneVisible : share <= MostDimmerShare ? LightSeen.ClearlyDimmer : share <= MostBrightShare ? LightSeen.StillBright : LightSeen.Unchanged;

    /// <summary>The shares rise, and lie between nothing and all of the light.</summary>
    public IEnumerable<Refusal> Faults()
    {
        var (last, shares) = (0.0, new[] { ("mostNoneShare", MostNoneShare), ("mostDimmerShare", MostDimmerShare), ("mostBrightShare", MostBrightShare) });
        foreach (var (field, share) in shares)
        {
            if (!(share > last && share < 1))
            {
                yield return Refusal.Of("light-shares", field);
            }

            last = share;
        }
    }
}
