using System.Security.Claims;
using Rhabdon.Core;
using Rhabdon.Core.Ledger;
using Rhabdon.Core.Loss;
using Rhabdon.Instruments;
using Rhabdon.Server.Accounts;
using Rhabdon.Server.Web;
using Rhabdon.Store;

namespace Rhabdon.Server.Measure;

/// <param name="Csv">The meter's table: comma, semicolon or tab between the columns, the headings in the first row.</param>
/// <param name="Columns">Left out, headings are guessed.</param>
/// <param name="WavelengthNm">Where the table has no column for it.</param>
/// <param name="ReferenceDbm">By wavelength in nanometres, for readings in dBm.</param>
/// <param name="InstrumentId">Null for a meter that nobody named.</param>
public sealed record ReadingsRequest(
    string Csv, ReadingColumns? Columns = null, int? WavelengthNm = null, IReadOnlyDictionary<int, double>? ReferenceDbm = null, ReferenceMethod Reference = ReferenceMethod.OneCord,
    InstrumentId? InstrumentId = null);

/// <param name="Headings">Of the table, to choose columns from.</param>
/// <param name="Columns">As chosen or guessed.</param>
public sealed record ReadingsAnswer(IReadOnlyList<string> Headings, ReadingColumns Columns, IReadOnlyList<ReadingRow> Rows);

/// <param name="Csv">The splicer's table: comma, semicolon or tab between the columns, the headings in the first row.</param>
/// <param name="EndIds">In the order in which they were spliced; each row is one of them.</param>
/// <param name="Columns">Left out, headings are guessed.</param>
public sealed record SplicesRequest(string Csv, IReadOnlyList<EndId> EndIds, SpliceColumns? Columns = null);

/// <param name="Headings">Of the table, to choose columns from.</param>
/// <param name="Columns">As chosen or guessed.</param>
public sealed record SplicesAnswer(IReadOnlyList<string> Headings, SpliceColumns Columns, IReadOnlyList<SpliceRow> Rows);

/// <summary>A reading of one end's link, before it is told. The link, its limits and the meter's repeatability are the server's own.</summary>
/// <param name="InstrumentId">Null for a meter that nobody named.</param>
public sealed record EndReading(int WavelengthNm, ReferenceMethod Reference, double ReferenceDbm, double ReadingDbm, InstrumentId? InstrumentId = null);

/// <param name="Links">How many readings and traces told.</param>
public sealed record PanelSuspects(int Links, SuspectAnswer? Answer);

/// <summary>Readings judged before they are told, one by one or as a panel's table, and what a panel's readings say of its connectors.</summary>
public static class ReadingEndpoints
{
    public static void MapReadings(this RouteGroupBuilder api)
    {
        api.MapPost("/places/{placeId:guid}/readings/check", Check).RequireAuthorization(Policies.Work)
            .WithSummary("Match a meter's table to a panel's ends and judge each row. Nothing is kept: recording is an event for each row.");
        api.MapPost("/places/{placeId:guid}/splices/check", Splices).RequireAuthorization(Policies.Work)
            .WithSummary("Match a splicer's table to ends of a panel: its estimates in dB, its cleave angles in degrees. Nothing is kept: recording is an event for each row.");
        api.MapPost("/ends/{endId:guid}/judge/loss", Judge).RequireAuthorization(Policies.Work)
            .WithSummary("What the ledger would say of this reading: by the link as planned, its limits and the instrument's own repeatability. Powers in dBm. Nothing is kept.");
        api.MapGet("/places/{placeId:guid}/suspects", Suspect).WithSummary("From the panel's readings and traces: the loss of each connector with its uncertainty, and which to look at first.");
    }

    private static async Task<LossJudgement> Judge(EndId endId, EndReading r, ClaimsPrincipal user, Store.Records records, Methods methods, StreamProjector streams, CancellationToken cancel)
    {
        var scope = user.Scope();
        var plan = (await records.Find(scope, endId, cancel) ?? throw new ApiException(404, Refusal.Of("not-found", "endId"))).Planned();
        var limits = (await methods.Rules(scope.CompanyId, cancel)).LossSet(plan.LossLimitSetId);
        return InsertionLoss.Judge(new(r.WavelengthNm, r.Reference, r.ReferenceDbm, r.ReadingDbm, await RepeatabilityDb(r.InstrumentId, scope, streams, cancel)), plan.Link, limits);
    }

    private static async Task<ReadingsAnswer> Check(PlaceId placeId, ReadingsRequest r, ClaimsPrincipal user, Store.Records records, Methods methods, StreamProjector streams, CancellationToken cancel)
    {
        var scope = user.Scope();
        var rules = await methods.Rules(scope.CompanyId, cancel);
        var ends = (await At(placeId, scope, records, cancel)).Select(e => new MeterEnd(e.EndId, e.Address(), e.Port, e.Planned().Link, rules.LossSet(e.LimitSetId), e.State.NotMeasurable)).ToList();
        var (headings, table) = MeterTable.Read(r.Csv);
        var columns = r.Columns ?? ReadingColumns.Guess(headings);
        columns.Check(headings);
        var rows = new MeterRows(ends, columns, new(r.WavelengthNm, r.ReferenceDbm, r.Reference, await RepeatabilityDb(r.InstrumentId, scope, streams, cancel)));
        return new(headings, columns, [.. table.Select(t => rows.Judge(t.Row, Cell(headings, t.Cells)))]);
    }

    private static async Task<SplicesAnswer> Splices(PlaceId placeId, SplicesRequest r, ClaimsPrincipal user, Store.Records records, CancellationToken cancel)
    {
        var here = (await At(placeId, user.Scope(), records, cancel)).ToDictionary(e => e.EndId);
        var ends = r.EndIds.Distinct().Select(id => here.TryGetValue(id, out var e) ? new SplicedEnd(id, e.Address(), e.StrandAt().Number) : throw new RefusedException(Refusal.Of("end-not-here", "endIds"))).ToList();
        var (headings, table) = MeterTable.Read(r.Csv);
        var columns = r.Columns ?? SpliceColumns.Guess(headings);
        columns.Check(headings);
        return new(headings, columns, SpliceRows.Read(ends, columns, [.. table.Select(t => (t.Row, Cell(headings, t.Cells)))]));
    }

    /// <summary>A row's cell by its heading; null where it is empty or there is no such column.</summary>
    private static Func<string?, string?> Cell(List<string> headings, string[] cells) => column =>
        column is not null && headings.IndexOf(column) is var i and >= 0 && i < cells.Length && cells[i].Trim() is { Length: > 0 } text ? text : null;

    /// <summary>As the instrument's own record has it.</summary>
    private static async Task<double> RepeatabilityDb(InstrumentId? instrumentId, Scope scope, StreamProjector streams, CancellationToken cancel) =>
        instrumentId is not { } id ? InsertionLoss.UsualRepeatabilityDb
        : (await streams.List(scope, StreamKind.Instrument, false, cancel)).OfType<InstrumentState>().FirstOrDefault(i => i.Id == id.As<Ids.Stream>()) is { } meter ? meter.RepeatabilityDb ?? InsertionLoss.UsualRepeatabilityDb
        : throw new RefusedException(Refusal.Of("instrument-unknown", "instrumentId"));

    private static async Task<IReadOnlyList<EndPlan>> At(PlaceId placeId, Scope scope, Store.Records records, CancellationToken cancel) =>
        await records.At(scope, placeId, cancel) is { Count: > 0 } ends ? ends : throw new ApiException(404, Refusal.Of("not-found", "placeId"));

    private static async Task<PanelSuspects> Suspect(PlaceId placeId, ClaimsPrincipal user, Store.Records records, Methods methods, CancellationToken cancel)
    {
        var ends = await At(placeId, user.Scope(), records, cancel);
        var rules = await methods.Rules(user.Scope().CompanyId, cancel);
        var sums = new List<MeasuredSum>();
        var pair = 0.75;
        foreach (var e in ends)
        {
            var (near, far) = (e.Address(), e.FarAddress ?? $"{e.Address()} far end");
            pair = rules.LossSet(e.LimitSetId).Connections.FirstOrDefault(c => c.Mode == e.Mode)?.PairDb ?? pair;
            if (e.State.Current is not { Open: true } attempt)
            {
                continue;
            }

            var splices = e.Planned().Splices;
            sums.AddRange(attempt.Losses.Where(l => l.Judgement.Verdict != LossVerdict.BadReference)
                .Select(l => Suspects.Link(near, far, l.Judgement, splices, l.Reading.RepeatabilityDb ?? InsertionLoss.UsualRepeatabilityDb)));
            sums.AddRange(attempt.Traces.Select(t => new MeasuredSum([near], t.Reading.LossDb, 0, 0.05)));
        }

        return new(sums.Count, sums.Count == 0 ? null : Suspects.Find(sums, pair));
    }
}
