using System.Security.Claims;
using System.Text.Json;
using Microsoft.AspNetCore.SignalR;
using Rhabdon.Server.Accounts;
using Rhabdon.Server.Web;
using Rhabdon.Store;

namespace Rhabdon.Server.Ledger;

public static class LedgerEndpoints
{
    private const int MostEvents = 500;
    private const int LargestPage = 200;

    public static void MapLedger(this RouteGroupBuilder api)
    {
        api.MapPost("/ledger", Append).RequireAuthorization(Policies.Work)
            .WithSummary("Take in up to 500 events. Each is stored, known already, or quarantined with the reason.")
            .WithDescription("An event: id (UUIDv7), endId, attempt, kind, at, deviceId, deviceSeq, actorId, body. Sending one again is harmless. Events of one device are taken in by deviceSeq.");
        api.MapGet("/quarantine", List).RequireAuthorization(Policies.Plan).WithSummary("Events that the rules refused, newest first.");
        api.MapPost("/quarantine/{quarantineId:guid}/retry", Retry).RequireAuthorization(Policies.Plan)
            .WithSummary("Take a quarantined event in again; the lead vouches for it where it was sent under another's sign-in.");
        api.MapPost("/quarantine/{quarantineId:guid}/set-aside", SetAside).RequireAuthorization(Policies.Plan).WithSummary("Close a quarantined event without taking it in. It is kept.");
    }

    private static async Task<IntakeResult> Append(IReadOnlyList<JsonElement> events, ClaimsPrincipal user, LedgerStore ledger, IHubContext<Live> live, TimeProvider clock)
    {
        new Input().Require(events.Count is >= 1 and <= MostEvents, "events-count", "events", $"Send 1 to {MostEvents} events at a time.").ThrowIfBad();
        var result = await ledger.Append(user.Scope(), [.. events.Select(Incoming.Read)], clock.GetUtcNow().UtcDateTime);
        await Live.Tell(live, result);
        return result;
    }

    private static async Task<IReadOnlyList<Quarantined>> List(ClaimsPrincipal user, LedgerStore ledger, Guid? after = null, int limit = 50) =>
        await ledger.Quarantine(user.Scope().CompanyId, after, Math.Clamp(limit, 1, LargestPage));

    private static async Task<Intake> Retry(Guid quarantineId, ClaimsPrincipal user, LedgerStore ledger, TimeProvider clock)
    {
        var scope = user.Scope();
        var held = await Held(scope, quarantineId, ledger);
        var now = clock.GetUtcNow().UtcDateTime;
        var result = await ledger.Append(scope, [Incoming.Read(JsonDocument.Parse(held.Raw).RootElement)], now, mayVouch: true);
        var outcome = result.Events[0];
        if (outcome.Outcome != IntakeOutcome.Quarantined)
        {
            await ledger.Settle(scope.CompanyId, quarantineId, stored: true, now);
        }

        return outcome;
    }

    private static async Task SetAside(Guid quarantineId, ClaimsPrincipal user, LedgerStore ledger, TimeProvider clock)
    {
        await Held(user.Scope(), quarantineId, ledger);
        await ledger.Settle(user.Scope().CompanyId, quarantineId, stored: false, clock.GetUtcNow().UtcDateTime);
    }

    private static async Task<Quarantined> Held(Scope scope, Guid quarantineId, LedgerStore ledger) =>
        await ledger.FindQuarantined(scope.CompanyId, quarantineId)
        ?? throw new ApiException(404, "not-found", "quarantineId", "There is no such open entry.");
}
