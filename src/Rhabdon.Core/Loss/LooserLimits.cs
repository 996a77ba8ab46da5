using System.Globalization;
using Rhabdon.Core.Inspection;

namespace Rhabdon.Core.Loss;

/// <summary>A figure of a house set that allows more than the standard's.</summary>
/// <param name="Standard">The standard's figure; "none" where it allows any number.</param>
public sealed record LooserLimit(string What, string Own, string Standard);

/// <summary>House limits may be tighter than the standard; looser ones are labelled as such.</summary>
public static class LooserLimits
{
    public static IReadOnlyList<LooserLimit> Of(LossLimitSet own, LossLimitSet standard)
    {
        var looser = new List<LooserLimit>();
        void Check(string what, double mine, double theirs)
        {
            if (mine > theirs + 1e-9)
            {
                looser.Add(new(what, Text(mine), Text(theirs)));
            }
        }

        Check("splice (dB)", own.SpliceDb, standard.SpliceDb);
        foreach (var (mine, theirs) in own.Connections.Join(standard.Connections, c => c.Mode, c => c.Mode, (a, b) => (a, b)))
        {
            Check($"{Wire.Name(mine.Mode)} end connection (dB)", mine.EndDb, theirs.EndDb);
            Check($"{Wire.Name(mine.Mode)} mated pair (dB)", mine.PairDb, theirs.PairDb);
        }

        foreach (var (mine, theirs) in own.Cable.Join(standard.Cable, c => (c.FiberClass, c.WavelengthNm), c => (c.FiberClass, c.WavelengthNm), (a, b) => (a, b)))
        {
            Check($"{mine.FiberClass} cable at {mine.WavelengthNm} nm (dB/km)", mine.DbPerKm, theirs.DbPerKm);
        }

        return looser;
    }

    /// <summary>Looser where some size of finding is allowed more often, in some part of the face.</summary>
    public static IReadOnlyList<LooserLimit> Of(EndFaceLimitSet own, EndFaceLimitSet standard)
    {
        var looser = new List<LooserLimit>();
        foreach (var (mine, theirs) in own.Classes.Join(standard.Classes, c => c.Class, c => c.Class, (a, b) => (a, b)))
        {
            foreach (var scratches in new[] { true, false })
            {
                foreach (var zone in mine.Zones)
                {
                    // Findings of this zone, at its middle and its rims: the standard's zones may end elsewhere.
                    var places = new[] { zone.InnerUm + 0.1, (zone.InnerUm + zone.OuterUm) / 2, zone.OuterUm - 0.1 };
                    var found = places.SelectMany(d => Sizes.Select(s => (Size: s, Mine: Allowed(zone, scratches, s), Theirs: Allowed(theirs.Zones.FirstOrDefault(z => d > z.InnerUm && d < z.OuterUm), scratches, s))))
                        .FirstOrDefault(x => (x.Mine ?? int.MaxValue) > (x.Theirs ?? int.MaxValue), (-1, null, null));
                    if (found.Item1 > 0)
                    {
                        looser.Add(new($"{Wire.Name(mine.Class)} zone {zone.Zone}, {(scratches ? "scratches" : "defects")} of {Text(found.Item1)} µm", found.Item2?.ToString(CultureInfo.InvariantCulture) ?? "any", found.Item3?.ToString(CultureInfo.InvariantCulture) ?? "none"));
                    }
                }
            }
        }

        return looser;
    }

    private static readonly double[] Sizes = [0.5, 1, 1.5, 2, 2.5, 3, 3.5, 4, 4.5, 5, 6, 7, 8, 9, 10, 12, 15, 20, 30, 50, 100, 250];

    /// <summary>Most findings of a size; null for any number.</summary>
    private static int? Allowed(ZoneLimits? zone, bool scratches, double sizeUm) =>
        zone is null ? null : (scratches ? zone.Scratches : zone.Defects).FirstOrDefault(b => b.Takes(sizeUm))?.Max;

    private static string Text(double v) => v.ToString("0.###", CultureInfo.InvariantCulture);
}
