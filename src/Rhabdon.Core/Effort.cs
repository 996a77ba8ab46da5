namespace Rhabdon.Core;

/// <summary>
/// A bound on what one calculation may take. The core knows no clock: who asks says how the effort is measured and when it is too much. What may go on for long
/// says so as it goes on, and ends with a refusal there.
/// </summary>
public static class Effort
{
    private const int MeasureEach = 20_000;

    private static readonly AsyncLocal<Work?> Bound = new();

    /// <param name="measure">Called as the work goes on; throws where it has gone on for too long.</param>
    public static async Task<T> Within<T>(Action measure, Func<Task<T>> work)
    {
        Bound.Value = new(measure);
        return await work();
    }

    /// <summary>Says that a calculation goes on.</summary>
    /// <param name="acts">How many simple acts it took since it last said so; left out, as many as are measured at once.</param>
    public static void Spend(int acts = MeasureEach)
    {
        if (Bound.Value is { } work && (work.Acts += acts) >= MeasureEach)
        {
            work.Acts = 0;
            work.Measure();
        }
    }

    private sealed class Work(Action measure)
    {
        public int Acts { get; set; }

        public void Measure() => measure();
    }
}
