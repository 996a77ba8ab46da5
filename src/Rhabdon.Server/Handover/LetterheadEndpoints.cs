using System.Security.Claims;
using Rhabdon.Core;
using Rhabdon.Imaging;
using Rhabdon.Server.Accounts;
using Rhabdon.Server.Web;
using Rhabdon.Store;

namespace Rhabdon.Server.Handover;

/// <param name="Foot">What stands below each page, at most 160 characters.</param>
public sealed record LetterheadFoot(string Foot);

/// <param name="HasMark">There is a picture at /letterhead/mark.</param>
public sealed record LetterheadView(string Company, string Foot, bool HasMark);

/// <summary>How a company looks on its papers.</summary>
public static class LetterheadEndpoints
{
    private const long LargestMark = 4 * 1024 * 1024;

    public static void MapLetterhead(this RouteGroupBuilder api)
    {
        api.MapGet("/letterhead", Find).RequireAuthorization(Policies.Plan).WithSummary("How the company looks on its papers.");
        api.MapPut("/letterhead", SetFoot).RequireAuthorization(Policies.Office).WithSummary("What stands below each page.");
        api.MapGet("/letterhead/mark", Mark).RequireAuthorization(Policies.Plan).WithSummary("The company's picture, as PNG.").Produces(200, contentType: "image/png");
        api.MapPut("/letterhead/mark", SetMark).RequireAuthorization(Policies.Office).WithSummary("The company's picture: PNG or JPEG, at most 4 MB. It is kept as a picture alone, with nothing else of the file.").TakesFile();
        api.MapDelete("/letterhead/mark", DropMark).RequireAuthorization(Policies.Office).WithSummary("Take the company's picture away.");
    }

    private static async Task<LetterheadView> Find(ClaimsPrincipal user, Letterheads letterheads, People people, CancellationToken cancel)
    {
        var (company, head) = (user.Scope().CompanyId, await letterheads.Of(user.Scope().CompanyId, cancel));
        return new(await people.CompanyName(company, cancel), head.Foot, head.Mark is not null);
    }

    private static async Task<LetterheadView> SetFoot(LetterheadFoot r, ClaimsPrincipal user, Letterheads letterheads, People people, TimeProvider clock, CancellationToken cancel)
    {
        await letterheads.SetFoot(user.Scope().CompanyId, r.Foot.Trim(), user.Scope().PersonId, clock.GetCurrentInstant(), cancel);
        return await Find(user, letterheads, people, cancel);
    }

    private static async Task<IResult> Mark(ClaimsPrincipal user, Letterheads letterheads, CancellationToken cancel) =>
        (await letterheads.Of(user.Scope().CompanyId, cancel)).Mark is { } mark ? Results.Bytes(mark, "image/png") : throw new ApiException(404, Refusal.Of("not-found", "mark"));

    private static async Task<LetterheadView> SetMark(HttpRequest request, ClaimsPrincipal user, Letterheads letterheads, People people, TimeProvider clock, CancellationToken cancel)
    {
        var mark = await Uploads.Take(request, "mark", LargestMark, bytes => Task.FromResult(CompanyMark.Png(bytes.Span)));
        await letterheads.SetMark(user.Scope().CompanyId, mark, user.Scope().PersonId, clock.GetCurrentInstant(), cancel);
        return await Find(user, letterheads, people, cancel);
    }

    private static async Task<LetterheadView> DropMark(ClaimsPrincipal user, Letterheads letterheads, People people, TimeProvider clock, CancellationToken cancel)
    {
        await letterheads.SetMark(user.Scope().CompanyId, null, user.Scope().PersonId, clock.GetCurrentInstant(), cancel);
        return await Find(user, letterheads, people, cancel);
    }
}
