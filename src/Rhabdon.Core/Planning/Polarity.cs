using System.Text.Json.Serialization;

namespace Rhabdon.Core.Planning;

public enum PolarityPart
{
    /// <summary>A cable with an array connector on both ends.</summary>
    Trunk,
    /// <summary>Array connector behind, duplex ports in front.</summary>
    Module,
    /// <summary>A duplex cord.</summary>
    Cord,
    /// <summary>A cord with an array connector on both ends.</summary>
    ArrayCord,
}

/// <summary>How a part leads its fibers.</summary>
public enum PolarityType
{
    /// <summary>Position by position, key up to key down.</summary>
    [JsonStringEnumMemberName("A")]
    A,
    /// <summary>Turned about: 1 to the last, key up to key up. A module of this type numbers its pairs from the other side, so that port 1 meets port 1 through a trunk of this type.</summary>
    [JsonStringEnumMemberName("B")]
    B,
    /// <summary>The two of each pair crossed.</summary>
    [JsonStringEnumMemberName("C")]
    C,
    /// <summary>A duplex cord that leads straight.</summary>
    [JsonStringEnumMemberName("A-to-A")]
    AToA,
    /// <summary>A duplex cord that crosses.</summary>
    [JsonStringEnumMemberName("A-to-B")]
    AToB,
}

/// <param name="PinsNear">Its array connector on the near side has pins; a module's one array connector is meant by either. Null where nobody said.</param>
/// <param name="Angled">Its array connectors are angled.</param>
public sealed record PolarityLink(PolarityPart Kind, PolarityType Type, bool? PinsNear = null, bool? PinsFar = null, bool? Angled = null);

public enum JointFault
{
    BothPinned, NonePinned, AngleDiffers,
}

/// <param name="Part">The one whose far side it is, from 0.</param>
public sealed record JointWrong(int Part, JointFault Fault);

/// <param name="Fibers">Of each array connector; two for a duplex channel alone.</param>
/// <param name="Chain">What the light passes, from the near end to the far end.</param>
public sealed record PolarityAsk(int Fibers, IReadOnlyList<PolarityLink> Chain);

/// <param name="Map">The position at the far end, by the position at the near end.</param>
/// <param name="DuplexOk">Each pair arrives as a pair, its transmit at the other's receive.</param>
/// <param name="ArrayOk">Lane 1 arrives at the last, as equipment with array ports asks it.</param>
/// <param name="FirstWrong">Where it is not: the first part, from 0, that has to be another. Every duplex cord crosses but the last, which does what is left to do; without cords, the first part is exchanged.</param>
/// <param name="Joints">Array connectors that cannot be mated as they are said to be: a pinned one meets one without, angle meets angle (common practice).</param>
public sealed record PolarityAnswer(IReadOnlyList<int> Map, bool DuplexOk, bool ArrayOk, int? FirstWrong, IReadOnlyList<JointWrong> Joints);

/// <summary>Whether transmit meets receive, through any chain of trunks, modules and cords.</summary>
/// <remarks>Types A, B and C of array cables, and the methods that they make: ANSI/TIA-568.3-D, from memory.</remarks>
public static class Polarity
{
    private const int MostParts = 40;

    private static readonly int[] Sizes = [2, 4, 8, 12, 16, 24];

    /// <exception cref="RefusedException">Such a chain cannot be; what is wrong by its field.</exception>
    public static PolarityAnswer Of(PolarityAsk ask)
    {
        var faults = new List<Refusal>();
        if (!Sizes.Contains(ask.Fibers))
        {
            faults.Add(Refusal.Of("array-fibers", "fibers", ("sizes", string.Join(", ", Sizes))));
        }

        if (ask.Chain.Count is 0 or > MostParts)
        {
            faults.Add(Refusal.Of("figure-range", "chain", ("least", 1), ("most", MostParts)));
        }

        faults.AddRange(ask.Chain.Take(MostParts).Index().Where(x => (x.Item.Type is PolarityType.AToA or PolarityType.AToB) != (x.Item.Kind == PolarityPart.Cord))
            .Select(x => Refusal.Of("polarity-type", $"chain[{x.Index}].type")));
        if (faults.Count > 0)
        {
            throw new RefusedException(faults);
        }

        var map = Map(ask.Fibers, ask.Chain);
        var duplexOk = Crossed(map);
        return new(map, duplexOk, map.Index().All(x => x.Item == ask.Fibers - x.Index), duplexOk ? null : FirstWrong(ask), [.. Joints(ask.Chain)]);
    }

    private static IEnumerable<JointWrong> Joints(IReadOnlyList<PolarityLink> chain)
    {
        foreach (var (i, (near, far)) in chain.Zip(chain.Skip(1)).Index())
        {
            // A duplex cord meets a module at its front: there are no pins.
            if (near.Kind == PolarityPart.Cord || far.Kind == PolarityPart.Cord || (near.Kind == PolarityPart.Module && far.Kind == PolarityPart.Module))
            {
                continue;
            }

            var (left, right) = (near.Kind == PolarityPart.Module ? near.PinsFar ?? near.PinsNear : near.PinsFar, far.Kind == PolarityPart.Module ? far.PinsNear ?? far.PinsFar : far.PinsNear);
            if (left is { } l && right is { } r && l == r)
            {
                yield return new(i, l ? JointFault.BothPinned : JointFault.NonePinned);
            }

            if (near.Angled is { } a && far.Angled is { } b && a != b)
            {
                yield return new(i, JointFault.AngleDiffers);
            }
        }
    }

    private static int[] Map(int fibers, IReadOnlyList<PolarityLink> chain) => [.. Enumerable.Range(1, fibers).Select(p => chain.Aggregate(p, (at, part) => Through(part, at, fibers)))];

    private static int Through(PolarityLink part, int at, int fibers) => (part.Kind, part.Type) switch
    {
        (_, PolarityType.A or PolarityType.AToA) => at,
        (_, PolarityType.C or PolarityType.AToB) => Other(at),
        // The pairs from the other side, each pair as it was.
        (PolarityPart.Module, PolarityType.B) => Other(fibers + 1 - at),
        _ => fibers + 1 - at,
    };

    /// <summary>The other one of its pair.</summary>
    private static int Other(int at) => at % 2 == 1 ? at + 1 : at - 1;

    /// <summary>Every pair arrives as a pair, the other way round.</summary>
    private static bool Crossed(int[] map) => Enumerable.Range(0, map.Length / 2).All(k => map[2 * k] % 2 == 0 && map[(2 * k) + 1] == map[2 * k] - 1);

    private static int FirstWrong(PolarityAsk ask)
    {
        var cords = ask.Chain.Index().Where(x => x.Item.Kind == PolarityPart.Cord).ToList();
        return cords.Count == 0 ? 0
            : cords.SkipLast(1).Where(x => x.Item.Type != PolarityType.AToB).Select(x => (int?)x.Index).FirstOrDefault() ?? cords[^1].Index;
    }
}
