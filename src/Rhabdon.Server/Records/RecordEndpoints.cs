using System.Security.Claims;
using System.Text.Json;
using Rhabdon.Core;
using Rhabdon.Core.Connectors;
using Rhabdon.Core.Diagnosis;
using Rhabdon.Core.Fiber;
using Rhabdon.Core.Inspection;
using Rhabdon.Core.Ledger;
using Rhabdon.Core.Loss;
using Rhabdon.Core.Planning;
using Rhabdon.Core.Prep;
using Rhabdon.Core.Procedures;
using Rhabdon.Core.Rework;
using Rhabdon.Server.Accounts;
using Rhabdon.Server.Web;
using Rhabdon.Store;

namespace Rhabdon.Server.Records;

/// <param name="Ask">What its record says; null where nothing is to be decided.</param>
public sealed record EndDiagnosis(DiagnoseAsk? Ask, DiagnosisFound? Found);

/// <summary>One line of an end's time line.</summary>
/// <param name="Struck">True when a later correction took it back.</param>
/// <param name="Loss">Only for a measurement: what Core made of it, with limit and edition.</param>
/// <param name="EndFace">Only for an inspection: the grade, with what decided it.</param>
/// <param name="Trace">Only for a trace: the connector against the limits of one pair.</param>
/// <param name="Again">Only for a look by picture after a connector of this end was accepted by one: whether it is the same face.</param>
/// <param name="NotCounted">Why the entry is kept and does not count.</param>
/// <param name="Differences">What the device said otherwise than the plan or the rulebook has it; theirs were used.</param>
public sealed record RecordEntry(
    EventId EventId, EventKind Kind, int Attempt, Instant At, Instant ReceivedAt, DeviceId DeviceId, string ActorName, bool Struck, JsonElement Body,
    LossJudgement? Loss, EndFaceVerdict? EndFace, TracedVerdict? Trace, CleaveVerdict? Cleave, LightJudgement? Light, string? NotCounted, IReadOnlyList<Difference> Differences, FaceAgain? Again = null);

/// <summary>What is planned for an end, and what it needs at the bench.</summary>
/// <param name="PlaceId">Its panel, or its cable where it lands on none.</param>
/// <param name="PersonId">Who works it, where it is not the whole crew's.</param>
/// <param name="OrderedLengthMm">Of a jumper: from ferrule to ferrule.</param>
/// <param name="Version">Rises with each change of what is planned of it.</param>
/// <param name="ShardsCounted">True when no shard of its run is still to be counted into the batch's container.</param>
/// <param name="Acceptance">Whether the one who asks may accept it as it stands; no in a panel's bench, which outlives the answer.</param>
/// <param name="LightRule">How its red light is judged; null where its procedure judges none.</param>
/// <param name="FaceLimitSetId">What its face is held to: the newest house limits, else the standard.</param>
/// <param name="Connections">Mated pairs of its link, both ends mated.</param>
/// <param name="Splices">Of its link, with those of pigtails.</param>
/// <param name="Rework">What you can do with its finished connector that is not accepted, the cheapest first; empty in a panel's bench, where nobody chooses it.</param>
/// <param name="Answers">What the end itself answers of a procedure that differs by it: form, polish, mode, cord.</param>
/// <param name="LossLimits">What its link may lose, by wavelength and by the way of zeroing.</param>
/// <param name="TraceLimits">What its connector may show in a trace; null where its limits say nothing of its mode.</param>
/// <param name="Waiting">What it waits for, where a person has to decide; null for viewers and in a panel's bench.</param>
/// <param name="Advice">What Core advises then.</param>
/// <param name="FarEndMade">True when the far end's own record says that its connector is finished; else a reading's far end has to be said.</param>
public sealed record EndView(
    EndId EndId, string Address, JobId JobId, string Customer, string Site, string TimeZone, string LimitSetId, string? CrewName, PersonId? PersonId, string? PersonName, string SpaceName, PlaceId PlaceId, PanelId? PanelId, string PanelCode,
    int Port, int Position, string CableCode, FiberClass FiberClass, CableConstruction Construction, double LengthM, Strand Strand, CableSide Side,
    ConnectorForm Form, Polish Polish, FiberMode Mode, TerminationMethod Method, FiberClass? StubClass, EndFaceClass EndFaceClass, IReadOnlyList<int> TestWavelengthsNm,
    string? ProcedureId, int? ProcedureVersion, EndId? FarEndId, string? FarAddress, double SlackPlannedMm, SlackOutlook Slack, PrepCard? Prep, EndState State, IReadOnlyList<LossSummary> Losses, LightRule? LightRule, string FaceLimitSetId, bool FarEndMade, int Connections, int Splices, double? OrderedLengthMm, int Version, bool ShardsCounted, IReadOnlyList<ReworkChoice> Rework, Acceptance Acceptance, IReadOnlyDictionary<string, string> Answers, IReadOnlyList<LossLimitAt> LossLimits, TraceLimits? TraceLimits, Waiting? Waiting, Advice? Advice);

/// <summary>All that a bench needs for one panel, network or not.</summary>
/// <param name="Tables">The run tables of these ends: of runs under way, and of what is planned.</param>
/// <param name="Kit">What the crew said last in its pre-flights.</param>
/// <param name="Jumper">How long it comes out; null at a panel.</param>
/// <param name="Batches">Counts of the containers of the batches that are worked here.</param>
public sealed record PanelBench(PlaceId PlaceId, JobId JobId, string Customer, string Site, string TimeZone, string PanelCode, string SpaceCode, IReadOnlyList<EndView> Ends, IReadOnlyList<RunTable> Tables, IReadOnlyList<PreflightAnswer> Kit, IReadOnlyList<BatchState> Batches, JumperLength? Jumper);

public sealed record EndRecord(EndView End, IReadOnlyList<RecordEntry> Entries);

public static class RecordEndpoints
{
    private const int LargestPage = 500, LongestLabel = 100;

    public static void MapRecords(this RouteGroupBuilder api)
    {
        api.MapGet("/places/{placeId:guid}/bench", Bench).RequireAuthorization(Policies.Work).WithSummary("All that a bench needs for one panel, or for a jumper by its cable, to go on with no network: ends, run tables, kit.");
        api.MapGet("/ends", List).WithSummary("Ends that you may see, filtered by job, place (a panel, or a jumper's cable), form, polish, mode, method, verdict, status, crew, label (`find`) and the site's day of the last work (`from`, `to`); in the order of places, the newest first, or of one job what has least in hand first.");
        api.MapGet("/ends/{endId:guid}", Find).WithSummary("One end: its plan, dimensions, slack and state.");
        api.MapGet("/ends/{endId:guid}/diagnosis", Diagnosis).RequireAuthorization(Policies.Work)
            .WithSummary("What may ail a connector that is not good, from its own record and its neighbours', and what to do next at the least cost; null where no finished connector waits. `ask` is what POST /api/calc/diagnose takes.");
        api.MapGet("/ends/{endId:guid}/nearest", Nearest).RequireAuthorization(Policies.Work).WithSummary("The procedures that come nearest to an end for which there is none, and what differs; empty where its own fits.");
        api.MapGet("/ends/{endId:guid}/record", Record).WithSummary("One end's whole record: every entry with its limit and edition, who and when.");
    }

    private static async Task<IReadOnlyList<EndRow>> List(
        ClaimsPrincipal user, Store.Records records, CancellationToken cancel, JobId? jobId = null, PlaceId? placeId = null, string? form = null, string? polish = null, string? mode = null, string? method = null,
        string? verdict = null, string? status = null, CrewId? crewId = null, bool nearlyOut = false, bool mine = false, string? find = null, string? from = null, string? to = null, string? order = null, EndId? after = null, int limit = 100)
    {
        var by = QueryWords.Choice<EndOrder>("order", order) ?? EndOrder.Place;
        new Input().Require(by != EndOrder.InHand || jobId is not null, Refusal.Of("order-of-one-job", "order")).Require(find is null || find.Length <= LongestLabel, Refusal.Of("text-length", "find", ("most", LongestLabel))).ThrowIfBad();
        return await records.List(user.Scope(),
            new EndFilter(jobId, placeId, QueryWords.Choice<ConnectorForm>("form", form), QueryWords.Choice<Polish>("polish", polish), QueryWords.Choice<FiberMode>("mode", mode), QueryWords.Choice<TerminationMethod>("method", method),
                QueryWords.Choice<EndVerdict>("verdict", verdict), QueryWords.Choice<EndStatus>("status", status), user.Scope().Viewer ? null : crewId, nearlyOut, mine,
                string.IsNullOrWhiteSpace(find) ? null : EndLabel.Read(find), QueryWords.Day("from", from), QueryWords.Day("to", to), by),
            after, Math.Clamp(limit, 1, LargestPage), cancel);
    }

    private static async Task<EndView> Find(EndId endId, ClaimsPrincipal user, Store.Records records, Causes causes, Methods methods, StreamProjector streams, CancellationToken cancel)
    {
        var plan = await Seen(endId, user, records, cancel);
        return View(plan, user.Scope(), await methods.Rules(user.Scope().CompanyId, cancel), await streams.Batches(user.Scope().CompanyId, plan.State.BatchesAtWork(), cancel), (await Diagnosed(plan, user.Scope(), records, causes, cancel)).Found);
    }

    private static async Task<EndDiagnosis> Diagnosis(EndId endId, ClaimsPrincipal user, Store.Records records, Causes causes, CancellationToken cancel)
    {
        return await Diagnosed(await Seen(endId, user, records, cancel), user.Scope(), records, causes, cancel);
    }

    /// <summary>What may ail an end that waits for a decision, by its own record and its neighbours'.</summary>
    private static async Task<EndDiagnosis> Diagnosed(EndPlan plan, Scope scope, Store.Records records, Causes causes, CancellationToken cancel)
    {
        if (scope.Viewer || plan.State.Status != EndStatus.NeedsDecision || plan.State.Conflict || plan.State.Current is not { Broken: false } run)
        {
            return new(null, null);
        }

        var neighbours = (await records.At(scope, plan.PlaceId, cancel)).Where(p => p.EndId != plan.EndId).Select(p => p.State.Current).OfType<AttemptState>().ToList();
        var history = await causes.HistoryOf(scope.CompanyId, [run], cancel);
        var ask = Core.Diagnosis.Seen.Of(run, plan.Planned(), plan.Form, plan.SlackPlannedMm - plan.State.SlackUsedMm, neighbours, history.GetValueOrDefault(run.RunId));
        return new(ask, new Diagnoses((await causes.Of(scope.CompanyId, cancel)).Tables).Of(ask));
    }

    private static async Task<IReadOnlyList<NearProcedure>> Nearest(EndId endId, ClaimsPrincipal user, Store.Records records, Methods methods, CancellationToken cancel)
    {
        var plan = await Seen(endId, user, records, cancel);
        var (connector, cable) = (new ConnectorSpec(plan.Form, plan.Polish, plan.Mode, plan.Method, plan.StubClass), new CableSpec(plan.FiberClass, plan.Construction));
        var newest = (await methods.Rules(user.Scope().CompanyId, cancel)).Newest.ToList();
        return plan.ProcedureId is not null || Fitting.Of(newest, connector, cable).Count > 0 ? [] : Fitting.Nearest(newest, connector, cable);
    }

    private static async Task<PanelBench> Bench(PlaceId placeId, ClaimsPrincipal user, Store.Records records, Methods methods, StreamProjector streams, CancellationToken cancel)
    {
        var scope = user.Scope();
        // Asked side by side: what the company's rules are does not depend on the place.
        var (ruled, schooled) = (methods.Rules(scope.CompanyId, cancel), methods.Schools(scope.CompanyId, cancel));
        var plans = await records.At(scope, placeId, cancel);
        var (rules, schools) = (await ruled, await schooled);
        if (plans.Count == 0)
        {
            throw new ApiException(404, Refusal.Of("not-found", "placeId"));
        }

        var batches = await streams.Batches(scope.CompanyId, plans.SelectMany(e => e.State.BatchesAtWork()), cancel);
        var (ends, p) = (plans.Select(e => View(e, null, rules, batches)).ToList(), plans[0]);
        var planned = plans.Where(e => e.ProcedureId is not null).Select(e => rules.FindTable(e.ProcedureId!, e.ProcedureVersion!.Value, e.Planned().Schools(schools)));
        var running = ends.SelectMany(e => e.State.Attempts).Where(a => a.Open).Select(a => rules.FindTable(a.ProcedureId, a.ProcedureVersion, a.Schools));
        return new(placeId, p.JobId, p.Customer, p.Site, p.TimeZone, p.PanelCode, p.SpaceCode, ends, [.. planned.Concat(running).OfType<RunTable>().Distinct()], await methods.Kit(scope.CompanyId, p.CrewId, cancel), batches, JumperOf(plans));
    }

    private static JumperLength? JumperOf(IReadOnlyList<EndPlan> ends)
    {
        IEnumerable<EndPlan> At(CableSide side) => ends.Where(e => e.Side == side);
        return ends[0] is { PanelId: null, OrderedLengthMm: { } ordered } first
            ? Jumpers.Length(ordered, first.OrderedToleranceMm, At(CableSide.A).FirstOrDefault()?.SlackPlannedMm ?? 0, At(CableSide.B).FirstOrDefault()?.SlackPlannedMm ?? 0,
                At(CableSide.A).Select(e => e.State.SlackUsedMm), At(CableSide.B).Select(e => e.State.SlackUsedMm))
            : null;
    }

    private static async Task<EndRecord> Record(EndId endId, ClaimsPrincipal user, Store.Records records, Causes causes, EventLog log, Methods methods, StreamProjector streams, CancellationToken cancel)
    {
        // Asked side by side; who may not see the end gets nothing of either.
        var asked = log.Of(user.Scope().CompanyId, endId, cancel);
        var plan = await Seen(endId, user, records, cancel);
        var (stored, events, lines) = await asked;
        var struck = Telling.Struck(lines);
        var again = FacesAgain.Of(plan.State).ToDictionary(f => f.EventId);
        return new(View(plan, user.Scope(), await methods.Rules(user.Scope().CompanyId, cancel), await streams.Batches(user.Scope().CompanyId, plan.State.BatchesAtWork(), cancel), (await Diagnosed(plan, user.Scope(), records, causes, cancel)).Found), [.. stored.Zip(events, (s, e) => Entry(s, e, struck.Contains(e.Id), Retelling.Of(lines, e)) with { Again = again.GetValueOrDefault(e.Id) })]);
    }

    private static RecordEntry Entry(StoredEvent stored, LedgerEvent e, bool struck, Judged? judged) => new(
        e.Id, e.Kind, e.Attempt, stored.At, stored.ReceivedAt, e.DeviceId, stored.ActorName, struck || judged is Voided { Code: "struck" }, e.Body,
        (judged as LossJudged)?.Loss, (judged as FaceGraded)?.Verdict, (judged as TraceJudged)?.Verdict, (judged as CleaveJudged)?.Verdict, (judged as GlowJudged)?.Judgement,
        judged is Voided { Code: not "struck" } voided ? Sentences.English.Say(voided.Why) : (judged as Unreadable)?.Why,
        judged switch
        {
            LossJudged x => x.Differences,
            FaceGraded x => x.Differences,
            TraceJudged x => x.Differences,
            CleaveJudged x => x.Differences,
            GlowJudged x => x.Differences,
            _ => null,
        } ?? []);

    private static Dictionary<BatchId, Instant> CountedAt(IReadOnlyList<BatchState> batches) => batches.Where(b => b.Counts.Count > 0).ToDictionary(b => b.Id.As<Core.Ids.Batch>(), b => b.Counts.Max(c => c.At));

    /// <param name="chooser">Who may choose what is done with it again; null where nobody asks.</param>
    private static EndView View(EndPlan p, Scope? chooser, Rules rules, IReadOnlyList<BatchState> batches, DiagnosisFound? found = null)
    {
        var plan = p.Planned();
        var table = p.ProcedureId is null ? null : rules.FindTable(p.ProcedureId, p.ProcedureVersion!.Value, plan.Schools(null));
        var state = p.State;
        // The schools that the run follows say how its light is judged, and where it can go back to.
        var walked = state.Current is { } run ? rules.FindTable(run.ProcedureId, run.ProcedureVersion, run.Schools) : table;
        var light = walked?.States.Select(s => s.Light).FirstOrDefault(l => l is not null);
        IReadOnlyList<ReworkChoice> choices = walked is null || chooser is null ? [] : ReworkChoices.Of(state, walked, p.SlackPlannedMm - state.SlackUsedMm, chooser.Role, chooser.PersonId);
        var waiting = chooser is null or { Viewer: true } ? null : Waiting.Of(state);
        return new(
            p.EndId, p.Address(), p.JobId, p.Customer, p.Site, p.TimeZone, p.LimitSetId, p.CrewName, p.PersonId, p.PersonName,
            p.SpaceName, p.PlaceId, p.PanelId, p.PanelCode, p.Port, p.Position, p.CableCode, p.FiberClass, p.Construction, p.LengthM, p.StrandAt(), p.Side,
            p.Form, p.Polish, p.Mode, p.Method, p.StubClass, plan.EndFaceClass, p.FiberClass.TestWavelengthsNm(), p.ProcedureId, p.ProcedureVersion, p.FarEndId, p.FarAddress, p.SlackPlannedMm,
            Plans.Slack(p.SlackPlannedMm, state.SlackUsedMm, table?.Prep), table?.Prep, state,
            LossSummary.Of(p.Mode, [.. (state.Current?.Losses ?? []).Select(l => (l.Reading.Direction is { } d ? d == Direction.AToB : (bool?)null, l.Judgement))]), light, rules.FaceSetFor(plan).Id,
            FarEnds.IsMade(p.FarStatus), plan.Connections, plan.Splices, p.OrderedLengthMm, p.Version, state.Current is not { } made || Shards.Counted(made, CountedAt(batches)),
            choices,
            chooser is null ? Acceptance.No : Acceptances.Of(state, chooser.Role, CountedAt(batches)), plan.Schools(null)!,
            InsertionLoss.Limits(plan.Link, p.FiberClass.TestWavelengthsNm(), rules.LossSet(plan.LossLimitSetId)), TraceLimits.Of(p.Mode, p.Polish, rules.LossSet(plan.LossLimitSetId)), waiting, Advices.Of(state, waiting, walked, choices, found));
    }

    private static async Task<EndPlan> Seen(EndId endId, ClaimsPrincipal user, Store.Records records, CancellationToken cancel = default) =>
        await records.Find(user.Scope(), endId, cancel) ?? throw new ApiException(404, Refusal.Of("not-found", "endId"));
}
