using System.Text.Json.Serialization;
using Rhabdon.Core.Fiber;

namespace Rhabdon.Core.Connectors;

public enum ConnectorForm
{
    [JsonStringEnumMemberName("SC")] SC,
    [JsonStringEnumMemberName("LC")] LC,
    [JsonStringEnumMemberName("ST")] ST,
    [JsonStringEnumMemberName("FC")] FC,
    [JsonStringEnumMemberName("MPO")] MPO,
    [JsonStringEnumMemberName("hardened-drop")] HardenedDrop,
}

public enum Polish
{
    [JsonStringEnumMemberName("PC")] PC,
    [JsonStringEnumMemberName("UPC")] UPC,
    [JsonStringEnumMemberName("APC")] APC,
}

public enum TerminationMethod
{
    HeatCuredEpoxy,
    ColdCure,
    HotMelt,
    CamLocked,
    WedgeLocked,
    PlungerLocked,
    HardenedDrop,
    SpliceOn,
    PigtailSplice,
}

/// <summary>What goes on one end.</summary>
/// <param name="StubClass">Class of the factory stub inside a no-polish, splice-on or pigtail connector; null where the cable's own glass fills the ferrule.</param>
public sealed record ConnectorSpec(ConnectorForm Form, Polish Polish, FiberMode Mode, TerminationMethod Method, FiberClass? StubClass);

/// <summary>The cable as far as a connector cares.</summary>
public sealed record CableSpec(FiberClass FiberClass, CableConstruction Construction);

/// <summary>What the panel's adapters take.</summary>
/// <param name="Angled">True for adapters meant for APC connectors.</param>
public sealed record PanelSpec(ConnectorForm AdapterForm, bool Angled);
