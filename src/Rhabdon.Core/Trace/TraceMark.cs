namespace Rhabdon.Core.Trace;

/// <summary>An event in points of the trace: it begins at <paramref name="Start"/> and the line goes on at <paramref name="End"/>.</summary>
internal sealed record TraceMark(int Start, int End, bool Peak)
{
    /// <summary>One event's two edges must not count as two.</summary>
    public static void Merge(List<TraceMark> marks, TraceBlocks blocks)
    {
        for (var i = 1; i < marks.Count; i++)
        {
            var near = marks[i].Start - marks[i - 1].End < Math.Max(2, blocks.Pulse / 3) + (blocks.Size > blocks.Pulse ? blocks.Size : 0);
            if (near && !(marks[i].Peak && marks[i - 1].Peak))
            {
                marks[i - 1] = new(Math.Min(marks[i - 1].Start, marks[i].Peak ? marks[i].Start : marks[i - 1].Start), marks[i].End, marks[i].Peak || marks[i - 1].Peak);
                marks.RemoveAt(i--);
            }
        }
    }
}
