using Rhabdon.Core.Planning;

namespace Rhabdon.Core.Ledger;

/// <summary>What is known of a stream outside its own events.</summary>
/// <param name="CrewId">Whose it is: the crew that plans the job, the crew itself, the crew whose ends lie in the batch.</param>
/// <param name="Ends">The ends of the job; empty elsewhere.</param>
/// <param name="ShardsMade">By all runs of the batch until the moment of the event, as far as they are known.</param>
/// <param name="Crews">The company's crews, with who is in them.</param>
public sealed record StreamFacts(CrewId? CrewId, IReadOnlySet<EndId> Ends, int ShardsMade, ILookup<CrewId, PersonId> Crews);

/// <summary>An event of a stream with all that it is decided on.</summary>
/// <param name="State">Null where nothing was heard of it yet.</param>
/// <param name="Sender">Who answers for it; null where that was asked when it came.</param>
public sealed record StreamQuestion(StreamEvent Event, StreamState? State, StreamFacts Facts, Worker? Sender);

internal abstract class StreamRule
{
    public abstract StreamKind Stream { get; }

    /// <exception cref="RefusedException">The event breaks a rule; nothing has changed.</exception>
    public abstract Judged Decide(StreamQuestion q);

    /// <summary>Folds what was decided. Asks no rule.</summary>
    public abstract StreamState Evolve(StreamState? state, StreamEvent e, Judged judged);
}

/// <typeparam name="TState">Of the stream.</typeparam>
/// <typeparam name="TBody">What the device writes.</typeparam>
internal abstract class StreamRule<TState, TBody> : StreamRule
    where TState : StreamState
    where TBody : class
{
    public override Judged Decide(StreamQuestion q)
    {
        var body = EventBodies.Read<TBody>(q.Event.Body, Wire.Name(q.Event.Kind), q.Event.Taken);
        EventBodies.Check(body is INoted noted ? noted.Note : null, Faults(body));
        if (q.Sender is { } sender && Against(q, sender, body) is { } against)
        {
            throw new RefusedException([against]);
        }

        return Decide(q, body);
    }

    public override StreamState Evolve(StreamState? state, StreamEvent e, Judged judged)
    {
        var body = EventBodies.Read<TBody>(e.Body, Wire.Name(e.Kind), taken: true);
        var next = Evolve((TState?)state ?? Empty(e, body), e, body, judged);
        return next with { LastAt = next.LastAt is { } last && last > e.ToldAt ? last : e.ToldAt };
    }

    /// <summary>What is wrong with the body, whatever the state.</summary>
    protected virtual IEnumerable<Refusal> Faults(TBody body) => [];

    /// <summary>Why this person may not say it.</summary>
    protected virtual Refusal? Against(StreamQuestion q, Worker sender, TBody body) =>
        sender.Role == Role.Viewer ? new("not-allowed", "actorId", "A viewer writes nothing.")
        : sender.Role == Role.Office || q.Facts.CrewId is null || q.Facts.CrewId == sender.CrewId ? null
        : new("not-your-crews", "streamId", "This is another crew's.");

    protected virtual Judged Decide(StreamQuestion q, TBody body) => new Kept();

    /// <summary>The state before the first event of a stream.</summary>
    /// <exception cref="RefusedException">This kind cannot be the first.</exception>
    protected abstract TState Empty(StreamEvent e, TBody body);

    protected abstract TState Evolve(TState state, StreamEvent e, TBody body, Judged judged);

    /// <summary>What is opened is one's own crew's; the office opens for any.</summary>
    protected static Refusal? OwnCrewOnly(Worker sender, CrewId crewId) =>
        sender.Role == Role.Office || crewId == sender.CrewId ? null : new("not-your-crews", "body.crewId", "This is another crew.");

    protected static Refusal? LeadOnly(Worker sender) => sender.Role is Role.Lead or Role.Office ? null : new("lead-says", "kind", "The crew lead or the office says this.");

    protected static IEnumerable<Refusal> Named(string field, string? text, int most = 120)
    {
        if (string.IsNullOrWhiteSpace(text) || text.Length > most || text.Any(char.IsControl))
        {
            yield return new("text-length", field, $"It needs 1 to {most} characters on one line.");
        }
    }

    protected static RefusedException Unknown(StreamEvent e) => new("stream-unknown", "streamId", $"Nothing is known of this {Wire.Name(e.Stream)} yet.");

    protected static Refusal OutOf(string field, string message) => new("out-of-range", field, message);
}
