using Rhabdon.Server;
using Rhabdon.Server.Accounts;
using Rhabdon.Server.Demo;
using Rhabdon.Server.Handover;
using Rhabdon.Server.Reach;
using Rhabdon.Server.Schedule;
using Rhabdon.Server.Web;
using Rhabdon.Store;

// rhabdon-server serve [--rebuild] [settings]            serve until stopped
// rhabdon-server load-demo [--year]                      load the demo into an empty database, with the year before it, and end
// rhabdon-server reset-account LOGIN                     give a person a new password, say it, and end
// rhabdon-server add-company NAME LOGIN                  make a company with its first office account, say its password, and end
// rhabdon-server check SEAL [PDF] [DATA] [--key KEYID]    say whether files are what was sealed, and end; needs no database
// rhabdon-server draw [settings]                          draw the dossiers that wait, and end; the server starts it itself
// rhabdon-server database                                say where the database is, as variables of the shell for PostgreSQL's own programs, and end
// Settings: Reach/Settings.cs. The database comes from RHABDON_DB, or the setting db.
if (CheckCommand.Find(args) is { } check)
{
    return check.Run(Console.Out);
}

string[] words = ["serve", "load-demo", "--year", "--rebuild", "database", DossierProcess.Word];
var command = AccountCommands.Find(args);
string[] rest = command is null ? [.. args.Except(words)] : [];
Settings settings;
try
{
    settings = Settings.Read(rest, Environment.GetEnvironmentVariables().Cast<System.Collections.DictionaryEntry>().ToDictionary(e => (string)e.Key, e => (string)e.Value!, StringComparer.Ordinal));
}
catch (SettingException e)
{
    Console.Error.WriteLine($"rhabdon: {e.Message}");
    return 2;
}

if (args is ["database", ..])
{
    Console.Write(DatabaseAddress.ForShell(settings.Db));
    return 0;
}

var builder = WebApplication.CreateBuilder(rest);
builder.AddSupervisor();
builder.AddLogs(args is [DossierProcess.Word, ..] ? settings with { LogFile = null } : settings);
builder.AddReach(settings);
builder.AddRhabdon(settings);
WebApplication app;
try
{
    // A database that is only just starting, or being brought back, is waited for.
    Task There(Func<Task> act) => Database.OnceThere(act, TimeSpan.FromMinutes(1), waits => Console.Error.WriteLine($"rhabdon: the database is awaited: {waits}"));
    await There(() =>
    {
        Database.Migrate(settings.Db);
        return Task.CompletedTask;
    });
    app = builder.Build();
    if (args is [DossierProcess.Word, ..])
    {
        Solving.StandBehind();
        await app.Services.GetRequiredService<DossierMaker>().Finish(DossierProcess.Linger);
        return 0;
    }

    if (command is not null)
    {
        return await command.Run(app.Services, Console.Out);
    }

    await There(() => Preparation.Begin(app.Services));
    if (args.Contains("load-demo"))
    {
        await app.Services.GetRequiredService<DemoLoader>().LoadOnce(args.Contains("--year"));
        return 0;
    }

    app.UseRhabdon();
    await There(() => Preparation.Fold(app.Services, args.Contains("--rebuild")));
}
catch (NewerDatabaseException e)
{
    Console.Error.WriteLine($"rhabdon: {e.Message}");
    return 3;
}
catch (Exception e) when (Database.Said(e) is { } why)
{
    Console.Error.WriteLine($"rhabdon: the database cannot be used: {why}");
    return 1;
}

if (settings.Ready is { } ready)
{
    app.Lifetime.ApplicationStarted.Register(() => File.WriteAllText(ready, $"{settings.Address}\n"));
}

try
{
    await app.RunAsync();
    return 0;
}
catch (IOException e) when (e.InnerException is Microsoft.AspNetCore.Connections.AddressInUseException)
{
    Console.Error.WriteLine($"rhabdon: {e.Message} Stop what uses it, or choose another with --port and --http-port.");
    return 1;
}

/// <summary>Named so that tests can start the whole server.</summary>
public partial class Program;
