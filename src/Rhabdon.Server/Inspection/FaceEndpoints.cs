using System.Security.Claims;
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

/// <summary>End faces: read from a picture, graded as they are marked, kept.</summary>
public static class FaceEndpoints
{
    public static void MapFaces(this RouteGroupBuilder api)
    {
        api.MapPost("/calc/end-face", Calculate).TakesFile()
            .WithSummary("Read and grade the picture of an end face.")
            .WithDescription("Body: the bytes of a PNG, JPEG, BMP or TIFF of up to 20 megapixels, as they are or as a form's file. Query: class (sm-upc, sm-apc, sm-pc, mm-pc), limitSetId (left out: your newest house limits, else IEC 61300-3-35), "
                + "umPerPx (left out: the cladding's 125 µm set the scale). Places in micrometres from the fiber's centre, x right, y down.");
        api.MapPost("/calc/end-face-seen", Grade).WithSummary("Grade findings that have places. Sizes and places in micrometres.");
        api.MapPost("/ends/{endId:guid}/judge/face", JudgeFace).RequireAuthorization(Policies.Work)
            .WithSummary("What the ledger would say of this look: by the connector's class and the limits in force. Micrometres. Nothing is kept.");
        api.MapPost("/calc/simulate/end-face", Simulate).WithSummary("A simulated end face: its picture as PNG in base64, and the truth. Give findings and optics, or a class and a seed for a made-up one.");
        api.MapPost("/ends/{endId:guid}/pictures", Take).TakesFile().RequireAuthorization(Policies.Work)
            .WithSummary("Keep a picture of this end's face, and read it. Saying what was seen is an event of its own.")
            .WithDescription("Query: id, which the device gives, so that a retry is the same picture; besideId, an earlier picture of this end; the answer says by how much that one is turned against this.");
    }

    private static async Task<FaceAnswer> Calculate(HttpRequest request, ClaimsPrincipal user, Methods methods, string? @class = null, string? limitSetId = null, double? umPerPx = null)
    {
        var endFaceClass = Class(@class);
        var rules = await methods.Rules(user.Scope());
        var limits = limitSetId is null ? rules.FaceSetInForce(endFaceClass) : rules.EndFaceSet(limitSetId);
        return await Uploads.Take(request, "image", Uploads.LargestPicture, picture => Task.FromResult(Read(picture.Span, endFaceClass, limits, umPerPx, null)));
    }

    private static async Task<SimulatedFace> Simulate(SimulateFaceRequest r, CancellationToken cancel)
    {
        var sample = FaceSamples.Draw(r.EndFaceClass, r.Seed);
        var (marks, optics) = (r.Marks ?? sample.Marks, r.Optics ?? sample.Optics);
        return new(Convert.ToBase64String(await Uploads.InTurn(() => Task.FromResult(Microscope.Png(marks, optics)), cancel)), [.. marks.Select(m => m.Finding)], optics);
    }

    private static EndFaceClass Class(string? name)
    {
        try
        {
            return Wire.Parse<EndFaceClass>(name ?? throw new RefusedException(Refusal.Of("missing", "class", ("classes", string.Join(", ", Enum.GetValues<EndFaceClass>().Select(Wire.Name))))));
        }
        catch (FormatException)
        {
            throw new RefusedException(Refusal.Of("class-unknown", "class", ("name", name ?? ""), ("classes", string.Join(", ", Enum.GetValues<EndFaceClass>().Select(Wire.Name)))));
        }
    }

    private static FaceAnswer Read(ReadOnlySpan<byte> picture, EndFaceClass endFaceClass, EndFaceLimitSet limits, double? umPerPx, TerminationMethod? method)
    {
        if (umPerPx is not (null or (>= 0.02 and <= 5)))
        {
            throw new RefusedException(Refusal.Of("out-of-range", "umPerPx"));
        }

        var table = limits.Table(endFaceClass);
        using var grey = Pictures.Grey(picture);
        var (r, width, height) = (EndFaceReader.Read(grey, endFaceClass, umPerPx), grey.Width, grey.Height);
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
        var limits = (await methods.Rules(user.Scope(), cancel)).EndFaceSet(r.LimitSetId);
        var verdict = SeenEndFaces.Grade(r.Findings, r.EndFaceClass, limits, r.Method);
        return new(verdict, [.. r.Findings.Select(f => FindingSeen.Of(f, limits.Table(r.EndFaceClass)))]);
    }

    private static async Task<SeenGradeAnswer> JudgeFace(EndId endId, EndLook r, ClaimsPrincipal user, Store.Records records, Methods methods, CancellationToken cancel)
    {
        if (r.Findings is null == r.Seen is null)
        {
            throw new RefusedException(Refusal.Of("look-once", "findings"));
        }

        var plan = (await PictureKeeping.Seen(endId, user, records, cancel)).Planned();
        var limits = (await methods.Rules(user.Scope().CompanyId, cancel)).FaceSetFor(plan);
        return r.Seen is { } seen ? new(SeenEndFaces.Grade(seen, plan.EndFaceClass, limits, plan.Method, "seen"), [.. seen.Select(f => FindingSeen.Of(f, limits.Table(plan.EndFaceClass)))])
            : new(EndFaces.Grade(r.Findings!, plan.EndFaceClass, limits, plan.Method), []);
    }

    private static async Task<PictureTaken> Take(
        EndId endId, HttpRequest request, ClaimsPrincipal user, Store.Records records, EvidenceStore evidence, PictureKeeping keeping, Methods methods,
        string? limitSetId = null, double? umPerPx = null, EvidenceId? besideId = null, EvidenceId? id = null)
    {
        var scope = user.Scope();
        var plan = await PictureKeeping.Seen(endId, user, records);
        var rules = await methods.Rules(scope.CompanyId);
        var limits = limitSetId is null ? rules.FaceSetFor(plan.FaceLimitSetId, EndFaces.ClassOf(plan.Mode, plan.Polish)) : rules.EndFaceSet(limitSetId);
        return await Uploads.Take(request, "image", Uploads.LargestPicture, async picture =>
        {
            var answer = Read(picture.Span, EndFaces.ClassOf(plan.Mode, plan.Polish), limits, umPerPx, plan.Method);
            // What it is laid beside is looked for first: a picture whose pairing is refused is not kept.
            var turn = await Turn(besideId, picture, plan, scope, evidence, umPerPx, answer.Gradable, request.HttpContext.RequestAborted);
            return new PictureTaken(await keeping.Keep(Holder.OfEnd(endId), user, picture, id, answer.Gradable ? new([.. answer.Findings.Select(f => f.Bare())]) : null), answer, turn);
        });
    }

    private static async Task<double?> Turn(EvidenceId? besideId, ReadOnlyMemory<byte> picture, EndPlan plan, Scope scope, EvidenceStore evidence, double? umPerPx, bool gradable, CancellationToken cancel)
    {
        if (besideId is not { } id || !gradable)
        {
            return null;
        }

        var earlier = await evidence.Find(scope, id, cancel);
        if (earlier is not { Kind: EvidenceKind.Picture } || earlier.EndId != plan.EndId)
        {
            throw new ApiException(404, Refusal.Of("not-found", "besideId"));
        }

        using var before = Pictures.Grey(earlier.Bytes);
        using var now = Pictures.Grey(picture.Span);
        return FaceTurn.Between(before, now, EndFaces.ClassOf(plan.Mode, plan.Polish), umPerPx);
    }
}
