using System.Security.Claims;
using Rhabdon.Core;
using Rhabdon.Core.Ledger;
using Rhabdon.Server.Accounts;
using Rhabdon.Server.Jobs;
using Rhabdon.Server.Web;
using Rhabdon.Store;

namespace Rhabdon.Server.Ledger;

/// <summary>What batches, crews, tools, lots and instruments have come to. What happens to them is sent to /ledger as what happens to ends.</summary>
public static class StreamEndpoints
{
    public static void MapStreams(this RouteGroupBuilder api)
    {
        api.MapGet("/tools", async (ClaimsPrincipal user, StreamProjector streams, CancellationToken cancel, bool all = false) => (await streams.List(user.Scope(), StreamKind.Tool, !all, cancel)).Cast<ToolState>())
            .RequireAuthorization(Policies.Work).WithSummary("Your crew's tools with what they have done; those out of use, too, with all=true. The office sees every crew's.");
        api.MapGet("/lots", async (ClaimsPrincipal user, StreamProjector streams, CancellationToken cancel, bool all = false) => (await streams.List(user.Scope(), StreamKind.Lot, !all, cancel)).Cast<LotState>())
            .RequireAuthorization(Policies.Work).WithSummary("Your crew's open lots; used up ones, too, with all=true.");
        api.MapGet("/instruments", async (ClaimsPrincipal user, StreamProjector streams, CancellationToken cancel, bool all = false) => (await streams.List(user.Scope(), StreamKind.Instrument, !all, cancel)).Cast<InstrumentState>())
            .RequireAuthorization(Policies.Work).WithSummary("Your crew's instruments with repeatability and calibrations.");
        api.MapGet("/batches/off", async (ClaimsPrincipal user, StreamProjector streams, CancellationToken cancel) => await streams.ContainersOff(user.Scope(), cancel))
            .RequireAuthorization(Policies.Work).WithSummary("Batches whose container holds other shards than were made, newest first.");
        api.MapGet("/batches/{batchId:guid}", Batch).RequireAuthorization(Policies.Work).WithSummary("A batch's counts of its container; without any where nobody has counted.");
        api.MapGet("/jobs/{jobId:guid}/log", Job).WithSummary("What became of a job beside its ends: delays and handovers.");
    }

    private static async Task<BatchState> Batch(BatchId batchId, ClaimsPrincipal user, StreamProjector streams, CancellationToken cancel) =>
        await streams.Find(user.Scope().CompanyId, StreamKind.Batch, batchId.As<Ids.Stream>(), cancel) as BatchState ?? new BatchState { Id = batchId.As<Ids.Stream>() };

    private static async Task<JobState> Job(JobId jobId, ClaimsPrincipal user, Store.Jobs jobs, StreamProjector streams, CancellationToken cancel)
    {
        await JobEndpoints.Seen(jobs, user.Scope(), jobId, cancel);
        return await streams.Find(user.Scope().CompanyId, StreamKind.Job, jobId.As<Ids.Stream>(), cancel) as JobState ?? new JobState { Id = jobId.As<Ids.Stream>() };
    }
}
