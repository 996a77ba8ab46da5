using System.Globalization;
using Rhabdon.Core;
using Rhabdon.Core.Handover;
using Rhabdon.Core.Planning;
using Rhabdon.Documents;
using Rhabdon.Server.Web;

namespace Rhabdon.Server.Handover;

public enum DossierTable
{
    Ends, Readings, Attempts, Instruments, Lots,
}

/// <summary>A dossier as tables for other programs: plain words and numbers, one row for one thing, the names of its columns as in docs/formats.</summary>
internal static class DossierTables
{
    private static readonly PaperWords Words = new("dossier");

    /// <param name="only">Null for all.</param>
    public static Paper Of(Dossier d, DossierTable? only = null) =>
        new($"{d.Job.Customer}, {d.Job.Site}", [], [.. Enum.GetValues<DossierTable>().Where(t => only is null || t == only).Select(t => Table(d, t))], "");

    private static PaperTable Table(Dossier d, DossierTable what) => what switch
    {
        DossierTable.Ends => Rows(what,
            ["endId", "address", "place", "port", "position", "cable", "strand", "colour", "tracer", "side", "farAddress", "fiberClass", "construction", "lengthM", "form", "polish", "mode", "method", "procedure", "version", "status", "verdict", "acceptedAt", "madeBy", "face", "faceEdition", "remarks"],
            d.Ends, e =>
            [
                e.EndId.ToString(), e.Address, d.Places.First(p => p.PlaceId == e.PlaceId).Code, N(e.Port), N(e.Position), e.Cable, N(e.Strand.Number), Words.Term("colour", e.Strand.Colour), e.Strand.Tracer ? "yes" : "no", e.Side, e.FarAddress,
                Wire.Name(e.FiberClass), Wire.Name(e.Construction), e.LengthM, Wire.Name(e.Form), Wire.Name(e.Polish), Wire.Name(e.Mode), Wire.Name(e.Method), e.ProcedureId, e.ProcedureVersion is { } v ? N(v) : null,
                Wire.Name(e.Status), Wire.Name(e.Verdict), At(d, e.AcceptedAt), e.MadeBy, e.Face is { } f ? f.Pass ? "pass" : "fail" : null, e.Face?.Edition, string.Join(' ', e.Remarks.Select(Wire.Name)),
            ]),
        DossierTable.Readings => Rows(what,
            ["endId", "address", "kind", "wavelengthNm", "direction", "reference", "lossDb", "limitDb", "inHandDb", "reflectanceDb", "verdict", "edition", "at", "by", "instrument", "into"],
            d.Ends.SelectMany(e => e.Losses.Select(l => new object?[]
                {
                    e.EndId.ToString(), e.Address, "link", N(l.WavelengthNm), l.Direction is { } way ? Wire.Name(way) : null, Wire.Name(l.Reference), l.LossDb, l.LimitDb, l.InHandDb, null, Wire.Name(l.Verdict), l.Edition, At(d, l.At), l.By, l.Instrument, l.Into is { } into ? Wire.Name(into) : null,
                })
                .Concat(e.Traces.Select(t => new object?[] { e.EndId.ToString(), e.Address, "trace", N(t.WavelengthNm), null, null, t.LossDb, t.LossLimitDb, Math.Round(t.LossLimitDb - t.LossDb, 3), t.ReflectanceDb, t.Pass ? "pass" : "fail", t.Edition, At(d, t.At), t.By, null, null }))
                .Concat(e.Splices.Select(s => new object?[] { e.EndId.ToString(), e.Address, s.Estimated ? "splice-estimated" : "splice", s.WavelengthNm is { } nm ? N(nm) : null, null, null, s.LossDb, null, null, null, null, null, null, null, null, null }))).ToList(), r => r),
        DossierTable.Attempts => Rows(what,
            ["endId", "address", "attempt", "startedAt", "by", "procedure", "version", "status", "givenUpBecause", "loops", "deviations", "shards", "reworkMinutes", "slackMm", "lots", "tools", "cause"],
            d.Ends.SelectMany(e => (e.Attempts ?? []).Select(a => new object?[]
            {
                e.EndId.ToString(), e.Address, N(a.No), At(d, a.StartedAt), a.By, a.ProcedureId, N(a.ProcedureVersion), Wire.Name(a.Status), a.Reason is { } r ? Wire.Name(r) : null, N(a.Loops.Count), N(a.Deviations), N(a.Shards), a.ReworkMinutes, a.SlackMm,
                string.Join(", ", a.Lots), string.Join(", ", a.Tools), a.Cause is { } cause ? Wire.Name(cause) : null,
            })).ToList(), r => r),
        DossierTable.Instruments => Rows(what, ["kind", "name", "number", "calibratedOn", "dueOn", "certificate", "readings"], d.Instruments, i => [Wire.Name(i.Kind), i.Name, i.Number, Day(i.CalibratedOn), Day(i.DueOn), i.Certificate, N(i.Readings)]),
        _ => Rows(what, ["item", "number", "useBy", "connectors", "inSpiteOf"], d.Lots, l => [l.Item, l.Number, Day(l.UseBy), N(l.Connectors), l.InSpiteOf]),
    };

    private static PaperTable Rows<T>(DossierTable what, string[] columns, IReadOnlyList<T> of, Func<T, object?[]> row) => new(Wire.Name(what), [.. columns.Select(c => new PaperColumn(c, 1))], [.. of.Select(x => (IReadOnlyList<object?>)row(x))]);

    private static object N(int n) => (double)n;

    private static string? At(Dossier d, Instant? at) => at is { } t ? SiteDates.Local(t, d.Job.TimeZone).ToString("uuuu-MM-dd HH:mm:ss", CultureInfo.InvariantCulture) : null;

    private static string? Day(LocalDate? day) => day?.ToString("uuuu-MM-dd", CultureInfo.InvariantCulture);
}
