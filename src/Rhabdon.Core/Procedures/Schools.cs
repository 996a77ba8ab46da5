using System.Runtime.CompilerServices;

namespace Rhabdon.Core.Procedures;

/// <summary>Where practitioners disagree, a procedure holds both ways; this keeps the one that is followed.</summary>
public static class Schools
{
    /// <summary>Most options, and choices of one, that a procedure may have.</summary>
    public const int MostOptions = 24, MostChoices = 12;

    /// <summary>A document never changes, and each end on a panel asks for its options.</summary>
    private static readonly ConditionalWeakTable<ProcedureDocument, IReadOnlyList<ProcedureOption>> Known = [];

    /// <summary>What the company picks, and what the end itself answers.</summary>
    public static IReadOnlyList<ProcedureOption> OptionsOf(ProcedureDocument d) => Known.GetValue(d, d => [.. d.Options ?? [], .. EndOptions.Of(d)]);

    /// <summary>Every condition in a document, with where it stands.</summary>
    public static IEnumerable<(When When, string Field)> Whens(ProcedureDocument d) =>
        d.Steps.Select(s => (When: s.When, Field: $"steps[{s.Id}].when")).Concat((d.Preflight ?? []).Select(p => (When: p.When, Field: $"preflight[{p.Id}].when")))
            .Concat(d.Ladders.SelectMany(l => l.Rungs.Select(r => (When: r.When, Field: $"ladders[{l.Id}].rungs[{r.Id}].when"))))
            .Concat(d.Steps.SelectMany(s => (s.Moves ?? []).Select(m => (When: (When?)new When(m.Option, m.Is), Field: $"steps[{s.Id}].moves"))))
            .Concat(d.Parts.Select(p => (When: p.When, Field: $"parts[{p.Id}].when")))
            .Concat(d.Tools.Select(t => (When: t.When, Field: $"tools[{t.Id}].when")))
            .Concat(d.Prep.Points.Select(p => (When: p.When, Field: $"prep.points[{p.Id}].when")))
            .Where(x => x.When is not null).Select(x => (x.When!, x.Field));

    /// <summary>The choice for each option: the company's where it has one that exists, else the default.</summary>
    public static IReadOnlyDictionary<string, string> Resolve(ProcedureDocument d, IReadOnlyDictionary<string, string>? chosen) =>
        OptionsOf(d).ToDictionary(o => o.Id, o => chosen?.GetValueOrDefault(o.Id) is { } c && o.Choices.Any(x => x.Id == c) ? c : o.Default);

    /// <summary>The document as it reads for one school: steps, rungs, parts, tools, marks and pre-flight items of the others are left out.</summary>
    /// <param name="choices">A choice for every option, as <see cref="Resolve"/> gives it.</param>
    public static ProcedureDocument Follow(ProcedureDocument d, IReadOnlyDictionary<string, string> choices)
    {
        bool Holds(When? w) => w is null || (choices.TryGetValue(w.Option, out var c) && w.Is.Contains(c));
        var steps = d.Steps.Where(s => Holds(s.When)).ToList();
        foreach (var s in d.Steps.Where(s => s.Moves is not null))
        {
            if (steps.FindIndex(x => x.Id == s.Id) is var from && from >= 0 && s.Moves!.FirstOrDefault(m => Holds(new(m.Option, m.Is))) is { } move)
            {
                steps.RemoveAt(from);
                var after = steps.FindIndex(x => x.Id == move.After);
                steps.Insert(after < 0 ? Math.Min(from, steps.Count) : after + 1, s);
            }
        }

        var gone = d.Prep.Points.Where(p => !Holds(p.When)).Select(p => p.Id).ToHashSet();
        var spans = d.Prep.Spans.Where(s => gone.Contains(s.From) || gone.Contains(s.To)).Select(s => s.Id).ToHashSet();
        if (gone.Count > 0)
        {
            steps = [.. steps.Select(s => s.Marks is null ? s : s with { Marks = [.. s.Marks.Where(m => !gone.Contains(m) && !spans.Contains(m))] })];
        }

        return d with
        {
            Steps = steps,
            Parts = [.. d.Parts.Where(p => Holds(p.When))],
            Tools = [.. d.Tools.Where(t => Holds(t.When))],
            Prep = gone.Count == 0 ? d.Prep : d.Prep with { Points = [.. d.Prep.Points.Where(p => !gone.Contains(p.Id))], Spans = [.. d.Prep.Spans.Where(s => !spans.Contains(s.Id))] },
            Ladders = [.. d.Ladders.Select(l => l with { Rungs = [.. l.Rungs.Where(r => Holds(r.When))] })],
            Preflight = [.. (d.Preflight ?? []).Where(p => Holds(p.When))],
        };
    }

    /// <summary>Options that more than the pre-flight depends on; the others cannot leave a step behind.</summary>
    public static IEnumerable<ProcedureOption> OfSteps(ProcedureDocument d)
    {
        var named = Whens(d).Where(w => !w.Field.StartsWith("preflight", StringComparison.Ordinal)).Select(w => w.When.Option).ToHashSet();
        return OptionsOf(d).Where(o => named.Contains(o.Id));
    }

    /// <summary>
    /// Combinations in which every choice of every option meets every choice of every other, the defaults first. A fault of the order lies between
    /// two schools, hardly ever between three; all of them together would be thousands.
    /// </summary>
    public static IReadOnlyList<IReadOnlyDictionary<string, string>> Pairwise(ProcedureDocument d)
    {
        var all = OptionsOf(d).ToDictionary(o => o.Id, o => o.Default);
        var options = OfSteps(d).ToList();
        var rows = new List<IReadOnlyDictionary<string, string>> { all };
        var open = (from a in Enumerable.Range(0, options.Count)
                    from b in Enumerable.Range(a, options.Count - a)
                    from x in options[a].Choices
                    from y in options[b].Choices
                    where a != b || x == y
                    select (A: options[a].Id, X: x.Id, B: options[b].Id, Y: y.Id)).ToList();
        bool Met(Dictionary<string, string> row, (string A, string X, string B, string Y) p) => row.GetValueOrDefault(p.A) == p.X && row.GetValueOrDefault(p.B) == p.Y;
        open.RemoveAll(p => Met(all, p));
        while (open.Count > 0)
        {
            var row = new Dictionary<string, string> { [open[0].A] = open[0].X, [open[0].B] = open[0].Y };
            foreach (var o in options.Where(o => !row.ContainsKey(o.Id)))
            {
                row[o.Id] = o.Choices.Select(c => c.Id).MaxBy(c => open.Count(p => (p.A == o.Id && p.X == c && row.GetValueOrDefault(p.B) == p.Y) || (p.B == o.Id && p.Y == c && row.GetValueOrDefault(p.A) == p.X)))!;
            }

            rows.Add(new Dictionary<string, string>(all.Concat(row).GroupBy(p => p.Key).ToDictionary(g => g.Key, g => g.Last().Value)));
            open.RemoveAll(p => Met(row, p));
        }

        return rows;
    }
}
