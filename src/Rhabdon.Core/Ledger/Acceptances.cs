namespace Rhabdon.Core.Ledger;

/// <summary>Whether a connector can be accepted as it stands.</summary>
public enum Acceptance
{
    /// <summary>Something is not proven yet, or speaks against it.</summary>
    No,
    May,
    /// <summary>A reading lies over its limit, within what the meter can tell: with a reason.</summary>
    WithReason,
    /// <summary>The same, and this person is no lead.</summary>
    LeadOnly,
}

/// <summary>By what a connector is accepted: the ledger's rule, and the screen's.</summary>
public static class Acceptances
{
    /// <param name="role">Of the one who asks.</param>
    /// <param name="countedAt">When the containers of its batches were counted last.</param>
    public static Acceptance Of(EndState state, Role role, IReadOnlyDictionary<BatchId, Instant>? countedAt) =>
        role == Role.Viewer || state.Current is not { } run || Against(state, run, countedAt) is not null ? Acceptance.No
        : !run.MarginalOver ? Acceptance.May
        : role is Role.Lead or Role.Office ? Acceptance.WithReason : Acceptance.LeadOnly;

    /// <summary>What speaks against it, whoever asks and whatever the reason; null where nothing does.</summary>
    internal static Refusal? Against(EndState state, AttemptState run, IReadOnlyDictionary<BatchId, Instant>? countedAt) =>
        Unproven(state, run, true) ?? Damaged(run) ?? Uncounted(run, countedAt);

    /// <param name="farEndCounts">False for what the ledger took before far ends had to be known: it stays accepted.</param>
    internal static Refusal? Unproven(EndState state, AttemptState run, bool farEndCounts) =>
        run.Proven == EndStatus.ToAccept && !state.Conflict && !(farEndCounts && run.FarEndUnknown) ? null
        : run.Status switch
        {
            EndStatus.ToMeasure when run.Proven == EndStatus.ToAccept => Refusal.Of("not-proven-far-end", "kind"),
            EndStatus.AtBench => Refusal.Of("not-proven-at-bench", "kind"),
            EndStatus.ToLook => Refusal.Of("not-proven-to-look", "kind"),
            EndStatus.ToMeasure => Refusal.Of("not-proven-to-measure", "kind"),
            EndStatus.NeedsDecision => Refusal.Of("not-proven-failed", "kind"),
            EndStatus.Accepted => Refusal.Of("not-proven-accepted", "kind"),
            _ => Refusal.Of("not-proven-conflict", "kind"),
        };

    internal static Refusal? Uncounted(AttemptState run, IReadOnlyDictionary<BatchId, Instant>? countedAt) => Shards.Counted(run, countedAt) ? null : Refusal.Of("shards-uncounted", "kind");

    internal static Refusal? Damaged(AttemptState run) => run.Broken ? Refusal.Of("damaged", "kind") : null;
}
