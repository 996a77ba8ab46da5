namespace Rhabdon.Core.Procedures;

/// <summary>Kinds of drawings of what the hands do; each is drawn from the step's own figures.</summary>
public enum Drawing
{
    /// <summary>Parts slid on the cable, each with its first side.</summary>
    Thread,
    Mark, Notch, TwistOff,
    /// <summary>Aramid gathered and cut, or folded back.</summary>
    Aramid, AramidBack,
    Bite, CoatingStrip,
    /// <summary>Folded wipe, with a quarter turn between.</summary>
    Wipe,
    Flick, Bend,
    /// <summary>The connector into its tool.</summary>
    Load,
    CapOff, RearCapOff, CapOn, Holder, Cleave, AngledCleave, SideView,
    /// <summary>Fiber into the connector, to its mark or stop.</summary>
    Insert,
    Bow, Lock, Release,
    /// <summary>Light in the window before and after.</summary>
    Glow,
    /// <summary>Adhesive until a bead shows.</summary>
    Inject,
    Primer, Hold, Tug, Crimp, Scribe,
    /// <summary>The stub taken down on the coarse film.</summary>
    AirPolish,
    /// <summary>Figure-eights on a film, with their count and drops.</summary>
    Eights,
    EndFace,
    Arc, Sleeve,
    /// <summary>Slack laid into a tray or module.</summary>
    Routing,
    /// <summary>Heat: an oven, a heat source.</summary>
    Heat,
    /// <summary>Boot, housing, shroud: what closes the connector.</summary>
    Close,
    /// <summary>Things laid beside each other and compared.</summary>
    Compare,
    PairClip,
    /// <summary>Parts laid out in their order.</summary>
    LayOut,
    /// <summary>Fiber drawn out of its tube.</summary>
    DrawOut,
    /// <summary>The stripper held at an angle.</summary>
    Tilt,
    TurnLever, Squeeze, CutOff,
    /// <summary>The tool's own lamp.</summary>
    Lamp,
    Mix,
    /// <summary>Fiber from above into a hot connector.</summary>
    FeedDown,
    /// <summary>On a stand, plate or tray.</summary>
    Cool,
    /// <summary>The bead at the tip, large.</summary>
    Bead,
    Shrink, GripPuck, GripConnector,
    /// <summary>Two tips before the electrodes.</summary>
    Tips,
    /// <summary>Both ends as the splicer shows them.</summary>
    TwoCleaves,
    /// <summary>A joined fiber out of the splicer.</summary>
    LiftOut,
    /// <summary>Slack laid the other way round.</summary>
    RoutingBack,
    /// <summary>A module's lid, off before the work and on after it.</summary>
    Lid,
    /// <summary>Loose fibers made a ribbon.</summary>
    Ribbonise,
    /// <summary>Sleeves in their holder.</summary>
    SleeveTray,
    /// <summary>Where things stand about the splicer.</summary>
    Stand,
}
