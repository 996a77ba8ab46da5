namespace Rhabdon.Core.Ledger;

/// <summary>An event with all that it is decided on.</summary>
/// <param name="Sender">Who answers for it; null where that was asked when it came.</param>
/// <param name="Before">What it was judged when it was first heard: editions, and what was planned then, stay with it.</param>
/// <param name="Body">The event's body, where it was read already; see <see cref="Telling.BodyOf"/>.</param>
public sealed record Question(PlannedConnector Plan, EndState State, Rules Rules, LedgerEvent Event, Role? Sender = null, Judged? Before = null, object? Body = null);

/// <summary>An event's judgement, and the state with it.</summary>
public sealed record Told(EndState State, Judged Judged);

/// <summary>All that the ledger knows of one kind of event.</summary>
internal abstract class EventRule
{
    /// <exception cref="RefusedException">The event breaks a rule of the job; nothing has changed.</exception>
    public abstract Told Tell(Question q);

    /// <summary>Folds what was decided. Asks no rule, and never fails for one.</summary>
    public abstract EndState Evolve(EndState state, LedgerEvent e, Judged judged);

    /// <returns>Null where the body does not have the shape of its kind.</returns>
    public abstract object? BodyOf(LedgerEvent e);
}

/// <typeparam name="TBody">What the device writes.</typeparam>
/// <typeparam name="TJudged">What is decided of it.</typeparam>
internal abstract class EventRule<TBody, TJudged> : EventRule
    where TBody : class
    where TJudged : Judged
{
    public override Told Tell(Question q)
    {
        var body = q.Body as TBody ?? EventBodies.Read<TBody>(q.Event);
        EventBodies.Check(body is INoted noted ? noted.Note : null, Faults(body));
        var judged = Decide(q, body);
        return new(Telling.Heard(Fold(q.State, q.Event, body, judged), q.Event), judged);
    }

    public override object? BodyOf(LedgerEvent e) => EventBodies.Try<TBody>(e);

    public override EndState Evolve(EndState state, LedgerEvent e, Judged judged) =>
        Telling.Heard(Fold(state, e, EventBodies.Read<TBody>(e with { Taken = true }), judged), e);

    private EndState Fold(EndState state, LedgerEvent e, TBody body, Judged judged) =>
        judged is TJudged own ? Evolve(state, e, body, own) : Otherwise(state, e, body, judged);

    /// <summary>What is wrong with the body, whatever the state.</summary>
    protected virtual IEnumerable<Refusal> Faults(TBody body) => [];

    protected abstract Judged Decide(Question q, TBody body);

    protected abstract EndState Evolve(EndState state, LedgerEvent e, TBody body, TJudged judged);

    protected virtual EndState Otherwise(EndState state, LedgerEvent e, TBody body, Judged judged) => state;

    protected static Refusal OutOf(string field, string message) => new("out-of-range", field, message);
}

/// <summary>A body with a note of the person's own.</summary>
internal interface INoted
{
    string? Note { get; }
}

/// <summary>Runs on an end, as rules ask for them.</summary>
internal static class Runs
{
    /// <summary>The open attempt of this run.</summary>
    public static AttemptState Open(Question q, RunId runId)
    {
        var attempt = q.State.Attempts.FirstOrDefault(a => a.RunId == runId)
            ?? throw new RefusedException("run-unknown", "body.runId", "This end has no such run.");
        if (attempt.No != q.Event.Attempt)
        {
            throw new RefusedException("attempt-number", "attempt", $"That run is attempt {attempt.No}, not {q.Event.Attempt}.");
        }

        return attempt.Open ? attempt : throw new RefusedException("attempt-closed", "body.runId", $"Attempt {attempt.No} is closed; start a new one.");
    }

    /// <summary>The open attempt of this run, made and not accepted yet.</summary>
    public static AttemptState Finished(Question q, RunId runId)
    {
        var attempt = Open(q, runId);
        if (attempt.Position.Outcome != Bench.RunOutcome.Finished)
        {
            throw new RefusedException("run-not-finished", "body.runId", "The run is not finished; this comes after its last step.");
        }

        return attempt.AcceptedAt is null ? attempt
            : throw new RefusedException("already-accepted", "body.runId", "This end is accepted. Correct the acceptance, or close the attempt, first.");
    }

    public static Procedures.RunTable Table(Question q, AttemptState a) => q.Rules.Table(a.ProcedureId, a.ProcedureVersion, a.Schools);

    /// <summary>The state with this run changed; as it is where it has no such run.</summary>
    public static EndState With(EndState state, RunId runId, Func<AttemptState, AttemptState> change) =>
        state with { Attempts = [.. state.Attempts.Select(a => a.RunId == runId ? change(a) : a)] };
}
