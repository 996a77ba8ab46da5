using Rhabdon.Core.Fiber;
using static Rhabdon.Core.Connectors.TerminationMethod;
using static Rhabdon.Core.Fiber.CableConstruction;

namespace Rhabdon.Core.Connectors;

/// <summary>Whether a connector can go on a cable and into a panel. Every reason against it is told, in words.</summary>
public static class Compatibility
{
    private static readonly Dictionary<TerminationMethod, CableConstruction[]> Takes = new()
    {
        // Common practice; a maker's sheet may allow more or fewer.
        [HeatCuredEpoxy] = [TightBuffer900, FanOut900, Cordage16, Cordage20, Cordage30],
        [ColdCure] = [TightBuffer900, FanOut900, Cordage16, Cordage20, Cordage30],
        [HotMelt] = [Coated250, TightBuffer900, FanOut900, Cordage16, Cordage20, Cordage30],
        [CamLocked] = [TightBuffer900, FanOut900, Cordage16, Cordage20, Cordage30],
        [WedgeLocked] = [Coated250, TightBuffer900, FanOut900, Cordage20, Cordage30],
        [PlungerLocked] = [TightBuffer900, Cordage16, Cordage20, Cordage30],
        [TerminationMethod.HardenedDrop] = [Drop],
        [SpliceOn] = [TightBuffer900, Cordage16, Cordage20, Cordage30],
        [PigtailSplice] = [Coated250, TightBuffer900, FanOut900, Ribbon12],
    };

    /// <summary>The cable constructions that a method goes on.</summary>
    public static IReadOnlyList<CableConstruction> Constructions(TerminationMethod method) => Takes[method];

    /// <summary>True for methods whose connector brings its own piece of glass.</summary>
    public static bool HasStub(TerminationMethod method) =>
        method is CamLocked or WedgeLocked or PlungerLocked or TerminationMethod.HardenedDrop or SpliceOn or PigtailSplice;

    /// <summary>All reasons why this connector cannot go on this cable into this panel; empty when it can.</summary>
    /// <param name="panel">Null when the end is not in a panel yet.</param>
    public static IReadOnlyList<Refusal> Judge(ConnectorSpec connector, CableSpec cable, PanelSpec? panel) =>
        [.. PolishAgainstMode(connector), .. GlassAgainstCable(connector, cable), .. MethodAgainstCable(connector, cable), .. AgainstPanel(connector, panel)];

    private static IEnumerable<Refusal> PolishAgainstMode(ConnectorSpec c)
    {
        if (c.Polish == Polish.APC && c.Mode == FiberMode.Multimode)
        {
            yield return new("apc-is-single-mode", "polish", "APC is a single-mode polish; a multimode connector is PC or UPC.");
        }

        if (c.Polish == Polish.APC && c.Form == ConnectorForm.ST)
        {
            yield return new("st-is-not-angled", "polish", "ST has no key that holds an angle; choose PC or UPC, or another form.");
        }
    }

    private static IEnumerable<Refusal> GlassAgainstCable(ConnectorSpec c, CableSpec cable)
    {
        if (c.Mode != cable.FiberClass.Mode())
        {
            yield return new("mode-differs", "mode",
                $"The cable is {Wire.Name(cable.FiberClass)}, which is {Wire.Name(cable.FiberClass.Mode())}; a {Wire.Name(c.Mode)} connector does not fit its glass.");
        }

        if (HasStub(c.Method) && c.StubClass is null)
        {
            yield return new("stub-class-missing", "stubClass",
                "This method's connector brings its own fiber stub; say its class, it is printed on the bag.");
        }

        if (c.StubClass is not { } stub)
        {
            yield break;
        }

        if (stub.Mode() != c.Mode)
        {
            yield return new("stub-mode-differs", "stubClass", $"A {Wire.Name(stub)} stub is {Wire.Name(stub.Mode())}, the connector is entered as {Wire.Name(c.Mode)}.");
        }

        if (!FiberClasses.SameCore(stub, cable.FiberClass))
        {
            yield return new("stub-class-differs", "stubClass",
                $"The stub is {stub.CoreWords()} ({Wire.Name(stub)}) and the cable is {cable.FiberClass.CoreWords()} ({Wire.Name(cable.FiberClass)}): it can be put together perfectly and still never pass.");
        }
    }

    private static IEnumerable<Refusal> MethodAgainstCable(ConnectorSpec c, CableSpec cable)
    {
        if (!Takes[c.Method].Contains(cable.Construction))
        {
            yield return new("method-construction", "method",
                $"{Wire.Name(c.Method)} does not go on {Wire.Name(cable.Construction)}; it takes {string.Join(", ", Takes[c.Method].Select(Wire.Name))}.");
        }

        if ((c.Form == ConnectorForm.MPO) != (cable.Construction == Ribbon12))
        {
            yield return new("mpo-needs-ribbon", "form",
                c.Form == ConnectorForm.MPO ? "An MPO takes a 12-fiber ribbon; this cable is not one." : "A 12-fiber ribbon ends in an MPO; fan it out before giving it single connectors.");
        }

        if ((c.Form == ConnectorForm.HardenedDrop) != (c.Method == TerminationMethod.HardenedDrop))
        {
            yield return new("hardened-form-method", "form", "The hardened-drop connector and the hardened-drop method belong together.");
        }
    }

    private static IEnumerable<Refusal> AgainstPanel(ConnectorSpec c, PanelSpec? panel)
    {
        if (panel is null)
        {
            yield break;
        }

        if (c.Form != panel.AdapterForm)
        {
            yield return new("form-differs-panel", "form", $"The panel's adapters are {Wire.Name(panel.AdapterForm)}; {Wire.Name(c.Form)} does not go in.");
        }

        if ((c.Polish == Polish.APC) != panel.Angled)
        {
            yield return new("angle-differs-panel", "polish",
                panel.Angled ? "The panel is for angled connectors (APC); a flat one mated there leaves a gap and may damage the other face."
                             : "The panel is for flat connectors (PC, UPC); an APC mated there leaves a gap and may damage the other face.");
        }
    }
}
