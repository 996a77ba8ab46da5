using System.Security.Cryptography;
using System.Text.Json;
using Rhabdon.Core.Connectors;
using Rhabdon.Core.Fiber;
using Rhabdon.Core.Ledger;
using Rhabdon.Core.Planning;
using Rhabdon.Core.Procedures;

namespace Rhabdon.Core.Handover;

/// <summary>An end with what is planned of it and what became of it.</summary>
public sealed record SourceEnd(
    EndId EndId, string Address, SpaceId? SpaceId, string SpaceCode, string SpaceName, PlaceId PlaceId, string PlaceCode, int Port, int Position, string Cable, Strand Strand, string Side, string? FarAddress,
    FiberClass FiberClass, CableConstruction Construction, double LengthM, ConnectorForm Form, Polish Polish, FiberMode Mode, TerminationMethod Method, FiberClass? StubClass, string? ProcedureId, int? ProcedureVersion, EndState State);

/// <param name="PlaceId">The panel; null where it is of the site or of an end.</param>
public sealed record SourcePhoto(EvidenceId EvidenceId, PlaceId? PlaceId, Instant At, PersonId By, EndId? EndId = null);

/// <summary>All that a dossier is made from, as the ledger has it.</summary>
/// <param name="Ends">In the order of spaces, panels and ports.</param>
/// <param name="FileHashes">SHA-256 of the pictures and traces, in hexadecimal.</param>
/// <param name="Rules">For the names of procedures and of what their pre-flight asks.</param>
public sealed record DossierSource(
    string Company, string Number, string Customer, string Site, string TimeZone, LocalDate DueOn, IReadOnlyList<SourceEnd> Ends, IReadOnlyDictionary<PersonId, string> People,
    IReadOnlyDictionary<InstrumentId, InstrumentState> Instruments, IReadOnlyDictionary<ToolId, ToolState> Tools, IReadOnlyList<BatchState> Batches, IReadOnlyDictionary<EvidenceId, string> FileHashes, Rules Rules)
{
    /// <summary>Of ends, of panels and of the site, oldest first.</summary>
    public IReadOnlyList<SourcePhoto> Photos { get; init; } = [];
}

/// <summary>Makes a dossier of what the ledger has. Pure: the same source and choice give the same dossier, to the byte.</summary>
public static class Dossiers
{
    public const string Format = "rhabdon-dossier/1";

    /// <summary>What the seal is put on: the dossier as JSON, each field in the order of its shape.</summary>
    public static byte[] Bytes(Dossier dossier) => JsonSerializer.SerializeToUtf8Bytes(dossier, Wire.Json);

    /// <returns>SHA-256 of <see cref="Bytes"/>, in hexadecimal.</returns>
    public static string Hash(Dossier dossier) => Convert.ToHexStringLower(SHA256.HashData(Bytes(dossier)));

    public static Dossier Of(DossierSource source, DossierChoice choice)
    {
        var company = choice.Edition == DossierEdition.Company;
        var all = source.Ends.Where(e => choice.SpaceIds is not { } spaces || (e.SpaceId is { } s && spaces.Contains(s))).Where(e => choice.PlaceIds is not { } places || places.Contains(e.PlaceId))
            .Select(e => (Source: e, End: End(e, source, choice))).ToList();
        var shown = choice.ExceptionsOnly ? [.. all.Where(e => e.End.Remarks.Count > 0)] : all;
        var runs = shown.SelectMany(e => company ? e.Source.State.Attempts : [.. new[] { Standing(e.Source.State) }.OfType<AttemptState>()]).ToList();
        var ends = shown.Select(e => e.End).ToList();
        var codes = shown.GroupBy(e => e.Source.PlaceId).ToDictionary(g => g.Key, g => g.First().Source.PlaceCode);
        var addresses = ends.ToDictionary(e => e.EndId, e => e.Address);
        // Of the site as a whole only where the whole is shown.
        IReadOnlyList<DossierPhoto> photos = !choice.Photos ? [] : [.. source.Photos.Where(p => p.EndId is { } end ? addresses.ContainsKey(end) : p.PlaceId is { } place ? codes.ContainsKey(place) : choice is { SpaceIds: null, PlaceIds: null })
            .Select(p => new DossierPhoto(p.EvidenceId, p.EndId is { } end ? addresses[end] : p.PlaceId is { } place ? codes[place] : null, p.At, choice.Names ? source.People.GetValueOrDefault(p.By) : null))];
        var at = shown.Select(e => e.Source.State.LastAt).OfType<Instant>().ToList();
        var made = runs.Select(r => r.StartedAt).Concat(at).Order().ToList();
        return new(
            Format, choice, source.Company,
            new(source.Number, source.Customer, source.Site, source.TimeZone, source.DueOn, made.Count == 0 ? null : SiteDates.On(made[0], source.TimeZone), made.Count == 0 ? null : SiteDates.On(made[^1], source.TimeZone)),
            at.Count == 0 ? null : at.Max(),
            Summary([.. all.Select(e => (e.Source, e.End))], source, company),
            [.. shown.GroupBy(e => e.Source.PlaceId).Select(g => g.First().Source is var f ? new DossierPlace(f.PlaceId, f.PlaceCode, f.SpaceCode, f.SpaceName, g.Count(), g.Count(e => Proven(e.End))) : null!)],
            ends, Instruments(runs, source, company), company ? Tools(runs, source) : [], company ? Lots(runs, source) : [],
            [.. Editions(ends).Distinct().Order(StringComparer.Ordinal)],
            [.. runs.Select(r => (r.ProcedureId, r.ProcedureVersion)).Distinct().Order().Select(p => source.Rules.Find(p.ProcedureId, p.ProcedureVersion)).OfType<ProcedureDocument>()
                .Select(p => new DossierProcedure(p.Id, p.Version, p.Title, ProcedureHash.Of(p)))],
            [.. (choice.Pictures ? Files(ends) : []).Concat(photos.Select(p => p.EvidenceId)).Distinct().Order().Where(source.FileHashes.ContainsKey).Select(id => new DossierFile(id, source.FileHashes[id]))])
        {
            Photos = photos,
        };
    }

    private static bool Proven(DossierEnd end) => end.Status == EndStatus.Accepted;

    /// <summary>The connector that is there now: what was given up before it is no proof of anything.</summary>
    private static AttemptState? Standing(EndState state) => state.Current is { Open: true } run ? run : null;

    private static DossierSummary Summary(IReadOnlyList<(SourceEnd Source, DossierEnd End)> all, DossierSource source, bool company)
    {
        var proven = all.Where(e => Proven(e.End)).Select(e => e.End).ToList();
        var batches = all.SelectMany(e => e.Source.State.Attempts).Select(a => a.BatchId).OfType<BatchId>().ToHashSet();
        return new(
            all.Count, proven.Count, all.Count(e => e.End.Remarks.Count > 0),
            [.. all.GroupBy(e => (e.Source.SpaceCode, e.Source.SpaceName)).Select(g => new DossierSpace(g.Key.SpaceCode, g.Key.SpaceName, g.Count(), g.Count(e => Proven(e.End)), g.Count(e => e.End.Remarks.Count > 0)))],
            [.. proven.SelectMany(e => e.Losses.Select(l => (End: e, Loss: l))).GroupBy(x => x.Loss.WavelengthNm).OrderBy(g => g.Key).Select(g =>
            {
                var worst = g.OrderByDescending(x => Share(x.Loss)).ThenBy(x => x.End.Address, StringComparer.Ordinal).First();
                return new LossStrip(g.Key, [.. g.Select(x => Math.Round(Share(x.Loss), 4)).Order()], worst.End.Address, worst.Loss.LossDb, worst.Loss.LimitDb);
            })],
            proven.Count(e => e.Face?.PictureId is not null), proven.Count(e => e.Face is { PictureId: null }), proven.Count(e => e.SaidTogether > 0),
            company ? all.Count(e => Proven(e.End) && e.Source.State.Attempts is [{ Loops.Count: 0 }]) : null,
            company ? all.Sum(e => e.Source.State.Attempts.Count) : null,
            company ? source.Batches.Where(b => batches.Contains(b.Id.As<Ids.Batch>())).Sum(b => Math.Max(0, -b.Off)) : null,
            company ? Math.Round(all.Sum(e => e.Source.State.Attempts.Sum(a => a.ReworkMinutes)), 1) : null);
    }

    private static double Share(DossierLoss l) => l.LimitDb > 0 ? Math.Max(0, l.LossDb / l.LimitDb) : l.LossDb > 0 ? 1 : 0;

    internal static DossierEnd End(SourceEnd e, DossierSource source, DossierChoice choice)
    {
        var (company, run) = (choice.Edition == DossierEdition.Company, Standing(e.State));
        string? Who(PersonId id) => choice.Names ? source.People.GetValueOrDefault(id) : null;
        var accepted = e.State.Status == EndStatus.Accepted;
        // The customer is told of what was accepted; what is still being worked at is only open.
        var told = company || accepted ? run : null;
        return new(
            e.EndId, e.Address, e.PlaceId, e.Port, e.Position, e.Cable, e.Strand, e.Side, e.FarAddress, e.FiberClass, e.Construction, e.LengthM, e.Form, e.Polish, e.Mode, e.Method, e.StubClass,
            run?.ProcedureId ?? e.ProcedureId, run?.ProcedureVersion ?? e.ProcedureVersion, e.State.Status, company || accepted ? e.State.Verdict : EndVerdict.None, accepted ? run?.AcceptedAt : null, told is null ? null : Who(told.StartedBy),
            told?.Inspection is { } look ? new(look.Verdict.Pass, look.Verdict.Class, look.Verdict.Edition, look.At, Who(look.By), look.Picture?.PictureId, Before(told, look), look.Picture?.Final.Count ?? look.Findings.Sum(f => f.Count)) : null,
            [.. (told?.Losses ?? []).OrderBy(l => l.Judgement.WavelengthNm).ThenBy(l => l.Reading.Direction).Select(l => new DossierLoss(
                l.Judgement.WavelengthNm, l.Reading.Direction, l.Reading.Reference, Db(l.Judgement.LossDb), Db(l.Judgement.Limit.LimitDb), Db(l.Judgement.MarginDb), l.Judgement.Verdict, l.Judgement.Limit.Edition, l.At, Who(l.By),
                l.Reading.InstrumentId is { } meter ? source.Instruments.GetValueOrDefault(meter)?.Name : null, l.FarMade ? null : l.Said ?? l.Reading.Into))],
            [.. (told?.Traces ?? []).OrderBy(t => t.Reading.WavelengthNm).Select(t => new DossierTrace(
                t.Reading.TraceId, t.Reading.WavelengthNm, t.Reading.DistanceM, Db(t.Reading.LossDb), t.Verdict.LossLimitDb, t.Reading.ReflectanceDb, t.Verdict.ReflectanceLimitDb, t.Verdict.Pass, t.Verdict.Edition, t.At, Who(t.By)))],
            [.. (told?.Splices ?? []).Select(s => new DossierSplice(s.LossDb, s.Estimated, s.WavelengthNm))],
            told?.Lights is [.., var light] ? light.Judgement.Verdict == Inspection.LightVerdict.Good : null, told?.SaidTogether.Count ?? 0, Remarks(e.State, run, accepted),
            company ? [.. e.State.Attempts.Select(a => Attempt(a, source, Who))] : null);
    }

    /// <summary>The first picture of a connector that was looked at again.</summary>
    private static EvidenceId? Before(AttemptState run, InspectionState last) =>
        run.Looks.Select(l => l.Picture?.PictureId).OfType<EvidenceId>().FirstOrDefault() is var first && first != default && first != last.Picture?.PictureId ? first : null;

    private static IReadOnlyList<EndRemark> Remarks(EndState state, AttemptState? run, bool accepted)
    {
        var found = new List<EndRemark>();
        void Add(bool so, EndRemark remark)
        {
            if (so)
            {
                found.Add(remark);
            }
        }

        Add(!accepted, EndRemark.Open);
        if (!accepted || run is null)
        {
            return found;
        }

        Add(state.Verdict == EndVerdict.MarginalOver, EndRemark.MarginalOver);
        Add(state.Verdict == EndVerdict.Marginal, EndRemark.Marginal);
        Add(run.Damages.Any(d => d.Usable), EndRemark.Damaged);
        Add(run.Losses.Any(l => !l.FarMade && (l.Said ?? l.Reading.Into) is MeasuredInto.Other or MeasuredInto.ExistingConnector), EndRemark.FarEndOther);
        Add(run.Losses.Any(l => l.Differences.Any(d => d.Field == "instrumentId")), EndRemark.MeterOverdue);
        Add(run.Preflight.Any(p => p.InSpiteOf is not null), EndRemark.LotPastDay);
        Add(run.InSpiteOf is not null || run.Deviations.Any(d => d.Kind == DeviationKind.ToolOverdue), EndRemark.ToolOverdue);
        Add(run.Deviations.Any(d => d.Kind == DeviationKind.TimerShort), EndRemark.TimerShort);
        return found;
    }

    private static DossierAttempt Attempt(AttemptState a, DossierSource source, Func<PersonId, string?> who) => new(
        a.No, a.StartedAt, who(a.StartedBy), a.ProcedureId, a.ProcedureVersion, a.Status, a.Closed?.Reason, [.. a.Loops.Select(l => new DossierLoop(l.At, l.Act, l.Reason, l.Minutes, l.SlackMm))],
        a.Deviations.Count, a.Shards, Math.Round(a.ReworkMinutes, 1), a.SlackMm, [.. a.Preflight.Select(p => p.Lot).OfType<string>().Distinct()],
        [.. a.ToolIds.Select(t => source.Tools.GetValueOrDefault(t)?.Name).OfType<string>()], a.Cause?.Cause, [.. a.Damages.Select(d => d.What)]);

    private static IReadOnlyList<DossierInstrument> Instruments(IReadOnlyList<AttemptState> runs, DossierSource source, bool company) =>
        [.. runs.SelectMany(r => company || r.AcceptedAt is not null ? r.Losses : []).Where(l => l.Reading.InstrumentId is not null).GroupBy(l => l.Reading.InstrumentId!.Value)
            .Where(g => source.Instruments.ContainsKey(g.Key)).Select(g =>
            {
                var meter = source.Instruments[g.Key];
                var day = SiteDates.On(g.Max(l => l.At), source.TimeZone);
                // What held when it was read with last, and not what was done to it since.
                var held = meter.Calibrations.Where(c => c.On <= day).MaxBy(c => c.On);
                return new DossierInstrument(meter.Kind, meter.Name, meter.Number, held?.On, held?.DueOn, held?.Certificate, g.Count());
            }).OrderBy(i => i.Name, StringComparer.Ordinal).ThenBy(i => i.Number, StringComparer.Ordinal)];

    private static IReadOnlyList<DossierTool> Tools(IReadOnlyList<AttemptState> runs, DossierSource source) =>
        [.. runs.SelectMany(r => r.ToolIds.Distinct()).CountBy(t => t).Where(t => source.Tools.ContainsKey(t.Key)).Select(t => source.Tools[t.Key] is var tool ? new DossierTool(tool.Kind, tool.Name, tool.Number, tool.DueOn, t.Value) : null!)
            .OrderBy(t => t.Kind).ThenBy(t => t.Name, StringComparer.Ordinal).ThenBy(t => t.Number, StringComparer.Ordinal)];

    private static IReadOnlyList<DossierLot> Lots(IReadOnlyList<AttemptState> runs, DossierSource source) =>
        [.. runs.SelectMany(r => r.Preflight.Where(p => p.Lot is not null).Select(p => (Item: Asked(r, p.ItemId, source.Rules), Answer: p)).DistinctBy(x => (x.Item, x.Answer.Lot)))
            .GroupBy(x => (x.Item, x.Answer.Lot!)).Select(g => new DossierLot(g.Key.Item, g.Key.Item2, g.Max(x => x.Answer.UseBy), g.Count(), g.Select(x => x.Answer.InSpiteOf).FirstOrDefault(w => w is not null)))
            .OrderBy(l => l.Item, StringComparer.Ordinal).ThenBy(l => l.Number, StringComparer.Ordinal)];

    private static string Asked(AttemptState run, string itemId, Rules rules) => rules.FindTable(run.ProcedureId, run.ProcedureVersion, run.Schools)?.Preflight.FirstOrDefault(i => i.Id == itemId)?.Text ?? itemId;

    private static IEnumerable<string> Editions(IReadOnlyList<DossierEnd> ends) =>
        ends.SelectMany(e => e.Losses.Select(l => l.Edition).Concat(e.Traces.Select(t => t.Edition)).Concat(e.Face is { } f ? [f.Edition] : []));

    private static IEnumerable<EvidenceId> Files(IReadOnlyList<DossierEnd> ends) =>
        ends.SelectMany(e => e.Traces.Select(t => (EvidenceId?)t.TraceId).Concat([e.Face?.BeforeId, e.Face?.PictureId]).OfType<EvidenceId>());

    /// <summary>A hundredth is what a meter shows; what is beyond is only binary rounding.</summary>
    private static double Db(double db) => Math.Round(db, 3) + 0.0;
}
