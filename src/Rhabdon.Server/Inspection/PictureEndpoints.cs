using System.Security.Claims;
using OpenCvSharp;
using Rhabdon.Core;
using Rhabdon.Core.Connectors;
using Rhabdon.Core.Inspection;
using Rhabdon.Imaging;
using Rhabdon.Practice;
using Rhabdon.Server.Accounts;
using Rhabdon.Server.Web;
using Rhabdon.Store;

namespace Rhabdon.Server.Inspection;

/// <summary>A finding as the API says it. A scratch has two ends and a width, anything else a centre and a diameter; micrometres from the fiber's centre, x right, y down.</summary>
/// <param name="Zone">The innermost zone that it reaches; null when it lies outside the contact zone.</param>
/// <param name="Zones">All zones in which it counts.</param>
public sealed record FindingSeen(
    FindingKind Kind, double? XUm, double? YUm, double? DiameterUm, double? X0Um, double? Y0Um, double? X1Um, double? Y1Um, double? WidthUm, Zone? Zone, IReadOnlyList<Zone> Zones)
{
    /// <summary>The finding alone.</summary>
    public SeenFinding Bare() => new(Kind, XUm, YUm, DiameterUm, X0Um, Y0Um, X1Um, Y1Um, WidthUm);

    public static FindingSeen Of(SeenFinding f, EndFaceTable table)
    {
        var zones = SeenEndFaces.ZonesOf(f, table).ToList();
        return new(f.Kind, f.XUm, f.YUm, f.DiameterUm, f.X0Um, f.Y0Um, f.X1Um, f.Y1Um, f.WidthUm, zones.Count > 0 ? zones[0] : null, zones);
    }
}

public enum GradeWord
{
    Pass, Fail,
}

/// <summary>What the picture of an end face shows.</summary>
/// <param name="Reason">Why it cannot be graded; null when it can.</param>
/// <param name="ReasonText">The same in words.</param>
/// <param name="Verdict">Null when it cannot be graded: never a guess.</param>
/// <param name="DecidedBy">Each rule that was broken, with the places of its findings in the list.</param>
/// <param name="ContactCut">Part of zone D lies outside the frame and was not judged.</param>
public sealed record FaceAnswer(
    bool Gradable, NotGradable? Reason, string? ReasonText, int WidthPx, int HeightPx, double? UmPerPx, double? CentreXPx, double? CentreYPx, double? CladdingDiameterPx, double? CoreDiameterUm,
    double? BlurPx, bool ContactCut, IReadOnlyList<FindingSeen> Findings, GradeWord? Verdict, IReadOnlyList<EndFaceBreach> DecidedBy, EndFaceAdvice? Advice, string LimitSetId, string Edition);

/// <param name="Marks">Left out, the seed makes some up.</param>
public sealed record SimulateFaceRequest(EndFaceClass EndFaceClass, int Seed = 1, IReadOnlyList<FaceMark>? Marks = null, Optics? Optics = null);

public sealed record SimulatedFace(string PngBase64, IReadOnlyList<SeenFinding> Truth, Optics Optics);

/// <param name="PictureId">Under which the picture is kept.</param>
/// <param name="TurnDeg">By how much the picture that it was laid beside must be turned, clockwise, to lie on it; null when nothing tells.</param>
public sealed record PictureTaken(EvidenceId PictureId, FaceAnswer Answer, double? TurnDeg);

/// <param name="Findings">With their places.</param>
public sealed record SeenGradeRequest(EndFaceClass EndFaceClass, string LimitSetId, IReadOnlyList<SeenFinding> Findings, TerminationMethod? Method = null);

public sealed record SeenGradeAnswer(EndFaceVerdict Verdict, IReadOnlyList<FindingSeen> Findings);

/// <summary>A look at one end's face, before it is told. The class and the limits are the server's own.</summary>
/// <param name="Findings">As seen by eye, in zones.</param>
/// <param name="Seen">As seen in a picture, with their places.</param>
public sealed record EndLook(IReadOnlyList<Finding>? Findings = null, IReadOnlyList<SeenFinding>? Seen = null);

/// <param name="PictureId">Under which the photo is kept.</param>
public sealed record PhotoKept(EvidenceId PictureId);

/// <summary>A cleave from the side, judged.</summary>
/// <param name="Verdict">Null when it cannot be judged.</param>
public sealed record CleaveAnswer(bool Gradable, NotGradable? Reason, string? ReasonText, double? UmPerPx, CleaveView? View, CleaveVerdict? Verdict);

/// <param name="PictureId">Under which the picture is kept.</param>
public sealed record CleaveTaken(EvidenceId PictureId, CleaveAnswer Answer);

/// <summary>Two photos of the red light, compared.</summary>
/// <param name="Photos">What to put into the event; without kept photos its ids are empty.</param>
/// <param name="Ratio">Light after as a share of before; null where there was none before.</param>
/// <param name="Says">What that share comes to; null when the photos cannot be compared.</param>
/// <param name="Doubt">Why they cannot be compared.</param>
public sealed record LightAnswer(LightPhotos Photos, double? Ratio, LightSeen? Says, LightDoubt? Doubt);

/// <summary>Pictures of end faces: read, graded, kept.</summary>
public static class PictureEndpoints
{
    private const int WidestView = 1600;

    public static void MapPictures(this RouteGroupBuilder api)
    {
        api.MapPost("/calc/end-face", Calculate).TakesFile()
            .WithSummary("Read and grade the picture of an end face.")
            .WithDescription("Body: the bytes of a PNG, JPEG, BMP or TIFF of up to 20 megapixels, as they are or as a form's file. Query: class (sm-upc, sm-apc, sm-pc, mm-pc), limitSetId (left out: your newest house limits, else IEC 61300-3-35), "
                + "umPerPx (left out: the cladding's 125 µm set the scale). Places in micrometres from the fiber's centre, x right, y down.");
        api.MapPost("/calc/cleave", Cleave).TakesFile()
            .WithSummary("Read and judge the side view of a cleave; the fiber may come in from any side.")
            .WithDescription("Body: the bytes of a PNG, JPEG, BMP or TIFF. Query: method and polish, which choose the rule; or nominalDeg and toleranceDeg of your own. Angles in degrees against a square cut, sizes in micrometres.");
        api.MapPost("/ends/{endId:guid}/cleaves", TakeCleave).TakesFile().RequireAuthorization(Policies.Work)
            .WithSummary("Keep the side view of a cleave of this end, and judge it by the connector's rule. Saying what was seen is an event of its own.");
        api.MapPost("/calc/red-light", CompareLight).TakesForm("before", "after")
            .WithSummary("Compare the red light in two photos, before and after seating.")
            .WithDescription("Body: a form with the files before and after. Query: x0, y0, x1, y1, the window as shares of the picture from its top left corner. Levels are light, 0 to 1, with the surroundings taken off.");
        api.MapPost("/ends/{endId:guid}/red-light", TakeLight).TakesForm("before", "after").RequireAuthorization(Policies.Work)
            .WithSummary("Keep two photos of this end's red light, and compare them. Saying what was seen is an event of its own.");
        api.MapPost("/calc/simulate/cleave", (CleaveScene scene) => Results.Bytes(CleaveReader.Png(scene), "image/png")).WithSummary("The picture of a simulated cleave.").Produces(200, contentType: "image/png");
        api.MapPost("/calc/end-face-seen", Grade).WithSummary("Grade findings that have places. Sizes and places in micrometres.");
        api.MapPost("/ends/{endId:guid}/judge/face", JudgeFace).RequireAuthorization(Policies.Work)
            .WithSummary("What the ledger would say of this look: by the connector's class and the limits in force. Micrometres. Nothing is kept.");
        api.MapPost("/calc/simulate/end-face", Simulate).WithSummary("A simulated end face: its picture as PNG in base64, and the truth. Give findings and optics, or a class and a seed for a made-up one.");
        api.MapPost("/ends/{endId:guid}/pictures", Take).TakesFile().RequireAuthorization(Policies.Work)
            .WithSummary("Keep a picture of this end's face, and read it. Saying what was seen is an event of its own.")
            .WithDescription("Query: id, which the device gives, so that a retry is the same picture; besideId, an earlier picture of this end; the answer says by how much that one is turned against this.");
        api.MapPost("/panels/{panelId:guid}/pictures", TakePanel).TakesFile().RequireAuthorization(Policies.Work).WithSummary("Keep a photo of a panel. Query: id, which the device gives.");
        api.MapPost("/jobs/{jobId:guid}/pictures", TakeJob).TakesFile().RequireAuthorization(Policies.Work).WithSummary("Keep a photo of a job's site. Query: id, which the device gives.");
        api.MapGet("/panels/{panelId:guid}/evidence", PanelEvidence).WithSummary("Photos that were kept of a panel, newest first.");
        api.MapGet("/jobs/{jobId:guid}/evidence", JobEvidence).WithSummary("Photos that were kept of a job's site, newest first.");
        api.MapGet("/pictures/{pictureId:guid}", View).WithSummary("A kept picture, as a PNG that a browser shows, at most 1600 pixels wide.").Produces(200, contentType: "image/png");
        api.MapGet("/ends/{endId:guid}/evidence", Evidence).WithSummary("Pictures and traces that were kept of an end, newest first.");
    }

    private static async Task<FaceAnswer> Calculate(HttpRequest request, ClaimsPrincipal user, Methods methods, string? @class = null, string? limitSetId = null, double? umPerPx = null)
    {
        var endFaceClass = Class(@class);
        var rules = await methods.Rules(user.Scope().CompanyId);
        return await Read(await Uploads.Read(request, "image", Uploads.LargestPicture), endFaceClass, limitSetId is null ? rules.FaceSetInForce(endFaceClass) : rules.EndFaceSet(limitSetId), umPerPx, null, request.HttpContext.RequestAborted);
    }

    private static async Task<SimulatedFace> Simulate(SimulateFaceRequest r, CancellationToken cancel)
    {
        var sample = FaceSamples.Draw(r.EndFaceClass, r.Seed);
        var (marks, optics) = (r.Marks ?? sample.Marks, r.Optics ?? sample.Optics);
        return new(Convert.ToBase64String(await Uploads.InTurn(() => Microscope.Png(marks, optics), cancel)), [.. marks.Select(m => m.Finding)], optics);
    }

    private static async Task<CleaveAnswer> Cleave(HttpRequest request, string? method = null, string? polish = null, double? nominalDeg = null, double? toleranceDeg = null) =>
        await ReadCleave(await Uploads.Read(request, "image", Uploads.LargestPicture), CleaveRuleOf(
            Named(method, "method", TerminationMethod.SpliceOn), Named(polish, "polish", Polish.UPC), nominalDeg, toleranceDeg), request.HttpContext.RequestAborted);

    private static CleaveRule CleaveRuleOf(TerminationMethod method, Polish polish, double? nominalDeg, double? toleranceDeg)
    {
        var rule = Cleaves.RuleFor(method, polish);
        if (nominalDeg is not (null or (>= 0 and <= 20)) || toleranceDeg is not (null or (> 0 and <= 10)))
        {
            throw new RefusedException("out-of-range", nominalDeg is not (null or (>= 0 and <= 20)) ? "nominalDeg" : "toleranceDeg", "A nominal angle is 0 to 20°, its tolerance above 0 and at most 10°.");
        }

        return nominalDeg is null && toleranceDeg is null ? rule
            : rule with { NominalDeg = nominalDeg ?? rule.NominalDeg, ToleranceDeg = toleranceDeg ?? rule.ToleranceDeg, Source = "as asked" };
    }

    private static async Task<CleaveAnswer> ReadCleave(byte[] picture, CleaveRule rule, CancellationToken cancel)
    {
        var r = await Uploads.InTurn(() =>
        {
            using var grey = Pictures.Grey(picture);
            return CleaveReader.Read(grey);
        }, cancel);
        return r.View is null
            ? new(false, r.Reason, r.Reason == NotGradable.OutsideFrame ? "The end of the fiber is not in the frame." : "No fiber that ends in the picture is to be found.", null, null, null)
            : new(true, null, null, r.UmPerPx, r.View, Cleaves.Judge(r.View, rule));
    }

    private static async Task<CleaveTaken> TakeCleave(
        EndId endId, HttpRequest request, ClaimsPrincipal user, Store.Records records, EvidenceStore evidence, Intake intake, TimeProvider clock, double? nominalDeg = null, double? toleranceDeg = null, EvidenceId? id = null)
    {
        var plan = await Seen(endId, user, records);
        var rule = CleaveRuleOf(plan.Method, plan.Polish, nominalDeg, toleranceDeg);
        var picture = await Uploads.Read(request, "image", Uploads.LargestPicture);
        var answer = await ReadCleave(picture, rule, request.HttpContext.RequestAborted);
        return new(await Keep(Holder.OfEnd(endId), user, evidence, intake, picture, clock, id, cancel: request.HttpContext.RequestAborted), answer);
    }

    private static async Task<LightAnswer> CompareLight(HttpRequest request, double x0, double y0, double x1, double y1) =>
        (await Compared(request, new(x0, y0, x1, y1))).Answer;

    private static async Task<LightAnswer> TakeLight(
        EndId endId, HttpRequest request, ClaimsPrincipal user, Store.Records records, EvidenceStore evidence, Intake intake, TimeProvider clock, double x0, double y0, double x1, double y1, EvidenceId? beforeId = null, EvidenceId? afterId = null)
    {
        _ = await Seen(endId, user, records);
        var (answer, before, after) = await Compared(request, new(x0, y0, x1, y1));
        return answer with
        {
            Photos = answer.Photos with { BeforeId = await Keep(Holder.OfEnd(endId), user, evidence, intake, before, clock, beforeId, cancel: request.HttpContext.RequestAborted), AfterId = await Keep(Holder.OfEnd(endId), user, evidence, intake, after, clock, afterId, cancel: request.HttpContext.RequestAborted) },
        };
    }

    private static async Task<(LightAnswer Answer, byte[] Before, byte[] After)> Compared(HttpRequest request, LightWindow window)
    {
        var files = await Uploads.ReadForm(request, ["before", "after"], Uploads.LargestPicture);
        var glow = await Uploads.InTurn(() => RedLight.Compare(files[0], files[1], window), request.HttpContext.RequestAborted);
        var photos = new LightPhotos(default, default, window, glow.BeforeLevel, glow.AfterLevel, glow.ExposureRatio, glow.BurntShare);
        var (ratio, says, doubt) = RedLights.Compare(photos);
        return (new(photos, ratio, says, doubt), files[0], files[1]);
    }

    private static async Task<EndPlan> Seen(EndId endId, ClaimsPrincipal user, Store.Records records, CancellationToken cancel = default) =>
        await records.Find(user.Scope(), endId, cancel) ?? throw new ApiException(404, "not-found", "endId", "There is no such end among yours.");

    /// <summary>Keeps a picture under the id that its device gave it, and lets in what waited for it.</summary>
    private static async Task<EvidenceId> Keep(Holder of, ClaimsPrincipal user, EvidenceStore evidence, Intake intake, byte[] picture, TimeProvider clock, EvidenceId? given, IReadOnlyList<SeenFinding>? found = null, CancellationToken cancel = default)
    {
        new Input().Require(given is null || given.Value.Version == 7, "id-version", "id", "A picture's id is a UUID of version 7.").ThrowIfBad();
        var (scope, now) = (user.Scope(), clock.GetCurrentInstant());
        var id = await evidence.Keep(scope.CompanyId, scope.PersonId, given, of, EvidenceKind.Picture, Pictures.ContentType(picture), picture, now, found, cancel);
        if (given is not null && of.EndId is not null)
        {
            await intake.TellWaiting(scope, now, cancel);
        }

        return id;
    }

    private static T Named<T>(string? name, string field, T otherwise) where T : struct, Enum
    {
        try
        {
            return name is null ? otherwise : Wire.Parse<T>(name);
        }
        catch (FormatException e)
        {
            throw new RefusedException("unknown", field, e.Message);
        }
    }

    private static EndFaceClass Class(string? name)
    {
        try
        {
            return Wire.Parse<EndFaceClass>(name ?? throw new RefusedException("missing", "class", $"Say the class: {string.Join(", ", Enum.GetValues<EndFaceClass>().Select(Wire.Name))}."));
        }
        catch (FormatException)
        {
            throw new RefusedException("class-unknown", "class", $"There is no class '{name}'; there are {string.Join(", ", Enum.GetValues<EndFaceClass>().Select(Wire.Name))}.");
        }
    }

    private static async Task<FaceAnswer> Read(byte[] picture, EndFaceClass endFaceClass, EndFaceLimitSet limits, double? umPerPx, TerminationMethod? method, CancellationToken cancel = default)
    {
        if (umPerPx is not (null or (>= 0.02 and <= 5)))
        {
            throw new RefusedException("out-of-range", "umPerPx", "A scale is 0.02 to 5 µm a pixel.");
        }

        var table = limits.Table(endFaceClass);
        var (r, width, height) = await Uploads.InTurn(() =>
        {
            using var grey = Pictures.Grey(picture);
            return (EndFaceReader.Read(grey, endFaceClass, umPerPx), grey.Width, grey.Height);
        }, cancel);
        if (!r.Gradable)
        {
            return new(false, r.Reason, Words(r.Reason!.Value), width, height, r.UmPerPx > 0 ? r.UmPerPx : null, null, null, null, null, null, false, [], null, [], null, limits.Id, limits.Edition);
        }

        var verdict = SeenEndFaces.Grade(r.Findings, endFaceClass, limits, method);
        return new(true, null, null, width, height, r.UmPerPx, r.CentreXPx, r.CentreYPx, r.CladdingDiameterPx, r.CoreUm, r.BlurPx, r.ContactCut,
            [.. r.Findings.Select(f => FindingSeen.Of(f, table))], verdict.Pass ? GradeWord.Pass : GradeWord.Fail, verdict.DecidedBy, verdict.Advice, limits.Id, limits.Edition);
    }

    private static string Words(NotGradable reason) => reason switch
    {
        NotGradable.NoFiber => "No fiber edge is to be found in the picture. Centre the fiber and take it again.",
        NotGradable.Focus => "The picture is out of focus: small dirt would not show. Focus and take it again.",
        NotGradable.Exposure => "The picture is too dark or burnt out. Set the light and take it again.",
        _ => "The core or the cladding lies partly outside the frame. Centre the fiber and take it again.",
    };

    private static async Task<SeenGradeAnswer> Grade(SeenGradeRequest r, ClaimsPrincipal user, Methods methods, CancellationToken cancel)
    {
        var limits = (await methods.Rules(user.Scope().CompanyId, cancel)).EndFaceSet(r.LimitSetId);
        var verdict = SeenEndFaces.Grade(r.Findings, r.EndFaceClass, limits, r.Method);
        return new(verdict, [.. r.Findings.Select(f => FindingSeen.Of(f, limits.Table(r.EndFaceClass)))]);
    }

    private static async Task<SeenGradeAnswer> JudgeFace(EndId endId, EndLook r, ClaimsPrincipal user, Store.Records records, Methods methods, CancellationToken cancel)
    {
        new Input().Require(r.Findings is null != r.Seen is null, "findings-twice", "findings", "Say what was seen by eye or what was seen in a picture: one of both.").ThrowIfBad();
        var plan = (await Seen(endId, user, records, cancel)).Planned();
        var limits = (await methods.Rules(user.Scope().CompanyId, cancel)).FaceSetFor(plan);
        return r.Seen is { } seen ? new(SeenEndFaces.Grade(seen, plan.EndFaceClass, limits, plan.Method, "seen"), [.. seen.Select(f => FindingSeen.Of(f, limits.Table(plan.EndFaceClass)))])
            : new(EndFaces.Grade(r.Findings!, plan.EndFaceClass, limits, plan.Method), []);
    }

    private static async Task<PictureTaken> Take(
        EndId endId, HttpRequest request, ClaimsPrincipal user, Store.Records records, EvidenceStore evidence, Intake intake, Methods methods, TimeProvider clock,
        string? limitSetId = null, double? umPerPx = null, EvidenceId? besideId = null, EvidenceId? id = null)
    {
        var scope = user.Scope();
        var plan = await Seen(endId, user, records);
        var rules = await methods.Rules(scope.CompanyId);
        var limits = limitSetId is null ? rules.FaceSetFor(plan.FaceLimitSetId, EndFaces.ClassOf(plan.Mode, plan.Polish)) : rules.EndFaceSet(limitSetId);
        var picture = await Uploads.Read(request, "image", Uploads.LargestPicture);
        var answer = await Read(picture, EndFaces.ClassOf(plan.Mode, plan.Polish), limits, umPerPx, plan.Method, request.HttpContext.RequestAborted);
        // What it is laid beside is looked for first: a picture whose pairing is refused is not kept.
        var turn = await Turn(besideId, picture, plan, scope, evidence, umPerPx, answer.Gradable, request.HttpContext.RequestAborted);
        return new(await Keep(Holder.OfEnd(endId), user, evidence, intake, picture, clock, id, answer.Gradable ? [.. answer.Findings.Select(f => f.Bare())] : null), answer, turn);
    }

    private static async Task<double?> Turn(EvidenceId? besideId, byte[] picture, EndPlan plan, Scope scope, EvidenceStore evidence, double? umPerPx, bool gradable, CancellationToken cancel)
    {
        if (besideId is not { } id || !gradable)
        {
            return null;
        }

        var earlier = await evidence.Find(scope, id, cancel);
        return earlier is not { Kind: EvidenceKind.Picture } || earlier.EndId != plan.EndId ? throw new ApiException(404, "not-found", "besideId", "There is no such picture of this end.")
            : await Uploads.InTurn(() =>
            {
                using var before = Pictures.Grey(earlier.Bytes);
                using var now = Pictures.Grey(picture);
                return FaceTurn.Between(before, now, EndFaces.ClassOf(plan.Mode, plan.Polish), umPerPx);
            }, cancel);
    }

    private static async Task<IResult> View(EvidenceId pictureId, HttpContext http, ClaimsPrincipal user, EvidenceStore evidence, CancellationToken cancel)
    {
        var kept = await evidence.Find(user.Scope(), pictureId, cancel);
        if (kept is not { Kind: EvidenceKind.Picture })
        {
            throw new ApiException(404, "not-found", "pictureId", "There is no such picture among yours.");
        }

        var png = await Uploads.InTurn(() =>
        {
            using var grey = Pictures.Grey(kept.Bytes);
            if (grey.Width > WidestView)
            {
                Cv2.Resize(grey, grey, new Size(WidestView, Math.Max(1, grey.Height * WidestView / grey.Width)), 0, 0, InterpolationFlags.Area);
            }

            using var bytes = new Mat();
            grey.ConvertTo(bytes, MatType.CV_8UC1);
            return bytes.ImEncode(".png");
        }, http.RequestAborted);
        http.Response.Headers.CacheControl = "private, max-age=86400, immutable";
        return Results.Bytes(png, "image/png");
    }

    private static async Task<IReadOnlyList<EvidenceLine>> Evidence(EndId endId, ClaimsPrincipal user, Store.Records records, EvidenceStore evidence, CancellationToken cancel)
    {
        _ = await Seen(endId, user, records, cancel);
        return await evidence.Of(user.Scope().CompanyId, Holder.OfEnd(endId), cancel);
    }

    private static async Task<PhotoKept> TakePanel(PanelId panelId, HttpRequest request, ClaimsPrincipal user, Store.Jobs jobs, Store.Plan plan, EvidenceStore evidence, Intake intake, TimeProvider clock, EvidenceId? id = null)
    {
        var cancel = request.HttpContext.RequestAborted;
        await SeenPanel(panelId, user, jobs, plan, cancel);
        return await Photo(Holder.OfPanel(panelId), request, user, evidence, intake, clock, id, cancel);
    }

    private static async Task<PhotoKept> TakeJob(JobId jobId, HttpRequest request, ClaimsPrincipal user, Store.Jobs jobs, EvidenceStore evidence, Intake intake, TimeProvider clock, EvidenceId? id = null)
    {
        var cancel = request.HttpContext.RequestAborted;
        await Jobs.JobEndpoints.Seen(jobs, user.Scope(), jobId, cancel);
        return await Photo(Holder.OfJob(jobId), request, user, evidence, intake, clock, id, cancel);
    }

    private static async Task<PhotoKept> Photo(Holder of, HttpRequest request, ClaimsPrincipal user, EvidenceStore evidence, Intake intake, TimeProvider clock, EvidenceId? id, CancellationToken cancel)
    {
        var picture = await Uploads.Read(request, "image", Uploads.LargestPicture);
        // What is no picture is told now, not when somebody wants to see it.
        await Uploads.InTurn(() =>
        {
            using var grey = Pictures.Grey(picture);
            return grey.Width;
        }, cancel);
        return new(await Keep(of, user, evidence, intake, picture, clock, id, cancel: cancel));
    }

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
            throw new ApiException(404, "not-found", "panelId", "There is no such panel among yours.");
        }
    }
}
