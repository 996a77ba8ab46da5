using Microsoft.Extensions.Diagnostics.HealthChecks;
using Npgsql;

namespace Rhabdon.Server.Web;

/// <summary>The database cannot be reached, or is not up yet: nothing is wrong with the request, and it may be sent again.</summary>
internal static class Away
{
    public const int RetryAfterS = 5;

    /// <summary>Of the database as a whole: shutting down, starting up, gone, full of connections.</summary>
    private static readonly HashSet<string> States =
    [
        PostgresErrorCodes.AdminShutdown, PostgresErrorCodes.CrashShutdown, PostgresErrorCodes.CannotConnectNow, PostgresErrorCodes.TooManyConnections,
        PostgresErrorCodes.InvalidCatalogName, PostgresErrorCodes.ConnectionException, PostgresErrorCodes.ConnectionFailure, PostgresErrorCodes.SqlClientUnableToEstablishSqlConnection,
    ];

    public static bool Is(NpgsqlException x) =>
        x is PostgresException p ? States.Contains(p.SqlState) : x.InnerException is IOException or System.Net.Sockets.SocketException or TimeoutException;
}

/// <summary>Whether the database answers, within a moment.</summary>
internal sealed class DatabaseCheck(NpgsqlDataSource db) : IHealthCheck
{
    private static readonly TimeSpan Longest = TimeSpan.FromSeconds(2);

    public async Task<HealthCheckResult> CheckHealthAsync(HealthCheckContext context, CancellationToken cancellationToken = default)
    {
        using var soon = CancellationTokenSource.CreateLinkedTokenSource(cancellationToken);
        soon.CancelAfter(Longest);
        try
        {
            await using var one = db.CreateCommand("select 1");
            await one.ExecuteScalarAsync(soon.Token);
            return HealthCheckResult.Healthy();
        }
        catch (Exception x) when (x is NpgsqlException or OperationCanceledException)
        {
            return HealthCheckResult.Unhealthy();
        }
    }
}
