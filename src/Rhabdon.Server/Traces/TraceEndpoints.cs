using System.Security.Claims;
using Rhabdon.Core;
using Rhabdon.Core.Trace;
using Rhabdon.Instruments;
using Rhabdon.Practice;
using Rhabdon.Server.Accounts;
using Rhabdon.Server.Web;
using Rhabdon.Store;

namespace Rhabdon.Server.Traces;

/// <summary>How a trace was taken.</summary>
public sealed record TraceParameters(
    int Issue, int WavelengthNm, double PulseNs, double GroupIndex, double BackscatterDb, double SpacingM, int Points, int Averages, double AveragingS, double RangeM, Instant TakenAt,
    string CableId, string FiberId, string LocationA, string LocationB, string Operator, string Comment, string Supplier, bool? ChecksumHolds);

/// <summary>What a trace shows.</summary>
/// <param name="LengthM">Between first and last connector where cords are said, otherwise to the end.</param>
/// <param name="LaunchSeen">False when a launch cord was said and no connector lies where it ends: ask whether there was one. Null without one.</param>
public sealed record TraceAnswer(TraceParameters Parameters, IReadOnlyList<TraceEvent> Events, double LengthM, double LossDb, double DbPerKm, double OriginM, bool? LaunchSeen);

/// <summary>A trace to draw.</summary>
/// <param name="FromM">Where the first of <paramref name="LevelsDb"/> lies, from the origin.</param>
/// <param name="StepM">Between two of them.</param>
/// <param name="LevelsDb">Highest and lowest level of each step, in turn, so that no peak is lost in drawing.</param>
/// <param name="Ties">The connectors that are planned on the way, each at its event.</param>
/// <param name="ReceiveSeenM">What goes on after the planned far connector, as a receive cord does; null where nothing does.</param>
public sealed record TraceView(EvidenceId TraceId, TraceAnswer Answer, double FromM, double StepM, IReadOnlyList<float> LevelsDb, IReadOnlyList<TraceTie> Ties, double? ReceiveSeenM);

/// <param name="Forward">Events of the trace from side A.</param>
/// <param name="Backward">Events of the trace from side B, with their own distances.</param>
public sealed record BidirectionalRequest(IReadOnlyList<TraceEvent> Forward, IReadOnlyList<TraceEvent> Backward, double LengthM, double ToleranceM);

/// <summary>Traces: read, analysed, kept.</summary>
public static class TraceEndpoints
{
    private const int DrawnSteps = 4000;

    public static void MapTraces(this RouteGroupBuilder api)
    {
        api.MapPost("/calc/trace", Calculate).TakesFile()
            .WithSummary("Read a trace file of SR-4731 issue 1 or 2 and find its events.")
            .WithDescription("Body: the file's bytes, as they are or as a form's file. Query: launchM and receiveM, the cords' lengths; anyChecksum=true reads a file whose checksum does not hold. Distances in metres, losses and reflectances in dB.");
        api.MapPost("/calc/trace-pair", Pair).WithSummary("True loss of each event: the mean of both directions. Distances in metres.");
        api.MapPost("/calc/simulate/trace", Simulate).WithSummary("The trace file of a simulated link.").Produces(200, contentType: "application/octet-stream");
        api.MapPost("/ends/{endId:guid}/traces", Take).TakesFile().RequireAuthorization(Policies.Work)
            .WithSummary("Keep a trace taken from this end, and read it. What it says of a connector is an event of its own.");
        api.MapGet("/traces/{traceId:guid}", View).WithSummary("A kept trace, to draw, with its events.")
            .WithDescription("Query: launchM and receiveM, the cords' lengths; via, the ends at which further cables begin that the light goes on into, in their order; patchM, the cord between two cables. Planned connectors are tied to events by distance, in metres.");
        api.MapGet("/traces/{traceId:guid}/pair", KeptPair).WithSummary("True loss of each event from this kept trace and one from the other side: the mean of both directions.")
            .WithDescription("Query: otherId, the trace from the other side; launchM and receiveM, the cords of this trace. Both are of one wavelength.");
        api.MapGet("/traces/{traceId:guid}/section", Section).WithSummary("Least-squares line between two cursors, in metres from the instrument.");
        api.MapGet("/traces/{traceId:guid}/file", File).WithSummary("The file as it came.").Produces(200, contentType: "application/octet-stream");
    }

    private static Task<TraceAnswer> Calculate(HttpRequest request, double launchM = 0, double receiveM = 0, bool anyChecksum = false) =>
        Uploads.Take(request, "trace", Uploads.LargestTrace, bytes => Task.FromResult(Answer(OtdrReader.Read(bytes.Span, !anyChecksum), launchM, receiveM)));

    private static TraceAnswer Answer(OtdrFile file, double launchM, double receiveM)
    {
        var reading = TraceAnalysis.Read(TraceCurve.Of(file), launchM, receiveM);
        var (g, f) = (file.General, file.Fixed);
        return new(
            new(file.Issue, f.WavelengthTenthNm > 0 ? f.WavelengthTenthNm / 10 : g.WavelengthNm, f.Pulses[0].WidthNs, file.GroupIndex(), file.BackscatterDb(), file.SpacingM(),
                file.Data.Scales.Sum(s => s.Points.Length), f.Averages, f.AveragingTenthS / 10.0, OtdrUnits.DistanceM(f.Range100ps * 1e-10, file.GroupIndex()), Instant.FromUnixTimeSeconds(f.UnixSeconds),
                g.CableId, g.FiberId, g.LocationA, g.LocationB, g.Operator, g.Comment, file.Supplier.Supplier, file.ChecksumHolds),
            reading.Events, reading.LengthM, reading.LossDb, reading.DbPerKm, reading.OriginM, reading.LaunchSeen);
    }

    private static IReadOnlyList<TraceEvent> Pair(BidirectionalRequest r) => TraceAnalysis.Bidirectional(r.Forward, r.Backward, r.LengthM, r.ToleranceM);

    private static IResult Simulate(SimulatedLink link) => Results.Bytes(OtdrWriter.Write(SimulatedTraces.Make(link)), "application/octet-stream", "simulated.sor");

    private static async Task<TraceView> Take(
        EndId endId, HttpRequest request, ClaimsPrincipal user, Store.Records records, EvidenceStore evidence, Intake intake, TimeProvider clock, double launchM = 0, double receiveM = 0, bool anyChecksum = false, EvidenceId? id = null)
    {
        var scope = user.Scope();
        var plan = await Seen(endId, user, records);
        new Input().Require(id is null || id.Value.Version == 7, Refusal.Of("id-version", "id")).ThrowIfBad();
        return await Uploads.Take(request, "trace", Uploads.LargestTrace, async bytes =>
        {
            var (now, cancel) = (clock.GetCurrentInstant(), request.HttpContext.RequestAborted);
            // Drawn before it is kept: what cannot be drawn is refused, and leaves nothing.
            var view = Drawn(default, OtdrReader.Read(bytes.Span, !anyChecksum), launchM, receiveM, [Leg(plan)]);
            var traceId = await evidence.Keep(scope.CompanyId, scope.PersonId, id, Holder.OfEnd(endId), EvidenceKind.Trace, "application/octet-stream", bytes, now, cancel: cancel);
            if (id is not null)
            {
                await intake.TellWaiting(scope, now, cancel);
            }

            return view with { TraceId = traceId };
        });
    }

    private static async Task<TraceView> View(
        EvidenceId traceId, ClaimsPrincipal user, Store.Records records, EvidenceStore evidence, CancellationToken cancel, double launchM = 0, double receiveM = 0, EndId[]? via = null, double patchM = 2)
    {
        new Input().Require(patchM is >= 0 and <= 1000, Refusal.Of("out-of-range", "patchM"))
            .Require((via?.Length ?? 0) <= 20, Refusal.Of("too-many", "via")).ThrowIfBad();
        return await Uploads.InTurn(async () =>
        {
            var kept = await Kept(traceId, user, evidence, cancel: cancel);
            var legs = new List<TraceLeg> { Leg(await Seen(kept.EndId!.Value, user, records, cancel: cancel)) };
            foreach (var next in via ?? [])
            {
                legs.Add(Leg(await Seen(next, user, records, "via", cancel)) with { PatchM = patchM });
            }

            return Drawn(traceId, OtdrReader.Read(kept.Bytes, false), launchM, receiveM, legs);
        }, cancel);
    }

    private static Task<IReadOnlyList<PairedEvent>> KeptPair(EvidenceId traceId, EvidenceId otherId, ClaimsPrincipal user, CancellationToken cancel, Store.Records records, EvidenceStore evidence, double launchM = 0, double receiveM = 0) => Uploads.InTurn(async () =>
    {
        var (kept, other) = (await Kept(traceId, user, evidence), await Kept(otherId, user, evidence, "otherId"));
        var plan = await Seen(kept.EndId!.Value, user, records);
        var (a, b) = (OtdrReader.Read(kept.Bytes, false), OtdrReader.Read(other.Bytes, false));
        // Seen from the other side the cords change places.
        var (forward, backward) = (Answer(a, launchM, receiveM), Answer(b, receiveM, launchM));
        new Input().Require(other.EndId == plan.FarEndId, Refusal.Of("not-other-side", "otherId"))
            .Require(forward.Parameters.WavelengthNm == backward.Parameters.WavelengthNm, Refusal.Of("wavelength-differs", "otherId", ("forwardNm", forward.Parameters.WavelengthNm), ("backwardNm", backward.Parameters.WavelengthNm))).ThrowIfBad();
        var length = (forward.LengthM + backward.LengthM) / 2;
        return TraceAnalysis.Paired(forward.Events, backward.Events, length, Math.Max(Dead(a), Dead(b)) + 2 + (Math.Abs(forward.LengthM - backward.LengthM) / 2));
    }, cancel);

    /// <summary>Two connectors nearer than this are one event.</summary>
    private static double Dead(OtdrFile file) => OtdrUnits.DistanceM(file.Fixed.Pulses[0].WidthNs * 0.5e-9, file.GroupIndex()) + (3 * file.SpacingM());

    private static TraceLeg Leg(EndPlan p) => new(p.EndId, p.Address(), p.FarEndId, p.FarAddress, p.LengthM);

    private static async Task<EndPlan> Seen(EndId endId, ClaimsPrincipal user, Store.Records records, string field = "endId", CancellationToken cancel = default) =>
        await records.Find(user.Scope(), endId, cancel) ?? throw new ApiException(404, Refusal.Of("not-found", field));

    private static Task<TraceSection> Section(EvidenceId traceId, double fromM, double toM, ClaimsPrincipal user, EvidenceStore evidence, CancellationToken cancel) => Uploads.InTurn(async () =>
        TraceAnalysis.Section(TraceCurve.Of(OtdrReader.Read((await Kept(traceId, user, evidence, cancel: cancel)).Bytes, false)), fromM, toM), cancel);

    private static async Task<IResult> File(EvidenceId traceId, ClaimsPrincipal user, EvidenceStore evidence, CancellationToken cancel) =>
        Results.Bytes((await Kept(traceId, user, evidence, cancel: cancel)).Bytes, "application/octet-stream", $"{traceId}.sor");

    private static async Task<Evidence> Kept(EvidenceId traceId, ClaimsPrincipal user, EvidenceStore evidence, string field = "traceId", CancellationToken cancel = default) =>
        await evidence.Find(user.Scope(), traceId, cancel) is { Kind: EvidenceKind.Trace } kept ? kept : throw new ApiException(404, Refusal.Of("not-found", field));

    private static TraceView Drawn(EvidenceId id, OtdrFile file, double launchM, double receiveM, IReadOnlyList<TraceLeg> legs)
    {
        var answer = Answer(file, launchM, receiveM);
        var curve = TraceCurve.Of(file);
        var size = Math.Max(1, curve.LevelsDb.Length / DrawnSteps);
        var drawn = new List<float>(2 * DrawnSteps);
        for (var i = 0; i + size <= curve.LevelsDb.Length; i += size)
        {
            var (low, high) = (float.MaxValue, float.MinValue);
            foreach (var v in curve.LevelsDb.AsSpan(i, size))
            {
                (low, high) = (Math.Min(low, v), Math.Max(high, v));
            }

            drawn.Add(high);
            drawn.Add(low);
        }

        var ties = TraceTies.Of(answer.Events, legs, Dead(file));
        return new(id, answer, curve.FirstM - answer.OriginM, size * curve.SpacingM, drawn, ties, TraceTies.ReceiveCordM(answer.Events, ties, legs[^1].FarEndId));
    }
}
