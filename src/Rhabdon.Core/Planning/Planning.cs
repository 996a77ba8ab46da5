using Rhabdon.Core.Connectors;
using Rhabdon.Core.Fiber;
using Rhabdon.Core.Prep;

namespace Rhabdon.Core.Planning;

/// <summary>What a cable end can still afford.</summary>
/// <param name="LeftMm">Slack left, in millimetres; below 0 when more was used than was planned.</param>
/// <param name="CutOffsLeft">How many times the end can still be cut off and made again.</param>
public sealed record SlackOutlook(double LeftMm, int CutOffsLeft, bool NearlyOut);

/// <summary>Checks of what a plan says before anything is cut.</summary>
public static class Plans
{
    public const int MaxPorts = 576;

    /// <exception cref="RefusedException">A figure of the cable is out of range.</exception>
    public static void CheckCable(CableConstruction construction, int strandCount, double lengthM, double slackAMm, double slackBMm, StrandLay lay, int connections = 2, int splices = 0, double? diameterMm = null, double? orderedLengthMm = null, double? orderedToleranceMm = null)
    {
        var faults = new List<Refusal>();
        if (lay.Fault is { } fault)
        {
            faults.Add(fault);
        }
        else if (construction == CableConstruction.Ribbon12 && lay.UnitSize != Strands.PerUnit)
        {
            faults.Add(new("ribbon-unit", "unitSize", "The units of a 12-fiber ribbon cable are its ribbons, of 12 strands."));
        }

        if (strandCount is < 1 or > Strands.MaxPerCable)
        {
            faults.Add(new("out-of-range", "strandCount", $"A cable has 1 to {Strands.MaxPerCable} strands."));
        }
        else if (construction == CableConstruction.Ribbon12 && strandCount % Strands.PerUnit != 0)
        {
            faults.Add(new("ribbon-count", "strandCount", "A 12-fiber ribbon cable has a multiple of 12 strands."));
        }

        if (diameterMm is not (null or (> 0 and <= 100)))
        {
            faults.Add(new("out-of-range", "diameterMm", "A cable's diameter is above 0 and at most 100 mm."));
        }

        if (orderedLengthMm is not (null or (> 0 and <= 1_000_000)))
        {
            faults.Add(new("out-of-range", "orderedLengthMm", "A jumper is ordered at a length above 0 and at most 1,000,000 mm."));
        }

        if (orderedToleranceMm is not (null or (>= 0 and <= 10_000)) || (orderedToleranceMm is not null && orderedLengthMm is null))
        {
            faults.Add(Refusal.Of("jumper-tolerance", "orderedToleranceMm"));
        }

        if (connections is < 0 or > 50)
        {
            faults.Add(new("out-of-range", "connections", "A link has 0 to 50 connections."));
        }

        if (splices is < 0 or > 100)
        {
            faults.Add(new("out-of-range", "splices", "A cable has 0 to 100 splices."));
        }

        if (!(lengthM is > 0 and <= 200_000))
        {
            faults.Add(new("out-of-range", "lengthM", "The length must be above 0 and at most 200,000 m."));
        }

        foreach (var (field, mm) in new[] { ("slackAMm", slackAMm), ("slackBMm", slackBMm) })
        {
            if (!(mm is >= 0 and <= 100_000))
            {
                faults.Add(new("out-of-range", field, "Slack must be 0 to 100,000 mm."));
            }
        }

        if (faults.Count > 0)
        {
            throw new RefusedException(faults);
        }
    }

    /// <summary>The port and the place in it for the n-th end that lands on a panel.</summary>
    /// <param name="index">0 and up.</param>
    /// <returns>An MPO takes twelve strands in one port; every other form takes one.</returns>
    public static (int Port, int Position) PortFor(ConnectorForm form, int firstPort, int index) =>
        form == ConnectorForm.MPO ? (firstPort + (index / Strands.PerUnit), (index % Strands.PerUnit) + 1) : (firstPort + index, 1);

    /// <summary>What is left of an end's slack, and whether one more failure can be paid for.</summary>
    public static SlackOutlook Slack(double plannedMm, double usedMm, PrepCard? prep)
    {
        var left = plannedMm - usedMm;
        var cost = prep?.CutOffUsesMm ?? 0;
        var cutOffs = cost > 0 ? Math.Max(0, (int)Math.Floor((left / cost) + 1e-9)) : int.MaxValue;
        return new(left, cutOffs, prep is not null && left < NearlyOutBelowMm(prep));
    }

    /// <summary>With less slack than this, in millimetres, a second failure can no longer be paid for.</summary>
    public static double NearlyOutBelowMm(PrepCard prep) => 2 * prep.CutOffUsesMm;
}
