using System.Diagnostics;
using System.Reflection;
using Rhabdon.Core;
using Rhabdon.Server.Web;
using Rhabdon.Store;

namespace Rhabdon.Server.Handover;

/// <summary>Has what waits drawn by a process of its own, started as this one was: a large book has its memory there, and what goes wrong with it ends nobody's work.</summary>
internal sealed class DossierProcess(DossierShelf shelf, TimeProvider clock, ILogger<DossierProcess> log) : QueueWorker<ProcessStartInfo>("Dossiers", 1, clock, log), IDossierQueue
{
    public const string Word = "draw";

    /// <summary>So long it waits for more before it ends: the next one that is asked for need not start it again.</summary>
    public static readonly TimeSpan Linger = TimeSpan.FromSeconds(15);

    /// <summary>What a process is spared that draws and ends: it keeps its heap small, and does not study its own code.</summary>
    private static readonly (string Name, string Value)[] Small = [("DOTNET_gcConcurrent", "0"), ("DOTNET_GCgen0size", "0x1000000"), ("DOTNET_GCConserveMemory", "5"), ("DOTNET_TieredPGO", "0")];

    private readonly TimeProvider _clock = clock;
    private readonly ILogger _log = log;

    /// <summary>False where the server runs inside of another program, as in tests: there is none to be started.</summary>
    public static bool CanBe { get; } = Assembly.GetEntryAssembly() == typeof(Program).Assembly;

    protected override async Task<ProcessStartInfo?> Next(CancellationToken cancel) => await shelf.Waits(_clock.GetCurrentInstant(), cancel) ? Start() : null;

    private static ProcessStartInfo Start()
    {
        var line = Environment.GetCommandLineArgs();
        var own = Environment.ProcessPath!;
        var start = new ProcessStartInfo(own) { RedirectStandardError = true };
        // By its own name, or by the runtime's with the program as first word.
        string[] program = Path.GetFileNameWithoutExtension(own) == "dotnet" ? [typeof(Program).Assembly.Location] : [];
        foreach (var word in program.Append(Word).Concat(line.Skip(1).Where(w => w is not ("serve" or "--rebuild"))))
        {
            start.ArgumentList.Add(word);
        }

        foreach (var (name, value) in Small)
        {
            start.Environment[name] = value;
        }

        start.Environment.Remove("NOTIFY_SOCKET");
        return start;
    }

    protected override async Task Make(ProcessStartInfo next, CancellationToken cancel)
    {
        using var process = Process.Start(next) ?? throw new InvalidOperationException("The drawing program did not start.");
        try
        {
            var said = await process.StandardError.ReadToEndAsync(cancel);
            await process.WaitForExitAsync(cancel);
            if (process.ExitCode != 0)
            {
                throw new InvalidOperationException($"The drawing program ended with {process.ExitCode}: {said.Trim()}");
            }

            if (said.Trim() is { Length: > 0 } words)
            {
                _log.LogWarning("Dossiers: {Said}", words);
            }
        }
        finally
        {
            if (!process.HasExited)
            {
                process.Kill();
            }
        }
    }
}
