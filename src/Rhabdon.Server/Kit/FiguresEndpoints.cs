using System.Security.Claims;
using Rhabdon.Core;
using Rhabdon.Core.Kit;
using Rhabdon.Server.Accounts;
using Rhabdon.Server.Web;
using Rhabdon.Store;

namespace Rhabdon.Server.Kit;

/// <param name="Version">Of the figures as you saw them; 0 where the usual ones hold.</param>
public sealed record FiguresChange(int Version, CompanyFigures Figures);

/// <param name="Usual">What is assumed where nobody said otherwise.</param>
public sealed record FiguresAnswer(int Version, CompanyFigures Figures, CompanyFigures Usual);

/// <summary>What a company pays, and how long things take it.</summary>
public static class FiguresEndpoints
{
    public static void MapFigures(this RouteGroupBuilder api)
    {
        api.MapGet("/company/figures", Read).RequireAuthorization(Policies.Work)
            .WithSummary("Prices, packs, times and adhesive as your company has them; version 0: nobody has set any, and what is usual holds, all of it assumptions.");
        api.MapPut("/company/figures", Change).RequireAuthorization(Policies.Office)
            .WithSummary("Set your company's prices, packs, times and adhesive. Where they have changed since the version that you saw, nothing is done: 409, with what is there now beside your change.").Produces<ApiProblem>(409)
            .WithDescription("Prices in any one currency, minutes, millilitres, decibels, shares 0 to 1.");
    }

    private static async Task<FiguresAnswer> Read(ClaimsPrincipal user, Kits kits, CancellationToken cancel) => Of(await kits.Figures(user.Scope().CompanyId, cancel));

    private static async Task<FiguresAnswer> Change(FiguresChange r, ClaimsPrincipal user, Kits kits, TimeProvider clock, CancellationToken cancel)
    {
        r.Figures.Check();
        var scope = user.Scope();
        var saved = await kits.Save(scope.CompanyId, scope.PersonId, r.Figures, r.Version, clock.GetCurrentInstant(), cancel);
        var now = Of(await kits.Figures(scope.CompanyId, cancel));
        return saved ? now : throw new ApiException(409, Refusal.Of("changed-meanwhile", "version", ("what", "figures"))) { Current = now };
    }

    private static FiguresAnswer Of(SavedFigures saved) => new(saved.Version, saved.Figures, CompanyFigures.Usual);
}
