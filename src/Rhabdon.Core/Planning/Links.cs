using Rhabdon.Core.Connectors;

namespace Rhabdon.Core.Planning;

/// <summary>What a link is made of, as its limit counts it.</summary>
public static class Links
{
    /// <summary>Splices of a link: those in the cable, and one for each pigtail.</summary>
    /// <param name="inCable">Splices known along the cable.</param>
    /// <param name="far">Null where the far end is not of this job.</param>
    /// <remarks>A splice-on connector's splice lies inside the connector and counts within its mated pair (common practice).</remarks>
    public static int Splices(int inCable, TerminationMethod near, TerminationMethod? far) =>
        inCable + (near == TerminationMethod.PigtailSplice ? 1 : 0) + (far == TerminationMethod.PigtailSplice ? 1 : 0);
}
