using System.Security.Claims;
using Microsoft.AspNetCore.Identity;
using Rhabdon.Core;
using Rhabdon.Core.Ledger;
using Rhabdon.Server.Reach;
using Rhabdon.Server.Web;
using Rhabdon.Store;

namespace Rhabdon.Server.Accounts;

/// <param name="Compulsory">The company asks codes of your role.</param>
/// <param name="RecoveryLeft">Codes for a lost telephone that were not used yet.</param>
public sealed record CodeView(bool Active, bool Compulsory, Instant? Since, long RecoveryLeft);

/// <param name="Current">Your password.</param>
public sealed record CodeBegin(string Current);

/// <param name="Secret">To type into an authenticator.</param>
/// <param name="Address">The same as an otpauth address.</param>
/// <param name="Picture">The address as a code for its camera, in SVG.</param>
public sealed record CodeBegun(string Secret, string Address, string Picture);

/// <param name="Code">What the authenticator shows.</param>
public sealed record CodeConfirm(string Code);

/// <param name="Recovery">Each signs in once where the telephone is lost. Shown this once.</param>
public sealed record CodeConfirmed(IReadOnlyList<string> Recovery);

/// <param name="Roles">Who has to have codes.</param>
public sealed record CodeRoles(IReadOnlyList<Role> Roles);

/// <summary>One-time codes: one's own, and what the company asks.</summary>
public static class CodeEndpoints
{
    /// <summary>On a person who has to have codes and has none: they come to nothing else.</summary>
    public const string NeededClaim = "code-needed";

    public static void MapCodes(this RouteGroupBuilder api)
    {
        api.MapGet("/me/code", Own).RequireAuthorization(Policies.Person).WithSummary("Whether you sign in with one-time codes.");
        api.MapPost("/me/code", Begin).RequireAuthorization(Policies.Person).RequireRateLimiting(Setup.SignInLimit).WithSummary("Begin with one-time codes: a secret for your authenticator. It holds once you have given a code of it.");
        api.MapPut("/me/code", Confirm).RequireAuthorization(Policies.Person).RequireRateLimiting(Setup.SignInLimit).WithSummary("Confirm with a code. Answers the codes for a lost telephone, once.");
        api.MapPost("/me/code/off", Off).RequireAuthorization(Policies.Person).RequireRateLimiting(Setup.SignInLimit).WithSummary("Sign in without codes again, where the company does not ask them.");
        api.MapDelete("/people/{personId:guid}/code", OffFor).RequireAuthorization(Policies.Office).WithSummary("Let a person who lost their telephone sign in without codes, until they begin anew.");
        api.MapGet("/codes", Asked).RequireAuthorization(Policies.Office).WithSummary("Of which roles the company asks one-time codes.");
        api.MapPut("/codes", Ask).RequireAuthorization(Policies.Office).WithSummary("Ask one-time codes of these roles. Who has none comes to nothing but to making them.");
    }

    /// <summary>Who has to have codes first makes them.</summary>
    public static void UseCodesFirst(this WebApplication app) => app.Use(async (http, next) =>
    {
        var path = http.Request.Path;
        if (http.User.HasClaim(c => c.Type == NeededClaim) && path.StartsWithSegments("/api") && !path.StartsWithSegments("/api/session") && !path.StartsWithSegments("/api/me"))
        {
            await Problems.Write(http, 403, Refusal.Of("codes-first", "session"));
            return;
        }

        await next();
    });

    private static async Task<CodeView> Own(ClaimsPrincipal user, Codes codes, CancellationToken cancel)
    {
        var state = (await codes.Of(user.Scope().CompanyId, user.Scope().PersonId, cancel))!;
        return new(state.Secret is not null, state.Compulsory, state.Since, state.RecoveryLeft);
    }

    private static async Task<CodeBegun> Begin(CodeBegin r, HttpContext http, People people, SignIns signIns, OneTimeCodes oneTime, IPasswordHasher<string> hasher, TimeProvider clock, CancellationToken cancel)
    {
        var scope = http.User.Scope();
        await AccountEndpoints.CheckOwn(r.Current, scope, people, signIns, hasher, clock, cancel);
        var person = (await people.Find(scope.CompanyId, scope.PersonId, cancel))!;
        var (secret, address) = await oneTime.Begin(scope.CompanyId, scope.PersonId, person.Login, await people.CompanyName(scope.CompanyId, cancel), cancel);
        return new(secret, address, TrustPage.Code(address));
    }

    private static async Task<CodeConfirmed> Confirm(CodeConfirm r, ClaimsPrincipal user, OneTimeCodes oneTime, TimeProvider clock, CancellationToken cancel) =>
        await oneTime.Confirm(user.Scope().CompanyId, user.Scope().PersonId, r.Code, clock.GetCurrentInstant(), cancel) is { } recovery ? new(recovery) : throw new ApiException(422, Refusal.Of("code-wrong", "code"));

    private static async Task Off(CodeBegin r, ClaimsPrincipal user, People people, SignIns signIns, Codes codes, IPasswordHasher<string> hasher, TimeProvider clock, CancellationToken cancel)
    {
        var scope = user.Scope();
        await AccountEndpoints.CheckOwn(r.Current, scope, people, signIns, hasher, clock, cancel);
        if ((await codes.Of(scope.CompanyId, scope.PersonId, cancel))!.Compulsory)
        {
            throw new ApiException(422, Refusal.Of("codes-compulsory", "current"));
        }

        await codes.TurnOff(scope.CompanyId, scope.PersonId, cancel);
    }

    private static async Task OffFor(PersonId personId, ClaimsPrincipal user, People people, Codes codes, CancellationToken cancel)
    {
        await AccountEndpoints.Known(personId, user, people, cancel);
        await codes.TurnOff(user.Scope().CompanyId, personId, cancel);
    }

    private static async Task<CodeRoles> Asked(ClaimsPrincipal user, Codes codes, CancellationToken cancel) => new(await codes.CompulsoryFor(user.Scope().CompanyId, cancel));

    private static async Task<CodeRoles> Ask(CodeRoles r, ClaimsPrincipal user, Codes codes, CancellationToken cancel)
    {
        IReadOnlyList<Role> roles = [.. r.Roles.Distinct()];
        await codes.SetCompulsory(user.Scope().CompanyId, roles, cancel);
        return new(roles);
    }
}
