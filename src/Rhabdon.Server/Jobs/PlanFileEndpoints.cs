using System.Security.Claims;
using System.Text.Json;
using Rhabdon.Core;
using Rhabdon.Core.Connectors;
using Rhabdon.Core.Fiber;
using Rhabdon.Core.Planning;
using Rhabdon.Core.Procedures;
using Rhabdon.Documents;
using Rhabdon.Server.Accounts;
using Rhabdon.Server.Web;
using Rhabdon.Store;

namespace Rhabdon.Server.Jobs;

/// <param name="Column">By its name as in a mapping.</param>
/// <param name="Choices">Where it is of a closed list; null where it is not.</param>
public sealed record PlanColumnView(PlanColumn Column, bool Needed, IReadOnlyList<string>? Choices);

/// <param name="Mappings">Kept by name.</param>
public sealed record PlanColumnsView(IReadOnlyList<PlanColumnView> Columns, IReadOnlyList<PlanMapping> Mappings);

public sealed record PlanMappingFields(IReadOnlyDictionary<PlanColumn, string> Mapping);

/// <param name="Ports">Ports of the panel in the order of their numbers, as far as the file names them.</param>
public sealed record PreviewPanel(string SpaceCode, string SpaceName, string Code, int Ports, MergeKind Kind, IReadOnlyList<PreviewEnd> Ends);

/// <param name="Kind">What it does to the plan.</param>
public sealed record PreviewEnd(int Port, int Position, string CableCode, Strand Strand, string Side, MergeKind Kind);

/// <summary>What a file would do, or has done.</summary>
/// <param name="Mapping">That was taken: the one that was given, else as far as the headings tell.</param>
/// <param name="Unmapped">Columns that are needed and have no heading yet; nothing more is said then.</param>
/// <param name="Faults">Cells that cannot be, at most 200. With one of them nothing is written.</param>
/// <param name="Left">Ends of the plan that the file does not name: they stay.</param>
/// <param name="NoProcedure">Ends for which there is no procedure yet: they are planned, and no run can begin on them.</param>
/// <param name="Written">It was written.</param>
public sealed record PlanPreview(
    IReadOnlyList<string> Headings, int Rows, IReadOnlyDictionary<PlanColumn, string> Mapping, IReadOnlyList<PlanColumn> Unmapped, IReadOnlyList<CellFault> Faults, int Added, int Changed, int Same, int Left, int NoProcedure,
    IReadOnlyList<MergedThing<SketchCable>> Cables, IReadOnlyList<PreviewPanel> Panels, bool Written);

/// <summary>Plans that come in by file: looked at first, then written whole or not at all; the same file again changes nothing.</summary>
public static class PlanFileEndpoints
{
    private const long LargestFile = 8 * 1024 * 1024;

    private const int MostNames = 60;

    private static readonly PlanColumn[] Needed = [PlanColumn.SpaceCode, PlanColumn.PanelCode, PlanColumn.Port, PlanColumn.CableCode, PlanColumn.FiberClass, PlanColumn.Construction, PlanColumn.LengthM, PlanColumn.Strand, PlanColumn.Side, PlanColumn.Form, PlanColumn.Polish, PlanColumn.Method];

    /// <summary>Headings that people write for a column, bare.</summary>
    private static readonly Dictionary<string, PlanColumn> Synonyms = new()
    {
        ["space"] = PlanColumn.SpaceCode,
        ["room"] = PlanColumn.SpaceCode,
        ["roomname"] = PlanColumn.SpaceName,
        ["panel"] = PlanColumn.PanelCode,
        ["ports"] = PlanColumn.PanelPorts,
        ["cable"] = PlanColumn.CableCode,
        ["fiber"] = PlanColumn.FiberClass,
        ["fibre"] = PlanColumn.FiberClass,
        ["class"] = PlanColumn.FiberClass,
        ["strands"] = PlanColumn.StrandCount,
        ["length"] = PlanColumn.LengthM,
        ["slacka"] = PlanColumn.SlackAMm,
        ["slackb"] = PlanColumn.SlackBMm,
        ["connector"] = PlanColumn.Form,
        ["stub"] = PlanColumn.StubClass,
        ["unit"] = PlanColumn.UnitSize,
        ["end"] = PlanColumn.Side,
    };

    private static readonly Lazy<IReadOnlyDictionary<string, string>> Words = new(() =>
    {
        var words = new PaperWords("dossier");
        IEnumerable<(string, string)> Of<T>(string group) where T : struct, Enum => Enum.GetValues<T>().Select(v => (PlanSheets.Bare(words.Term(group, v)), Wire.Name(v)));
        return Of<ConnectorForm>("form").Concat(Of<TerminationMethod>("method")).Concat(Of<CableConstruction>("construction")).DistinctBy(w => w.Item1).ToDictionary(w => w.Item1, w => w.Item2);
    });

    public static void MapPlanFiles(this RouteGroupBuilder api)
    {
        api.MapGet("/plans/columns", Columns).RequireAuthorization(Policies.Plan).WithSummary("What a column of a plan that comes in by file can be, and the mappings that are kept by name. One row for each connector.");
        api.MapPut("/plans/mappings/{name}", SetMapping).RequireAuthorization(Policies.Plan).WithSummary("Keep which heading is which column under a name.");
        api.MapGet("/plans/template", Template).RequireAuthorization(Policies.Plan).WithSummary("A file to fill in, with two rows as an example: format=xlsx or csv.").Produces(200, contentType: "text/csv");
        api.MapPost("/jobs/{jobId:guid}/plan/file", Bring).RequireAuthorization(Policies.Plan).TakesFile()
            .WithSummary("What a plan by file (CSV or XLSX, at most 8 MB and 20,000 rows) would do to a job; with write=true it does it, all or nothing.")
            .WithDescription("mapping: JSON, a heading for each column; left out, as far as the headings tell. Cells that cannot be are named as table programs name them.");
    }

    private static async Task<PlanColumnsView> Columns(ClaimsPrincipal user, PlanFiles files, CancellationToken cancel) => new(
        [.. Enum.GetValues<PlanColumn>().Select(c => new PlanColumnView(c, Needed.Contains(c), c switch
        {
            PlanColumn.FiberClass or PlanColumn.StubClass => Names<FiberClass>(),
            PlanColumn.Construction => Names<CableConstruction>(),
            PlanColumn.Form => Names<ConnectorForm>(),
            PlanColumn.Polish => Names<Polish>(),
            PlanColumn.Method => Names<TerminationMethod>(),
            PlanColumn.Side => ["A", "B"],
            _ => null,
        }))], await files.Mappings(user.Scope().CompanyId, cancel));

    private static IReadOnlyList<string> Names<T>() where T : struct, Enum => [.. Enum.GetValues<T>().Select(Wire.Name)];

    private static async Task SetMapping(string name, PlanMappingFields r, ClaimsPrincipal user, PlanFiles files, TimeProvider clock, CancellationToken cancel)
    {
        var called = name.Trim();
        new Input().Require(called.Length is > 0 and <= MostNames && !called.Any(char.IsControl), Refusal.Of("name-length", "name", ("most", MostNames)))
            .Require(r.Mapping.Count <= Enum.GetValues<PlanColumn>().Length && r.Mapping.Values.All(h => h is { Length: > 0 and <= 200 }), Refusal.Of("name-length", "mapping", ("most", 200))).ThrowIfBad();
        await files.SetMapping(user.Scope().CompanyId, new(called, r.Mapping), user.Scope().PersonId, clock.GetCurrentInstant(), cancel);
    }

    private static IResult Template(string? format = null)
    {
        string[] columns = [.. Enum.GetValues<PlanColumn>().Select(Wire.Name)];
        object?[] Row(string space, string name, double port, string side) =>
            [space, name, "P1", 24.0, port, "TRUNK-24", "OM3", "cordage-3.0", 24.0, 86.5, 600.0, 450.0, 12.0, port, side, "SC", "UPC", "wedge-locked", "OM3"];
        var paper = new Paper("Plan", [], [new("Plan", [.. columns.Select(c => new PaperColumn(c, 1))], [Row("MR", "Main room", 1, "A"), Row("TR", "Tower room", 1, "B")])], "");
        return QueryWords.Choice<Handover.TableFormat>("format", format) == Handover.TableFormat.Csv
            ? Results.Bytes(Tables.Csv(paper), "text/csv", "plan.csv")
            : Results.Bytes(Tables.Xlsx(paper), "application/vnd.openxmlformats-officedocument.spreadsheetml.sheet", "plan.xlsx");
    }

    private static async Task<PlanPreview> Bring(
        JobId jobId, HttpRequest request, ClaimsPrincipal user, Store.Jobs jobs, PlanFiles files, Methods methods, Documents documents, CancellationToken cancel, string? mapping = null, bool write = false)
    {
        var company = user.Scope().CompanyId;
        await JobEndpoints.Planned(jobs, user.Scope(), jobId, cancel);
        var given = Given(mapping);
        var table = await Uploads.Take(request, "file", LargestFile, bytes => Task.FromResult(TableFiles.Read(bytes)));
        var columns = given ?? PlanSheets.Guess(table.Headings, Synonyms);
        var unmapped = Needed.Where(c => !columns.ContainsKey(c)).ToList();
        PlanPreview Nothing(IReadOnlyList<CellFault> faults) => new(table.Headings, table.Rows.Count, columns, unmapped, faults, 0, 0, 0, 0, 0, [], [], false);
        if (unmapped.Count > 0)
        {
            return Nothing([]);
        }

        var (sketch, faults) = PlanSheets.Read(table, columns, Words.Value);
        if (sketch is null)
        {
            return Nothing(faults);
        }

        var merge = PlanMerges.Of(sketch, await files.Known(company, jobId, cancel), (row, column) => PlanSheets.CellOf(table, columns, row, column));
        var rules = await methods.Rules(company, cancel);
        var cables = merge.Cables.ToDictionary(c => c.Now.Code, c => c.Now);
        var known = new Dictionary<(ConnectorSpec, FiberClass, CableConstruction), (string?, int?)>();
        (string? Id, int? Version) ProcedureOf(SketchEnd e)
        {
            var (connector, cable) = (new ConnectorSpec(e.Form, e.Polish, e.Mode, e.Method, e.StubClass), cables[e.CableCode]);
            if (!known.TryGetValue((connector, cable.FiberClass, cable.Construction), out var made))
            {
                // The company's own before a shipped one, as where ends are planned by hand.
                var fits = Fitting.Of(rules.Newest, connector, new(cable.FiberClass, cable.Construction)).OrderBy(p => documents.Procedures.Any(s => s.Id == p.Id)).FirstOrDefault();
                known[(connector, cable.FiberClass, cable.Construction)] = made = (fits?.Id, fits?.Version);
            }

            return made;
        }

        var writes = write && merge.Faults.Count == 0 && !merge.Nothing;
        if (writes)
        {
            await files.Write(company, jobId, merge, ProcedureOf, cancel);
        }

        int Count(MergeKind kind) => merge.Ends.Count(e => e.Kind == kind);
        var named = merge.Spaces.ToDictionary(s => s.Now.Code, s => s.Now.Name);
        var at = merge.Ends.ToLookup(e => (e.Now.SpaceCode, e.Now.PanelCode));
        return new(
            table.Headings, table.Rows.Count, columns, [], merge.Faults, Count(MergeKind.Added), Count(MergeKind.Changed), Count(MergeKind.Same), merge.Left, merge.Ends.Count(e => ProcedureOf(e.Now).Id is null), merge.Cables,
            [.. merge.Panels.Select(p => new PreviewPanel(p.Now.SpaceCode, named[p.Now.SpaceCode], p.Now.Code, p.Now.Ports, p.Kind,
                [.. at[(p.Now.SpaceCode, p.Now.Code)].OrderBy(e => e.Now.Port).ThenBy(e => e.Now.Position).Select(e => new PreviewEnd(e.Now.Port, e.Now.Position, e.Now.CableCode, Strands.At(e.Now.Strand, new(cables[e.Now.CableCode].UnitSize, StrandLay.Usual.Order)), e.Now.Side.ToString(), e.Kind))]))],
            write && merge.Faults.Count == 0);
    }

    private static IReadOnlyDictionary<PlanColumn, string>? Given(string? mapping)
    {
        if (string.IsNullOrWhiteSpace(mapping))
        {
            return null;
        }

        try
        {
            var read = JsonSerializer.Deserialize<Dictionary<PlanColumn, string?>>(mapping, Wire.Json);
            return read?.Where(m => !string.IsNullOrEmpty(m.Value)).ToDictionary(m => m.Key, m => m.Value!);
        }
        catch (JsonException)
        {
            throw new ApiException(400, Refusal.Of("mapping-shape", "mapping"));
        }
    }
}
