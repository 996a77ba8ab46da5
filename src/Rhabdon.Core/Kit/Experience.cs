using MathNet.Numerics.Distributions;
using Rhabdon.Core.Connectors;
using Rhabdon.Core.Procedures;
using Rhabdon.Core.Rework;

namespace Rhabdon.Core.Kit;

/// <summary>How often something succeeds, as far as it is known: a beta distribution, by as many good and bad as it is worth.</summary>
public sealed record Chance(double Good, double Bad)
{
    public double Mean => Good / (Good + Bad);

    /// <summary>With what was counted since.</summary>
    public Chance And(long good, long bad) => new(Good + good, Bad + bad);

    /// <summary>Below which it lies with this probability.</summary>
    public double Quantile(double probability) => Beta.InvCDF(Good, Bad, probability);
}

/// <summary>Connectors of one kind that came to an end: accepted without once going back, or not.</summary>
public sealed record GoodAndBad(long Good, long Bad);

/// <summary>How a company's last connectors by a method went.</summary>
/// <param name="FirstPass">Accepted without once going back, or not.</param>
/// <param name="Rungs">Times that one went back: after which it was accepted, or not.</param>
/// <param name="Reasons">Of those that were not good at once.</param>
public sealed record MethodCount(GoodAndBad FirstPass, GoodAndBad Rungs, IReadOnlyDictionary<ReworkReason, long> Reasons)
{
    public static MethodCount None { get; } = new(new(0, 0), new(0, 0), new Dictionary<ReworkReason, long>());

    public long All => FirstPass.Good + FirstPass.Bad;
}

/// <summary>
/// What is taken for so before anything was counted (assumptions of ours), and what a company's own ledger makes of it. A person's own count weighs against the
/// company's as against so many connectors more, so that a new hand with three of them looks neither like a genius nor like a disaster.
/// </summary>
public static class Experience
{
    /// <summary>What an assumption is worth, in connectors; and what the company's figure is worth against a person's own.</summary>
    public const double AssumedWeight = 20, CompanyWeight = 20;

    /// <summary>A try of a rung leads to a good connector so often (assumption), worth half as much; which check fails, too.</summary>
    private const double RungMean = 0.6;

    /// <summary>A check whose ladder ends in a lost connector fails so many times as often as one that comes before the connector is on (assumption).</summary>
    private const double ConnectorLost = 3;

    /// <summary>That a connector is accepted without once going back, before anything was counted.</summary>
    public static Chance FirstPass(TerminationMethod method) => Of(AssumedWeight, method switch
    {
        TerminationMethod.HeatCuredEpoxy or TerminationMethod.ColdCure or TerminationMethod.HotMelt => 0.9,
        TerminationMethod.PigtailSplice or TerminationMethod.SpliceOn => 0.95,
        _ => 0.94,
    });

    public static Chance Rung { get; } = Of(AssumedWeight / 2, RungMean);

    /// <summary>A person's own, drawn towards the company's.</summary>
    public static Chance OfPerson(Chance company, GoodAndBad own) => Of(CompanyWeight, company.Mean).And(own.Good, own.Bad);

    /// <summary>That a connector by this method is accepted at once, as the company's own say.</summary>
    public static Chance FirstPass(TerminationMethod method, MethodCount own) => FirstPass(method).And(own.FirstPass.Good, own.FirstPass.Bad);

    /// <summary>
    /// A procedure's ladders with these chances. Of ten assumed failures each check has its part, those that lose a connector in the end three times that of others,
    /// until the company's own reasons say otherwise. A ladder's last rung, with which a new attempt begins, is what a new connector costs.
    /// </summary>
    public static ReworkModel Model(RunTable table, Chance firstPass, MethodCount own)
    {
        var rung = Rung.And(own.Rungs.Good, own.Rungs.Bad).Mean;
        var reasons = table.States.SelectMany(s => s.On.Values).Where(t => t.Ladder is not null).ToLookup(t => t.Ladder!, t => t.Reason);
        var ladders = table.Ladders.Where(l => reasons.Contains(l.Id)).Select(l => Ladder(table, l, rung)).ToList();
        var assumed = AssumedWeight / 2 / ladders.Sum(l => l.Ladder.Share);
        return new(
            firstPass.Mean, ladders.Count == 0 ? [new(1, [], 0, table.Prep.CutOffUsesMm)] : [.. ladders.Select(l => l.Ladder with { Share = (assumed * l.Ladder.Share) + Counted(l.Id) })],
            table.States.Sum(s => s.Shards));

        // A reason that several checks give counts for each of them in part.
        double Counted(string id) => reasons[id].OfType<ReworkReason>().Distinct().Sum(r => own.Reasons.GetValueOrDefault(r) / (double)ladders.Count(other => reasons[other.Id].Contains(r)));
    }

    private static (string Id, RetryLadder Ladder) Ladder(RunTable table, RunLadder ladder, double success)
    {
        var last = ladder.Uses.LastOrDefault(u => u.To is null);
        var taken = last is null || last.Parts.Count > 0;
        return (ladder.Id, new(
            taken ? ConnectorLost : 1, [.. ladder.Uses.Where(u => u.To is not null).Select(u => new Rung(success, 1, u.Minutes, u.SlackMm, u.Parts.Count > 0, ShardsAgain(table, ladder.Id, u.To!)))],
            last?.Minutes ?? 0, last?.SlackMm ?? table.Prep.CutOffUsesMm, taken));
    }

    /// <summary>Shards of the acts that a rung goes back to, up to the check that it came from.</summary>
    private static int ShardsAgain(RunTable table, string ladderId, string to)
    {
        var sum = 0;
        foreach (var state in table.States.SkipWhile(s => s.Id != to))
        {
            sum += state.Shards;
            if (state.On.Values.Any(t => t.Ladder == ladderId))
            {
                break;
            }
        }

        return sum;
    }

    private static Chance Of(double weight, double mean) => new(weight * mean, weight * (1 - mean));
}
