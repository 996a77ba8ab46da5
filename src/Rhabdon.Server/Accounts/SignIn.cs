using System.Security.Claims;
using Microsoft.AspNetCore.Authentication.Cookies;
using Microsoft.AspNetCore.Authorization;
using Rhabdon.Core;
using Rhabdon.Server.Web;
using Rhabdon.Store;

namespace Rhabdon.Server.Accounts;

/// <summary>The sign-in cookie, and who it says is asking.</summary>
public static class SignIn
{
    private const string CompanyClaim = "company";
    private const string CrewClaim = "crew";
    private const string StampClaim = "stamp";

    public static AuthorizationPolicy SignedIn { get; } = new AuthorizationPolicyBuilder().RequireAuthenticatedUser().Build();

    public static void ConfigureCookie(CookieAuthenticationOptions o)
    {
        o.Cookie.Name = "rhabdon";
        o.Cookie.HttpOnly = true;
        o.Cookie.SameSite = SameSiteMode.Strict;
        o.ExpireTimeSpan = TimeSpan.FromDays(14);
        o.SlidingExpiration = true;
        o.Events.OnRedirectToLogin = c => Problems.Write(c.HttpContext, 401, new Refusal("not-signed-in", "session", "Sign in first."));
        o.Events.OnRedirectToAccessDenied = c => Problems.Write(c.HttpContext, 403, new Refusal("not-allowed", "session", "Your role does not allow this."));
        o.Events.OnValidatePrincipal = async c =>
        {
            // Role and crew are read fresh, so that a change takes hold at once and a new password ends old sessions.
            var people = c.HttpContext.RequestServices.GetRequiredService<People>();
            var p = c.Principal!;
            var person = await people.Current(Guid.Parse(p.FindFirstValue(CompanyClaim)!), Guid.Parse(p.FindFirstValue(ClaimTypes.NameIdentifier)!), Guid.Parse(p.FindFirstValue(StampClaim)!));
            if (person is null)
            {
                c.RejectPrincipal();
                return;
            }

            c.ReplacePrincipal(Principal(Guid.Parse(p.FindFirstValue(CompanyClaim)!), person.PersonId, person.CrewId, person.Role, person.Name, Guid.Parse(p.FindFirstValue(StampClaim)!)));
        };
    }

    public static ClaimsPrincipal Principal(Guid companyId, Guid personId, Guid? crewId, Role role, string name, Guid stamp)
    {
        List<Claim> claims =
        [
            new(ClaimTypes.NameIdentifier, personId.ToString()), new(ClaimTypes.Name, name), new(ClaimTypes.Role, role.ToString()),
            new(CompanyClaim, companyId.ToString()), new(StampClaim, stamp.ToString()),
        ];
        if (crewId is { } crew)
        {
            claims.Add(new(CrewClaim, crew.ToString()));
        }

        return new(new ClaimsIdentity(claims, CookieAuthenticationDefaults.AuthenticationScheme));
    }

    /// <summary>Whose eyes this request looks through.</summary>
    public static Scope Scope(this ClaimsPrincipal user) => new(
        Guid.Parse(user.FindFirstValue(CompanyClaim)!),
        Guid.Parse(user.FindFirstValue(ClaimTypes.NameIdentifier)!),
        Enum.Parse<Role>(user.FindFirstValue(ClaimTypes.Role)!),
        user.FindFirstValue(CrewClaim) is { } crew ? Guid.Parse(crew) : null);
}
