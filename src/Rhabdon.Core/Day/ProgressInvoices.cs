using Rhabdon.Core.Connectors;
using Rhabdon.Core.Fiber;
using Rhabdon.Core.Handover;
using Rhabdon.Core.Planning;

namespace Rhabdon.Core.Day;

/// <summary>What the customer pays for an accepted connector of a kind.</summary>
public sealed record UnitPrice(TerminationMethod Method, ConnectorForm Form, Polish Polish, FiberMode Mode, decimal Price);

/// <param name="Currency">Three letters, as in ISO 4217; empty where nobody said.</param>
public sealed record JobPrices(string Currency, IReadOnlyList<UnitPrice> Units)
{
    public static readonly JobPrices None = new("", []);
}

/// <summary>Accepted connectors of a time by their price.</summary>
/// <param name="Before">Amount of what was accepted before the time: it was asked for already.</param>
/// <param name="Unpriced">Connectors of the time that have no price.</param>
public sealed record ProgressInvoice(LocalDate From, LocalDate To, string Currency, IReadOnlyList<ProgressLine> Lines, decimal Before, decimal Amount, int Unpriced);

/// <param name="AcceptedBefore">And still standing at the end.</param>
/// <param name="Accepted">In the time: what stands at its end less what stood at its beginning, so that one that was given up since is taken off.</param>
/// <param name="Price">Null where nobody said.</param>
public sealed record ProgressLine(TerminationMethod Method, ConnectorForm Form, Polish Polish, FiberMode Mode, int Planned, int AcceptedBefore, int Accepted, decimal? Price, decimal? Amount);

public static class ProgressInvoices
{
    /// <param name="from">The first day, and <paramref name="to"/> the last, by the site's calendar.</param>
    public static ProgressInvoice Of(DossierSource source, JobPrices prices, LocalDate from, LocalDate to)
    {
        var (start, _) = SiteDates.Bounds(from, source.TimeZone);
        var (_, end) = SiteDates.Bounds(to, source.TimeZone);
        // An instant before midnight: what is accepted at midnight is of the next day.
        var (before, last) = (start - Duration.FromTicks(1), end - Duration.FromTicks(1));
        var lines = source.Ends.GroupBy(e => (e.Method, e.Form, e.Polish, e.Mode)).OrderBy(g => g.Key).Select(g =>
        {
            var price = prices.Units.FirstOrDefault(u => (u.Method, u.Form, u.Polish, u.Mode) == g.Key)?.Price;
            var (then, now) = (g.Count(e => DayReports.Standing(e.State, before)), g.Count(e => DayReports.Standing(e.State, last)));
            return new ProgressLine(g.Key.Method, g.Key.Form, g.Key.Polish, g.Key.Mode, g.Count(), then, now - then, price, price * (now - then));
        }).ToList();
        return new(from, to, prices.Currency, lines, lines.Sum(l => (l.Price ?? 0) * l.AcceptedBefore), lines.Sum(l => l.Amount ?? 0), lines.Where(l => l.Price is null).Sum(l => Math.Abs(l.Accepted)));
    }
}
