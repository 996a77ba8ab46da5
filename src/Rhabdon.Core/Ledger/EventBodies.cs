using System.Text.Json;
using Rhabdon.Core.Connectors;
using Rhabdon.Core.Fiber;
using Rhabdon.Core.Inspection;
using Rhabdon.Core.Loss;
using Rhabdon.Core.Procedures;
using Rhabdon.Core.Rework;

namespace Rhabdon.Core.Ledger;

/// <summary>A run begins on this end. Its run id is the id of this event. The procedure's version stays with it for good.</summary>
/// <param name="BatchId">The batch at the bench that it belongs to; the strands of a batch share it.</param>
/// <param name="Schools">Which school is followed, by option.</param>
/// <param name="Preflight">What was so before the first cut.</param>
public sealed record AttemptStarted(
    string ProcedureId, int ProcedureVersion, Guid? BatchId = null, IReadOnlyDictionary<string, string>? Schools = null, IReadOnlyList<PreflightAnswer>? Preflight = null);

/// <param name="ElapsedS">How long the step's timer ran, in seconds.</param>
/// <param name="Count">Strokes, bites or passes that were counted.</param>
/// <param name="SheetId">The film sheet that was used.</param>
/// <param name="SheetTotal">Strokes on that sheet with these.</param>
public sealed record StepDone(Guid RunId, string StepId, double? ElapsedS = null, int? Count = null, Guid? SheetId = null, int? SheetTotal = null);

public sealed record TimerStarted(Guid RunId, string StepId);

public sealed record PreflightAnswered(Guid RunId, PreflightAnswer Answer);

/// <param name="Made">Shards that the batch made, by its acts.</param>
/// <param name="Counted">Shards that lie in the container.</param>
public sealed record ShardsCounted(Guid RunId, Guid BatchId, int Made, int Counted, string? Note = null);

public sealed record CheckAnswered(Guid RunId, string StepId, string AnswerId, double? ElapsedS = null, string? Note = null);

/// <summary>The end face as it was seen; Core grades it.</summary>
/// <param name="Findings">Entered by eye. With a picture it stays empty: the picture's findings are graded.</param>
/// <param name="Picture">The picture that it was read from, with what was found in it.</param>
public sealed record Inspected(Guid RunId, EndFaceClass EndFaceClass, string LimitSetId, IReadOnlyList<Finding> Findings, string? Note = null, SeenFace? Picture = null);

/// <summary>A picture's findings: what the program found, and what the person left, added or named otherwise. Both are kept; the final ones are graded.</summary>
/// <param name="UmPerPx">Scale of the picture.</param>
/// <param name="CentreXPx">The fiber's centre in the picture.</param>
public sealed record SeenFace(
    Guid PictureId, int WidthPx, int HeightPx, double UmPerPx, double CentreXPx, double CentreYPx, double CladdingDiameterPx, IReadOnlyList<SeenFinding> Automatic, IReadOnlyList<SeenFinding> Final);

/// <summary>From which side the light came.</summary>
public enum Direction
{
    /// <summary>From cable side A to side B.</summary>
    AToB,
    BToA,
}

/// <summary>One end's connector as a trace shows it, with everything its verdict depends on.</summary>
/// <param name="TraceId">The trace's file.</param>
/// <param name="DistanceM">Where the connector lies on the trace.</param>
/// <param name="OtherTraceId">The trace from the other side, where the loss is the mean of both.</param>
/// <param name="ReflectanceDb">Null where it reflects too little to be seen.</param>
public sealed record Traced(
    Guid RunId, Guid TraceId, int WavelengthNm, double DistanceM, double LossDb, double? ReflectanceDb, double LengthM, FiberMode Mode, Polish Polish, string LimitSetId, string? Note = null, Guid? OtherTraceId = null);

/// <summary>A cleave as its picture shows it, with the rule that it is held to.</summary>
/// <param name="PictureId">The picture's file.</param>
public sealed record CleaveSeen(Guid RunId, Guid PictureId, double UmPerPx, CleaveView View, CleaveRule Rule, string? Note = null);

/// <summary>What the red light did, by the connector's rule.</summary>
/// <param name="Photos">Two photos that were compared, if any.</param>
public sealed record LightJudged(Guid RunId, LightRule Rule, LightSeen Seen, LightPhotos? Photos = null, string? Note = null);

/// <summary>One reading with everything its limit depends on, so that the verdict never needs anything but this event and the limit set.</summary>
/// <param name="ReferenceAt">When the reference was set; a reading on one that is older than a shift is refused.</param>
/// <param name="ReferenceCords">What the reference cords are called, so that a worn one can be found.</param>
/// <param name="ReferenceDriftDb">What the last check of the reference had drifted; one that has drifted too far is refused.</param>
/// <param name="ReferenceCheckedAt">When the reference of this wavelength was read again and had held: its age counts from there.</param>
/// <param name="Into">What lay at the far end, where somebody said it.</param>
public sealed record Measured(
    Guid RunId, string LimitSetId, FiberClass FiberClass, double LengthM, int Connections, int Splices,
    ReferenceMethod Reference, int WavelengthNm, double ReferenceDbm, double ReadingDbm, double RepeatabilityDb, string? Note = null,
    DateTimeOffset? ReferenceAt = null, Direction? Direction = null, string? ReferenceCords = null, double? ReferenceDriftDb = null,
    DateTimeOffset? ReferenceCheckedAt = null, MeasuredInto? Into = null);

/// <summary>What a link's reading was measured into, by somebody who saw it.</summary>
public enum MeasuredInto
{
    /// <summary>The connector of this job, finished, though its own record does not say so yet.</summary>
    FinishedConnector,
    /// <summary>A connector that was there before.</summary>
    ExistingConnector,
    /// <summary>Something else; the note says what.</summary>
    Other,
}

/// <summary>Says it of every reading that this run has so far.</summary>
public sealed record FarEndSaid(Guid RunId, MeasuredInto Into, string? Note = null);

/// <summary>Something was done again on a finished connector: cleaned, or polished on from a step.</summary>
/// <param name="StepId">The step that the run goes back to; null when it was only cleaned.</param>
public sealed record Reworked(Guid RunId, ReworkReason Reason, string? StepId = null, double Minutes = 0, string? Note = null);

/// <summary>This connector is given up.</summary>
/// <param name="CutOff">True when the cable is cut behind the jacket edge.</param>
public sealed record AttemptClosed(Guid RunId, ReworkReason Reason, bool CutOff, string? Note = null);

public sealed record Accepted(Guid RunId, string? Note = null);

/// <summary>An earlier event was a mistake. It stays in the ledger; the state is told without it.</summary>
public sealed record Corrected(Guid EventId, string? Note = null);

public sealed record Noted(string Text);

public static class EventBodies
{
    private const int LongestText = 2000;
    private const int LongestLot = 60;
    private const int MostPreflight = 100;
    private const int MostFindings = 1000;

    /// <summary>Names in the ledger were once read whatever their case. Two that differ in nothing else can still be read in two ways, and are refused.</summary>
    private static readonly JsonSerializerOptions AsTaken = new(Wire.Json) { PropertyNameCaseInsensitive = true };

    /// <exception cref="RefusedException">The body does not have the shape of its kind.</exception>
    public static T Read<T>(LedgerEvent e)
    {
        try
        {
            if (e.Body.ValueKind == JsonValueKind.Object && !HasGap(e.Body) && e.Body.Deserialize<T>(e.Taken ? AsTaken : Wire.Json) is { } body)
            {
                return Checked(body);
            }
        }
        catch (JsonException x)
        {
            throw new RefusedException("body-shape", $"body{x.Path?.TrimStart('$')}", $"The body of '{Wire.Name(e.Kind)}' does not fit: {x.Message}");
        }

        throw new RefusedException("body-shape", "body", $"An event '{Wire.Name(e.Kind)}' needs a body.");
    }

    /// <summary>True when a list in it holds nothing at some place.</summary>
    private static bool HasGap(JsonElement e) => e.ValueKind switch
    {
        JsonValueKind.Object => e.EnumerateObject().Any(p => HasGap(p.Value)),
        JsonValueKind.Array => e.EnumerateArray().Any(x => x.ValueKind == JsonValueKind.Null || HasGap(x)),
        _ => false,
    };

    private static T Checked<T>(T body)
    {
        var text = body switch
        {
            Noted n => n.Text,
            CheckAnswered c => c.Note,
            Inspected i => i.Note,
            Measured m => m.Note,
            Reworked r => r.Note,
            AttemptClosed a => a.Note,
            Accepted a => a.Note,
            Corrected c => c.Note,
            ShardsCounted s => s.Note,
            Traced t => t.Note,
            CleaveSeen c => c.Note,
            LightJudged l => l.Note,
            FarEndSaid f => f.Note,
            _ => null,
        };
        if (text?.Length > LongestText)
        {
            throw new RefusedException("text-too-long", "body.note", $"A note holds at most {LongestText} characters.");
        }

        if (body is Measured { Into: MeasuredInto.Other } or FarEndSaid { Into: MeasuredInto.Other } && string.IsNullOrWhiteSpace(text))
        {
            throw new RefusedException("note-missing", "body.note", "Say in the note what it was measured into.");
        }

        var lots = body switch { AttemptStarted a => a.Preflight ?? [], PreflightAnswered p => [p.Answer], _ => [] };
        if (lots.Count > MostPreflight || lots.Any(l => l.Lot?.Length > LongestLot || l.Number is { } n && !double.IsFinite(n)))
        {
            throw new RefusedException("out-of-range", "body.preflight", $"A pre-flight has at most {MostPreflight} answers, and a lot at most {LongestLot} characters.");
        }

        if (body is ShardsCounted { Made: < 0 or > 10_000 } or ShardsCounted { Counted: < 0 or > 10_000 })
        {
            throw new RefusedException("out-of-range", "body.counted", "Shards are counted from 0 to 10,000.");
        }

        if (body is StepDone { Count: < 0 or > 100_000 } or StepDone { SheetTotal: < 0 })
        {
            throw new RefusedException("out-of-range", "body.count", "A count is 0 to 100,000.");
        }

        if (body is Reworked { Minutes: not (>= 0 and <= 1440) })
        {
            throw new RefusedException("out-of-range", "body.minutes", "Minutes are 0 to 1440.");
        }

        if (body is Inspected { Picture: { } picture } looked)
        {
            var faults = picture.Automatic.SelectMany((f, i) => f.Faults($"body.picture.automatic[{i}]")).Concat(picture.Final.SelectMany((f, i) => f.Faults($"body.picture.final[{i}]"))).ToList();
            if (picture.Automatic.Count > MostFindings || picture.Final.Count > MostFindings)
            {
                faults.Add(new("out-of-range", "body.picture.final", $"A picture has at most {MostFindings} findings."));
            }

            if (picture is not { UmPerPx: > 0 and <= 10, WidthPx: > 0 and <= 100_000, HeightPx: > 0 and <= 100_000 } || !double.IsFinite(picture.CentreXPx + picture.CentreYPx + picture.CladdingDiameterPx))
            {
                faults.Add(new("out-of-range", "body.picture.umPerPx", "A picture has a size, and a scale above 0 and at most 10 µm a pixel."));
            }

            if (looked.Findings.Count > 0)
            {
                faults.Add(new("findings-twice", "body.findings", "With a picture its own findings are graded; leave this list empty."));
            }

            if (faults.Count > 0)
            {
                throw new RefusedException(faults);
            }
        }

        if (body is CleaveSeen { View: var view, Rule: var rule } cleave
            && !(view is { AngleDeg: >= -45 and <= 45, LipUm: >= 0 and <= 250, ChipUm: >= 0 and <= 250, RoughUm: >= 0 and <= 250 }
                && rule is { NominalDeg: >= 0 and <= 20, ToleranceDeg: > 0 and <= 10, MostLipUm: >= 0 and <= 250, MostChipUm: >= 0 and <= 250, MostRoughUm: >= 0 and <= 250 }
                && cleave.UmPerPx is > 0 and <= 10))
        {
            throw new RefusedException("out-of-range", "body.view", "A cleave's angle is −45 to 45°, its lip, chip and hackle 0 to 250 µm, its rule's tolerance above 0 and at most 10°.");
        }

        if (body is LightJudged { Photos: { } photos })
        {
            if (photos.Window.Fault is { } fault)
            {
                throw new RefusedException("out-of-range", "body.photos.window", fault);
            }

            if (photos is not { BeforeLevel: >= -1 and <= 1.01, AfterLevel: >= -1 and <= 1.01, ExposureRatio: >= 0 and <= 1e6, BurntShare: >= 0 and <= 1 })
            {
                throw new RefusedException("out-of-range", "body.photos.beforeLevel", "Levels of light are at most 1, shares 0 to 1.");
            }
        }

        if (body is Measured { ReferenceCords.Length: > LongestLot })
        {
            throw new RefusedException("text-too-long", "body.referenceCords", $"The cords' name holds at most {LongestLot} characters.");
        }

        if (body is Measured { ReferenceDriftDb: { } drift } && !(Math.Abs(drift) <= References.MostDriftDb + 1e-9))
        {
            throw new RefusedException("reference-drifted", "body.referenceDriftDb", $"The reference had drifted by more than {References.MostDriftDb} dB; set it again.");
        }

        if (body is Traced && body is not Traced { WavelengthNm: >= 600 and <= 1700, LossDb: >= -10 and <= 60, LengthM: >= 0 and <= 200_000, DistanceM: >= -1000 and <= 200_000, ReflectanceDb: null or (>= -100 and <= 0) })
        {
            throw new RefusedException("out-of-range", "body.lossDb", "A trace's loss is −10 to 60 dB, its reflectance −100 to 0 dB, its wavelength 600 to 1700 nm, its length at most 200,000 m.");
        }

        return body;
    }
}
