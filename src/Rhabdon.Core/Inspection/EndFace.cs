using System.Text.Json.Serialization;
using Rhabdon.Core.Connectors;
using Rhabdon.Core.Fiber;

namespace Rhabdon.Core.Inspection;

/// <summary>Zone of the end face: A core, B cladding, C adhesive, D contact.</summary>
public enum Zone
{
    [JsonStringEnumMemberName("A")] A,
    [JsonStringEnumMemberName("B")] B,
    [JsonStringEnumMemberName("C")] C,
    [JsonStringEnumMemberName("D")] D,
}

public enum FindingKind
{
    Scratch, Particle, Residue, Pit, Chip, Crack,
}

/// <summary>The acceptance table that a connector is held to.</summary>
public enum EndFaceClass
{
    SmUpc, SmApc, SmPc, MmPc,
}

/// <summary>Something seen on the end face.</summary>
/// <param name="SizeUm">Width of a scratch, diameter of anything else, in micrometres, above 0 and at most 250.</param>
/// <param name="Count">How many alike, 1 to 999.</param>
public sealed record Finding(Zone Zone, FindingKind Kind, double SizeUm, int Count = 1);

/// <summary>Acceptance limits for end faces, kept as data with their edition.</summary>
public sealed record EndFaceLimitSet(string Id, string Title, string Edition, string Source, IReadOnlyList<EndFaceTable> Classes)
{
    /// <exception cref="RefusedException">The set has no table for the class.</exception>
    public EndFaceTable Table(EndFaceClass endFaceClass) => Classes.FirstOrDefault(c => c.Class == endFaceClass)
        ?? throw new RefusedException("class-unknown", "endFaceClass", $"{Edition} has no table for {Wire.Name(endFaceClass)}.");
}

public sealed record EndFaceTable(EndFaceClass Class, IReadOnlyList<ZoneLimits> Zones);

/// <param name="InnerUm">Inner diameter of the ring.</param>
/// <param name="OuterUm">Outer diameter of the ring.</param>
public sealed record ZoneLimits(Zone Zone, double InnerUm, double OuterUm, IReadOnlyList<Band> Scratches, IReadOnlyList<Band> Defects);

/// <summary>How many findings of a size are allowed. Bands stand in rising order; the first that takes a size holds.</summary>
/// <param name="BelowUm">Takes sizes under this.</param>
/// <param name="UpToUm">Takes sizes up to and with this. With neither, it takes all the rest.</param>
/// <param name="Max">Most that are allowed; null for any number.</param>
public sealed record Band(double? BelowUm = null, double? UpToUm = null, int? Max = null)
{
    public bool Takes(double sizeUm) => (BelowUm is null || sizeUm < BelowUm) && (UpToUm is null || sizeUm <= UpToUm);
}

/// <summary>One rule that was broken.</summary>
/// <param name="Scratches">True where scratches were counted, false for defects.</param>
/// <param name="Findings">Which findings were counted, by their place in the list that was graded.</param>
public sealed record EndFaceBreach(Zone Zone, bool Scratches, double LargestUm, int Found, int Allowed, IReadOnlyList<FindingKind> Kinds, IReadOnlyList<int> Findings);

/// <summary>What to try first on a failed end face.</summary>
public enum EndFaceAdvice
{
    None, CleanAgain, MoreOnLastFilm, BackOneFilm, CutOff, Replace,
}

public sealed record EndFaceVerdict(bool Pass, EndFaceClass Class, string LimitSetId, string Edition, IReadOnlyList<EndFaceBreach> DecidedBy, EndFaceAdvice Advice);

/// <summary>Grades an end face against a limit set.</summary>
public static class EndFaces
{
    /// <summary>The diameter of every fiber's cladding, in micrometres.</summary>
    public const double CladdingUm = 125;

    /// <summary>The table for a connector.</summary>
    public static EndFaceClass ClassOf(FiberMode mode, Polish polish) => (mode, polish) switch
    {
        (FiberMode.Multimode, _) => EndFaceClass.MmPc,
        (_, Polish.APC) => EndFaceClass.SmApc,
        (_, Polish.UPC) => EndFaceClass.SmUpc,
        _ => EndFaceClass.SmPc,
    };

    /// <exception cref="RefusedException">A finding is out of range, or the set has no table for the class.</exception>
    public static EndFaceVerdict Grade(IReadOnlyList<Finding> findings, EndFaceClass endFaceClass, EndFaceLimitSet limits, TerminationMethod? method = null)
    {
        var table = limits.Table(endFaceClass);
        var faults = findings.SelectMany((f, i) => Faults(f, i)).ToList();
        if (faults.Count > 0)
        {
            throw new RefusedException(faults);
        }

        var breaches = table.Zones.SelectMany(z => Breaches(z, findings)).ToList();
        return new(breaches.Count == 0, endFaceClass, limits.Id, limits.Edition, breaches, Advise(breaches, method));
    }

    private static IEnumerable<Refusal> Faults(Finding f, int index)
    {
        if (!(f.SizeUm is > 0 and <= 250))
        {
            yield return new("finding-size", $"findings[{index}].sizeUm", "A finding's size is above 0 and at most 250 µm.");
        }

        if (f.Count is < 1 or > 999)
        {
            yield return new("finding-count", $"findings[{index}].count", "Say 1 to 999 findings of a kind.");
        }
    }

    private static IEnumerable<EndFaceBreach> Breaches(ZoneLimits zone, IReadOnlyList<Finding> findings)
    {
        foreach (var scratches in new[] { true, false })
        {
            var inZone = findings.Index().Where(f => f.Item.Zone == zone.Zone && (f.Item.Kind == FindingKind.Scratch) == scratches).ToList();
            var bands = scratches ? zone.Scratches : zone.Defects;
            foreach (var group in inZone.GroupBy(f => bands.FirstOrDefault(b => b.Takes(f.Item.SizeUm))))
            {
                var found = group.Sum(f => f.Item.Count);
                if (group.Key?.Max is { } max && found > max)
                {
                    yield return new(zone.Zone, scratches, group.Max(f => f.Item.SizeUm), found, max, [.. group.Select(f => f.Item.Kind).Distinct()], [.. group.Select(f => f.Index)]);
                }
            }
        }
    }

    /// <summary>Dirt is the first suspect; then what polishing can still reach; a chip or crack in the core cannot be polished out.</summary>
    private static EndFaceAdvice Advise(IReadOnlyList<EndFaceBreach> breaches, TerminationMethod? method)
    {
        if (breaches.Count == 0)
        {
            return EndFaceAdvice.None;
        }

        if (breaches.Any(b => b.Kinds.Any(k => k is FindingKind.Particle or FindingKind.Residue)))
        {
            return EndFaceAdvice.CleanAgain;
        }

        var polished = method is null or TerminationMethod.HeatCuredEpoxy or TerminationMethod.ColdCure or TerminationMethod.HotMelt;
        if (!polished)
        {
            return EndFaceAdvice.Replace;
        }

        if (breaches.Any(b => b.Zone == Zone.A && b.Kinds.Any(k => k is FindingKind.Chip or FindingKind.Crack)))
        {
            return EndFaceAdvice.CutOff;
        }

        return breaches.All(b => b.Scratches && b.LargestUm <= 5) ? EndFaceAdvice.MoreOnLastFilm : EndFaceAdvice.BackOneFilm;
    }
}
