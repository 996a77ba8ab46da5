namespace Rhabdon.Core.Planning;

/// <summary>What of an end's slack cannot be cut off, because the hands and the tray need it.</summary>
public static class SlackReserve
{
    /// <summary>From the bench's edge into the clamp, and around a loop of 30 mm radius (common practice).</summary>
    public const double ClampMm = 254, TurnMm = 190;

    /// <summary>An end is worked while it reaches the bench and the clamp, and after it the loop has to remain.</summary>
    /// <param name="reachMm">From the panel to the bench.</param>
    /// <param name="turns">Of the service loop.</param>
    public static double Mm(double reachMm, int turns) => Math.Max(reachMm + ClampMm, turns * TurnMm);
}

public enum RibbonFault
{
    /// <summary>Less jacket than the module's routing takes.</summary>
    SlackShort,
    /// <summary>Thicker than its entry.</summary>
    TooThick,
    /// <summary>More ribbons than go in without a breakout.</summary>
    TooManyRibbons,
}

/// <summary>Whether a ribbon cable goes into a splice module.</summary>
public static class RibbonModules
{
    /// <summary>Jacket off from the module's entry, its entry's width, and flat ribbons that go in directly (common practice).</summary>
    public const double JacketOffMm = 889, EntryMm = 7.6;
    public const int MostRibbons = 3;

    /// <param name="diameterMm">Null where nobody said.</param>
    public static IEnumerable<RibbonFault> Faults(double slackMm, double? diameterMm, int strands)
    {
        if (slackMm < JacketOffMm)
        {
            yield return RibbonFault.SlackShort;
        }

        if (diameterMm > EntryMm)
        {
            yield return RibbonFault.TooThick;
        }

        if (strands > MostRibbons * Fiber.Strands.PerUnit)
        {
            yield return RibbonFault.TooManyRibbons;
        }
    }
}
