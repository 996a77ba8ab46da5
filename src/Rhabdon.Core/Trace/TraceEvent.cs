namespace Rhabdon.Core.Trace;

public enum TraceEventKind
{
    /// <summary>Reflects: a connector or a mechanical splice.</summary>
    Connector,
    /// <summary>Loses light and reflects none.</summary>
    Splice,
    /// <summary>Seems to gain light: the fiber after it scatters more. Only the mean of both directions is its loss.</summary>
    Gainer,
    /// <summary>An echo between two reflections; nothing is there.</summary>
    Ghost,
    /// <summary>The fiber ends, or the light does.</summary>
    End,
}

/// <param name="DistanceM">From the link's first connector where the launch cord is known, otherwise from the instrument.</param>
/// <param name="LossDb">0 at the end and at a ghost.</param>
/// <param name="LossSigmaDb">Standard error of the loss, from the noise.</param>
/// <param name="ReflectanceDb">Null where nothing reflects.</param>
/// <param name="Saturated">The reflection is higher than the instrument can show: at least this much.</param>
public sealed record TraceEvent(double DistanceM, double LossDb, double? ReflectanceDb, TraceEventKind Kind, double LossSigmaDb = 0, bool Saturated = false);

/// <summary>A trace with the numbers that analysis needs.</summary>
/// <param name="LevelsDb">One-way decibels, evenly spaced.</param>
/// <param name="FirstM">Where the first point lies.</param>
/// <param name="BackscatterDb">Backscatter coefficient for a pulse of 1 ns, such as −80.</param>
public sealed record TraceCurve(float[] LevelsDb, double FirstM, double SpacingM, double PulseNs, double GroupIndex, double BackscatterDb)
{
    public static TraceCurve Of(OtdrFile file) =>
        new(file.LevelsDb(), file.FirstPointM(), file.SpacingM(), Math.Max((short)1, file.Fixed.Pulses[0].WidthNs), file.GroupIndex(), file.BackscatterDb());

    /// <summary>How far the pulse smears an event: c·τ / 2n.</summary>
    public double PulseM => OtdrUnits.LightMPerS * PulseNs * 1e-9 / (2 * GroupIndex);

    public double At(int sample) => FirstM + (sample * SpacingM);
}

/// <summary>What a trace shows.</summary>
/// <param name="LengthM">From first to last connector where cords are known, otherwise to the end.</param>
/// <param name="LossDb">Over that length: fiber and events, the first and the last connector where cords are known.</param>
/// <param name="DbPerKm">Attenuation of the fiber between events.</param>
/// <param name="OriginM">Where distance 0 lies from the instrument.</param>
/// <param name="LaunchSeen">Whether a connector lies where the launch cord ends; null where none was said.</param>
public sealed record TraceReading(IReadOnlyList<TraceEvent> Events, double LengthM, double LossDb, double DbPerKm, double OriginM, bool? LaunchSeen = null);

/// <summary>Least-squares line through part of a trace.</summary>
public sealed record TraceSection(double FromM, double ToM, double DbPerKm, double LossDb, double RmsDb);

/// <summary>One event, seen from both ends.</summary>
/// <param name="Mean">With the true loss; its distance is that of the first direction.</param>
/// <param name="ForwardDb">Null where that direction did not see it.</param>
public sealed record PairedEvent(TraceEvent Mean, double? ForwardDb, double? BackwardDb);
