using System.Diagnostics;
using Npgsql;
using Rhabdon.Store;

namespace Rhabdon.Server.Yield;

/// <summary>Keeps the facts up with the ledger. While somebody sends it rests nine times as long as it works, so that those at the bench wait for nothing; else a tenth.</summary>
internal sealed class FactFollower(FactBook facts, Intake intake, TimeProvider clock, ILogger<FactFollower> log) : BackgroundService
{
    private const double RestsPerWork = 9, RestsPerQuietWork = 0.1;
    private static readonly TimeSpan Quiet = TimeSpan.FromSeconds(10);
    private static readonly TimeSpan Idle = TimeSpan.FromSeconds(1);
    private static readonly TimeSpan AfterFault = TimeSpan.FromSeconds(10);

    protected override async Task ExecuteAsync(CancellationToken stoppingToken)
    {
        while (!stoppingToken.IsCancellationRequested)
        {
            try
            {
                var began = Stopwatch.GetTimestamp();
                var followed = await facts.Follow(stoppingToken);
                foreach (var (endId, reason) in followed.Skipped)
                {
                    log.LogWarning("End {EndId} is not counted anew, its entries cannot be read: {Reason}", endId, reason);
                }

                await Task.Delay(followed.More ? (intake.Quiet > Quiet ? RestsPerQuietWork : RestsPerWork) * Stopwatch.GetElapsedTime(began) : Idle, clock, stoppingToken);
            }
            catch (OperationCanceledException) when (stoppingToken.IsCancellationRequested)
            {
                return;
            }
            catch (Exception x) when (x is not OperationCanceledException)
            {
                // The ledger is whole whatever becomes of what is counted from it; it is tried again.
                log.LogWarning("Facts wait: {Reason}", x is NpgsqlException ? x.Message : x.ToString());
                await Task.Delay(AfterFault, clock, stoppingToken).ConfigureAwait(ConfigureAwaitOptions.SuppressThrowing);
            }
        }
    }
}
