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

    public static IReadOnlyList<LooserLimit> Of(LightLimitSet own, LightLimitSet standard) =>
    [
        .. new[] { ("none visible", own.MostNoneShare, standard.MostNoneShare), ("clearly dimmer", own.MostDimmerShare, standard.MostDimmerShare), ("still bright", own.MostBrightShare, standard.MostBrightShare) }
            .Where(x => x.Item2 > x.Item3 + 1e-9).Select(x => new LooserLimit($"{x.Item1}, share of light left", Text(x.Item2), Text(x.Item3))),
    ];

    /// <summary>Looser where, in some ring of the face, findings of the sizes of one of the standard's bands may be more than that band allows.</summary>
    public static IReadOnlyList<LooserLimit> Of(EndFaceLimitSet own, EndFaceLimitSet standard) =>
    [
        .. own.Classes.Join(standard.Classes, c => c.Class, c => c.Class, (mine, theirs) => (mine, theirs)).SelectMany(x => Rings(x.mine, x.theirs)
            .SelectMany(ring => new[] { true, false }.SelectMany(scratches => Looser(x.mine.Class, ring.Mine, ring.Theirs, scratches)))
            .DistinctBy(l => l.What)),
    ];

    /// <summary>The face cut at every border of either set: within a ring each judges alike.</summary>
    private static IEnumerable<(ZoneLimits? Mine, ZoneLimits Theirs)> Rings(EndFaceTable own, EndFaceTable standard)
    {
        static ZoneLimits? At(EndFaceTable table, double um) => table.Zones.FirstOrDefault(z => um > z.InnerUm && um < z.OuterUm);
        var borders = own.Zones.Concat(standard.Zones).SelectMany(z => new[] { z.InnerUm, z.OuterUm }).Distinct().Order().ToList();
        foreach (var (inner, outer) in borders.Zip(borders.Skip(1)))
        {
            if (At(standard, (inner + outer) / 2) is { } theirs)
            {
                yield return (At(own, (inner + outer) / 2), theirs);
            }
        }
    }

    private static IEnumerable<LooserLimit> Looser(EndFaceClass of, ZoneLimits? own, ZoneLimits standard, bool scratches)
    {
        var mine = Spans(own is null ? [] : scratches ? own.Scratches : own.Defects);
        foreach (var theirs in Spans(scratches ? standard.Scratches : standard.Defects).Where(s => s.Max is not null))
        {
            var let = mine.Where(s => s.Max != 0 && Later(s.From, theirs.From).CompareTo(Sooner(s.To, theirs.To)) < 0).ToList();
            if (let.Any(s => s.Max is null) || let.Sum(s => s.Max!.Value) > theirs.Max)
            {
                var (from, to) = (Later(let[0].From, theirs.From).Um, Sooner(let[^1].To, theirs.To).Um);
                yield return new($"{Wire.Name(of)} zone {(own ?? standard).Zone}, {(scratches ? "scratches" : "defects")} of {(double.IsInfinity(to) ? $"more than {Text(from)}" : $"{Text(from)} to {Text(to)}")} µm",
                    let.Any(s => s.Max is null) ? "any" : let.Sum(s => s.Max!.Value).ToString(CultureInfo.InvariantCulture), theirs.Max!.Value.ToString(CultureInfo.InvariantCulture));
                yield break;
            }
        }
    }

    /// <summary>Where one band ends and the next begins: just before a size, or just after it.</summary>
    private readonly record struct Cut(double Um, bool After) : IComparable<Cut>
    {
        public int CompareTo(Cut other) => (Um, After).CompareTo((other.Um, other.After));
    }

    private static Cut Later(Cut a, Cut b) => a.CompareTo(b) > 0 ? a : b;

    private static Cut Sooner(Cut a, Cut b) => a.CompareTo(b) < 0 ? a : b;

    /// <summary>The sizes that each band takes, in rising order; any number where none does.</summary>
    private static List<(Cut From, Cut To, int? Max)> Spans(IReadOnlyList<Band> bands)
    {
        var spans = new List<(Cut From, Cut To, int? Max)>();
        var (from, end) = (new Cut(0, true), new Cut(double.PositiveInfinity, false));
        foreach (var band in bands)
        {
            var to = Sooner(band.BelowUm is { } below ? new(below, false) : end, band.UpToUm is { } upTo ? new(upTo, true) : end);
            if (from.CompareTo(to) < 0)
            {
                spans.Add((from, to, band.Max));
                from = to;
            }
        }

        return from.CompareTo(end) < 0 ? [.. spans, (from, end, null)] : spans;
    }

    private static string Text(double v) => v.ToString("0.###", CultureInfo.InvariantCulture);
}
