using System.Security.Claims;
using Rhabdon.Core;
using Rhabdon.Core.Connectors;
using Rhabdon.Core.Inspection;
using Rhabdon.Imaging;
using Rhabdon.Server.Accounts;
using Rhabdon.Server.Web;
using Rhabdon.Store;

namespace Rhabdon.Server.Inspection;

/// <summary>A cleave from the side, judged.</summary>
/// <param name="Verdict">Null when it cannot be judged.</param>
public sealed record CleaveAnswer(bool Gradable, NotGradable? Reason, string? ReasonText, double? UmPerPx, CleaveView? View, CleaveVerdict? Verdict);

/// <param name="PictureId">Under which the picture is kept.</param>
public sealed record CleaveTaken(EvidenceId PictureId, CleaveAnswer Answer);

/// <summary>Two photos of the red light, compared.</summary>
/// <param name="AfterId">Under which the second photo is kept; null where none is.</param>
/// <param name="Ratio">Light after as a share of before; null where there was none before.</param>
/// <param name="Says">What that share comes to; null when the photos cannot be compared.</param>
/// <param name="Doubt">Why they cannot be compared.</param>
public sealed record LightAnswer(EvidenceId? AfterId, Glow Glow, double? Ratio, LightSeen? Says, LightDoubt? Doubt);

/// <summary>Pictures taken at the bench: a cleave from the side, the red light before and after seating.</summary>
public static class BenchPictureEndpoints
{
    public static void MapBenchPictures(this RouteGroupBuilder api)
    {
        api.MapPost("/calc/cleave", Cleave).TakesFile()
            .WithSummary("Read and judge the side view of a cleave; the fiber may come in from any side.")
            .WithDescription("Body: the bytes of a PNG, JPEG, BMP or TIFF. Query: method and polish, which choose the rule; or nominalDeg and toleranceDeg of your own. Angles in degrees against a square cut, sizes in micrometres.");
        api.MapPost("/ends/{endId:guid}/cleaves", TakeCleave).TakesFile().RequireAuthorization(Policies.Work)
            .WithSummary("Keep the side view of a cleave of this end, and judge it by the connector's rule. Saying what was seen is an event of its own.");
        api.MapPost("/calc/red-light", CompareLight).TakesForm("before", "after")
            .WithSummary("Compare the red light in two photos, before and after seating.")
            .WithDescription("Body: a form with the files before and after. Query: x0, y0, x1, y1, the window as shares of the picture from its top left corner. Levels are light, 0 to 1, with the surroundings taken off.");
        api.MapPost("/ends/{endId:guid}/red-light", TakeLight).TakesFile().RequireAuthorization(Policies.Work)
            .WithSummary("Keep the second photo of this end's red light, after seating, and compare it with the first. Saying what was seen is an event of its own.")
            .WithDescription("Body: the bytes of the second photo. Query: beforeId, the first photo, kept of this end; id, which the device gives to the second; x0, y0, x1, y1, the window as shares of the picture from its top left corner. What is read here stays with the photo and is what an event that names both is judged by.");
        api.MapPost("/calc/simulate/cleave", (CleaveScene scene) => Results.Bytes(CleaveReader.Png(scene), "image/png")).WithSummary("The picture of a simulated cleave.").Produces(200, contentType: "image/png");
    }

    private static async Task<CleaveAnswer> Cleave(HttpRequest request, string? method = null, string? polish = null, double? nominalDeg = null, double? toleranceDeg = null)
    {
        var rule = CleaveRuleOf(Named(method, "method", TerminationMethod.SpliceOn), Named(polish, "polish", Polish.UPC), nominalDeg, toleranceDeg);
        return await Uploads.Take(request, "image", Uploads.LargestPicture, picture => Task.FromResult(ReadCleave(picture.Span, rule)));
    }

    private static CleaveRule CleaveRuleOf(TerminationMethod method, Polish polish, double? nominalDeg, double? toleranceDeg)
    {
        var rule = Cleaves.RuleFor(method, polish);
        if (nominalDeg is not (null or (>= 0 and <= 20)) || toleranceDeg is not (null or (> 0 and <= 10)))
        {
            throw new RefusedException(Refusal.Of("out-of-range", nominalDeg is not (null or (>= 0 and <= 20)) ? "nominalDeg" : "toleranceDeg"));
        }

        return nominalDeg is null && toleranceDeg is null ? rule
            : rule with { NominalDeg = nominalDeg ?? rule.NominalDeg, ToleranceDeg = toleranceDeg ?? rule.ToleranceDeg, Source = "as asked" };
    }

    private static CleaveAnswer ReadCleave(ReadOnlySpan<byte> picture, CleaveRule rule)
    {
        using var grey = Pictures.Grey(picture);
        var r = CleaveReader.Read(grey);
        return r.View is null
            ? new(false, r.Reason, r.Reason == NotGradable.OutsideFrame ? "The end of the fiber is not in the frame." : "No fiber that ends in the picture is to be found.", null, null, null)
            : new(true, null, null, r.UmPerPx, r.View, Cleaves.Judge(r.View, rule));
    }

    private static async Task<CleaveTaken> TakeCleave(
        EndId endId, HttpRequest request, ClaimsPrincipal user, Store.Records records, PictureKeeping keeping, double? nominalDeg = null, double? toleranceDeg = null, EvidenceId? id = null)
    {
        var plan = await PictureKeeping.Seen(endId, user, records);
        var rule = CleaveRuleOf(plan.Method, plan.Polish, nominalDeg, toleranceDeg);
        return await Uploads.Take(request, "image", Uploads.LargestPicture, async picture =>
        {
            var answer = ReadCleave(picture.Span, rule);
            return new CleaveTaken(await keeping.Keep(Holder.OfEnd(endId), user, picture, id, answer.View is { } view ? new(null, Cleave: view) : null, cancel: request.HttpContext.RequestAborted), answer);
        });
    }

    private static Task<LightAnswer> CompareLight(HttpRequest request, ClaimsPrincipal user, Methods methods, double x0, double y0, double x1, double y1) =>
        Uploads.TakeForm(request, ["before", "after"], Uploads.LargestPicture, async files =>
        {
            var limits = (await methods.Rules(user.Scope(), request.HttpContext.RequestAborted)).LightInForce;
            return Compared(files[0].Span, files[1].Span, new(x0, y0, x1, y1), limits);
        });

    private static async Task<LightAnswer> TakeLight(
        EndId endId, HttpRequest request, ClaimsPrincipal user, Store.Records records, EvidenceStore evidence, PictureKeeping keeping, Methods methods,
        EvidenceId beforeId, double x0, double y0, double x1, double y1, EvidenceId? id = null)
    {
        var cancel = request.HttpContext.RequestAborted;
        _ = await PictureKeeping.Seen(endId, user, records, cancel);
        var limits = (await methods.Rules(user.Scope(), cancel)).LightInForce;
        return await Uploads.Take(request, "image", Uploads.LargestPicture, async after =>
        {
            if (await evidence.Find(user.Scope(), beforeId, cancel) is not { Kind: EvidenceKind.Picture } before || before.EndId != endId)
            {
                throw new RefusedException(Refusal.Of("photo-before-unknown", "beforeId"));
            }

            var window = new LightWindow(x0, y0, x1, y1);
            var answer = Compared(before.Bytes, after.Span, window, limits);
            return answer with { AfterId = await keeping.Keep(Holder.OfEnd(endId), user, after, id, new(null, new(beforeId, window, answer.Glow)), cancel: cancel) };
        });
    }

    private static LightAnswer Compared(ReadOnlySpan<byte> before, ReadOnlySpan<byte> after, LightWindow window, LightLimitSet limits)
    {
        var glow = RedLight.Compare(before, after, window);
        var (ratio, says, doubt) = RedLights.Compare(glow, limits);
        return new(null, glow, ratio, says, doubt);
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
}
