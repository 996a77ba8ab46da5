using System.Security.Claims;
using Microsoft.AspNetCore.Mvc;
using Microsoft.Extensions.Caching.Memory;
using Rhabdon.Core;
using Rhabdon.Core.Handover;
using Rhabdon.Core.Ledger;
using Rhabdon.Imaging;
using Rhabdon.Server.Accounts;
using Rhabdon.Server.Jobs;
using Rhabdon.Server.Reach;
using Rhabdon.Server.Web;
using Rhabdon.Store;

namespace Rhabdon.Server.Handover;

/// <param name="Name">For whom it is.</param>
/// <param name="Days">How long it holds, 1 to 400.</param>
public sealed record NewLink(string Name, int Days);

/// <param name="Address">What is sent to whom it is for. Shown this once.</param>
public sealed record LinkMade(LinkId LinkId, string Address);

/// <summary>A job as its customer sees it.</summary>
/// <param name="ExpiresAt">Of the link.</param>
/// <param name="Papers">What was handed over on paper, newest first.</param>
public sealed record SharedJob(Dossier Dossier, Instant ExpiresAt, IReadOnlyList<SharedPaper> Papers);

public sealed record SharedPaper(DossierId DossierId, int Handover, Instant At, string CheckCode, string FileName, long FileBytes);

/// <summary>Links by which a customer looks at one job without an account, and the page that they open.</summary>
public static class LinkEndpoints
{
    /// <summary>Carries what a link is opened by: it stands in no address that a server writes down.</summary>
    public const string Header = "X-Rhabdon-Link";

    private const int MostDays = 400;

    private static readonly TimeSpan Fresh = TimeSpan.FromSeconds(5);

    public static void MapLinks(this RouteGroupBuilder api)
    {
        api.MapGet("/jobs/{jobId:guid}/links", List).RequireAuthorization(Policies.Plan).WithSummary("Links by which somebody without an account looks at a job, with how often each was opened.");
        api.MapPost("/jobs/{jobId:guid}/links", Make).RequireAuthorization(Policies.Plan).WithSummary("Make a link to the customer's page of a job. Its address is shown once.");
        api.MapDelete("/jobs/{jobId:guid}/links/{linkId:guid}", Revoke).RequireAuthorization(Policies.Plan).WithSummary("Revoke a link: it opens nothing more, from the next request on.");
        api.MapGet("/jobs/{jobId:guid}/links/{linkId:guid}/openings", Openings).RequireAuthorization(Policies.Plan).WithSummary("When a link was opened, the last hundred times, by which device as far as it says.");
        api.MapGet("/shared", Open).AllowAnonymous().RequireRateLimiting(Setup.OpenLimit).WithSummary($"What a link opens: a job as its customer sees it. The link's secret comes in {Header}.");
        api.MapGet("/shared/faces/{evidenceId:guid}", Face).AllowAnonymous().RequireRateLimiting(Setup.OpenLimit).WithSummary("An end face of that job, as JPEG.").Produces(200, contentType: "image/jpeg");
        api.MapGet("/shared/papers/{dossierId:guid}", Paper).AllowAnonymous().RequireRateLimiting(Setup.OpenLimit).WithSummary("What was handed over of that job, as PDF.").Produces(200, contentType: "application/pdf");
    }

    private static async Task<IReadOnlyList<JobLink>> List(JobId jobId, ClaimsPrincipal user, Store.Jobs jobs, JobLinks links, CancellationToken cancel)
    {
        await JobEndpoints.Planned(jobs, user.Scope(), jobId, cancel);
        return await links.Of(user.Scope().CompanyId, jobId, cancel);
    }

    private static async Task<LinkMade> Make(JobId jobId, NewLink r, ClaimsPrincipal user, Store.Jobs jobs, JobLinks links, Settings settings, TimeProvider clock, CancellationToken cancel)
    {
        var scope = user.Scope();
        await JobEndpoints.Planned(jobs, scope, jobId, cancel);
        var now = clock.GetCurrentInstant();
        var (id, secret) = await links.Make(scope.CompanyId, jobId, r.Name.Trim(), scope.PersonId, now, now + Duration.FromDays(r.Days), cancel);
        return new(id, $"{settings.Address}/see#{secret}");
    }

    private static async Task Revoke(JobId jobId, LinkId linkId, ClaimsPrincipal user, Store.Jobs jobs, JobLinks links, TimeProvider clock, CancellationToken cancel)
    {
        await JobEndpoints.Planned(jobs, user.Scope(), jobId, cancel);
        if (!await links.Revoke(user.Scope().CompanyId, jobId, linkId, clock.GetCurrentInstant(), cancel))
        {
            throw new ApiException(404, Refusal.Of("not-found", "linkId"));
        }
    }

    private static async Task<IReadOnlyList<LinkOpening>> Openings(JobId jobId, LinkId linkId, ClaimsPrincipal user, Store.Jobs jobs, JobLinks links, CancellationToken cancel)
    {
        await JobEndpoints.Planned(jobs, user.Scope(), jobId, cancel);
        return await links.Openings(user.Scope().CompanyId, jobId, linkId, cancel);
    }

    private static async Task<SharedJob> Open([FromHeader(Name = Header)] string? secret, HttpContext http, JobLinks links, Store.Jobs jobs, DossierShelf shelf, IMemoryCache cache, TimeProvider clock, CancellationToken cancel)
    {
        var (scope, jobId, expiresAt) = await Opened(secret, new(clock.GetCurrentInstant(), Device.Name(http), Device.Address(http)), links, clock, cancel);
        // A large job is a second's work: whoever opens it again and again is shown what was just made.
        var dossier = await cache.GetOrCreateAsync((typeof(SharedJob), scope.CompanyId, jobId), async made =>
        {
            made.AbsoluteExpirationRelativeToNow = Fresh;
            return Dossiers.Of(await shelf.Source(scope, await jobs.Find(scope, jobId, cancel) ?? throw Closed(), cancel), Seen);
        });
        var papers = (await shelf.Of(scope.CompanyId, jobId, cancel)).Where(HandedOver);
        return new(dossier!, expiresAt,
            [.. papers.Select(p => new SharedPaper(p.DossierId, p.Handover!.Value, p.DoneAt!.Value, DossierBook.CodeOf(p.DataSha256!), DossierEndpoints.FileName(p), p.FileBytes ?? 0))]);
    }

    /// <summary>A customer is told of nobody's name, and of what was accepted.</summary>
    private static readonly DossierChoice Seen = new(DossierEdition.Customer);

    private static async Task<IResult> Face([FromHeader(Name = Header)] string? secret, EvidenceId evidenceId, JobLinks links, Store.Records records, EvidenceStore evidence, TimeProvider clock, CancellationToken cancel)
    {
        var (scope, jobId, _) = await Opened(secret, null, links, clock, cancel);
        if (await evidence.Find(scope, evidenceId, cancel) is not { EndId: { } endId } kept || await records.Find(scope, endId, cancel) is not { } end || end.JobId != jobId
            || end.State is not { Status: EndStatus.Accepted, Current: { } run } || run.Looks.Select(l => l.Picture).FirstOrDefault(p => p?.PictureId == evidenceId) is not { } face)
        {
            throw new ApiException(404, Refusal.Of("not-found", "evidenceId"));
        }

        return Results.Bytes(await Uploads.InTurn(() => Task.FromResult(FaceCrop.Jpeg(kept.Bytes, face.CentreXPx, face.CentreYPx, face.UmPerPx)), cancel), "image/jpeg");
    }

    private static async Task<IResult> Paper([FromHeader(Name = Header)] string? secret, DossierId dossierId, JobLinks links, DossierShelf shelf, TimeProvider clock, CancellationToken cancel)
    {
        var (scope, jobId, _) = await Opened(secret, null, links, clock, cancel);
        return await shelf.Find(scope.CompanyId, dossierId, cancel) is { } made && made.JobId == jobId && HandedOver(made)
            ? DossierEndpoints.Paper(shelf, scope.CompanyId, made)
            : throw new ApiException(404, Refusal.Of("not-found", "dossierId"));
    }

    private static bool HandedOver(MadeDossier d) => d is { Stage: DossierStage.Done, Handover: not null, Choice.Edition: DossierEdition.Customer };

    private static async Task<(Scope Scope, JobId JobId, Instant ExpiresAt)> Opened(string? secret, LinkOpening? by, JobLinks links, TimeProvider clock, CancellationToken cancel) =>
        secret is { Length: > 0 and <= 100 } && await links.Open(secret, by, clock.GetCurrentInstant(), cancel) is { } link
            ? (new Scope(link.CompanyId, default, Role.Office, null, [link.JobId]), link.JobId, link.ExpiresAt)
            : throw Closed();

    private static ApiException Closed() => new(404, Refusal.Of("link-closed", "link"));

    internal static bool Holds(int days) => days is >= 1 and <= MostDays;
}
