using Npgsql;

namespace Rhabdon.Server.Web;

/// <summary>Works off what waits in a table of the database, outside of any request. What a server was at when it ended is begun again by the next.</summary>
/// <param name="what">Of which the log says that it waits.</param>
/// <param name="lanes">So many are worked on at a time.</param>
internal abstract class QueueWorker<T>(string what, int lanes, TimeProvider clock, ILogger log) : BackgroundService where T : class
{
    private static readonly TimeSpan Idle = TimeSpan.FromSeconds(1), AfterFault = TimeSpan.FromSeconds(10);

    private readonly SemaphoreSlim _asked = new(0);

    /// <summary>Something was asked for.</summary>
    public virtual void Wake() => _asked.Release();

    /// <summary>What waits longest, and is now this lane's; null where nothing does.</summary>
    protected abstract Task<T?> Next(CancellationToken cancel);

    protected abstract Task Make(T next, CancellationToken cancel);

    protected override Task ExecuteAsync(CancellationToken stoppingToken) => Task.WhenAll(Enumerable.Range(0, lanes).Select(_ => Lane(stoppingToken)));

    private async Task Lane(CancellationToken cancel)
    {
        while (!cancel.IsCancellationRequested)
        {
            try
            {
                if (await Next(cancel) is { } next)
                {
                    await Make(next, cancel);
                }
                else
                {
                    await _asked.WaitAsync(Idle, cancel);
                }
            }
            catch (OperationCanceledException) when (cancel.IsCancellationRequested)
            {
                return;
            }
            catch (Exception x) when (x is not OperationCanceledException)
            {
                log.LogWarning("{What} wait: {Reason}", what, x is NpgsqlException ? x.Message : x.ToString());
                await Task.Delay(AfterFault, clock, cancel).ConfigureAwait(ConfigureAwaitOptions.SuppressThrowing);
            }
        }
    }
}
