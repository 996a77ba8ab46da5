using Rhabdon.Core.Prep;

namespace Rhabdon.Core.Procedures;

/// <summary>Finds what would leave an installer stranded at the bench: dead ends, steps never reached, ladders without an end.</summary>
public static class ProcedureValidator
{
    /// <summary>As many as there are keys for under one hand.</summary>
    private const int MostAnswers = 6;

    private const int MostTries = 10;

    /// <summary>Every fault of the document, with the place where it stands; empty when it can be published.</summary>
    public static IReadOnlyList<Refusal> Faults(ProcedureDocument d)
    {
        var faults = OfOptions(d).ToList();
        if (faults.Count > 0)
        {
            return faults;
        }

        // Every school must come out whole. What is wrong in several is told once.
        return [.. Schools.Pairwise(d).SelectMany(c => OfSchool(Schools.Follow(d, c), d)).Distinct()];
    }

    private static IEnumerable<Refusal> OfOptions(ProcedureDocument d)
    {
        var options = d.Options ?? [];
        foreach (var fault in Twice("options", options.Select(o => o.Id)))
        {
            yield return fault;
        }

        foreach (var o in options)
        {
            foreach (var fault in Twice($"options[{o.Id}].choices", o.Choices.Select(c => c.Id)))
            {
                yield return fault;
            }

            if (o.Choices.Count < 2)
            {
                yield return new("option-choices", $"options[{o.Id}].choices", "An option needs at least two choices.");
            }

            if (o.Choices.All(c => c.Id != o.Default))
            {
                yield return new("option-default", $"options[{o.Id}].default", $"The default '{o.Default}' is none of its choices.");
            }
        }

        if (options.Count > Schools.MostOptions || options.Any(o => o.Choices.Count > Schools.MostChoices))
        {
            yield return new("options-many", "options", $"A procedure has at most {Schools.MostOptions} options of {Schools.MostChoices} choices; each pair of them has to be checked.");
        }

        var all = Schools.OptionsOf(d);
        foreach (var (when, field) in Schools.Whens(d))
        {
            var option = all.FirstOrDefault(o => o.Id == when.Option);
            if (option is null)
            {
                yield return new("option-unknown", field, $"There is no option '{when.Option}'.");
            }
            else if (when.Is.Count == 0 || when.Is.Any(c => option.Choices.All(x => x.Id != c)))
            {
                yield return new("option-unknown", field, $"'{when.Option}' has the choices {string.Join(", ", option.Choices.Select(c => c.Id))}.");
            }
        }
    }

    /// <summary>A move after a step that no school has, or after itself.</summary>
    private static IEnumerable<Refusal> OfMoves(ProcedureDocument whole) =>
        from s in whole.Steps
        from m in s.Moves ?? []
        where m.After == s.Id || whole.Steps.All(x => x.Id != m.After)
        select new Refusal("step-unknown", $"steps[{s.Id}].moves", $"There is no other step '{m.After}'.");

    private static IReadOnlyList<Refusal> OfSchool(ProcedureDocument d, ProcedureDocument whole)
    {
        var faults = new List<Refusal>();
        if (d.Steps.Count == 0)
        {
            return [new("steps-none", "steps", "A procedure needs at least one step.")];
        }

        faults.AddRange(Twice("steps", d.Steps.Select(s => s.Id)));
        faults.AddRange(Twice("ladders", d.Ladders.Select(l => l.Id)));
        faults.AddRange(Twice("parts", d.Parts.Select(p => p.Id)));
        faults.AddRange(Fits(d.Fits));
        faults.AddRange(d.Steps.SelectMany((s, i) => OfStep(d, s, i)));
        faults.AddRange(Texts(d).SelectMany(t => Words.Faults(t.Text, t.Field)));
        faults.AddRange(d.Ladders.SelectMany(l => OfLadder(d, l, whole)));
        faults.AddRange(OfPreflight(d, whole));
        faults.AddRange(OfMoves(whole));
        faults.AddRange(OfThings(d));
        if (d.Together < 1 || d.Together > Bench.Batches.MostStrands)
        {
            faults.Add(new("together-range", "together", $"One act works 1 to {Bench.Batches.MostStrands} strands at once."));
        }

        try
        {
            PrepCards.Resolve(d.Prep);
        }
        catch (RefusedException e)
        {
            faults.AddRange(e.Refusals);
        }

        return faults.Count > 0 ? faults : [.. Unreached(d)];
    }

    private static IEnumerable<(string? Text, string Field)> Texts(ProcedureDocument d) =>
    [
        .. d.Parts.Select(p => (p.Note, $"parts[{p.Id}].note")),
        .. d.Parts.Select(p => (p.First, $"parts[{p.Id}].first")),
        .. d.Tools.Select(t => (t.Setting, $"tools[{t.Id}].setting")),
        .. (d.Preflight ?? []).SelectMany(p => new[] { (p.Text, $"preflight[{p.Id}].text"), ((string?)p.Why, $"preflight[{p.Id}].why") }),
        .. d.Steps.SelectMany(s => new[] { (s.Act, $"steps[{s.Id}].act"), (s.Detail, $"steps[{s.Id}].detail") }),
        .. d.Ladders.SelectMany(l => l.Rungs.Select(r => ((string?)r.Act, $"ladders[{l.Id}].rungs[{r.Id}].act"))),
    ];

    private static IEnumerable<Refusal> Twice(string list, IEnumerable<string> ids) =>
        ids.GroupBy(i => i).Where(g => g.Count() > 1).Select(g => new Refusal("id-twice", $"{list}[{g.Key}]", $"'{g.Key}' stands twice in {list}."));

    private static IEnumerable<Refusal> Fits(ProcedureFit f)
    {
        foreach (var (name, count) in new[] { ("forms", f.Forms.Count), ("polishes", f.Polishes.Count), ("constructions", f.Constructions.Count), ("classes", f.Classes.Count) })
        {
            if (count == 0)
            {
                yield return new("fits-nothing", $"fits.{name}", $"Say at least one entry in fits.{name}, or the procedure fits nothing.");
            }
        }
    }

    private static IEnumerable<Refusal> OfStep(ProcedureDocument d, Step s, int index)
    {
        var where = $"steps[{s.Id}]";
        foreach (var mark in (s.Marks ?? []).Where(m => !ProcedureCompiler.KnowsDimension(d.Prep, m)))
        {
            yield return new("mark-unknown", $"{where}.marks", $"The step shows the mark '{mark}', which the prep plan does not have.");
        }

        if (s.Timer is { DurationS: <= 0 or > 86_400 })
        {
            yield return new("timer-range", $"{where}.timer.durationS", "A timer runs more than 0 and at most 86,400 seconds.");
        }

        if (s.Count is { } count && (count.Min < 0 || count.Max < count.Min || count.Max > 1000))
        {
            yield return new("count-range", $"{where}.count", "A count needs 0 ≤ min ≤ max ≤ 1000.");
        }

        if (s.Count is { SheetLimit: not null, Film: null } || s.Count is { SheetLimit: <= 0 })
        {
            yield return new("sheet-limit", $"{where}.count.sheetLimit", "A sheet's limit is above 0 and needs the film's name.");
        }

        if (new[] { s.Shards, s.Cleaves, s.Arcs }.Any(n => n is < 0 or > 100))
        {
            yield return new("shards-range", $"{where}.shards", "An act makes 0 to 100 shards, cleaves and arcs.");
        }

        if (s.Check is not { } check)
        {
            yield break;
        }

        if (check.Answers.Count is < 2 or > MostAnswers)
        {
            yield return new("answers-count", $"{where}.check.answers", $"A check has two to {MostAnswers} answers.");
        }

        foreach (var fault in Twice($"{where}.check.answers", check.Answers.Select(a => a.Id)))
        {
            yield return fault;
        }

        foreach (var a in check.Answers)
        {
            foreach (var fault in OfAnswer(d, a, index, $"{where}.check.answers[{a.Id}]"))
            {
                yield return fault;
            }
        }
    }

    /// <summary>What acts name among parts and tools is there.</summary>
    private static IEnumerable<Refusal> OfThings(ProcedureDocument d)
    {
        var (parts, things) = (d.Parts.Select(p => p.Id).ToHashSet(), d.Parts.Select(p => p.Id).Concat(d.Tools.Select(t => t.Id)).ToHashSet());
        foreach (var s in d.Steps)
        {
            foreach (var (name, known, ids) in new[] { ("uses", parts, s.Uses), ("crimps", parts, s.Crimps), ("puts", things, s.Puts), ("takes", things, s.Takes) })
            {
                foreach (var id in (ids ?? []).Where(i => !known.Contains(i)))
                {
                    yield return new("part-unknown", $"steps[{s.Id}].{name}", $"There is no part{(known == things ? " or tool" : "")} '{id}'.");
                }
            }

            if (s.Strip is { } strip && (strip.NotchMm is null == strip.Tool is null || strip.NotchMm is <= 0 or > 20 || (strip.Tool is { } tool && d.Tools.All(t => t.Id != tool))))
            {
                yield return new("strip-by", $"steps[{s.Id}].strip", "A layer is taken off by a notch of up to 20 mm, or by one of the tools.");
            }

            if (s.Once && !s.Batch)
            {
                yield return new("once-is-batch", $"steps[{s.Id}].once", "What is the same for all strands is an act of the whole batch: say batch, too.");
            }

            if (s.Splice is { MostLossDb: <= 0 or > 5 } or { MostAngleDeg: <= 0 or > 10 })
            {
                yield return new("splice-limits", $"steps[{s.Id}].splice", "A splice is held to a loss above 0 and at most 5 dB, and angles above 0 and at most 10°.");
            }
        }
    }

    private static IEnumerable<Refusal> OfAnswer(ProcedureDocument d, Answer a, int index, string where)
    {
        var ways = (a.Next ? 1 : 0) + (a.Goto is null ? 0 : 1) + (a.Ladder is null ? 0 : 1);
        if (ways != 1)
        {
            yield return new("answer-leads-nowhere", where,
                ways == 0 ? "This answer leads nowhere: give it next, goto or ladder." : "This answer leads to more than one place: keep one of next, goto, ladder.");
        }

        if (a.Ladder is not null && d.Ladders.All(l => l.Id != a.Ladder))
        {
            yield return new("ladder-unknown", $"{where}.ladder", $"There is no ladder '{a.Ladder}'.");
        }

        if (a.Id == RunTable.Done)
        {
            yield return new("answer-id", $"{where}.id", $"'{RunTable.Done}' is kept for acts without a check.");
        }

        if (a.Goto is null)
        {
            yield break;
        }

        var target = IndexOf(d, a.Goto);
        if (target < 0)
        {
            yield return new("step-unknown", $"{where}.goto", $"There is no step '{a.Goto}'.");
        }
        else if (target <= index)
        {
            yield return new("goto-back", $"{where}.goto", "Going back costs something: use a ladder, which counts the tries.");
        }
        else if (d.Steps.Skip(index + 1).Take(target - index - 1).FirstOrDefault(s => s.Mandatory) is { } passed)
        {
            yield return new("mandatory-skipped", $"{where}.goto", $"This answer passes by '{passed.Id}', which is mandatory.");
        }
    }

    private static IEnumerable<Refusal> OfPreflight(ProcedureDocument d, ProcedureDocument whole)
    {
        foreach (var fault in Twice("preflight", (d.Preflight ?? []).Select(p => p.Id)))
        {
            yield return fault;
        }

        foreach (var p in d.Preflight ?? [])
        {
            var where = $"preflight[{p.Id}]";
            if (p.Guards.Count == 0)
            {
                yield return new("guards-none", $"{where}.guards", "Say which steps rest on this item, or leave it out.");
            }

            foreach (var g in p.Guards.Where(g => whole.Steps.All(s => s.Id != g)))
            {
                yield return new("step-unknown", $"{where}.guards", $"There is no step '{g}'.");
            }

            if (p.WarmUpS is <= 0 or > 86_400 || p.LastsS is <= 0 or > 864_000)
            {
                yield return new("preflight-time", where, "A warm-up is at most a day and a pot life at most ten days, both more than 0 seconds.");
            }

            if (p.Min is not null && p.Asks?.Contains(PreflightAsk.Number) != true)
            {
                yield return new("preflight-min", $"{where}.min", "A minimum needs a number to compare: add number to asks.");
            }
        }
    }

    private static IEnumerable<Refusal> OfLadder(ProcedureDocument d, Ladder l, ProcedureDocument whole)
    {
        var where = $"ladders[{l.Id}]";
        var users = d.Steps.Select((s, i) => (s, i)).Where(x => x.s.Check?.Answers.Any(a => a.Ladder == l.Id) == true).Select(x => x.i).ToList();
        // A school may do without a ladder; no school at all may not.
        if (!whole.Steps.Any(s => s.Check?.Answers.Any(a => a.Ladder == l.Id) == true))
        {
            yield return new("ladder-unused", where, $"No answer leads to the ladder '{l.Id}'.");
        }

        foreach (var fault in Twice($"{where}.rungs", l.Rungs.Select(r => r.Id)))
        {
            yield return fault;
        }

        if (l.Rungs.Count == 0 || !l.Rungs[^1].NewAttempt)
        {
            yield return new("ladder-endless", $"{where}.rungs", "The last rung must start a new attempt, or the ladder never ends.");
        }

        foreach (var (r, i) in l.Rungs.Select((r, i) => (r, i)))
        {
            var at = $"{where}.rungs[{r.Id}]";
            if (r.NewAttempt == (r.Goto is not null))
            {
                yield return new("rung-leads-nowhere", at, "A rung either goes to a step or starts a new attempt.");
            }

            if (r.NewAttempt && i < l.Rungs.Count - 1)
            {
                yield return new("rung-after-end", at, "A new attempt is the last rung; what stands below it is never reached.");
            }

            if (r.Tries is < 1 or > MostTries)
            {
                yield return new("rung-tries", $"{at}.tries", $"A rung may be tried 1 to {MostTries} times.");
            }

            if (r.Minutes < 0 || r.SlackMm < 0)
            {
                yield return new("rung-cost", at, "A rung's cost in minutes and slack is 0 or more.");
            }

            foreach (var part in (r.Parts ?? []).Where(p => d.Parts.All(x => x.Id != p)))
            {
                yield return new("part-unknown", $"{at}.parts", $"There is no part '{part}'.");
            }

            if (r.Goto is not null && users.Count > 0 && IndexOf(d, r.Goto) < 0)
            {
                yield return new("step-unknown", $"{at}.goto", $"There is no step '{r.Goto}'.");
            }
            else if (r.Goto is not null && users.Count > 0 && users.Any(u => IndexOf(d, r.Goto) > u))
            {
                yield return new("rung-forward", $"{at}.goto", "A rung goes back to try again, not forward past the check.");
            }
        }
    }

    private static IEnumerable<Refusal> Unreached(ProcedureDocument d)
    {
        var seen = new HashSet<int>();
        var open = new Stack<int>([0]);
        while (open.TryPop(out var i))
        {
            if (i >= d.Steps.Count || !seen.Add(i))
            {
                continue;
            }

            if (d.Steps[i].Check is not { } check)
            {
                open.Push(i + 1);
                continue;
            }

            foreach (var a in check.Answers)
            {
                if (a.Next)
                {
                    open.Push(i + 1);
                }
                else if (a.Goto is not null)
                {
                    open.Push(IndexOf(d, a.Goto));
                }
                else
                {
                    foreach (var r in d.Ladders.First(l => l.Id == a.Ladder).Rungs.Where(r => r.Goto is not null))
                    {
                        open.Push(IndexOf(d, r.Goto!));
                    }
                }
            }
        }

        return d.Steps.Where((_, i) => !seen.Contains(i)).Select(s => new Refusal("step-unreached", $"steps[{s.Id}]", $"No answer ever leads to the step '{s.Id}'."));
    }

    private static int IndexOf(ProcedureDocument d, string stepId) => d.Steps.Select((s, i) => (s, i)).FirstOrDefault(x => x.s.Id == stepId, (null!, -1)).i;
}
