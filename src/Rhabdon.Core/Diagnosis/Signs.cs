using Rhabdon.Core.Connectors;
using Rhabdon.Core.Rework;

namespace Rhabdon.Core.Diagnosis;

/// <summary>How the glass of a connector is met: what can be wrong with it hangs on that.</summary>
public enum GlassFamily
{
    /// <summary>Glued in and polished.</summary>
    Polished,
    /// <summary>Cleaved, against a stub or a lens inside.</summary>
    Stub,
    /// <summary>Spliced to factory glass.</summary>
    Fused,
}

/// <param name="Of">The families that it is seen of; null for all.</param>
/// <param name="Minutes">What it takes to see it; null where it cannot be looked for afterwards.</param>
/// <param name="Usual">How often each value is seen where the cause says nothing of it.</param>
/// <param name="Given">The same where a cause does.</param>
public sealed record Sign(string Id, IReadOnlyList<string> Values, IReadOnlyList<double> Usual, IReadOnlyDictionary<ReworkReason, IReadOnlyList<double>> Given, IReadOnlyList<GlassFamily>? Of = null, double? Minutes = null)
{
    public double Likelihood(ReworkReason cause, int value) => (Given.GetValueOrDefault(cause) ?? Usual)[value];
}

/// <param name="Parts">What it uses up, in minutes' worth.</param>
/// <param name="Blade">It cannot be taken back.</param>
/// <param name="Cures">How often it cures a cause;</param>
/// <param name="Renews">and whatever else lies in the connector itself.</param>
public sealed record Act(
    string Id, double Minutes, int Tries, IReadOnlyDictionary<ReworkReason, double> Cures, double Parts = 0, double SlackMm = 0, bool Blade = false, double? Renews = null, IReadOnlyList<GlassFamily>? Of = null)
{
    /// <summary>What a millimetre of slack is worth, in minutes (ours).</summary>
    private const double MinutesPerMm = 0.15;

    /// <summary>All that it costs, as minutes.</summary>
    public double Cost => Minutes + Parts + (SlackMm * MinutesPerMm);
}

/// <summary>Causes, signs and acts: what is known before a connector is looked at. The tables are data, and marked as expert judgement.</summary>
/// <param name="Causes">How often each is the cause, by family.</param>
/// <param name="Elsewhere">Causes that a new connector does not cure.</param>
public sealed partial record DiagnosisTables(
    IReadOnlyDictionary<ReworkReason, IReadOnlyDictionary<GlassFamily, double>> Causes, IReadOnlyList<Sign> Signs, IReadOnlyList<Act> Acts, IReadOnlyList<ReworkReason> Elsewhere)
{
    public static DiagnosisTables Shipped { get; } = Read();

    public static GlassFamily FamilyOf(TerminationMethod method) => method switch
    {
        TerminationMethod.HeatCuredEpoxy or TerminationMethod.ColdCure or TerminationMethod.HotMelt => GlassFamily.Polished,
        TerminationMethod.PigtailSplice or TerminationMethod.SpliceOn => GlassFamily.Fused,
        _ => GlassFamily.Stub,
    };

    /// <summary>The causes of a family, so that all of them come to one.</summary>
    public IReadOnlyDictionary<ReworkReason, double> Before(GlassFamily family)
    {
        var of = Causes.Where(c => c.Value.ContainsKey(family)).ToDictionary(c => c.Key, c => c.Value[family]);
        var sum = of.Values.Sum();
        return of.ToDictionary(c => c.Key, c => c.Value / sum);
    }

    public IReadOnlyList<Sign> SignsOf(GlassFamily family) => [.. Signs.Where(s => s.Of?.Contains(family) != false)];

    public IReadOnlyList<Act> ActsOf(GlassFamily family) => [.. Acts.Where(a => a.Of?.Contains(family) != false)];

    public double Cures(Act act, ReworkReason cause) => act.Cures.TryGetValue(cause, out var p) ? p : Elsewhere.Contains(cause) ? 0 : act.Renews ?? 0;

    private static DiagnosisTables Read()
    {
        using var text = new StreamReader(typeof(DiagnosisTables).Assembly.GetManifestResourceStream("signs.yaml")!);
        return YamlText.Read<DiagnosisTables>(text.ReadToEnd());
    }
}
