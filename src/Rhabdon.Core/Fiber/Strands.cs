namespace Rhabdon.Core.Fiber;

/// <summary>Standard colour of a strand, buffer tube or ribbon, in the order of TIA-598.</summary>
public enum StrandColour
{
    Blue, Orange, Green, Brown, Slate, White, Red, Black, Yellow, Violet, Rose, Aqua,
}

/// <summary>A strand's place in its cable.</summary>
/// <param name="Number">1 and up, through the whole cable.</param>
/// <param name="Unit">The tube or ribbon it lies in, 1 and up.</param>
/// <param name="Position">1 and up within the unit.</param>
/// <param name="Colour">Colour of the strand.</param>
/// <param name="Tracer">True when the colour carries a tracer or ring: strands 13 and up of one unit, and only there.</param>
/// <param name="UnitColour">Colour of the unit.</param>
/// <param name="UnitTracer">True when the unit's colour carries a tracer (units 13 and up).</param>
public sealed record Strand(int Number, int Unit, int Position, StrandColour Colour, bool Tracer, StrandColour UnitColour, bool UnitTracer);

/// <summary>How a cable's strands lie: data of the cable, as its sheet says.</summary>
/// <param name="UnitSize">Strands that share one unit: 4, 6, 8, 12 or 24.</param>
/// <param name="Order">All twelve colours in the order that strands and units count in.</param>
public sealed record StrandLay(int UnitSize, IReadOnlyList<StrandColour> Order)
{
    public static readonly IReadOnlyList<int> UnitSizes = [4, 6, 8, 12, 24];

    /// <summary>Units of twelve, in the order of TIA-598.</summary>
    public static readonly StrandLay Usual = new(12, Enum.GetValues<StrandColour>());

    /// <summary>What is wrong with it; null when it can be.</summary>
    public Refusal? Fault =>
        !UnitSizes.Contains(UnitSize) ? new("out-of-range", "unitSize", $"A unit holds {string.Join(", ", UnitSizes)} strands.")
        : !Order.Order().SequenceEqual(Enum.GetValues<StrandColour>()) ? new("colour-order", "colourOrder", "A colour order has each of the twelve colours once.")
        : null;
}

/// <summary>Strand numbering and colours.</summary>
/// <remarks>TIA-598, from memory; tracers by unit: common practice. See docs/numbers.md#strand-colours.</remarks>
public static class Strands
{
    /// <summary>Fibers of one ribbon and one array connector.</summary>
    public const int PerUnit = 12;
    public const int MaxPerCable = 288;

    /// <summary>True where strands <paramref name="from"/> to <paramref name="to"/> are whole ribbons, as array connectors take them.</summary>
    public static bool WholeUnits(int from, int to) => from % PerUnit == 1 && to % PerUnit == 0 && from < to;

    /// <summary>Where strand <paramref name="number"/> lies.</summary>
    /// <param name="lay">Of its cable.</param>
    /// <exception cref="ArgumentOutOfRangeException">The number is not 1 to 288.</exception>
    public static Strand At(int number, StrandLay lay)
    {
        ArgumentOutOfRangeException.ThrowIfLessThan(number, 1);
        ArgumentOutOfRangeException.ThrowIfGreaterThan(number, MaxPerCable);
        var (unit, position) = ((number - 1) / lay.UnitSize, (number - 1) % lay.UnitSize);
        var colours = lay.Order.Count;
        return new Strand(number, unit + 1, position + 1, lay.Order[position % colours], position >= colours, lay.Order[unit % colours], unit >= colours);
    }
}
