using System.Diagnostics;
using Rhabdon.Core.Trace;
using Rhabdon.Instruments;
using Rhabdon.Practice;

namespace Rhabdon.Figures;

/// <summary>How well and how fast traces are read, on simulated ones whose truth is known.</summary>
internal static class Traces
{
    /// <summary>How far the weakest event stands above the noise, in one-way decibels of the trace; 5 are 10 dB of light power.</summary>
    public static double Snr { get; set; } = 10;

    public static SimulatedLink Draw(int seed)
    {
        var random = new Random(unchecked(seed * 9973));
        double Between(double a, double b) => a + ((b - a) * random.NextDouble());
        var length = Between(800, 8000);
        var pulse = new[] { 20.0, 50, 100, 200 }[random.Next(4)];
        var perKm = Between(0.32, 0.4);
        // Sections long enough that 0.05 dB can be told from the noise at all: see docs/numbers.md#trace.
        var apart = Math.Max(350, pulse * 0.4);
        var events = new List<SimulatedEvent>();
        for (var at = Between(apart, 2 * apart); at < length - apart; at += apart + Between(0, 1.2 * apart))
        {
            events.Add(random.Next(2) == 0 ? new(at, Between(0.05, 0.8), Between(-58, -35)) : new(at, Between(0.05, 0.5), BackscatterStepDb: random.Next(8) == 0 ? Between(0.6, 0.8) : 0));
        }

        var lost = events.Sum(e => e.LossDb) + (perKm * length / 1000);
        return new(length, perKm, events, pulse, Between(0.25, 0.6), DynamicDb: Snr + lost + Between(0, 4), EndReflectanceDb: random.Next(4) == 0 ? null : -14.7, Seed: seed);
    }

    public static void Run(int count, bool talk)
    {
        int truths = 0, missed = 0, found = 0, extra = 0, ends = 0;
        double squares = 0;
        var compared = 0;
        for (var n = 0; n < count; n++)
        {
            var link = Draw(n);
            var curve = TraceCurve.Of(OtdrReader.Read(OtdrWriter.Write(SimulatedTraces.Make(link))));
            var reading = TraceAnalysis.Read(curve);
            var near = curve.PulseM + (3 * curve.SpacingM) + 3;
            var left = reading.Events.Where(e => e.Kind is not (TraceEventKind.End or TraceEventKind.Ghost)).ToList();
            found += left.Count;
            foreach (var e in link.Events)
            {
                truths++;
                var hit = left.Where(f => Math.Abs(f.DistanceM - e.DistanceM) < near).MinBy(f => Math.Abs(f.DistanceM - e.DistanceM));
                if (hit is null)
                {
                    missed++;
                    Say($"{n}: missed {e}");
                    continue;
                }

                left.Remove(hit);
                var off = hit.LossDb - (e.LossDb - e.BackscatterStepDb);
                squares += off * off;
                compared++;
                if (Math.Abs(off) > 0.06)
                {
                    Say($"{n}: loss {hit.LossDb:0.000} for {e.LossDb - e.BackscatterStepDb:0.000} ± {hit.LossSigmaDb:0.000} at {e.DistanceM:0}; pulse {link.PulseNs}, dynamic {link.DynamicDb:0.0}");
                }
            }

            extra += left.Count;
            foreach (var f in left)
            {
                Say($"{n}: extra {f}");
            }

            if (Math.Abs(reading.LengthM - link.LengthM) < near)
            {
                ends++;
            }
            else
            {
                Say($"{n}: length {reading.LengthM:0.0} for {link.LengthM:0.0}, pulse {link.PulseNs} end {link.EndReflectanceDb}");
            }
        }

        Console.WriteLine($"Traces, {count} simulated, every event at 10 dB or more above the noise: found {1 - (missed / (double)truths):P2} of {truths}, false {extra / (double)found:P2}, loss within {Math.Sqrt(squares / compared):0.0000} dB RMS, end found {ends / (double)count:P1}");

        void Say(string text)
        {
            if (talk)
            {
                Console.WriteLine(text);
            }
        }
    }

    public static void Time(int rounds)
    {
        var link = Draw(5) with { LengthM = 40_000, SpacingM = 0.5, RangeM = 50_000.5, PulseNs = 100, DynamicDb = 34 };
        var file = OtdrWriter.Write(SimulatedTraces.Make(link));
        var points = OtdrReader.Read(file).Data.Scales[0].Points;
        var (plain, ours) = (new List<double>(), new List<double>());
        double kept = 0;
        for (var i = 0; i < rounds + 200; i++)
        {
            var watch = Stopwatch.StartNew();
            double sum = 0;
            foreach (var p in points)
            {
                sum += p;
            }

            var first = watch.Elapsed.TotalMicroseconds;
            kept += sum;
            kept += TraceAnalysis.Read(TraceCurve.Of(OtdrReader.Read(file))).LengthM;
            if (i >= 200)
            {
                plain.Add(first);
                ours.Add(watch.Elapsed.TotalMicroseconds - first);
            }
        }

        var (a, b) = (plain.Order().ElementAt(rounds / 2), ours.Order().ElementAt(rounds / 2));
        Console.WriteLine($"Trace of {points.Length:N0} points, median of {rounds}: one pass that sums them {a:0} µs; read and analysed {b:0} µs, {b / a:0.0}×  (wanted under 10){(kept == 0 ? " " : "")}");
    }
}
