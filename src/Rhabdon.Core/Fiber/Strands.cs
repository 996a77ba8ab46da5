namespace Rhabdon.Core.Fiber;

/// <summary>Standard colour of a strand, buffer tube or ribbon, in the order of TIA-598.</summary>
public enum StrandColour
{
    Blue, Orange, Green, Brown, Slate, White, Red, Black, Yellow, Violet, Rose, Aqua,
}

/// <summary>A strand's place in its cable.</summary>
/// <param name="Number">1 and up, through the whole cable.</param>
/// <param name="Unit">The tube or ribbon it lies in, 1 and up.</param>
/// <param name="Position">1 to 12 within the unit.</param>
/// <param name="Colour">Colour of the strand.</param>
/// <param name="Tracer">True when the colour carries a tracer or dash (strands 13 and up where strands are not in units of their own).</param>
/// <param name="UnitColour">Colour of the unit.</param>
/// <param name="UnitTracer">True when the unit's colour carries a tracer (units 13 and up).</param>
public sealed record Strand(int Number, int Unit, int Position, StrandColour Colour, bool Tracer, StrandColour UnitColour, bool UnitTracer);

/// <summary>Strand numbering and colours.</summary>
/// <remarks>TIA-598, from memory; see docs/numbers.md#strand-colours.</remarks>
public static class Strands
{
    public const int PerUnit = 12;
    public const int MaxPerCable = 288;

    /// <summary>Where strand <paramref name="number"/> lies.</summary>
    /// <exception cref="ArgumentOutOfRangeException">The number is not 1 to 288.</exception>
    public static Strand At(int number)
    {
        ArgumentOutOfRangeException.ThrowIfLessThan(number, 1);
        ArgumentOutOfRangeException.ThrowIfGreaterThan(number, MaxPerCable);
        var unit = (number - 1) / PerUnit;
        var position = (number - 1) % PerUnit;
        return new Strand(number, unit + 1, position + 1, (StrandColour)position, unit > 0, (StrandColour)(unit % PerUnit), unit >= PerUnit);
    }
}
