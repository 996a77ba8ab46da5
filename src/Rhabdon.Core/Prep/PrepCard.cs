namespace Rhabdon.Core.Prep;

/// <summary>A length with the range that its tolerance allows, all in millimetres.</summary>
public sealed record ToleratedMm(double NominalMm, double MinMm, double MaxMm);

/// <param name="BeforeMm">Distance from the cable's end as it is marked.</param>
/// <param name="AfterCleave">Distance from the glass tip once it is cleaved; null where the method does not cleave before joining.</param>
public sealed record PrepMark(string Id, string Name, Layer Layer, double BeforeMm, ToleratedMm? AfterCleave, bool Mark = false);

/// <param name="InFiveMm">Bites of 5 mm.</param>
/// <param name="InQuarterInch">Bites of 1/4 in.</param>
public sealed record Bites(double LengthMm, int InFiveMm, int InQuarterInch, double? PlannedBiteMm, int Planned);

/// <summary>Every dimension of one prepared end, resolved. All in millimetres.</summary>
/// <param name="Marks">From the jacket to the tip.</param>
/// <param name="BufferBeyondJacketMm">Buffer that shows between the jacket edge and the bare glass.</param>
/// <param name="BareMm">Bare glass before it is cleaved or scribed.</param>
/// <param name="CleavedMm">Bare glass that stays, with its tolerance.</param>
/// <param name="ShardMm">The piece that comes off, with its tolerance.</param>
/// <param name="CutOffUsesMm">Cable used up if this end is cut off and made again: how far the jacket edge moves back.</param>
public sealed record PrepCard(
    IReadOnlyList<PrepMark> Marks,
    double? JacketOffMm,
    double? AramidBeyondJacketMm,
    double? BufferBeyondJacketMm,
    double? BareMm,
    ToleratedMm? CleavedMm,
    ToleratedMm? ShardMm,
    Bites? Bites,
    double CutOffUsesMm,
    double? ClampFromEndMm);

/// <summary>Resolves a procedure's stated distances to one prep card.</summary>
public static class PrepCards
{
    public const string CableEnd = "cable-end";

    /// <summary>Stated distances that differ by less than this are the same, in millimetres.</summary>
    public const double AgreementMm = 0.01;

    private const double LongestMm = 2000;
    private const double QuarterInchMm = 6.35;

    /// <exception cref="RefusedException">The dimensions contradict each other or leave a point open; every fault is named.</exception>
    public static PrepCard Resolve(PrepPlan plan)
    {
        var faults = new List<Refusal>();
        var at = Positions(plan, faults);
        if (faults.Count == 0)
        {
            faults.AddRange(Order(plan, at));
        }

        if (faults.Count > 0)
        {
            throw new RefusedException(faults);
        }

        double? Edge(Layer layer) => plan.Points.Where(p => p.Layer == layer && !p.Mark).Select(p => (double?)at[p.Id]).Max();
        var jacket = Edge(Layer.Jacket);
        var bare = Edge(Layer.Coating) ?? Edge(Layer.Buffer);
        ToleratedMm? cleaved = null, shard = null;
        if (plan.Cleave is { } c)
        {
            cleaved = new(c.LengthMm, c.LengthMm - c.ToleranceMm, c.LengthMm + c.ToleranceMm);
            var from = at[c.From];
            shard = new(from - c.LengthMm, from - cleaved.MaxMm, from - cleaved.MinMm);
        }

        var marks = plan.Points
            .Select(p => new PrepMark(p.Id, p.Name, p.Layer, at[p.Id], shard is null ? null
                : new(at[p.Id] - shard.NominalMm, at[p.Id] - shard.MaxMm, at[p.Id] - shard.MinMm), p.Mark))
            .OrderByDescending(m => m.BeforeMm).ToList();
        return new PrepCard(
            marks,
            jacket,
            Edge(Layer.Aramid) is { } a && jacket is { } j ? j - a : null,
            bare is { } b && jacket is { } k ? k - b : null,
            bare,
            cleaved,
            shard,
            plan.Strip is { } s ? BitesFor(at[s.To], s.BiteMm) : null,
            (jacket ?? bare ?? 0) + plan.CutBehindJacketMm,
            plan.ClampFromEndMm);
    }

    /// <summary>How many pulls of the stripper bare this length.</summary>
    /// <param name="lengthMm">Length to bare, above 0.</param>
    /// <param name="biteMm">Length of one pull, above 0.</param>
    /// <returns>Whole pulls, the last one short where it does not divide; a hair of rounding does not add one.</returns>
    public static int CountBites(double lengthMm, double biteMm)
    {
        ArgumentOutOfRangeException.ThrowIfNegativeOrZero(lengthMm);
        ArgumentOutOfRangeException.ThrowIfNegativeOrZero(biteMm);
        return (int)Math.Ceiling((lengthMm / biteMm) - 1e-9);
    }

    private static Bites BitesFor(double lengthMm, double? biteMm) =>
        new(lengthMm, CountBites(lengthMm, 5), CountBites(lengthMm, QuarterInchMm), biteMm, biteMm is { } mm ? CountBites(lengthMm, mm) : 1);

    private static Dictionary<string, double> Positions(PrepPlan plan, List<Refusal> faults)
    {
        var at = new Dictionary<string, double> { [CableEnd] = 0 };
        var ids = plan.Points.Select(p => p.Id).Append(CableEnd).ToList();
        foreach (var twice in ids.GroupBy(i => i).Where(g => g.Count() > 1))
        {
            faults.Add(new("prep-point-twice", $"prep.points.{twice.Key}", $"The point '{twice.Key}' is named twice."));
        }

        foreach (var span in plan.Spans)
        {
            foreach (var unknown in new[] { span.From, span.To }.Except(ids))
            {
                faults.Add(new("prep-point-unknown", $"prep.spans.{span.Id}", $"The span '{span.Id}' speaks of '{unknown}', which is no point of this card."));
            }

            if (!double.IsFinite(span.LengthMm) || span.LengthMm < 0 || span.LengthMm > LongestMm)
            {
                faults.Add(new("prep-span-range", $"prep.spans.{span.Id}.lengthMm", $"The span '{span.Id}' must be 0 to {LongestMm} mm."));
            }
        }

        if (faults.Count > 0)
        {
            return at;
        }

        for (var moved = true; moved;)
        {
            moved = false;
            foreach (var s in plan.Spans)
            {
                if (at.TryGetValue(s.From, out var from) && at.TryAdd(s.To, from + s.LengthMm))
                {
                    moved = true;
                }
                else if (at.TryGetValue(s.To, out var to) && at.TryAdd(s.From, to - s.LengthMm))
                {
                    moved = true;
                }
            }
        }

        foreach (var p in plan.Points.Where(p => !at.ContainsKey(p.Id)))
        {
            faults.Add(new("prep-point-open", $"prep.points.{p.Id}", $"No distance says where '{p.Id}' lies."));
        }

        foreach (var s in plan.Spans.Where(s => at.ContainsKey(s.From) && at.ContainsKey(s.To)))
        {
            var actual = at[s.To] - at[s.From];
            if (Math.Abs(actual - s.LengthMm) > AgreementMm)
            {
                faults.Add(new("prep-contradiction", $"prep.spans.{s.Id}.lengthMm",
                    FormattableString.Invariant($"'{s.Id}' is stated as {s.LengthMm} mm from {s.From} to {s.To}, but the other marks make it {Math.Round(actual, 2)} mm.")));
            }
        }

        return at;
    }

    private static IEnumerable<Refusal> Order(PrepPlan plan, Dictionary<string, double> at)
    {
        foreach (var p in plan.Points.Where(p => at[p.Id] < 0))
        {
            yield return new("prep-off-cable", $"prep.points.{p.Id}", FormattableString.Invariant($"'{p.Id}' lies {-at[p.Id]} mm beyond the cable's end."));
        }

        // What lies inside must reach at least as far toward the tip as what covers it.
        var covers = plan.Points.Where(p => p.Layer != Layer.Aramid).OrderBy(p => p.Layer).ToList();
        foreach (var (outer, inner) in covers.SelectMany(o => covers.Where(i => i.Layer > o.Layer).Select(i => (o, i))))
        {
            if (at[inner.Id] > at[outer.Id] + AgreementMm)
            {
                yield return new("prep-order", $"prep.points.{inner.Id}",
                    FormattableString.Invariant($"'{inner.Id}' would lie {at[inner.Id] - at[outer.Id]} mm under the {Wire.Name(outer.Layer)}: strip the {Wire.Name(outer.Layer)} at least as far."));
            }
        }

        foreach (var (aramid, jacket) in plan.Points.Where(p => p.Layer == Layer.Aramid)
                     .SelectMany(a => plan.Points.Where(p => p.Layer == Layer.Jacket).Select(j => (a, j))))
        {
            if (at[aramid.Id] > at[jacket.Id] + AgreementMm)
            {
                yield return new("prep-order", $"prep.points.{aramid.Id}", "The aramid would be cut under the jacket.");
            }
        }

        if (plan.Strip is { } strip && (!at.ContainsKey(strip.To) || at[strip.To] <= 0))
        {
            yield return new("prep-strip", "prep.strip.to", $"The strip goes to '{strip.To}', which is no point inside the cable's end.");
        }

        if (plan.Strip?.BiteMm is <= 0)
        {
            yield return new("prep-strip", "prep.strip.biteMm", "A bite of the stripper must be longer than 0 mm.");
        }

        if (plan.CutBehindJacketMm is < 0 or > LongestMm)
        {
            yield return new("prep-cut-back", "prep.cutBehindJacketMm", $"The cut behind the jacket must be 0 to {LongestMm} mm.");
        }

        if (plan.Cleave is not { } c)
        {
            yield break;
        }

        if (!at.TryGetValue(c.From, out var from))
        {
            yield return new("prep-point-unknown", "prep.cleave.from", $"The cleave is measured from '{c.From}', which is no point of this card.");
        }
        else if (c.ToleranceMm < 0 || c.LengthMm - c.ToleranceMm <= 0)
        {
            yield return new("prep-cleave-range", "prep.cleave.lengthMm", "The cleaved length less its tolerance must be above 0 mm.");
        }
        else if (c.LengthMm + c.ToleranceMm > from)
        {
            yield return new("prep-cleave-too-long", "prep.cleave.lengthMm",
                FormattableString.Invariant($"A cleave of {c.LengthMm} ± {c.ToleranceMm} mm needs more bare glass than the {from} mm that are stripped."));
        }
    }
}
