using System.Security.Claims;
using System.Text;
using Rhabdon.Core;
using Rhabdon.Core.Fiber;
using Rhabdon.Core.Handover;
using Rhabdon.Documents.Labels;
using Rhabdon.Server.Accounts;
using Rhabdon.Server.Jobs;
using Rhabdon.Server.Reach;
using Rhabdon.Server.Web;
using Rhabdon.Store;

namespace Rhabdon.Server.Handover;

/// <param name="Sheets">Millimetres.</param>
public sealed record LabelSheets(IReadOnlyList<LabelSheet> Sheets);

/// <param name="Templates">The usual one of each kind.</param>
/// <param name="Fields">That a template may name in braces.</param>
public sealed record LabelSheetsView(IReadOnlyList<LabelSheet> Sheets, IReadOnlyDictionary<LabelKind, string> Templates, IReadOnlyList<string> Fields);

/// <param name="Example">The first one's lines.</param>
public sealed record LabelCount(int Labels, int Pages, IReadOnlyList<string> Example);

public enum LabelFormat
{
    Pdf, Svg,
}

/// <summary>Labels for ports, connectors, strands and cables of a job, on sheets or tape, at true scale.</summary>
public static class LabelEndpoints
{
    private const int MostSheets = 50;

    /// <summary>Of one file: more is a stack that nobody sticks on in a day, and a drawing that would hold the server.</summary>
    private const int MostLabels = 3000;

    private const double RulersMm = 100;

    private static readonly PaperWords Words = new("dossier");

    /// <summary>Two letters for each colour, as prints and markers abbreviate them (common practice).</summary>
    private static readonly Dictionary<StrandColour, string> Letters = new()
    {
        [StrandColour.Blue] = "BL",
        [StrandColour.Orange] = "OR",
        [StrandColour.Green] = "GR",
        [StrandColour.Brown] = "BR",
        [StrandColour.Slate] = "SL",
        [StrandColour.White] = "WH",
        [StrandColour.Red] = "RD",
        [StrandColour.Black] = "BK",
        [StrandColour.Yellow] = "YL",
        [StrandColour.Violet] = "VI",
        [StrandColour.Rose] = "RS",
        [StrandColour.Aqua] = "AQ",
    };

    private const string Asked = "kind: port, connector, strand or cable. sheet: its name. template: as in {space}-{panel}:{port}, a line of it for each line of the label; left out, the usual one. start: the first place that is still on the sheet, from 1. placeId: only of a panel, or of a jumper's cable.";

    public static void MapLabels(this RouteGroupBuilder api)
    {
        api.MapGet("/labels/sheets", Sheets).RequireAuthorization(Policies.Plan).WithSummary("The sheets and tapes that labels are printed on, the usual templates, and the fields that a template may name.");
        api.MapPut("/labels/sheets", SetSheets).RequireAuthorization(Policies.Plan).WithSummary("Say which sheets and tapes the company prints on: all of them, in millimetres. A tape has one column and no rows.");
        api.MapGet("/labels/test", Test).RequireAuthorization(Policies.Plan).WithSummary("A page of a sheet with the labels' edges and rulers, to measure the printer by.").Produces(200, contentType: "application/pdf");
        api.MapGet("/jobs/{jobId:guid}/labels", Count).RequireAuthorization(Policies.Plan).WithSummary("How many labels and pages it would be, and the first label; refused where two would say the same.").WithDescription(Asked);
        api.MapGet("/jobs/{jobId:guid}/labels/file", AsFile).RequireAuthorization(Policies.Plan).WithSummary("The labels, at true scale: format=pdf, or svg for one page. The code on each opens its end's record.").Produces(200, contentType: "application/pdf").WithDescription($"{Asked} page: of SVG, from 1.");
    }

    private static async Task<LabelSheetsView> Sheets(ClaimsPrincipal user, Letterheads letterheads, CancellationToken cancel) =>
        new(await letterheads.LabelSheets(user.Scope().CompanyId, cancel), Enum.GetValues<LabelKind>().ToDictionary(k => k, Labels.Usual), Labels.Fields);

    private static async Task<LabelSheetsView> SetSheets(LabelSheets r, ClaimsPrincipal user, Letterheads letterheads, TimeProvider clock, CancellationToken cancel)
    {
        var input = new Input();
        input.Require(r.Sheets.Count is > 0 and <= MostSheets, Refusal.Of("figure-range", "sheets", ("least", 1), ("most", MostSheets)));
        foreach (var fault in r.Sheets.SelectMany((s, i) => s.Faults($"sheets[{i}]")))
        {
            input.Require(false, fault);
        }

        input.Require(r.Sheets.DistinctBy(s => s.Name.Trim(), StringComparer.OrdinalIgnoreCase).Count() == r.Sheets.Count, Refusal.Of("sheet-name-twice", "sheets"));
        input.ThrowIfBad();
        await letterheads.SetLabelSheets(user.Scope().CompanyId, [.. r.Sheets.Select(s => s with { Name = s.Name.Trim() })], user.Scope().PersonId, clock.GetCurrentInstant(), cancel);
        return await Sheets(user, letterheads, cancel);
    }

    private static async Task<IResult> Test(ClaimsPrincipal user, Letterheads letterheads, TimeProvider clock, CancellationToken cancel, string? sheet = null)
    {
        var on = await Named(sheet, user, letterheads, cancel);
        var boxes = Enumerable.Range(0, on.PerPage).Select(i => on.Place(i, 1)).Select((p, i) => new LabelBox(p.XMm, p.YMm, on.LabelWidthMm, on.LabelHeightMm, on.IsTape ? ["1"] : [$"{i + 1}"], null, null, null, false)).ToList();
        var rulers = Math.Min(RulersMm, Math.Min(on.PageWidthMm, on.PageHeightMm) - 16);
        return Results.Bytes(LabelFiles.Pdf(new(on.Name, on.PageWidthMm, on.PageHeightMm, [boxes], Outlined: true, Rulers: Math.Max(0, Math.Floor(rulers / 10) * 10)), clock.GetUtcNow()), "application/pdf", "test-sheet.pdf");
    }

    private static async Task<LabelCount> Count(
        JobId jobId, ClaimsPrincipal user, Store.Jobs jobs, DossierShelf shelf, Letterheads letterheads, Settings settings, CancellationToken cancel, string? kind = null, string? sheet = null, string? template = null, int start = 1, PlaceId? placeId = null)
    {
        var (pages, labels) = await Made(jobId, user, jobs, shelf, letterheads, settings, kind, sheet, template, start, placeId, cancel);
        return new(labels.Count, pages.Pages.Count, labels.Count > 0 ? labels[0].Lines : []);
    }

    private static async Task<IResult> AsFile(
        JobId jobId, ClaimsPrincipal user, Store.Jobs jobs, DossierShelf shelf, Letterheads letterheads, Settings settings, TimeProvider clock, CancellationToken cancel,
        string? kind = null, string? sheet = null, string? template = null, int start = 1, PlaceId? placeId = null, string? format = null, int page = 1)
    {
        var (pages, labels) = await Made(jobId, user, jobs, shelf, letterheads, settings, kind, sheet, template, start, placeId, cancel);
        new Input()
            .Require(labels.Count <= MostLabels, Refusal.Of("labels-most", "placeId", ("most", MostLabels), ("count", labels.Count)))
            .Require(page >= 1 && page <= Math.Max(1, pages.Pages.Count), Refusal.Of("figure-range", "page", ("least", 1), ("most", Math.Max(1, pages.Pages.Count))))
            .Require(pages.Pages.Count > 0, Refusal.Of("no-labels", "kind")).ThrowIfBad();
        // A drawing of thousands of codes waits for its turn, as pictures do.
        return await Uploads.InTurn(() => Task.FromResult(QueryWords.Choice<LabelFormat>("format", format) == LabelFormat.Svg
            ? Results.Bytes(Encoding.UTF8.GetBytes(LabelFiles.Svg(pages, page - 1)), "image/svg+xml")
            : Results.Bytes(LabelFiles.Pdf(pages, clock.GetUtcNow()), "application/pdf", "labels.pdf")), cancel);
    }

    private static async Task<(LabelPages Pages, IReadOnlyList<Label> Labels)> Made(
        JobId jobId, ClaimsPrincipal user, Store.Jobs jobs, DossierShelf shelf, Letterheads letterheads, Settings settings, string? kind, string? sheet, string? template, int start, PlaceId? placeId, CancellationToken cancel)
    {
        var job = await JobEndpoints.Planned(jobs, user.Scope(), jobId, cancel);
        var what = QueryWords.Choice<LabelKind>("kind", kind) ?? LabelKind.Port;
        var on = await Named(sheet, user, letterheads, cancel);
        new Input().Require(start >= 1 && start <= on.PerPage, Refusal.Of("figure-range", "start", ("least", 1), ("most", on.PerPage))).ThrowIfBad();
        var source = await shelf.Source(user.Scope(), job, cancel);
        IReadOnlyList<Label> labels;
        try
        {
            labels = Labels.Of(placeId is { } place ? source with { Ends = [.. source.Ends.Where(e => e.PlaceId == place)] } : source, what, template, c => Words.Term("colour", c));
        }
        catch (RefusedException e)
        {
            // What is asked for in an address is a fault of the question.
            throw new ApiException(400, e.Refusals[0]);
        }

        var boxes = labels.Select((l, i) =>
        {
            var (page, x, y) = on.Place(i, start);
            return (Page: page, Box: new LabelBox(x, y, on.LabelWidthMm, on.LabelHeightMm, l.Lines, l.EndId is { } end ? $"{settings.Address}/handover/{end}" : null, l.Strand is { } s ? Letters[s.Colour] : null, l.Strand is { } t ? DossierBook.Paint(t.Colour) : null, l.Strand?.Tracer == true));
        }).GroupBy(b => b.Page).OrderBy(g => g.Key).Select(g => (IReadOnlyList<LabelBox>)[.. g.Select(b => b.Box)]).ToList();
        return (new($"{job.Customer}, {job.Site}", on.PageWidthMm, on.PageHeightMm, boxes), labels);
    }

    private static async Task<LabelSheet> Named(string? name, ClaimsPrincipal user, Letterheads letterheads, CancellationToken cancel)
    {
        var sheets = await letterheads.LabelSheets(user.Scope().CompanyId, cancel);
        return name is null ? sheets[0] : sheets.FirstOrDefault(s => s.Name == name) ?? throw new ApiException(400, Refusal.Of("sheet-unknown", "sheet"));
    }
}
