using MathNet.Numerics.Distributions;
using Rhabdon.Core.Connectors;
using Rhabdon.Core.Procedures;

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

/// <summary>
/// What is taken for so before anything was counted (assumptions of ours), and what a company's own ledger makes of it. A person's own count weighs against the
/// company's as against so many connectors more, so that a new hand with three of them looks neither like a genius nor like a disaster.
/// </summary>
public static class Experience
{
    /// <summary>What an assumption is worth, in connectors; and what the company's figure is worth against a person's own.</summary>
    public const double AssumedWeight = 20, CompanyWeight = 20;

    /// <summary>A try of a rung leads to a good connector so often (assumption), worth half as much.</summary>
    private const double RungMean = 0.6;

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

    /// <summary>
    /// A procedure's ladder with these chances. The ladder that a connector is judged by stands for all of them: the one that takes connectors, else the longest. Its
    /// last rung, with which a new attempt begins, is what a new connector costs.
    /// </summary>
    public static ReworkModel Model(RunTable table, Chance firstPass)
    {
        var ladder = table.Ladders.OrderByDescending(l => l.Uses.Sum(u => u.Parts.Count)).ThenByDescending(l => l.Uses.Count).FirstOrDefault();
        var uses = ladder?.Uses ?? [];
        var last = uses.LastOrDefault(u => u.To is null);
        return new(firstPass.Mean, [.. uses.Where(u => u.To is not null).Select(u => new Rung(Rung.Mean, 1, u.Minutes, u.SlackMm, u.Parts.Count > 0, ShardsAgain(table, ladder!.Id, u.To!)))],
            last?.Minutes ?? 0, last?.SlackMm ?? table.Prep.CutOffUsesMm, table.States.Sum(s => s.Shards));
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
