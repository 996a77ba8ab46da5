using System.Security.Claims;
using System.Text.Json.Nodes;
using System.Text.RegularExpressions;
using Rhabdon.Core;
using Rhabdon.Core.Connectors;
using Rhabdon.Core.Fiber;
using Rhabdon.Core.Inspection;
using Rhabdon.Core.Loss;
using Rhabdon.Core.Prep;
using Rhabdon.Core.Procedures;
using Rhabdon.Server.Accounts;
using Rhabdon.Server.Web;
using Rhabdon.Store;

namespace Rhabdon.Server.Procedures;

/// <param name="Own">True for a procedure of your company.</param>
/// <param name="Draft">True while it is not published.</param>
/// <param name="Original">What it was copied from and what that is now, where that has changed since.</param>
public sealed record ProcedureLine(string Id, int Version, string Title, TerminationMethod Method, ProcedureFit Fits, int Steps, string Source, bool Own, bool Draft, OriginalChanged? Original = null);

/// <param name="Version">That was copied.</param>
/// <param name="Newest">Of the original now.</param>
public sealed record OriginalChanged(string Id, int Version, int Newest);

/// <summary>A procedure as it is written, with what stands against publishing it.</summary>
public sealed record ProcedurePaper(ProcedureDocument Document, bool Own, bool Draft, Instant? PublishedAt, string? ChangedBy, IReadOnlyList<Refusal> Faults);

/// <summary>What Core makes of a document while it is written.</summary>
/// <param name="Prep">Null while the marks contradict each other.</param>
/// <param name="Table">Null while there are faults.</param>
public sealed record ProcedureCheck(IReadOnlyList<Refusal> Faults, PrepCard? Prep, RunTable? Table);

/// <param name="Document">A procedure document, of the shape of procedure.schema.json.</param>
public sealed record ProcedureText(JsonNode Document);

public sealed record ProcedureYaml(string Yaml);

/// <param name="Id">Id of the copy; the same as the original's for its next version.</param>
public sealed record ProcedureCopy(string ProcedureId, int Version, string Id, string Title);

public sealed record ProcedureRef(string Id, int Version);

/// <param name="Choice">The school that the company follows.</param>
public sealed record SchoolLine(string Option, string Question, string Default, string Why, IReadOnlyList<OptionChoice> Choices, string? Choice, int Procedures);

public sealed record SchoolChoice(string Choice);

/// <param name="HasStub">True for methods whose connector brings its own piece of glass; its class has to be said.</param>
public sealed record MethodChoice(TerminationMethod Method, bool HasStub, IReadOnlyList<CableConstruction> Constructions);

/// <param name="TestWavelengthsNm">The usual test wavelengths, shortest first.</param>
public sealed record FiberClassChoice(FiberClass FiberClass, FiberMode Mode, double? CoreUm, IReadOnlyList<int> TestWavelengthsNm);

/// <summary>A rule by which the red light is judged, and what can be seen by it.</summary>
public sealed record LightChoice(LightRule Rule, IReadOnlyList<LightSeen> Seen);

/// <summary>What Core knows of methods, fiber classes, light and references, for forms that offer them.</summary>
/// <param name="Reference">How long a meter's reference holds, and how far it may drift.</param>
/// <param name="BendDb">So much more at the longest wavelength than at the shortest says bend.</param>
/// <param name="UsualRepeatabilityDb">What two readings differ by with a meter that nobody named.</param>
/// <param name="UnitSizes">Strands that a unit of a cable may hold.</param>
public sealed record Choices(
    IReadOnlyList<MethodChoice> Methods, IReadOnlyList<FiberClassChoice> FiberClasses, ReferenceRule Reference, double UsualRepeatabilityDb, double BendDb, IReadOnlyList<int> UnitSizes, IReadOnlyList<LightChoice> Lights);

public static partial class ProcedureEndpoints
{
    private const int MostSteps = 200;

    private static readonly Choices AllChoices = new(
        [.. Enum.GetValues<TerminationMethod>().Select(m => new MethodChoice(m, Compatibility.HasStub(m), Compatibility.Constructions(m)))],
        [.. Enum.GetValues<FiberClass>().Select(c => new FiberClassChoice(c, c.Mode(), c.CoreUm(), c.TestWavelengthsNm()))], References.Rule, InsertionLoss.UsualRepeatabilityDb, Bend.LeastDb, StrandLay.UnitSizes,
        [.. Enum.GetValues<LightRule>().Select(r => new LightChoice(r, RedLights.SeenBy(r)))]);

    public static void MapProcedures(this RouteGroupBuilder api)
    {
        api.MapGet("/procedures", List).RequireAuthorization(Policies.Work).WithSummary("The procedures there are, shipped and your company's own.");
        api.MapGet("/procedures/{procedureId}/{version:int}", Table).WithSummary("A procedure's run table, ready to walk.")
            .WithDescription("Follows your company's schools, or those of a run: schools=option:choice,option:choice. What an end itself answers: of=form:LC,polish:UPC,mode:single-mode.");
        api.MapGet("/procedures/{procedureId}/{version:int}/document", Paper).RequireAuthorization(Policies.Work).WithSummary("A procedure as it is written, with its faults.");
        api.MapGet("/procedures/{procedureId}/{version:int}/yaml", Export).RequireAuthorization(Policies.Work).WithSummary("A procedure as YAML, to keep or to hand on.");
        api.MapGet("/procedures/compare", Compare).RequireAuthorization(Policies.Work).WithSummary("What differs between two procedures or versions.");
        api.MapPost("/procedures/copies", Copy).RequireAuthorization(Policies.Plan).WithSummary("Make a draft from a procedure, or the next version of your own.");
        api.MapPost("/procedures/import", Import).RequireAuthorization(Policies.Plan).WithSummary("Make a draft from YAML.");
        api.MapPut("/procedures/{procedureId}/{version:int}", Keep).RequireAuthorization(Policies.Plan).WithSummary("Keep a draft. Faults do not stop it; they are answered.");
        api.MapPost("/procedures/{procedureId}/{version:int}/publish", Publish).RequireAuthorization(Policies.Plan).WithSummary("Publish a draft. What is published never changes.");
        api.MapDelete("/procedures/{procedureId}/{version:int}", Drop).RequireAuthorization(Policies.Plan).WithSummary("Throw a draft away.");
        api.MapGet("/schools", AllSchools).RequireAuthorization(Policies.Work).WithSummary("Where practitioners disagree, and which school your company follows.");
        api.MapPut("/schools/{optionId}", Follow).RequireAuthorization(Policies.Plan).WithSummary("Choose a school for the whole company.");
        api.MapGet("/choices", () => AllChoices).WithSummary("Methods with what they take, and fiber classes with their mode, core and test wavelengths.");
    }

    /// <summary>Judges a document while it is written. Faults name their place.</summary>
    internal static ProcedureCheck Check(ProcedureText r)
    {
        ProcedureDocument d;
        try
        {
            d = Read(r.Document);
        }
        catch (RefusedException e)
        {
            return new(e.Refusals, null, null);
        }

        var faults = ProcedureValidator.Faults(d);
        PrepCard? prep = null;
        try
        {
            prep = PrepCards.Resolve(d.Prep);
        }
        catch (RefusedException)
        {
            // told among the faults
        }

        return new(faults.Count > 0 ? faults : TradeRules.Faults(d), prep, faults.Count == 0 ? ProcedureCompiler.Compile(d) : null);
    }

    private static ProcedureDocument Read(JsonNode document)
    {
        var d = YamlText.OfJson<ProcedureDocument>(document);
        new Input()
            .Require(d.Steps.Count <= MostSteps, Refusal.Of("too-many", "steps", ("most", MostSteps)))
            .Require(d.Steps.Select(s => s.Id).Concat(d.Ladders.Select(l => l.Id)).Append(d.Id).All(i => IdShape().IsMatch(i)), Refusal.Of("id-shape", "id"))
            .ThrowIfBad();
        return d;
    }

    private static async Task<IReadOnlyList<ProcedureLine>> List(ClaimsPrincipal user, Documents documents, Methods methods, CancellationToken cancel)
    {
        static ProcedureLine Line(ProcedureDocument p, bool own, bool draft) => new(p.Id, p.Version, p.Title, p.Method, p.Fits, p.Steps.Count, p.Source, own, draft);
        var owned = await methods.Own(user.Scope().CompanyId, cancel);
        OriginalChanged? Changed(OwnProcedure o) =>
            o.CopiedFromId is { } id && o.CopiedFromVersion is { } copied && documents.Rules.Newest.FirstOrDefault(p => p.Id == id)?.Version is { } newest && newest > copied
            && owned.All(x => x.Document.Id != o.Document.Id || x.Document.Version <= o.Document.Version) ? new(id, copied, newest) : null;
        return [.. documents.Rules.Newest.Select(p => Line(p, false, false)), .. owned.Select(o => Line(o.Document, true, o.PublishedAt is null) with { Original = Changed(o) })];
    }

    private static async Task<RunTable> Table(string procedureId, int version, ClaimsPrincipal user, CancellationToken cancel, Methods methods, string? schools = null, string? of = null)
    {
        var company = user.Scope().CompanyId;
        var rules = await methods.Rules(company);
        if (rules.Find(procedureId, version) is null) // a faulty one is told by its own table alone
        {
            throw NotThere();
        }

        var follow = schools is null ? new Dictionary<string, string>(await methods.Schools(company)) : Pairs(schools);
        foreach (var (option, answer) in Pairs(of ?? "").Where(p => EndOptions.IsOfEnd(p.Key)))
        {
            follow[option] = answer;
        }

        return rules.Table(procedureId, version, follow);
    }

    private static Dictionary<string, string> Pairs(string text) => text.Split(',').Select(s => s.Split(':')).Where(p => p.Length == 2).DistinctBy(p => p[0]).ToDictionary(p => p[0], p => p[1]);

    private static async Task<ProcedurePaper> Paper(string procedureId, int version, ClaimsPrincipal user, Documents documents, Methods methods, CancellationToken cancel = default)
    {
        if (await methods.Find(user.Scope().CompanyId, procedureId, version, cancel) is { } own)
        {
            return new(own.Document, true, own.PublishedAt is null, own.PublishedAt, own.ChangedBy, FaultsOf(own.Document));
        }

        var shipped = documents.Procedures.FirstOrDefault(p => p.Id == procedureId && p.Version == version) ?? throw NotThere();
        return new(shipped, false, false, null, null, []);
    }

    private static async Task<ProcedureYaml> Export(string procedureId, int version, ClaimsPrincipal user, Documents documents, Methods methods, CancellationToken cancel) =>
        new(YamlText.Write((await Paper(procedureId, version, user, documents, methods, cancel)).Document));

    private static async Task<IReadOnlyList<ProcedureDifference>> Compare(
        string fromId, int fromVersion, string toId, int toVersion, ClaimsPrincipal user, Documents documents, Methods methods) =>
        ProcedureDiff.Compare((await Paper(fromId, fromVersion, user, documents, methods)).Document, (await Paper(toId, toVersion, user, documents, methods)).Document);

    private static async Task<ProcedureRef> Copy(ProcedureCopy r, ClaimsPrincipal user, Documents documents, Methods methods, TimeProvider clock, CancellationToken cancel)
    {
        var source = (await Paper(r.ProcedureId, r.Version, user, documents, methods, cancel)).Document;
        var title = r.Title.Trim();
        // The next version of one's own stays a copy of the same original, as it is now: whoever makes it has been told.
        var own = await methods.Find(user.Scope().CompanyId, r.ProcedureId, r.Version, cancel);
        var (fromId, fromVersion) = own is null ? (source.Id, source.Version) : (own.CopiedFromId, documents.Rules.Newest.FirstOrDefault(p => p.Id == own.CopiedFromId)?.Version ?? own.CopiedFromVersion);
        return await NewDraft(source with { Id = r.Id, Title = title }, user.Scope(), documents, methods, clock, fromId is null ? null : (fromId, fromVersion ?? 0), cancel);
    }

    private static async Task<ProcedureRef> Import(ProcedureYaml r, ClaimsPrincipal user, Documents documents, Methods methods, TimeProvider clock, CancellationToken cancel) =>
        await NewDraft(Read(YamlText.ToJson(r.Yaml)), user.Scope(), documents, methods, clock, null, cancel);

    private static async Task<ProcedureRef> NewDraft(ProcedureDocument d, Scope scope, Documents documents, Methods methods, TimeProvider clock, (string Id, int Version)? from, CancellationToken cancel = default)
    {
        new Input()
            .Require(IdShape().IsMatch(d.Id), Refusal.Of("id-shape", "id"))
            .Require(documents.Procedures.All(p => p.Id != d.Id), Refusal.Of("id-shipped", "id", ("id", d.Id)))
            .ThrowIfBad();
        return new(d.Id, await methods.Add(scope.CompanyId, scope.PersonId, d, from, clock.GetCurrentInstant(), cancel));
    }

    private static async Task<IReadOnlyList<Refusal>> Keep(string procedureId, int version, ProcedureText r, ClaimsPrincipal user, Methods methods, TimeProvider clock, CancellationToken cancel)
    {
        var scope = user.Scope();
        var d = Read(r.Document);
        new Input().Require(d.Id == procedureId && d.Version == version, Refusal.Of("id-differs", "id")).ThrowIfBad();
        var held = await methods.Find(scope.CompanyId, procedureId, version, cancel) ?? throw NotThere();
        if (held.PublishedAt is not null || !await methods.Keep(scope.CompanyId, scope.PersonId, d, clock.GetCurrentInstant(), cancel))
        {
            throw new ApiException(409, Refusal.Of("published", "version"));
        }

        return FaultsOf(d);
    }

    /// <summary>What stands against publishing it: what would strand an installer, then the trade's plain faults. What is published already keeps working with those.</summary>
    private static IReadOnlyList<Refusal> FaultsOf(ProcedureDocument d) => ProcedureValidator.Faults(d) is { Count: > 0 } faults ? faults : TradeRules.Faults(d);

    private static async Task<ProcedureRef> Publish(string procedureId, int version, ClaimsPrincipal user, Methods methods, TimeProvider clock, CancellationToken cancel)
    {
        var scope = user.Scope();
        var held = await methods.Find(scope.CompanyId, procedureId, version, cancel) ?? throw NotThere();
        var faults = held.PublishedAt is null ? FaultsOf(held.Document) : [];
        if (faults.Count > 0)
        {
            throw new RefusedException(faults);
        }

        return held.PublishedAt is not null || await methods.Publish(scope.CompanyId, held, clock.GetCurrentInstant(), cancel) ? new(procedureId, version)
            : throw new ApiException(409, Refusal.Of("draft-changed", "version"));
    }

    private static async Task Drop(string procedureId, int version, ClaimsPrincipal user, Methods methods, CancellationToken cancel)
    {
        if (!await methods.Drop(user.Scope().CompanyId, procedureId, version, cancel))
        {
            throw NotThere();
        }
    }

    private static async Task<IReadOnlyList<SchoolLine>> AllSchools(ClaimsPrincipal user, Methods methods, CancellationToken cancel = default)
    {
        var company = user.Scope().CompanyId;
        var chosen = await methods.Schools(company, cancel);
        return [.. (await methods.Rules(company, cancel)).Newest.SelectMany(p => p.Options ?? []).GroupBy(o => o.Id).OrderBy(g => g.Key, StringComparer.Ordinal).Select(g => new SchoolLine(
            g.Key, g.First().Question, g.First().Default, g.First().Why, [.. g.SelectMany(o => o.Choices).DistinctBy(c => c.Id)], chosen.GetValueOrDefault(g.Key), g.Count()))];
    }

    private static async Task Follow(string optionId, SchoolChoice r, ClaimsPrincipal user, Methods methods, CancellationToken cancel)
    {
        var company = user.Scope().CompanyId;
        var option = (await AllSchools(user, methods, cancel)).FirstOrDefault(s => s.Option == optionId) ?? throw new ApiException(404, Refusal.Of("not-found", "optionId"));
        new Input().Require(option.Choices.Any(c => c.Id == r.Choice), Refusal.Of("choice-unknown", "choice", ("choices", string.Join(", ", option.Choices.Select(c => c.Id))))).ThrowIfBad();
        await methods.Follow(company, optionId, r.Choice, cancel);
    }

    private static ApiException NotThere() => new(404, Refusal.Of("not-found", "procedureId"));

    [GeneratedRegex("^(?=.{1,60}$)[a-z0-9]+(-[a-z0-9]+)*$")]
    private static partial Regex IdShape();
}
