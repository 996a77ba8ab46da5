using System.Security.Claims;
using OpenCvSharp;
using Rhabdon.Core;
using Rhabdon.Imaging;
using Rhabdon.Server.Accounts;
using Rhabdon.Server.Web;
using Rhabdon.Store;

namespace Rhabdon.Server.Inspection;

/// <param name="PictureId">Under which the photo is kept.</param>
public sealed record PhotoKept(EvidenceId PictureId);

/// <summary>Pictures that are kept: of ends, of panels, of a job's site.</summary>
public static class PictureEndpoints
{
    private const int WidestView = 1600;

    public static void MapPictures(this RouteGroupBuilder api)
    {
        api.MapPost("/panels/{panelId:guid}/pictures", TakePanel).TakesFile().RequireAuthorization(Policies.Work).WithSummary("Keep a photo of a panel: turned upright, the picture alone, without what its file says of place and camera. Query: id, which the device gives.");
        api.MapPost("/jobs/{jobId:guid}/pictures", TakeJob).TakesFile().RequireAuthorization(Policies.Work).WithSummary("Keep a photo of a job's site, as of a panel. Query: id, which the device gives.");
        api.MapPost("/ends/{endId:guid}/photos", TakeEnd).TakesFile().RequireAuthorization(Policies.Work).WithSummary("Keep a photo of an end, in which nothing is read: as it came, since light is compared dot by dot; with alone=true turned upright, the picture alone, as of a panel. Query: id, which the device gives.");
        api.MapGet("/panels/{panelId:guid}/evidence", PanelEvidence).WithSummary("Photos that were kept of a panel, newest first.");
        api.MapGet("/jobs/{jobId:guid}/evidence", JobEvidence).WithSummary("Photos that were kept of a job's site, newest first.");
        api.MapGet("/pictures/{pictureId:guid}", View).WithSummary("A kept picture, as a PNG that a browser shows, at most 1600 pixels wide.").Produces(200, contentType: "image/png");
        api.MapGet("/ends/{endId:guid}/evidence", Evidence).WithSummary("Pictures and traces that were kept of an end, newest first.");
    }

    private static async Task<IResult> View(EvidenceId pictureId, HttpContext http, ClaimsPrincipal user, EvidenceStore evidence, CancellationToken cancel)
    {
        var png = await Uploads.InTurn(async () =>
        {
            var kept = await evidence.Find(user.Scope(), pictureId, cancel) is { Kind: not EvidenceKind.Trace } found ? found : throw new ApiException(404, Refusal.Of("not-found", "pictureId"));
            // An end's are of a microscope, which sees in grey; a panel's and a job's are photos.
            using var picture = kept.EndId is null || kept.Kind == EvidenceKind.Photo ? Pictures.Colour(kept.Bytes) : Pictures.Grey(kept.Bytes);
            if (picture.Width > WidestView)
            {
                Cv2.Resize(picture, picture, new Size(WidestView, Math.Max(1, picture.Height * WidestView / picture.Width)), 0, 0, InterpolationFlags.Area);
            }

            using var bytes = new Mat();
            picture.ConvertTo(bytes, MatType.MakeType(MatType.CV_8U, picture.Channels()));
            return bytes.ImEncode(".png");
        }, cancel);
        http.Response.Headers.CacheControl = "private, max-age=86400, immutable";
        return Results.Bytes(png, "image/png");
    }

    private static async Task<IReadOnlyList<EvidenceLine>> Evidence(EndId endId, ClaimsPrincipal user, Store.Records records, EvidenceStore evidence, CancellationToken cancel)
    {
        _ = await PictureKeeping.Seen(endId, user, records, cancel);
        return await evidence.Of(user.Scope().CompanyId, Holder.OfEnd(endId), cancel);
    }

    private static async Task<PhotoKept> TakeEnd(EndId endId, HttpRequest request, ClaimsPrincipal user, Store.Records records, PictureKeeping keeping, EvidenceId? id = null, bool alone = false)
    {
        var cancel = request.HttpContext.RequestAborted;
        _ = await PictureKeeping.Seen(endId, user, records, cancel);
        return await Photo(Holder.OfEnd(endId), request, user, keeping, id, asItCame: !alone, cancel);
    }

    private static async Task<PhotoKept> TakePanel(PanelId panelId, HttpRequest request, ClaimsPrincipal user, Store.Jobs jobs, Store.Plan plan, PictureKeeping keeping, EvidenceId? id = null)
    {
        var cancel = request.HttpContext.RequestAborted;
        await SeenPanel(panelId, user, jobs, plan, cancel);
        return await Photo(Holder.OfPanel(panelId), request, user, keeping, id, asItCame: false, cancel);
    }

    private static async Task<PhotoKept> TakeJob(JobId jobId, HttpRequest request, ClaimsPrincipal user, Store.Jobs jobs, PictureKeeping keeping, EvidenceId? id = null)
    {
        var cancel = request.HttpContext.RequestAborted;
        await Jobs.JobEndpoints.Seen(jobs, user.Scope(), jobId, cancel);
        return await Photo(Holder.OfJob(jobId), request, user, keeping, id, asItCame: false, cancel);
    }

    private static Task<PhotoKept> Photo(Holder of, HttpRequest request, ClaimsPrincipal user, PictureKeeping keeping, EvidenceId? id, bool asItCame, CancellationToken cancel) =>
        Uploads.Take(request, "image", Uploads.LargestPicture, async picture =>
        {
            // What is no picture is told now, not when somebody wants to see it. Of a site and a panel, the picture alone is kept.
            if (asItCame)
            {
                Pictures.Grey(picture.Span).Dispose();
            }

            return new PhotoKept(await keeping.Keep(of, user, asItCame ? picture : PhotoCopy.Jpeg(picture.Span), id, kind: of.EndId is null || asItCame ? EvidenceKind.Picture : EvidenceKind.Photo, cancel: cancel));
        });

    private static async Task<IReadOnlyList<EvidenceLine>> PanelEvidence(PanelId panelId, ClaimsPrincipal user, Store.Jobs jobs, Store.Plan plan, EvidenceStore evidence, CancellationToken cancel)
    {
        await SeenPanel(panelId, user, jobs, plan, cancel);
        return await evidence.Of(user.Scope().CompanyId, Holder.OfPanel(panelId), cancel);
    }

    private static async Task<IReadOnlyList<EvidenceLine>> JobEvidence(JobId jobId, ClaimsPrincipal user, Store.Jobs jobs, EvidenceStore evidence, CancellationToken cancel)
    {
        await Jobs.JobEndpoints.Seen(jobs, user.Scope(), jobId, cancel);
        return await evidence.Of(user.Scope().CompanyId, Holder.OfJob(jobId), cancel);
    }

    private static async Task SeenPanel(PanelId panelId, ClaimsPrincipal user, Store.Jobs jobs, Store.Plan plan, CancellationToken cancel)
    {
        if (await plan.JobOf(user.Scope().CompanyId, panelId, cancel) is not { } jobId || await jobs.Find(user.Scope(), jobId, cancel) is null)
        {
            throw new ApiException(404, Refusal.Of("not-found", "panelId"));
        }
    }
}
