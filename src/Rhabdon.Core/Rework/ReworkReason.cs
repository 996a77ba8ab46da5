namespace Rhabdon.Core.Rework;

/// <summary>Why an end had to be worked again: the trade's closed list; free text goes beside it.</summary>
public enum ReworkReason
{
    Contamination,
    Scratched,
    CoreChippedOrCracked,
    EdgeChip,
    UndercutOrOverPolished,
    AdhesiveOnFerrule,
    FiberBrokenInFerrule,
    FiberBrokeInStripping,
    CleaveAngleOrChip,
    CleaveLength,
    NotSeatedOrGap,
    ReseatedAfterContact,
    WrongFiberClass,
    WrongPolishOrForm,
    BootOrSleeveForgotten,
    PartsThreadedInWrongOrder,
    AdhesiveSetEarly,
    AdhesiveNotSet,
    SpliceDefect,
    SleeveDefect,
    CrimpDefectOrStrainRelief,
    BendOrPinch,
    PolarityOrPortSwapped,
    DamagedAfterAcceptance,
    BadReference,
    Other,
}
