namespace Rhabdon.Core;

/// <summary>The time of the machine, for those outside Core: Core itself asks no clock.</summary>
public static class Clocks
{
    public static Instant GetCurrentInstant(this TimeProvider clock) => Instant.FromDateTimeOffset(clock.GetUtcNow());
}
