using Rhabdon.Server.Reach;
using Serilog;
using Serilog.Events;
using Serilog.Formatting.Compact;

namespace Rhabdon.Server.Web;

/// <summary>What is written down of how the server runs: a line of text for a supervisor's console, or a line of JSON in a file of each day. Each carries the request's id.</summary>
internal static class Logs
{
    /// <summary>Tells the caller under which id their request stands in the logs.</summary>
    public const string RequestHeader = "X-Rhabdon-Request";

    private const string Line = "{Timestamp:yyyy-MM-dd HH:mm:ss.fff} {Level:u3} {RequestId} {Message:lj}{NewLine}{Exception}";

    private const long LargestFile = 100L * 1024 * 1024;

    public static void AddLogs(this WebApplicationBuilder builder, Settings settings) => builder.Services.AddSerilog(log =>
    {
        log.MinimumLevel.Is(settings.LogLevel)
            // Keys lie in the private state folder; the antiforgery note about caching is what we want anyway.
            .MinimumLevel.Override("Microsoft.AspNetCore.DataProtection", LogEventLevel.Error)
            .MinimumLevel.Override("Microsoft.AspNetCore.Antiforgery", LogEventLevel.Error)
            // Where requests fail for what they are, Problems says so once.
            .MinimumLevel.Override("Microsoft.AspNetCore.Diagnostics.ExceptionHandlerMiddleware", LogEventLevel.Fatal)
            .Enrich.FromLogContext();
        if (settings.LogFile is { } file)
        {
            log.WriteTo.File(new CompactJsonFormatter(), file, rollingInterval: RollingInterval.Day, retainedFileCountLimit: settings.LogFiles, fileSizeLimitBytes: LargestFile, rollOnFileSizeLimit: true);
        }
        else
        {
            log.WriteTo.Console(outputTemplate: Line, formatProvider: System.Globalization.CultureInfo.InvariantCulture);
        }
    });
}
