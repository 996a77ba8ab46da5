using NodaTime.Text;
using Rhabdon.Core.Connectors;
using Rhabdon.Core.Fiber;
using Rhabdon.Core.Ledger;
using Rhabdon.Store;

namespace Rhabdon.Server.Demo;

/// <summary>The invented demo, as written in demo/*.yaml.</summary>
public sealed record DemoScenario(
    int Seed, Instant StartsAt, string Company, string Password, IReadOnlyList<string> Crews, IReadOnlyList<DemoPerson> People, IReadOnlyList<DemoJob> Jobs,
    IReadOnlyList<DemoKit> Kit, string MissesAShard, DemoYear? Year = null)
{
    /// <summary>Days that the story takes.</summary>
    private const int Lasts = 3;

    /// <summary>The same story, moved by whole weeks so that it was told of late: pace and due dates are worth something only near today.</summary>
    public DemoScenario Near(Instant now)
    {
        var weeks = Math.Max(0, (int)Math.Floor((now - StartsAt - Duration.FromDays(Lasts)).TotalDays / 7));
        return this with
        {
            StartsAt = StartsAt + Duration.FromDays(7 * weeks),
            Jobs = [.. Jobs.Select(j => j.Later(weeks))],
            Year = Year is { } y ? y with { Job = y.Job.Later(weeks) } : null,
        };
    }
}

/// <summary>The year before, as jobs that are done: each week one of each crew, one cable with both sides, by wedge on the one and by cold-cure on the other.</summary>
/// <param name="Crew">One more.</param>
/// <param name="By">Who works, one of each crew.</param>
/// <param name="UsualBad">How often a connector is not good at once where nothing is wrong.</param>
/// <param name="Job">What the new crew is at this week: connectors that are not good, each for another reason.</param>
/// <param name="LotWeeks">How long a lot of adhesive lasts; all crews open the same.</param>
public sealed record DemoYear(
    int Weeks, string Crew, IReadOnlyList<DemoPerson> People, IReadOnlyList<string> By, IReadOnlyList<string> Sites, int Strands, double UsualBad, int LotWeeks, IReadOnlyList<DemoFault> Faults, IReadOnlyList<DemoKit> Tools, DemoJob Job)
{
    /// <summary>How often a connector goes back, by who makes it of what: what is wrong with it worst.</summary>
    public double BadOf(string crew, int week, TerminationMethod method, string lot, string tool) => Faults.Where(f =>
        (f.Crew is null || f.Crew == crew) && (f.Method is null || f.Method == method) && week >= f.FromWeek
        && (f.Lot is null || (f.Lot == lot && method == TerminationMethod.ColdCure)) && (f.Tool is null || (f.Tool == tool && method == TerminationMethod.WedgeLocked)))
        .Select(f => f.Bad).Append(UsualBad).Max();

    public string LotOf(int week) => $"AD-{100 + (week / LotWeeks)}";
}

/// <summary>Something that is wrong, for the charts to find.</summary>
public sealed record DemoFault(double Bad, string? Tool = null, string? Lot = null, string? Crew = null, TerminationMethod? Method = null, int FromWeek = 0);

/// <summary>A tool, an instrument, or a lot where it is neither.</summary>
public sealed record DemoKit(
    string By, string Name, string? Number = null, ToolKind? Tool = null, InstrumentKind? Instrument = null, int Arcs = 0, int ArcsSinceCharge = 0, int Cleaves = 0, double? RepeatabilityDb = null, LocalDate? CalibratedOn = null, LocalDate? UseBy = null, string? Certificate = null);

public sealed record DemoAssignment(string Panel, string To);

public sealed record DemoModule(string Code, string Panel, FiberClass FiberClass, int Fibers, ConnectorForm RearForm, ConnectorForm FrontForm, double? LossDb = null);

public sealed record DemoPerson(string Login, string Name, Role Role, string? Crew = null);

public sealed record DemoJob(
    string Customer, string Site, string TimeZone, string DueOn, string LimitSetId, string Crew, IReadOnlyList<DemoSpace> Spaces,
    IReadOnlyList<DemoPanel> Panels, IReadOnlyList<DemoCable> Cables, IReadOnlyList<DemoRow> Rows, IReadOnlyList<string>? Viewers = null,
    string? Number = null, IReadOnlyList<DemoModule>? Modules = null, IReadOnlyList<DemoAssignment>? Assignments = null)
{
    internal DemoJob Later(int weeks) => this with { DueOn = LocalDatePattern.Iso.Parse(DueOn).Value.PlusWeeks(weeks).ToString("uuuu-MM-dd", null) };
}

public sealed record DemoSpace(string Code, string Name);

public sealed record DemoPanel(string Code, string Space, int Ports, ConnectorForm Form, bool Angled, double ReachMm = 0, int LoopTurns = 0);

public sealed record DemoCable(string Code, FiberClass FiberClass, CableConstruction Construction, int StrandCount, double LengthM, double SlackAMm, double SlackBMm, int UnitSize = Strands.PerUnit,
    double? DiameterMm = null, double? OrderedLengthMm = null, double? OrderedToleranceMm = null);

/// <summary>One side of a cable on one panel, strand by strand.</summary>
/// <param name="By">Who works it.</param>
/// <param name="Stories">How it went, as in "accepted 7": the next seven strands went well.</param>
public sealed record DemoRow(
    string Cable, CableSide Side, string? Panel, ConnectorForm Form, Polish Polish, FiberMode Mode, TerminationMethod Method, string By, IReadOnlyList<string> Stories, FiberClass? StubClass = null);
