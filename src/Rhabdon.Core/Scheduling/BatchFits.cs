using MathNet.Numerics.Distributions;
using Rhabdon.Core.Connectors;
using Rhabdon.Core.Kit;

namespace Rhabdon.Core.Scheduling;

/// <summary>How many connectors are cured, looked at and tested before one has to leave.</summary>
/// <param name="Ends">The most that are, with at least that chance.</param>
/// <param name="Asked">How many were thought of.</param>
/// <param name="Chance">That so many are done in time.</param>
/// <param name="ChanceOfAsked">The same for as many as were thought of.</param>
public sealed record BatchFit(int Ends, int Asked, double Chance, double ChanceOfAsked);

public static class BatchFits
{
    /// <summary>What one may count on (ours).</summary>
    public const double Enough = 0.8;

    /// <summary>From one connector to another, where nothing is learned of it, as a share (ours).</summary>
    private const double UsualSd = 0.2;

    /// <summary>The same for somebody's batch: with their own times where there are enough, else everybody's, else what the office or we assume.</summary>
    public static (BatchFit Fit, double EachMin, int LearnedOf) Of(int ends, double minutes, TerminationMethod method, PersonId person, LearnedTimes times, CompanyFigures company)
    {
        var learned = times.Methods.FirstOrDefault(m => m.Method == method);
        var each = (learned?.Minutes ?? company.Of(method).Minutes) * times.Pace(person, method);
        var (_, slots, cure, warm) = WeekWorks.Cure(method, company);
        return (Of(ends, minutes, each, learned is { SdMinutes: > 0 } ? learned.SdMinutes : each * UsualSd, cure, Math.Max(1, slots), warm), Math.Round(each, 2), learned?.Count ?? 0);
    }

    /// <param name="ends">That were thought of.</param>
    /// <param name="minutes">Until one has to leave.</param>
    /// <param name="eachMin">What hands take for a connector from the first cut to the tested end, and how much that differs from one to another.</param>
    /// <param name="cureMin">What a load of <paramref name="slots"/> takes to cure, with nobody at it; 0 where nothing cures.</param>
    /// <param name="warmUpMin">Of the oven, which is switched on when the batch is begun.</param>
    public static BatchFit Of(int ends, double minutes, double eachMin, double sdMin, double cureMin = 0, int slots = 1, double warmUpMin = 0)
    {
        var most = Enumerable.Range(1, Math.Max(0, ends)).LastOrDefault(n => Chance(n) >= Enough);
        return new(most, ends, most == 0 ? 0 : Math.Round(Chance(most), 3), Math.Round(Chance(ends), 3));

        // Hands and oven one after another for the last load; those before it cure while the next are made, as far as hands take longer.
        double Chance(int n)
        {
            if (n <= 0)
            {
                return 1;
            }

            var loads = cureMin > 0 ? (int)Math.Ceiling((double)n / slots) : 0;
            var hidden = loads > 1 ? Math.Max(0, (loads - 1) * (cureMin - (slots * eachMin / 2))) : 0;
            var still = (loads > 0 ? cureMin + Math.Max(0, warmUpMin - (Math.Min(n, slots) * eachMin / 2)) : 0) + hidden;
            var left = minutes - still;
            return left <= 0 ? 0 : sdMin <= 0 ? (n * eachMin <= left ? 1 : 0) : Normal.CDF(n * eachMin, sdMin * Math.Sqrt(n), left);
        }
    }
}
