using Rhabdon.Core.Prep;

namespace Rhabdon.Core.Procedures;

/// <summary>Turns a valid procedure document into its run table.</summary>
public static class ProcedureCompiler
{
    private const string CleaveDimension = "cleave";

    /// <exception cref="RefusedException">The document has faults; all of them are carried.</exception>
    public static RunTable Compile(ProcedureDocument d)
    {
        var faults = ProcedureValidator.Faults(d);
        if (faults.Count > 0)
        {
            throw new RefusedException(faults);
        }

        var prep = PrepCards.Resolve(d.Prep);
        return new RunTable(
            d.Id, d.Version, d.Title, d.Method, d.Source, d.Steps[0].Id,
            [.. d.Steps.Select((s, i) => StateOf(d, prep, s, i + 1 < d.Steps.Count ? d.Steps[i + 1].Id : null))],
            [.. d.Ladders.Select(l => LadderOf(l, prep))],
            d.Parts, d.Tools, prep);
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
            s.Caution, s.Timer, s.Count, s.Shards, s.Check?.Question,
            [.. (s.Check?.Answers ?? []).Select(a => new RunAnswer(a.Id, a.Label, a.Tone))], on);
    }

    private static RunDimension DimensionOf(PrepPlan plan, PrepCard prep, string id)
    {
        if (id == CleaveDimension)
        {
            return new(id, "Cleave", plan.Cleave!.LengthMm, plan.Cleave.ToleranceMm);
        }

        if (plan.Spans.FirstOrDefault(s => s.Id == id) is { } span)
        {
            var to = plan.Points.FirstOrDefault(p => p.Id == span.To)?.Name ?? "Cable end";
            var from = plan.Points.FirstOrDefault(p => p.Id == span.From)?.Name ?? "cable end";
            return new(id, $"{to} to {char.ToLowerInvariant(from[0])}{from[1..]}", span.LengthMm, null);
        }

        var mark = prep.Marks.First(m => m.Id == id);
        return new(id, mark.Name, mark.BeforeMm, null);
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
