using System.Security.Claims;
using Rhabdon.Core;
using Rhabdon.Core.Folder;
using Rhabdon.Core.Handover;
using Rhabdon.Documents;
using Rhabdon.Instruments;
using Rhabdon.Server.Accounts;
using Rhabdon.Server.Handover;
using Rhabdon.Server.Web;
using Rhabdon.Store;

namespace Rhabdon.Server.Measure;

/// <param name="TakenAt">As the instrument or the file has it.</param>
/// <param name="Text">Of a table, whole; left out for other files.</param>
public sealed record FolderFileAsk(string Name, Instant? TakenAt = null, string? Text = null);

/// <param name="Template">As the names were put into the instrument; left out, the usual one.</param>
/// <param name="WithinMinutes">How far an entry may be from a file's time; left out, 5.</param>
public sealed record FolderAsk(IReadOnlyList<FolderFileAsk> Files, string? Template = null, double? WithinMinutes = null);

public sealed record FolderAnswer(IReadOnlyList<FolderMatch> Files);

/// <summary>Meters, scopes and trace instruments by the folder: names of ports out, results, traces and pictures back.</summary>
public static class FolderEndpoints
{
    private const int MostFiles = 5000, LongestName = 300, LongestTable = 1024 * 1024;

    private const double MostMinutes = 240;

    private static readonly PaperWords Words = new("dossier");

    private const string UsualTemplate = "{space}-{panel}-{port}";

    public static void MapFolder(this RouteGroupBuilder api)
    {
        api.MapGet("/jobs/{jobId:guid}/folder/names", Names).RequireAuthorization(Policies.Work).WithSummary("The ports of a job as a table to load into an instrument: a name that any file system takes, and what it is. format: csv or xlsx.")
            .WithDescription("template: as for labels; left out, {space}-{panel}-{port}, with the strand where several lie on a port. placeId: only of a panel.").Produces(200, contentType: "text/csv");
        api.MapPost("/jobs/{jobId:guid}/folder/check", Match).RequireAuthorization(Policies.Work).WithSummary("Whose the files of a folder are: by the names of the ports, else by the time of what was said of each. Nothing is kept; at most 5,000 files.");
    }

    private static async Task<IResult> Names(JobId jobId, ClaimsPrincipal user, Store.Jobs jobs, DossierShelf shelf, CancellationToken cancel, string? template = null, string? format = null, PlaceId? placeId = null)
    {
        var source = await Source(jobId, user, jobs, shelf, cancel);
        IReadOnlyList<string> names;
        try
        {
            names = Named(source, template);
        }
        catch (RefusedException e)
        {
            throw new ApiException(400, e.Refusals);
        }

        string[] columns = ["name", "address", "place", "port", "position", "cable", "strand", "colour", "side", "farAddress", "fiberClass", "lengthM", "form", "polish", "method"];
        var rows = source.Ends.Zip(names).Where(x => placeId is null || x.First.PlaceId == placeId).Select(x => (IReadOnlyList<object?>)
        [
            x.Second, x.First.Address, x.First.PlaceCode, (double)x.First.Port, (double)x.First.Position, x.First.Cable, (double)x.First.Strand.Number, Words.Term("colour", x.First.Strand.Colour), x.First.Side, x.First.FarAddress,
            Wire.Name(x.First.FiberClass), x.First.LengthM, Wire.Name(x.First.Form), x.First.Polish.ToString(), Wire.Name(x.First.Method),
        ]).ToList();
        var paper = new Paper("Ports", [], [new("Ports", [.. columns.Select(c => new PaperColumn(c, 1))], rows)], "");
        return QueryWords.Choice<TableFormat>("format", format) == TableFormat.Xlsx
            ? Results.Bytes(Tables.Xlsx(paper), "application/vnd.openxmlformats-officedocument.spreadsheetml.sheet", "ports.xlsx")
            : Results.Bytes(Tables.Csv(paper), "text/csv", "ports.csv");
    }

    private static async Task<FolderAnswer> Match(JobId jobId, FolderAsk r, ClaimsPrincipal user, Store.Jobs jobs, DossierShelf shelf, CancellationToken cancel)
    {
        new Input().Require(r.Files.Count is > 0 and <= MostFiles, Refusal.Of("figure-range", "files", ("least", 1), ("most", MostFiles)))
            .Require(r.Files.All(f => f.Name is { Length: > 0 and <= LongestName }), Refusal.Of("name-length", "files.name", ("most", LongestName)))
            .Require(r.Files.All(f => f.Text is not { Length: > LongestTable }), Refusal.Of("too-large", "files.text", ("mostMb", 1)))
            .Require(r.WithinMinutes is null or (>= 0 and <= MostMinutes), Refusal.Of("figure-range", "withinMinutes", ("least", 0), ("most", MostMinutes))).ThrowIfBad();
        var source = await Source(jobId, user, jobs, shelf, cancel);
        var names = Named(source, r.Template);
        var said = await shelf.Said(user.Scope().CompanyId, jobId, cancel);
        var files = r.Files.Select(f => new FolderFile(f.Name, f.TakenAt, f.Text is null || FolderMatches.KindOf(f.Name) != FolderFileKind.Results ? null : Rows(f.Text))).ToList();
        return new(FolderMatches.Of(files, [.. source.Ends.Zip(names).Select(x => new FolderEnd(x.First.EndId, x.First.PlaceId, x.First.Address, x.Second, [.. said[x.First.EndId]]))],
            r.WithinMinutes is { } minutes ? Duration.FromMinutes(minutes) : FolderMatches.UsualWithin));
    }

    /// <summary>A table that cannot be read names no end.</summary>
    private static IReadOnlyList<IReadOnlyList<string>> Rows(string text)
    {
        try
        {
            return [.. MeterTable.Read(text).Rows.Select(row => row.Cells)];
        }
        catch (RefusedException)
        {
            return [];
        }
    }

    private static async Task<DossierSource> Source(JobId jobId, ClaimsPrincipal user, Store.Jobs jobs, DossierShelf shelf, CancellationToken cancel)
    {
        var job = await jobs.Find(user.Scope(), jobId, cancel) ?? throw new ApiException(404, Refusal.Of("not-found", "jobId"));
        return await shelf.Source(user.Scope(), job, cancel);
    }

    private static IReadOnlyList<string> Named(DossierSource source, string? template)
    {
        // Several strands on one port, as in a multifiber connector: the port alone would not tell them apart.
        var shared = source.Ends.GroupBy(e => (e.PlaceId, e.Port)).Any(g => g.Count() > 1);
        var words = string.IsNullOrWhiteSpace(template) ? UsualTemplate + (shared ? "-{cable}-{strand}{side}" : "") : template.Trim();
        return [.. Labels.Of(source, LabelKind.Port, words, c => Words.Term("colour", c)).Select(l => FolderMatches.Safe(string.Join(' ', l.Lines)))];
    }
}
