using System.Globalization;
using Rhabdon.Core.Day;
using Rhabdon.Core.Handover;
using Rhabdon.Core.Planning;
using Rhabdon.Documents;
using Rhabdon.Server.Web;

namespace Rhabdon.Server.Day;

/// <summary>A day, hours and an invoice's lines as they are printed and as tables.</summary>
internal static class DayPapers
{
    private static readonly PaperWords Words = new("day");

    public static string Text(LocalDate day) => day.ToString("uuuu-MM-dd", CultureInfo.InvariantCulture);

    public static IResult File(Paper paper, DayFormat format, string name, TimeProvider clock) => format switch
    {
        DayFormat.Csv => Results.Bytes(Tables.Csv(paper), "text/csv", name + ".csv"),
        DayFormat.Xlsx => Results.Bytes(Tables.Xlsx(paper), "application/vnd.openxmlformats-officedocument.spreadsheetml.sheet", name + ".xlsx"),
        _ => Results.Bytes(Printed.Pdf(paper, clock.GetUtcNow()), "application/pdf", name + ".pdf"),
    };

    public static Paper Day(DossierSource s, DayReport d, IReadOnlyList<PaperPicture> photos)
    {
        string At(Instant at) => SiteDates.Local(at, s.TimeZone).ToString("HH:mm", CultureInfo.InvariantCulture);
        string On(Instant at) => SiteDates.Local(at, s.TimeZone).ToString("uuuu-MM-dd HH:mm", CultureInfo.InvariantCulture);
        return new(
            Words["day"],
            [
                $"{s.Company} · {s.Customer}, {s.Site}{(s.Number.Length > 0 ? $" · {s.Number}" : "")}", Words.Say("on", ("day", Text(d.On)), ("zone", s.TimeZone)),
                Words.Say("count", ("begun", d.Begun), ("accepted", d.Accepted), ("givenUp", d.GivenUp), ("then", d.AcceptedByThen), ("planned", d.Planned)),
            ],
            [
                new(Words["people"], Columns("person:4", "first:1.4", "last:1.4", "entries:1.4r", "begun:1.4r", "accepted:1.4r", "given-up:1.6r"),
                    [.. d.People.Select(p => (IReadOnlyList<object?>)[p.Name, At(p.FirstAt), At(p.LastAt), (double)p.Entries, (double)p.Begun, (double)p.Accepted, (double)p.GivenUp])]),
                new(Words["places"], Columns("place:2", "space:3", "begun:1.4r", "accepted:1.4r", "given-up:1.6r", "then:1.8r", "planned:1.4r"),
                    [.. d.Places.Select(p => (IReadOnlyList<object?>)[p.Code, p.SpaceName, (double)p.Begun, (double)p.Accepted, (double)p.GivenUp, (double)p.AcceptedByThen, (double)p.Planned])]),
                new(Words["blocks"], Columns("why:3", "place:2", "since:2.2", "lifted:2.2", "hours:1.2r", "hours-all:1.6r", "note:4", "by:2"),
                    [.. d.Blocks.Select(b => (IReadOnlyList<object?>)[Words.Term("block", b.Reason), b.Place ?? Words["whole"], On(b.Since), b.LiftedAt is { } l ? On(l) : null, b.Hours, b.HoursInAll, b.Note, b.By])]),
                new(Words["delays"], Columns("why:3", "at:1.4", "minutes:1.4r", "note:5", "by:2"),
                    [.. d.Delays.Select(x => (IReadOnlyList<object?>)[Words.Term("delay", x.Reason), At(x.At), (double?)x.Minutes, x.Note, x.By])]),
                new(Words["waiting"], Columns("end:4", "state:4"), [.. d.Waiting.Select(w => (IReadOnlyList<object?>)[w.Address, Words.Term("status", w.Status)])]),
            ], Words["foot"])
        {
            Pictures = (Words["photos"], photos),
        };
    }

    public static Paper Progress(DossierSource s, ProgressInvoice p) => new(
        Words["progress"],
        [
            $"{s.Company} · {s.Customer}, {s.Site}{(s.Number.Length > 0 ? $" · {s.Number}" : "")}", Words.Say("from-to", ("from", Text(p.From)), ("to", Text(p.To))),
            Words.Say("amount", ("amount", Money(p.Amount)), ("before", Money(p.Before)), ("currency", p.Currency)), .. p.Unpriced > 0 ? [Words.Say("unpriced", ("count", p.Unpriced))] : Array.Empty<string>(), Words["taken-off"],
        ],
        [
            new(Words["lines"], Columns("kind:5", "planned:1.2r", "before:1.4r", "in-time:1.4r", "price:1.4r", "sum:1.6r"),
                [.. p.Lines.Select(l => (IReadOnlyList<object?>)[$"{Words.Term("form", l.Form)}/{l.Polish} {Words.Term("mode", l.Mode)}, {Words.Term("method", l.Method)}", (double)l.Planned, (double)l.AcceptedBefore, (double)l.Accepted, (double?)l.Price, (double?)l.Amount])]),
        ], Words["no-invoice"]);

    public static Paper Hours(string company, LocalDate from, LocalDate to, IReadOnlyList<WorkedDay> days) => new(
        Words["hours-title"], [company, Words.Say("from-to", ("from", Text(from)), ("to", Text(to))), Words["hours-text"]],
        [
            new(Words["days"], Columns("person:3", "crew:2", "date:1.7", "entries:1.2r", "accepted:1.3r", "counted:1.5r", "hours:1.2r", "note:3"),
                [.. days.OrderBy(d => d.Name, StringComparer.Ordinal).ThenBy(d => d.Day).Select(d => (IReadOnlyList<object?>)[d.Name, d.CrewName, Text(d.Day), (double)d.Entries, (double)d.Accepted, Hours(d.Minutes), Hours(d.CountedMinutes), d.Note])]),
            new(Words["sums"], Columns("person:4", "days:1.4r", "hours:1.4r"),
                [.. days.GroupBy(d => d.PersonId).OrderBy(g => g.First().Name, StringComparer.Ordinal).Select(g => (IReadOnlyList<object?>)[g.First().Name, (double)g.Count(), Hours(g.Sum(d => d.CountedMinutes))])]),
        ], Words["foot"]);

    private static double Hours(int minutes) => Math.Round(minutes / 60.0, 2);

    private static string Money(decimal amount) => amount.ToString("#,0.00", CultureInfo.InvariantCulture);

    /// <param name="columns">Word and share of the width, with an r behind where numbers stand to the right.</param>
    private static IReadOnlyList<PaperColumn> Columns(params string[] columns) =>
        [.. columns.Select(c => c.Split(':')).Select(c => new PaperColumn(Words[c[0]], double.Parse(c[1].TrimEnd('r'), CultureInfo.InvariantCulture), c[1].EndsWith('r')))];
}
