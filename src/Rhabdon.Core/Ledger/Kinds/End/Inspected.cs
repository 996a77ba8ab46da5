using Rhabdon.Core.Inspection;
using Rhabdon.Core.Procedures;

namespace Rhabdon.Core.Ledger;

/// <summary>The end face as it was seen; Core grades it.</summary>
/// <param name="Findings">Entered by eye. With a picture it stays empty: the picture's findings are graded.</param>
/// <param name="Picture">The picture that it was read from, with what was found in it.</param>
/// <param name="PhotoId">A picture that is kept beside a judgement by eye, as where no signal lets the program read it.</param>
/// <param name="EndFaceClass">Like the limit set best left out: where it says otherwise than the plan, that is kept as a difference.</param>
public sealed record Inspected(
    RunId RunId, IReadOnlyList<Finding> Findings, string? Note = null, SeenFace? Picture = null, EvidenceId? PhotoId = null, EndFaceClass? EndFaceClass = null, string? LimitSetId = null) : INoted;

/// <summary>A picture's findings: what the program found, and what the person left, added or named otherwise. Both are kept; the final ones are graded.</summary>
/// <param name="UmPerPx">Scale of the picture.</param>
/// <param name="CentreXPx">The fiber's centre in the picture.</param>
public sealed record SeenFace(
    EvidenceId PictureId, int WidthPx, int HeightPx, double UmPerPx, double CentreXPx, double CentreYPx, double CladdingDiameterPx, IReadOnlyList<SeenFinding> Automatic, IReadOnlyList<SeenFinding> Final);

/// <param name="Found">What the program found in the picture, as the server keeps it; null where it keeps no reading, and the device's copy stands.</param>
public sealed record FaceGraded(EndFaceVerdict Verdict, IReadOnlyList<Difference>? Differences, IReadOnlyList<SeenFinding>? Found = null) : Judged;

internal sealed class InspectedRule : EventRule<Inspected, FaceGraded>
{
    private const int MostFindings = 1000;

    protected override IEnumerable<Refusal> Faults(Inspected body)
    {
        if (body.Picture is not { } picture)
        {
            yield break;
        }

        foreach (var fault in picture.Automatic.SelectMany((f, i) => f.Faults($"body.picture.automatic[{i}]")).Concat(picture.Final.SelectMany((f, i) => f.Faults($"body.picture.final[{i}]"))))
        {
            yield return fault;
        }

        if (picture.Automatic.Count > MostFindings || picture.Final.Count > MostFindings)
        {
            yield return OutOf("body.picture.final", $"A picture has at most {MostFindings} findings.");
        }

        if (picture is not { UmPerPx: > 0 and <= 10, WidthPx: > 0 and <= 100_000, HeightPx: > 0 and <= 100_000 } || !double.IsFinite(picture.CentreXPx + picture.CentreYPx + picture.CladdingDiameterPx))
        {
            yield return OutOf("body.picture.umPerPx", "A picture has a size, and a scale above 0 and at most 10 µm a pixel.");
        }

        if (body.Findings.Count > 0)
        {
            yield return new("findings-twice", "body.findings", "With a picture its own findings are graded; leave this list empty.");
        }
    }

    protected override Judged Decide(Question q, Inspected body)
    {
        Runs.Finished(q, body.RunId);
        if (q.Before is FaceGraded before)
        {
            return before;
        }

        Citations.Check(q);
        var found = (body.Picture?.PictureId ?? body.PhotoId) is { } cited ? q.Plan.Evidence?.GetValueOrDefault(cited)?.Found : null;
        // What the device named must exist, though what is in force decides.
        if (body.LimitSetId is { } named)
        {
            _ = q.Rules.EndFaceSet(named);
        }

        var limits = q.Rules.FaceSetFor(q.Plan);
        var verdict = body.Picture is { } picture
            ? SeenEndFaces.Grade(picture.Final, q.Plan.EndFaceClass, limits, q.Plan.Method, "body.picture.final")
            : EndFaces.Grade(body.Findings, q.Plan.EndFaceClass, limits, q.Plan.Method);
        return new FaceGraded(verdict, Differences.Of(
            ("endFaceClass", body.EndFaceClass is { } said ? Wire.Name(said) : null, Wire.Name(q.Plan.EndFaceClass)), ("limitSetId", body.LimitSetId, limits.Id),
            ("picture.automatic", Said(body.Picture?.Automatic), found is null || body.Picture is null || body.Picture.Automatic.SequenceEqual(found) ? Said(body.Picture?.Automatic) : $"{Said(found)} of its own")), found);
    }

    private static string Said(IReadOnlyList<SeenFinding>? found) => $"{found?.Count ?? 0} findings";

    protected override EndState Evolve(EndState state, LedgerEvent e, Inspected body, FaceGraded judged)
    {
        var picture = body.Picture is { } p && judged.Found is { } found ? p with { Automatic = found } : body.Picture;
        var looked = new InspectionState(e.Id, e.At, e.ActorId, body.Findings, judged.Verdict, picture) { Differences = judged.Differences ?? [], PhotoId = body.PhotoId };
        return Runs.With(state, body.RunId, a => a with
        {
            Phase = looked.Verdict.Pass ? Phase.Test : Phase.Look,
            Inspection = looked,
            Looks = [.. a.Looks, looked],
        });
    }
}
