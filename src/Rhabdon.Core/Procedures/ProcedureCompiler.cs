using Rhabdon.Core.Prep;

namespace Rhabdon.Core.Procedures;

/// <summary>Turns a valid procedure document into its run table.</summary>
public static class ProcedureCompiler
{
    private const string CleaveDimension = "cleave";

    /// <param name="chosen">The company's schools by option; those it does not name follow the default.</param>
    /// <exception cref="RefusedException">The document has faults; all of them are carried.</exception>
    public static RunTable Compile(ProcedureDocument document, IReadOnlyDictionary<string, string>? chosen = null)
    {
        var d = document;
        var faults = ProcedureValidator.Faults(d);
        if (faults.Count > 0)
        {
            throw new RefusedException(faults);
        }

        var choices = Schools.Resolve(d, chosen);
        d = Schools.Follow(d, choices);
        var prep = PrepCards.Resolve(d.Prep);
        return new RunTable(
            d.Id, d.Version, d.Title, d.Method, d.Source, d.Steps[0].Id,
            [.. d.Steps.Select((s, i) => StateOf(d, prep, s, i + 1 < d.Steps.Count ? d.Steps[i + 1].Id : null))],
            [.. d.Ladders.Select(l => LadderOf(l, prep))],
            d.Parts, d.Tools, prep,
            [.. Schools.OptionsOf(document).Select(o => new RunSchool(o.Id, o.Question, choices[o.Id], o.Choices.First(c => c.Id == choices[o.Id]).Label, choices[o.Id] == o.Default, o.Why, EndOptions.IsOfEnd(o.Id), EndOptions.IsOfEnd(o.Id) ? [.. o.Choices.Select(c => c.Id)] : null))],
            // A guard may name a step of another school; here it guards nothing.
            [.. (d.Preflight ?? []).Select(p => p with { Guards = [.. p.Guards.Where(g => d.Steps.Any(s => s.Id == g))] })],
            d.Together, ProcedureHash.Of(document));
    }

    /// <summary>True when a step may show this name: a point, a span, or <c>cleave</c>.</summary>
    public static bool KnowsDimension(PrepPlan plan, string id) =>
        (id == CleaveDimension && plan.Cleave is not null) || plan.Points.Any(p => p.Id == id) || plan.Spans.Any(s => s.Id == id);

    private static RunState StateOf(ProcedureDocument d, PrepCard prep, Step s, string? next)
    {
        var on = s.Check is null
            ? new Dictionary<string, RunTransition> { [RunTable.Done] = new(next, null, null) }
            : s.Check.Answers.ToDictionary(a => a.Id, a => new RunTransition(a.Next ? next : a.Goto, a.Ladder, a.Reason));
        return new RunState(
            s.Id, s.Phase, s.Act, s.Detail, s.Batch, s.Mandatory,
            [.. (s.Marks ?? []).Select(m => DimensionOf(d.Prep, prep, m))],
            s.Caution, s.Timer, s.Count, s.Shards, s.Cleaves, s.Arcs, s.Check?.Question,
            [.. (s.Check?.Answers ?? []).Select(a => new RunAnswer(a.Id, a.Label, a.Tone))], on, s.Check?.Light,
            s.Once, s.Uses, s.Puts, s.Takes, s.Strip, s.Splice, s.Drawing, s.Lit);
    }

    private static RunDimension DimensionOf(PrepPlan plan, PrepCard prep, string id)
    {
        if (id == CleaveDimension)
        {
            return new(id, "Cleave", plan.Cleave!.LengthMm, plan.Cleave.ToleranceMm, plan.Cleave.Basis);
        }

        if (plan.Spans.FirstOrDefault(s => s.Id == id) is { } span)
        {
            var to = plan.Points.FirstOrDefault(p => p.Id == span.To)?.Name ?? "Cable end";
            var from = plan.Points.FirstOrDefault(p => p.Id == span.From)?.Name ?? "cable end";
            return new(id, $"{to} to {char.ToLowerInvariant(from[0])}{from[1..]}", span.LengthMm, null, span.Basis, span.From == PrepCards.CableEnd);
        }

        var mark = prep.Marks.First(m => m.Id == id);
        return new(id, mark.Name, mark.BeforeMm, null, null, true);
    }

    private static RunLadder LadderOf(Ladder l, PrepCard prep) =>
        new(l.Id, l.Title, [.. l.Rungs.SelectMany(r => Enumerable.Repeat(RungOf(r, prep), r.Tries))]);

    private static RunRung RungOf(Rung r, PrepCard prep) =>
        new(r.Id, r.Act, r.Goto, r.Minutes, r.SlackMm ?? SlackMm(r.Slack, prep), r.Parts ?? []);

    /// <summary>How far the jacket edge moves back, in millimetres.</summary>
    public static double SlackMm(SlackCost cost, PrepCard prep) => cost switch
    {
        SlackCost.Restrip => prep.BareMm ?? 0,
        SlackCost.Recleave => prep.ShardMm?.NominalMm ?? prep.BareMm ?? 0,
        SlackCost.CutOff => prep.CutOffUsesMm,
        _ => 0,
    };
}
