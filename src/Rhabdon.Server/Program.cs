using Rhabdon.Server.Accounts;
using Rhabdon.Server.Demo;
using Rhabdon.Server.Web;
using Rhabdon.Store;
using Serilog;

// rhabdon-server serve [--rebuild] [--port N] [--web DIR] [--keys DIR]   serve until stopped
// rhabdon-server load-demo                                              load the demo into an empty database, and end
// rhabdon-server reset-account LOGIN                                    give a person a new password, say it, and end
// rhabdon-server add-company NAME LOGIN                                 make a company with its first office account, say its password, and end
// The database comes from RHABDON_DB.
string[] words = ["serve", "load-demo", "--rebuild"];
var command = AccountCommands.Find(args);
var builder = WebApplication.CreateBuilder(command is null ? [.. args.Except(words)] : []);
builder.Services.AddSerilog(log => log.MinimumLevel.Is(Serilog.Events.LogEventLevel.Warning)
    // Keys lie in the private state folder; the antiforgery note about caching is what we want anyway.
    .MinimumLevel.Override("Microsoft.AspNetCore.DataProtection", Serilog.Events.LogEventLevel.Error)
    .MinimumLevel.Override("Microsoft.AspNetCore.Antiforgery", Serilog.Events.LogEventLevel.Error)
    .WriteTo.Console());
builder.WebHost.ConfigureKestrel(k => k.AddServerHeader = false).UseUrls($"http://127.0.0.1:{builder.Configuration["port"] ?? "5080"}");

var connectionString = Environment.GetEnvironmentVariable("RHABDON_DB") ?? builder.Configuration["db"]
    ?? throw new InvalidOperationException("Set RHABDON_DB to the database's connection string, or start with ./rhabdon.");
builder.AddRhabdon(connectionString);
Database.Migrate(connectionString);
var app = builder.Build();
if (command is not null)
{
    Environment.ExitCode = await command.Run(app.Services, Console.Out);
    return;
}

var projector = app.Services.GetRequiredService<Projector>();
await projector.Begin();
await app.Services.GetRequiredService<Methods>().FollowShipped();
if (args.Contains("load-demo"))
{
    await app.Services.GetRequiredService<DemoLoader>().LoadOnce();
    return;
}

app.UseRhabdon();
var upgraded = await projector.NeedsRebuild();
if (args.Contains("--rebuild") || upgraded)
{
    // What an earlier version judged is taken over first: its verdicts stay.
    var unread = upgraded ? (await app.Services.GetRequiredService<TakeOver>().Run()).SetAside : [];
    var (folded, still) = await projector.Rebuild();
    var aside = still.Select(a => unread.FirstOrDefault(u => u.EndId == a.EndId) is { Reason: not null } u ? u : a);
    if (folded > 0)
    {
        Console.WriteLine($"Folded {folded} ends again from the ledger.");
    }

    foreach (var (endId, reason) in aside)
    {
        Console.Error.WriteLine($"End {endId} was set aside, its entries cannot be read: {reason}");
    }
}

await app.RunAsync();

/// <summary>Named so that tests can start the whole server.</summary>
public partial class Program;
