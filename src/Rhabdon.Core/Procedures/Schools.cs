namespace Rhabdon.Core.Procedures;

/// <summary>Where practitioners disagree, a procedure holds both ways; this keeps the one that is followed.</summary>
public static class Schools
{
    /// <summary>Most combinations of choices that one procedure may have; each is checked before it is published.</summary>
    public const int MostCombinations = 256;

    /// <summary>The choice for each option: the company's where it has one that exists, else the default.</summary>
    public static IReadOnlyDictionary<string, string> Resolve(ProcedureDocument d, IReadOnlyDictionary<string, string>? chosen) =>
        (d.Options ?? []).ToDictionary(o => o.Id, o => chosen?.GetValueOrDefault(o.Id) is { } c && o.Choices.Any(x => x.Id == c) ? c : o.Default);

    /// <summary>The document as it reads for one school: steps and pre-flight items of the others are left out.</summary>
    /// <param name="choices">A choice for every option, as <see cref="Resolve"/> gives it.</param>
    public static ProcedureDocument Follow(ProcedureDocument d, IReadOnlyDictionary<string, string> choices)
    {
        bool Holds(When? w) => w is null || (choices.TryGetValue(w.Option, out var c) && w.Is.Contains(c));
        return d with { Steps = [.. d.Steps.Where(s => Holds(s.When))], Preflight = [.. (d.Preflight ?? []).Where(p => Holds(p.When))] };
    }

    /// <summary>Options that steps depend on; the others only change the pre-flight and cannot leave a step behind.</summary>
    public static IEnumerable<ProcedureOption> OfSteps(ProcedureDocument d) => (d.Options ?? []).Where(o => d.Steps.Any(s => s.When?.Option == o.Id));

    /// <summary>Every combination of choices that steps depend on, at most <see cref="MostCombinations"/>.</summary>
    public static IEnumerable<IReadOnlyDictionary<string, string>> Combinations(ProcedureDocument d)
    {
        IEnumerable<Dictionary<string, string>> all = [(d.Options ?? []).ToDictionary(o => o.Id, o => o.Default)];
        foreach (var o in OfSteps(d))
        {
            all = all.SelectMany(c => o.Choices.Select(x => new Dictionary<string, string>(c) { [o.Id] = x.Id }));
        }

        return all.Take(MostCombinations);
    }
}
