namespace Rhabdon.Core.Procedures;

/// <summary>
/// Plain faults of the trade that a whole order of acts may still have: a cap that stays off, a clamp that stays on, a ring that is never crimped.
/// They stop a draft and the newest shipped version; what is published already is told of them, and stays.
/// </summary>
public static class TradeRules
{
    /// <summary>Every fault, whatever school is followed.</summary>
    public static IReadOnlyList<Refusal> Faults(ProcedureDocument d) => [.. Schools.Pairwise(d).SelectMany(c => OfSchool(Schools.Follow(d, c))).Concat(Parts(d)).Concat(Named(d)).Distinct()];

    private static IEnumerable<Refusal> OfSchool(ProcedureDocument d)
    {
        var on = d.Parts.Where(p => p.On).Select(p => p.Id).ToHashSet();
        var caps = d.Parts.Where(p => p.Cap).Select(p => p.Id).ToHashSet();
        var (ready, crimped) = (new HashSet<string>(), new HashSet<string>());
        foreach (var s in d.Steps)
        {
            string At(string field) => $"steps[{s.Id}].{field}";
            foreach (var id in (s.Takes ?? []).Where(i => !on.Remove(i)))
            {
                yield return Refusal.Of("not-on", At("takes"), ("thing", id));
            }

            if (s.Lit && caps.FirstOrDefault(on.Contains) is { } cap)
            {
                yield return Refusal.Of("light-through-cap", At("lit"), ("thing", cap));
            }

            foreach (var id in (s.Puts ?? []).Where(i => !on.Add(i)))
            {
                yield return Refusal.Of("on-already", At("puts"), ("thing", id));
            }

            ready.UnionWith(s.Uses ?? []);
            foreach (var id in s.Crimps ?? [])
            {
                if (!ready.Contains(id))
                {
                    yield return Refusal.Of("crimped-before-used", At("crimps"), ("thing", id));
                }

                crimped.Add(id);
            }

            if (s.Phase == Phase.Strip && s.Drawing is Drawing.Notch or Drawing.Bite or Drawing.CoatingStrip && s.Strip is null)
            {
                yield return Refusal.Of("strip-without-notch", At("strip"));
            }
        }

        foreach (var id in on.Except(caps))
        {
            yield return Refusal.Of("stays-on", Place(d, id), ("thing", id));
        }

        foreach (var id in caps.Where(c => !on.Contains(c)))
        {
            yield return Refusal.Of("cap-stays-off", Place(d, id), ("thing", id));
        }

        foreach (var p in d.Parts.Where(p => p.Crimped && ready.Contains(p.Id) && !crimped.Contains(p.Id)))
        {
            yield return Refusal.Of("never-crimped", $"parts[{p.Id}]", ("thing", p.Id));
        }

        foreach (var layer in d.Prep.Points.Select(p => p.Layer).Where(l => l is Prep.Layer.Jacket or Prep.Layer.Buffer or Prep.Layer.Tube or Prep.Layer.Coating).Distinct())
        {
            if (d.Steps.All(s => s.Strip?.Layer != layer))
            {
                yield return Refusal.Of("never-stripped", "steps", ("layer", Wire.Name(layer)));
            }
        }
    }

    /// <summary>Parts that no act of any school fits, puts on or takes off.</summary>
    private static IEnumerable<Refusal> Parts(ProcedureDocument d)
    {
        var used = d.Steps.SelectMany(s => (s.Uses ?? []).Concat(s.Crimps ?? []).Concat(s.Puts ?? []).Concat(s.Takes ?? [])).ToHashSet();
        return d.Parts.Where(p => !used.Contains(p.Id)).Select(p => Refusal.Of("part-unused", $"parts[{p.Id}]", ("thing", p.Id)));
    }

    /// <summary>Options of a name that is kept for what the end itself answers.</summary>
    private static IEnumerable<Refusal> Named(ProcedureDocument d) =>
        (d.Options ?? []).Where(o => EndOptions.IsOfEnd(o.Id)).Select(o => Refusal.Of("option-of-end", $"options[{o.Id}]", ("option", o.Id)));

    private static string Place(ProcedureDocument d, string id) => $"{(d.Parts.Any(p => p.Id == id) ? "parts" : "tools")}[{id}]";
}
