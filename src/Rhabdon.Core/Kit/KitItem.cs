using Rhabdon.Core.Connectors;
using Rhabdon.Core.Fiber;

namespace Rhabdon.Core.Kit;

public enum KitItemKind
{
    /// <summary>A connector with the parts that come with it.</summary>
    Connector,
    /// <summary>A part that does not.</summary>
    Part,
    Supply,
}

/// <summary>A thing that is packed, counted and loaded: the same wherever these say the same.</summary>
/// <param name="Part">Id of a part of procedures.</param>
/// <param name="Detail">Which film, by what least purity.</param>
public sealed record KitItem(
    KitItemKind Kind, TerminationMethod? Method = null, ConnectorForm? Form = null, Polish? Polish = null, FiberMode? Mode = null, string? Part = null, CableConstruction? Construction = null,
    SupplyKind? Supply = null, string? Detail = null)
{
    /// <exception cref="RefusedException">It says too little, or too much.</exception>
    internal IEnumerable<Refusal> Faults(string field)
    {
        var connector = Method is not null && Form is not null && Polish is not null && Mode is not null;
        if (!(Kind switch { KitItemKind.Connector => connector, KitItemKind.Part => Part is { Length: > 0 and <= 40 }, _ => Supply is not null }) || Detail is { Length: > 60 })
        {
            yield return Refusal.Of("kit-item", field, ("kind", Wire.Name(Kind)));
        }
    }
}

/// <summary>One line to load.</summary>
/// <param name="Needed">Pieces or millilitres.</param>
/// <param name="SpaceId">Where it is used; null for what is spare, and for what all spaces share.</param>
public sealed record PickLine(KitItem Item, double Needed, SpaceId? SpaceId = null);
