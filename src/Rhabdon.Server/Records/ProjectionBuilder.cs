using Npgsql;
using Rhabdon.Store;

namespace Rhabdon.Server.Records;

/// <summary>Makes anew, while the server runs, what another version of the program worked out beside ends and jobs.</summary>
internal sealed class ProjectionBuilder(NearlyOut nearlyOut, JobTotals totals, ILogger<ProjectionBuilder> log) : BackgroundService
{
    private static readonly TimeSpan AfterFault = TimeSpan.FromSeconds(10);

    protected override async Task ExecuteAsync(CancellationToken stoppingToken)
    {
        foreach (BatchProjection projection in new BatchProjection[] { totals, nearlyOut })
        {
            for (var more = true; more && !stoppingToken.IsCancellationRequested;)
            {
                try
                {
                    more = await projection.Step(stoppingToken);
                }
                catch (NpgsqlException x)
                {
                    log.LogWarning("{Projection} waits: {Reason}", projection.GetType().Name, x.Message);
                    await Task.Delay(AfterFault, stoppingToken).ConfigureAwait(ConfigureAwaitOptions.SuppressThrowing);
                }
            }
        }
    }
}
