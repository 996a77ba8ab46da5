using System.Security.Claims;
using System.Text.Json;
using Rhabdon.Core;
using Rhabdon.Core.Handover;
using Rhabdon.Core.Ledger;
using Rhabdon.Server.Accounts;
using Rhabdon.Server.Jobs;
using Rhabdon.Server.Web;
using Rhabdon.Store;

namespace Rhabdon.Server.Handover;

/// <param name="No">From 1.</param>
/// <param name="To">Who took it over, by name.</param>
/// <param name="Proven">And planned, as its paper says; null where none was made yet.</param>
/// <param name="Changed">Connectors that are otherwise than on the paper before; null without both papers.</param>
public sealed record HandoverView(EventId EventId, int No, Instant At, string By, string To, string? Note, DossierView? Paper, int? Proven, int? Planned, int? Changed);

/// <param name="SinceLast">What is otherwise by now than on the paper of the last handover, at most 200; null where there is none.</param>
public sealed record HandoverState(IReadOnlyList<HandoverCheck> Checks, IReadOnlyList<HandoverView> Handovers, IReadOnlyList<ChangedEnd>? SinceLast);

/// <summary>Handing a job over: what to look at before, what was handed over, what has changed since.</summary>
public static class HandoverEndpoints
{
    private const int MostChanged = 200;

    public static void MapHandover(this RouteGroupBuilder api)
    {
        api.MapGet("/jobs/{jobId:guid}/handover", Find).RequireAuthorization(Policies.Plan)
            .WithSummary("What to look at before a job is handed over, the handovers so far, each with its paper and how many connectors differ from the one before, and what has changed since the last. The handover itself is sent to /ledger: handed-over of a job.");
    }

    private static async Task<HandoverState> Find(JobId jobId, ClaimsPrincipal user, Store.Jobs jobs, DossierShelf shelf, StreamProjector streams, Quarantine quarantine, Store.Records records, CancellationToken cancel)
    {
        var scope = user.Scope();
        var job = await JobEndpoints.Planned(jobs, scope, jobId, cancel);
        var source = await shelf.Source(scope, job, cancel);
        var said = (await streams.Find(scope.CompanyId, StreamKind.Job, jobId.As<Ids.Stream>(), cancel) as JobState)?.Handovers ?? [];
        var papers = (await shelf.Of(scope.CompanyId, jobId, cancel)).Where(p => p.Handover is not null).GroupBy(p => p.Handover!.Value).ToDictionary(g => g.Key, g => g.First());
        var names = await records.Names(scope.CompanyId, [.. said.Select(h => h.By).Distinct()], cancel);
        var then = new Dictionary<int, Dossier>();
        foreach (var (no, paper) in papers.Where(p => p.Value.Stage == DossierStage.Done))
        {
            if (await shelf.Data(scope.CompanyId, paper.DossierId, cancel) is { } data)
            {
                then[no] = JsonSerializer.Deserialize<Dossier>(data, Wire.Json)!;
            }
        }

        var last = then.Count > 0 ? then[then.Keys.Max()] : null;
        return new(
            HandoverChecklist.Of(source, await quarantine.Count(scope, cancel)),
            [
                .. said.Index().Select(h => (No: h.Index + 1, h.Item)).Reverse().Select(h => new HandoverView(
                    h.Item.EventId, h.No, h.Item.At, names.GetValueOrDefault(h.Item.By) ?? "", h.Item.To, h.Item.Note, papers.TryGetValue(h.No, out var paper) ? DossierEndpoints.View(paper) : null,
                    then.GetValueOrDefault(h.No)?.Summary.Proven, then.GetValueOrDefault(h.No)?.Summary.Planned,
                    then.TryGetValue(h.No, out var now) && then.TryGetValue(h.No - 1, out var before) ? DossierChanges.Between(before, now).Count : null)),
            ],
            last is null ? null : [.. DossierChanges.Between(last, Dossiers.Of(source, last.Choice)).Take(MostChanged)]);
    }
}
