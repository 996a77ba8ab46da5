using System.Security.Claims;
using Rhabdon.Core;
using Rhabdon.Core.Handover;
using Rhabdon.Core.Ledger;
using Rhabdon.Documents;
using Rhabdon.Server.Accounts;
using Rhabdon.Server.Jobs;
using Rhabdon.Server.Web;
using Rhabdon.Store;

namespace Rhabdon.Server.Handover;

/// <param name="Names">People are named in it.</param>
/// <param name="ExceptionsOnly">Only connectors that something is to be said of.</param>
/// <param name="Pictures">With end faces and traces.</param>
/// <param name="SpaceIds">Only of these; null for all.</param>
/// <param name="PlaceIds">Only of these panels and jumpers; null for all.</param>
/// <param name="Handover">The event of the handover that it is the paper of; null for a copy.</param>
/// <param name="Photos">With photos of ends, of panels and of the site.</param>
public sealed record DossierAsk(
    DossierEdition Edition, bool Names = false, bool ExceptionsOnly = false, bool Pictures = true, IReadOnlyList<SpaceId>? SpaceIds = null, IReadOnlyList<PlaceId>? PlaceIds = null, EventId? Handover = null, bool Photos = false);

/// <param name="Progress">0 to 1.</param>
/// <param name="CheckCode">As it is printed; null until it is done.</param>
/// <param name="FileName">As it is saved.</param>
public sealed record DossierView(
    DossierId DossierId, JobId JobId, DossierChoice Choice, int? Handover, DossierStage Stage, double Progress, string AskedBy, Instant AskedAt, Instant? DoneAt, string? CheckCode, DossierSummary? Summary, long? FileBytes, string? FileName, string? Fault);

public enum TableFormat
{
    Csv, Xlsx,
}

/// <summary>The proof of a job on paper: asked for, drawn in the background, fetched with the seal that lies beside it.</summary>
public static class DossierEndpoints
{
    private const int MostChosen = 500;

    public static void MapDossiers(this RouteGroupBuilder api)
    {
        api.MapGet("/jobs/{jobId:guid}/dossiers", List).RequireAuthorization(Policies.Plan).WithSummary("Dossiers of a job, newest first: the last ten copies, and all that were handed over.");
        api.MapPost("/jobs/{jobId:guid}/dossiers", Ask).RequireAuthorization(Policies.Plan).WithSummary("Ask for a dossier of a job: the customer's (what was accepted, and how it was proven) or the company's own (everything). It is drawn in the background; ask for it again to see how far it is.");
        api.MapGet("/dossiers/{dossierId:guid}", Find).RequireAuthorization(Policies.Plan).WithSummary("How far a dossier is.");
        api.MapPost("/dossiers/{dossierId:guid}/stop", Stop).RequireAuthorization(Policies.Plan).WithSummary("Stop drawing it.");
        api.MapGet("/dossiers/{dossierId:guid}/file", Pdf).RequireAuthorization(Policies.Plan).WithSummary("The dossier as PDF.").Produces(200, contentType: "application/pdf");
        api.MapGet("/dossiers/{dossierId:guid}/seal", SealFile).RequireAuthorization(Policies.Plan).WithSummary("The seal that lies beside it: hashes and the company's signature, ECDSA P-256.").Produces(200, contentType: "application/json");
        api.MapGet("/dossiers/{dossierId:guid}/data", Data).RequireAuthorization(Policies.Plan).WithSummary("The data that it was drawn from, to the byte that was sealed; see docs/formats.").Produces(200, contentType: "application/json");
        api.MapGet("/dossiers/{dossierId:guid}/table", AsTable).RequireAuthorization(Policies.Plan).WithSummary("Its data as tables: format=xlsx with a sheet for each, or csv with one of them.")
            .WithDescription("table: ends, readings, attempts, instruments or lots; of CSV, ends where left out. Columns: docs/formats.").Produces(200, contentType: "text/csv");
        api.MapGet("/dossiers/{dossierId:guid}/archive", Archive).RequireAuthorization(Policies.Plan).WithSummary("All of it in one ZIP: paper, seal, data, tables, pictures and traces as they came, with a manifest.").Produces(200, contentType: "application/zip");
    }

    private static async Task<IReadOnlyList<DossierView>> List(JobId jobId, ClaimsPrincipal user, Store.Jobs jobs, DossierShelf shelf, CancellationToken cancel)
    {
        await JobEndpoints.Planned(jobs, user.Scope(), jobId, cancel);
        return [.. (await shelf.Of(user.Scope().CompanyId, jobId, cancel)).Select(View)];
    }

    private static async Task<DossierView> Ask(JobId jobId, DossierAsk r, ClaimsPrincipal user, Store.Jobs jobs, Store.Plan plan, DossierShelf shelf, StreamProjector streams, IDossierQueue queue, TimeProvider clock, CancellationToken cancel)
    {
        var scope = user.Scope();
        await JobEndpoints.Planned(jobs, scope, jobId, cancel);
        var at = await plan.Layout(scope.CompanyId, jobId, cancel);
        var no = r.Handover is { } handover ? (await streams.Find(scope.CompanyId, StreamKind.Job, jobId.As<Ids.Stream>(), cancel) as JobState)?.Handovers.Index().Where(h => h.Item.EventId == handover).Select(h => (int?)(h.Index + 1)).FirstOrDefault() : null;
        new Input()
            .Require(r.Handover is null || no is not null, Refusal.Of("handover-unknown", "handover"))
            .Require(r.SpaceIds is not { } spaces || (spaces.Count is > 0 and <= MostChosen && spaces.All(s => at.Spaces.Any(x => x.SpaceId == s))), Refusal.Of("space-unknown", "spaceIds"))
            .Require(r.PlaceIds is not { } places || (places.Count is > 0 and <= MostChosen && places.All(p => at.Panels.Any(x => x.PanelId.Value == p.Value) || at.Cables.Any(x => x.CableId.Value == p.Value))), Refusal.Of("panel-unknown", "placeIds"))
            .ThrowIfBad();
        var id = DossierId.New();
        await shelf.Ask(scope.CompanyId, id, jobId, new(r.Edition, r.Names, r.ExceptionsOnly, r.Pictures, r.SpaceIds, r.PlaceIds, r.Photos), no, scope.PersonId, clock.GetCurrentInstant(), cancel);
        queue.Wake();
        return View((await shelf.Find(scope.CompanyId, id, cancel))!);
    }

    private static async Task<DossierView> Find(DossierId dossierId, ClaimsPrincipal user, Store.Jobs jobs, DossierShelf shelf, CancellationToken cancel) => View(await Seen(dossierId, user, jobs, shelf, cancel));

    private static async Task<DossierView> Stop(DossierId dossierId, ClaimsPrincipal user, Store.Jobs jobs, DossierShelf shelf, CancellationToken cancel)
    {
        await Seen(dossierId, user, jobs, shelf, cancel);
        await shelf.Stop(user.Scope().CompanyId, dossierId, cancel);
        return View(await Seen(dossierId, user, jobs, shelf, cancel));
    }

    private static async Task<IResult> Pdf(DossierId dossierId, ClaimsPrincipal user, Store.Jobs jobs, DossierShelf shelf, CancellationToken cancel)
    {
        var made = await Done(dossierId, user, jobs, shelf, cancel);
        return Paper(shelf, user.Scope().CompanyId, made);
    }

    private static async Task<IResult> SealFile(DossierId dossierId, ClaimsPrincipal user, Store.Jobs jobs, DossierShelf shelf, CancellationToken cancel)
    {
        var made = await Done(dossierId, user, jobs, shelf, cancel);
        return Results.Bytes(System.Text.Json.JsonSerializer.SerializeToUtf8Bytes(made.Seal, Wire.Json), "application/json", Path.ChangeExtension(FileName(made), ".seal.json"));
    }

    private static async Task<IResult> Data(DossierId dossierId, ClaimsPrincipal user, Store.Jobs jobs, DossierShelf shelf, CancellationToken cancel)
    {
        var made = await Done(dossierId, user, jobs, shelf, cancel);
        return Results.Bytes((await shelf.Data(user.Scope().CompanyId, dossierId, cancel))!, "application/json", Path.ChangeExtension(FileName(made), ".json"));
    }

    private static async Task<IResult> AsTable(DossierId dossierId, ClaimsPrincipal user, Store.Jobs jobs, DossierShelf shelf, CancellationToken cancel, string? format = null, string? table = null)
    {
        var made = await Done(dossierId, user, jobs, shelf, cancel);
        var (which, as_) = (QueryWords.Choice<DossierTable>("table", table), QueryWords.Choice<TableFormat>("format", format) ?? TableFormat.Csv);
        var dossier = System.Text.Json.JsonSerializer.Deserialize<Dossier>((await shelf.Data(user.Scope().CompanyId, dossierId, cancel))!, Wire.Json)!;
        return as_ == TableFormat.Xlsx
            ? Results.Bytes(Tables.Xlsx(DossierTables.Of(dossier, which)), "application/vnd.openxmlformats-officedocument.spreadsheetml.sheet", Path.ChangeExtension(FileName(made), ".xlsx"))
            : Results.Bytes(Tables.Csv(DossierTables.Of(dossier, which ?? DossierTable.Ends)), "text/csv", Path.ChangeExtension(FileName(made), $".{Wire.Name(which ?? DossierTable.Ends)}.csv"));
    }

    private static async Task<IResult> Archive(DossierId dossierId, ClaimsPrincipal user, Store.Jobs jobs, DossierShelf shelf, DossierArchive archive, CancellationToken cancel)
    {
        var made = await Done(dossierId, user, jobs, shelf, cancel);
        // On disk and not in memory: the pictures of a large job are more than a server has to spare. Gone when it is closed.
        var file = new FileStream(Path.GetTempFileName(), new FileStreamOptions { Mode = FileMode.Create, Access = FileAccess.ReadWrite, Options = FileOptions.DeleteOnClose | FileOptions.Asynchronous });
        try
        {
            await archive.Write(user.Scope(), made, file, cancel);
        }
        catch
        {
            await file.DisposeAsync();
            throw;
        }

        file.Position = 0;
        return Results.Stream(file, "application/zip", Path.ChangeExtension(FileName(made), ".zip"));
    }

    private static async Task<MadeDossier> Done(DossierId dossierId, ClaimsPrincipal user, Store.Jobs jobs, DossierShelf shelf, CancellationToken cancel) =>
        await Seen(dossierId, user, jobs, shelf, cancel) is { Stage: DossierStage.Done } made ? made : throw new ApiException(404, Refusal.Of("dossier-not-done", "dossierId"));

    private static async Task<MadeDossier> Seen(DossierId dossierId, ClaimsPrincipal user, Store.Jobs jobs, DossierShelf shelf, CancellationToken cancel)
    {
        var made = await shelf.Find(user.Scope().CompanyId, dossierId, cancel) ?? throw new ApiException(404, Refusal.Of("not-found", "dossierId"));
        await JobEndpoints.Planned(jobs, user.Scope(), made.JobId, cancel);
        return made;
    }

    internal static DossierView View(MadeDossier d) => new(
        d.DossierId, d.JobId, d.Choice, d.Handover, d.Stage, d.Progress, d.AskedBy, d.AskedAt, d.DoneAt, d.DataSha256 is { } hash ? DossierBook.CodeOf(hash) : null, d.Summary, d.FileBytes, d.Seal is null ? null : FileName(d), d.Fault);

    /// <summary>Customer, site and day, as any file system takes them.</summary>
    /// <summary>The paper on its way to whoever asks for it, a part at a time.</summary>
    internal static IResult Paper(DossierShelf shelf, CompanyId companyId, MadeDossier made) => Results.Stream(
        async to =>
        {
            await foreach (var part in shelf.Pdf(companyId, made.DossierId))
            {
                await to.WriteAsync(part);
            }
        },
        "application/pdf", FileName(made));

    internal static string FileName(MadeDossier d)
    {
        var words = $"{d.Seal!.Customer} {d.Seal.Site} {Wire.Name(d.Choice.Edition)}{(d.Handover is { } n ? $" {n}" : "")}";
        return $"{string.Join('-', new string([.. words.Select(c => char.IsLetterOrDigit(c) ? c : ' ')]).Split(' ', StringSplitOptions.RemoveEmptyEntries))}.pdf";
    }
}
