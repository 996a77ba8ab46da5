using System.Security.Claims;
using Microsoft.AspNetCore.Antiforgery;
using Microsoft.AspNetCore.Authentication;
using Microsoft.AspNetCore.Identity;
using Rhabdon.Core;
using Rhabdon.Core.Ledger;
using Rhabdon.Server.Web;
using Rhabdon.Store;

namespace Rhabdon.Server.Accounts;

/// <param name="Token">Goes into the header X-Rhabdon-Token of every write.</param>
/// <param name="NeedsSetup">True while there is no company yet.</param>
public sealed record Session(bool SignedIn, bool NeedsSetup, string Token, string? CompanyName, Person? Person);

public sealed record SignInRequest(string Login, string Password);

public sealed record SetupRequest(string CompanyName, string Name, string Login, string Password);

public sealed record NewCrew(string Name);

/// <param name="CrewId">Needed for installers and leads.</param>
public sealed record NewPerson(string Name, string Login, string Password, Role Role, CrewId? CrewId = null);

public sealed record NewPassword(string Password);

public sealed record Made(Guid Id);

public static class AccountEndpoints
{
    private const int MostFailures = 5;
    private const int LargestPage = 500;
    private static readonly Duration LockOut = Duration.FromMinutes(10);

    public static void MapAccounts(this RouteGroupBuilder api)
    {
        api.MapGet("/session", Current).AllowAnonymous().WithSummary("Who is signed in, and the token for writes.");
        api.MapPost("/session", Enter).AllowAnonymous().RequireRateLimiting(Setup.SignInLimit).WithSummary("Sign in.");
        api.MapDelete("/session", (Delegate)Leave).WithSummary("Sign out.");
        api.MapPost("/setup", SetUp).AllowAnonymous().RequireRateLimiting(Setup.SignInLimit).WithSummary("First run: make the company and its first office account.");
        api.MapGet("/crews", Crews).WithSummary("The company's crews.");
        api.MapPost("/crews", AddCrew).RequireAuthorization(Policies.Office).WithSummary("Add a crew.");
        api.MapGet("/people", List).RequireAuthorization(Policies.Plan).WithSummary("The company's people by name; role takes one role, find a part of a name.");
        api.MapPost("/people", AddPerson).RequireAuthorization(Policies.Office).WithSummary("Add a person.");
        api.MapPut("/people/{personId:guid}/password", SetPassword).RequireAuthorization(Policies.Office).WithSummary("Give a person a new password; ends their sessions.");
    }

    private static async Task<Session> Current(HttpContext http, IAntiforgery antiforgery, People people, CancellationToken cancel = default)
    {
        var token = antiforgery.GetAndStoreTokens(http).RequestToken!;
        if (http.User.Identity?.IsAuthenticated != true)
        {
            return new(false, !await people.AnyCompany(cancel), token, null, null);
        }

        var scope = http.User.Scope();
        return new(true, false, token, await people.CompanyName(scope.CompanyId, cancel), await people.Find(scope.CompanyId, scope.PersonId, cancel));
    }

    private static async Task Enter(SignInRequest request, HttpContext http, People people, IPasswordHasher<string> hasher, TimeProvider clock, CancellationToken cancel = default)
    {
        var now = clock.GetCurrentInstant();
        var found = await people.FindByLogin(request.Login.Trim(), cancel);
        if (found?.LockedUntil > now)
        {
            throw new ApiException(423, Refusal.Of("locked", "login", ("until", $"{found.LockedUntil:HH:mm}")));
        }

        // An unknown name takes as long as a wrong password, and gets the same answer.
        var right = hasher.VerifyHashedPassword("", found?.PasswordHash ?? Dummy.Value, request.Password) != PasswordVerificationResult.Failed;
        if (found is null || !right)
        {
            if (found is not null)
            {
                await people.CountFailure(found.CompanyId, found.PersonId, MostFailures, now + LockOut, cancel);
            }

            throw new ApiException(401, Refusal.Of("sign-in-failed", "password"));
        }

        await people.ClearFailures(found.CompanyId, found.PersonId, cancel);
        var signIn = await people.Enter(found.CompanyId, found.PersonId, now, SignIn.Lives, cancel);
        await http.SignInAsync(SignIn.Principal(found.CompanyId, signIn, found.PersonId, found.CrewId, found.Role, found.Name, found.SecurityStamp), new AuthenticationProperties { IsPersistent = true });
    }

    private static readonly Lazy<string> Dummy = new(() => new PasswordHasher<string>().HashPassword("", Guid.NewGuid().ToString()));

    private static async Task Leave(HttpContext http, People people, CancellationToken cancel = default)
    {
        await people.Leave(http.User.Scope().CompanyId, http.User.SignInId(), cancel);
        await http.SignOutAsync();
    }

    private static async Task SetUp(SetupRequest r, People people, IPasswordHasher<string> hasher, CancellationToken cancel = default)
    {
        if (!await people.SetUp(CompanyId.New(), r.CompanyName.Trim(), PersonId.New(), r.Name.Trim(), r.Login.Trim(), hasher.HashPassword("", r.Password), cancel: cancel))
        {
            throw new ApiException(409, Refusal.Of("already-set-up", "companyName"));
        }
    }

    private static async Task<IReadOnlyList<Crew>> Crews(ClaimsPrincipal user, People people, CancellationToken cancel) => await people.Crews(user.Scope().CompanyId, cancel);

    private static async Task<Made> AddCrew(NewCrew r, ClaimsPrincipal user, People people, CancellationToken cancel)
    {
        var id = CrewId.New();
        await people.AddCrew(user.Scope().CompanyId, id, r.Name.Trim(), cancel);
        return new(id.Value);
    }

    private static async Task<IReadOnlyList<Person>> List(ClaimsPrincipal user, CancellationToken cancel, People people, string? role = null, string? find = null, PersonId? after = null, int limit = 200) =>
        await people.List(user.Scope().CompanyId, QueryWords.Choice<Role>("role", role), find, after, Math.Clamp(limit, 1, LargestPage));

    private static async Task<Made> AddPerson(NewPerson r, ClaimsPrincipal user, People people, IPasswordHasher<string> hasher, CancellationToken cancel)
    {
        var scope = user.Scope();
        if (r.CrewId is { } crew && !await people.HasCrew(scope.CompanyId, crew, cancel))
        {
            throw new ApiException(400, Refusal.Of("crew-unknown", "crewId"));
        }

        var id = PersonId.New();
        await people.AddPerson(scope.CompanyId, id, r.CrewId, r.Name.Trim(), r.Login.Trim(), r.Role, hasher.HashPassword("", r.Password), cancel);
        return new(id.Value);
    }

    private static async Task SetPassword(PersonId personId, NewPassword r, ClaimsPrincipal user, People people, IPasswordHasher<string> hasher, CancellationToken cancel)
    {
        if (!await people.SetPassword(user.Scope().CompanyId, personId, hasher.HashPassword("", r.Password), cancel))
        {
            throw new ApiException(404, Refusal.Of("not-found", "personId"));
        }
    }
}
