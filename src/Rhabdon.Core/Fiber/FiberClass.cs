using System.Text.Json.Serialization;

namespace Rhabdon.Core.Fiber;

/// <summary>Cabled fiber class of ISO/IEC 11801.</summary>
public enum FiberClass
{
    [JsonStringEnumMemberName("OM1")] OM1,
    [JsonStringEnumMemberName("OM2")] OM2,
    [JsonStringEnumMemberName("OM3")] OM3,
    [JsonStringEnumMemberName("OM4")] OM4,
    [JsonStringEnumMemberName("OM5")] OM5,
    [JsonStringEnumMemberName("OS1a")] OS1a,
    [JsonStringEnumMemberName("OS2")] OS2,
}

public enum FiberMode
{
    Multimode,
    SingleMode,
}

/// <summary>How a strand is covered where the connector goes on.</summary>
public enum CableConstruction
{
    /// <summary>Bare 250 µm coated fiber.</summary>
    [JsonStringEnumMemberName("coated-250")] Coated250,
    /// <summary>900 µm tight buffer.</summary>
    [JsonStringEnumMemberName("tight-buffer-900")] TightBuffer900,
    /// <summary>250 µm fiber in a 900 µm fan-out tube.</summary>
    [JsonStringEnumMemberName("fan-out-900")] FanOut900,
    [JsonStringEnumMemberName("cordage-1.6")] Cordage16,
    [JsonStringEnumMemberName("cordage-2.0")] Cordage20,
    [JsonStringEnumMemberName("cordage-3.0")] Cordage30,
    /// <summary>Flat 12-fiber ribbon.</summary>
    [JsonStringEnumMemberName("ribbon-12")] Ribbon12,
    /// <summary>Flat or round outdoor drop cable.</summary>
    [JsonStringEnumMemberName("drop")] Drop,
}

/// <summary>What the standards say of the glass in each class.</summary>
public static class FiberClasses
{
    public static FiberMode Mode(this FiberClass fiberClass) =>
        fiberClass is FiberClass.OS1a or FiberClass.OS2 ? FiberMode.SingleMode : FiberMode.Multimode;

    /// <summary>Core diameter in micrometres of a multimode class; null for single-mode, where the mode field counts.</summary>
    /// <remarks>TIA-492, ISO/IEC 11801, from memory: OM1 62.5, OM2 to OM5 50.</remarks>
    public static double? CoreUm(this FiberClass fiberClass) => fiberClass switch
    {
        FiberClass.OM1 => 62.5,
        FiberClass.OS1a or FiberClass.OS2 => null,
        _ => 50,
    };

    /// <summary>True when glass of one class may be joined to the other without a step in the core.</summary>
    public static bool SameCore(FiberClass a, FiberClass b) => a.Mode() == b.Mode() && a.CoreUm() == b.CoreUm();

    /// <summary>The core as the trade says it: "62.5 µm", "50 µm", "single-mode".</summary>
    public static string CoreWords(this FiberClass fiberClass) =>
        fiberClass.CoreUm() is { } um ? FormattableString.Invariant($"{um} µm") : "single-mode";

    /// <summary>The usual test wavelengths in nanometres, shortest first.</summary>
    public static IReadOnlyList<int> TestWavelengthsNm(this FiberClass fiberClass) =>
        fiberClass.Mode() == FiberMode.Multimode ? [850, 1300] : [1310, 1550];
}
