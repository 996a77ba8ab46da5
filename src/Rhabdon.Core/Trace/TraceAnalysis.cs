using MathNet.Numerics;

namespace Rhabdon.Core.Trace;

/// <summary>Finds the events of a trace; see docs/numbers.md#trace.</summary>
/// <remarks>One pass sums and sizes the noise; everything after works on blocks of some thousands, whatever the trace's length.</remarks>
public static class TraceAnalysis
{
    /// <param name="launchM">Length of the launch cord; 0 without one.</param>
    /// <param name="receiveM">Length of the receive cord; 0 without one.</param>
    /// <exception cref="RefusedException">A cord's length is out of range, or the trace is too short.</exception>
    public static TraceReading Read(TraceCurve curve, double launchM = 0, double receiveM = 0)
    {
        if (!(launchM is >= 0 and <= 50_000))
        {
            throw new RefusedException("out-of-range", "launchM", "A launch cord is 0 to 50,000 m.");
        }

        if (!(receiveM is >= 0 and <= 50_000))
        {
            throw new RefusedException("out-of-range", "receiveM", "A receive cord is 0 to 50,000 m.");
        }

        if (curve.LevelsDb.Length < 64)
        {
            throw new RefusedException("trace-short", "trace.DataPts", "A trace needs at least 64 points to be read.");
        }

        return new TraceSearch(new(curve)).Run(launchM, receiveM);
    }

    /// <summary>The line between two cursors.</summary>
    /// <exception cref="RefusedException">Fewer than 3 points lie between them.</exception>
    public static TraceSection Section(TraceCurve curve, double fromM, double toM)
    {
        var (a, b) = (Math.Min(fromM, toM), Math.Max(fromM, toM));
        var first = Math.Max(0, (int)Math.Ceiling((a - curve.FirstM) / curve.SpacingM));
        var last = Math.Min(curve.LevelsDb.Length - 1, (int)Math.Floor((b - curve.FirstM) / curve.SpacingM));
        if (!(b - a < 1e7) || last - first < 2)
        {
            throw new RefusedException("section-short", "toM", "Between the cursors lie fewer than three points of the trace.");
        }

        var x = Generate.LinearRange(first, 1, last);
        var y = Array.ConvertAll(curve.LevelsDb[first..(last + 1)], v => (double)v);
        var (offset, slope) = Fit.Line(x, y);
        var rms = GoodnessOfFit.PopulationStandardError(x.Select(at => offset + (slope * at)), y);
        var perKm = -slope / curve.SpacingM * 1000;
        return new(curve.At(first), curve.At(last), perKm, perKm * (curve.At(last) - curve.At(first)) / 1000, rms);
    }

    /// <summary>Each event's true loss: the mean of both directions. The second trace was taken from the other end.</summary>
    /// <param name="lengthM">Length between the two origins.</param>
    public static IReadOnlyList<TraceEvent> Bidirectional(IReadOnlyList<TraceEvent> forward, IReadOnlyList<TraceEvent> backward, double lengthM, double toleranceM) =>
        [.. Paired(forward, backward, lengthM, toleranceM).Select(p => p.Mean)];

    /// <summary>The same, with what each direction said.</summary>
    public static IReadOnlyList<PairedEvent> Paired(IReadOnlyList<TraceEvent> forward, IReadOnlyList<TraceEvent> backward, double lengthM, double toleranceM)
    {
        var left = backward.Where(e => e.Kind is not (TraceEventKind.End or TraceEventKind.Ghost)).Select(e => e with { DistanceM = lengthM - e.DistanceM }).ToList();
        var both = new List<PairedEvent>();
        foreach (var e in forward.Where(e => e.Kind is not (TraceEventKind.End or TraceEventKind.Ghost)))
        {
            var other = left.Where(b => Math.Abs(b.DistanceM - e.DistanceM) <= toleranceM).MinBy(b => Math.Abs(b.DistanceM - e.DistanceM));
            if (other is not null)
            {
                left.Remove(other);
            }

            both.Add(new(Mean(e, other), e.LossDb, other?.LossDb));
        }

        // Too small or too early to be seen one way: the other way saw it, and this way's part is 0.
        both.AddRange(left.Select(b => new PairedEvent(Mean(b, null), null, b.LossDb)));
        return [.. both.OrderBy(e => e.Mean.DistanceM)];
    }

    private static TraceEvent Mean(TraceEvent a, TraceEvent? b)
    {
        var loss = (a.LossDb + (b?.LossDb ?? 0)) / 2;
        var reflectance = a.ReflectanceDb is { } r && b?.ReflectanceDb is { } s ? Math.Max(r, s) : a.ReflectanceDb ?? b?.ReflectanceDb;
        var sigma = b is null ? a.LossSigmaDb / 2 : double.Hypot(a.LossSigmaDb, b.LossSigmaDb) / 2;
        return new(a.DistanceM, loss, reflectance, reflectance is not null ? TraceEventKind.Connector : loss < 0 ? TraceEventKind.Gainer : TraceEventKind.Splice, sigma, a.Saturated || b?.Saturated == true);
    }
}
