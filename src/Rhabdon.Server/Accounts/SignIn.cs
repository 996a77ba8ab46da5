using System.Security.Claims;
using Microsoft.AspNetCore.Authentication.Cookies;
using Microsoft.AspNetCore.Authorization;
using Rhabdon.Core;
using Rhabdon.Core.Ledger;
using Rhabdon.Server.Reach;
using Rhabdon.Server.Web;
using Rhabdon.Store;

namespace Rhabdon.Server.Accounts;

/// <summary>The sign-in cookie, and who it says is asking.</summary>
public static class SignIn
{
    private const string CompanyClaim = "company";
    private const string CrewClaim = "crew";
    private const string StampClaim = "stamp";
    internal const string SignInClaim = "sign-in";

    /// <summary>How long a sign-in lives that nobody uses.</summary>
    public static readonly TimeSpan Lives = TimeSpan.FromDays(14);

    public static AuthorizationPolicy SignedIn { get; } = new AuthorizationPolicyBuilder().RequireAuthenticatedUser().Build();

    /// <summary>Where all comes over HTTPS, a cookie goes nowhere else.</summary>
    public static CookieSecurePolicy Secure(Settings settings) => settings.Secure ? CookieSecurePolicy.Always : CookieSecurePolicy.SameAsRequest;

    public static void ConfigureCookie(CookieAuthenticationOptions o, Settings settings)
    {
        o.Cookie.SecurePolicy = Secure(settings);
        o.Cookie.Name = "rhabdon";
        o.Cookie.HttpOnly = true;
        o.Cookie.SameSite = SameSiteMode.Strict;
        o.ExpireTimeSpan = Lives;
        o.SlidingExpiration = true;
        o.Events.OnRedirectToLogin = c => Problems.Write(c.HttpContext, 401, new Refusal("not-signed-in", "session", "Sign in first."));
        o.Events.OnRedirectToAccessDenied = c => Problems.Write(c.HttpContext, 403, new Refusal("not-allowed", "session", "Your role does not allow this."));
        o.Events.OnValidatePrincipal = async c =>
        {
            // Role and crew are read fresh, so that a change takes hold at once and a new password ends old sessions.
            var people = c.HttpContext.RequestServices.GetRequiredService<People>();
            var clock = c.HttpContext.RequestServices.GetRequiredService<TimeProvider>();
            var p = c.Principal!;
            // A cookie from before sign-ins were kept at the server has none, and ends here.
            var signIn = Core.Id<Core.Ids.SignIn>.TryParse(p.FindFirstValue(SignInClaim), null, out var id) ? id : default;
            var (company, stamp) = (CompanyId.Parse(p.FindFirstValue(CompanyClaim)!), Guid.Parse(p.FindFirstValue(StampClaim)!));
            var person = await people.Current(company, signIn, stamp, clock.GetCurrentInstant());
            if (person is null)
            {
                c.RejectPrincipal();
                return;
            }

            var current = Principal(company, signIn, person.PersonId, person.CrewId, person.Role, person.Name, stamp);
            if (person.CodeNeeded)
            {
                ((ClaimsIdentity)current.Identity!).AddClaim(new(CodeEndpoints.NeededClaim, "true"));
            }

            c.ReplacePrincipal(current);
        };
    }

    public static ClaimsPrincipal Principal(CompanyId companyId, SignInId? signInId, PersonId personId, CrewId? crewId, Role role, string name, Guid stamp)
    {
        List<Claim> claims =
        [
            new(ClaimTypes.NameIdentifier, personId.ToString()), new(ClaimTypes.Name, name), new(ClaimTypes.Role, role.ToString()),
            new(CompanyClaim, companyId.ToString()), new(StampClaim, stamp.ToString()),
        ];
        if (signInId is { } id)
        {
            claims.Add(new(SignInClaim, id.ToString()));
        }

        if (crewId is { } crew)
        {
            claims.Add(new(CrewClaim, crew.ToString()));
        }

        return new(new ClaimsIdentity(claims, signInId is null ? TokenSignIn.Name : CookieAuthenticationDefaults.AuthenticationScheme));
    }

    public static SignInId SignInId(this ClaimsPrincipal user) => Core.Id<Core.Ids.SignIn>.Parse(user.FindFirstValue(SignInClaim)!);

    /// <summary>Whose eyes this request looks through.</summary>
    public static Scope Scope(this ClaimsPrincipal user) => new(
        CompanyId.Parse(user.FindFirstValue(CompanyClaim)!),
        PersonId.Parse(user.FindFirstValue(ClaimTypes.NameIdentifier)!),
        Enum.Parse<Role>(user.FindFirstValue(ClaimTypes.Role)!),
        user.FindFirstValue(CrewClaim) is { } crew ? CrewId.Parse(crew) : null,
        user.FindFirstValue(TokenSignIn.JobsClaim) is { } jobs ? [.. jobs.Split(' ').Select(JobId.Parse)] : null);
}
