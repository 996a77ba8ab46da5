namespace Rhabdon.Core.Planning;

public enum ChainPartKind
{
    Cable, Module, Cord,
}

/// <summary>One thing that the light passes on its way.</summary>
/// <param name="Fiber">By which strand, port or fiber of it, 1 and up.</param>
/// <param name="Reversed">True when the light enters it at its side B, or a module at its front.</param>
public sealed record ChainPart(ChainPartKind Kind, PartId Id, int Fiber, bool Reversed = false);

/// <summary>Checks of what is said to hang together.</summary>
public static class Chains
{
    public const int MostParts = 40;

    /// <param name="fibersOf">How many fibers a part of the job has; null where there is no such part.</param>
    public static IEnumerable<Refusal> Faults(IReadOnlyList<ChainPart> parts, Func<ChainPart, int?> fibersOf)
    {
        if (parts.Count is 0 or > MostParts)
        {
            yield return new("chain-parts", "parts", $"A chain has 1 to {MostParts} parts.");
            yield break;
        }

        for (var i = 0; i < parts.Count; i++)
        {
            var part = parts[i];
            if (fibersOf(part) is not { } fibers)
            {
                yield return new("part-unknown", $"parts[{i}].id", $"This job has no such {Wire.Name(part.Kind)}.");
            }
            else if (part.Fiber < 1 || part.Fiber > fibers)
            {
                yield return new("strand-range", $"parts[{i}].fiber", $"It has fibers 1 to {fibers}.");
            }
            else if (parts.Take(i).Any(p => p.Kind == part.Kind && p.Id == part.Id && p.Fiber == part.Fiber))
            {
                yield return new("part-twice", $"parts[{i}]", "The light does not pass the same fiber twice.");
            }
        }
    }
}
