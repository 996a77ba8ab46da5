using Rhabdon.Core.Connectors;
using Rhabdon.Core.Fiber;
using Rhabdon.Core.Inspection;
using Rhabdon.Core.Prep;
using Rhabdon.Core.Rework;

namespace Rhabdon.Core.Procedures;

/// <summary>The bands of the loom, in the order of the work.</summary>
public enum Phase
{
    Thread, Strip, Clean, Cleave, Join, Set, Finish, Look, Test,
}

/// <summary>How good an answer to a check is.</summary>
public enum Tone
{
    Good, Doubtful, Bad,
}

/// <summary>A caution of the trade that belongs beside a step; the words are in the interface's catalogue.</summary>
public enum Caution
{
    Glass, Light, Heat, Chemicals, Alcohol, Arc, Blades, Place,
}

/// <summary>What a rung of the ladder takes from the cable, computed from the prep card so that it follows an edited mark.</summary>
public enum SlackCost
{
    /// <summary>Nothing is cut.</summary>
    None,
    /// <summary>The glass is lost before the cleave: its bare length.</summary>
    Restrip,
    /// <summary>A new cleave from a new strip: the length of the shard.</summary>
    Recleave,
    /// <summary>The end is cut off behind the jacket edge and made again.</summary>
    CutOff,
}

/// <summary>A termination procedure as it is written in YAML; see procedures/procedure.schema.json.</summary>
/// <param name="Source">Where the dimensions come from, shown wherever they are.</param>
/// <param name="Parts">In threading order: what goes on the cable first stands first.</param>
/// <param name="Options">Where practitioners disagree; a company picks, and the record says which school was followed.</param>
/// <param name="Preflight">What has to be so before the steps that rest on it.</param>
/// <param name="Together">How many strands one act works at once: 12 for a ribbon.</param>
public sealed record ProcedureDocument(
    string Id,
    int Version,
    string Title,
    TerminationMethod Method,
    string Source,
    ProcedureFit Fits,
    IReadOnlyList<Part> Parts,
    IReadOnlyList<Tool> Tools,
    PrepPlan Prep,
    IReadOnlyList<Step> Steps,
    IReadOnlyList<Ladder> Ladders,
    IReadOnlyList<ProcedureOption>? Options = null,
    IReadOnlyList<PreflightItem>? Preflight = null,
    int Together = 1);

/// <summary>A question on which schools differ.</summary>
/// <param name="Default">Id of the choice that holds where the company says nothing.</param>
/// <param name="Why">Why that is the default.</param>
public sealed record ProcedureOption(string Id, string Question, string Default, string Why, IReadOnlyList<OptionChoice> Choices);

public sealed record OptionChoice(string Id, string Label);

/// <summary>Holds only where one of these choices of an option is followed; <c>form</c>, <c>polish</c> and <c>mode</c> the end itself answers (<see cref="EndOptions"/>).</summary>
public sealed record When(string Option, IReadOnlyList<string> Is);

/// <summary>Another place in the order, where one of these choices is followed.</summary>
/// <param name="After">The step that it then comes after.</param>
public sealed record Move(string Option, IReadOnlyList<string> Is, string After);

/// <summary>A layer that an act takes off, and with what.</summary>
/// <param name="NotchMm">The notch's size; absent where a tool without notches does it.</param>
/// <param name="Tool">Id of that tool.</param>
public sealed record Stripping(Layer Layer, double? NotchMm = null, string? Tool = null);

/// <summary>What a splice is held to by what the splicer shows.</summary>
/// <param name="MostLossDb">Of its estimate.</param>
/// <param name="MostAngleDeg">Of either cleave.</param>
public sealed record SpliceLimits(double MostLossDb, double MostAngleDeg);

public sealed record ProcedureFit(
    IReadOnlyList<ConnectorForm> Forms,
    IReadOnlyList<Polish> Polishes,
    IReadOnlyList<CableConstruction> Constructions,
    IReadOnlyList<FiberClass> Classes)
{
    public bool Covers(ConnectorSpec connector, CableSpec cable) =>
        Forms.Contains(connector.Form) && Polishes.Contains(connector.Polish)
        && Constructions.Contains(cable.Construction) && Classes.Contains(cable.FiberClass);
}

/// <param name="Threaded">True when it is slid on the cable before the connector is joined.</param>
/// <param name="First">The side that goes first.</param>
/// <param name="On">True when it comes on the connector: a cap, a wedge, a protector.</param>
/// <param name="Cap">The dust cap of the ferrule: on when the procedure ends, whether it comes on the connector or not.</param>
/// <param name="Crimped">It holds only crimped.</param>
/// <param name="When">Where only some connectors or schools have it.</param>
public sealed record Part(string Id, string Name, bool Threaded, string? Note = null, string? First = null, bool On = false, bool Cap = false, bool Crimped = false, When? When = null);

public sealed record Tool(string Id, string Name, string? Setting = null, When? When = null);

/// <summary>One act at the bench.</summary>
/// <param name="Act">What the hands do, in a few words.</param>
/// <param name="Batch">True when it is done for all strands of a batch before going on.</param>
/// <param name="Mandatory">True when no walk may pass it by.</param>
/// <param name="Marks">Names of prep points or spans whose distances are shown with the act.</param>
/// <param name="Shards">Pieces of glass that the act makes.</param>
/// <param name="Cleaves">Cleaves that the act makes, for the blade's life.</param>
/// <param name="Arcs">Arcs that the act fires, for the electrodes' life.</param>
/// <param name="When">The school to which the step belongs; absent where it belongs to all.</param>
/// <param name="Once">True when it is the same for all strands of a batch, and asked once.</param>
/// <param name="Moves">Where the act comes in other schools.</param>
/// <param name="Uses">Parts that the act fits.</param>
/// <param name="Crimps">Parts that it crimps.</param>
/// <param name="Puts">Caps, clamps, holders, tools that it puts on.</param>
/// <param name="Takes">Those that it takes off.</param>
/// <param name="Strip">The layer that it takes off.</param>
/// <param name="Lit">Light goes through the connector while it is done.</param>
/// <param name="Splice">Where it splices: what the splice is held to.</param>
/// <param name="Drawing">Which drawing shows it.</param>
public sealed record Step(
    string Id,
    Phase Phase,
    string Act,
    string? Detail = null,
    bool Batch = false,
    bool Mandatory = false,
    IReadOnlyList<string>? Marks = null,
    Caution? Caution = null,
    StepTimer? Timer = null,
    StepCount? Count = null,
    int Shards = 0,
    Check? Check = null,
    int Cleaves = 0,
    int Arcs = 0,
    When? When = null,
    bool Once = false,
    IReadOnlyList<Move>? Moves = null,
    IReadOnlyList<string>? Uses = null,
    IReadOnlyList<string>? Crimps = null,
    IReadOnlyList<string>? Puts = null,
    IReadOnlyList<string>? Takes = null,
    Stripping? Strip = null,
    bool Lit = false,
    SpliceLimits? Splice = null,
    Drawing? Drawing = null);

/// <param name="Unattended">True when the hands are free meanwhile.</param>
public sealed record StepTimer(string Label, double DurationS, bool Unattended = false, Basis? Basis = null);

/// <param name="Min">Fewest that will do.</param>
/// <param name="Max">Most before it does harm.</param>
/// <param name="PacePerS">Strokes a second to keep, if any.</param>
/// <param name="Film">The film whose sheet wears with these strokes, if any.</param>
/// <param name="SheetLimit">Strokes after which that sheet is done.</param>
public sealed record StepCount(string What, int Min, int Max, double? PacePerS = null, string? Film = null, int? SheetLimit = null, Basis? Basis = null);

/// <param name="Light">Where the check judges the red light: by which rule.</param>
public sealed record Check(string Question, IReadOnlyList<Answer> Answers, LightRule? Light = null);

/// <summary>One answer to a check. It leads to exactly one of: the next step, a later step, a ladder.</summary>
public sealed record Answer(string Id, string Label, Tone Tone, bool Next = false, string? Goto = null, string? Ladder = null, ReworkReason? Reason = null);

/// <summary>What to try, in order, when a check goes wrong. The last rung starts a new attempt.</summary>
public sealed record Ladder(string Id, string Title, IReadOnlyList<Rung> Rungs);

/// <param name="Tries">How often it may be tried in one attempt.</param>
/// <param name="Goto">The step to go on from; absent where a new attempt begins.</param>
/// <param name="NewAttempt">True when this attempt ends here and the end is begun afresh.</param>
/// <param name="Slack">What it takes from the cable.</param>
/// <param name="SlackMm">Overrides the computed cost, in millimetres.</param>
/// <param name="Parts">Ids of parts that are lost.</param>
/// <param name="When">The school to which the rung belongs; absent where it belongs to all.</param>
public sealed record Rung(
    string Id,
    string Act,
    double Minutes,
    int Tries = 1,
    string? Goto = null,
    bool NewAttempt = false,
    SlackCost Slack = SlackCost.None,
    double? SlackMm = null,
    IReadOnlyList<string>? Parts = null,
    When? When = null);
