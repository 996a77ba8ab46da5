using System.Security.Claims;
using System.Text.Encodings.Web;
using Microsoft.AspNetCore.Authentication;
using Microsoft.Extensions.Options;
using Rhabdon.Core;
using Rhabdon.Core.Ledger;
using Rhabdon.Server.Web;
using Rhabdon.Store;

namespace Rhabdon.Server.Accounts;

/// <summary>Scripts sign each request with <c>Authorization: Bearer rhabdon_…</c>. No browser sends that by itself, so a write by token needs no form token beside it.</summary>
internal sealed class TokenSignIn(IOptionsMonitor<AuthenticationSchemeOptions> options, ILoggerFactory log, UrlEncoder encoder, Tokens tokens, TimeProvider clock)
    : AuthenticationHandler<AuthenticationSchemeOptions>(options, log, encoder)
{
    public const string Name = "token";

    /// <summary>The jobs that a script which records is held to.</summary>
    public const string JobsClaim = "rhabdon:jobs";

    private const string Bearer = "Bearer ";

    public static bool Asks(HttpRequest request) => request.Headers.Authorization.ToString().StartsWith(Bearer, StringComparison.OrdinalIgnoreCase);

    public static bool Is(ClaimsPrincipal user) => user.Identity?.AuthenticationType == Name;

    protected override async Task<AuthenticateResult> HandleAuthenticateAsync()
    {
        var secret = Request.Headers.Authorization.ToString()[Bearer.Length..].Trim();
        if (!secret.StartsWith(Tokens.Prefix, StringComparison.Ordinal) || await tokens.Find(secret, clock.GetCurrentInstant(), Context.RequestAborted) is not { } who)
        {
            return AuthenticateResult.Fail("unknown");
        }

        var principal = SignIn.Principal(who.Who.CompanyId, null, who.Who.PersonId, who.Who.CrewId, who.Who.Role, who.Who.Name, who.Who.SecurityStamp);
        if (who.Who.Role != Role.Viewer && who.Jobs.Count > 0)
        {
            ((ClaimsIdentity)principal.Identity!).AddClaim(new(JobsClaim, string.Join(' ', who.Jobs)));
        }

        return AuthenticateResult.Success(new(principal, Name));
    }

    protected override Task HandleChallengeAsync(AuthenticationProperties properties) => Problems.Write(Context, 401, Refusal.Of("token-unknown", "Authorization"));

    protected override Task HandleForbiddenAsync(AuthenticationProperties properties) => Problems.Write(Context, 403, Refusal.Of("token-not-allowed", "Authorization"));
}
