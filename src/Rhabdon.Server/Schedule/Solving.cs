using System.Runtime.InteropServices;
using Rhabdon.Core;
using Rhabdon.Server.Web;

namespace Rhabdon.Server.Schedule;

/// <summary>The solver's own threads are no request's. Of what requests ask one at a time has its turn, and who comes meanwhile waits a moment or is told to come again.</summary>
internal sealed partial class Solving
{
    /// <summary>Of the solver: different ways to look go on side by side, more of them than there are cores.</summary>
    public const int Workers = 8;

    /// <summary>Behind whoever asks for a page: a plan may wait a moment, a bench may not (ours; 19 is the most).</summary>
    private const int Niceness = 10;

    private static readonly TimeSpan Patience = TimeSpan.FromSeconds(5);

    private readonly SemaphoreSlim _turn = new(1, 1);

    /// <exception cref="ApiException">Another plan is being worked out.</exception>
    public async Task<T> Ask<T>(Func<CancellationToken, T> solve, CancellationToken cancel)
    {
        if (!await _turn.WaitAsync(Patience, cancel))
        {
            throw new ApiException(429, Refusal.Of("solver-busy", "request")) { RetryAfterS = (int)Patience.TotalSeconds };
        }

        try
        {
            return await Apart(solve, cancel);
        }
        finally
        {
            _turn.Release();
        }
    }

    /// <summary>For what has a queue, and so its turns, of its own.</summary>
    public static Task<T> Apart<T>(Func<CancellationToken, T> solve, CancellationToken cancel) => Task.Factory.StartNew(() => Behind(() => solve(cancel)), CancellationToken.None, TaskCreationOptions.LongRunning, TaskScheduler.Default);

    /// <summary>Threads that are begun from this one are as nice as it is (Linux: niceness is a thread's).</summary>
    private static T Behind<T>(Func<T> solve)
    {
        StandBehind();
        return solve();
    }

    /// <summary>From now on this thread, and what it begins, waits for whoever asks for a page. One that cannot be made nicer works all the same.</summary>
    public static void StandBehind() => _ = SetPriority(0, 0, Niceness);

    [LibraryImport("libc", EntryPoint = "setpriority")]
    private static partial int SetPriority(int which, uint who, int niceness);
}
