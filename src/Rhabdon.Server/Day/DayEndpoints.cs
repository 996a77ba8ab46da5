using System.Security.Claims;
using Rhabdon.Core;
using Rhabdon.Core.Day;
using Rhabdon.Core.Handover;
using Rhabdon.Core.Ledger;
using Rhabdon.Core.Planning;
using Rhabdon.Documents;
using Rhabdon.Imaging;
using Rhabdon.Server.Accounts;
using Rhabdon.Server.Jobs;
using Rhabdon.Server.Web;
using Rhabdon.Store;

namespace Rhabdon.Server.Day;

public enum DayFormat
{
    Pdf, Csv, Xlsx,
}

/// <summary>A site's day, and what the customer pays for what was accepted.</summary>
public static class DayEndpoints
{
    /// <summary>Photos of a day on its paper, the first of them.</summary>
    private const int MostPhotos = 40;

    private const int MostPrices = 100, MostDays = 366;

    private const decimal DearestPrice = 1_000_000;

    public static void MapDay(this RouteGroupBuilder api)
    {
        api.MapGet("/jobs/{jobId:guid}/day", Day).RequireAuthorization(Policies.Plan)
            .WithSummary("A site's day, from the ledger: who was there, where, how many, what waits, what stood in the way and for how many hours, photos. on: as in 2026-11-27; left out, today at the site.").WithDescription("Hours; instants in UTC.");
        api.MapGet("/jobs/{jobId:guid}/day/file", DayFile).RequireAuthorization(Policies.Plan).WithSummary("The same as a file: format pdf, csv or xlsx.").Produces(200, contentType: "application/pdf");
        api.MapGet("/jobs/{jobId:guid}/progress", Progress).RequireAuthorization(Policies.Office)
            .WithSummary("Connectors that were accepted in a time, by unit price, for a progress invoice; one that was given up since is taken off. from and to: days at the site, both counted; left out, this month so far.").WithDescription("Amounts in the job's currency; before: what was accepted earlier.");
        api.MapGet("/jobs/{jobId:guid}/progress/file", ProgressFile).RequireAuthorization(Policies.Office).WithSummary("The same as a file: format pdf, csv or xlsx.").Produces(200, contentType: "application/pdf");
        api.MapGet("/jobs/{jobId:guid}/prices", Prices).RequireAuthorization(Policies.Office).WithSummary("What the customer pays for an accepted connector, by its kind.");
        api.MapPut("/jobs/{jobId:guid}/prices", SetPrices).RequireAuthorization(Policies.Office).WithSummary("Set what the customer pays for an accepted connector, by its kind.");
    }

    private static async Task<DayReport> Day(JobId jobId, ClaimsPrincipal user, Store.Jobs jobs, DossierShelf shelf, StreamProjector streams, Days days, Store.Records records, TimeProvider clock, CancellationToken cancel, string? on = null) =>
        (await Report(jobId, on, user, jobs, shelf, streams, days, records, clock, cancel)).Report;

    private static async Task<IResult> DayFile(
        JobId jobId, ClaimsPrincipal user, Store.Jobs jobs, DossierShelf shelf, StreamProjector streams, Days days, Store.Records records, EvidenceStore evidence, TimeProvider clock, CancellationToken cancel, string? on = null, string? format = null)
    {
        var as_ = QueryWords.Choice<DayFormat>("format", format) ?? DayFormat.Pdf;
        var (source, report) = await Report(jobId, on, user, jobs, shelf, streams, days, records, clock, cancel);
        var photos = new List<PaperPicture>();
        if (as_ == DayFormat.Pdf)
        {
            var places = source.Ends.GroupBy(e => e.PlaceId).ToDictionary(g => g.Key, g => g.First().PlaceCode);
            var ends = source.Ends.ToDictionary(e => e.EndId, e => e.Address);
            foreach (var photo in source.Photos.Where(p => report.Photos.Contains(p.EvidenceId)).Take(MostPhotos))
            {
                if (await evidence.Find(user.Scope(), photo.EvidenceId, cancel) is { } kept && Copy(kept.Bytes) is { } jpeg)
                {
                    photos.Add(new(photo.EndId is { } end ? ends.GetValueOrDefault(end) ?? source.Site : photo.PlaceId is { } place ? places.GetValueOrDefault(place) ?? source.Site : source.Site, jpeg));
                }
            }
        }

        return DayPapers.File(DayPapers.Day(source, report, photos), as_, $"day-{DayPapers.Text(report.On)}", clock);
    }

    /// <summary>A photo that cannot be read any more is left out: the rest of the day stands.</summary>
    private static byte[]? Copy(byte[] photo)
    {
        try
        {
            return PhotoCopy.ForPaper(photo);
        }
        catch (RefusedException)
        {
            return null;
        }
    }

    private static async Task<(DossierSource Source, DayReport Report)> Report(
        JobId jobId, string? on, ClaimsPrincipal user, Store.Jobs jobs, DossierShelf shelf, StreamProjector streams, Days days, Store.Records records, TimeProvider clock, CancellationToken cancel)
    {
        var (scope, said) = (user.Scope(), QueryWords.Day("on", on));
        var job = await JobEndpoints.Planned(jobs, scope, jobId, cancel);
        var now = clock.GetCurrentInstant();
        var day = said ?? SiteDates.On(now, job.TimeZone);
        var source = await shelf.Source(scope, job, cancel);
        var (from, to) = SiteDates.Bounds(day, job.TimeZone);
        var entries = await days.Entries(scope.CompanyId, jobId, from, to, cancel);
        var state = await streams.Find(scope.CompanyId, StreamKind.Job, jobId.As<Ids.Stream>(), cancel) as JobState;
        var people = entries.Select(e => e.By).Concat(state?.Blocks.Select(b => b.By) ?? []).Concat(state?.Delays.Select(d => d.By) ?? []).Distinct().ToList();
        return (source, DayReports.Of(source with { People = await records.Names(scope.CompanyId, people, cancel) }, entries, state, day, now));
    }

    private static async Task<ProgressInvoice> Progress(JobId jobId, ClaimsPrincipal user, Store.Jobs jobs, DossierShelf shelf, Days days, TimeProvider clock, CancellationToken cancel, string? from = null, string? to = null) =>
        (await Invoice(jobId, from, to, user, jobs, shelf, days, clock, cancel)).Invoice;

    private static async Task<IResult> ProgressFile(JobId jobId, ClaimsPrincipal user, Store.Jobs jobs, DossierShelf shelf, Days days, TimeProvider clock, CancellationToken cancel, string? from = null, string? to = null, string? format = null)
    {
        var as_ = QueryWords.Choice<DayFormat>("format", format) ?? DayFormat.Pdf;
        var (source, invoice) = await Invoice(jobId, from, to, user, jobs, shelf, days, clock, cancel);
        return DayPapers.File(DayPapers.Progress(source, invoice), as_, $"progress-{DayPapers.Text(invoice.To)}", clock);
    }

    private static async Task<(DossierSource Source, ProgressInvoice Invoice)> Invoice(JobId jobId, string? from, string? to, ClaimsPrincipal user, Store.Jobs jobs, DossierShelf shelf, Days days, TimeProvider clock, CancellationToken cancel)
    {
        var scope = user.Scope();
        var job = await JobEndpoints.Planned(jobs, scope, jobId, cancel);
        var (first, last) = Span(from, to, SiteDates.On(clock.GetCurrentInstant(), job.TimeZone), MostDays);
        var source = await shelf.Source(scope, job, cancel);
        return (source, ProgressInvoices.Of(source, await days.Prices(scope.CompanyId, jobId, cancel), first, last));
    }

    /// <summary>The days that were asked for; left out, the month of the last one up to it.</summary>
    internal static (LocalDate From, LocalDate To) Span(string? from, string? to, LocalDate today, int most)
    {
        var last = QueryWords.Day("to", to) ?? today;
        var first = QueryWords.Day("from", from) ?? last.With(DateAdjusters.StartOfMonth);
        return first <= last && Period.DaysBetween(first, last) < most ? (first, last) : throw new ApiException(400, Refusal.Of("days-span", "from", ("most", most)));
    }

    private static async Task<JobPrices> Prices(JobId jobId, ClaimsPrincipal user, Store.Jobs jobs, Days days, CancellationToken cancel)
    {
        await JobEndpoints.Planned(jobs, user.Scope(), jobId, cancel);
        return await days.Prices(user.Scope().CompanyId, jobId, cancel);
    }

    private static async Task<JobPrices> SetPrices(JobId jobId, JobPrices r, ClaimsPrincipal user, Store.Jobs jobs, Days days, TimeProvider clock, CancellationToken cancel)
    {
        var scope = user.Scope();
        await JobEndpoints.Planned(jobs, scope, jobId, cancel);
        new Input().Require(r.Currency is "" || (r.Currency.Length == 3 && r.Currency.All(char.IsAsciiLetterUpper)), Refusal.Of("currency-shape", "currency"))
            .Require(r.Units.Count <= MostPrices, Refusal.Of("figure-range", "units", ("least", 0), ("most", MostPrices)))
            .Require(r.Units.All(u => u.Price is >= 0 and <= DearestPrice), Refusal.Of("figure-range", "units.price", ("least", 0), ("most", DearestPrice)))
            .Require(r.Units.Select(u => (u.Method, u.Form, u.Polish, u.Mode)).Distinct().Count() == r.Units.Count, Refusal.Of("price-twice", "units")).ThrowIfBad();
        await days.SetPrices(scope.CompanyId, jobId, r, scope.PersonId, clock.GetCurrentInstant(), cancel);
        return await days.Prices(scope.CompanyId, jobId, cancel);
    }
}
