using MathNet.Numerics.Distributions;
using Rhabdon.Core.Fiber;
using Rhabdon.Core.Ledger;
using Rhabdon.Core.Loss;

namespace Rhabdon.Core.Diagnosis;

/// <summary>An end that was worked, with all that it may share with others.</summary>
public sealed record WorkedEnd(EndId EndId, string Address, CableId CableId, string CableCode, FiberClass FiberClass, AttemptState Run)
{
    /// <summary>It waits, was given up, or went back.</summary>
    public bool Bad => Losses.Any(l => l.Judgement.Verdict is LossVerdict.Fail or LossVerdict.BadReference) || Run.Inspection is { Verdict.Pass: false } || !Run.Open || Run.Lights.LastOrDefault()?.Judgement.Verdict == Inspection.LightVerdict.Bad;

    public bool LossBad => Losses.Any(l => l.Judgement.Verdict is LossVerdict.Fail or LossVerdict.BadReference);

    internal IReadOnlyList<LossState> Losses => Run.Losses;
}

public enum SharedThing
{
    /// <summary>They were read on one setting of the reference.</summary>
    Reference,
    /// <summary>They are strands of one cable: a reel of another class than it says.</summary>
    Cable,
    /// <summary>They were made with one tool: a worn blade.</summary>
    Tool,
    /// <summary>They were made with one lot.</summary>
    Lot,
    /// <summary>They were made in one batch.</summary>
    Batch,
}

/// <param name="Thing">What they share;</param>
/// <param name="Key">as it is called, or its id.</param>
/// <param name="Act">What to do before any of them is cut.</param>
/// <param name="Bad">Of those that share it, not good;</param>
/// <param name="All">of so many.</param>
/// <param name="ElsewhereBad">Of the others;</param>
/// <param name="ElsewhereAll">of so many.</param>
/// <param name="Chance">That so many fall together by chance, among all that was looked for.</param>
/// <param name="Ends">Those that are not good and share it.</param>
public sealed record OneCause(SharedThing Thing, string Key, string Act, int Bad, int All, int ElsewhereBad, int ElsewhereAll, double Chance, IReadOnlyList<EndId> Ends);

/// <summary>A dirty face that was read, and what the cord carried on from it.</summary>
/// <param name="From">The face that was dirty when it was read.</param>
/// <param name="To">Read right after it with the same meter, and worse than those before it.</param>
/// <param name="MoreDb">How much worse, in the middle.</param>
public sealed record DirtTrail(EndId From, IReadOnlyList<EndId> To, int WavelengthNm, double MoreDb, Instant At);

/// <summary>What many ends have in common, before anyone cuts the first of them.</summary>
public static class OneCauses
{
    private const int Least = 3, LongestTrail = 24;

    /// <summary>Of all that is pointed at, one in a hundred times anything at all may be chance.</summary>
    private const double Allowed = 0.01;

    /// <summary>Half of those that share it are bad, or it is not the cause of them.</summary>
    private const double LeastShare = 0.5;

    /// <summary>What a clean cord adds from one port to the next, at the most (ours).</summary>
    private const double TrailDb = 0.15;

    public static IReadOnlyList<OneCause> Of(IReadOnlyList<WorkedEnd> ends)
    {
        var measured = ends.Where(e => e.Losses.Count > 0).ToList();
        // Only what such a thing can spoil counts against it: a reel of another class loses light and leaves no scratch.
        var groups = new List<(SharedThing Thing, string Key, IReadOnlyList<WorkedEnd> Of, IReadOnlyList<WorkedEnd> Among, Func<WorkedEnd, bool> Bad)>();
        void Add(SharedThing thing, IReadOnlyList<WorkedEnd> among, Func<WorkedEnd, IEnumerable<string>> keys, Func<WorkedEnd, bool> bad) =>
            groups.AddRange(among.SelectMany(e => keys(e).Distinct().Select(k => (Key: k, End: e))).GroupBy(x => x.Key, x => x.End, StringComparer.Ordinal)
                .Select(g => (thing, g.Key, (IReadOnlyList<WorkedEnd>)[.. g], among, bad)));
        Add(SharedThing.Reference, measured, e => e.Losses.Select(ReferenceOf).OfType<string>(), e => e.LossBad);
        Add(SharedThing.Cable, measured, e => [e.CableCode], e => e.LossBad);
        Add(SharedThing.Tool, ends, e => e.Run.ToolIds.Select(t => t.ToString()), e => e.Bad);
        Add(SharedThing.Lot, ends, e => e.Run.Preflight.Select(p => p.Lot).OfType<string>(), e => e.Bad);
        Add(SharedThing.Batch, ends, e => e.Run.BatchId is { } b ? [b.ToString()] : [], e => e.Bad);
        var searched = groups.Count(g => g.Of.Count >= Least);
        var found = new List<OneCause>();
        foreach (var (thing, key, of, among, isBad) in groups.Where(g => g.Of.Count >= Least))
        {
            var (bad, elsewhere) = (of.Where(isBad).ToList(), among.Except(of).ToList());
            var elsewhereBad = elsewhere.Count(isBad);
            // Nothing else to hold it against: a usual share stands in.
            var usual = (elsewhereBad + 0.6) / (elsewhere.Count + 6.0);
            var chance = bad.Count == 0 ? 1 : Math.Min(1, (1 - Binomial.CDF(usual, of.Count, bad.Count - 1)) * searched);
            if (bad.Count >= Least && bad.Count >= LeastShare * of.Count && chance <= Allowed)
            {
                found.Add(new(thing, key, ActOf(thing), bad.Count, of.Count, elsewhereBad, elsewhere.Count, chance, [.. bad.Select(b => b.EndId)]));
            }
        }

        // Ends that one thing explains are not explained again by another that explains fewer of them; of the same ends by what is quickest looked at.
        var kept = new List<OneCause>();
        foreach (var f in found.OrderByDescending(f => f.Ends.Count).ThenBy(f => f.Thing == SharedThing.Batch).ThenBy(f => f.Thing).ThenBy(f => f.Chance))
        {
            if (!kept.Any(k => f.Ends.All(k.Ends.Contains)))
            {
                kept.Add(f);
            }
        }

        return kept;
    }

    private static string ActOf(SharedThing thing) => thing switch
    {
        SharedThing.Reference => "new-reference",
        SharedThing.Cable => "read-class",
        SharedThing.Tool => "turn-blade",
        SharedThing.Lot => "set-lot-aside",
        _ => "walk-batch",
    };

    /// <summary>One setting of one meter's reference.</summary>
    private static string? ReferenceOf(LossState l) => l.Reading.ReferenceAt is { } at ? $"{at} {l.Reading.InstrumentId}" : null;

    /// <summary>Readings in the order of time: from a face that was dirty on, those that the same meter read right after it and that are worse than those before it.</summary>
    public static IReadOnlyList<DirtTrail> Trails(IReadOnlyList<WorkedEnd> ends)
    {
        var trails = new List<DirtTrail>();
        foreach (var group in ends.SelectMany(e => e.Losses.Select(l => (End: e, Loss: l))).GroupBy(x => (x.Loss.Reading.InstrumentId, x.Loss.Reading.WavelengthNm, Day: x.Loss.At.InUtc().Date)))
        {
            var order = group.OrderBy(x => x.Loss.At).DistinctBy(x => x.End.EndId).ToList();
            for (var i = 0; i < order.Count; i++)
            {
                var before = order.Take(i).Where(x => !WasDirty(x.End, x.Loss.At)).Select(x => x.Loss.Judgement.LossDb).ToList();
                if (before.Count < Least || !WasDirty(order[i].End, order[i].Loss.At))
                {
                    continue;
                }

                var usual = Median(before);
                var after = order.Skip(i + 1).Take(LongestTrail).TakeWhile(x => x.Loss.Judgement.LossDb - usual >= TrailDb).ToList();
                if (after.Count >= 2)
                {
                    trails.Add(new(order[i].End.EndId, [.. after.Select(x => x.End.EndId)], group.Key.WavelengthNm, Median([.. after.Select(x => x.Loss.Judgement.LossDb - usual)]), order[i].Loss.At));
                    i += after.Count;
                }
            }
        }

        return [.. trails.OrderByDescending(t => t.To.Count).DistinctBy(t => t.From)];
    }

    /// <summary>Dirt was seen on it before or after it was read, with no clean look in between.</summary>
    private static bool WasDirty(WorkedEnd end, Instant at)
    {
        bool Dirty(InspectionState s) => !s.Verdict.Pass && s.Verdict.Advice == Inspection.EndFaceAdvice.CleanAgain;
        return end.Run.Looks.LastOrDefault(l => l.At <= at) is { } before && Dirty(before) || end.Run.Looks.FirstOrDefault(l => l.At > at) is { } after && Dirty(after);
    }

    private static double Median(IReadOnlyList<double> values)
    {
        var sorted = values.Order().ToList();
        return sorted.Count % 2 == 1 ? sorted[sorted.Count / 2] : (sorted[(sorted.Count / 2) - 1] + sorted[sorted.Count / 2]) / 2;
    }
}
