using Rhabdon.Core;
using Rhabdon.Server.Web;

namespace Rhabdon.Server.Schedule;

/// <summary>The solver's own threads are no request's: one plan at a time has the processor, and who comes meanwhile waits a moment or is told to come again.</summary>
internal sealed class Solving
{
    /// <summary>Of the solver: different ways to look go on side by side, more of them than there are cores.</summary>
    public const int Workers = 8;

    private static readonly TimeSpan Patience = TimeSpan.FromSeconds(5);

    private readonly SemaphoreSlim _turn = new(1, 1);

    /// <exception cref="ApiException">Another plan is being worked out.</exception>
    public async Task<T> Ask<T>(Func<CancellationToken, T> solve, CancellationToken cancel)
    {
        if (!await _turn.WaitAsync(Patience, cancel))
        {
            throw new ApiException(429, Refusal.Of("solver-busy", "request")) { RetryAfterS = (int)Patience.TotalSeconds };
        }

        return await Run(solve, cancel);
    }

    /// <summary>The same for what waits in a queue of its own.</summary>
    public async Task<T> Wait<T>(Func<CancellationToken, T> solve, CancellationToken cancel)
    {
        await _turn.WaitAsync(cancel);
        return await Run(solve, cancel);
    }

    private async Task<T> Run<T>(Func<CancellationToken, T> solve, CancellationToken cancel)
    {
        try
        {
            return await Task.Factory.StartNew(() => solve(cancel), CancellationToken.None, TaskCreationOptions.LongRunning, TaskScheduler.Default);
        }
        finally
        {
            _turn.Release();
        }
    }
}
