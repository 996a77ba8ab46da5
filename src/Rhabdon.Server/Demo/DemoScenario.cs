using Rhabdon.Core.Connectors;
using Rhabdon.Core.Fiber;
using Rhabdon.Core.Ledger;
using Rhabdon.Store;

namespace Rhabdon.Server.Demo;

/// <summary>The invented demo, as written in demo/*.yaml.</summary>
public sealed record DemoScenario(
    int Seed, DateTimeOffset StartsAt, string Company, string Password, IReadOnlyList<string> Crews, IReadOnlyList<DemoPerson> People, IReadOnlyList<DemoJob> Jobs);

public sealed record DemoPerson(string Login, string Name, Role Role, string? Crew = null);

public sealed record DemoJob(
    string Customer, string Site, string TimeZone, string DueOn, string LimitSetId, string Crew, IReadOnlyList<DemoSpace> Spaces,
    IReadOnlyList<DemoPanel> Panels, IReadOnlyList<DemoCable> Cables, IReadOnlyList<DemoRow> Rows, IReadOnlyList<string>? Viewers = null);

public sealed record DemoSpace(string Code, string Name);

public sealed record DemoPanel(string Code, string Space, int Ports, ConnectorForm Form, bool Angled);

public sealed record DemoCable(string Code, FiberClass FiberClass, CableConstruction Construction, int StrandCount, double LengthM, double SlackAMm, double SlackBMm, int UnitSize = Strands.PerUnit);

/// <summary>One side of a cable on one panel, strand by strand.</summary>
/// <param name="By">Who works it.</param>
/// <param name="Stories">How it went, as in "accepted 7": the next seven strands went well.</param>
public sealed record DemoRow(
    string Cable, CableSide Side, string Panel, ConnectorForm Form, Polish Polish, FiberMode Mode, TerminationMethod Method, string By, IReadOnlyList<string> Stories, FiberClass? StubClass = null);
