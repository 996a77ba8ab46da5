using System.Collections.Concurrent;
using Microsoft.AspNetCore.Authorization;
using Microsoft.AspNetCore.SignalR;
using Rhabdon.Server.Accounts;
using Rhabdon.Store;

namespace Rhabdon.Server.Ledger;

/// <summary>Tells whoever watches a job that something was written down there. It says only that: what changed is asked for as always.</summary>
[Authorize(Web.Policies.Person)]
public sealed class Live(Store.Jobs jobs, Watchers watchers) : Hub
{
    public const string Path = "/api/live";
    public const string Changed = "changed";

    public override Task OnConnectedAsync()
    {
        watchers.Enter(Context);
        return base.OnConnectedAsync();
    }

    public override Task OnDisconnectedAsync(Exception? exception)
    {
        watchers.Leave(Context);
        return base.OnDisconnectedAsync(exception);
    }

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

/// <summary>
/// Who listens. What somebody may see is asked when they begin to watch; when that changes their lines are cut, and a screen that may still listen
/// comes back by itself and is asked anew.
/// </summary>
public sealed class Watchers
{
    private readonly ConcurrentDictionary<string, HubCallerContext> _lines = new();

    internal void Enter(HubCallerContext line) => _lines[line.ConnectionId] = line;

    internal void Leave(HubCallerContext line) => _lines.TryRemove(line.ConnectionId, out _);

    public void Cut(CompanyId companyId, params IEnumerable<PersonId> people)
    {
        var whose = people.ToHashSet();
        foreach (var line in _lines.Values.Where(l => l.User!.Scope() is var s && s.CompanyId == companyId && whose.Contains(s.PersonId)))
        {
            line.Abort();
        }
    }
}
