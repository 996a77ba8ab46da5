using System.Security.Claims;
using System.Text.Json;
using Microsoft.AspNetCore.SignalR;
using Rhabdon.Core;
using Rhabdon.Core.Ledger;
using Rhabdon.Server.Accounts;
using Rhabdon.Server.Web;
using Rhabdon.Store;

namespace Rhabdon.Server.Ledger;

/// <summary>What was refused of one sender for one cause.</summary>
public sealed record CauseNamed(string Code, string Field, PersonId SenderId);

/// <param name="Still">Refused again;</param>
/// <param name="Refusal">and the first reason why.</param>
public sealed record CauseRetried(int Taken, int Still, Refusal? Refusal);

/// <param name="Events">Closed, and kept.</param>
public sealed record CauseSetAside(int Events);

public static class LedgerEndpoints
{
    private const int MostEvents = 500;

    /// <summary>What time the sender has it, so that a wrong clock does not put events of two devices in the wrong order.</summary>
    private const string ClockHeader = "X-Rhabdon-Clock";

    /// <summary>Which screen sends, so that it does not hear of its own events again.</summary>
    private const string ScreenHeader = "X-Rhabdon-Screen";

    private const int LargestPage = 200;

    public static void MapLedger(this RouteGroupBuilder api)
    {
        api.MapPost("/ledger", Append).RequireAuthorization(Policies.Work).WithMetadata(new EventBatchMark()).Accepts<IReadOnlyList<LedgerEvent>>("application/json")
            .WithSummary("Take in up to 500 events. Each is stored, known already, or quarantined with the reason.")
            .WithDescription("An event of an end: id (UUIDv7), endId, attempt, kind, at, deviceId, deviceSeq, actorId, body. Of a batch, job, crew, tool, lot or instrument: stream and streamId in place of endId and attempt. Sending one again is harmless. Events of one device are taken in by deviceSeq.");
        api.MapGet("/quarantine", List).RequireAuthorization(Policies.Plan).WithSummary("Events that the rules refused, newest first: your crew's, the office sees all. Of each its beginning.");
        api.MapGet("/quarantine/causes", Causes).RequireAuthorization(Policies.Plan).WithSummary("What the rules refused, one row for each cause and sender, the latest first.");
        api.MapPost("/quarantine/causes/retry", RetryCause).RequireAuthorization(Policies.Plan).WithSummary("Take in again what was refused of one sender for one cause, up to 500 entries, the least tried and oldest first.");
        api.MapPost("/quarantine/causes/set-aside", SetCauseAside).RequireAuthorization(Policies.Plan).WithSummary("Close all that was refused of one sender for one cause without taking it in. It is kept.");
        api.MapGet("/quarantine/{quarantineId:guid}", Whole).RequireAuthorization(Policies.Plan).WithSummary("One quarantined event, all of it.");
        api.MapPost("/quarantine/{quarantineId:guid}/retry", Retry).RequireAuthorization(Policies.Plan)
            .WithSummary("Take a quarantined event in again; the lead vouches for it where it was sent under another's sign-in.");
        api.MapPost("/quarantine/{quarantineId:guid}/set-aside", SetAside).RequireAuthorization(Policies.Plan).WithSummary("Close a quarantined event without taking it in. It is kept.");
    }

    private static async Task<IntakeResult> Append(HttpRequest request, ClaimsPrincipal user, Intake intake, IHubContext<Live> live, TimeProvider clock)
    {
        var events = await Read(request);
        new Input().Require(events.Count is >= 1 and <= MostEvents, Refusal.Of("events-count", "events", ("most", MostEvents))).ThrowIfBad();
        var now = clock.GetCurrentInstant();
        var behind = ClockBehind(request, now);
        var result = await intake.Append(user.Scope(), [.. events.Select(e => Incoming.Read(e, behind))], now, cancel: request.HttpContext.RequestAborted);
        foreach (var line in result.Events)
        {
            Figures.Took(line.Outcome);
        }

        await Live.Tell(live, result, request.Headers[ScreenHeader] is [{ Length: <= 40 } screen] ? screen : null);
        return result;
    }

    /// <summary>How far the sender's clock is behind ours, by what it says the time is; nothing where it does not say.</summary>
    private static Duration ClockBehind(HttpRequest request, Instant now) =>
        DateTimeOffset.TryParse(request.Headers[ClockHeader], System.Globalization.CultureInfo.InvariantCulture, System.Globalization.DateTimeStyles.AssumeUniversal, out var theirs)
        && now - Instant.FromDateTimeOffset(theirs) is var behind && Duration.FromDays(-36_500) < behind && behind < Duration.FromDays(36_500) ? Duration.FromMilliseconds(Math.Round(behind.TotalMilliseconds)) : Duration.Zero;

    /// <summary>The list as it came, whatever is in it: each event is looked at on its own, so that a bad one costs no other.</summary>
    private static async Task<List<JsonElement>> Read(HttpRequest request)
    {
        try
        {
            var body = (await JsonDocument.ParseAsync(request.Body, new() { MaxDepth = JsonText.MaxDepth }, request.HttpContext.RequestAborted)).RootElement;
            return body.ValueKind == JsonValueKind.Array ? [.. body.EnumerateArray()] : throw new ApiException(400, Refusal.Of("body-shape", "events"));
        }
        catch (JsonException e)
        {
            throw new ApiException(400, Refusal.Of("events-unread", "events", ("reason", e.Message)));
        }
    }

    private static async Task<IReadOnlyList<Quarantined>> List(ClaimsPrincipal user, CancellationToken cancel, Quarantine quarantine, QuarantineId? after = null, int limit = 50) =>
        [.. (await quarantine.List(user.Scope(), after, Math.Clamp(limit, 1, LargestPage), cancel)).Select(Said)];

    private static async Task<Quarantined> Whole(QuarantineId quarantineId, ClaimsPrincipal user, Quarantine quarantine, CancellationToken cancel) => Said(await Held(user.Scope(), quarantineId, quarantine, cancel));

    private static Quarantined Said(Quarantined q) => q with { Reason = Sentences.English.Say(q.Why()) };

    private static async Task<IntakeLine> Retry(QuarantineId quarantineId, ClaimsPrincipal user, Intake intake, Quarantine quarantine, IHubContext<Live> live, TimeProvider clock, CancellationToken cancel)
    {
        var scope = user.Scope();
        var held = await Held(scope, quarantineId, quarantine, cancel);
        var now = clock.GetCurrentInstant();
        var result = await intake.Append(scope, [Read(held.Raw, held.ClockBehindMs)], now, mayVouch: true, cancel: cancel);
        var outcome = result.Events[0];
        await Live.Tell(live, result);
        if (outcome.Outcome != IntakeOutcome.Quarantined)
        {
            await quarantine.Settle(scope.CompanyId, quarantineId, stored: true, now, cancel: cancel);
        }

        return outcome;
    }

    private static async Task SetAside(QuarantineId quarantineId, ClaimsPrincipal user, Quarantine quarantine, TimeProvider clock, CancellationToken cancel)
    {
        await Held(user.Scope(), quarantineId, quarantine, cancel);
        await quarantine.Settle(user.Scope().CompanyId, quarantineId, stored: false, clock.GetCurrentInstant(), cancel: cancel);
    }

    private static Incoming Read(string raw, long clockBehindMs) => Incoming.Read(JsonDocument.Parse(raw).RootElement, Duration.FromMilliseconds(clockBehindMs));

    private static async Task<IReadOnlyList<QuarantineCause>> Causes(ClaimsPrincipal user, Quarantine quarantine, CancellationToken cancel, int limit = 50) =>
        [.. (await quarantine.Causes(user.Scope(), Math.Clamp(limit, 1, LargestPage), cancel)).Select(q => q with { Reason = Sentences.English.Say(q.Why()) })];

    private static async Task<CauseRetried> RetryCause(CauseNamed r, ClaimsPrincipal user, Intake intake, Quarantine quarantine, IHubContext<Live> live, TimeProvider clock, CancellationToken cancel)
    {
        var (scope, now) = (user.Scope(), clock.GetCurrentInstant());
        var held = await quarantine.OfOne(scope, r.Code, r.Field, r.SenderId, MostEvents, cancel);
        if (held.Count == 0)
        {
            throw new ApiException(404, Refusal.Of("not-found", "code"));
        }

        var result = await intake.Append(scope, [.. held.Select(h => Read(h.Raw, h.ClockBehindMs))], now, mayVouch: true, cancel: cancel);
        await Live.Tell(live, result);
        var taken = held.Zip(result.Events).Where(x => x.Second.Outcome != IntakeOutcome.Quarantined).Select(x => x.First.QuarantineId).ToList();
        foreach (var id in taken)
        {
            await quarantine.Settle(scope.CompanyId, id, stored: true, now, cancel: cancel);
        }

        return new(taken.Count, held.Count - taken.Count, result.Events.Select(e => e.Refusal).FirstOrDefault(x => x is not null));
    }

    private static async Task<CauseSetAside> SetCauseAside(CauseNamed r, ClaimsPrincipal user, Quarantine quarantine, TimeProvider clock, CancellationToken cancel) =>
        await quarantine.SetAside(user.Scope(), r.Code, r.Field, r.SenderId, clock.GetCurrentInstant(), cancel) is > 0 and var done ? new(done) : throw new ApiException(404, Refusal.Of("not-found", "code"));

    private static async Task<Quarantined> Held(Scope scope, QuarantineId quarantineId, Quarantine quarantine, CancellationToken cancel = default) =>
        await quarantine.Find(scope, quarantineId, cancel)
        ?? throw new ApiException(404, Refusal.Of("not-found", "quarantineId"));
}
