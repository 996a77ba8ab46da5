using System.Security.Claims;
using Rhabdon.Core;
using Rhabdon.Server.Accounts;
using Rhabdon.Server.Jobs;
using Rhabdon.Server.Web;
using Rhabdon.Store;

namespace Rhabdon.Server.Yield;

/// <summary>What pace, durations and yield are counted from, for a shop's own scripts.</summary>
public static class FactEndpoints
{
    /// <summary>Up to when everything is counted; left out where nothing waits.</summary>
    public const string AsOfHeader = "X-Rhabdon-As-Of";

    public static void MapFacts(this RouteGroupBuilder api)
    {
        api.MapGet("/facts/{kind}", List).RequireAuthorization(Policies.Office).Produces(StatusCodes.Status200OK, contentType: "text/csv")
            .WithSummary("Facts as CSV: attempts, acts, readings or looks, each with job, space, crew, person, method, form, polish, mode, construction and procedure.")
            .WithDescription("They follow the ledger within seconds; the header X-Rhabdon-As-Of says since when something waits to be counted. Times are UTC, attended_s seconds, losses dB, slack_mm millimetres. Schools and lots of an act stand with its attempt, under the same run_id.");
    }

    private static async Task List(string kind, HttpContext http, ClaimsPrincipal user, FactBook facts, Store.Jobs jobs, CancellationToken cancel, JobId? jobId = null)
    {
        if (!FactBook.Kinds.ContainsKey(kind))
        {
            throw new ApiException(404, Refusal.Of("not-found", "kind", ("kinds", string.Join(", ", FactBook.Kinds.Keys))));
        }

        var scope = user.Scope();
        if (jobId is { } job)
        {
            await JobEndpoints.Seen(jobs, scope, job, cancel);
        }

        if (await facts.DueSince(scope.CompanyId, cancel) is { } since)
        {
            http.Response.Headers[AsOfHeader] = since.ToString("O", System.Globalization.CultureInfo.InvariantCulture);
        }

        http.Response.ContentType = "text/csv; charset=utf-8";
        http.Response.Headers.ContentDisposition = $"attachment; filename=\"{kind}.csv\"";
        await facts.WriteCsv(scope.CompanyId, kind, jobId, http.Response.Body, cancel);
    }
}
