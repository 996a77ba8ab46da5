namespace Rhabdon.Core.Ledger;

/// <summary>What a person may do in their company.</summary>
public enum Role
{
    Installer, Lead, Office, Viewer,
}

/// <summary>Who may say what of an end. The screens offer no more than this, and the ledger takes no more.</summary>
public static class Rights
{
    private static readonly Refusal Settles = new("lead-settles", "kind", "Two devices worked this end at once: the crew lead settles that.");

    /// <summary>Why this person may not say it; null when they may.</summary>
    /// <param name="role">Of the one who answers for the event: its sender, or the lead who takes it in again.</param>
    public static Refusal? Against(Role role, EndState state, LedgerEvent e)
    {
        if (role is Role.Lead or Role.Office)
        {
            return null;
        }

        if (role == Role.Viewer)
        {
            return new("not-allowed", "actorId", "A viewer writes nothing.");
        }

        if (state.Conflict && e.Kind is EventKind.Corrected or EventKind.AttemptClosed)
        {
            return Settles;
        }

        if (e.Kind == EventKind.AttemptClosed && state.Attempts.FirstOrDefault(a => a.RunId == EventBodies.Read<AttemptClosed>(e).RunId) is { } attempt)
        {
            return AgainstClosing(role, e.ActorId, state, attempt);
        }

        return e.Kind == EventKind.Accepted && state.Attempts.FirstOrDefault(a => a.RunId == EventBodies.Read<Accepted>(e).RunId) is { MarginalOver: true }
            ? new("lead-accepts", "kind", "A reading lies over its limit: only the crew lead accepts that, with the reason.")
            : null;
    }

    /// <summary>Why this person may not give a connector up; null when they may.</summary>
    public static Refusal? AgainstClosing(Role role, PersonId personId, EndState state, AttemptState attempt) => role switch
    {
        Role.Lead or Role.Office => null,
        Role.Viewer => new("not-allowed", "actorId", "A viewer writes nothing."),
        _ when state.Conflict => Settles,
        _ when attempt.AcceptedAt is not null => new("lead-closes", "kind", "An accepted connector is given up by the crew lead."),
        _ when attempt.StartedBy != personId => new("lead-closes", "kind", "Somebody else's connector is given up by the crew lead."),
        _ => null,
    };
}
