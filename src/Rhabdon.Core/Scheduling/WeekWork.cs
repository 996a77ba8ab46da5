using Rhabdon.Core.Connectors;
using Rhabdon.Core.Kit;

namespace Rhabdon.Core.Scheduling;

/// <summary>When somebody works, where that is otherwise than usual.</summary>
/// <param name="Away">Days on which they do not.</param>
/// <param name="FromMin">Of the day; null for the usual, as <paramref name="ToMin"/>.</param>
/// <param name="Methods">Which they can; null for all.</param>
public sealed record PersonWeek(PersonId PersonId, IReadOnlyList<LocalDate>? Away = null, int? FromMin = null, int? ToMin = null, IReadOnlyList<TerminationMethod>? Methods = null);

/// <summary>How a company's weeks are: hours, tools that are shared, and what work takes that no connector is. Minutes.</summary>
/// <param name="FromMin">Of the day, by the site's clock; <paramref name="ToMin"/>: its end; in between, the break.</param>
/// <param name="BatchEnds">The most in one batch.</param>
/// <param name="OpenMin">To open, fan out and dress a cable end of 24 strands, where the ledger does not say it (assumption).</param>
/// <param name="TestMin">To test a connector's link, from one to the next (assumption).</param>
/// <param name="ParkedSource">A source is parked at the far end, and one person is enough; else a test binds two.</param>
/// <param name="WayMin">From one space to another of a site.</param>
public sealed record WeekFigures(
    int FromMin, int ToMin, int BreakFromMin, int BreakToMin, IReadOnlyList<IsoDayOfWeek> Days, int BatchEnds, int OpenMin, double TestMin, bool ParkedSource, int WayMin, IReadOnlyList<WeekTool> Tools, IReadOnlyList<PersonWeek> People)
{
    /// <summary>Assumptions (ours), until a company says otherwise.</summary>
    public static readonly WeekFigures Usual = new(
        450, 990, 720, 750, [IsoDayOfWeek.Monday, IsoDayOfWeek.Tuesday, IsoDayOfWeek.Wednesday, IsoDayOfWeek.Thursday, IsoDayOfWeek.Friday], 12, 75, 2, true, 10,
        [new(WeekWorks.Oven, 1), new(WeekWorks.Splicer, 1), new(WeekWorks.Meter, 2), new(WeekWorks.Scope, 2), new(WeekWorks.Plate, 4)], []);

    /// <summary>With every kind of tool: of one that a company has not counted yet there are as many as usual.</summary>
    public WeekFigures Whole() => this with { Tools = [.. WeekWorks.Kinds.Select(k => Tools.FirstOrDefault(t => t.Kind == k) ?? Usual.Tools.First(t => t.Kind == k))] };

    /// <exception cref="RefusedException">A figure cannot be; each by its field.</exception>
    public void Check()
    {
        var f = new Figures().Within("fromMin", FromMin, 0, 1380).Within("toMin", ToMin, FromMin + 60, 1440).Within("breakFromMin", BreakFromMin, FromMin, ToMin).Within("breakToMin", BreakToMin, BreakFromMin, ToMin)
            .Require(Days.Count is > 0 and <= 7 && Days.Distinct().Count() == Days.Count && !Days.Contains(IsoDayOfWeek.None), Refusal.Of("figure-range", "days", ("least", 1), ("most", 7)))
            .Within("batchEnds", BatchEnds, 1, 48).Within("openMin", OpenMin, 0, 480).Within("testMin", TestMin, 0.1, 60).Within("wayMin", WayMin, 0, 240)
            .Require(Tools.Count <= 10 && Tools.All(t => WeekWorks.Kinds.Contains(t.Kind)) && Tools.DistinctBy(t => t.Kind).Count() == Tools.Count, Refusal.Of("unknown-choice", "tools", ("name", "kind"), ("choices", string.Join(", ", WeekWorks.Kinds))))
            .Require(People.Count <= WeekProblem.MostPeople && People.DistinctBy(p => p.PersonId).Count() == People.Count && People.All(p => (p.Away?.Count ?? 0) <= 100), Refusal.Of("figure-range", "people", ("least", 0), ("most", WeekProblem.MostPeople)));
        foreach (var (i, t) in Tools.Index())
        {
            f.Within($"tools[{i}].count", t.Count, 0, 100);
        }

        foreach (var (i, p) in People.Index())
        {
            f.Within($"people[{i}].fromMin", p.FromMin ?? 0, 0, 1440).Within($"people[{i}].toMin", p.ToMin ?? 1440, p.FromMin ?? 0, 1440);
        }

        f.ThrowIfBad();
    }
}

/// <summary>What is left to do on a panel.</summary>
/// <param name="ToMake">Connectors that nobody has begun, or that have to be made again.</param>
/// <param name="ToTest">Made, and not accepted.</param>
/// <param name="Opened">Somebody has begun there.</param>
/// <param name="Blocked">Work cannot begin: it is left out until that is lifted.</param>
/// <param name="PersonId">Whose it is by name; null where it is the whole crew's.</param>
public sealed record PanelWork(
    JobId JobId, string Customer, PlaceId PlaceId, string Place, string Space, TerminationMethod Method, int ToMake, int ToTest, bool Opened, bool Blocked, LocalDate DueOn, CrewId CrewId, PersonId? PersonId);

public sealed record WeekHand(PersonId PersonId, string Name, CrewId CrewId);

/// <summary>What hands take for a connector: learned of the company's own, else assumed.</summary>
/// <param name="Count">Connectors that it was learned of; 0 where it is assumed.</param>
/// <param name="SdMinutes">From one connector to another.</param>
public sealed record MethodTime(TerminationMethod Method, double Minutes, double SdMinutes, int Count);

/// <summary>The same of one person, where the company names people.</summary>
public sealed record PersonTime(PersonId PersonId, TerminationMethod Method, double Minutes, int Count);

/// <summary>What it takes to open, fan out and dress a cable end of 24 strands: from the last act elsewhere on that day to the first one there.</summary>
public sealed record OpeningTime(double Minutes, int Count);

/// <summary>What the company's own ledger says that work takes.</summary>
public sealed record LearnedTimes(IReadOnlyList<MethodTime> Methods, IReadOnlyList<PersonTime> People, OpeningTime? Opening)
{
    public static readonly LearnedTimes None = new([], [], null);

    /// <summary>Connectors that everybody's time weighs beside one's own, so that few of one's own say little (ours).</summary>
    private const int Others = 24;

    /// <summary>How many times as long as everybody's it takes this person; 1 where that is not known.</summary>
    public double Pace(PersonId person, TerminationMethod method) =>
        Methods.FirstOrDefault(m => m.Method == method) is { Minutes: > 0 } all && People.FirstOrDefault(p => p.PersonId == person && p.Method == method) is { } own
            ? Math.Clamp(((own.Minutes * own.Count) + (all.Minutes * Others)) / (own.Count + Others) / all.Minutes, 0.5, 2) : 1;
}

public enum WeekWorkKind
{
    /// <summary>Connectors are made.</summary>
    Make,
    /// <summary>What is made is tested and accepted.</summary>
    Test,
}

/// <summary>What a task of a week is, for those who read it.</summary>
public sealed record WeekLabel(string Id, WeekWorkKind Kind, JobId JobId, string Customer, PlaceId PlaceId, string Place, string Space, TerminationMethod Method, int Ends, CrewId CrewId);

public enum WeekWait
{
    /// <summary>Work cannot begin: somebody said why.</summary>
    Blocked,
    /// <summary>Nobody can: the crew has no hands, or none of them this method.</summary>
    Nobody,
    /// <summary>What is due before fills these weeks.</summary>
    Later,
}

public sealed record WaitingWork(PanelWork Work, WeekWait Because);

/// <param name="Waiting">Panels that are in no plan.</param>
public sealed record WeekWork(WeekProblem Problem, IReadOnlyList<WeekLabel> Labels, IReadOnlyList<WaitingWork> Waiting);

/// <summary>A week's tasks, from what is left to do: batches with what hands take and what cures by itself, then the test of what was made.</summary>
public static class WeekWorks
{
    public const string Oven = "oven", Splicer = "splicer", Meter = "meter", Scope = "scope", Plate = "plate";

    public static readonly IReadOnlyList<string> Kinds = [Oven, Splicer, Meter, Scope, Plate];

    /// <summary>The Monday of the week that is looked at: on its last evening, and on a weekend, the next.</summary>
    public static LocalDate MondayAt(LocalDateTime now, WeekFigures figures)
    {
        var monday = now.Date.PlusDays(1 - (int)now.DayOfWeek);
        var left = figures.Days.Any(d => d > now.DayOfWeek || (d == now.DayOfWeek && (now.Hour * 60) + now.Minute < figures.ToMin));
        return left ? monday : monday.PlusDays(7);
    }

    /// <summary>Days that a plan is filled with: what does not fit into the week is seen behind it, and what does not fit into these waits.</summary>
    public const int DaysAhead = 21;

    /// <summary>Days of which hours are known: with these behind them all that a plan takes in finds a time (ours).</summary>
    private const int DaysKnown = 42;

    /// <summary>Of the hours of these days, what can be worked: half days are never filled to the minute (ours).</summary>
    private const double Filled = 0.8;

    /// <summary>Of what hands take for a connector with adhesive, before it cures (ours).</summary>
    private const double BeforeCure = 0.5;

    /// <summary>Hours that are shorter are not planned with, in minutes (ours).</summary>
    private const int LeastHalfDay = 60;

    /// <summary>That hands are at one batch at most (ours).</summary>
    private const int MostHalfDays = 4;

    private const int Day = 24 * 60;

    /// <param name="monday">The plan's beginning, midnight at the site.</param>
    /// <param name="nowMin">Nothing begins before, as what has happened has; 0 for a week to come.</param>
    /// <param name="closed">Spaces that are closed until a minute of the plan.</param>
    public static WeekWork Of(
        IReadOnlyList<PanelWork> panels, IReadOnlyList<WeekHand> hands, LearnedTimes times, CompanyFigures company, WeekFigures figures, LocalDate monday, int nowMin, IReadOnlyDictionary<string, int> closed, IReadOnlyDictionary<string, WeekPin> pins)
    {
        var tasks = new List<WeekTask>();
        var labels = new List<WeekLabel>();
        var waiting = new List<WaitingWork>();
        var hoursOf = hands.ToDictionary(h => h.PersonId, h => Hours(h.PersonId, figures, monday));
        // Minutes that each still has in these days, and what is planned for those who share them.
        var openMin = times.Opening?.Minutes ?? figures.OpenMin;
        var room = hands.ToDictionary(h => h.PersonId, h => Filled * hoursOf[h.PersonId].Where(x => x.To > nowMin && x.From < DaysAhead * Day).Sum(x => x.To - Math.Max(x.From, nowMin)));
        foreach (var panel in panels.OrderBy(p => p.DueOn).ThenBy(p => p.Place, StringComparer.Ordinal))
        {
            var p = panel;
            var able = hands.Where(h => p.PersonId is { } one ? h.PersonId == one : h.CrewId == p.CrewId)
                .Where(h => hoursOf[h.PersonId].Any(x => x.To - Math.Max(x.From, nowMin) >= LeastHalfDay) && (figures.People.FirstOrDefault(x => x.PersonId == h.PersonId)?.Methods is not { } can || can.Contains(p.Method))).Select(h => h.PersonId).ToList();
            if (p.Blocked || able.Count == 0)
            {
                waiting.Add(new(p, p.Blocked ? WeekWait.Blocked : WeekWait.Nobody));
                continue;
            }

            var each = times.Methods.FirstOrDefault(t => t.Method == p.Method)?.Minutes ?? company.Of(p.Method).Minutes;
            // Each part fits into anybody's half day, and a batch into a few of them.
            var most = able.Min(a => (int)(hoursOf[a].Max(x => x.To - x.From) / Math.Max(1, times.Pace(a, p.Method))));
            var all = able.Average(a => times.Pace(a, p.Method)) * each;
            var inBatch = Math.Clamp((int)(MostHalfDays * most / each), 1, figures.BatchEnds);
            var before = (p.Opened ? 0 : openMin) + (p.ToTest * figures.TestMin);
            var fits = Math.Min((int)((able.Sum(a => room[a]) - before) / all), (WeekProblem.MostTasks - tasks.Count - 1) * inBatch);
            if (fits < Math.Min(p.ToMake, inBatch))
            {
                waiting.Add(new(p, WeekWait.Later));
                continue;
            }

            if (fits < p.ToMake)
            {
                // What fits is done now.
                waiting.Add(new(p with { ToMake = p.ToMake - fits, ToTest = 0 }, WeekWait.Later));
                p = p with { ToMake = fits };
            }

            foreach (var a in able)
            {
                room[a] -= (before + (p.ToMake * all)) / able.Count;
            }

            var people = able.Select(a => a.ToString()).ToList();
            var due = Math.Clamp(Period.DaysBetween(monday, p.DueOn.PlusDays(1)) * Day, 0, WeekProblem.MostMinutes);
            var from = Math.Max(nowMin, closed.GetValueOrDefault(p.Space));
            var batches = (int)Math.Ceiling((double)p.ToMake / inBatch);
            var made = new List<string>();
            for (var (n, left) = (0, p.ToMake); n < batches; n++)
            {
                var ends = (int)Math.Ceiling((double)left / (batches - n));
                left -= ends;
                var open = n == 0 && !p.Opened ? (int)Math.Ceiling(Math.Min(openMin, 2.0 * most) * Math.Min(1, p.ToMake / 24.0)) : 0;
                Add(WeekWorkKind.Make, n, ends, Stretches(p.Method, ends, Math.Max(0.5, each - figures.TestMin), open, company, most), 1, []);
                made.Add(tasks[^1].Id);
            }

            if (p.ToMake + p.ToTest > 0)
            {
                Add(WeekWorkKind.Test, 0, p.ToMake + p.ToTest, [.. Fitting((int)Math.Ceiling((p.ToMake + p.ToTest) * figures.TestMin), most).Select(m => new WeekStretch(m, Tool: Meter, Also: [Scope]))], figures.ParkedSource ? 1 : Math.Min(2, Math.Max(1, people.Count)), made);
            }

            void Add(WeekWorkKind kind, int n, int ends, IReadOnlyList<WeekStretch> stretches, int binds, IReadOnlyList<string> after)
            {
                var id = FormattableString.Invariant($"{p.PlaceId.Value:N}-{Wire.Name(p.Method)}-{(p.PersonId ?? default).Value.ToString("N")[^6..]}-{Wire.Name(kind)}-{n}");
                // Whoever left the crew since is asked for in vain: the wish goes with them.
                var pin = pins.GetValueOrDefault(id) is { } wish && (wish.Start ?? int.MaxValue) >= nowMin ? wish with { People = wish.People?.All(people.Contains) == true ? wish.People : null } : null;
                tasks.Add(new(id, stretches, null, p.Space, binds, from, due, after, people, pin, kind == WeekWorkKind.Make ? Wire.Name(p.Method) : null));
                labels.Add(new(id, kind, p.JobId, p.Customer, p.PlaceId, p.Place, p.Space, p.Method, ends, p.CrewId));
            }
        }

        var spaces = panels.Select(p => p.Space).Distinct().Order(StringComparer.Ordinal).ToList();
        return new(
            new(
                [.. hands.Select(h => new WeekPerson(h.PersonId.ToString(), hoursOf[h.PersonId], [], Paces(h.PersonId, times)))], figures.Whole().Tools, tasks,
                figures.WayMin == 0 ? [] : [.. spaces.SelectMany((a, i) => spaces.Skip(i + 1).Select(b => new Travel(a, b, figures.WayMin)))]),
            labels, waiting);
    }

    /// <summary>What cures by itself in an oven: how many at once, for how long, and how long it warms before.</summary>
    public static (bool Cures, int Slots, double CureMin, double WarmUpMin) Cure(TerminationMethod method, CompanyFigures company) => method switch
    {
        TerminationMethod.HeatCuredEpoxy => company.MixOf(method) is { } m ? (true, m.OvenSlots, m.CureMin, m.WarmUpMin) : (true, 12, 20.0, 6.0),
        TerminationMethod.HotMelt => (true, company.Melt.OvenSlots, company.Melt.HeatMin, company.Melt.WarmUpMin),
        _ => (false, 1, 0.0, 0.0),
    };

    private static Dictionary<string, double>? Paces(PersonId person, LearnedTimes times) =>
        times.People.Where(p => p.PersonId == person).ToDictionary(p => Wire.Name(p.Method), p => Math.Round(times.Pace(person, p.Method), 3)) is { Count: > 0 } paces ? paces : null;

    private static IReadOnlyList<WeekStretch> Stretches(TerminationMethod method, int ends, double each, int open, CompanyFigures company, int most)
    {
        var (cures, slots, cure, warm) = Cure(method, company);
        var tool = method is TerminationMethod.SpliceOn or TerminationMethod.PigtailSplice ? Splicer : null;
        if (method == TerminationMethod.ColdCure)
        {
            return [.. Fitting((int)Math.Ceiling(open + (ends * each * BeforeCure)), most).Select(m => new WeekStretch(m)), .. Fitting((int)Math.Ceiling(ends * each * (1 - BeforeCure)), most).Select(m => new WeekStretch(m, Tool: Plate))];
        }

        if (!cures)
        {
            return [.. Fitting(open, most).Select(m => new WeekStretch(m)), .. Fitting((int)Math.Ceiling(ends * each), most).Select(m => new WeekStretch(m, true, tool))];
        }

        var oven = (int)Math.Ceiling((Math.Ceiling((double)ends / Math.Max(1, slots)) * cure) + warm);
        return
        [
            .. Fitting((int)Math.Ceiling(open + (ends * each * BeforeCure)), most).Select(m => new WeekStretch(m)), new(oven, false, Oven), .. Fitting((int)Math.Ceiling(ends * each * (1 - BeforeCure)), most).Select(m => new WeekStretch(m, Tool: Plate)),
        ];
    }

    /// <summary>Cut so that each part is at most so long.</summary>
    private static IEnumerable<int> Fitting(int minutes, int most)
    {
        var parts = (int)Math.Ceiling((double)minutes / most);
        for (var (n, left) = (0, minutes); n < parts; n++)
        {
            var part = (int)Math.Ceiling((double)left / (parts - n));
            left -= part;
            yield return part;
        }
    }

    /// <summary>When one leaves on that day; null where one does not work.</summary>
    public static LocalTime? Leaves(PersonId person, WeekFigures figures, LocalDate day) =>
        Hours(person, figures, day).Where(h => h.From < Day).Select(h => (int?)h.To).Max() is { } to ? LocalTime.FromMinutesSinceMidnight(Math.Min(to, Day - 1)) : null;

    private static IReadOnlyList<Slot> Hours(PersonId person, WeekFigures f, LocalDate monday)
    {
        var own = f.People.FirstOrDefault(p => p.PersonId == person);
        var (from, to) = (own?.FromMin ?? f.FromMin, own?.ToMin ?? f.ToMin);
        return
        [
            .. Enumerable.Range(0, DaysKnown).Where(d => f.Days.Contains(monday.PlusDays(d).DayOfWeek) && own?.Away?.Contains(monday.PlusDays(d)) != true)
                .SelectMany(d => new[] { new Slot((d * Day) + from, (d * Day) + Math.Min(to, f.BreakFromMin)), new Slot((d * Day) + Math.Max(from, f.BreakToMin), (d * Day) + to) }).Where(s => s.To - s.From >= LeastHalfDay),
        ];
    }
}
