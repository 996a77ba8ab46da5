using System.Security.Claims;
using Rhabdon.Core;
using Rhabdon.Core.Day;
using Rhabdon.Server.Accounts;
using Rhabdon.Server.Web;
using Rhabdon.Store;

namespace Rhabdon.Server.Day;

/// <param name="Minutes">0 to 1440; null takes back what was said, and the ledger's count holds again.</param>
/// <param name="Note">Why it is otherwise, at most 300 characters.</param>
public sealed record HoursSaid(int? Minutes, string Note = "");

/// <summary>Hours from the first act to the last, for the person to correct.</summary>
public static class HoursEndpoints
{
    private const int MostDays = 62, MostMinutes = 24 * 60, LongestNote = 300;

    public static void MapHours(this RouteGroupBuilder api)
    {
        api.MapGet("/hours", Hours).RequireAuthorization(Policies.Work)
            .WithSummary("Days from first to last act, by the calendar of each site, newest first, and what the person says of them: your own; a lead's crew; everybody's for the office. from and to: days, both counted, at most 62; left out, this month so far.");
        api.MapPut("/hours/{personId:guid}/{day}", Say).RequireAuthorization(Policies.Work).WithSummary("Say how long a day was, where it was otherwise than from first to last act; minutes null takes it back. Your own; a lead's crew; everybody's for the office.");
        api.MapGet("/hours/file", AsFile).RequireAuthorization(Policies.Work).WithSummary("The same as a file: format pdf, csv or xlsx.").Produces(200, contentType: "application/pdf");
    }

    private static async Task<IReadOnlyList<WorkedDay>> Hours(ClaimsPrincipal user, Days days, TimeProvider clock, CancellationToken cancel, string? from = null, string? to = null)
    {
        var (first, last) = Span(from, to, clock);
        return await days.Hours(user.Scope(), first, last, cancel);
    }

    private static async Task<IResult> AsFile(ClaimsPrincipal user, Days days, People people, TimeProvider clock, CancellationToken cancel, string? from = null, string? to = null, string? format = null)
    {
        var as_ = QueryWords.Choice<DayFormat>("format", format) ?? DayFormat.Pdf;
        var (first, last) = Span(from, to, clock);
        var hours = await days.Hours(user.Scope(), first, last, cancel);
        return DayPapers.File(DayPapers.Hours(await people.CompanyName(user.Scope().CompanyId, cancel), first, last, hours), as_, $"hours-{DayPapers.Text(last)}", clock);
    }

    private static async Task Say(PersonId personId, string day, HoursSaid r, ClaimsPrincipal user, Days days, TimeProvider clock, CancellationToken cancel)
    {
        var scope = user.Scope();
        var on = QueryWords.Day("day", day)!.Value;
        new Input().Require(r.Minutes is null or (>= 0 and <= MostMinutes), Refusal.Of("figure-range", "minutes", ("least", 0), ("most", MostMinutes)))
            .Require(r.Note.Length <= LongestNote, Refusal.Of("note-length", "note", ("most", LongestNote)))
            .Require(on <= Today(clock).PlusDays(1), Refusal.Of("day-to-come", "day")).ThrowIfBad();
        if (!await days.MaySay(scope, personId, cancel))
        {
            throw new ApiException(404, Refusal.Of("not-found", "personId"));
        }

        await days.SayHours(scope.CompanyId, personId, on, r.Minutes, r.Note.Trim(), scope.PersonId, clock.GetCurrentInstant(), cancel);
    }

    /// <summary>By the server's clock: where the sites of one company lie apart, no other day is everybody's.</summary>
    private static LocalDate Today(TimeProvider clock) => clock.GetCurrentInstant().InUtc().Date;

    private static (LocalDate From, LocalDate To) Span(string? from, string? to, TimeProvider clock) => DayEndpoints.Span(from, to, Today(clock), MostDays);
}
