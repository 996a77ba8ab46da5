using Rhabdon.Core.Connectors;
using Rhabdon.Core.Fiber;

namespace Rhabdon.Core.Procedures;

/// <summary>Whether an end is one of a jumper.</summary>
public enum CordKind
{
    /// <summary>It lands on a panel.</summary>
    None,
    Simplex,
    /// <summary>A pair of strands with a connector each at both ends, held by a clip.</summary>
    Duplex,
}

/// <summary>
/// What the planned end itself answers, where a procedure differs by it: an ST has no casing, an LC is seated at another mark than an SC, a
/// single-mode fiber takes one more pad, a duplex jumper has a clip. An act, a rung, a part or a mark says <c>when</c> of it as of a school; nobody chooses it.
/// </summary>
public static class EndOptions
{
    public const string Form = "form", Polish = "polish", Mode = "mode", Cord = "cord";

    /// <summary>True for an option that the end answers; no procedure may ask for one of that name.</summary>
    public static bool IsOfEnd(string option) => option is Form or Polish or Mode or Cord;

    /// <summary>Those by which this procedure differs, with what it fits as choices.</summary>
    public static IReadOnlyList<ProcedureOption> Of(ProcedureDocument d)
    {
        var named = Schools.Whens(d).Select(w => w.When.Option).Where(IsOfEnd).ToHashSet();
        return [.. new[] { (Form, d.Fits.Forms.Select(Wire.Name)), (Polish, d.Fits.Polishes.Select(Wire.Name)), (Mode, d.Fits.Classes.Select(c => c.Mode()).Distinct().Select(Wire.Name)), (Cord, Enum.GetValues<CordKind>().Select(Wire.Name)) }
            .Where(o => named.Contains(o.Item1) && o.Item2.Any() && d.Options?.Any(x => x.Id == o.Item1) != true)
            .Select(o => new ProcedureOption(o.Item1, o.Item1, o.Item2.First(), "", [.. o.Item2.Select(c => new OptionChoice(c, c))]))];
    }

    public static CordKind CordOf(bool onPanel, int strands) => onPanel ? CordKind.None : strands == 2 ? CordKind.Duplex : CordKind.Simplex;

    /// <summary>These schools, with what the end answers in the place of whatever is said of it.</summary>
    public static IReadOnlyDictionary<string, string> With(IReadOnlyDictionary<string, string>? schools, ConnectorForm form, Polish polish, FiberMode mode, CordKind cord) =>
        new Dictionary<string, string>(schools ?? new Dictionary<string, string>()) { [Form] = Wire.Name(form), [Polish] = Wire.Name(polish), [Mode] = Wire.Name(mode), [Cord] = Wire.Name(cord) };
}
