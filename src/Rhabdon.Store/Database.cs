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

    /// <exception cref="InvalidOperationException">A migration failed; the message says which.</exception>
    public static void Migrate(string connectionString)
    {
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
}
