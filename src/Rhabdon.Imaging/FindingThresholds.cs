namespace Rhabdon.Imaging;

/// <summary>
/// When something on a face counts as a finding, and as which; what a stroke's shape is told by stands with it (PatchShape, LineSearch). What has no other source is ours: set so that drawn faces of known truth are
/// read right over the range of blur, noise and scale of docs/numbers.md#pictures, never by pictures of real connectors.
/// </summary>
/// <param name="FineBlurPx">Smoothing before spots and scratches are looked for.</param>
/// <param name="CoarseBlurPx">Smoothing before what is faint and wide is looked for.</param>
/// <param name="FineSigmas">How far a pixel stands out of the noise to begin a finding; half as much belongs to it.</param>
/// <param name="FineShare">And by what share of the cladding's level.</param>
/// <param name="LeastSpotUm">Smaller is not told from noise. IEC 61300-3-35 counts from 2 µm on (from memory).</param>
/// <param name="LeastFaintUm">The same for what is faint.</param>
/// <param name="LeastScratchUm">Shorter is a spot.</param>
/// <param name="FaintAwayUm">What is faint counts only this far from what was found clearly.</param>
/// <param name="LongElongation">Longer than this many times its width may be a line; less is a spot.</param>
/// <param name="StraightElongation">A line at once, where it is straight, too.</param>
/// <param name="CrackElongation">A bent thing of this elongation that fills little of its circle is a crack.</param>
/// <param name="RoundFill">Fills this share of the circle around it: its area tells its diameter with less noise.</param>
/// <param name="PitFill">Rounder than this and small: a pit.</param>
/// <param name="MostPitUm">A larger one is a particle.</param>
/// <param name="MostResidueContrast">Fainter than this and wide: residue.</param>
/// <param name="LeastResidueUm">Narrower is no residue.</param>
/// <param name="SameLineDeg">Pieces of one scratch point alike to this.</param>
/// <param name="SameLineGapUm">And lie no farther apart: the width of core or ring.</param>
/// <param name="MostLineTries">Tries of a line on one face; one that is worn all over is judged by the strokes found so far.</param>
internal sealed record FindingThresholds(
    double FineBlurPx = 0.8,
    double CoarseBlurPx = 2.6,
    double FineSigmas = 5,
    double FineShare = 0.055,
    double CoarseSigmas = 7,
    double CoarseShare = 0.03,
    double LeastSpotUm = 1.1,
    double LeastFaintUm = 4,
    double LeastScratchUm = 6,
    double FaintAwayUm = 2.5,
    double LongElongation = 2.4,
    double StraightElongation = 3,
    double CrackElongation = 2.6,
    double CrackFill = 0.35,
    double RoundFill = 0.62,
    double PitFill = 0.8,
    double MostPitUm = 4,
    double MostResidueContrast = 0.3,
    double LeastResidueUm = 6,
    double SameLineDeg = 6,
    double SameLineGapUm = 9,
    int MostLineTries = 60)
{
    public static readonly FindingThresholds Ours = new();
}
