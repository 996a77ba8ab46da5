using System.Reflection;
using Dapper;
using DbUp;
using DbUp.Engine.Output;
using Npgsql;

namespace Rhabdon.Store;

/// <summary>Opens the database and brings its tables up to date.</summary>
public static class Database
{
    static Database()
    {
        DefaultTypeMap.MatchNamesWithUnderscores = true;
        IdColumns.Register();
        TimeColumns.Register();
    }

    public static NpgsqlDataSource Open(string connectionString) => new NpgsqlDataSourceBuilder(connectionString).UseNodaTime().Build();

    /// <summary>Acts once the database is there: one that is only just starting, or being brought back, is waited for, and where it was lost in the midst, the act is done again.</summary>
    /// <param name="waits">Told once, with the reason.</param>
    /// <exception cref="NpgsqlException">It did not come, or does not let us in.</exception>
    public static async Task OnceThere(Func<Task> act, TimeSpan longest, Action<string> waits)
    {
        var since = System.Diagnostics.Stopwatch.StartNew();
        for (var told = false; ; told = true)
        {
            try
            {
                await act();
                return;
            }
            catch (Exception e) when (NotThere(e) && since.Elapsed < longest)
            {
                if (!told)
                {
                    waits(e.GetBaseException().Message);
                }

                await Task.Delay(500);
            }
        }
    }

    /// <summary>What the database says against us, for whoever starts the server; null for what is our own fault.</summary>
    public static string? Said(Exception e) => e is NpgsqlException || e.InnerException is NpgsqlException ? e.Message : null;

    /// <summary>Not a word of the database's own, but for that it is starting or going down: nobody listens yet.</summary>
    private static bool NotThere(Exception e) => e switch
    {
        PostgresException p => p.SqlState is PostgresErrorCodes.CannotConnectNow or PostgresErrorCodes.AdminShutdown or PostgresErrorCodes.CrashShutdown,
        NpgsqlException => true,
        InvalidOperationException { InnerException: { } inner } => NotThere(inner),
        _ => false,
    };

    /// <exception cref="InvalidOperationException">A migration failed; the message says which.</exception>
    /// <exception cref="NewerDatabaseException">A newer version has been here.</exception>
    public static void Migrate(string connectionString)
    {
        if (Unknown(connectionString) is { } newer)
        {
            throw new NewerDatabaseException(newer);
        }

        var result = DeployChanges.To.PostgresqlDatabase(connectionString)
            .WithScriptsEmbeddedInAssembly(Assembly.GetExecutingAssembly())
            .WithTransactionPerScript()
            .LogTo(new NoOpUpgradeLog())
            .Build().PerformUpgrade();
        if (!result.Successful)
        {
            throw new InvalidOperationException($"Migration {result.ErrorScript?.Name} failed: {result.Error.Message}", result.Error);
        }
    }

    /// <summary>What the database has been through that we know nothing of.</summary>
    private static string? Unknown(string connectionString)
    {
        using var connection = new NpgsqlConnection(connectionString);
        if (connection.ExecuteScalar<bool>("select to_regclass('schemaversions') is null"))
        {
            return null;
        }

        var ours = Assembly.GetExecutingAssembly().GetManifestResourceNames();
        return connection.Query<string>("select scriptname from schemaversions order by scriptname desc").FirstOrDefault(done => !ours.Contains(done));
    }
}

/// <summary>The database was brought further than we go: its tables are not what we think, and writing to them could cost data.</summary>
public sealed class NewerDatabaseException(string script)
    : Exception($"This database was used by a newer version of Rhabdon: it has been through {script}, which this one does not know. Start the newer version, or restore the backup that was made before the upgrade.");
