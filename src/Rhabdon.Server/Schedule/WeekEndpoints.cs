using System.Globalization;
using System.Security.Claims;
using System.Text;
using Rhabdon.Core;
using Rhabdon.Core.Connectors;
using Rhabdon.Core.Planning;
using Rhabdon.Core.Scheduling;
using Rhabdon.Server.Accounts;
using Rhabdon.Server.Web;
using Rhabdon.Store;

namespace Rhabdon.Server.Schedule;

/// <param name="Minutes">Of now, counted from the week's midnight at the site; below 0 before it.</param>
/// <param name="Plan">Null before there is one.</param>
/// <param name="Work">What the plan is of; null before there is one.</param>
/// <param name="Before">Where what is wished for cannot be: how it lay in the last plan that holds, which is what people are told.</param>
/// <param name="Fault">Why there is none: week-empty, or what is wrong.</param>
public sealed record WeekView(
    LocalDate Monday, string TimeZone, int Minutes, WeekStage? Stage, WeekWishes Wishes, WeekWork? Work, KeptPlan? Plan, string? AskedBy, Instant? AskedAt, string? Fault, IReadOnlyList<WeekHand> Hands, WeekFigures Figures, int Version, IReadOnlyList<MethodTime> Times, OpeningTime? Opening, IReadOnlyList<PlannedTask> Before);

/// <param name="Seconds">At most, 1 to 120; left out, 20.</param>
public sealed record WeekPlanAsk(WeekWishes? Wishes = null, double? Seconds = null);

/// <param name="Version">Of the figures as you saw them; 0 where the usual ones hold.</param>
public sealed record WeekFiguresChange(int Version, WeekFigures Figures);

/// <summary>What is planned for one.</summary>
/// <param name="TimeZone">Of the site's clock that the week goes by.</param>
public sealed record MyTask(WeekLabel Label, string TimeZone, IReadOnlyList<MyStretch> Stretches);

/// <param name="Attended">One is at it oneself.</param>
public sealed record MyStretch(Instant From, Instant To, bool Attended);

/// <param name="LeavesAtMin">Of the day, by the site's clock; null where you do not work on that day and none was asked for.</param>
/// <param name="Fit">Null without a time at which you leave.</param>
/// <param name="LearnedOf">Connectors that the minutes were learned of; 0 where they are assumed.</param>
public sealed record LeaveFit(int? LeavesAtMin, BatchFit? Fit, double EachMin, int LearnedOf);

/// <summary>The week: who does what where, and will it be done.</summary>
public static class WeekEndpoints
{
    private const double UsualSeconds = 20, MostSeconds = 120;

    private const int MostWishes = 2000, MostEnds = 96;

    public static void MapWeek(this RouteGroupBuilder api)
    {
        api.MapGet("/week", Find).RequireAuthorization(Policies.Plan).WithSummary("A week's plan: who does what where, whether it will be done, what binds. on: a day of it; left out, today or, where nothing is left of its week, the next. Minutes are counted from the week's Monday, midnight at the site of the job that is due first.");
        api.MapPost("/week/{monday}/plan", Plan).RequireAuthorization(Policies.Plan).WithSummary("Ask for a plan of a week: what has happened is out of it, what was wished for holds, the rest is planned. It is worked out in the background; ask for it again to see the best so far.");
        api.MapPost("/week/{monday}/stop", Stop).RequireAuthorization(Policies.Plan).WithSummary("Stop, and keep the best so far.");
        api.MapPut("/week/figures", Change).RequireAuthorization(Policies.Plan).WithSummary("Set hours, people's days off and methods, shared tools and what work takes that no connector is. Where they have changed since the version that you saw, nothing is done: 409.").Produces<ApiProblem>(409);
        api.MapGet("/week/mine", Mine).RequireAuthorization(Policies.Work).WithSummary("What is planned for you, from today on.");
        api.MapGet("/week/fit", Fit).RequireAuthorization(Policies.Work).WithSummary("The largest batch of yours that is cured, looked at and tested before you leave. at: what the site's clock shows, as 2026-12-01T15:10; until: when you leave, as 16:30; left out, the end of your hours.");
        api.MapGet("/week/mine/calendar", Calendar).RequireAuthorization(Policies.Work).WithSummary("The same as a calendar file (iCalendar, RFC 5545).").Produces(200, contentType: "text/calendar");
    }

    private static LocalDate MondayOf(LocalDate day) => day.PlusDays(1 - (int)day.DayOfWeek);

    private static LocalDate Monday(string monday) => QueryWords.Day("monday", monday) is { } day && day.DayOfWeek == IsoDayOfWeek.Monday ? day : throw new ApiException(400, Refusal.Of("monday-shape", "monday"));

    private static async Task<WeekView> Find(ClaimsPrincipal user, Weeks weeks, TimeProvider clock, CancellationToken cancel, string? on = null)
    {
        var zone = await weeks.Zone(user.Scope().CompanyId, cancel);
        var monday = QueryWords.Day("on", on) is { } day ? MondayOf(day) : WeekWorks.MondayAt(SiteDates.Local(clock.GetCurrentInstant(), zone), (await weeks.Figures(user.Scope().CompanyId, cancel)).Figures);
        return await View(monday, zone, All(user), weeks, clock, cancel);
    }

    /// <exception cref="ApiException">A script that is held to some jobs is told nothing of the others' days.</exception>
    private static Scope All(ClaimsPrincipal user) => user.Scope() is { Jobs: null } scope ? scope : throw new ApiException(403, Refusal.Of("token-other-job", "path"));

    private static async Task<WeekView> View(LocalDate monday, string zone, Scope scope, Weeks weeks, TimeProvider clock, CancellationToken cancel)
    {
        var (figures, version) = await weeks.Figures(scope.CompanyId, cancel);
        var found = await weeks.Find(scope.CompanyId, monday, cancel);
        var times = await weeks.Times(scope.CompanyId, cancel: cancel);
        var known = found?.Work?.Problem.Tasks.Select(t => t.Id).ToHashSet();
        IReadOnlyList<PlannedTask> before = found?.Plan?.Plan.Outcome == WeekOutcome.Impossible ? [.. (await weeks.Standing(scope.CompanyId, monday, cancel))?.Plan.Tasks.Where(t => known!.Contains(t.Id)) ?? []] : [];
        return new(
            monday, zone, WeekClock.Minute(monday, clock.GetCurrentInstant(), zone), found?.Stage, found?.Wishes ?? WeekWishes.None, found?.Work, found?.Plan, found?.AskedByName, found?.AskedAt, found?.Fault, await weeks.Hands(scope.CompanyId, cancel), figures, version,
            times.Methods, times.Opening, before);
    }

    private static async Task<WeekView> Plan(string monday, WeekPlanAsk r, ClaimsPrincipal user, Weeks weeks, WeekMaker maker, TimeProvider clock, CancellationToken cancel)
    {
        var (scope, day) = (All(user), Monday(monday));
        var wishes = r.Wishes ?? (await weeks.Find(scope.CompanyId, day, cancel))?.Wishes ?? WeekWishes.None;
        new Input().Require(r.Seconds is null or (>= 1 and <= MostSeconds), Refusal.Of("figure-range", "seconds", ("least", 1), ("most", MostSeconds)))
            .Require(wishes.Pins.Count <= MostWishes && wishes.Pins.All(p => p.Key.Length <= 100 && (p.Value.Start is null or (>= 0 and <= WeekProblem.MostMinutes)) && (p.Value.People?.Count ?? 0) <= 10), Refusal.Of("figure-range", "wishes.pins", ("least", 0), ("most", MostWishes)))
            .Require(wishes.Closed.Count <= MostWishes && wishes.Closed.All(x => x.Key.Length <= 100 && x.Value is >= 0 and <= WeekProblem.MostMinutes), Refusal.Of("figure-range", "wishes.closed", ("least", 0), ("most", WeekProblem.MostMinutes))).ThrowIfBad();
        await weeks.Ask(scope.CompanyId, day, wishes, r.Seconds ?? UsualSeconds, scope.PersonId, clock.GetCurrentInstant(), cancel);
        maker.Wake();
        return await View(day, await weeks.Zone(scope.CompanyId, cancel), scope, weeks, clock, cancel);
    }

    private static async Task<WeekView> Stop(string monday, ClaimsPrincipal user, Weeks weeks, TimeProvider clock, CancellationToken cancel)
    {
        var day = Monday(monday);
        await weeks.Stop(user.Scope().CompanyId, day, cancel);
        return await View(day, await weeks.Zone(user.Scope().CompanyId, cancel), All(user), weeks, clock, cancel);
    }

    private static async Task<WeekFiguresChange> Change(WeekFiguresChange r, ClaimsPrincipal user, Weeks weeks, TimeProvider clock, CancellationToken cancel)
    {
        r.Figures.Check();
        var scope = user.Scope();
        var saved = await weeks.Save(scope.CompanyId, scope.PersonId, r.Figures, r.Version, clock.GetCurrentInstant(), cancel);
        var (figures, version) = await weeks.Figures(scope.CompanyId, cancel);
        return saved ? new(version, figures) : throw new ApiException(409, Refusal.Of("changed-meanwhile", "version", ("what", "figures"))) { Current = new WeekFiguresChange(version, figures) };
    }

    private static async Task<IReadOnlyList<MyTask>> Mine(ClaimsPrincipal user, Weeks weeks, TimeProvider clock, CancellationToken cancel)
    {
        var scope = user.Scope();
        var zone = await weeks.Zone(scope.CompanyId, cancel);
        var today = SiteDates.On(clock.GetCurrentInstant(), zone);
        var (midnight, _) = SiteDates.Bounds(today, zone);
        var (me, mine, seen) = (scope.PersonId.ToString(), new List<MyTask>(), new HashSet<string>());
        // The newer plan holds for what both have.
        foreach (var monday in new[] { MondayOf(today).PlusDays(7), MondayOf(today) })
        {
            if (await weeks.Standing(scope.CompanyId, monday, cancel) is not { } standing)
            {
                continue;
            }

            var (work, plan) = standing;
            Instant At(int minute) => WeekClock.At(monday, minute, zone);
            var labels = work.Labels.ToDictionary(l => l.Id);
            var tasks = work.Problem.Tasks.ToDictionary(t => t.Id);
            mine.AddRange(plan.Tasks.Where(t => t.People.Contains(me) && labels.ContainsKey(t.Id) && seen.Add($"{t.Id}"))
                .Select(t => new MyTask(labels[t.Id], zone, [.. t.Stretches.Zip(tasks[t.Id].Stretches, (s, x) => new MyStretch(At(s.From), At(s.To), x.Attended)).Where(s => s.To > midnight)])).Where(t => t.Stretches.Count > 0));
        }

        return [.. mine.OrderBy(t => t.Stretches[0].From)];
    }

    private static async Task<LeaveFit> Fit(ClaimsPrincipal user, Weeks weeks, Kits kits, CancellationToken cancel, string? method = null, int? ends = null, string? at = null, string? until = null)
    {
        var scope = user.Scope();
        var work = QueryWords.Choice<TerminationMethod>("method", method) ?? throw new ApiException(400, Refusal.Of("missing", "method"));
        var now = NodaTime.Text.LocalDateTimePattern.CreateWithInvariantCulture("uuuu-MM-dd'T'HH:mm").Parse(at ?? "") is { Success: true, Value: var a } ? a : throw new ApiException(400, Refusal.Of("time-shape", "at"));
        LocalTime? asked = string.IsNullOrEmpty(until) ? null : NodaTime.Text.LocalTimePattern.CreateWithInvariantCulture("HH:mm").Parse(until) is { Success: true, Value: var u } ? u : throw new ApiException(400, Refusal.Of("time-shape", "until"));
        new Input().Require(ends is >= 1 and <= MostEnds, Refusal.Of("figure-range", "ends", ("least", 1), ("most", MostEnds))).ThrowIfBad();
        var leaves = asked ?? WeekWorks.Leaves(scope.PersonId, (await weeks.Figures(scope.CompanyId, cancel)).Figures, now.Date);
        var (fit, each, count) = BatchFits.Of(ends!.Value, leaves is { } then ? Math.Max(0, Period.Between(now, now.Date + then, PeriodUnits.Minutes).Minutes) : 0, work, scope.PersonId, await weeks.Times(scope.CompanyId, scope.PersonId, cancel), (await kits.Figures(scope.CompanyId, cancel)).Figures);
        return new(leaves is { } l ? (l.Hour * 60) + l.Minute : null, leaves is null ? null : fit, each, count);
    }

    private static async Task<IResult> Calendar(ClaimsPrincipal user, Weeks weeks, TimeProvider clock, CancellationToken cancel)
    {
        var words = new PaperWords("day");
        var text = new StringBuilder("BEGIN:VCALENDAR\r\nVERSION:2.0\r\nPRODID:-//Rhabdon//Week//EN\r\n");
        static string Time(Instant at) => at.ToDateTimeUtc().ToString("yyyyMMdd'T'HHmmss'Z'", CultureInfo.InvariantCulture);
        // RFC 5545: commas, semicolons, backslashes and new lines are written with a backslash.
        static string Plain(string t) => t.Replace("\\", "\\\\", StringComparison.Ordinal).Replace(";", "\\;", StringComparison.Ordinal).Replace(",", "\\,", StringComparison.Ordinal).Replace("\n", "\\n", StringComparison.Ordinal);
        foreach (var task in await Mine(user, weeks, clock, cancel))
        {
            // Counted from the last: what is behind one is listed no more, and what is ahead stays the same entry of a calendar that reads this again.
            foreach (var (i, s) in task.Stretches.Where(s => s.Attended).Reverse().Index().Reverse())
            {
                text.Append(CultureInfo.InvariantCulture, $"BEGIN:VEVENT\r\nUID:{task.Label.Id}-{i}@rhabdon\r\nDTSTAMP:{Time(clock.GetCurrentInstant())}\r\nDTSTART:{Time(s.From)}\r\nDTEND:{Time(s.To)}\r\n");
                Folded($"SUMMARY:{Plain(words.Say($"week.{Wire.Name(task.Label.Kind)}", ("ends", task.Label.Ends), ("place", task.Label.Place)))}");
                Folded($"LOCATION:{Plain($"{task.Label.Customer}, {task.Label.Space}")}");
                text.Append("END:VEVENT\r\n");
            }
        }

        return Results.Bytes(Encoding.UTF8.GetBytes(text.Append("END:VCALENDAR\r\n").ToString()), "text/calendar", "week.ics");

        // No line is longer than 75 bytes; the next begins with a space.
        void Folded(string line)
        {
            var bytes = 0;
            foreach (var rune in line.EnumerateRunes())
            {
                if (bytes + rune.Utf8SequenceLength > 74)
                {
                    text.Append("\r\n ");
                    bytes = 1;
                }

                text.Append(rune.ToString());
                bytes += rune.Utf8SequenceLength;
            }

            text.Append("\r\n");
        }
    }
}
