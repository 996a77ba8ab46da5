using Microsoft.AspNetCore.Authorization;
using Microsoft.AspNetCore.SignalR;
using Rhabdon.Server.Accounts;
using Rhabdon.Store;

namespace Rhabdon.Server.Ledger;

/// <summary>Tells whoever watches a job that something was written down there. It says only that: what changed is asked for as always.</summary>
[Authorize]
public sealed class Live(Store.Jobs jobs) : Hub
{
    public const string Path = "/api/live";
    public const string Changed = "changed";

    /// <summary>Watch a job that this person may see.</summary>
    public async Task Watch(JobId jobId)
    {
        if (await jobs.Find(Context.User!.Scope(), jobId) is null)
        {
            throw new HubException("There is no such job among yours.");
        }

        await Groups.AddToGroupAsync(Context.ConnectionId, Group(jobId));
    }

    public Task Leave(JobId jobId) => Groups.RemoveFromGroupAsync(Context.ConnectionId, Group(jobId));

    /// <param name="screen">Which screen wrote it, by its own word; it has its answer, and does not ask again.</param>
    public static Task Tell(IHubContext<Live> live, IntakeResult result, string? screen = null) =>
        Task.WhenAll(result.Touched.Select(jobId => live.Clients.Group(Group(jobId)).SendAsync(Changed, jobId, screen)));

    private static string Group(JobId jobId) => $"job {jobId}";
}
