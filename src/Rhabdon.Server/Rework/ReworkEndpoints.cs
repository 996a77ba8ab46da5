using System.Security.Claims;
using Rhabdon.Core;
using Rhabdon.Core.Connectors;
using Rhabdon.Core.Diagnosis;
using Rhabdon.Core.Inspection;
using Rhabdon.Core.Ledger;
using Rhabdon.Core.Rework;
using Rhabdon.Server.Accounts;
using Rhabdon.Server.Jobs;
using Rhabdon.Server.Web;
using Rhabdon.Store;

namespace Rhabdon.Server.Rework;

/// <summary>An end that has to be worked again.</summary>
/// <param name="Why">Null where it is to be made anew.</param>
/// <param name="Next">What costs least, by its own record and its neighbours'; null where the lead settles it, or it is to be made anew.</param>
/// <param name="Minutes">Until it is accepted: as the next act expects them, else what such a connector takes.</param>
/// <param name="SlackLeftMm">Of the cable.</param>
public sealed record ReworkEnd(EndId EndId, string Address, EndStatus Status, EndVerdict Verdict, Waiting? Why, NextAct? Next, double Minutes, double SlackLeftMm, string? PersonName);

/// <summary>Ends that one way to one room cures, with one set of tools.</summary>
/// <param name="NearName">Who worked in that room last.</param>
/// <param name="Minutes">Of all of them.</param>
public sealed record ReworkVisit(
    JobId JobId, string Customer, string Site, LocalDate DueOn, string SpaceName, TerminationMethod Method, CrewId CrewId, string? CrewName, string? NearName, double Minutes, IReadOnlyList<ReworkEnd> Ends);

/// <param name="Name">Of the tool; else the key itself.</param>
/// <param name="Ends">Those that are not good and share it, by their address.</param>
public sealed record OneCauseView(OneCause Cause, string Name, IReadOnlyList<AddressedEnd> Ends);

public sealed record AddressedEnd(EndId EndId, string Address);

public sealed record DirtTrailView(AddressedEnd From, IReadOnlyList<AddressedEnd> To, int WavelengthNm, double MoreDb, Instant At);

public sealed record SharedMarkView(SharedMark Mark, IReadOnlyList<AddressedEnd> Ends);

/// <param name="Visits">The one due first before, then the one that cures most.</param>
/// <param name="OneCauses">What many ends have in common, before anyone cuts the first of them.</param>
/// <param name="More">Ends that wait beyond those that are listed.</param>
/// <param name="Looked">Ends of the last two weeks that were held against each other.</param>
public sealed record ReworkQueue(IReadOnlyList<ReworkVisit> Visits, IReadOnlyList<OneCauseView> OneCauses, IReadOnlyList<DirtTrailView> Trails, IReadOnlyList<SharedMarkView> Marks, int More, int Looked);

/// <param name="Address">Of the end.</param>
public sealed record WeakEndView(string Address, WeakEnd Weak);

/// <param name="Accepted">Ends of the job that are accepted.</param>
/// <param name="More">Weak ones beyond those that are listed.</param>
public sealed record WeakEndsView(double Minutes, int Accepted, IReadOnlyList<WeakEndView> Ends, int More);

/// <param name="Share">Of bad connectors of the family, as it is taken for so, before anything is seen; all of a family come to one.</param>
/// <param name="Said">By the company itself, else as it is shipped.</param>
/// <param name="Confirmed">How often it was found to be the cause, of the last 2000.</param>
public sealed record CauseShare(ReworkReason Cause, GlassFamily Family, double Share, double Said, bool Own, long Confirmed);

/// <param name="Cause">Null for all causes that the sign does not name.</param>
/// <param name="Share">How often each value is seen of it, as it is taken for so; they come to one.</param>
/// <param name="Said">By the company itself, else as it is shipped.</param>
/// <param name="Seen">Confirmed connectors of that cause of which it was seen.</param>
public sealed record SignRow(ReworkReason? Cause, IReadOnlyList<double> Share, IReadOnlyList<double> Said, bool Own, int Seen);

/// <param name="Of">The families that it is seen of; null for all.</param>
public sealed record SignTable(string Sign, IReadOnlyList<string> Values, IReadOnlyList<GlassFamily>? Of, IReadOnlyList<SignRow> Rows);

/// <param name="Share">How often it cures that cause, as it is taken for so.</param>
/// <param name="Tried">On confirmed connectors of that cause;</param>
/// <param name="Cured">and how often it was the last thing before they were accepted.</param>
public sealed record ActCure(ReworkReason Cause, double Share, double Said, bool Own, int Tried, int Cured);

/// <param name="Parts">What it uses up, in minutes' worth.</param>
/// <param name="Renews">How often it cures whatever else lies in the connector; null where it makes none anew.</param>
/// <param name="Own">Minutes, parts, slack or renewing are the company's own.</param>
public sealed record ActTable(string Act, IReadOnlyList<GlassFamily>? Of, double Minutes, double Parts, double SlackMm, double? Renews, bool Own, IReadOnlyList<ActCure> Cures);

/// <param name="Version">0 where the shipped tables hold.</param>
/// <param name="Weight">What the said shares are worth, in confirmed causes;</param>
/// <param name="RowWeight">and what a row of a sign or the chance of an act is, in confirmed connectors of that cause.</param>
public sealed record CausesView(int Version, double Weight, IReadOnlyList<CauseShare> Causes, double RowWeight, IReadOnlyList<SignTable> Signs, IReadOnlyList<ActTable> Acts);

/// <param name="Version">That the change was made on.</param>
/// <param name="Causes">Shares by cause and family, 0.001 to 1; one that is left out is as shipped. Null: as they stand.</param>
/// <param name="Signs">By sign and cause (or <c>usual</c>), a share for each of its values, 0.001 to 1, made to come to one. Null: as they stand.</param>
/// <param name="Acts">By act. Null: as they stand.</param>
public sealed record CausesRequest(
    int Version, IReadOnlyDictionary<ReworkReason, IReadOnlyDictionary<GlassFamily, double>>? Causes = null,
    IReadOnlyDictionary<string, IReadOnlyDictionary<string, IReadOnlyList<double>>>? Signs = null, IReadOnlyDictionary<string, OwnAct>? Acts = null);

/// <summary>What has to be worked again, over all jobs and crews; what many ends have in common; and what the last minutes of a job are best spent on.</summary>
public static class ReworkEndpoints
{
    private const int MostEnds = 300, MostWorked = 800, MostWeak = 60;

    private static readonly Duration Lately = Duration.FromDays(14);

    public static void MapRework(this RouteGroupBuilder api)
    {
        api.MapGet("/rework", Queue).RequireAuthorization(Policies.Work)
            .WithSummary("Ends that wait for a decision or are to be made anew, over all jobs and crews that you see, by visit: one room, one method; each with what to do next at the least cost. And what many of the last two weeks' ends have in common: a reference, a reel, a tool, a lot, a cord's dirt, a mark of the scope or of the puck.")
            .WithDescription($"At most {MostEnds} ends. Minutes, millimetres, dB; chances 0 to 1.");
        api.MapGet("/diagnosis/causes", CausesOf).RequireAuthorization(Policies.Work)
            .WithSummary("How often each cause is behind a bad connector before anything is seen of it, what is seen of each, and what cures it: expert judgement as shipped or as your company says it, moved by the causes that were confirmed at the bench.");
        api.MapPut("/diagnosis/causes", SaveCauses).RequireAuthorization(Policies.Office)
            .WithSummary("Say your company's own shares, rows of signs and acts; a part that is left out stays as it is. Two who change them: the second gets a 409 with what is there now.").Produces<ApiProblem>(409);
        api.MapGet("/jobs/{jobId:guid}/weak-ends", Weak).RequireAuthorization(Policies.Work)
            .WithSummary("Accepted but weak ends of a job, by how much their chance of a call-back falls for each minute; those that fit into the minutes that are left are marked.")
            .WithDescription("minutes: 1 to 600, 40 where left out. Chances are expert judgement.");
    }

    private static async Task<ReworkQueue> Queue(ClaimsPrincipal user, Store.Records records, Store.Jobs jobs, Kits kits, Causes causes, StreamProjector streams, TimeProvider clock, CancellationToken cancel)
    {
        var scope = user.Scope();
        var diagnoses = new Diagnoses((await causes.Of(scope.CompanyId, cancel)).Tables);
        var waiting = await records.Waiting(scope, MostEnds + 1, cancel);
        var worked = await records.WorkedSince(scope, clock.GetCurrentInstant() - Lately, MostWorked, cancel);
        var figures = (await kits.Figures(scope.CompanyId, cancel)).Figures;
        var due = await jobs.DueOf(scope.CompanyId, [.. waiting.Select(w => w.JobId).Distinct()], cancel);
        var places = waiting.Concat(worked).DistinctBy(e => e.EndId).ToLookup(e => e.PlaceId);
        // Many ends look alike: what was thought through once holds for all of them.
        var known = new Dictionary<string, DiagnosisFound>(StringComparer.Ordinal);
        var histories = await causes.HistoryOf(scope.CompanyId, [.. waiting.Take(MostEnds).Select(w => w.State.Current).OfType<AttemptState>()], cancel);
        var last = worked.Where(e => e.State.Current is not null).GroupBy(e => (e.JobId, e.SpaceName)).ToDictionary(g => g.Key, g => g.MaxBy(e => e.State.Current!.StartedAt)!.State.Current!.StartedBy);
        var names = await records.Names(scope.CompanyId, [.. last.Values.Distinct()], cancel);
        var visits = waiting.Take(MostEnds).Select(e =>
        {
            var why = Waiting.Of(e.State);
            var next = Next(e, [.. places[e.PlaceId].Where(o => o.EndId != e.EndId).Select(o => o.State.Current).OfType<AttemptState>()], known, diagnoses, histories);
            return (Plan: e, End: new ReworkEnd(e.EndId, e.Address(), e.State.Status, e.State.Verdict, why, next, next?.ExpectedMinutes ?? figures.Of(e.Method).Minutes, e.SlackPlannedMm - e.State.SlackUsedMm, e.PersonName));
        }).GroupBy(x => (x.Plan.JobId, x.Plan.SpaceName, x.Plan.Method, x.Plan.CrewId)).Select(g =>
        {
            var p = g.First().Plan;
            return new ReworkVisit(
                p.JobId, p.Customer, p.Site, due[p.JobId], p.SpaceName, p.Method, p.CrewId, p.CrewName, last.TryGetValue((p.JobId, p.SpaceName), out var who) ? names.GetValueOrDefault(who) : null,
                g.Sum(x => x.End.Minutes), [.. g.Select(x => x.End).OrderBy(e => e.SlackLeftMm)]);
        }).OrderBy(v => v.DueOn).ThenByDescending(v => v.Ends.Count).ThenBy(v => v.SpaceName, StringComparer.Ordinal).ToList();

        var ends = worked.Where(e => e.State.Current is not null).Select(e => new WorkedEnd(e.EndId, e.Address(), e.CableId, e.CableCode, e.FiberClass, e.State.Current!)).ToList();
        var called = ends.ToDictionary(e => e.EndId, e => new AddressedEnd(e.EndId, e.Address));
        var tools = (await streams.List(scope, StreamKind.Tool, false, cancel)).OfType<ToolState>().ToDictionary(t => t.Id.Value.ToString(), t => $"{t.Name} {t.Number}".Trim());
        var faces = ends.SelectMany(e => e.Run.Looks.Where(l => l.Picture is not null).TakeLast(1).Select(l => (e.EndId, l.At, Picture: l.Picture!)))
            .OrderBy(f => f.At).Select(f => new PicturedFace(f.EndId, f.At, f.Picture.UmPerPx, f.Picture.CentreXPx, f.Picture.CentreYPx, f.Picture.Final)).ToList();
        return new(
            visits, [.. OneCauses.Of(ends).Select(c => new OneCauseView(c, tools.GetValueOrDefault(c.Key) ?? c.Key, [.. c.Ends.Select(e => called[e])]))],
            [.. OneCauses.Trails(ends).Select(t => new DirtTrailView(called[t.From], [.. t.To.Select(e => called[e])], t.WavelengthNm, t.MoreDb, t.At))],
            [.. SharedMarks.Of(faces).Select(m => new SharedMarkView(m, [.. m.Ends.Select(e => called[e])]))], Math.Max(0, waiting.Count - MostEnds), ends.Count);
    }

    private static async Task<CausesView> CausesOf(ClaimsPrincipal user, Causes causes, CancellationToken cancel) => View(await causes.Of(user.Scope().CompanyId, cancel));

    private static CausesView View(CompanyCauses of)
    {
        var (said, now, own) = (of.Said, of.Tables, of.Own);
        var confirmed = of.Cases.CountBy(c => (c.Family, c.Cause)).ToDictionary();
        var seen = of.Cases.SelectMany(c => c.Seen, (c, o) => (o.Sign, c.Cause)).CountBy(x => x).ToDictionary();
        var tried = of.Cases.SelectMany(c => c.Tried, (c, t) => (t.Act, c.Cause, t.Cured)).ToLookup(x => (x.Act, x.Cause), x => x.Cured);
        return new(
            of.Version, DiagnosisTables.AssumedWeight,
            [.. Enum.GetValues<GlassFamily>().SelectMany(f => now.Before(f).OrderByDescending(c => c.Value).Select(c =>
                new CauseShare(c.Key, f, c.Value, said.Causes[c.Key][f], own?.Causes?.GetValueOrDefault(c.Key)?.ContainsKey(f) == true, confirmed.GetValueOrDefault((f, c.Key)))))],
            DiagnosisTables.AssumedRowWeight,
            [.. now.Signs.Zip(said.Signs, (n, s) => new SignTable(n.Id, n.Values, n.Of,
                [new SignRow(null, n.Usual, s.Usual, own?.Signs?.GetValueOrDefault(n.Id)?.ContainsKey(OwnTables.Usual) == true, 0),
                 .. n.Given.OrderBy(g => g.Key).Select(g => new SignRow(g.Key, g.Value, s.Given.GetValueOrDefault(g.Key) ?? s.Usual, own?.Signs?.GetValueOrDefault(n.Id)?.ContainsKey(Wire.Name(g.Key)) == true, seen.GetValueOrDefault((n.Id, g.Key))))]))],
            [.. now.Acts.Zip(said.Acts, (n, s) => new ActTable(n.Id, n.Of, n.Minutes, n.Parts, n.SlackMm, n.Renews, own?.Acts?.GetValueOrDefault(n.Id) is { } o && (o.Minutes ?? o.Parts ?? o.SlackMm ?? o.Renews) is not null,
                [.. n.Cures.OrderBy(c => c.Key).Select(c => new ActCure(c.Key, c.Value, said.Cures(s, c.Key), own?.Acts?.GetValueOrDefault(n.Id)?.Cures?.ContainsKey(c.Key) == true, tried[(n.Id, c.Key)].Count(), tried[(n.Id, c.Key)].Count(x => x)))]))]);
    }

    private static async Task<CausesView> SaveCauses(CausesRequest r, ClaimsPrincipal user, Causes causes, TimeProvider clock, CancellationToken cancel)
    {
        var scope = user.Scope();
        DiagnosisTables.Shipped.Check(new(r.Causes, r.Signs, r.Acts));
        var before = (await causes.Of(scope.CompanyId, cancel)).Own;
        var saved = await causes.Save(scope.CompanyId, scope.PersonId, new(r.Causes ?? before?.Causes, r.Signs ?? before?.Signs, r.Acts ?? before?.Acts), r.Version, clock.GetCurrentInstant(), cancel);
        var now = View(await causes.Of(scope.CompanyId, cancel));
        return saved ? now : throw new ApiException(409, Refusal.Of("changed-meanwhile", "version", ("what", "figures"))) { Current = now };
    }

    private static NextAct? Next(EndPlan plan, IReadOnlyList<AttemptState> neighbours, Dictionary<string, DiagnosisFound> known, Diagnoses diagnoses, IReadOnlyDictionary<RunId, RunHistory> histories)
    {
        if (plan.State.Status != EndStatus.NeedsDecision || plan.State.Conflict || plan.State.Current is not { Broken: false } run)
        {
            return null;
        }

        var ask = Seen.Of(run, plan.Planned(), plan.Form, plan.SlackPlannedMm - plan.State.SlackUsedMm, neighbours, histories.GetValueOrDefault(run.RunId));
        var key = $"{ask.Method} {Math.Min(2000, Math.Round(ask.SlackMm ?? 0))} {string.Join(',', ask.Observations!.Select(o => $"{o.Sign}={o.Value}"))} {string.Join(',', ask.Tried!)}";
        return (known.TryGetValue(key, out var found) ? found : known[key] = diagnoses.Of(ask)).Next;
    }

    private static async Task<WeakEndsView> Weak(JobId jobId, ClaimsPrincipal user, Store.Jobs jobs, Store.Records records, Methods methods, CancellationToken cancel, double minutes = 40)
    {
        var scope = user.Scope();
        new Input().Require(minutes is >= 1 and <= 600, Refusal.Of("figure-range", "minutes", ("least", 1), ("most", 600))).ThrowIfBad();
        await JobEndpoints.Seen(jobs, scope, jobId, cancel);
        var rules = await methods.Rules(scope.CompanyId, cancel);
        var ends = await records.AcceptedOf(scope, jobId, cancel);
        var called = ends.ToDictionary(e => e.EndId, e => e.Address());
        var weak = WeakEnds.Of(ends.Select(e => (e.State, e.SlackPlannedMm - e.State.SlackUsedMm, rules.FindTable(e.State.Current!.ProcedureId, e.State.Current.ProcedureVersion, e.State.Current.Schools)?.Prep.CutOffUsesMm ?? 0)), minutes);
        return new(minutes, ends.Count, [.. weak.Take(MostWeak).Select(w => new WeakEndView(called[w.EndId], w))], Math.Max(0, weak.Count - MostWeak));
    }
}
