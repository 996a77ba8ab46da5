using Rhabdon.Core.Ledger;
using Rhabdon.Core.Yield;

namespace Rhabdon.Core.Diagnosis;

/// <summary>Connectors of one method, of a lot or of all.</summary>
/// <param name="Lot">Null for all.</param>
/// <param name="Passed">Good at once.</param>
public sealed record MadeOf(string? Lot, string Method, long Made, long Passed);

/// <summary>What the record says of the things that a run was made with; null where it says nothing.</summary>
/// <param name="BladeWorn">The blade has cut more than it is good for, where it has stood since.</param>
/// <param name="LotWorse">Others of its lot were good at once less often than of other lots, of the same methods, by more than chance.</param>
public sealed record RunHistory(bool? BladeWorn = null, bool? LotWorse = null)
{
    /// <summary>Fewer of a lot say nothing of it (ours).</summary>
    private const long LeastMade = 8;

    /// <param name="tools">The company's.</param>
    /// <param name="made">Of its lots, and of all, by method.</param>
    public static RunHistory Of(AttemptState run, IReadOnlyList<ToolState> tools, IReadOnlyList<MadeOf> made)
    {
        bool? worn = null;
        // A blade that was turned since says nothing of what was cut before.
        foreach (var cleaver in tools.Where(t => t.Kind == ToolKind.Cleaver && run.ToolIds.Any(id => id.Value == t.Id.Value) && t.Resets.All(r => r.At < run.StartedAt)))
        {
            worn = worn == true || cleaver.Wear.Any(w => w is { Kind: WearKind.CleavesOfPosition, Left: < 0 });
        }

        bool? worse = null;
        foreach (var lot in run.Preflight.Select(p => p.Lot).OfType<string>().Distinct(StringComparer.Ordinal))
        {
            var of = made.Where(m => m.Lot == lot).ToList();
            if (of.Sum(m => m.Made) < LeastMade)
            {
                continue;
            }

            var others = of.Select(m => made.FirstOrDefault(a => a.Lot is null && a.Method == m.Method) is { } all ? new Stratum(m.Method, all.Made - m.Made, all.Passed - m.Passed) : new Stratum(m.Method, 0, 0)).ToList();
            var pair = Rates.Compare(new(lot, Strata: [.. of.Select(m => new Stratum(m.Method, m.Made, m.Passed))]), new("", Strata: others));
            worse = worse == true || pair is { Enough: true, Difference: < 0 };
        }

        return new(worn, worse);
    }
}
