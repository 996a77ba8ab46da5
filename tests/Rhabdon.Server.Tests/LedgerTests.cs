using System.Text.Json;
using System.Text.Json.Nodes;
using Microsoft.Extensions.DependencyInjection;
using Npgsql;
using Rhabdon.Core;
using Rhabdon.Core.Ledger;
using Rhabdon.Server.Demo;
using Rhabdon.Store;
using Rhabdon.Tests;
using Xunit;

namespace Rhabdon.Server.Tests;

public class LedgerTests(TestHost host)
{
    private static readonly AttemptStarted Wedge = new("wedge-locked-upc-3mm", 1);

    private static async Task<string[]> Outcomes(Caller caller, params LedgerEvent[] events)
    {
        var response = await caller.Post("/api/ledger", events);
        var text = await response.Content.ReadAsStringAsync();
        Assert.True(response.IsSuccessStatusCode, text);
        return [.. JsonNode.Parse(text)!["events"]!.AsArray().Select(e => e!["outcome"]!.GetValue<string>() + (e["refusal"] is { } r ? " " + r["code"] : ""))];
    }

    [Fact]
    public async Task The_same_events_sent_five_times_at_once_are_in_the_ledger_once()
    {
        var c = await host.NewCompany();
        var callers = await Task.WhenAll(Enumerable.Range(0, 5).Select(_ => c.SignIn("installer1")));
        var start = c.Event(c.Ends[0], EventKind.AttemptStarted, Wedge);
        var step = c.Event(c.Ends[0], EventKind.CheckAnswered, new CheckAnswered(start.Id.As<Ids.Run>(), "match", "same"));
        var outcomes = await Task.WhenAll(callers.Select(x => Outcomes(x, start, step)));
        Assert.Equal(2, outcomes.SelectMany(o => o).Count(o => o == "stored"));
        Assert.Equal(8, outcomes.SelectMany(o => o).Count(o => o == "duplicate"));
        Assert.Equal(2L, await host.Scalar<long>("select count(*) from ledger where company_id = $1", c.Id));
    }

    [Fact]
    public async Task The_ledger_refuses_update_delete_and_truncate()
    {
        var c = await host.NewCompany();
        await Outcomes(await c.SignIn("installer1"), c.Event(c.Ends[0], EventKind.Noted, new Noted("x")));
        foreach (var sql in new[] { "update ledger set attempt = 9", "delete from ledger", "truncate ledger" })
        {
            Assert.Contains("append-only", (await Assert.ThrowsAsync<PostgresException>(() => host.Scalar<object>(sql))).Message);
        }
    }

    [Fact]
    public async Task What_the_rules_refuse_is_kept_with_the_reason_and_can_be_taken_in_later()
    {
        var c = await host.NewCompany();
        var installer = await c.SignIn("installer1");
        var start = c.Event(c.Ends[0], EventKind.AttemptStarted, Wedge);
        var early = c.Event(c.Ends[0], EventKind.CheckAnswered, new CheckAnswered(start.Id.As<Ids.Run>(), "match", "same"));
        Assert.Equal(["quarantined run-unknown"], await Outcomes(installer, early));
        Assert.Equal(["quarantined run-unknown"], await Outcomes(installer, early)); // sent again: still one entry
        var lead = await c.SignIn("lead1");
        var held = Assert.Single((await lead.Get("/api/quarantine")).AsArray())!;
        Assert.Equal(("run-unknown", 2), (held["code"]!.GetValue<string>(), held["tries"]!.GetValue<int>()));

        // Once what it waited for has come, it is taken in by itself.
        Assert.Equal(["stored"], await Outcomes(installer, start));
        Assert.Empty((await lead.Get("/api/quarantine")).AsArray());
        Assert.Equal(2L, await host.Scalar<long>("select count(*) from ledger where company_id = $1", c.Id));
        Assert.NotEqual("match", (await installer.Get($"/api/ends/{c.Ends[0]}"))["state"]!["attempts"]![0]!["position"]!["stateId"]!.GetValue<string>());

        // What was sent under another's sign-in waits for a lead's word.
        var anothers = c.Event(c.Ends[1], EventKind.Noted, new Noted("x"), by: "lead1");
        Assert.Equal(["quarantined sent-for-another"], await Outcomes(installer, anothers));
        var id = Assert.Single((await lead.Get("/api/quarantine")).AsArray())!["quarantineId"];
        Assert.Contains("\"stored\"", await (await lead.Post($"/api/quarantine/{id}/retry", new { })).Content.ReadAsStringAsync());
        Assert.Empty((await lead.Get("/api/quarantine")).AsArray());
    }

    [Fact]
    public async Task Other_crews_others_names_and_other_companies_do_not_get_in()
    {
        var c = await host.NewCompany();
        var other = await host.NewCompany();
        var mine = c.Event(c.Ends[0], EventKind.Noted, new Noted("x"));
        Assert.Equal(["quarantined not-your-crews-job"], await Outcomes(await c.SignIn("installer2"), mine with { ActorId = c.Person("installer2").PersonId }));
        Assert.Equal(["quarantined end-unknown"], await Outcomes(await other.SignIn("office"), mine with { ActorId = other.Person("office").PersonId }));
        Assert.Equal(["quarantined actor-unknown"], await Outcomes(await c.SignIn("installer1"), mine with { ActorId = other.Person("office").PersonId }));
        Assert.Equal(["quarantined sent-for-another"], await Outcomes(await c.SignIn("lead1"), mine));
        Assert.Equal(["stored"], await Outcomes(await c.SignIn("installer1"), mine));
        Assert.Equal(["quarantined id-reused"], await Outcomes(await c.SignIn("installer1"), mine with { Attempt = 2 }));
    }

    [Theory]
    [InlineData("""{"id":"not-an-id"}""", "event-shape")]
    [InlineData("""7""", "event-shape")]
    [InlineData("""null""", "event-shape")]
    [InlineData("""{"id":"ID","endId":"END","attempt":1,"kind":"noted","at":"2026-11-20T10:00:00Z","deviceId":"ID","deviceSeq":1,"actorId":"ME","body":{"text":"a\u0000b"}}""", "body-text")]
    [InlineData("""{"id":"ID","endId":"END","attempt":1,"kind":"noted","at":"2026-11-20T10:00:00Z","deviceId":"ID","deviceSeq":1,"actorId":"ME","body":{"text":"\ud800"}}""", "body-text")]
    [InlineData("""{"id":"ID","endId":"END","attempt":1,"kind":"noted","at":"2026-11-20T10:00:00Z","deviceId":"ID","deviceSeq":1,"actorId":"ME","body":{"text":"x","n":1e-20000}}""", "number-range")]
    [InlineData("""{"id":"ID","endId":"END","attempt":1,"kind":"noted","at":"2026-11-20T10:00:00Z","deviceId":"ID","deviceSeq":1,"actorId":"ME","body":{"text":"x","text":"y"}}""", "name-twice")]
    [InlineData("""{"id":"ID","endId":"END","attempt":1,"kind":"noted","at":"2026-11-20T10:00:00Z","deviceId":"ID","deviceSeq":1,"actorId":"ME","body":{"text":"x","Text":"y"}}""", "body-shape")]
    [InlineData("""{"id":"ID","endId":"END","attempt":1,"kind":"noted","at":"2026-11-20T10:00:00Z","deviceId":"ID","deviceSeq":1,"actorId":"ME","body":{"text":"x","n":1e999999}}""", "number-range")]
    [InlineData("""{"id":"ID","endId":"END","attempt":1,"kind":"noted","at":"0001-01-01T00:00:00Z","deviceId":"ID","deviceSeq":1,"actorId":"ME","body":{"text":"x"}}""", "out-of-range")]
    [InlineData("""{"id":"ID","endId":"END","attempt":1,"kind":"noted","at":"2026-11-20T10:00:00","deviceId":"ID","deviceSeq":1,"actorId":"ME","body":{"text":"whose ten o'clock?"}}""", "event-shape")]
    [InlineData("""{"id":"ID","endId":"END","attempt":1,"kind":"noted","at":"2199-11-20T10:00:00Z","deviceId":"ID","deviceSeq":1,"actorId":"ME","body":{"text":"still to come"}}""", "at-future")]
    [InlineData("""{"id":"11111111-1111-4111-8111-111111111111","endId":"END","attempt":1,"kind":"noted","at":"2026-11-20T10:00:00Z","deviceId":"ID","deviceSeq":1,"actorId":"ME","body":{"text":"x"}}""", "id-version")]
    [InlineData("""{"id":"ID","endId":"END","attempt":1,"kind":"painted","at":"2026-11-20T10:00:00Z","deviceId":"ID","deviceSeq":1,"actorId":"ME","body":{}}""", "event-shape")]
    [InlineData("""{"id":"ID","endId":"END","attempt":1,"kind":"noted","at":"2026-11-20T10:00:00Z","deviceId":"ID","deviceSeq":1,"actorId":"ME","body":{"text":"  "}}""", "note-empty")]
    public async Task Whatever_a_device_sends_is_kept_and_its_good_neighbour_gets_in(string raw, string code)
    {
        var c = await host.NewCompany();
        var installer = await c.SignIn("installer1");
        var good = JsonSerializer.Serialize(c.Event(c.Ends[0], EventKind.Noted, new Noted("good")), Wire.Json);
        raw = raw.Replace("\"ID\"", $"\"{Guid.CreateVersion7()}\"").Replace("END", c.Ends[0].ToString()).Replace("ME", c.Person("installer1").PersonId.ToString());
        var response = await installer.SendText("/api/ledger", $"[{raw},{good}]");
        var events = JsonNode.Parse(await response.Content.ReadAsStringAsync())!["events"]!.AsArray();
        Assert.Equal(code, events[0]!["refusal"]!["code"]!.GetValue<string>());
        Assert.Equal("stored", events[1]!["outcome"]!.GetValue<string>());
        Assert.Equal(raw, await host.Scalar<string>("select raw from quarantine where company_id = $1", c.Id));
    }

    [Fact]
    public async Task A_devices_events_are_taken_in_by_its_own_count_whatever_order_they_are_sent_in()
    {
        var c = await host.NewCompany();
        var start = c.Event(c.Ends[0], EventKind.AttemptStarted, Wedge);
        var match = c.Event(c.Ends[0], EventKind.CheckAnswered, new CheckAnswered(start.Id.As<Ids.Run>(), "match", "same"));
        var thread = c.Event(c.Ends[0], EventKind.StepDone, new StepDone(start.Id.As<Ids.Run>(), "thread-boot"));
        Assert.Equal(["stored", "stored", "stored"], await Outcomes(await c.SignIn("installer1"), thread, match, start));
    }

    [Fact]
    public async Task A_correction_in_the_same_request_and_later_takes_the_answer_back()
    {
        var c = await host.NewCompany();
        var installer = await c.SignIn("installer1");
        var start = c.Event(c.Ends[0], EventKind.AttemptStarted, Wedge);
        var wrong = c.Event(c.Ends[0], EventKind.CheckAnswered, new CheckAnswered(start.Id.As<Ids.Run>(), "match", "other"));
        var undo = c.Event(c.Ends[0], EventKind.Corrected, new Corrected(wrong.Id));
        Assert.Equal(["stored", "stored", "stored"], await Outcomes(installer, start, wrong, undo));
        var end = await installer.Get($"/api/ends/{c.Ends[0]}");
        Assert.Empty(end["state"]!["attempts"]![0]!["loops"]!.AsArray());
        Assert.Equal(["stored"], await Outcomes(installer, c.Event(c.Ends[0], EventKind.CheckAnswered, new CheckAnswered(start.Id.As<Ids.Run>(), "match", "same"))));
        var entries = (await installer.Get($"/api/ends/{c.Ends[0]}/record"))["entries"]!.AsArray();
        Assert.Equal([false, true, false, false], entries.Select(e => e!["struck"]!.GetValue<bool>()));
    }

    /// <summary>With RHABDON_FREEZE=1, leaves the demo's ledger and what it came to under tests/frozen, where Core replays it for ever; what is there is never written again.</summary>
    private static async Task Freeze(TestHost host)
    {
        const string Ends = """
            select jsonb_agg(jsonb_build_object('name', e.end_id, 'state', s.state, 'log', (
                select jsonb_agg(jsonb_build_object('event', jsonb_build_object('id', l.event_id, 'endId', l.stream_id, 'attempt', l.attempt, 'kind', l.kind, 'at', l.at, 'deviceId', l.device_id, 'deviceSeq', l.device_seq,
                           'actorId', l.actor_id, 'body', l.body), 'judged', g.judged, 'cause', g.cause_id, 'restart', g.restart) order by g.seq)
                from judgement g join ledger l on l.company_id = g.company_id and l.event_id = g.event_id
                where g.company_id = e.company_id and g.stream_id = e.end_id)) order by e.end_id)::text
            from cable_end e join end_state s on s.company_id = e.company_id and s.end_id = e.end_id
            """;
        const string Streams = """
            select jsonb_agg(jsonb_build_object('state', s.state, 'log', (
                select jsonb_agg(jsonb_build_object('event', jsonb_build_object('id', l.event_id, 'stream', l.stream, 'streamId', l.stream_id, 'kind', l.kind, 'at', l.at, 'deviceId', l.device_id, 'deviceSeq', l.device_seq,
                           'actorId', l.actor_id, 'body', l.body), 'judged', (select g.judged from judgement g where g.company_id = l.company_id and g.event_id = l.event_id order by g.seq desc limit 1)) order by l.seq)
                from ledger l where l.company_id = s.company_id and l.stream_id = s.stream_id)) order by s.stream_id)::text
            from stream_state s
            """;
        foreach (var (name, sql) in new[] { ("ledgers-2", Ends), ("streams-2", Streams) })
        {
            var file = Path.Combine(AccessTests.Root, "tests", "frozen", $"{name}.json.gz");
            if (Environment.GetEnvironmentVariable("RHABDON_FREEZE") == "1" && !File.Exists(file))
            {
                // The database has kinds and streams by the names of the code.
                var json = JsonNode.Parse(await host.Scalar<string>(sql))!.AsArray();
                foreach (var e in json.SelectMany(x => x!["log"]!.AsArray()).Select(x => x!["event"]!.AsObject()))
                {
                    e["kind"] = e.ContainsKey("stream") ? Wire.Name(Enum.Parse<StreamEventKind>(e["kind"]!.GetValue<string>())) : Wire.Name(Enum.Parse<EventKind>(e["kind"]!.GetValue<string>()));
                    e["stream"] = e.ContainsKey("stream") ? Wire.Name(Enum.Parse<StreamKind>(e["stream"]!.GetValue<string>())) : null;
                    if (e["stream"] is null)
                    {
                        e.Remove("stream");
                    }
                }

                using var zip = new System.IO.Compression.GZipStream(File.Create(file), System.IO.Compression.CompressionLevel.SmallestSize);
                JsonSerializer.Serialize(zip, json);
            }
        }
    }

    /// <summary>The demo, once for this class: it fills every state, and folding its ledger again gives the same rows.</summary>
    [Fact]
    public async Task The_demo_fills_every_state_and_a_rebuild_gives_identical_rows()
    {
        await using var own = new OwnHost();
        await own.Host.InitializeAsync();
        var loader = own.Host.Services.GetRequiredService<DemoLoader>();
        Assert.True(await loader.LoadOnce());
        Assert.False(await loader.LoadOnce());
        Assert.Equal((5L, 2L), (await own.Host.Scalar<long>("select count(*) from person"), await own.Host.Scalar<long>("select count(*) from crew")));
        Assert.True(await own.Host.Scalar<long>("select count(*) from cable_end") >= 96);
        Assert.Equal(Enum.GetNames<EndStatus>().Length - 1L, await own.Host.Scalar<long>("select count(distinct status) from end_state"));
        Assert.Equal(0L, await own.Host.Scalar<long>("select count(*) from quarantine"));

        const string Rows = "select md5(string_agg(s::text, '|' order by end_id)) from end_state s";
        var before = await own.Host.Scalar<string>(Rows);
        var (ends, aside) = await own.Host.Services.GetRequiredService<Projector>().Rebuild();
        Assert.Equal(await own.Host.Scalar<long>("select count(*) from end_state"), ends);
        Assert.Empty(aside);
        Assert.Equal(before, await own.Host.Scalar<string>(Rows));

        await Freeze(own.Host);
        await using var twin = new OwnHost();
        await twin.Host.InitializeAsync();
        await twin.Host.Services.GetRequiredService<DemoLoader>().LoadOnce();
        Assert.Equal(before, await twin.Host.Scalar<string>(Rows)); // the same each time it is loaded
    }

    /// <summary>A dump of the demo by the version before judgements were kept: it opens, with the very same verdicts, and the work goes on.</summary>
    [Fact]
    public async Task A_database_of_before_opens_with_the_same_verdicts_and_goes_on()
    {
        await using var own = new OwnHost();
        using var zip = new System.IO.Compression.GZipStream(File.OpenRead(Path.Combine(AccessTests.Root, "tests", "frozen", "demo-before-judgements.sql.gz")), System.IO.Compression.CompressionMode.Decompress);
        const string Rows = "select string_agg(end_id || ' ' || status || ' ' || verdict || ' ' || slack_used_mm || ' ' || attempts, '|' order by end_id) from end_state";
        var before = "";
        await own.Host.Start(await new StreamReader(zip).ReadToEndAsync(), async db => before = (string)(await db.CreateCommand($"set search_path = public; {Rows}").ExecuteScalarAsync())!);
        Assert.Equal(before.Split('|'), (await own.Host.Scalar<string>(Rows)).Split('|'));
        Assert.True(await own.Host.Scalar<long>("select count(*) from end_state where verdict <> 'None'") > 50);
        Assert.Equal(0L, await own.Host.Scalar<long>("select count(*) from end_set_aside"));
        Assert.Equal(await own.Host.Scalar<long>("select count(*) from end_state"), await own.Host.Scalar<long>("select count(*) from judgement where restart and judged ->> 'is' = 'taken-over'"));

        // Its runs go on under the numbers that their procedures have now, what nobody has begun follows what ships, and an old entry can still be taken back.
        Assert.Equal(0L, await own.Host.Scalar<long>("""
            select count(*) from cable_end e left join end_state s on s.company_id = e.company_id and s.end_id = e.end_id
            where e.procedure_id = 'wedge-locked-upc-3mm' and e.procedure_version <> case when coalesce(s.attempts, 0) > 0 then 4 else 5 end
            """));
        var (projector, intake) = (own.Host.Services.GetRequiredService<Projector>(), own.Host.Services.GetRequiredService<Intake>());
        Assert.Empty((await projector.Rebuild()).SetAside);
        Assert.Equal(before.Split('|'), (await own.Host.Scalar<string>(Rows)).Split('|'));
        var end = await own.Host.Scalar<EndId>("select end_id from end_state where status = 'AtBench' order by end_id limit 1");
        var company = await own.Host.Scalar<CompanyId>("select company_id from company");
        var lead = new Scope(company, await own.Host.Scalar<PersonId>("select person_id from person where login = 'mira'"), Role.Office, null);
        var log = await own.Host.Services.GetRequiredService<EventLog>().Of(company, end);
        var last = log.Events[^1];
        var undo = new LedgerEvent(EventId.New(), end, last.Attempt, EventKind.Corrected, SystemClock.Instance.GetCurrentInstant(), DeviceId.New(), 1, lead.PersonId, System.Text.Json.JsonSerializer.SerializeToElement(new Corrected(last.Id), Core.Wire.Json));
        var result = await intake.Append(lead, [Incoming.Of(undo)], SystemClock.Instance.GetCurrentInstant());
        Assert.Null(Assert.Single(result.Events).Refusal);
        Assert.NotEqual(Telling.Fold(end, log.Log).Current!.Position.StateId, Assert.Single(result.Ends).Current!.Position.StateId);
        var again = (await own.Host.Services.GetRequiredService<EventLog>().Of(company, end)).Log;
        Assert.Equal((true, undo.Id), (again[0].Restart, again[0].Cause));
    }

    /// <summary>The same three devices as in Core's model, over HTTP and into PostgreSQL: states, logs and quarantine come out as Core alone has them.</summary>
    [Fact]
    public async Task Three_devices_in_any_order_come_to_the_same_through_the_database()
    {
        var (c, used) = (await host.NewCompany(), 0);
        var (lead, rules) = (await c.SignIn("lead1"), host.Services.GetRequiredService<Rules>());
        await CsCheck.Check.SampleAsync(LedgerModel.Stories, async story =>
        {
            if (used == c.Ends.Length)
            {
                (c, used) = (await host.NewCompany(), 0);
                lead = await c.SignIn("lead1");
            }

            var end = c.Ends[used++];
            var model = new LedgerModel(end, rules.Table("wedge-locked-upc-3mm", 4), rules, new(Core.Fiber.FiberClass.OM3, 100, Core.Connectors.Polish.UPC, Core.Connectors.TerminationMethod.WedgeLocked, "tia-568.3-d", 2, 0), c.Person("lead1").PersonId);
            var random = new Random(story.Order);
            var sent = LedgerModel.Mixed(model.Queues(story.Steps, story.SkewMinutes), open => random.Next(open.Count));
            for (var (at, size) = (0, 0); at < sent.Count; at += size)
            {
                size = Math.Min(random.Next(1, 8), sent.Count - at);
                (await lead.Post("/api/ledger", sent.Skip(at).Take(size))).EnsureSuccessStatusCode();
            }

            var desk = model.NewDesk().Send(sent);
            if (sent.Count == 0)
            {
                return;
            }

            var kept = await host.Scalar<string>("select coalesce((select state::text from end_state where end_id = $1), '')", end);
            Same(desk.State, kept == "" ? EndState.Empty(end) : EndStates.Read(kept));
            Same(desk.State, Telling.Fold(end, (await host.Services.GetRequiredService<EventLog>().Of(c.Id, end)).Log));
            // Nothing is lost: what does not count waits in quarantine, or was taken in once and is voided; which of the two hangs on how many came in one request.
            Assert.Equal(sent.Count, await host.Scalar<long>("select (select count(*) from quarantine where stream_id = $1 and settled_at is null) + (select count(*) from ledger where stream_id = $1)", end));
        }, iter: 24 * LedgerModel.More, threads: 1);
        static void Same(EndState a, EndState b) => Assert.True(JsonNode.DeepEquals(JsonNode.Parse(LedgerModel.Json(a)), JsonNode.Parse(LedgerModel.Json(b))), $"{LedgerModel.Json(a)}\n{LedgerModel.Json(b)}");
    }

    [Fact]
    public async Task First_run_sets_up_one_company_and_only_one()
    {
        await using var own = new OwnHost();
        await own.Host.InitializeAsync();
        var visitor = await own.Host.Visit();
        Assert.True((await visitor.Get("/api/session"))["needsSetup"]!.GetValue<bool>());
        Assert.Equal("password", (await visitor.Refused("POST", "/api/setup", new { companyName = "A", name = "B", login = "boss", password = "short" })).Field);
        var both = await Task.WhenAll(Enumerable.Range(0, 2).Select(i => visitor.Post("/api/setup", new { companyName = "A", name = "B", login = $"boss{i}", password = TestHost.Password })));
        Assert.Equal([200, 409], both.Select(r => (int)r.StatusCode).Order());
        Assert.False((await visitor.Get("/api/session"))["needsSetup"]!.GetValue<bool>());
    }
}
