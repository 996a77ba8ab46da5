using System.Net;
using System.Text.Json.Nodes;
using Npgsql;
using Xunit;

namespace Rhabdon.Server.Tests;

/// <summary>The database goes away under a running server, and comes back.</summary>
public class AwayTests
{
    [Fact]
    public async Task Without_its_database_the_server_says_so_and_goes_on_by_itself_when_it_is_back()
    {
        await using var host = new TestHost();
        await host.InitializeAsync();
        var c = await host.NewCompany();
        var lead = await c.SignIn("lead1");
        var visitor = await host.Visit(withToken: false);
        Assert.Equal((HttpStatusCode.OK, HttpStatusCode.OK), (await Status(visitor, "/health/live"), await Status(visitor, "/health/ready")));

        var name = new NpgsqlConnectionStringBuilder(host.ConnectionString).Database!;
        await using var admin = NpgsqlDataSource.Create(new NpgsqlConnectionStringBuilder(host.ConnectionString) { Database = "postgres" }.ConnectionString);
        await Run(admin, name, $"alter database {name} rename to {name}_away");
        var away = await lead.Send("GET", "/api/jobs/at-hand");
        Assert.Equal((HttpStatusCode.ServiceUnavailable, "5"), (away.StatusCode, away.Headers.RetryAfter?.ToString()));
        var said = JsonNode.Parse(await away.Content.ReadAsStringAsync())!;
        Assert.Equal(("database-away", "request"), (said["code"]!.GetValue<string>(), said["field"]!.GetValue<string>()));
        Assert.Equal((HttpStatusCode.OK, HttpStatusCode.ServiceUnavailable), (await Status(visitor, "/health/live"), await Status(visitor, "/health/ready")));

        await Run(admin, $"{name}_away", $"alter database {name}_away rename to {name}");
        Assert.Equal(HttpStatusCode.OK, (await lead.Send("GET", "/api/jobs/at-hand")).StatusCode);
        Assert.Equal(HttpStatusCode.OK, await Status(visitor, "/health/ready"));
    }

    private static async Task<HttpStatusCode> Status(Caller caller, string path) => (await caller.Send("GET", path)).StatusCode;

    /// <summary>Ends whoever is connected, until nobody is quick enough to come between.</summary>
    private static async Task Run(NpgsqlDataSource admin, string database, string sql)
    {
        for (var tries = 0; ; tries++)
        {
            await using var end = admin.CreateCommand("select pg_terminate_backend(pid) from pg_stat_activity where datname = $1");
            end.Parameters.AddWithValue(database);
            await end.ExecuteNonQueryAsync();
            try
            {
                await using var command = admin.CreateCommand(sql);
                await command.ExecuteNonQueryAsync();
                return;
            }
            catch (PostgresException x) when (x.SqlState == PostgresErrorCodes.ObjectInUse && tries < 50)
            {
                await Task.Delay(100);
            }
        }
    }
}
