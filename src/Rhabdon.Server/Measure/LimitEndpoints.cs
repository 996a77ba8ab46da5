using System.Security.Claims;
using System.Text.Json;
using Rhabdon.Core;
using Rhabdon.Core.Inspection;
using Rhabdon.Core.Loss;
using Rhabdon.Server.Accounts;
using Rhabdon.Server.Web;
using Rhabdon.Store;

namespace Rhabdon.Server.Measure;

public enum LimitKind
{
    EndFace, Loss,
    /// <summary>How much of the red light may be left.</summary>
    Light,
}

/// <param name="Yaml">The whole set; its id names this version and cannot be used again.</param>
public sealed record OwnLimitsRequest(LimitKind Kind, string Yaml);

public sealed record OwnLimitsAnswer(string Id);

/// <summary>A limit set of the company's own.</summary>
/// <param name="Looser">Where it allows more than the standard; empty where it nowhere does.</param>
public sealed record OwnLimits(string Id, LimitKind Kind, IReadOnlyList<LooserLimit> Looser);

/// <param name="Own">Those of the company among them.</param>
public sealed record LimitSets(IReadOnlyList<EndFaceLimitSet> EndFace, IReadOnlyList<LossLimitSet> Loss, IReadOnlyList<LightLimitSet> Light, IReadOnlyList<ApplicationSet> Applications, IReadOnlyList<OwnLimits> Own);

/// <summary>A company's own limits beside the standards'.</summary>
public static class LimitEndpoints
{
    /// <summary>What house limits are held against.</summary>
    private const string FaceStandard = "iec-61300-3-35", LossStandard = "tia-568.3-d";

    public static void MapLimits(this RouteGroupBuilder api)
    {
        api.MapGet("/limits", All).WithSummary("Limit sets with their editions and sources; of your own ones, which viewers are not told, where they are looser than the standard.");
        api.MapPost("/limits/own", Add).RequireAuthorization(Policies.Office)
            .WithSummary("Add a limit set of your company, or a version of one under a new id. What was judged by an earlier one stays judged by it.")
            .WithDescription("yaml: the whole set as YAML or JSON, of the shape that GET /api/limits shows. Sizes in micrometres, losses in dB, dB/km, light as shares of 1.");
    }

    private static async Task<LimitSets> All(ClaimsPrincipal user, Methods methods, CancellationToken cancel)
    {
        var rules = await methods.Rules(user.Scope(), cancel);
        return new([.. rules.EndFace.Values], [.. rules.Loss.Values], rules.Light, rules.Applications,
        [
            .. rules.EndFace.Values.Where(s => !methods.IsShipped(s.Id)).Select(s => new OwnLimits(s.Id, LimitKind.EndFace, LooserLimits.Of(s, rules.EndFaceSet(FaceStandard)))),
            .. rules.Loss.Values.Where(s => !methods.IsShipped(s.Id)).Select(s => new OwnLimits(s.Id, LimitKind.Loss, LooserLimits.Of(s, rules.LossSet(LossStandard)))),
            .. rules.Light.Where(s => !methods.IsShipped(s.Id)).Select(s => new OwnLimits(s.Id, LimitKind.Light, LooserLimits.Of(s, LightLimitSet.Ours))),
        ]);
    }

    private static async Task<OwnLimitsAnswer> Add(OwnLimitsRequest r, ClaimsPrincipal user, Methods methods, TimeProvider clock, CancellationToken cancel)
    {
        var (id, document) = Checked(r.Kind, r.Yaml);
        var scope = user.Scope();
        if ((await methods.Rules(scope.CompanyId, cancel)) is var rules && (rules.Loss.ContainsKey(id) || rules.EndFace.ContainsKey(id) || rules.Light.Any(s => s.Id == id))
            || !await methods.AddLimits(scope.CompanyId, scope.PersonId, id, Wire.Name(r.Kind), document, clock.GetCurrentInstant(), cancel))
        {
            throw new ApiException(409, Refusal.Of("taken", "id", ("id", id)));
        }

        return new(id);
    }

    /// <exception cref="RefusedException">It is no such set, or cannot hold.</exception>
    internal static (string Id, string Document) Checked(LimitKind kind, string yaml) => kind switch
    {
        LimitKind.Loss => Checked(YamlText.Read<LossLimitSet>(yaml)),
        LimitKind.Light => Checked(YamlText.Read<LightLimitSet>(yaml)),
        _ => Checked(YamlText.Read<EndFaceLimitSet>(yaml)),
    };

    private static (string Id, string Document) Checked(LossLimitSet set)
    {
        var faults = Named(set.Id, set.Title, set.Edition, set.Source);
        faults.AddRange(set.Connections.Index().Where(c => c.Item is not { EndDb: >= 0 and <= 10, PairDb: >= 0 and <= 10 }).Select(c => new Refusal("out-of-range", $"connections[{c.Index}]", "A connection loses 0 to 10 dB.")));
        faults.AddRange(set.Cable.Index().Where(c => c.Item is not { DbPerKm: >= 0 and <= 20, WavelengthNm: >= 600 and <= 1700 }).Select(c => new Refusal("out-of-range", $"cable[{c.Index}]", "A cable loses 0 to 20 dB/km, at 600 to 1700 nm.")));
        if (set.Connections.Count == 0 || set.Cable.Count == 0 || set.SpliceDb is not (>= 0 and <= 10))
        {
            faults.Add(new("missing", "connections", "A loss limit set has connections, cable, and a splice loss of 0 to 10 dB."));
        }

        return faults.Count == 0 ? (set.Id, JsonSerializer.Serialize(set, Wire.Json)) : throw new RefusedException(faults);
    }

    private static (string Id, string Document) Checked(LightLimitSet set)
    {
        List<Refusal> faults = [.. Named(set.Id, set.Title, set.Edition, set.Source), .. set.Faults()];
        return faults.Count == 0 ? (set.Id, JsonSerializer.Serialize(set, Wire.Json)) : throw new RefusedException(faults);
    }

    private static (string Id, string Document) Checked(EndFaceLimitSet set)
    {
        var faults = Named(set.Id, set.Title, set.Edition, set.Source);
        if (set.Classes.Count == 0)
        {
            faults.Add(new("missing", "classes", "An end-face limit set has at least one class."));
        }

        foreach (var (i, table) in set.Classes.Index())
        {
            if (table.Zones.Select(z => z.Zone).Order().SequenceEqual(Enum.GetValues<Zone>()) is false || table.Zones.Any(z => !(z.InnerUm >= 0 && z.OuterUm > z.InnerUm && z.OuterUm <= 500)))
            {
                faults.Add(new("zones-bad", $"classes[{i}].zones", "Each class has the zones A to D, each once, with an inner diameter below its outer one."));
            }

            foreach (var (z, zone) in table.Zones.Index())
            {
                faults.AddRange(Bands(zone.Scratches, $"classes[{i}].zones[{z}].scratches").Concat(Bands(zone.Defects, $"classes[{i}].zones[{z}].defects")));
            }
        }

        return faults.Count == 0 ? (set.Id, JsonSerializer.Serialize(set, Wire.Json)) : throw new RefusedException(faults);
    }

    /// <summary>Bands rise, and the last takes all the rest: no size is without a limit.</summary>
    private static IEnumerable<Refusal> Bands(IReadOnlyList<Band> bands, string field)
    {
        if (bands.Count is 0 or > 20 || bands[^1] is not { BelowUm: null, UpToUm: null })
        {
            yield return new("bands-open", field, "The last band has no size: it takes all the rest.");
        }

        double last = 0;
        foreach (var (i, band) in bands.Index().SkipLast(1))
        {
            var size = band.BelowUm ?? band.UpToUm;
            if (!(size > last && size <= 250) || (band.BelowUm is not null && band.UpToUm is not null))
            {
                yield return new("bands-order", $"{field}[{i}]", "A band has one size, below or up to, in micrometres, above the band before it and at most 250.");
            }

            last = size ?? last;
        }

        if (bands.Any(b => b.Max is < 0 or > 999))
        {
            yield return new("out-of-range", field, "A band allows 0 to 999, or any number.");
        }
    }

    private static List<Refusal> Named(string id, string title, string edition, string source)
    {
        var faults = new List<Refusal>();
        if (id.Length is < 3 or > 60 || id.Any(c => !(char.IsAsciiLetterLower(c) || char.IsAsciiDigit(c) || c is '-' or '.')))
        {
            faults.Add(new("id-bad", "id", "An id has 3 to 60 lower-case letters, digits, dots and hyphens."));
        }

        foreach (var (field, text) in new[] { ("title", title), ("edition", edition), ("source", source) })
        {
            if (text.Trim().Length is 0 or > 200)
            {
                faults.Add(new("text-length", field, $"'{field}' needs 1 to 200 characters."));
            }
        }

        return faults;
    }
}
