namespace Rhabdon.Core.Trace;

/// <summary>Finds reflections: rises that are gone again after a pulse.</summary>
internal sealed class PeakSearch(TraceBlocks blocks)
{
    /// <summary>How far a peak stands out of the noise and of the line.</summary>
    private const double Sigmas = 7, LeastDb = 0.06;

    private readonly TraceBlocks _b = blocks;

    /// <summary>Rises that are gone again after a pulse.</summary>
    public List<TraceMark> Find(int begin, int end)
    {
        var found = new List<TraceMark>();
        var width = Math.Max(1, Math.Min(_b.Pulse, 1 + (_b.Pulse / 2)));
        var before = Math.Max(6, (2 * _b.Pulse / _b.Size) + 3);
        for (var b = Math.Max(begin, 0) + 2; b < end - 1; b++)
        {
            var start = b * _b.Size;
            if (found.Count > 0 && start < found[^1].End + 1)
            {
                continue;
            }

            var from = Math.Max(begin, b - before);
            var calm = _b.Mean(from, Math.Max(from + 1, b - 1));
            var noise = _b.NoiseDb[b];
            double high;
            if (_b.Size == 1 || width >= _b.Size)
            {
                var blocks = Math.Max(1, width / _b.Size);
                if (b + blocks > _b.Count)
                {
                    break;
                }

                high = (_b.Mean(b, b + blocks) - calm) / Math.Max(1e-9, noise * Math.Sqrt((1.0 / (blocks * _b.Size)) + (1.0 / Math.Max(1, (b - 1 - from) * _b.Size))));
                if (high < Sigmas || _b.Mean(b, b + blocks) - calm < LeastDb)
                {
                    continue;
                }
            }
            else
            {
                // A pulse shorter than a block: its points tell.
                var top = float.MinValue;
                foreach (var v in _b.Levels.AsSpan(start, _b.Size))
                {
                    top = Math.Max(top, v);
                }

                high = (top - calm) / noise;
                if (high < Sigmas || top - calm < LeastDb)
                {
                    continue;
                }
            }

            if (Shape(start, calm, noise) is { } peak && (found.Count == 0 || peak.Start > found[^1].Start))
            {
                found.Add(peak);
            }
        }

        return found;
    }

    /// <summary>Where a peak begins and ends, in samples; null when what rose does not fall again.</summary>
    private TraceMark? Shape(int about, double calm, double noise)
    {
        var from = Math.Max(0, about - _b.Pulse - (2 * _b.Size));
        var to = Math.Min(_b.Levels.Length, about + (3 * _b.Pulse) + (3 * _b.Size) + 4);
        var top = about;
        for (var i = from; i < Math.Min(to, about + _b.Pulse + _b.Size + 2); i++)
        {
            top = _b.Levels[i] > _b.Levels[top] ? i : top;
        }

        var height = _b.Levels[top] - calm;
        var start = top;
        while (start > from && _b.Levels[start - 1] > calm + Math.Max(0.25 * height, Math.Min(3 * noise, 0.5 * height)))
        {
            start--;
        }

        var end = top;
        while (end < to - 1 && _b.Levels[end + 1] > calm + Math.Max(0.3 * height, Math.Min(3 * noise, 0.5 * height)))
        {
            end++;
        }

        // It must be over after about a pulse.
        if (end >= to - 1 || end - start > (2.2 * _b.Pulse) + 4)
        {
            return null;
        }

        var settle = Math.Max(2, _b.Pulse / 4);
        return new(start, Math.Min(_b.Levels.Length, Math.Max(end + 1 + settle, start + (int)(1.3 * _b.Pulse) + 1)), true);
    }

    /// <summary>True when after the peak there is only noise.</summary>
    public bool DropsAfter(TraceMark p, int end)
    {
        var b = Math.Min(_b.Count - 1, (p.End / _b.Size) + 2);
        return b >= end - 1 || _b.NoiseDb[b] > 0.8 || _b.Mean(b, b + 1) < _b.Mean(Math.Max(0, (p.Start / _b.Size) - 3), Math.Max(1, p.Start / _b.Size)) - 3;
    }
}
