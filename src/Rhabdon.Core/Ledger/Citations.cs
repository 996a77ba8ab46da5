using Rhabdon.Core.Inspection;

namespace Rhabdon.Core.Ledger;

/// <summary>A picture or trace that is kept of an end.</summary>
/// <param name="Found">What the program found in it when it was kept; null where it finds nothing of the kind, or was not asked then.</param>
/// <param name="Glow">Where it is the second of two photos of the red light: what was read of both.</param>
/// <param name="Cleave">Where it is the side view of a cleave: what was read in it.</param>
public sealed record KeptEvidence(IReadOnlyList<SeenFinding>? Found, KeptGlow? Glow = null, CleaveView? Cleave = null);

/// <summary>Events that rest on a picture or a trace name it, and it has to be that end's.</summary>
public static class Citations
{
    /// <summary>The pictures and traces that an event names, with the field of each.</summary>
    public static IEnumerable<(EvidenceId Id, string Field)> Of(LedgerEvent e) => e.Kind switch
    {
        EventKind.Inspected => [.. One(EventBodies.Try<Inspected>(e)?.Picture?.PictureId, "body.picture.pictureId"), .. One(EventBodies.Try<Inspected>(e)?.PhotoId, "body.photoId")],
        EventKind.CleaveSeen => One(EventBodies.Try<CleaveSeen>(e)?.PictureId, "body.pictureId"),
        EventKind.Traced => [.. One(EventBodies.Try<Traced>(e)?.TraceId, "body.traceId"), .. One(EventBodies.Try<Traced>(e)?.OtherTraceId, "body.otherTraceId")],
        EventKind.LightJudged => [.. One(EventBodies.Try<LightJudged>(e)?.Photos?.BeforeId, "body.photos.beforeId"), .. One(EventBodies.Try<LightJudged>(e)?.Photos?.AfterId, "body.photos.afterId")],
        _ => [],
    };

    /// <exception cref="RefusedException">Something that the event names is not kept of this end, or not yet.</exception>
    internal static void Check(Question q)
    {
        if (q.Plan.Evidence is { } kept && Of(q.Event).FirstOrDefault(c => !kept.ContainsKey(c.Id)) is { Field: not null } missing)
        {
            throw new RefusedException("evidence-unknown", missing.Field, "No such picture or trace is kept of this end.");
        }
    }

    private static IEnumerable<(EvidenceId, string)> One(EvidenceId? id, string field) => id is { } known ? [(known, field)] : [];
}
