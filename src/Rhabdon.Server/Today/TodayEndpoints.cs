using System.Security.Claims;
using Rhabdon.Core;
using Rhabdon.Core.Connectors;
using Rhabdon.Core.Ledger;
using Rhabdon.Core.Planning;
using Rhabdon.Core.Rework;
using Rhabdon.Server.Accounts;
using Rhabdon.Store;

namespace Rhabdon.Server.Today;

/// <summary>What is mine, what is next, will it be done: the first screen, as far as each role is told.</summary>
/// <param name="At">When it was asked: a device without signal says so.</param>
/// <param name="Jobs">At hand; for those who plan, what is late or in danger first, else the next one due first.</param>
/// <param name="Batches">Under way, the one worked last first; your own before the crew's.</param>
/// <param name="Next">Panels with ends that nobody has begun, in the order of the jobs.</param>
/// <param name="Waiting">Ends that wait for a decision; none for viewers.</param>
public sealed record TodayView(Instant At, IReadOnlyList<TodayJob> Jobs, IReadOnlyList<TodayBatch> Batches, IReadOnlyList<TodayPanel> Next, IReadOnlyList<TodayWaiting> Waiting);

/// <param name="Outlook">Null for a job without ends, and for viewers.</param>
/// <param name="Blocks">What stands in the way now. Viewers are not told.</param>
/// <param name="Places">Panels on which something is under way or waits, with how many ends have come how far; none for viewers.</param>
/// <param name="Proven">By space; for viewers only.</param>
public sealed record TodayJob(Job Job, Outlook? Outlook, IReadOnlyList<Block> Blocks, IReadOnlyList<PlaceCount> Places, IReadOnlyList<SpaceProof> Proven);

/// <param name="Strands">Numbers of those that are still at the bench.</param>
/// <param name="TimerEndsAt">When the first of its timers is up; null where none runs.</param>
/// <param name="Mine">You began it.</param>
public sealed record TodayBatch(BatchId? BatchId, EndId EndId, JobId JobId, PlaceId PlaceId, string Address, TerminationMethod Method, IReadOnlyList<int> Strands, Instant? LastAt, Instant? TimerEndsAt, bool Mine);

/// <param name="Ends">That nobody has begun.</param>
/// <param name="Mine">Of them, given to you by name.</param>
public sealed record TodayPanel(JobId JobId, string Customer, PlaceId PlaceId, string Place, string SpaceName, TerminationMethod Method, long Ends, long Mine);

/// <param name="ByName">Who found it.</param>
public sealed record TodayWaiting(EndRow End, Waiting? Why, string? ByName);

public static class TodayEndpoints
{
    /// <summary>Jobs that one screen shows (ours).</summary>
    private const int MostJobs = 30;

    /// <summary>Of them, those whose panels are counted: what is due first.</summary>
    private const int MostCounted = 6;

    private const int MostPanels = 12;

    private const int MostWaiting = 50;

    /// <summary>The most ends of one crew that are looked through for batches.</summary>
    private const int MostAtBench = 200;

    public static void MapToday(this RouteGroupBuilder api) =>
        api.MapGet("/today", Find).WithSummary("What is yours, what is next, and whether it will be done: jobs at hand with pace and what stands in the way, batches under way, the next panels, what waits for a decision. Viewers are told what is proven.");

    private static async Task<TodayView> Find(ClaimsPrincipal user, Store.Jobs jobs, Store.Today today, Store.Records records, TimeProvider clock, CancellationToken cancel)
    {
        var scope = user.Scope();
        var now = clock.GetCurrentInstant();
        var list = await jobs.AtHand(scope, null, MostJobs, cancel);
        JobId[] ids = [.. list.Select(j => j.JobId)];
        if (scope.Viewer)
        {
            var proven = (await today.Proven(scope, ids, cancel)).ToLookup(p => p.JobId);
            return new(now, [.. list.Select(j => new TodayJob(j, null, [], [], [.. proven[j.JobId]]))], [], [], []);
        }

        JobId[] counted = [.. ids.Take(MostCounted)];
        var days = await today.AcceptedByDay(scope.CompanyId, ids, now - Duration.FromDays(Outlooks.Days + 1), cancel);
        var states = await today.States(scope.CompanyId, ids, cancel);
        var places = (await today.Places(scope, counted, cancel)).ToLookup(p => p.JobId);
        var shown = list.Select(j => new TodayJob(
            j, OutlookOf(j, days[j.JobId], now), [.. states.GetValueOrDefault(j.JobId)?.Blocks.Where(b => b.LiftedAt is null) ?? []],
            // What is all planned or all accepted needs nobody's eyes today.
            [.. places[j.JobId].GroupBy(p => p.PlaceId).Where(g => g.Any(p => p.Status is not (EndStatus.Planned or EndStatus.Accepted))).SelectMany(g => g)], []));
        IReadOnlyList<TodayPanel> next = [.. list.SelectMany(j => places[j.JobId].Where(p => p.Status is EndStatus.Planned)
            .Select(p => new TodayPanel(j.JobId, j.Customer, p.PlaceId, p.Place, p.SpaceName, p.Method, p.Ends, p.Mine)))
            .OrderByDescending(p => p.Mine > 0).Take(MostPanels)];
        var waiting = await records.List(scope, new(Status: EndStatus.NeedsDecision), null, MostWaiting, cancel);
        var atBench = await records.List(scope, new(Status: EndStatus.AtBench), null, MostAtBench, cancel);
        var ends = await today.Ends(scope.CompanyId, [.. waiting.Concat(atBench).Select(e => e.EndId)], cancel);
        // An installer is shown what is theirs; what the whole crew has to decide is the lead's.
        var why = waiting.Select(e => (End: e, State: ends.GetValueOrDefault(e.EndId))).Where(x => scope.MayPlan || x.State?.Attempts.Any(a => a.StartedBy == scope.PersonId) == true)
            .Select(x => (x.End, Why: x.State is { } s ? Waiting.Of(s) : null)).ToList();
        var names = await today.Names(scope.CompanyId, [.. why.Select(w => w.Why?.By).OfType<PersonId>().Distinct()], cancel);
        return new(
            now,
            scope.MayPlan ? [.. shown.OrderByDescending(j => Danger(j)).ThenBy(j => j.Job.DueOn, StringComparer.Ordinal)] : [.. shown],
            Batches(atBench, ends, scope.PersonId),
            next,
            [.. why.Select(w => new TodayWaiting(w.End, w.Why, w.Why is { } x ? names.GetValueOrDefault(x.By) : null)).OrderBy(w => w.Why?.Since)]);
    }

    private static Outlook? OutlookOf(Job j, IEnumerable<DayCount> days, Instant now) =>
        j.Ends == 0 || !DateOnly.TryParseExact(j.DueOn, "yyyy-MM-dd", out var due) ? null
        : Outlooks.Of(j.Ends, j.Accepted, days, SiteDates.On(now, j.TimeZone), LocalDate.FromDateOnly(due));

    /// <summary>What is late comes first, then what something stands in the way of, then what will be tight.</summary>
    private static int Danger(TodayJob j) => j.Outlook?.Verdict switch
    {
        OutlookVerdict.Late => 3,
        _ when j.Blocks.Count > 0 => 2,
        OutlookVerdict.Tight => 1,
        _ => 0,
    };

    private static IReadOnlyList<TodayBatch> Batches(IReadOnlyList<EndRow> atBench, IReadOnlyDictionary<EndId, EndState> states, PersonId me) =>
        [.. atBench.GroupBy(e => (e.JobId, e.BatchId, Alone: e.BatchId is null ? e.EndId : (EndId?)null)).Select(g =>
        {
            var runs = g.Select(e => states.GetValueOrDefault(e.EndId)?.Current).OfType<AttemptState>().ToList();
            var first = g.First();
            return new TodayBatch(
                first.BatchId, first.EndId, first.JobId, first.PlaceId, first.Address, first.Method, [.. g.Select(e => e.Strand).Order()], g.Max(e => e.LastAt),
                runs.Select(r => r.Timer?.EndsAt).Min(), runs.Any(r => r.StartedBy == me));
        }).OrderByDescending(b => b.Mine).ThenByDescending(b => b.LastAt)];
}
