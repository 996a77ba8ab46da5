using Rhabdon.Core.Connectors;
using Rhabdon.Core.Fiber;
using Rhabdon.Core.Rework;

namespace Rhabdon.Core.Diagnosis;

/// <summary>Something that was seen of a connector; the signs and their values are listed.</summary>
public sealed record Observation(string Sign, string Value);

/// <param name="SlackMm">What may still be cut off; null where that is no matter.</param>
/// <param name="Tried">Acts that did not help, each as often as it was tried.</param>
public sealed record DiagnoseAsk(
    TerminationMethod Method, ConnectorForm Form = ConnectorForm.LC, FiberMode Mode = FiberMode.Multimode, IReadOnlyList<Observation>? Observations = null, double? SlackMm = null, IReadOnlyList<string>? Tried = null);

/// <summary>What moved a cause: how many times likelier, or less likely, this one sign made it beside all the others.</summary>
/// <param name="Tried">An act that did not help, in the place of a sign.</param>
public sealed record Evidence(string? Sign, string? Value, double Factor, string? Tried = null);

/// <param name="Prior">Before anything was seen.</param>
/// <param name="Because">What moved it, the strongest first.</param>
public sealed record CauseFound(ReworkReason Reason, double Probability, double Prior, IReadOnlyList<Evidence> Because);

public enum NextWhy
{
    /// <summary>It is the likeliest cure for what it costs.</summary>
    CuresMostForItsCost,
    /// <summary>A cheap look that changes what is to be done.</summary>
    TellsWhatToDo,
    /// <summary>Dirt is ruled out before anything is cut.</summary>
    DirtFirst,
    /// <summary>A bend is ruled out before anything is cut.</summary>
    BendBeforeBlade,
    /// <summary>The slack that is left does not pay for another connector.</summary>
    SlackIsShort,
}

/// <param name="Act">An act, or <c>look:</c> and the sign that is to be looked at.</param>
/// <param name="ExpectedMinutes">From now until it is accepted, parts counted as the minutes that they are worth.</param>
/// <param name="SuccessProbability">That this act alone cures it; 0 for a look.</param>
/// <param name="Cause">The cause that it is against, or that the look is to tell; null where it is against all.</param>
public sealed record NextAct(string Act, double ExpectedMinutes, double SuccessProbability, NextWhy Why, ReworkReason? Cause);

/// <param name="Then">What would come next each time the one before has failed.</param>
public sealed record DiagnosisFound(IReadOnlyList<CauseFound> Causes, NextAct? Next, IReadOnlyList<NextAct> Then);

/// <summary>
/// From what was seen to ranked causes (Bayes over signs that are independent once the cause is known), and the act that costs least until the connector is
/// accepted, looking a few acts ahead. Nothing is cut before it was cleaned and a bend is ruled out, nor beyond the slack that is left.
/// </summary>
public sealed class Diagnoses(DiagnosisTables tables)
{
    private const int Ahead = 2, MostThen = 3, MostObservations = 60, MostTried = 30;

    /// <summary>A cause that is less likely than this stops nothing.</summary>
    private const double Hardly = 0.03;

    /// <summary>A connector of last resort: the cable is pulled anew.</summary>
    private const string LastResort = "re-pull", Face = "face";

    /// <summary>Minutes that a look has to save before it is advised.</summary>
    private const double LeastSaved = 0.1;

    /// <summary>What a wipe does not cure was seen: it is not wiped before it is cut.</summary>
    private static bool TellsDamage(Sign sign, int value) => sign.Id == Face && sign.Values[value] is not ("clean" or "dirt");

    private static bool TellsBend(Sign sign) => sign.Id is "slope" or "moved" or "where";

    public static Diagnoses Shipped { get; } = new(DiagnosisTables.Shipped);

    /// <exception cref="RefusedException">A sign, a value or an act that there is not; each by its field.</exception>
    public DiagnosisFound Of(DiagnoseAsk ask)
    {
        var family = DiagnosisTables.FamilyOf(ask.Method);
        var (signs, acts) = (tables.SignsOf(family), tables.ActsOf(family));
        var seen = Check(ask, signs, acts);
        var before = tables.Before(family);
        var (belief, moved) = Seen(before, seen, (ask.Tried ?? []).Select(id => acts.First(a => a.Id == id)));
        var causes = belief.OrderByDescending(b => b.Value).ThenBy(b => b.Key)
            .Select(b => new CauseFound(b.Key, b.Value, before[b.Key], [.. moved[b.Key].Where(e => Math.Abs(Math.Log(e.Factor)) > 0.05).OrderByDescending(e => Math.Abs(Math.Log(e.Factor)))])).ToList();
        IReadOnlyList<ReworkReason> order = [.. before.Keys.Order()];
        var at = new Place(
            [.. order.Select(c => belief[c])], ask.SlackMm ?? double.MaxValue, [.. acts.Select(a => (ask.Tried ?? []).Count(t => t == a.Id))], seen.Any(s => TellsDamage(s.Sign, s.Value)), seen.Any(s => TellsBend(s.Sign)), []);
        var walk = new Walk(tables, order, acts, [.. signs.Where(s => s.Minutes is not null && seen.All(x => x.Sign != s))]);
        var chain = new List<NextAct>();
        while (chain.Count <= MostThen && walk.Best(at, Ahead) is { } best)
        {
            chain.Add(best.Next);
            if (best.After is not { } after)
            {
                break;
            }

            at = after;
        }

        return new(causes, chain.FirstOrDefault(), [.. chain.Skip(1)]);
    }

    /// <summary>What is believed after all that was seen and tried, and by which factor each of it moved each cause beside the others.</summary>
    private (Dictionary<ReworkReason, double> Belief, Dictionary<ReworkReason, List<Evidence>> Moved) Seen(
        IReadOnlyDictionary<ReworkReason, double> before, IReadOnlyList<(Sign Sign, int Value)> seen, IEnumerable<Act> tried)
    {
        var belief = before.ToDictionary();
        var moved = before.Keys.ToDictionary(c => c, _ => new List<Evidence>());
        foreach (var (sign, value) in seen)
        {
            Move(c => sign.Likelihood(c, value), f => new(sign.Id, sign.Values[value], f));
        }

        foreach (var act in tried)
        {
            Move(c => 1 - tables.Cures(act, c), f => new(null, null, f, act.Id));
        }

        return (belief, moved);

        void Move(Func<ReworkReason, double> likelihood, Func<double, Evidence> say)
        {
            var all = belief.Sum(b => b.Value * likelihood(b.Key));
            foreach (var c in before.Keys)
            {
                moved[c].Add(say(Math.Max(1e-6, likelihood(c) / all)));
                belief[c] *= likelihood(c) / all;
            }
        }
    }

    private static List<(Sign Sign, int Value)> Check(DiagnoseAsk ask, IReadOnlyList<Sign> signs, IReadOnlyList<Act> acts)
    {
        var (observations, tried) = (ask.Observations ?? [], ask.Tried ?? []);
        var figures = new Figures().Within("slackMm", ask.SlackMm ?? 0, 0, 1e5)
            .Require(observations.Count <= MostObservations, Refusal.Of("figure-range", "observations", ("least", 0), ("most", MostObservations)))
            .Require(tried.Count <= MostTried, Refusal.Of("figure-range", "tried", ("least", 0), ("most", MostTried)));
        var seen = new List<(Sign, int)>();
        foreach (var (i, o) in observations.Take(MostObservations).Index())
        {
            var sign = signs.FirstOrDefault(s => s.Id == o.Sign);
            figures.Require(sign is not null, Refusal.Of("sign-unknown", $"observations[{i}].sign", ("sign", o.Sign)));
            var value = sign?.Values.Index().Where(v => v.Item == o.Value).Select(v => v.Index).DefaultIfEmpty(-1).First() ?? -1;
            figures.Require(sign is null || value >= 0, Refusal.Of("sign-value-unknown", $"observations[{i}].value", ("value", o.Value), ("values", string.Join(", ", sign?.Values ?? []))));
            figures.Require(sign is null || seen.All(s => s.Item1 != sign), Refusal.Of("sign-twice", $"observations[{i}].sign", ("sign", o.Sign)));
            if (sign is not null && value >= 0)
            {
                seen.Add((sign, value));
            }
        }

        foreach (var (i, id) in tried.Take(MostTried).Index())
        {
            figures.Require(acts.Any(a => a.Id == id), Refusal.Of("act-unknown", $"tried[{i}]", ("act", id), ("acts", string.Join(", ", acts.Select(a => a.Id)))));
        }

        figures.ThrowIfBad();
        return seen;
    }

    /// <summary>Where one stands: what is believed of each cause, what is left, and what was done.</summary>
    private sealed record Place(double[] Belief, double SlackMm, int[] Tried, bool FaceDamaged, bool BendSeen, IReadOnlyList<Sign> Looked);

    private sealed record Choice(NextAct Next, Place? After, double Minutes);

    /// <summary>Looks ahead over acts and looks for the way that costs least until acceptance.</summary>
    private sealed class Walk
    {
        private readonly IReadOnlyList<ReworkReason> _causes;
        private readonly IReadOnlyList<Act> _acts;
        private readonly IReadOnlyList<(Sign Sign, double[][] Likelihood)> _looks;
        private readonly double[][] _cures;
        private readonly double[] _costs;
        private readonly int _clean, _tray, _dirt, _bend, _pull;

        public Walk(DiagnosisTables tables, IReadOnlyList<ReworkReason> causes, IReadOnlyList<Act> acts, IReadOnlyList<Sign> looks)
        {
            (_causes, _acts) = (causes, acts);
            _cures = [.. acts.Select(a => causes.Select(c => tables.Cures(a, c)).ToArray())];
            _costs = [.. acts.Select(a => a.Cost)];
            _looks = [.. looks.Select(s => (s, Enumerable.Range(0, s.Values.Count).Select(v => causes.Select(c => s.Likelihood(c, v)).ToArray()).ToArray()))];
            int ActAt(string id) => acts.Index().First(a => a.Item.Id == id).Index;
            (_clean, _tray, _pull) = (ActAt("clean"), ActAt("open-tray"), ActAt(LastResort));
            int CauseAt(ReworkReason cause) => causes.Index().Where(c => c.Item == cause).Select(c => c.Index).DefaultIfEmpty(-1).First();
            (_dirt, _bend) = (CauseAt(ReworkReason.Contamination), CauseAt(ReworkReason.BendOrPinch));
        }

        public Choice? Best(Place at, int ahead)
        {
            Choice? best = null;
            for (var i = 0; i < _acts.Count; i++)
            {
                if (Allowed(at, i) && Try(at, i, ahead, top: true) is var tried && (best is null || tried.Minutes < best.Minutes - 1e-9))
                {
                    best = tried;
                }
            }

            // A look pays where what is seen changes what is done; it is a look at a time, the next one is found when this was done.
            if (ahead == Ahead)
            {
                foreach (var (sign, likelihood) in _looks.Where(l => !at.Looked.Contains(l.Sign)))
                {
                    if (Look(at, sign, likelihood) is { } looked && (best is null || looked.Minutes < best.Minutes - LeastSaved))
                    {
                        best = looked;
                    }
                }
            }

            return best;
        }

        private bool Allowed(Place at, int i)
        {
            var act = _acts[i];
            if (at.Tried[i] >= act.Tries || act.SlackMm > at.SlackMm)
            {
                return false;
            }

            bool Out(int cause, bool seen, int cure) => seen || cause < 0 || at.Tried[cure] > 0 || at.Belief[cause] < Hardly;
            return !act.Blade || (Out(_dirt, at.FaceDamaged, _clean) && Out(_bend, at.BendSeen, _tray));
        }

        private double Success(Place at, int i)
        {
            var (sum, cures) = (0.0, _cures[i]);
            for (var c = 0; c < cures.Length; c++)
            {
                sum += at.Belief[c] * cures[c];
            }

            return sum;
        }

        private Choice Try(Place at, int i, int ahead, bool top = false)
        {
            Effort.Spend(1);
            var (success, cost) = (Success(at, i), _costs[i]);
            if (success >= 1 - 1e-9)
            {
                return new(Said(at, i, success, cost), null, cost);
            }

            var (tried, belief) = ((int[])at.Tried.Clone(), new double[_causes.Count]);
            tried[i]++;
            for (var c = 0; c < belief.Length; c++)
            {
                belief[c] = at.Belief[c] * (1 - _cures[i][c]) / (1 - success);
            }

            var after = at with { Belief = belief, SlackMm = at.SlackMm - _acts[i].SlackMm, Tried = tried };
            var rest = ahead <= 1 ? Floor(after) : Cheapest(after, ahead - 1);
            return new(top ? Said(at, i, success, cost + ((1 - success) * rest)) : Unsaid, after, cost + ((1 - success) * rest));
        }

        private double Cheapest(Place at, int ahead)
        {
            var best = double.MaxValue;
            for (var i = 0; i < _acts.Count; i++)
            {
                best = Allowed(at, i) ? Math.Min(best, Try(at, i, ahead).Minutes) : best;
            }

            return best < double.MaxValue ? best : Floor(at);
        }

        /// <summary>Beyond what is looked ahead: always what cures most for its cost, until the cable is pulled anew.</summary>
        private double Floor(Place at)
        {
            var (belief, tried, slackMm, left, minutes) = ((double[])at.Belief.Clone(), (int[])at.Tried.Clone(), at.SlackMm, 1.0, 0.0);
            while (left > 1e-3)
            {
                var here = new Place(belief, slackMm, tried, at.FaceDamaged, at.BendSeen, at.Looked);
                var (best, most) = (-1, 0.0);
                for (var i = 0; i < _acts.Count; i++)
                {
                    if (i != _pull && Allowed(here, i) && Success(here, i) / _costs[i] is var worth && worth > most)
                    {
                        (best, most) = (i, worth);
                    }
                }

                if (best < 0)
                {
                    return minutes + (left * _costs[_pull]);
                }

                var success = Success(here, best);
                minutes += left * _costs[best];
                left *= 1 - success;
                for (var c = 0; c < belief.Length && success < 1 - 1e-9; c++)
                {
                    belief[c] *= (1 - _cures[best][c]) / (1 - success);
                }

                tried[best]++;
                slackMm -= _acts[best].SlackMm;
            }

            return minutes;
        }

        private Choice? Look(Place at, Sign sign, double[][] likelihood)
        {
            var (minutes, likeliest, most) = (sign.Minutes!.Value, (Place?)null, 0.0);
            foreach (var (value, row) in likelihood.Index())
            {
                var chance = at.Belief.Zip(row, (b, l) => b * l).Sum();
                if (chance < 1e-4)
                {
                    continue;
                }

                var after = at with { Belief = [.. at.Belief.Zip(row, (b, l) => b * l / chance)], FaceDamaged = at.FaceDamaged || TellsDamage(sign, value), BendSeen = at.BendSeen || TellsBend(sign), Looked = [.. at.Looked, sign] };
                minutes += chance * Cheapest(after, Ahead);
                (likeliest, most) = chance > most ? (after, chance) : (likeliest, most);
            }

            var cause = _causes.Index().Where(c => sign.Given.ContainsKey(c.Item)).OrderByDescending(c => at.Belief[c.Index]).Select(c => (ReworkReason?)c.Item).FirstOrDefault();
            return likeliest is null ? null : new(new($"look:{sign.Id}", minutes, 0, NextWhy.TellsWhatToDo, cause), likeliest, minutes);
        }

        private static readonly NextAct Unsaid = new("", 0, 0, NextWhy.CuresMostForItsCost, null);

        private NextAct Said(Place at, int i, double success, double minutes)
        {
            var act = _acts[i];
            var why = i == _clean ? NextWhy.DirtFirst
                : i == _tray ? NextWhy.BendBeforeBlade
                : i == _pull && _acts.Any(a => a.Blade && a.SlackMm > at.SlackMm) ? NextWhy.SlackIsShort
                : NextWhy.CuresMostForItsCost;
            return new(act.Id, minutes, success, why, act.Renews is null ? _causes[_causes.Index().MaxBy(c => at.Belief[c.Index] * _cures[i][c.Index]).Index] : null);
        }
    }
}
