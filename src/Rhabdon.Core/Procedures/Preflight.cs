using Rhabdon.Core.Planning;

namespace Rhabdon.Core.Procedures;

/// <summary>Something that has to be so before the steps that rest on it.</summary>
/// <param name="Why">What goes wrong without it, told where it is missing.</param>
/// <param name="Guards">Ids of the steps that it endangers; only those wait for it.</param>
/// <param name="Asks">What has to be said of it; with none, a tap says that it is so.</param>
/// <param name="Min">Least number that will do, with <paramref name="Unit"/>; asks for a number.</param>
/// <param name="WarmUpS">Seconds until it is ready from the moment it is switched on.</param>
/// <param name="LastsS">Seconds that it stays good from the moment it is begun, as an adhesive's pot life.</param>
public sealed record PreflightItem(
    string Id,
    string Text,
    string Why,
    IReadOnlyList<string> Guards,
    IReadOnlyList<PreflightAsk>? Asks = null,
    double? Min = null,
    string? Unit = null,
    double? WarmUpS = null,
    double? LastsS = null,
    When? When = null);

public enum PreflightAsk
{
    /// <summary>The lot's number, as printed.</summary>
    Lot,
    /// <summary>The last day it may be used.</summary>
    UseBy,
    /// <summary>A number, at least the item's minimum.</summary>
    Number,
}

/// <summary>What was said of one item.</summary>
/// <param name="At">When it was said, or switched on, or begun.</param>
/// <param name="SaidIn">The crew's event that said it, for all runs that cite it; null where it was said of this run alone.</param>
/// <param name="InSpiteOf">Why a lot past its day is used all the same; kept with every connector made from it.</param>
public sealed record PreflightAnswer(string ItemId, Instant At, string? Lot = null, LocalDate? UseBy = null, double? Number = null, EventId? SaidIn = null, string? InSpiteOf = null);

/// <summary>Judges a pre-flight. web/src/features/bench/preflight.ts does the same without a network; vectors keep them alike.</summary>
public static class Preflights
{
    /// <summary>True when the item is so at this moment.</summary>
    /// <param name="answer">Null where nothing was said yet.</param>
    /// <param name="timeZone">Of the site: what is good until a day is good until that day's end there.</param>
    public static bool Satisfied(PreflightItem item, PreflightAnswer? answer, Instant now, string timeZone) =>
        answer is not null
        && (!Asks(item, PreflightAsk.Lot) || !string.IsNullOrWhiteSpace(answer.Lot))
        && (!Asks(item, PreflightAsk.UseBy) || answer.UseBy >= SiteDates.On(now, timeZone) || (answer.UseBy is not null && !string.IsNullOrWhiteSpace(answer.InSpiteOf)))
        && (!Asks(item, PreflightAsk.Number) || (answer.Number is { } n && n >= (item.Min ?? double.MinValue)))
        && (item.WarmUpS is not { } warm || now >= answer.At.Plus(Duration.FromSeconds(warm)))
        && (item.LastsS is not { } lasts || now < answer.At.Plus(Duration.FromSeconds(lasts)));

    /// <summary>The items that are not so, among those that guard a step.</summary>
    public static IEnumerable<PreflightItem> Missing(RunTable table, IReadOnlyList<PreflightAnswer> answers, string stepId, Instant now, string timeZone) =>
        table.Preflight.Where(i => i.Guards.Contains(stepId) && !Satisfied(i, answers.LastOrDefault(a => a.ItemId == i.Id), now, timeZone));

    private static bool Asks(PreflightItem item, PreflightAsk ask) => item.Asks?.Contains(ask) == true;
}
