using Prometheus;
using Rhabdon.Server.Reach;

namespace Rhabdon.Server.Web;

/// <summary>Figures for Prometheus, on a listener of their own: they tell how a company works, and strangers have no business with them.</summary>
internal static class Figures
{
    private static readonly Counter Taken = Metrics.CreateCounter("rhabdon_events_total", "Ledger events that were sent, by what became of them.", "outcome");

    private static readonly Gauge Uploads = Metrics.CreateGauge("rhabdon_uploads", "Files that are on their way or worked on.");

    public static void Took(Store.IntakeOutcome outcome) => Taken.WithLabels(Core.Wire.Name(outcome)).Inc();

    public static IDisposable Upload() => Uploads.TrackInProgress();

    public static void UseMetrics(this WebApplication app)
    {
        if (app.Services.GetRequiredService<Settings>().Metrics is not { } at)
        {
            return;
        }

        app.UseHttpMetrics();
        app.MapWhen(http => http.Connection.LocalPort == at.Port, only => only.UseMetricServer("/metrics").Run(http =>
        {
            http.Response.StatusCode = StatusCodes.Status404NotFound;
            return Task.CompletedTask;
        }));
    }
}
