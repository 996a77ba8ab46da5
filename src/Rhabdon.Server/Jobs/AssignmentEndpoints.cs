using System.Security.Claims;
using System.Text.Json;
using Microsoft.AspNetCore.SignalR;
using Rhabdon.Core;
using Rhabdon.Core.Ledger;
using Rhabdon.Server.Accounts;
using Rhabdon.Server.Ledger;
using Rhabdon.Server.Web;
using Rhabdon.Store;

namespace Rhabdon.Server.Jobs;

/// <summary>Which ends go to whom. A panel, a row of its ports, a batch, or ends one by one; what is left out does not narrow the choice.</summary>
/// <param name="PlaceId">A panel, or a jumper's cable.</param>
/// <param name="PersonId">Left out, they are the whole crew's.</param>
public sealed record AssignmentRequest(CrewId CrewId, PersonId? PersonId = null, PlaceId? PlaceId = null, int? FromPort = null, int? ToPort = null, BatchId? BatchId = null, IReadOnlyList<EndId>? EndIds = null, string? Note = null);

/// <param name="Ends">How many ends were given.</param>
public sealed record AssignmentMade(EventId EventId, int Ends);

/// <summary>Who works what, apart from the job. Each assignment is an event of the job; who sees and works an end follows the last one.</summary>
public static class AssignmentEndpoints
{
    public static void MapAssignments(this RouteGroupBuilder api)
    {
        api.MapGet("/jobs/{jobId:guid}/assignments", List).RequireAuthorization(Policies.Work).WithSummary("What was given to whom in a job, newest first.");
        api.MapPost("/jobs/{jobId:guid}/assignments", Assign).RequireAuthorization(Policies.Plan)
            .WithSummary("Give ends to a crew, or to one person of it. What was done while an earlier assignment held is taken in, however late it comes.");
    }

    private static async Task<IReadOnlyList<AssignedLine>> List(JobId jobId, ClaimsPrincipal user, Store.Jobs jobs, Assignments assignments, CancellationToken cancel)
    {
        await JobEndpoints.Seen(jobs, user.Scope(), jobId, cancel);
        return await assignments.Of(user.Scope().CompanyId, jobId, cancel);
    }

    private static async Task<AssignmentMade> Assign(JobId jobId, AssignmentRequest r, ClaimsPrincipal user, Store.Jobs jobs, Assignments assignments, Intake intake, IHubContext<Live> live, TimeProvider clock, CancellationToken cancel)
    {
        var scope = user.Scope();
        await JobEndpoints.Planned(jobs, scope, jobId, cancel);
        var ends = await assignments.Chosen(scope.CompanyId, jobId, r.PlaceId, r.FromPort, r.ToPort, r.BatchId, r.EndIds is null ? null : [.. r.EndIds], cancel);
        new Input().Require(ends.Count > 0, Refusal.Of("ends-none", "placeId")).ThrowIfBad();
        // Said here and now, at no device: its number orders nothing.
        var now = clock.GetCurrentInstant();
        var e = new StreamEvent(EventId.New(now), StreamKind.Job, jobId.As<Ids.Stream>(), StreamEventKind.Assigned, now, default, 0, scope.PersonId,
            JsonSerializer.SerializeToElement(new Assigned(ends, r.CrewId, r.PersonId, r.Note), Wire.Json));
        await Live.Tell(live, await intake.Say(scope, e, now, cancel));
        return new(e.Id, ends.Count);
    }
}
