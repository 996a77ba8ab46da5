using System.Net;
using System.Net.Http.Json;
using System.Text.Json;
using System.Text.Json.Nodes;
using Microsoft.Extensions.DependencyInjection;
using Rhabdon.Core;
using Rhabdon.Core.Bench;
using Rhabdon.Core.Ledger;
using Rhabdon.Core.Procedures;
using Rhabdon.Store;
using Xunit;

namespace Rhabdon.Server.Tests;

/// <summary>What happens once is one event of its own stream, and ends rest on it.</summary>
public sealed class StreamTests(TestHost host)
{
    internal RunTable Table => host.Services.GetRequiredService<Documents>().Rules.Table("wedge-locked-upc-3mm", 4);

    /// <summary>A whole run on an end, as its device writes it down.</summary>
    internal List<LedgerEvent> Run(TestCompany c, EndId end, BatchId batch, IReadOnlyList<PreflightAnswer>? preflight = null)
    {
        var start = c.Event(end, EventKind.AttemptStarted, new AttemptStarted(Table.ProcedureId, Table.Version, batch, null, preflight));
        var events = new List<LedgerEvent> { start };
        for (var at = RunPosition.At(Table); at.StateId is { } id;)
        {
            var state = Table.State(id)!;
            var input = state.Question is null ? RunTable.Done : state.Answers[0].Id;
            events.Add(state.Question is null ? c.Event(end, EventKind.StepDone, new StepDone(start.Id.As<Ids.Run>(), id)) : c.Event(end, EventKind.CheckAnswered, new CheckAnswered(start.Id.As<Ids.Run>(), id, input)));
            at = RunWalk.Advance(Table, at, id, input).Position;
        }

        return events;
    }

    private static IEnumerable<LedgerEvent> Proof(TestCompany c, EndId end, RunId run, InstrumentId? instrument = null, double repeatabilityDb = 0.05) =>
    [
        c.Event(end, EventKind.Inspected, new Inspected(run, [])),
        .. new[] { 850, 1300 }.Select(nm => c.Event(end, EventKind.Measured, new Measured(run, Core.Loss.ReferenceMethod.OneCord, nm, -20, -20.5, RepeatabilityDb: repeatabilityDb,
            Into: MeasuredInto.FinishedConnector, InstrumentId: instrument))),
    ];

    internal static async Task<JsonNode> Send(Caller caller, params object[] events)
    {
        var response = await caller.Post("/api/ledger", events);
        Assert.Equal(HttpStatusCode.OK, response.StatusCode);
        return (await response.Content.ReadFromJsonAsync<JsonNode>())!;
    }

    internal static string[] Outcomes(JsonNode result) => [.. result["events"]!.AsArray().Select(e => e!["refusal"]?["code"]?.GetValue<string>() ?? e["outcome"]!.GetValue<string>())];

    [Fact]
    public async Task A_container_is_counted_once_for_the_batch_and_what_its_runs_made_is_the_servers_to_say()
    {
        var c = await host.NewCompany();
        var installer = await c.SignIn("installer1");
        var batch = BatchId.New();
        var (one, two) = (Run(c, c.Ends[0], batch), Run(c, c.Ends[1], batch));
        var made = Table.States.Sum(s => s.Shards);
        Assert.True(made > 0);
        await Send(installer, [.. one]);

        // Nobody accepts before the shards are counted, and one count serves every end of the batch. All of it may come in one request.
        var result = await Send(installer, [.. two, .. Proof(c, c.Ends[0], one[0].Id.As<Ids.Run>()), .. Proof(c, c.Ends[1], two[0].Id.As<Ids.Run>())]);
        Assert.DoesNotContain(Outcomes(result), o => o != "stored");
        Assert.Equal(["shards-uncounted"], Outcomes(await Send(installer, c.Event(c.Ends[0], EventKind.Accepted, new Accepted(one[0].Id.As<Ids.Run>())))));
        // The device says that three were made; the server knows better, and one is missing.
        var count = c.Said(StreamKind.Batch, batch, StreamEventKind.ContainerCounted, new ContainerCounted(3, (2 * made) - 1));
        Assert.Equal(["stored", "stored"], Outcomes(await Send(installer, count, c.Event(c.Ends[1], EventKind.Accepted, new Accepted(two[0].Id.As<Ids.Run>())))));
        var state = await installer.Get($"/api/batches/{batch}");
        Assert.Equal((-1, 2 * made, 3), (state["off"]!.GetValue<int>(), state["counts"]![0]!["made"]!.GetValue<int>(), state["counts"]![0]!["saidMade"]!.GetValue<int>()));
        // What waited for the count has been taken in by itself.
        Assert.Equal("accepted", (await installer.Get($"/api/ends/{c.Ends[0]}"))["state"]!["status"]!.GetValue<string>());
        Assert.Equal(batch, (await installer.Get("/api/batches/off"))[0]!["batch"]!["id"].Deserialize<BatchId>());

        await Send(installer, c.Said(StreamKind.Batch, batch, StreamEventKind.ShardsFound, new ShardsFound(1, "in a shoe")));
        Assert.Empty((await installer.Get("/api/batches/off")).AsArray());
        Assert.Equal(1L, await host.Scalar<long>("select count(*) from ledger where company_id = $1 and kind = 'ContainerCounted'", c.Id));
    }

    [Fact]
    public async Task A_run_that_is_heard_of_late_has_the_count_before_told_again()
    {
        var c = await host.NewCompany();
        var installer = await c.SignIn("installer1");
        var batch = BatchId.New();
        var (one, late) = (Run(c, c.Ends[0], batch), Run(c, c.Ends[1], batch));
        var made = Table.States.Sum(s => s.Shards);
        var count = c.Said(StreamKind.Batch, batch, StreamEventKind.ContainerCounted, new ContainerCounted(2 * made, 2 * made));
        await Send(installer, [.. one, count]);
        Assert.Equal(made, (await installer.Get($"/api/batches/{batch}"))["off"]!.GetValue<int>()); // the other device has not been heard yet
        await Send(installer, [.. late]);
        Assert.Equal(0, (await installer.Get($"/api/batches/{batch}"))["off"]!.GetValue<int>());
        Assert.Equal(2L, await host.Scalar<long>("select count(*) from judgement where company_id = $1 and event_id = $2", c.Id, count.Id));
        Assert.Equal(late[^1].Id, await host.Scalar<EventId>("select cause_id from judgement where company_id = $1 and event_id = $2 and cause_id is not null", c.Id, count.Id));

        // Folded again from the ledger, all streams are the same.
        const string Rows = "select string_agg(stream_id || state::text || is_open, '|' order by stream_id) from stream_state where company_id = $1";
        var before = await host.Scalar<string>(Rows, c.Id);
        await host.Services.GetRequiredService<Projector>().Rebuild();
        Assert.Equal(before, await host.Scalar<string>(Rows, c.Id));
    }

    [Fact]
    public async Task Tools_count_what_they_did_in_any_order_and_begin_anew_when_their_wearing_part_is_renewed()
    {
        var c = await host.NewCompany();
        var installer = await c.SignIn("installer1");
        var tool = ToolId.New();
        var start = SystemClock.Instance.GetCurrentInstant().Plus(Duration.FromHours(-5));
        StreamEvent Of(StreamEventKind kind, object body, int minute) => c.Said(StreamKind.Tool, tool, kind, body, at: start.Plus(Duration.FromMinutes(minute)));
        var events = new[]
        {
            Of(StreamEventKind.ToolAdded, new ToolAdded(c.Crews[0], ToolKind.Cleaver, "Cleaver", "C-2"), 0), Of(StreamEventKind.ToolUsed, new ToolUsed(Cleaves: 100), 1),
            Of(StreamEventKind.ToolReset, new ToolReset(ToolResetKind.BladeTurned), 2), Of(StreamEventKind.ToolUsed, new ToolUsed(Cleaves: 7, Charges: 1), 3),
        };
        await Send(installer, events[0], events[3]);
        await Send(installer, events[2]);
        await Send(installer, events[1]);
        var state = (await installer.Get("/api/tools"))[0]!;
        Assert.Equal((107, 7, 1), (state["total"]!["cleaves"]!.GetValue<int>(), state["since"]!["cleaves"]!.GetValue<int>(), state["since"]!["charges"]!.GetValue<int>()));
        Assert.Equal(["duplicate"], Outcomes(await Send(installer, events[1])));

        // Another crew's, an unknown one's, and a kind of another stream.
        var stranger = await c.SignIn("installer2");
        Assert.Empty((await stranger.Get("/api/tools")).AsArray());
        Assert.Equal(["not-your-crews"], Outcomes(await Send(stranger, c.Said(StreamKind.Tool, tool, StreamEventKind.ToolUsed, new ToolUsed(Arcs: 1), "installer2"))));
        Assert.Equal(["stream-differs"], Outcomes(await Send(installer, c.Said(StreamKind.Lot, tool, StreamEventKind.ToolUsed, new ToolUsed(Arcs: 1)))));
        var other = ToolId.New();
        var waits = c.Said(StreamKind.Tool, other, StreamEventKind.ToolUsed, new ToolUsed(Strokes: 5));
        Assert.Equal(["stream-unknown"], Outcomes(await Send(installer, waits)));
        await Send(installer, c.Said(StreamKind.Tool, other, StreamEventKind.ToolAdded, new ToolAdded(c.Crews[0], ToolKind.PolishingPuck, "Puck"))); // what waited fits now
        Assert.Equal(5, (await installer.Get("/api/tools")).AsArray().First(t => t!["id"].Deserialize<ToolId>() == other)!["total"]!["strokes"]!.GetValue<int>());
        Assert.Equal(["out-of-range", "body-shape", "lead-says"], Outcomes(await Send(installer, Of(StreamEventKind.ToolUsed, new ToolUsed(), 9),
            c.Said(StreamKind.Tool, tool, StreamEventKind.ToolUsed, new { cleaves = "many" }), c.Said(StreamKind.Tool, tool, StreamEventKind.ToolRetired, new ToolRetired()))));
    }

    [Fact]
    public async Task What_wears_of_a_tool_is_told_with_what_is_left_and_its_own_counter_is_right()
    {
        var c = await host.NewCompany();
        var installer = await c.SignIn("installer1");
        var (splicer, sheet) = (ToolId.New(), ToolId.New());
        var start = SystemClock.Instance.GetCurrentInstant().Plus(Duration.FromHours(-5));
        StreamEvent Of(ToolId tool, StreamEventKind kind, object body, int minute) => c.Said(StreamKind.Tool, tool, kind, body, at: start.Plus(Duration.FromMinutes(minute)));
        async Task<string> Wear(ToolId tool) => string.Join("; ", (await installer.Get("/api/tools")).AsArray().Single(t => t!["id"].Deserialize<ToolId>() == tool)!["wear"]!.AsArray()
            .Select(w => $"{w!["kind"]} {w["done"]}/{w["typical"]}, {w["left"]} left{(w["low"]!.GetValue<bool>() ? ", low" : "")}"));

        await Send(installer, Of(splicer, StreamEventKind.ToolAdded, new ToolAdded(c.Crews[0], ToolKind.Splicer, "Splicer"), 0), Of(splicer, StreamEventKind.ToolUsed, new ToolUsed(Arcs: 185), 1));
        Assert.Equal("arcs-of-charge 185/200, 15 left, low; arcs-of-electrodes 185/5000, 4815 left", await Wear(splicer));
        await Send(installer, Of(splicer, StreamEventKind.ToolReset, new ToolReset(ToolResetKind.Charged), 2), Of(splicer, StreamEventKind.ToolUsed, new ToolUsed(Arcs: 3), 3));
        Assert.Equal("arcs-of-charge 3/200, 197 left; arcs-of-electrodes 188/5000, 4812 left", await Wear(splicer));
        await Send(installer, Of(splicer, StreamEventKind.ToolCounterRead, new ToolCounterRead(ArcsOfElectrodes: 4_900), 4), Of(splicer, StreamEventKind.ToolUsed, new ToolUsed(Arcs: 101), 5));
        Assert.Equal("arcs-of-charge 104/200, 96 left; arcs-of-electrodes 5001/5000, -1 left, low", await Wear(splicer));

        // A sheet lasts what its owner says, and whoever polishes on it throws it away.
        await Send(installer, Of(sheet, StreamEventKind.ToolAdded, new ToolAdded(c.Crews[0], ToolKind.FilmSheet, "Fine film", null, new(StrokesOfSheet: 60)), 6), Of(sheet, StreamEventKind.ToolUsed, new ToolUsed(Strokes: 25), 7));
        Assert.Equal("strokes-of-sheet 25/60, 35 left", await Wear(sheet));
        Assert.Equal(["stored"], Outcomes(await Send(installer, Of(sheet, StreamEventKind.ToolRetired, new ToolRetired(), 8))));
        Assert.Single((await installer.Get("/api/tools")).AsArray());
        Assert.Equal(["tool-counter", "tool-counter", "tool-life", "lead-says"], Outcomes(await Send(installer, Of(splicer, StreamEventKind.ToolCounterRead, new ToolCounterRead(), 9),
            Of(splicer, StreamEventKind.ToolCounterRead, new ToolCounterRead(ArcsOfCharge: -1), 10), Of(ToolId.New(), StreamEventKind.ToolAdded, new ToolAdded(c.Crews[0], ToolKind.Cleaver, "C", null, new(CleavesOfPosition: 0)), 11),
            Of(splicer, StreamEventKind.ToolRetired, new ToolRetired(), 12))));
    }

    [Fact]
    public async Task A_reading_is_worth_what_its_instrument_is_and_not_what_the_device_says()
    {
        var c = await host.NewCompany();
        var (installer, lead) = (await c.SignIn("installer1"), await c.SignIn("lead1"));
        var meter = InstrumentId.New();
        await Send(lead, c.Said(StreamKind.Instrument, meter, StreamEventKind.InstrumentAdded, new InstrumentAdded(c.Crews[0], InstrumentKind.PowerMeter, "Meter", RepeatabilityDb: 0.03), "lead1"),
            c.Said(StreamKind.Instrument, meter, StreamEventKind.Calibrated, new Calibrated(new(2024, 1, 1), new LocalDate(2025, 1, 1), 0.2), "lead1"));
        var run = Run(c, c.Ends[0], BatchId.New());
        // 100 m of OM3 with two pairs at 850 nm: the limit is some 1.8 dB; half a decibel passes, and a device may not call it what it likes.
        await Send(installer, [.. run, .. Proof(c, c.Ends[0], run[0].Id.As<Ids.Run>(), meter, repeatabilityDb: 0.9)]);
        var entry = (await installer.Get($"/api/ends/{c.Ends[0]}/record"))["entries"]!.AsArray().First(e => e!["kind"]!.GetValue<string>() == "measured")!;
        Assert.Equal([("repeatabilityDb", "0.9", "0.2"), ("instrumentId", "calibrated", "calibration was due on 2025-01-01")],
            entry["differences"]!.AsArray().Select(d => (d!["field"]!.GetValue<string>(), d["said"]!.GetValue<string>(), d["planned"]!.GetValue<string>())));
        Assert.Equal(["instrument-unknown"], Outcomes(await Send(installer, c.Event(c.Ends[0], EventKind.Measured, new Measured(run[0].Id.As<Ids.Run>(),
            Core.Loss.ReferenceMethod.OneCord, 850, -20, -20.5, Into: MeasuredInto.FinishedConnector, InstrumentId: InstrumentId.New())))));
        Assert.Equal(["lead-says"], Outcomes(await Send(installer, c.Said(StreamKind.Instrument, meter, StreamEventKind.Calibrated, new Calibrated(new(2026, 1, 1))))));
    }

    [Fact]
    public async Task Kit_is_the_crews_to_say_and_runs_cite_it()
    {
        var c = await host.NewCompany();
        var installer = await c.SignIn("installer1");
        var item = Table.Preflight.First(i => i.Asks?.Contains(PreflightAsk.Number) == true).Id;
        var said = c.Said(StreamKind.Crew, c.Crews[0], StreamEventKind.KitSaid, new KitSaid(new(item, SystemClock.Instance.GetCurrentInstant(), Number: 99.9)));
        var run = Run(c, c.Ends[0], BatchId.New(), [new(item, SystemClock.Instance.GetCurrentInstant(), Number: 42, SaidIn: said.Id)]);
        Assert.Equal(["kit-unknown"], Outcomes(await Send(installer, run[0]))); // it waits until the crew's word arrives
        await Send(installer, said);
        var end = await installer.Get($"/api/ends/{c.Ends[0]}");
        Assert.Equal(99.9, end["state"]!["attempts"]![0]!["preflight"]![0]!["number"]!.GetValue<double>()); // as the crew said it, not the device's copy
        Assert.Equal(said.Id, (await installer.Get($"/api/places/{c.PanelId}/bench"))["kit"]![0]!["saidIn"].Deserialize<EventId>());
    }

    [Fact]
    public async Task Damage_cause_splice_delay_and_handover_are_kept()
    {
        var c = await host.NewCompany();
        var (installer, lead) = (await c.SignIn("installer1"), await c.SignIn("lead1"));
        var batch = BatchId.New();
        var run = Run(c, c.Ends[0], batch);
        var id = run[0].Id;
        await Send(installer, [.. run, .. Proof(c, c.Ends[0], id.As<Ids.Run>()), c.Said(StreamKind.Batch, batch, StreamEventKind.ContainerCounted, new ContainerCounted(0, 0)), c.Event(c.Ends[0], EventKind.Accepted, new Accepted(id.As<Ids.Run>())),
            c.Event(c.Ends[0], EventKind.SpliceRead, new SpliceRead(id.As<Ids.Run>(), 0.02, true)), c.Event(c.Ends[0], EventKind.Damaged, new Damaged(id.As<Ids.Run>(), DamageKind.FaceStruck, false, "a ladder")),
            c.Event(c.Ends[0], EventKind.CauseConfirmed, new CauseConfirmed(id.As<Ids.Run>(), Core.Rework.ReworkReason.DamagedAfterAcceptance, "seen to fall"))]);
        var state = (await installer.Get($"/api/ends/{c.Ends[0]}"))["state"]!;
        var attempt = state["attempts"]![0]!;
        Assert.Equal(("needs-decision", "face-struck", 0.02, "damaged-after-acceptance"),
            (state["status"]!.GetValue<string>(), attempt["damages"]![0]!["what"]!.GetValue<string>(), attempt["splices"]![0]!["lossDb"]!.GetValue<double>(), attempt["cause"]!["cause"]!.GetValue<string>()));
        Assert.Equal(["note-empty", "out-of-range"], Outcomes(await Send(installer, c.Event(c.Ends[0], EventKind.Damaged, new Damaged(id.As<Ids.Run>(), DamageKind.Other, true)), c.Event(c.Ends[0], EventKind.SpliceRead, new SpliceRead(id.As<Ids.Run>(), 40, true)))));

        await Send(installer, c.Said(StreamKind.Job, c.JobId, StreamEventKind.Delayed, new Delayed(DelayReason.NoAccess, 90)));
        Assert.Equal(["lead-says", "stream-unknown"], Outcomes(await Send(installer, c.Said(StreamKind.Job, c.JobId, StreamEventKind.HandedOver, new HandedOver("Keeper")), c.Said(StreamKind.Job, JobId.New(), StreamEventKind.Delayed, new Delayed(DelayReason.Power)))));
        await Send(lead, c.Said(StreamKind.Job, c.JobId, StreamEventKind.HandedOver, new HandedOver("Keeper", [c.Ends[0]]), "lead1"));
        var log = await installer.Get($"/api/jobs/{c.JobId}/log");
        Assert.Equal((90, 1), (log["delays"]![0]!["minutes"]!.GetValue<int>(), log["handovers"]![0]!["ends"]!.GetValue<int>()));
    }

    [Fact]
    public async Task Who_sees_and_works_an_end_follows_its_assignment_and_what_was_done_before_counts()
    {
        var c = await host.NewCompany();
        var (office, one, two, lead2) = (await c.SignIn("office"), await c.SignIn("installer1"), await c.SignIn("installer2"), await c.SignIn("lead2"));
        var before = c.Event(c.Ends[3], EventKind.Noted, new Noted("done while it was ours"));
        Assert.Equal("not-your-crews-job", Outcomes(await Send(two, c.Event(c.Ends[0], EventKind.Noted, new Noted("x"), by: "installer2")))[0]);
        (await office.Post($"/api/jobs/{c.JobId}/assignments", new { crewId = c.Crews[1], placeId = c.PanelId, fromPort = 1, toPort = 4 })).EnsureSuccessStatusCode();

        // The other crew sees and works the four, and nothing else of the job; the first no longer does, but its lead who plans the job.
        Assert.Equal(4, (await two.Get($"/api/jobs/{c.JobId}/loom"))["ends"]!.AsArray().Count);
        Assert.Equal((4, 8), ((await two.Get("/api/ends")).AsArray().Count, (await one.Get("/api/ends")).AsArray().Count));
        Assert.Equal(12, (await (await c.SignIn("lead1")).Get("/api/ends")).AsArray().Count);
        // By a filter, what was given away is found by an index of its own.
        Assert.Equal((12, 4), ((await (await c.SignIn("lead1")).Get("/api/ends?form=SC")).AsArray().Count, (await lead2.Get("/api/ends?form=SC")).AsArray().Count));
        Assert.Equal(HttpStatusCode.NotFound, (await one.Send("GET", $"/api/ends/{c.Ends[0]}")).StatusCode);
        Assert.Equal(["stored", "not-your-crews-job"], Outcomes(await Send(two, c.Event(c.Ends[0], EventKind.Noted, new Noted("x"), by: "installer2"), c.Event(c.Ends[8], EventKind.Noted, new Noted("x"), by: "installer2"))));
        // What was done before the change counts, though it comes after it; what was done later does not.
        Assert.Equal(["stored", "not-your-crews-job"], Outcomes(await Send(one, before, c.Event(c.Ends[3], EventKind.Noted, new Noted("too late")))));
        // Whose lead plans the job plans it; the other crew's lead only works what was given.
        Assert.Equal((HttpStatusCode.Forbidden, "not-yours-to-plan", "jobId"), await lead2.Refused("POST", $"/api/jobs/{c.JobId}/spaces", new { code = "Z", name = "Z" }));

        // To one person: the others of the crew do not work it, their lead does.
        (await office.Post($"/api/jobs/{c.JobId}/assignments", new { crewId = c.Crews[1], personId = c.Person("installer2").PersonId, endIds = new[] { c.Ends[0] } })).EnsureSuccessStatusCode();
        Assert.Equal(4, (await lead2.Get("/api/ends")).AsArray().Count);
        Assert.Single((await two.Get("/api/ends?mine=true")).AsArray());
        (await office.Post($"/api/jobs/{c.JobId}/assignments", new { crewId = c.Crews[1], personId = c.Person("lead2").PersonId, endIds = new[] { c.Ends[1] } })).EnsureSuccessStatusCode();
        Assert.Equal(["given-to-another"], Outcomes(await Send(two, c.Event(c.Ends[1], EventKind.Noted, new Noted("x"), by: "installer2"))));
        Assert.Equal(3, (await two.Get("/api/ends")).AsArray().Count);

        var history = (await office.Get($"/api/jobs/{c.JobId}/assignments")).AsArray();
        Assert.Equal([(1L, 1L), (1L, 1L), (4L, 2L), (12L, 8L)], history.Select(h => (h!["ends"]!.GetValue<long>(), h["stillHeld"]!.GetValue<long>())));
        Assert.Equal((HttpStatusCode.UnprocessableEntity, "person-unknown", "personId"), await office.Refused("POST", $"/api/jobs/{c.JobId}/assignments", new { crewId = c.Crews[0], personId = c.Person("lead2").PersonId, placeId = c.PanelId }));
        // Whoever asked was told: nobody has to settle it.
        Assert.Equal(0L, await host.Scalar<long>("select count(*) from quarantine where company_id = $1 and code = 'person-unknown'", c.Id));
        Assert.Equal((HttpStatusCode.BadRequest, "ends-none", "placeId"), await office.Refused("POST", $"/api/jobs/{c.JobId}/assignments", new { crewId = c.Crews[0], placeId = Guid.NewGuid() }));
    }
}
