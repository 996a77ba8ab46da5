using Rhabdon.Core;
using Rhabdon.Core.Trace;
using Rhabdon.Instruments;

namespace Rhabdon.Practice;

/// <summary>Something on the simulated link.</summary>
/// <param name="ReflectanceDb">Null where nothing reflects.</param>
/// <param name="BackscatterStepDb">How much more the fiber after it scatters, in one-way decibels of the trace; makes gainers.</param>
/// <param name="Echo">True for a ghost: a reflection at this place with nothing there.</param>
public sealed record SimulatedEvent(double DistanceM, double LossDb, double? ReflectanceDb = null, double BackscatterStepDb = 0, bool Echo = false);

/// <param name="DynamicDb">How far the first backscatter stands above the noise, one-way.</param>
/// <param name="EndReflectanceDb">What the far end reflects; null where it does not.</param>
public sealed record SimulatedLink(
    double LengthM, double DbPerKm, IReadOnlyList<SimulatedEvent> Events, double PulseNs = 50, double SpacingM = 0.5, double RangeM = 0, double DynamicDb = 20,
    double? EndReflectanceDb = -14.7, double FrontReflectanceDb = -45, int WavelengthNm = 1310, double GroupIndex = 1.4677, double BackscatterDb = -79, int Seed = 1);

/// <summary>An instrument made of arithmetic: from a link to the trace that it would give. What the link says is the truth.</summary>
public static class SimulatedTraces
{
    /// <exception cref="RefusedException">The link is out of range.</exception>
    public static OtdrFile Make(SimulatedLink link)
    {
        if (link is not { LengthM: > 0 and <= 200_000, SpacingM: > 0 and <= 100, PulseNs: >= 1 and <= 20_000, DynamicDb: > 0 and <= 60 })
        {
            throw new RefusedException("out-of-range", "link", "A link is up to 200,000 m, its points up to 100 m apart, its pulse 1 to 20,000 ns and its range up to 60 dB.");
        }

        var range = link.RangeM > 0 ? link.RangeM : link.LengthM * 1.3;
        var count = (int)(range / link.SpacingM);
        if (count is < 64 or > OtdrReader.MostPoints)
        {
            throw new RefusedException("out-of-range", "link.spacingM", $"The trace would have {count} points; 64 to {OtdrReader.MostPoints:N0} are possible.");
        }

        var spacing = (int)Math.Round(link.SpacingM * link.GroupIndex / OtdrUnits.LightMPerS / 1e-14);
        var spacingM = OtdrUnits.DistanceM(spacing * 1e-14, link.GroupIndex);
        var pulse = Math.Max(1, (int)Math.Round(OtdrUnits.LightMPerS * link.PulseNs * 1e-9 / (2 * link.GroupIndex) / spacingM));
        var events = link.Events.OrderBy(e => e.DistanceM).ToList();
        var clean = new double[count];
        var (next, lost, scatter) = (0, 0.0, 0.0);
        for (var i = 0; i < count; i++)
        {
            var x = i * spacingM;
            while (next < events.Count && events[next].DistanceM <= x)
            {
                lost += events[next].Echo ? 0 : events[next].LossDb;
                scatter += events[next++].BackscatterStepDb;
            }

            clean[i] = x <= link.LengthM ? Math.Pow(10, (-lost - (x * link.DbPerKm / 1000) + scatter) / 5) : 0;
        }

        // The pulse smears the light that comes back over its own length, and a mirror shows as a block of it.
        var light = new double[count];
        double sum = 0;
        for (var i = 0; i < count; i++)
        {
            sum += clean[i] - (i >= pulse ? clean[i - pulse] : 0);
            light[i] = Math.Max(0, sum) / Math.Min(pulse, i + 1);
        }

        void Mirror(double atM, double reflectanceDb)
        {
            Effort.Spend(pulse);
            var first = Math.Clamp((int)Math.Ceiling(atM / spacingM), 0, count - 1);
            var level = atM > link.LengthM ? clean[Math.Max(0, (int)(link.LengthM / spacingM) - 1)] : clean[Math.Max(0, first - 1)];
            var height = level * Math.Pow(10, (reflectanceDb - link.BackscatterDb - (10 * Math.Log10(link.PulseNs))) / 10);
            for (var i = first; i < Math.Min(count, first + pulse); i++)
            {
                light[i] += height;
            }
        }

        Mirror(0, link.FrontReflectanceDb);
        foreach (var e in events.Where(e => e.ReflectanceDb is not null))
        {
            Mirror(e.DistanceM, e.ReflectanceDb!.Value);
        }

        if (link.EndReflectanceDb is { } end)
        {
            Mirror(link.LengthM, end);
        }

        var random = new Random(link.Seed);
        var noise = Math.Pow(10, -link.DynamicDb / 5);
        // The first backscatter stands 15 dB under the top of the scale, so that reflections have room.
        const double Headroom = 18;
        var points = new ushort[count];
        for (var i = 0; i < count; i++)
        {
            var normal = Math.Sqrt(-2 * Math.Log(1 - random.NextDouble())) * Math.Cos(2 * Math.PI * random.NextDouble());
            var db = 5 * Math.Log10(Math.Max(1e-13, Math.Abs(light[i] + (noise * normal)))) - Headroom;
            points[i] = (ushort)Math.Clamp(Math.Round(-db * 1000), 0, 65_535);
        }

        return new OtdrFile(2,
            new("EN", "", "", 652, (short)link.WavelengthNm, "A", "B", "", "BC", 0, 0, "", "Simulated"),
            new("Simulated", "", "", "", "", "", ""),
            new(1_790_000_000, "mt", (short)(link.WavelengthNm * 10), 0, 0, [new((short)Math.Min(short.MaxValue, link.PulseNs), spacing, count)], (int)Math.Round(link.GroupIndex * 100_000),
                (short)Math.Round(-link.BackscatterDb * 10), 10_000, 300, (int)Math.Min(int.MaxValue, range * link.GroupIndex / OtdrUnits.LightMPerS / 1e-10), (int)(range * 10), 0,
                (ushort)Math.Min(65_535, (link.DynamicDb + Headroom) * 1000), 1000, (ushort)(Headroom * 1000), 50, 40_000, 3000, "ST", 0, 0, 0, 0),
            new([], 0, 0, 0, 0, 0, 0), new([]), new([new(1000, points)]), []);
    }
}
