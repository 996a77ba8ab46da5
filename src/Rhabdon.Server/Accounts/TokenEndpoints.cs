using System.Security.Claims;
using Rhabdon.Core;
using Rhabdon.Core.Ledger;
using Rhabdon.Server.Web;
using Rhabdon.Store;

namespace Rhabdon.Server.Accounts;

/// <param name="Role">viewer reads the jobs that are named; installer and lead record as one of a crew.</param>
/// <param name="CrewId">Of an installer or lead.</param>
/// <param name="JobIds">Of a viewer: the jobs that it reads.</param>
public sealed record NewToken(string Name, Role Role, CrewId? CrewId = null, IReadOnlyList<JobId>? JobIds = null);

/// <param name="Token">What a script sends: shown this once.</param>
public sealed record TokenMade(PersonId TokenId, string Token);

/// <summary>Tokens for scripts, kept by the office.</summary>
public static class TokenEndpoints
{
    public static void MapTokens(this RouteGroupBuilder api)
    {
        api.MapGet("/tokens", List).RequireAuthorization(Policies.Office).WithSummary("Tokens for scripts, with what each may and when it was last seen.");
        api.MapPost("/tokens", Make).RequireAuthorization(Policies.Office).WithSummary("Make a token for a script: a viewer reads the jobs that are named, an installer or lead records as one of a crew. It is shown once.")
            .WithDescription("Sent as Authorization: Bearer … with each request; a write needs no X-Rhabdon-Token then.");
        api.MapDelete("/tokens/{tokenId:guid}", Revoke).RequireAuthorization(Policies.Office).WithSummary("Revoke a token: it holds no more, from the next request on.");
    }

    private static async Task<IReadOnlyList<Token>> List(ClaimsPrincipal user, Tokens tokens, CancellationToken cancel) => await tokens.List(user.Scope().CompanyId, cancel);

    private static async Task<TokenMade> Make(NewToken r, ClaimsPrincipal user, Tokens tokens, People people, Store.Jobs jobs, TimeProvider clock, CancellationToken cancel)
    {
        var scope = user.Scope();
        if (r.CrewId is { } crew && !await people.HasCrew(scope.CompanyId, crew, cancel))
        {
            throw new ApiException(400, Refusal.Of("crew-unknown", "crewId"));
        }

        foreach (var jobId in r.JobIds ?? [])
        {
            if (await jobs.Find(scope, jobId, cancel) is null)
            {
                throw new ApiException(400, Refusal.Of("job-unknown", "jobIds"));
            }
        }

        var (id, secret) = await tokens.Make(scope.CompanyId, scope.PersonId, r.Name.Trim(), r.Role, r.CrewId, [.. (r.JobIds ?? []).Distinct()], clock.GetCurrentInstant(), cancel);
        return new(id, secret);
    }

    private static async Task Revoke(PersonId tokenId, ClaimsPrincipal user, Tokens tokens, TimeProvider clock, CancellationToken cancel)
    {
        if (!await tokens.Revoke(user.Scope().CompanyId, tokenId, clock.GetCurrentInstant(), cancel))
        {
            throw new ApiException(404, Refusal.Of("not-found", "tokenId"));
        }
    }
}
