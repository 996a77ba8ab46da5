using System.Net;
using System.Text.Json;
using System.Text.Json.Nodes;
using Microsoft.Extensions.DependencyInjection;
using Rhabdon.Core;
using Rhabdon.Core.Bench;
using Rhabdon.Core.Inspection;
using Rhabdon.Core.Ledger;
using Rhabdon.Core.Loss;
using Rhabdon.Core.Procedures;
using Rhabdon.Core.Rework;
using Rhabdon.Store;
using Xunit;

namespace Rhabdon.Server.Tests;

/// <summary>A connector's whole way over HTTP, and the calculators a shop's script would call.</summary>
public class SliceTests(TestHost host)
{
    private static readonly RunTable Table = Documents.Load(AppContext.BaseDirectory).Rules.Table("wedge-locked-upc-3mm", 4);

    /// <summary>The events of one run with a given answer to the glow, first answers everywhere else.</summary>
    internal static List<LedgerEvent> Run(TestCompany c, EndId endId, int attempt, params string[] glow)
    {
        var start = c.Event(endId, EventKind.AttemptStarted, new AttemptStarted(Table.ProcedureId, Table.Version), attempt);
        var events = new List<LedgerEvent> { start };
        var answers = new Queue<string>(glow);
        for (var position = RunPosition.At(Table); position.StateId is { } id;)
        {
            var state = Table.State(id)!;
            var input = id == "glow" && answers.TryDequeue(out var a) ? a : state.On.Keys.First();
            events.Add(state.Question is null
                ? c.Event(endId, EventKind.StepDone, new StepDone(start.Id.As<Ids.Run>(), id, null, state.Count?.Min), attempt)
                : c.Event(endId, EventKind.CheckAnswered, new CheckAnswered(start.Id.As<Ids.Run>(), id, input), attempt));
            position = RunWalk.Advance(Table, position, id, input).Position;
        }

        return events;
    }

    internal static Measured Reading(RunId run, int nm, double lossDb) =>
        new(run, ReferenceMethod.OneCord, nm, -20, -20 - lossDb, Into: MeasuredInto.FinishedConnector);

    /// <summary>One connector made, looked at, measured and accepted.</summary>
    internal static async Task Accept(TestCompany c, Caller caller, EndId end)
    {
        var run = Run(c, end, 1);
        var runId = run[0].Id.As<Ids.Run>();
        await Tell(caller, [.. run, c.Event(end, EventKind.Inspected, new Inspected(runId, [])), c.Event(end, EventKind.Measured, Reading(runId, 850, 0.81)), c.Event(end, EventKind.Measured, Reading(runId, 1300, 0.62)),
            c.Event(end, EventKind.Accepted, new Accepted(runId))]);
    }

    internal static async Task Tell(Caller caller, params LedgerEvent[] events)
    {
        var response = await caller.Post("/api/ledger", events);
        var text = await response.Content.ReadAsStringAsync();
        Assert.True(response.IsSuccessStatusCode, text);
        Assert.DoesNotContain("quarantined", text);
    }

    [Fact]
    public async Task From_a_planned_end_to_an_accepted_one_with_the_record_to_prove_it()
    {
        var c = await host.NewCompany();
        var installer = await c.SignIn("installer1");
        var end = c.Ends[2];
        await Tell(installer, [.. Run(c, end, 1, "bright", "bright")]);
        Assert.Equal("to-remake", (await installer.Get($"/api/ends/{end}"))["state"]!["status"]!.GetValue<string>());
        var second = Run(c, end, 2);
        var run = second[0].Id;
        await Tell(installer, [.. second]);
        await Tell(installer, c.Event(end, EventKind.Inspected, new Inspected(run.As<Ids.Run>(), [new(Zone.B, FindingKind.Pit, 2, 5)]), 2));
        await Tell(installer, c.Event(end, EventKind.Measured, Reading(run.As<Ids.Run>(), 850, 0.81), 2), c.Event(end, EventKind.Measured, Reading(run.As<Ids.Run>(), 1300, 0.62), 2));
        await Tell(installer, c.Event(end, EventKind.Accepted, new Accepted(run.As<Ids.Run>()), 2));

        var record = await (await c.SignIn("lead1")).Get($"/api/ends/{end}/record");
        var state = record["end"]!["state"]!;
        Assert.Equal(("accepted", "pass", 59.0), (state["status"]!.GetValue<string>(), state["verdict"]!.GetValue<string>(), state["slackUsedMm"]!.GetValue<double>()));
        Assert.Equal(["not-seated-or-gap", "not-seated-or-gap"], state["attempts"]![0]!["loops"]!.AsArray().Select(l => l!["reason"]!.GetValue<string>()));
        var measured = record["entries"]!.AsArray().Where(e => e!["kind"]!.GetValue<string>() == "measured").ToList();
        Assert.Equal([1.8, 1.65], measured.Select(m => Math.Round(m!["loss"]!["limit"]!["limitDb"]!.GetValue<double>(), 9))); // 100 m OM3: 0.3 or 0.15, and 2 × 0.75
        Assert.All(measured, m => Assert.Contains("568.3-D", m!["loss"]!["limit"]!["edition"]!.GetValue<string>()));
        Assert.All(record["entries"]!.AsArray(), e => Assert.Equal("Installer 1", e!["actorName"]!.GetValue<string>()));

        var loom = await installer.Get($"/api/jobs/{c.JobId}/loom");
        var line = loom["ends"]!.AsArray().Single(e => e!["endId"].Deserialize<EndId>() == end)!;
        Assert.Equal(("accepted", "join>strip join>join", 2), (line["status"]!.GetValue<string>(), line["loops"]!.GetValue<string>(), line["attempts"]!.GetValue<int>()));
        Assert.Equal(1, (await installer.Get("/api/jobs"))[0]!["accepted"]!.GetValue<int>());
        Assert.Equal(end, (await installer.Get("/api/ends?verdict=pass&status=accepted")).AsArray().Single()!["endId"].Deserialize<EndId>());
    }

    [Fact]
    public async Task An_end_that_eats_its_slack_is_found_before_it_runs_out()
    {
        var c = await host.NewCompany();
        var installer = await c.SignIn("installer1");
        Assert.Empty((await installer.Get("/api/ends?nearlyOut=true")).AsArray());
        for (var attempt = 1; attempt <= 5; attempt++)
        {
            var run = Run(c, c.Ends[0], attempt);
            await Tell(installer, [.. run, c.Event(c.Ends[0], EventKind.AttemptClosed, new AttemptClosed(run[0].Id.As<Ids.Run>(), ReworkReason.CrimpDefectOrStrainRelief, true), attempt)]);
        }

        var slack = (await installer.Get($"/api/ends/{c.Ends[0]}"))["slack"]!; // 500 − 5 × 80
        Assert.Equal((100.0, 1, true), (slack["leftMm"]!.GetValue<double>(), slack["cutOffsLeft"]!.GetValue<int>(), slack["nearlyOut"]!.GetValue<bool>()));
        async Task<IEnumerable<EndId>> Listed() => (await installer.Get("/api/ends?nearlyOut=true")).AsArray().Select(e => e!["endId"].Deserialize<EndId>());
        Assert.Equal([c.Ends[0]], await Listed());

        // A database of before does not know it yet: the start works it out.
        await host.Scalar<long>("with gone as (delete from projection where name = 'nearly-out'), none as (update cable_end set nearly_out = false where company_id = $1 returning 1) select count(*) from none", c.Id);
        Assert.Empty(await Listed());
        await host.Services.GetRequiredService<NearlyOut>().BuildWhereOld();
        Assert.Equal([c.Ends[0]], await Listed());

        // More slack was found: it is no longer.
        var found = await (await c.SignIn("lead1")).Send("PUT", $"/api/jobs/{c.JobId}/cables/{c.CableId}", new { lengthM = 100, slackAMm = 900, slackBMm = 500, connections = 2, splices = 0, version = 1 });
        Assert.True(found.IsSuccessStatusCode);
        Assert.Empty(await Listed());
    }

    [Fact]
    public async Task Two_devices_on_one_end_are_both_kept_and_the_lead_closes_one()
    {
        var c = await host.NewCompany();
        var installer = await c.SignIn("installer1");
        var lead = await c.SignIn("lead1");
        var first = c.Event(c.Ends[5], EventKind.AttemptStarted, new AttemptStarted(Table.ProcedureId, 1));
        var second = c.Event(c.Ends[5], EventKind.AttemptStarted, new AttemptStarted(Table.ProcedureId, 1), by: "lead1") with { DeviceId = DeviceId.New(), DeviceSeq = 1 };
        await Task.WhenAll(Tell(installer, first), Tell(lead, second));
        var state = (await lead.Get($"/api/ends/{c.Ends[5]}"))["state"]!;
        Assert.Equal((true, "needs-decision", 2), (state["conflict"]!.GetValue<bool>(), state["status"]!.GetValue<string>(), state["attempts"]!.AsArray().Count));
        await Tell(lead, c.Event(c.Ends[5], EventKind.AttemptClosed, new AttemptClosed(second.Id.As<Ids.Run>(), ReworkReason.Other, false), by: "lead1"));
        Assert.Equal("at-bench", (await lead.Get($"/api/ends/{c.Ends[5]}"))["state"]!["status"]!.GetValue<string>());
        await Tell(installer, c.Event(c.Ends[5], EventKind.CheckAnswered, new CheckAnswered(first.Id.As<Ids.Run>(), "match", "same")));
    }

    [Fact]
    public async Task Many_devices_writing_about_one_end_at_once_lose_nothing()
    {
        var c = await host.NewCompany();
        var start = c.Event(c.Ends[6], EventKind.AttemptStarted, new AttemptStarted(Table.ProcedureId, 1));
        var callers = await Task.WhenAll(Enumerable.Range(0, 8).Select(_ => c.SignIn("installer1")));
        await Tell(callers[0], start);
        await Task.WhenAll(callers.Select(x => Tell(x, c.Event(c.Ends[6], EventKind.AttemptStarted, new AttemptStarted(Table.ProcedureId, 1)) with { DeviceId = DeviceId.New() })));
        Assert.Equal(9, (await callers[0].Get($"/api/ends/{c.Ends[6]}"))["state"]!["attempts"]!.AsArray().Count);
    }

    [Fact]
    public async Task Setting_a_quarantined_entry_aside_keeps_it()
    {
        var c = await host.NewCompany();
        await (await c.SignIn("installer1")).SendText("/api/ledger", "[{\"what\":\"is this\"}]");
        var lead = await c.SignIn("lead1");
        var held = (await lead.Get("/api/quarantine"))[0]!;
        Assert.Equal("Installer 1", held["senderName"]!.GetValue<string>());
        (await lead.Post($"/api/quarantine/{held["quarantineId"]}/set-aside", new { })).EnsureSuccessStatusCode();
        Assert.Empty((await lead.Get("/api/quarantine")).AsArray());
        Assert.Equal("set-aside", await host.Scalar<string>("select settled_as from quarantine where company_id = $1", c.Id));
        Assert.Equal(HttpStatusCode.NotFound, (await lead.Post($"/api/quarantine/{held["quarantineId"]}/retry", new { })).StatusCode);
    }

    [Fact]
    public async Task Too_many_events_and_no_array_are_refused_whole()
    {
        var c = await host.NewCompany();
        var installer = await c.SignIn("installer1");
        Assert.Equal((HttpStatusCode.BadRequest, "events-count", "events"), await installer.Refused("POST", "/api/ledger", Array.Empty<object>()));
        Assert.Equal((HttpStatusCode.BadRequest, "events-count", "events"), await installer.Refused("POST", "/api/ledger", new int[501]));
        Assert.Equal(HttpStatusCode.BadRequest, (await installer.SendText("/api/ledger", "{\"not\":\"a list\"}")).StatusCode);
        Assert.Equal(HttpStatusCode.BadRequest, (await installer.SendText("/api/ledger", "[{\"cut\":")).StatusCode);
        Assert.Equal(0L, await host.Scalar<long>("select count(*) from quarantine where company_id = $1", c.Id));
    }

    private static JsonObject Loss(double reference = -20, double reading = -21, int nm = 850, string set = "tia-568.3-d") => JsonNode.Parse($$"""
        { "limitSetId": "{{set}}", "link": { "fiberClass": "OM3", "lengthM": 300, "connections": 2, "splices": 0 },
          "reading": { "wavelengthNm": {{nm}}, "reference": "one-cord", "referenceDbm": {{reference}}, "readingDbm": {{reading}}, "repeatabilityDb": 0.05 } }
        """)!.AsObject();

    [Theory]
    [InlineData(-21.0, "pass")]
    [InlineData(-22.4, "marginal-under")] // 300 m OM3, two connections: 2.40 dB; ANSI/TIA-568.3-D, from memory
    [InlineData(-23.0, "fail")]
    [InlineData(-19.0, "bad-reference")]
    public async Task Insertion_loss_over_http(double reading, string verdict)
    {
        var c = await host.NewCompany();
        var answer = JsonNode.Parse(await (await (await c.SignIn("installer1")).Post("/api/calc/insertion-loss", Loss(reading: reading))).Content.ReadAsStringAsync())!;
        Assert.Equal((verdict, 2.4), (answer["verdict"]!.GetValue<string>(), Math.Round(answer["limit"]!["limitDb"]!.GetValue<double>(), 9)));
    }

    [Fact]
    public async Task Calculators_name_the_field_of_bad_input()
    {
        var c = await host.NewCompany();
        var caller = await c.SignIn("installer1");
        Assert.Equal((HttpStatusCode.UnprocessableEntity, "out-of-range", "readingDbm"), await caller.Refused("POST", "/api/calc/insertion-loss", Loss(reading: 99)));
        Assert.Equal((HttpStatusCode.UnprocessableEntity, "wavelength-unknown", "wavelengthNm"), await caller.Refused("POST", "/api/calc/insertion-loss", Loss(nm: 1310)));
        Assert.Equal((HttpStatusCode.UnprocessableEntity, "limit-set-unknown", "limitSetId"), await caller.Refused("POST", "/api/calc/insertion-loss", Loss(set: "moon")));
        Assert.Equal((HttpStatusCode.UnprocessableEntity, "out-of-range", "number"), await caller.Refused("GET", "/api/calc/strands/289"));
        Assert.Equal((HttpStatusCode.UnprocessableEntity, "finding-size", "findings[0].sizeUm"), await caller.Refused("POST", "/api/calc/end-face-grade",
            new { endFaceClass = "sm-upc", limitSetId = "iec-61300-3-35", findings = new[] { new { zone = "A", kind = "pit", sizeUm = -1, count = 1 } }, method = (string?)null }));
        Assert.Equal((HttpStatusCode.UnprocessableEntity, "prep-contradiction", "prep.spans.c.lengthMm"), await caller.Refused("POST", "/api/calc/prep", new
        {
            points = new[] { new { id = "jacket-edge", name = "J", layer = "jacket" }, new { id = "buffer-edge", name = "B", layer = "buffer" } },
            spans = new object[]
            {
                new { id = "a", from = "cable-end", to = "jacket-edge", lengthMm = 35 }, new { id = "b", from = "buffer-edge", to = "jacket-edge", lengthMm = 16 },
                new { id = "c", from = "cable-end", to = "buffer-edge", lengthMm = 20 },
            },
        }));
        Assert.Equal((HttpStatusCode.NotFound, "not-found", "path"), await caller.Refused("GET", "/api/nothing"));
    }

    [Fact]
    public async Task People_and_crews_are_checked_field_by_field()
    {
        var c = await host.NewCompany();
        var office = await c.SignIn("office");
        object Person(string login = "fresh", string password = TestHost.Password, string role = "installer", CrewId? crewId = null) => new { name = "N", login = login + c.Tag, password, role, crewId };
        Assert.Equal((HttpStatusCode.BadRequest, "crew-missing", "crewId"), await office.Refused("POST", "/api/people", Person()));
        Assert.Equal((HttpStatusCode.BadRequest, "crew-unknown", "crewId"), await office.Refused("POST", "/api/people", Person(crewId: CrewId.New())));
        Assert.Equal((HttpStatusCode.BadRequest, "password-length", "password"), await office.Refused("POST", "/api/people", Person(password: "short", crewId: c.Crews[0])));
        Assert.Equal((HttpStatusCode.Conflict, "taken", "login"), await office.Refused("POST", "/api/people", Person("LEAD1-", crewId: c.Crews[0])));
        Assert.Equal((HttpStatusCode.BadRequest, "body-shape", "role"), await office.Refused("POST", "/api/people", Person(role: "king", crewId: c.Crews[0])));
        Assert.Equal((HttpStatusCode.Conflict, "taken", "name"), await office.Refused("POST", "/api/crews", new { name = "Crew 1" }));
        Assert.Equal((HttpStatusCode.BadRequest, "text-length", "name"), await office.Refused("POST", "/api/crews", new { name = "a\u0007b" }));
        await office.Make("/api/people", Person(crewId: c.Crews[1]));
        Assert.Equal("Crew 2", (await (await host.SignIn("fresh" + c.Tag)).Get("/api/session"))["person"]!["crewName"]!.GetValue<string>());
    }
}
