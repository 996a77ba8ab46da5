using System.Security.Claims;
using Microsoft.AspNetCore.Antiforgery;
using Microsoft.AspNetCore.Authentication;
using Microsoft.AspNetCore.Identity;
using Rhabdon.Core;
using Rhabdon.Core.Ledger;
using Rhabdon.Server.Ledger;
using Rhabdon.Server.Web;
using Rhabdon.Store;

namespace Rhabdon.Server.Accounts;

/// <param name="Token">Goes into the header X-Rhabdon-Token of every write.</param>
/// <param name="NeedsSetup">True while there is no company yet.</param>
/// <param name="CodeNeeded">Your company asks one-time codes of your role, and you have none yet: nothing else is to be had before.</param>
public sealed record Session(bool SignedIn, bool NeedsSetup, string Token, string? CompanyName, Person? Person, bool CodeNeeded = false);

/// <param name="Code">What the authenticator shows, or a code for a lost telephone; where one is asked.</param>
public sealed record SignInRequest(string Login, string Password, string? Code = null);

public sealed record SetupRequest(string CompanyName, string Name, string Login, string Password);

public sealed record NewCrew(string Name);

/// <param name="CrewId">Needed for installers and leads.</param>
public sealed record NewPerson(string Name, string Login, string Password, Role Role, CrewId? CrewId = null);

/// <summary>What a person is now called, may do, and belongs to.</summary>
/// <param name="CrewId">Needed for installers and leads.</param>
/// <param name="Disabled">They cannot sign in any more; their work stays in the records.</param>
/// <param name="Version">The state that was seen.</param>
public sealed record PersonFields(string Name, string Login, Role Role, bool Disabled, int Version, CrewId? CrewId = null);

public sealed record NewPassword(string Password);

/// <param name="Current">The password that is given up.</param>
public sealed record OwnPassword(string Current, string Password);

/// <param name="Here">The sign-in that asks.</param>
public sealed record SignInView(SignInId SignInId, Instant MadeAt, Instant SeenAt, string Device, string Address, bool Here);

public sealed record Made(Guid Id);

public static class AccountEndpoints
{
    private const int LargestPage = 500;

    public static void MapAccounts(this RouteGroupBuilder api)
    {
        api.MapGet("/session", Current).AllowAnonymous().WithSummary("Who is signed in, and the token for writes.");
        api.MapPost("/session", Enter).AllowAnonymous().RequireRateLimiting(Setup.SignInLimit).WithSummary("Sign in.");
        api.MapDelete("/session", (Delegate)Leave).RequireAuthorization(Policies.Person).WithSummary("Sign out.");
        api.MapPost("/setup", SetUp).AllowAnonymous().RequireRateLimiting(Setup.SignInLimit).WithSummary("First run: make the company and its first office account.");
        api.MapGet("/crews", Crews).RequireAuthorization(Policies.Work).WithSummary("The company's crews.");
        api.MapPost("/crews", AddCrew).RequireAuthorization(Policies.Office).WithSummary("Add a crew.");
        api.MapGet("/people", List).RequireAuthorization(Policies.Plan).WithSummary("The company's people by name; role takes one role, find a part of a name; those who left only where disabled=true.");
        api.MapPost("/people", AddPerson).RequireAuthorization(Policies.Office).WithSummary("Add a person.");
        api.MapPut("/people/{personId:guid}", Change).RequireAuthorization(Policies.Office).WithSummary("Rename a person, move them to another crew, give another role, disable them or take them back. Two who change one: the second gets a 409 with what is there now.").Produces<ApiProblem>(409);
        api.MapGet("/people/{personId:guid}/sign-ins", SignInsOf).RequireAuthorization(Policies.Office).WithSummary("Where a person is signed in.");
        api.MapDelete("/people/{personId:guid}/sign-ins", EndSignInsOf).RequireAuthorization(Policies.Office).WithSummary("End all sign-ins of a person.");
        api.MapGet("/audit", AuditOf).RequireAuthorization(Policies.Office).WithSummary("Who did what beside the ledger, newest first: sign-ins, people, plans, procedures, limits, exports, and what was refused to whom.")
            .WithDescription("what is an operation as this document names it, such as PUT /api/people/{personId}; refused takes only what was refused (true) or done (false); after is the last entry of the page before.");
        api.MapPut("/me/password", ChangeOwn).RequireAuthorization(Policies.Person).RequireRateLimiting(Setup.SignInLimit).WithSummary("Give yourself a new password; ends your other sign-ins.");
        api.MapGet("/me/sign-ins", OwnSignIns).RequireAuthorization(Policies.Person).WithSummary("Where you are signed in.");
        api.MapDelete("/me/sign-ins/{signInId:guid}", EndOwn).RequireAuthorization(Policies.Person).WithSummary("End one of your sign-ins.");
        api.MapDelete("/me/sign-ins", EndOthers).RequireAuthorization(Policies.Person).WithSummary("End all your sign-ins but this one.");
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
        return new(true, false, token, await people.CompanyName(scope.CompanyId, cancel), await people.Find(scope.CompanyId, scope.PersonId, cancel), http.User.HasClaim(c => c.Type == CodeEndpoints.NeededClaim));
    }

    private static async Task Enter(SignInRequest request, HttpContext http, People people, SignIns signIns, Codes codes, OneTimeCodes oneTime, Audit audit, IPasswordHasher<string> hasher, TimeProvider clock, CancellationToken cancel = default)
    {
        var now = clock.GetCurrentInstant();
        var found = await people.FindByLogin(request.Login.Trim(), cancel);
        var device = Device.Of(http);
        var known = found is not null && device is { } id && await signIns.Knows(found.CompanyId, found.PersonId, id, cancel);
        List<(string Key, int Free)> tried = [(SignIns.Tried(request.Login, known ? $"device {device}" : "any device"), SignIns.FreeOfName)];
        if (!known && Device.Address(http) is { Length: > 0 } address)
        {
            tried.Add((SignIns.Tried("", address), SignIns.FreeOfAddress));
        }

        await Wait(signIns, [.. tried.Select(t => t.Key)], "login", now, cancel);

        // An unknown name takes as long as a wrong password, and gets the same answer; so does one who has left.
        var right = hasher.VerifyHashedPassword("", found?.PasswordHash ?? Dummy.Value, request.Password) != PasswordVerificationResult.Failed;
        var allowed = found is { Disabled: false } && right;
        var secret = allowed ? (await codes.Of(found!.CompanyId, found.PersonId, cancel))!.Secret : null;
        if (secret is not null && string.IsNullOrWhiteSpace(request.Code))
        {
            throw new ApiException(401, Refusal.Of("code-needed", "code"));
        }

        var fits = secret is null || await oneTime.Fits(found!.CompanyId, found.PersonId, secret, request.Code!, now, cancel);
        if (!allowed || !fits)
        {
            foreach (var (key, free) in tried)
            {
                await signIns.CountFailure(key, free, now, cancel);
            }

            if (found is not null)
            {
                await AuditTrail.AddSignIn(audit, http, found, StatusCodes.Status401Unauthorized, now);
            }

            if (allowed)
            {
                throw new ApiException(401, Refusal.Of("code-wrong", "code"));
            }

            throw new ApiException(401, Refusal.Of("sign-in-failed", "password"));
        }

        await signIns.Clear([tried[0].Key], cancel);
        await Begin(http, signIns, found!, found!.SecurityStamp, device ?? Guid.NewGuid(), now, cancel);
        await AuditTrail.AddSignIn(audit, http, found!, StatusCodes.Status200OK, now);
    }

    private static async Task<IReadOnlyList<AuditEntry>> AuditOf(ClaimsPrincipal user, Audit audit, CancellationToken cancel,
        PersonId? personId = null, string? what = null, bool? refused = null, DateTimeOffset? from = null, DateTimeOffset? until = null, long? after = null, int limit = 100) =>
        await audit.List(user.Scope().CompanyId, personId, what, refused, At(from), At(until), after, Math.Clamp(limit, 1, LargestPage), cancel);

    private static Instant? At(DateTimeOffset? time) => time is { } t ? Instant.FromDateTimeOffset(t) : null;

    private static async Task Begin(HttpContext http, SignIns signIns, Credentials person, Guid stamp, Guid device, Instant now, CancellationToken cancel)
    {
        Device.Remember(http, device);
        var signIn = await signIns.Enter(person.CompanyId, person.PersonId, device, Device.Name(http), Device.Address(http), now, SignIn.Lives, cancel);
        await http.SignInAsync(SignIn.Principal(person.CompanyId, signIn, person.PersonId, person.CrewId, person.Role, person.Name, stamp), new AuthenticationProperties { IsPersistent = true });
    }

    /// <exception cref="ApiException">Too many wrong passwords: it is not time yet.</exception>
    private static async Task Wait(SignIns signIns, IReadOnlyList<string> tried, string field, Instant now, CancellationToken cancel)
    {
        if (await signIns.WaitUntil(tried, now, cancel) is { } until)
        {
            var seconds = (int)Math.Ceiling((until - now).TotalSeconds);
            throw new ApiException(429, Refusal.Of("wait", field, ("seconds", seconds))) { RetryAfterS = seconds };
        }
    }

    private static readonly Lazy<string> Dummy = new(() => new PasswordHasher<string>().HashPassword("", Guid.NewGuid().ToString()));

    private static async Task Leave(HttpContext http, SignIns signIns, CancellationToken cancel = default)
    {
        await signIns.End(http.User.Scope().CompanyId, http.User.Scope().PersonId, http.User.SignInId(), cancel);
        await http.SignOutAsync();
    }

    private static async Task ChangeOwn(OwnPassword r, HttpContext http, People people, SignIns signIns, IPasswordHasher<string> hasher, TimeProvider clock, CancellationToken cancel)
    {
        var (scope, now) = (http.User.Scope(), clock.GetCurrentInstant());
        var person = await CheckOwn(r.Current, scope, people, signIns, hasher, clock, cancel);
        Passwords.Check(r.Password, person.Name);
        var stamp = await people.SetPassword(scope.CompanyId, scope.PersonId, hasher.HashPassword("", r.Password), cancel);
        await Begin(http, signIns, person, stamp!.Value, Device.Of(http) ?? Guid.NewGuid(), now, cancel);
    }

    /// <summary>Asks for one's own password once more, before something that a borrowed tablet must not do. Guesses make wait.</summary>
    internal static async Task<Credentials> CheckOwn(string password, Scope scope, People people, SignIns signIns, IPasswordHasher<string> hasher, TimeProvider clock, CancellationToken cancel)
    {
        var now = clock.GetCurrentInstant();
        var person = await people.FindCredentials(scope.CompanyId, scope.PersonId, cancel) ?? throw new ApiException(404, Refusal.Of("not-found", "personId"));
        var tried = SignIns.Tried(scope.PersonId.ToString(), "own password");
        await Wait(signIns, [tried], "current", now, cancel);
        if (hasher.VerifyHashedPassword("", person.PasswordHash, password) == PasswordVerificationResult.Failed)
        {
            await signIns.CountFailure(tried, SignIns.FreeOfName, now, cancel);
            throw new ApiException(422, Refusal.Of("password-wrong", "current"));
        }

        await signIns.Clear([tried], cancel);
        return person;
    }

    private static async Task<IReadOnlyList<SignInView>> OwnSignIns(ClaimsPrincipal user, SignIns signIns, CancellationToken cancel) => Views(await signIns.Of(user.Scope().CompanyId, user.Scope().PersonId, cancel), user);

    private static async Task EndOwn(SignInId signInId, ClaimsPrincipal user, SignIns signIns, Watchers watchers, CancellationToken cancel)
    {
        if (!await signIns.End(user.Scope().CompanyId, user.Scope().PersonId, signInId, cancel))
        {
            throw new ApiException(404, Refusal.Of("not-found", "signInId"));
        }

        watchers.Cut(user.Scope().CompanyId, user.Scope().PersonId);
    }

    private static async Task EndOthers(ClaimsPrincipal user, SignIns signIns, Watchers watchers, CancellationToken cancel)
    {
        await signIns.EndAll(user.Scope().CompanyId, user.Scope().PersonId, user.SignInId(), cancel);
        watchers.Cut(user.Scope().CompanyId, user.Scope().PersonId);
    }

    private static async Task<IReadOnlyList<SignInView>> SignInsOf(PersonId personId, ClaimsPrincipal user, People people, SignIns signIns, CancellationToken cancel)
    {
        await Known(personId, user, people, cancel);
        return Views(await signIns.Of(user.Scope().CompanyId, personId, cancel), user);
    }

    private static async Task EndSignInsOf(PersonId personId, ClaimsPrincipal user, People people, SignIns signIns, Watchers watchers, CancellationToken cancel)
    {
        await Known(personId, user, people, cancel);
        await signIns.EndAll(user.Scope().CompanyId, personId, null, cancel);
        watchers.Cut(user.Scope().CompanyId, personId);
    }

    internal static async Task<Person> Known(PersonId personId, ClaimsPrincipal user, People people, CancellationToken cancel) =>
        await people.Find(user.Scope().CompanyId, personId, cancel) ?? throw new ApiException(404, Refusal.Of("not-found", "personId"));

    private static IReadOnlyList<SignInView> Views(IReadOnlyList<SignedIn> list, ClaimsPrincipal user) =>
        [.. list.Select(s => new SignInView(s.SignInId, s.MadeAt, s.SeenAt, s.Device, s.Address, s.SignInId == user.SignInId()))];

    private static async Task SetUp(SetupRequest r, People people, IPasswordHasher<string> hasher, CancellationToken cancel = default)
    {
        Passwords.Check(r.Password, r.Name, r.Login, r.CompanyName);
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

    private static async Task<IReadOnlyList<Person>> List(ClaimsPrincipal user, CancellationToken cancel, People people, string? role = null, string? find = null, PersonId? after = null, int limit = 200, bool disabled = false) =>
        await people.List(user.Scope().CompanyId, QueryWords.Choice<Role>("role", role), find, after, Math.Clamp(limit, 1, LargestPage), disabled, cancel);

    private static async Task<Made> AddPerson(NewPerson r, ClaimsPrincipal user, People people, IPasswordHasher<string> hasher, CancellationToken cancel)
    {
        var scope = user.Scope();
        await KnownCrew(r.CrewId, scope, people, cancel);
        Passwords.Check(r.Password, r.Name, r.Login);
        var id = PersonId.New();
        await people.AddPerson(scope.CompanyId, id, r.CrewId, r.Name.Trim(), r.Login.Trim(), r.Role, hasher.HashPassword("", r.Password), cancel);
        return new(id.Value);
    }

    private static async Task KnownCrew(CrewId? crewId, Scope scope, People people, CancellationToken cancel)
    {
        if (crewId is { } crew && !await people.HasCrew(scope.CompanyId, crew, cancel))
        {
            throw new ApiException(400, Refusal.Of("crew-unknown", "crewId"));
        }
    }

    private static async Task<Person> Change(PersonId personId, PersonFields r, ClaimsPrincipal user, People people, Watchers watchers, TimeProvider clock, CancellationToken cancel)
    {
        var scope = user.Scope();
        await Known(personId, user, people, cancel);
        await KnownCrew(r.CrewId, scope, people, cancel);
        var change = await people.Change(scope.CompanyId, new(personId, r.Name.Trim(), r.Login.Trim(), r.Role, r.CrewId, null, r.Disabled, r.Version), clock.GetCurrentInstant(), cancel);
        var now = await people.Find(scope.CompanyId, personId, cancel);
        watchers.Cut(scope.CompanyId, personId);
        return change switch
        {
            PersonChange.LastOffice => throw new ApiException(409, Refusal.Of("last-office", r.Disabled ? "disabled" : "role")),
            PersonChange.Other => throw new ApiException(409, Refusal.Of("changed-meanwhile", "version", ("what", "person"))) { Current = now },
            _ => now!,
        };
    }

    private static async Task SetPassword(PersonId personId, NewPassword r, ClaimsPrincipal user, People people, Watchers watchers, IPasswordHasher<string> hasher, CancellationToken cancel)
    {
        var person = await Known(personId, user, people, cancel);
        Passwords.Check(r.Password, person.Name, person.Login);
        await people.SetPassword(user.Scope().CompanyId, personId, hasher.HashPassword("", r.Password), cancel);
        watchers.Cut(user.Scope().CompanyId, personId);
    }
}
