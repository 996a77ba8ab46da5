using Rhabdon.Core.Connectors;
using Rhabdon.Core.Inspection;
using Rhabdon.Core.Prep;
using Rhabdon.Core.Rework;

namespace Rhabdon.Core.Procedures;

/// <summary>A procedure made ready to walk: states, and what each input leads to. Server and browser walk it alike.</summary>
/// <param name="Hash">Of the document's structure; an event that begins a run names it.</param>
/// <param name="Start">Id of the first state.</param>
public sealed record RunTable(
    string ProcedureId,
    int Version,
    string Title,
    TerminationMethod Method,
    string Source,
    string Start,
    IReadOnlyList<RunState> States,
    IReadOnlyList<RunLadder> Ladders,
    IReadOnlyList<Part> Parts,
    IReadOnlyList<Tool> Tools,
    PrepCard Prep,
    IReadOnlyList<RunSchool> Schools,
    IReadOnlyList<PreflightItem> Preflight,
    int Together,
    string Hash)
{
    /// <summary>The input of an act that has no check.</summary>
    public const string Done = "done";

    public RunState? State(string id) => States.FirstOrDefault(s => s.Id == id);

    public RunLadder Ladder(string id) => Ladders.First(l => l.Id == id);
}

/// <param name="On">What each input leads to; the keys are <c>done</c> or the ids of the answers.</param>
public sealed record RunState(
    string Id,
    Phase Phase,
    string Act,
    string? Detail,
    bool Batch,
    bool Mandatory,
    IReadOnlyList<RunDimension> Dimensions,
    Caution? Caution,
    StepTimer? Timer,
    StepCount? Count,
    int Shards,
    int Cleaves,
    int Arcs,
    string? Question,
    IReadOnlyList<RunAnswer> Answers,
    IReadOnlyDictionary<string, RunTransition> On,
    LightRule? Light = null,
    bool Once = false,
    IReadOnlyList<string>? Uses = null,
    IReadOnlyList<string>? Puts = null,
    IReadOnlyList<string>? Takes = null,
    Stripping? Strip = null,
    SpliceLimits? Splice = null,
    Drawing? Drawing = null,
    bool Lit = false);

/// <summary>Which school is followed in this run, of those that there are.</summary>
/// <param name="Choice">Id of the choice.</param>
/// <param name="IsDefault">False where the company picked another.</param>
/// <param name="OfEnd">True where the end itself answers: its form, polish or mode.</param>
/// <param name="Choices">What it could be; only of what the end answers.</param>
public sealed record RunSchool(string Option, string Question, string Choice, string Label, bool IsDefault, string Why, bool OfEnd = false, IReadOnlyList<string>? Choices = null);

/// <summary>A number that the hand needs at this step.</summary>
/// <param name="FromEnd">True where it is measured from the cable's end; else between two edges.</param>
public sealed record RunDimension(string Id, string Name, double LengthMm, double? ToleranceMm, Basis? Basis = null, bool FromEnd = false);

public sealed record RunAnswer(string Id, string Label, Tone Tone);

/// <param name="To">The next state; null where the run is finished or a ladder decides.</param>
/// <param name="Ladder">The ladder that decides.</param>
public sealed record RunTransition(string? To, string? Ladder, ReworkReason? Reason);

/// <summary>A ladder laid out flat: the n-th time it is needed, the n-th entry holds.</summary>
public sealed record RunLadder(string Id, string Title, IReadOnlyList<RunRung> Uses);

/// <param name="To">The state to go on from; null where a new attempt begins.</param>
public sealed record RunRung(string Id, string Act, string? To, double Minutes, double SlackMm, IReadOnlyList<string> Parts);
