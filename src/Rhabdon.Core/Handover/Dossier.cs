using Rhabdon.Core.Connectors;
using Rhabdon.Core.Fiber;
using Rhabdon.Core.Inspection;
using Rhabdon.Core.Ledger;
using Rhabdon.Core.Loss;
using Rhabdon.Core.Rework;

namespace Rhabdon.Core.Handover;

public enum DossierEdition
{
    /// <summary>What was accepted, and how it was proven.</summary>
    Customer,
    /// <summary>Everything, with attempts, tools and lots.</summary>
    Company,
}

/// <summary>What of a job a dossier holds.</summary>
/// <param name="Names">People are named in it; without, nobody is.</param>
/// <param name="ExceptionsOnly">Only ends that something is to be said of.</param>
/// <param name="Pictures">With end faces and traces; without, their verdicts stand alone.</param>
/// <param name="SpaceIds">Only of these; null for all.</param>
/// <param name="PlaceIds">Only of these panels and jumpers; null for all.</param>
/// <param name="Photos">With photos of ends, of panels and of the site.</param>
public sealed record DossierChoice(
    DossierEdition Edition, bool Names = false, bool ExceptionsOnly = false, bool Pictures = true, IReadOnlyList<SpaceId>? SpaceIds = null, IReadOnlyList<PlaceId>? PlaceIds = null, bool Photos = false);

/// <summary>The proof of a job as data: what the paper shows, what the tables hold, and what the seal is put on. It says nothing of when it was made: the same ledger gives the same dossier.</summary>
/// <param name="Format">Name and version of this shape; see docs/formats.</param>
/// <param name="AsOf">When something was last said of what is in it; null where nothing was.</param>
/// <param name="Company">Whose record it is.</param>
public sealed record Dossier(
    string Format, DossierChoice Choice, string Company, DossierJob Job, Instant? AsOf, DossierSummary Summary, IReadOnlyList<DossierPlace> Places, IReadOnlyList<DossierEnd> Ends,
    IReadOnlyList<DossierInstrument> Instruments, IReadOnlyList<DossierTool> Tools, IReadOnlyList<DossierLot> Lots, IReadOnlyList<string> Limits, IReadOnlyList<DossierProcedure> Procedures, IReadOnlyList<DossierFile> Files)
{
    /// <summary>Oldest first; none where they were not chosen.</summary>
    public IReadOnlyList<DossierPhoto> Photos { get; init; } = [];
}

/// <param name="Of">The panel's code or the end's address; null where it is of the site.</param>
public sealed record DossierPhoto(EvidenceId EvidenceId, string? Of, Instant At, string? By);

/// <param name="FirstOn">The first and the last day that something was made, by the site's calendar; null where nothing was.</param>
public sealed record DossierJob(string Number, string Customer, string Site, string TimeZone, LocalDate DueOn, LocalDate? FirstOn, LocalDate? LastOn);

/// <param name="Planned">Ends that are in it,</param>
/// <param name="Proven">and how many of them are accepted.</param>
/// <param name="Exceptions">Ends that something is to be said of.</param>
/// <param name="FirstTime">Accepted with the first connector and without going back; null in the customer's edition.</param>
/// <param name="Attempts">Connectors begun; null in the customer's edition.</param>
/// <param name="Seen">Of the proven: with a picture of the face kept,</param>
/// <param name="SeenByEye">and looked at by eye alone.</param>
/// <param name="SaidTogether">Of the proven: at least one act was said of several at once, so that nobody timed each.</param>
/// <param name="ShardsMissing">That containers lack; null in the customer's edition.</param>
public sealed record DossierSummary(
    int Planned, int Proven, int Exceptions, IReadOnlyList<DossierSpace> Spaces, IReadOnlyList<LossStrip> Losses, int Seen, int SeenByEye, int SaidTogether, int? FirstTime, int? Attempts, int? ShardsMissing, double? ReworkMinutes);

/// <param name="Code">Empty for what lands on no panel.</param>
public sealed record DossierSpace(string Code, string Name, int Planned, int Proven, int Exceptions);

/// <summary>All accepted readings of one wavelength against their limits.</summary>
/// <param name="Shares">Loss as a share of its limit, rising: 1 is at the limit.</param>
/// <param name="Worst">The end that comes closest to its limit.</param>
public sealed record LossStrip(int WavelengthNm, IReadOnlyList<double> Shares, string Worst, double WorstLossDb, double WorstLimitDb);

/// <param name="Code">Space and panel; the cable where it lands on none.</param>
public sealed record DossierPlace(PlaceId PlaceId, string Code, string SpaceCode, string SpaceName, int Planned, int Proven);

/// <summary>Why something is to be said of an end; what forbids it to be called proven comes first.</summary>
public enum EndRemark
{
    /// <summary>It is not accepted.</summary>
    Open,
    /// <summary>Over its limit by less than the meter can tell, and accepted by the lead for a reason.</summary>
    MarginalOver,
    /// <summary>Under its limit by less than the meter can tell.</summary>
    Marginal,
    /// <summary>It was damaged after it was accepted, and is still usable.</summary>
    Damaged,
    /// <summary>It was measured into something else than the finished connector of its link.</summary>
    FarEndOther,
    /// <summary>The meter was past its calibration.</summary>
    MeterOverdue,
    /// <summary>A lot past its day was used, for a reason.</summary>
    LotPastDay,
    /// <summary>A tool past its service was used.</summary>
    ToolOverdue,
    /// <summary>A timed act was passed before its time.</summary>
    TimerShort,
}

/// <param name="Position">In a multifiber connector.</param>
/// <param name="Side">A or B of its cable.</param>
/// <param name="FarAddress">Null where none is planned.</param>
/// <param name="MadeBy">Null where nobody is named.</param>
/// <param name="SaidTogether">Acts that one tap said of several ends: nobody timed each of them.</param>
/// <param name="Attempts">Null in the customer's edition.</param>
public sealed record DossierEnd(
    EndId EndId, string Address, PlaceId PlaceId, int Port, int Position, string Cable, Strand Strand, string Side, string? FarAddress, FiberClass FiberClass, CableConstruction Construction, double LengthM,
    ConnectorForm Form, Polish Polish, FiberMode Mode, TerminationMethod Method, FiberClass? StubClass, string? ProcedureId, int? ProcedureVersion,
    EndStatus Status, EndVerdict Verdict, Instant? AcceptedAt, string? MadeBy, DossierFace? Face, IReadOnlyList<DossierLoss> Losses, IReadOnlyList<DossierTrace> Traces, IReadOnlyList<DossierSplice> Splices,
    bool? LightGood, int SaidTogether, IReadOnlyList<EndRemark> Remarks, IReadOnlyList<DossierAttempt>? Attempts);

/// <param name="PictureId">What it was read from; null where it was looked at by eye alone.</param>
/// <param name="BeforeId">The face as it was seen first, where it was looked at again.</param>
/// <param name="Found">Findings that count.</param>
public sealed record DossierFace(bool Pass, EndFaceClass Class, string Edition, Instant At, string? By, EvidenceId? PictureId, EvidenceId? BeforeId, int Found);

/// <param name="InHandDb">Limit less loss.</param>
/// <param name="Into">What lay at the far end; null where its own record says that it was finished.</param>
public sealed record DossierLoss(
    int WavelengthNm, Direction? Direction, ReferenceMethod Reference, double LossDb, double LimitDb, double InHandDb, LossVerdict Verdict, string Edition, Instant At, string? By, string? Instrument, MeasuredInto? Into);

public sealed record DossierTrace(EvidenceId TraceId, int WavelengthNm, double DistanceM, double LossDb, double LossLimitDb, double? ReflectanceDb, double ReflectanceLimitDb, bool Pass, string Edition, Instant At, string? By);

/// <param name="Estimated">By the splicer, and not measured.</param>
public sealed record DossierSplice(double LossDb, bool Estimated, int? WavelengthNm);

/// <param name="Reason">Why it was given up; null for one that was not.</param>
/// <param name="Lots">Used for it, as printed.</param>
public sealed record DossierAttempt(
    int No, Instant StartedAt, string? By, string ProcedureId, int ProcedureVersion, EndStatus Status, ReworkReason? Reason, IReadOnlyList<DossierLoop> Loops, int Deviations, int Shards, double ReworkMinutes, double SlackMm,
    IReadOnlyList<string> Lots, IReadOnlyList<string> Tools, ReworkReason? Cause, IReadOnlyList<DamageKind> Damages);

public sealed record DossierLoop(Instant At, string Act, ReworkReason? Reason, double Minutes, double SlackMm);

/// <param name="CalibratedOn">And until when that holds, as it was when it was read with last.</param>
public sealed record DossierInstrument(InstrumentKind Kind, string Name, string? Number, LocalDate? CalibratedOn, LocalDate? DueOn, string? Certificate, int Readings);

public sealed record DossierTool(ToolKind Kind, string Name, string? Number, LocalDate? DueOn, int Connectors);

/// <param name="InSpiteOf">Why it was used past its day; null where it was not.</param>
public sealed record DossierLot(string Item, string Number, LocalDate? UseBy, int Connectors, string? InSpiteOf);

/// <param name="Hash">Of its structure.</param>
public sealed record DossierProcedure(string Id, int Version, string Name, string Hash);

/// <summary>A file that the dossier rests on.</summary>
/// <param name="Sha256">Of its bytes, in hexadecimal.</param>
public sealed record DossierFile(EvidenceId EvidenceId, string Sha256);
