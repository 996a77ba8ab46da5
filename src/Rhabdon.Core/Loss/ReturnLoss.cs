using Rhabdon.Core.Connectors;
using Rhabdon.Core.Fiber;

namespace Rhabdon.Core.Loss;

/// <summary>What a connector has to hold back of the light that it reflects.</summary>
public static class ReturnLoss
{
    /// <summary>Least return loss in decibels, by mode and polish.</summary>
    /// <remarks>ANSI/TIA-568.3-D, from memory: multimode 20 dB, single-mode 26 dB, angled 55 dB.</remarks>
    public static double LeastDb(FiberMode mode, Polish polish) => (mode, polish) switch
    {
        (FiberMode.Multimode, _) => 20,
        (_, Polish.APC) => 55,
        _ => 26,
    };
}
