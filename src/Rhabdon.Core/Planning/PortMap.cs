using System.Text.Json.Serialization;

namespace Rhabdon.Core.Planning;

/// <summary>How the strands of a cable are put on duplex ports at its two ends.</summary>
public enum PairScheme
{
    /// <summary>Alike at both ends: transmit meets transmit, unless a cord crosses.</summary>
    Straight,
    /// <summary>Strands in their order at both ends, the adapters of the far end turned about.</summary>
    ConsecutiveFiber,
    /// <summary>Adapters alike at both ends, the two strands of each pair exchanged at the far end.</summary>
    ReversePair,
}

public enum AdapterPosition
{
    [JsonStringEnumMemberName("A")] A,
    [JsonStringEnumMemberName("B")] B,
}

public sealed record PortsAsk(int Strands, PairScheme Scheme);

/// <param name="Port">A duplex port, from 1.</param>
/// <param name="Position">A or B of its adapter, as the cord's plug names it.</param>
public sealed record PortPlace(int Strand, int Port, AdapterPosition Position);

/// <param name="Meets">With a cord that crosses at either end, transmit meets receive.</param>
public sealed record PortMap(IReadOnlyList<PortPlace> Near, IReadOnlyList<PortPlace> Far, bool Meets);

/// <summary>Which strand lies where, at both ends. ANSI/TIA-568.3-D, from memory: consecutive-fiber and reverse-pair positioning.</summary>
public static class PortMaps
{
    /// <exception cref="RefusedException">No cable has so many strands, or they make no pairs.</exception>
    public static PortMap Of(PortsAsk ask)
    {
        if (ask.Strands is < 2 or > Fiber.Strands.MaxPerCable || ask.Strands % 2 != 0)
        {
            throw new RefusedException(Refusal.Of("pairs-even", "strands", ("most", Fiber.Strands.MaxPerCable)));
        }

        // Both ways of crossing bring the strand of A into B at the far end; they differ in which of the two is handled in the tray.
        PortPlace At(int strand, bool crossed) => new(strand, (strand + 1) / 2, strand % 2 == 1 == crossed ? AdapterPosition.B : AdapterPosition.A);
        var strands = Enumerable.Range(1, ask.Strands).ToList();
        var far = ask.Scheme == PairScheme.ReversePair
            ? strands.Select(s => s % 2 == 1 ? s + 1 : s - 1).Select((s, i) => new PortPlace(s, (i / 2) + 1, i % 2 == 0 ? AdapterPosition.A : AdapterPosition.B))
            : strands.Select(s => At(s, ask.Scheme == PairScheme.ConsecutiveFiber));
        var (near, other) = (strands.Select(s => At(s, false)).ToList(), far.ToList());
        return new(near, other, near.All(n => other.First(f => f.Strand == n.Strand).Position != n.Position));
    }
}
