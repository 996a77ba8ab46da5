using Rhabdon.Core.Ledger;

namespace Rhabdon.Core.Rework;

public enum Weakness
{
    /// <summary>A loss lies nearer to its limit than the meter can tell.</summary>
    MarginUntold,
    /// <summary>A loss lies near its limit.</summary>
    LittleMargin,
    /// <summary>It was reworked before it was accepted.</summary>
    Reworked,
    /// <summary>A timed act was passed before its time.</summary>
    TimerShort,
    /// <summary>No picture is kept of its face.</summary>
    NoPicture,
    /// <summary>Acts were said together with others: nobody timed each of them.</summary>
    SaidTogether,
    /// <summary>A lot past its day or a tool past its service was used.</summary>
    InSpiteOf,
    /// <summary>It was read in one direction only.</summary>
    OneDirection,
    /// <summary>There is no slack for another connector, should it be called back.</summary>
    NoSlack,
}

/// <summary>An end that is accepted and weak.</summary>
/// <param name="Chance">That somebody is called back for it (expert judgement of ours).</param>
/// <param name="Minutes">Of looking at it again and doing what that asks for.</param>
/// <param name="MarginDb">The least of its readings; null where none is.</param>
public sealed record WeakEnd(EndId EndId, double Chance, double Minutes, double? MarginDb, IReadOnlyList<Weakness> Why, bool InTime);

/// <summary>What to do with the last minutes before the key is given back: the weak ends whose chance of a call-back falls most for each minute.</summary>
public static class WeakEnds
{
    /// <summary>Nearer to its limit than this, a year of temperature and hands may take it over (ours).</summary>
    private const double LittleDb = 0.15;

    /// <summary>A look, a wipe and a reading; a picture alone (ours).</summary>
    private const double CheckMinutes = 5, LookMinutes = 2;

    /// <summary>A chance below which nobody goes back for one (ours).</summary>
    private const double Least = 0.01;

    public static IReadOnlyList<WeakEnd> Of(IEnumerable<(EndState State, double SlackLeftMm, double CutOffMm)> ends, double minutes)
    {
        var weak = ends.Select(e => Of(e.State, e.SlackLeftMm, e.CutOffMm)).OfType<WeakEnd>().OrderByDescending(e => e.Chance / e.Minutes).ThenByDescending(e => e.Chance).ThenBy(e => e.EndId.Value).ToList();
        var left = minutes;
        return [.. weak.Select(e =>
        {
            var fits = e.Minutes <= left;
            left -= fits ? e.Minutes : 0;
            return e with { InTime = fits };
        })];
    }

    private static WeakEnd? Of(EndState state, double slackLeftMm, double cutOffMm)
    {
        if (state.Status != EndStatus.Accepted || state.Current is not { } run)
        {
            return null;
        }

        var margin = run.Losses.Count == 0 ? (double?)null : run.Losses.Min(l => l.Judgement.MarginDb);
        var why = new List<(Weakness What, double Chance)>();
        void Add(bool so, Weakness what, double chance)
        {
            if (so)
            {
                why.Add((what, chance));
            }
        }

        Add(run.Losses.Any(l => Math.Abs(l.Judgement.MarginDb) <= (l.Reading.RepeatabilityDb ?? Loss.InsertionLoss.UsualRepeatabilityDb)), Weakness.MarginUntold, 0.15);
        Add(margin is { } m && m <= LittleDb && why.Count == 0, Weakness.LittleMargin, 0.06);
        Add(run.Deviations.Any(d => d.Kind == DeviationKind.TimerShort), Weakness.TimerShort, 0.05);
        Add(run.InSpiteOf is not null || run.Preflight.Any(p => p.InSpiteOf is not null), Weakness.InSpiteOf, 0.05);
        Add(run.Loops.Count > 0, Weakness.Reworked, 0.03);
        Add(run.Inspection is { Picture: null, PhotoId: null } or null, Weakness.NoPicture, 0.02);
        Add(run.Losses.Count > 0 && run.Losses.Select(l => l.Reading.Direction).OfType<Direction>().Distinct().Count() == 1, Weakness.OneDirection, 0.01);
        Add(run.SaidTogether.Count > 0, Weakness.SaidTogether, 0.005);
        var chance = 1 - why.Aggregate(1.0, (none, w) => none * (1 - w.Chance));
        if (chance < Least)
        {
            return null;
        }

        // What it costs to come back for one without slack is another pull of the cable: it is named, and counts half as much again.
        var noSlack = slackLeftMm < cutOffMm;
        var onlyLook = why.All(w => w.What is Weakness.NoPicture or Weakness.SaidTogether);
        return new(state.EndId, Math.Min(1, chance * (noSlack ? 1.5 : 1)), onlyLook ? LookMinutes : CheckMinutes, margin, [.. why.OrderByDescending(w => w.Chance).Select(w => w.What), .. noSlack ? [Weakness.NoSlack] : Array.Empty<Weakness>()], false);
    }
}
