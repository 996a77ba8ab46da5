using System.Net;
using System.Net.Http.Json;
using System.Text.Json;
using System.Text.Json.Nodes;
using Rhabdon.Core;
using Rhabdon.Core.Inspection;
using Rhabdon.Core.Ledger;
using Rhabdon.Core.Loss;
using Rhabdon.Imaging;
using Rhabdon.Instruments;
using Rhabdon.Practice;
using Xunit;

namespace Rhabdon.Server.Tests;

/// <summary>Pictures, traces and tables over HTTP: as a shop's script sends them, and as the ledger keeps what was made of them.</summary>
public class JudgementTests(TestHost host)
{
    private static readonly byte[] Dirty = Microscope.Png([new(SeenFinding.Spot(FindingKind.Particle, 4, -6, 9), 0.6), new(SeenFinding.Spot(FindingKind.Pit, 40, 20, 3), 0.6)], new(960, 720, 400, CoreUm: 50));

    private static readonly byte[] Trace = OtdrWriter.Write(SimulatedTraces.Make(new(250, 2.6, [new(150, 0.9, -42)], PulseNs: 10, SpacingM: 0.25, RangeM: 400, WavelengthNm: 850, BackscatterDb: -68)));

    [Theory]
    [InlineData("application/octet-stream")]
    [InlineData("image/png")]
    [InlineData("application/x-www-form-urlencoded")] // what a command-line client says when nobody tells it otherwise
    public async Task A_picture_is_read_and_graded_however_it_is_called(string contentType)
    {
        var caller = await (await host.NewCompany()).SignIn("viewer");
        var a = await caller.File("/api/calc/end-face?class=mm-pc", Dirty, contentType);
        Assert.Equal((true, "fail", 2), (a["gradable"]!.GetValue<bool>(), a["verdict"]!.GetValue<string>(), a["findings"]!.AsArray().Count));
        Assert.Equal(125.0 / 400, a["umPerPx"]!.GetValue<double>(), 0.003);
        Assert.Equal((480, 360), (Math.Round(a["centreXPx"]!.GetValue<double>()), Math.Round(a["centreYPx"]!.GetValue<double>())));
        var breach = Assert.Single(a["decidedBy"]!.AsArray())!;
        var decisive = a["findings"]![breach["findings"]![0]!.GetValue<int>()]!;
        Assert.Equal(("A", "A"), (breach["zone"]!.GetValue<string>(), decisive["zone"]!.GetValue<string>()));
        Assert.Equal(9, decisive["diameterUm"]!.GetValue<double>(), 0.6);
        Assert.Null(decisive["widthUm"]);
    }

    [Fact]
    public async Task A_picture_as_a_forms_file_reads_alike_and_what_is_wrong_is_told()
    {
        var caller = await (await host.NewCompany()).SignIn("installer1");
        var form = new MultipartFormDataContent { { new ByteArrayContent(Dirty), "image", "face.png" } };
        var answer = JsonNode.Parse(await (await caller.SendContent("/api/calc/end-face?class=mm-pc", form)).Content.ReadAsStringAsync())!;
        Assert.True(answer["gradable"]!.GetValue<bool>());
        async Task<(string, string)> Refused(string query, byte[] bytes) => await caller.File($"/api/calc/end-face{query}", bytes) is var a ? (a["code"]!.GetValue<string>(), a["field"]!.GetValue<string>()) : default;
        Assert.Equal(("missing", "class"), await Refused("", Dirty));
        Assert.Equal(("class-unknown", "class"), await Refused("?class=glass", Dirty));
        Assert.Equal(("limit-set-unknown", "limitSetId"), await Refused("?class=mm-pc&limitSetId=none", Dirty));
        Assert.Equal(("out-of-range", "umPerPx"), await Refused("?class=mm-pc&umPerPx=0", Dirty));
        Assert.Equal(("file-missing", "image"), await Refused("?class=mm-pc", []));
        Assert.Equal(("picture-cut-off", "image"), await Refused("?class=mm-pc", Dirty[..2000]));
        var blurred = await caller.File("/api/calc/end-face?class=mm-pc", Microscope.Png([], new(960, 720, 400, BlurPx: 7)));
        Assert.Equal((false, "focus", null), (blurred["gradable"]!.GetValue<bool>(), blurred["reason"]!.GetValue<string>(), blurred["verdict"]?.GetValue<string>()));
    }

    [Fact]
    public async Task What_a_person_makes_of_a_picture_is_graded_and_both_lists_are_kept()
    {
        var c = await host.NewCompany();
        var installer = await c.SignIn("installer1");
        var end = c.Ends[0];
        var run = SliceTests.Run(c, end, 1);
        await SliceTests.Tell(installer, [.. run]);
        var taken = await installer.File($"/api/ends/{end}/pictures", Dirty);
        var id = taken["pictureId"].Deserialize<EvidenceId>();
        var found = SeenFinding.Spot(FindingKind.Particle, 4, -6, 9);
        SeenFace Face(params SeenFinding[] final) => new(id, 960, 720, 0.3125, 480, 360, 400, [found], final);
        await SliceTests.Tell(installer, c.Event(end, EventKind.Inspected, new Inspected(run[0].Id.As<Ids.Run>(), [], null, Face(found))));
        Assert.Equal("needs-decision", await Status(installer, end));
        await SliceTests.Tell(installer, c.Event(end, EventKind.Inspected, new Inspected(run[0].Id.As<Ids.Run>(), [], null, Face())));
        Assert.Equal("to-measure", await Status(installer, end));
        var looks = (await installer.Get($"/api/ends/{end}"))["state"]!["attempts"]![0]!["looks"]!.AsArray();
        Assert.Equal([1, 0], looks.Select(l => l!["picture"]!["final"]!.AsArray().Count));
        // What the program found is the server's own reading, whatever the device says that it was.
        static IEnumerable<string> Kinds(JsonNode findings) => findings.AsArray().Select(f => $"{f!["kind"]} {f["xUm"]} {f["x0Um"]}");
        Assert.Equal(2, taken["answer"]!["findings"]!.AsArray().Count);
        Assert.All(looks, l => Assert.Equal(Kinds(taken["answer"]!["findings"]!), Kinds(l!["picture"]!["automatic"]!)));
        Assert.Equal("picture.automatic", Assert.Single((await installer.Get($"/api/ends/{end}/record"))["entries"]!.AsArray().Last()!["differences"]!.AsArray())!["field"]!.GetValue<string>());
        // A picture of another end, or none, proves nothing here.
        var others = (await installer.File($"/api/ends/{c.Ends[1]}/pictures", Dirty))["pictureId"].Deserialize<EvidenceId>();
        foreach (var foreign in new[] { others, EvidenceId.New() })
        {
            Assert.Equal(("quarantined", "body.picture.pictureId"), await Told(installer, c.Event(end, EventKind.Inspected, new Inspected(run[0].Id.As<Ids.Run>(), [], null, Face() with { PictureId = foreign }))));
        }

        var shown = await installer.Send("GET", $"/api/pictures/{id}");
        Assert.Equal("image/png", shown.Content.Headers.ContentType!.MediaType);
        Assert.Equal(HttpStatusCode.NotFound, (await (await c.SignIn("installer2")).Send("GET", $"/api/pictures/{id}")).StatusCode); // another crew's
        // A finding without a place is refused with its field; a list beside the picture's, too.
        Assert.Equal(("quarantined", "body.picture.final[0].xUm"), await Told(installer, c.Event(end, EventKind.Inspected, new Inspected(run[0].Id.As<Ids.Run>(), [], null, Face(new SeenFinding(FindingKind.Pit, DiameterUm: 2))))));
        Assert.Equal(("quarantined", "body.findings"), await Told(installer, c.Event(end, EventKind.Inspected, new Inspected(run[0].Id.As<Ids.Run>(), [new(Zone.A, FindingKind.Pit, 1)], null, Face()))));
        await Assert.ThrowsAsync<Npgsql.PostgresException>(() => host.Scalar<object>("update evidence set content_type = 'x' where company_id = $1 returning 1", c.Id));
    }

    [Fact]
    public async Task A_picture_has_its_devices_id_is_pending_until_it_arrives_and_is_stored_once()
    {
        var c = await host.NewCompany();
        var installer = await c.SignIn("installer1");
        var (end, photo) = (c.Ends[0], EvidenceId.New());
        var run = SliceTests.Run(c, end, 1);
        await SliceTests.Tell(installer, [.. run]);
        // The event comes before its picture, as with no signal: it waits, and is taken in by itself when the picture arrives.
        Assert.Equal(("quarantined", "body.photoId"), await Told(installer, c.Event(end, EventKind.Inspected, new Inspected(run[0].Id.As<Ids.Run>(), [], null, null, photo))));
        var taken = await installer.File($"/api/ends/{end}/pictures?id={photo}", Dirty);
        Assert.Equal(photo, taken["pictureId"].Deserialize<EvidenceId>());
        Assert.Equal("to-measure", await Status(installer, end));
        Assert.Equal(photo, (await installer.Get($"/api/ends/{end}"))["state"]!["attempts"]![0]!["looks"]![0]!["photoId"].Deserialize<EvidenceId>());

        // A retry is the same file; another file, or the same of another end, is not.
        await installer.File($"/api/ends/{end}/pictures?id={photo}", Dirty);
        Assert.Equal("id-reused", (await installer.File($"/api/ends/{end}/pictures?id={photo}", Microscope.Png([], new(960, 720, 400))))["code"]!.GetValue<string>());
        Assert.Equal("id-reused", (await installer.File($"/api/ends/{c.Ends[1]}/pictures?id={photo}", Dirty))["code"]!.GetValue<string>());
        Assert.Equal("id-version", (await installer.File($"/api/ends/{end}/pictures?id={Guid.NewGuid()}", Dirty))["code"]!.GetValue<string>());

        // Panels and jobs hold pictures, too: of these the picture alone is kept, and the same content lies there once.
        var shot = EvidenceId.New();
        await installer.File($"/api/panels/{c.PanelId}/pictures?id={shot}", Dirty);
        await installer.File($"/api/jobs/{c.JobId}/pictures", Dirty);
        // Who gives no id and sends it again has not two.
        await installer.File($"/api/jobs/{c.JobId}/pictures", Dirty);
        Assert.Equal(shot, (await installer.Get($"/api/panels/{c.PanelId}/evidence"))[0]!["evidenceId"].Deserialize<EvidenceId>());
        Assert.Single((await installer.Get($"/api/jobs/{c.JobId}/evidence")).AsArray());
        Assert.Equal((2L, 1L), (await host.Scalar<long>("select count(*) from evidence where company_id = $1 and content_hash = (select content_hash from evidence where company_id = $1 and evidence_id = $2)", c.Id, shot),
            await host.Scalar<long>("select count(*) from file where company_id = $1 and content_hash = (select content_hash from evidence where company_id = $1 and evidence_id = $2)", c.Id, shot)));
        Assert.Equal(HttpStatusCode.OK, (await installer.Send("GET", $"/api/pictures/{shot}")).StatusCode);
        Assert.Equal(HttpStatusCode.NotFound, (await (await c.SignIn("installer2")).Send("GET", $"/api/pictures/{shot}")).StatusCode);
        Assert.Equal("picture-kind", (await installer.File($"/api/jobs/{c.JobId}/pictures", [1, 2, 3]))["code"]!.GetValue<string>());
    }

    [Fact]
    public async Task A_trace_is_read_kept_and_its_connector_judged()
    {
        var c = await host.NewCompany();
        var installer = await c.SignIn("installer1");
        var read = await installer.File("/api/calc/trace?launchM=150", Trace);
        Assert.Equal(100, read["lengthM"]!.GetValue<double>(), 1.5);
        var connector = read["events"]![0]!;
        Assert.Equal(("connector", 0.9, -42.0), (connector["kind"]!.GetValue<string>(), Math.Round(connector["lossDb"]!.GetValue<double>(), 1), Math.Round(connector["reflectanceDb"]!.GetValue<double>())));
        Assert.Equal(850, read["parameters"]!["wavelengthNm"]!.GetValue<int>());
        Assert.Equal("trace.DataPts", (await installer.File("/api/calc/trace", Trace[..(Trace.Length / 2)]))["field"]!.GetValue<string>());

        var end = c.Ends[0];
        var kept = await installer.File($"/api/ends/{end}/traces?launchM=150", Trace);
        var id = kept["traceId"].Deserialize<EvidenceId>();
        Assert.Equal(Trace, await (await installer.Send("GET", $"/api/traces/{id}/file")).Content.ReadAsByteArrayAsync());
        Assert.Equal(2.6, (await installer.Get($"/api/traces/{id}/section?fromM=160&toM=240"))["dbPerKm"]!.GetValue<double>(), 0.2);
        var run = SliceTests.Run(c, end, 1);
        await SliceTests.Tell(installer, [.. run, c.Event(end, EventKind.Inspected, new Inspected(run[0].Id.As<Ids.Run>(), []))]);
        await SliceTests.Tell(installer, c.Event(end, EventKind.Traced, new Traced(run[0].Id.As<Ids.Run>(), id, 850, 0, 0.9, -42, 100)));
        Assert.Equal("needs-decision", await Status(installer, end)); // 0.9 dB is over the 0.75 dB of a pair
        await SliceTests.Tell(installer, c.Event(end, EventKind.Traced, new Traced(run[0].Id.As<Ids.Run>(), id, 850, 0, 0.3, -42, 100)));
        Assert.Equal("to-measure", await Status(installer, end));
        Assert.Equal(("quarantined", "body.lossDb"), await Told(installer, c.Event(end, EventKind.Traced, new Traced(run[0].Id.As<Ids.Run>(), id, 850, 0, 99, null, 100))));
    }

    [Fact]
    public async Task A_reading_on_an_old_reference_waits_for_the_lead_and_both_directions_are_kept()
    {
        var c = await host.NewCompany();
        var installer = await c.SignIn("installer1");
        var end = c.Ends[0];
        var run = SliceTests.Run(c, end, 1);
        await SliceTests.Tell(installer, [.. run, c.Event(end, EventKind.Inspected, new Inspected(run[0].Id.As<Ids.Run>(), []))]);
        Measured At(double hoursOld, Direction direction, double loss) =>
            new(run[0].Id.As<Ids.Run>(), ReferenceMethod.OneCord, 850, -20, -20 - loss, null, SystemClock.Instance.GetCurrentInstant().Plus(Duration.FromHours(-hoursOld)), direction);
        Assert.Equal(("quarantined", "body.referenceAt"), await Told(installer, c.Event(end, EventKind.Measured, At(13, Direction.AToB, 0.5))));
        await SliceTests.Tell(installer, c.Event(end, EventKind.Measured, At(1, Direction.AToB, 0.5)), c.Event(end, EventKind.Measured, At(1, Direction.BToA, 0.7)));
        var loss = Assert.Single((await installer.Get($"/api/ends/{end}"))["losses"]!.AsArray())!;
        Assert.Equal((0.5, 0.7, 0.6, 0.7), (Db(loss, "aToBDb"), Db(loss, "bToADb"), Db(loss, "meanDb"), Db(loss, "worstDb")));
        static double Db(JsonNode n, string field) => Math.Round(n[field]!.GetValue<double>(), 3);
    }

    [Fact]
    public async Task A_meters_table_is_matched_and_what_cannot_be_is_stopped_with_its_row()
    {
        var c = await host.NewCompany();
        var installer = await c.SignIn("installer1");
        async Task<JsonArray> Rows(string csv, object? columns = null) =>
            JsonNode.Parse(await (await installer.Post($"/api/places/{c.PanelId}/readings/check", new { csv, columns, wavelengthNm = 850, referenceDbm = new Dictionary<string, double> { ["850"] = -20 } })).Content.ReadAsStringAsync())!["rows"]!.AsArray();
        var rows = await Rows("Address\tnm\tAttenuation\nS1-P1:3\t850\t0,42\ns1-p1:4\t850 nm\t1.9\nS1-P1:4\t850\t1.8\nS1-P1:99\t850\t1\nS1-P1:5\tred\t1\nS1-P1:5\t850\tmuch\nS1-P1:6\t1550\t0.5");
        Assert.Equal([null, null, "duplicate-row", "end-unknown-here", "wavelength-unread", "loss-unread", "wavelength-unknown"], rows.Select(r => r!["problem"]?["code"]!.GetValue<string>()));
        Assert.Equal(["pass", "fail"], rows.Take(2).Select(r => r!["judgement"]!["verdict"]!.GetValue<string>()));
        Assert.StartsWith("Row 4:", rows[2]!["problem"]!["message"]!.GetValue<string>());
        var dbm = Assert.Single(await Rows("port,power dBm\n7,-20.61"))!; // no wavelength column: the one beside the table holds
        Assert.Equal(0.61, dbm["judgement"]!["lossDb"]!.GetValue<double>(), 6);
        Assert.Equal((HttpStatusCode.UnprocessableEntity, "csv-empty", "csv"), await installer.Refused("POST", $"/api/places/{c.PanelId}/readings/check", new { csv = "port,loss", wavelengthNm = 850 }));
        Assert.Equal((HttpStatusCode.UnprocessableEntity, "column-unknown", "columns.lossDb"), await installer.Refused("POST", $"/api/places/{c.PanelId}/readings/check", new { csv = "port,loss\n1,1", columns = new { port = "port", lossDb = "gone" } }));
    }

    [Fact]
    public async Task A_splicers_table_is_matched_and_an_end_spliced_again_counts_as_it_was_spliced_last()
    {
        var c = await host.NewCompany();
        var installer = await c.SignIn("installer1");
        async Task<List<string>> Rows(string csv, int ends = 3, object? columns = null) =>
            [.. JsonNode.Parse(await (await installer.Post($"/api/places/{c.PanelId}/splices/check", new { csv, columns, endIds = c.Ends.Take(ends) })).Content.ReadAsStringAsync())!["rows"]!.AsArray()
                .Select(r => r!["problem"] is { } p ? $"{p["code"]} {p["field"]}" : $"{r["address"]} {r["lossDb"]} {r["leftAngleDeg"]} {r["rightAngleDeg"]}")];
        Assert.Equal(["splice-again strand", "S1-P1:2 0.02 0.4 ", "S1-P1:1 0.03 0.5 1.1", "cleave-angle rightAngleDeg", "end-unknown-here strand", "splice-loss-unread lossDb"],
            await Rows("Fiber;Loss (dB);Angle left;Angle right\n1;0.21;1.9;0.2\n2;0,02;0.4;\n1;0.03 dB;0.5°;1.1\n3;0.01;0.1;77\n9;0.01;0;0\n2;fine;0;0".Replace("2;fine", "3;fine"), 3));
        // Nothing tells the rows apart: as many rows as ends stand in the order of splicing; else nobody guesses.
        Assert.Equal(["S1-P1:1 0.01  ", "S1-P1:2 0.05  "], await Rows("no,loss\n1,0.01\n2,0.05", 2));
        Assert.Equal(["splice-order csv", "splice-order csv"], await Rows("no,loss\n1,0.01\n2,0.05"));
        Assert.Equal((HttpStatusCode.UnprocessableEntity, "end-not-here", "endIds"), await installer.Refused("POST", $"/api/places/{c.PanelId}/splices/check", new { csv = "loss\n0.1", endIds = new[] { Guid.NewGuid() } }));
    }

    [Fact]
    public async Task A_company_holds_its_ends_to_limits_of_its_own_and_a_version_never_changes()
    {
        var c = await host.NewCompany();
        var office = await c.SignIn("office");
        const string Yaml = "id: house-tight-1\ntitle: House\nedition: House, first\nsource: Our own\nspliceDb: 0.1\nconnections:\n  - { mode: multimode, endDb: 0.3, pairDb: 0.3 }\ncable:\n  - { fiberClass: OM3, wavelengthNm: 850, dbPerKm: 2.5 }\n";
        (await office.Post("/api/limits/own", new { kind = "loss", yaml = Yaml })).EnsureSuccessStatusCode();
        Assert.Equal((HttpStatusCode.Conflict, "taken", "id"), await office.Refused("POST", "/api/limits/own", new { kind = "loss", yaml = Yaml }));
        Assert.Equal((HttpStatusCode.UnprocessableEntity, "out-of-range", "cable[0]"), await office.Refused("POST", "/api/limits/own", new { kind = "loss", yaml = Yaml.Replace("house-tight-1", "house-2").Replace("2.5", "-1") }));
        // Of the red light, too: shares rise, and the newest set of the company's own is in force.
        object Light(string id, double dimmer) => new { kind = "light", yaml = $"{{ \"id\": \"{id}\", \"title\": \"House\", \"edition\": \"1\", \"source\": \"Our own\", \"mostNoneShare\": 0.03, \"mostDimmerShare\": {dimmer}, \"mostBrightShare\": 0.4 }}" };
        Assert.Equal((HttpStatusCode.UnprocessableEntity, "light-shares", "mostDimmerShare"), await office.Refused("POST", "/api/limits/own", Light("house-light", 0.02)));
        (await office.Post("/api/limits/own", Light("house-light", 0.25))).EnsureSuccessStatusCode();
        Assert.Equal("house-light", (await office.Get("/api/limits"))["light"]![1]!["id"]!.GetValue<string>());
        Assert.Equal("0.25 0.2", (await office.Get("/api/limits"))["own"]!.AsArray().Single(o => o!["kind"]!.GetValue<string>() == "light")!["looser"]![0] is { } l ? $"{l["own"]} {l["standard"]}" : "");
        Assert.Contains((await office.Get("/api/limits"))["loss"]!.AsArray(), s => s!["id"]!.GetValue<string>() == "house-tight-1");
        Assert.DoesNotContain((await (await (await host.NewCompany()).SignIn("office")).Get("/api/limits"))["loss"]!.AsArray(), s => s!["id"]!.GetValue<string>() == "house-tight-1");
        var (end, installer) = (c.Ends[0], await c.SignIn("installer1"));
        var run = SliceTests.Run(c, end, 1);
        await SliceTests.Tell(installer, [.. run, c.Event(end, EventKind.Inspected, new Inspected(run[0].Id.As<Ids.Run>(), []))]);
        var job = (await office.Get($"/api/jobs/{c.JobId}"))["job"]!;
        (await office.Send("PUT", $"/api/jobs/{c.JobId}", new { customer = job["customer"], site = job["site"], timeZone = job["timeZone"], dueOn = job["dueOn"], limitSetId = "house-tight-1", version = 1, crewId = job["crewId"] })).EnsureSuccessStatusCode();
        // The job's limits judge, whatever the device held it to; the difference is in the record.
        await SliceTests.Tell(installer, c.Event(end, EventKind.Measured, new Measured(run[0].Id.As<Ids.Run>(), ReferenceMethod.OneCord, 850, -20, -21, LimitSetId: "tia-568.3-d")));
        Assert.Equal("needs-decision", await Status(installer, end)); // 1.0 dB passes the standard, not the house
        var differs = Assert.Single((await installer.Get($"/api/ends/{end}/record"))["entries"]!.AsArray().Last()!["differences"]!.AsArray())!;
        Assert.Equal(("limitSetId", "tia-568.3-d", "house-tight-1"), (differs["field"]!.GetValue<string>(), differs["said"]!.GetValue<string>(), differs["planned"]!.GetValue<string>()));
    }

    [Fact]
    public async Task House_limits_are_edited_as_JSON_and_say_where_they_are_looser()
    {
        var office = await (await host.NewCompany()).SignIn("office");
        var all = await office.Get("/api/limits");
        Assert.Empty(all["own"]!.AsArray());
        var house = all["endFace"]![0]!.DeepClone();
        (house["id"], house["title"], house["edition"], house["source"]) = ("house-chips", "House", "1", "Our foreman");
        var zoneB = house["classes"]!.AsArray().First(c => c!["class"]!.GetValue<string>() == "sm-upc")!["zones"]![1]!;
        zoneB["defects"] = JsonNode.Parse("""[{"belowUm":2},{"upToUm":10,"max":5},{"max":0}]""");
        (await office.Post("/api/limits/own", new { kind = "end-face", yaml = house.ToJsonString() })).EnsureSuccessStatusCode();
        var own = Assert.Single((await office.Get("/api/limits"))["own"]!.AsArray())!;
        Assert.Equal(("house-chips", "end-face"), (own["id"]!.GetValue<string>(), own["kind"]!.GetValue<string>()));
        Assert.Contains("zone B", Assert.Single(own["looser"]!.AsArray())!["what"]!.GetValue<string>());

        async Task<string> Refused(string bands)
        {
            (house["id"], zoneB["defects"]) = ("house-chips-2", JsonNode.Parse(bands));
            var (status, _, field) = await office.Refused("POST", "/api/limits/own", new { kind = "end-face", yaml = house.ToJsonString() });
            Assert.Equal(HttpStatusCode.UnprocessableEntity, status);
            return field;
        }

        const string Defects = "classes[0].zones[1].defects";
        Assert.Equal(Defects, await Refused("""[{"upToUm":5,"max":1}]""")); // what is larger has no limit
        Assert.Equal(Defects + "[1]", await Refused("""[{"upToUm":5,"max":1},{"upToUm":3,"max":1},{"max":0}]"""));
        Assert.Equal(Defects + "[0]", await Refused("""[{"upToUm":5,"belowUm":6,"max":1},{"max":0}]"""));
        Assert.Equal(Defects, await Refused("""[{"max":-1}]"""));
        Assert.Equal(Defects, await Refused("[]"));
    }

    [Fact]
    public async Task A_cleave_is_kept_judged_and_stands_in_the_record()
    {
        var c = await host.NewCompany();
        var (installer, end) = (await c.SignIn("installer1"), c.Ends[0]);
        var taken = await installer.File($"/api/ends/{end}/cleaves", CleaveReader.Png(new(4.4)));
        var answer = taken["answer"]!;
        Assert.Equal((true, false, "angle"), (answer["gradable"]!.GetValue<bool>(), answer["verdict"]!["pass"]!.GetValue<bool>(), answer["verdict"]!["faults"]![0]!.GetValue<string>()));
        Assert.Equal("ours: edit to your sheet", answer["verdict"]!["rule"]!["source"]!.GetValue<string>());
        var asked = await installer.File($"/api/ends/{end}/cleaves?nominalDeg=4&toleranceDeg=1", CleaveReader.Png(new(4.4)));
        Assert.Equal((true, "as asked"), (asked["answer"]!["verdict"]!["pass"]!.GetValue<bool>(), asked["answer"]!["verdict"]!["rule"]!["source"]!.GetValue<string>()));
        Assert.Equal("toleranceDeg", (await installer.File($"/api/ends/{end}/cleaves?toleranceDeg=0", CleaveReader.Png(new(1))))["field"]!.GetValue<string>());

        var run = SliceTests.Run(c, end, 1);
        CleaveView view = new(0.2, 0, 0, 0.4); // as a device would have it; the server read otherwise, and that counts
        await SliceTests.Tell(installer, run[0], c.Event(end, EventKind.CleaveSeen, new CleaveSeen(run[0].Id.As<Ids.Run>(), taken["pictureId"].Deserialize<EvidenceId>(), 0.6, view)));
        var entry = (await installer.Get($"/api/ends/{end}/record"))["entries"]!.AsArray().Single(e => e!["kind"]!.GetValue<string>() == "cleave-seen")!;
        Assert.False(entry["cleave"]!["pass"]!.GetValue<bool>());
        Assert.Equal("at-bench", await Status(installer, end)); // the run goes on by its own check
    }

    [Fact]
    public async Task Two_photos_of_the_red_light_are_compared_kept_and_judged()
    {
        var c = await host.NewCompany();
        var (installer, end) = (await c.SignIn("installer1"), c.Ends[0]);
        // A bright spot on a dark ground stands in for the glow.
        byte[] Photo(double level) => Microscope.Png([new(SeenFinding.Spot(FindingKind.Pit, 0, 0, 100), 1 - (level / 250))], new(320, 240, 100, CoreUm: 9, CladdingLevel: 250, CoreLevel: 250, FerruleLevel: 30, RingUm: 0, GrainLevels: 0, NoiseLevels: 0));
        MultipartFormDataContent Form(params (string Name, byte[] File)[] files)
        {
            var form = new MultipartFormDataContent();
            foreach (var (name, file) in files)
            {
                form.Add(new ByteArrayContent(file), name, name + ".png");
            }

            return form;
        }

        const string Window = "x0=0.4&y0=0.36&x1=0.6&y1=0.64";
        async Task<JsonNode> Sent(string path, HttpContent form) => JsonNode.Parse(await (await installer.SendContent(path, form)).Content.ReadAsStringAsync())!;
        // No signal: both photos, and what the eye saw, wait on the device; the words come first here.
        var run = SliceTests.Run(c, end, 1);
        await SliceTests.Tell(installer, [.. run]);
        var (beforeId, afterId) = (EvidenceId.New(), EvidenceId.New());
        LightPhotos photos = new(beforeId, afterId, new(0.4, 0.36, 0.6, 0.64));
        var judged = new LightJudged(run[0].Id.As<Ids.Run>(), LightSeen.Unchanged, photos with { BeforeLevel = 0.5, AfterLevel = 0.5, ExposureRatio = 1, BurntShare = 0 });
        Assert.Equal(("quarantined", "body.photos.beforeId"), await Told(installer, c.Event(end, EventKind.LightJudged, judged)));
        var kept = $"/api/ends/{end}/red-light?beforeId={beforeId}&id={afterId}&{Window}";
        Assert.Equal("beforeId", (await Sent(kept, new ByteArrayContent(Photo(100))))["field"]!.GetValue<string>());
        Assert.Equal(beforeId, (await Sent($"/api/ends/{end}/photos?id={beforeId}", new ByteArrayContent(Photo(230))))["pictureId"].Deserialize<EvidenceId>());
        Assert.Equal("beforeId", (await Sent(kept.Replace(end.ToString(), c.Ends[1].ToString()), new ByteArrayContent(Photo(100))))["field"]!.GetValue<string>());
        var taken = await Sent(kept, new ByteArrayContent(Photo(100)));
        Assert.Equal("clearly-dimmer", taken["says"]!.GetValue<string>());
        Assert.Equal(0.15, taken["ratio"]!.GetValue<double>(), 0.045);
        Assert.Equal(afterId, taken["afterId"].Deserialize<EvidenceId>());
        Assert.Equal(HttpStatusCode.OK, (await installer.Send("GET", $"/api/pictures/{photos.BeforeId}")).StatusCode);
        var loose = await Sent($"/api/calc/red-light?{Window}", Form(("before", Photo(230)), ("after", Photo(225))));
        Assert.Equal(("unchanged", true), (loose["says"]!.GetValue<string>(), loose["afterId"] is null));

        Assert.Equal("after", (await Sent($"/api/calc/red-light?{Window}", Form(("before", Photo(230)))))["field"]!.GetValue<string>());
        Assert.Equal("before", (await Sent($"/api/calc/red-light?{Window}", Form(("before", [1, 2]), ("after", Photo(230)))))["field"]!.GetValue<string>());
        Assert.Equal("window", (await Sent("/api/calc/red-light?x0=0.6&y0=0.4&x1=0.4&y1=0.6", Form(("before", Photo(230)), ("after", Photo(1)))))["field"]!.GetValue<string>());

        Assert.Equal("clearly-dimmer", (await installer.Get($"/api/ends/{end}"))["lightRule"]!.GetValue<string>());
        // What waited came in with the second photo, and is judged by what the server read of both, not by the levels that the device said.
        var light = (await installer.Get($"/api/ends/{end}"))["state"]!["attempts"]![0]!["lights"]![0]!["judgement"]!;
        Assert.Equal(("bad", "clearly-dimmer", true), (light["verdict"]!.GetValue<string>(), light["photosSay"]!.GetValue<string>(), light["differs"]!.GetValue<bool>()));
        Assert.Equal(("quarantined", "body.seen"), await Told(installer, c.Event(end, EventKind.LightJudged, new LightJudged(run[0].Id.As<Ids.Run>(), LightSeen.LampRed))));
    }

    [Fact]
    public async Task A_picture_is_laid_on_the_one_before_by_its_turn()
    {
        var c = await host.NewCompany();
        var (installer, end) = (await c.SignIn("installer1"), c.Ends[0]);
        byte[] Face(double degrees, params FaceMark[] dirt)
        {
            (double X, double Y) At(double x, double y) => ((x * Math.Cos(degrees * Math.PI / 180)) - (y * Math.Sin(degrees * Math.PI / 180)), (x * Math.Sin(degrees * Math.PI / 180)) + (y * Math.Cos(degrees * Math.PI / 180)));
            SeenFinding Scratch(double x0, double y0, double x1, double y1) => At(x0, y0) is var a && At(x1, y1) is var b ? SeenFinding.Scratch(a.X, a.Y, b.X, b.Y, 2) : throw new InvalidOperationException();
            return Microscope.Png([new(Scratch(-45, 36, 30, 48)), new(Scratch(-20, -55, -44, 20)), .. dirt], new(800, 800, 420, CoreUm: 50, Seed: 7 + dirt.Length));
        }

        var before = await installer.File($"/api/ends/{end}/pictures", Face(0, new FaceMark(SeenFinding.Spot(FindingKind.Particle, 10, -8, 9))));
        var now = await installer.File($"/api/ends/{end}/pictures?besideId={before["pictureId"].Deserialize<EvidenceId>()}", Face(-25));
        Assert.Equal(-25, now["turnDeg"]!.GetValue<double>(), 1.0);
        Assert.Equal("besideId", (await installer.File($"/api/ends/{end}/pictures?besideId={Guid.NewGuid()}", Dirty))["field"]!.GetValue<string>());
        Assert.Equal("besideId", (await installer.File($"/api/ends/{c.Ends[1]}/pictures?besideId={before["pictureId"].Deserialize<EvidenceId>()}", Dirty))["field"]!.GetValue<string>()); // another end's
        Assert.Equal(2, await host.Scalar<long>("select count(*) from evidence where company_id = $1", c.Id)); // what could not be paired is not kept
    }

    [Fact]
    public async Task A_trace_ties_its_events_to_the_planned_ends_and_is_paired_with_one_from_the_other_side()
    {
        var c = await host.NewCompany();
        var (installer, end) = (await c.SignIn("installer1"), c.Ends[0]);
        (await (await c.SignIn("office")).Post($"/api/jobs/{c.JobId}/ends", c.EndsBody(firstPort: 13, side: "B"))).EnsureSuccessStatusCode();
        var plan = await installer.Get($"/api/ends/{end}");
        var (far, length) = (plan["farEndId"].Deserialize<EndId>(), plan["lengthM"]!.GetValue<double>());
        byte[] Taken(double near, double distant, int nm = 850) => OtdrWriter.Write(SimulatedTraces.Make(new(length + 250, 2.6, [new(150, near, -42), new(150 + length, distant, -40)], PulseNs: 10, SpacingM: 0.25, RangeM: length + 500, WavelengthNm: nm, BackscatterDb: -68)));
        var kept = await installer.File($"/api/ends/{end}/traces?launchM=150&receiveM=100", Taken(0.5, 0.3));
        var id = kept["traceId"].Deserialize<EvidenceId>();
        Assert.Equal([(end, 0), (far, 1)], kept["ties"]!.AsArray().Select(t => (t!["endId"].Deserialize<EndId>(), t["event"]!.GetValue<int>())));
        Assert.All(kept["ties"]!.AsArray(), t => Assert.InRange(t!["offM"]!.GetValue<double>(), -1.5, 1.5));

        var back = await installer.File($"/api/ends/{far}/traces?launchM=100&receiveM=150", OtdrWriter.Write(SimulatedTraces.Make(
            new(length + 250, 2.6, [new(100, 0.4, -40), new(100 + length, 0.9, -42)], PulseNs: 10, SpacingM: 0.25, RangeM: length + 500, WavelengthNm: 850, BackscatterDb: -68))));
        var pair = (await installer.Get($"/api/traces/{id}/pair?otherId={back["traceId"].Deserialize<EvidenceId>()}&launchM=150&receiveM=100")).AsArray();
        Assert.Equal(2, pair.Count);
        Assert.Equal(0.7, pair[0]!["mean"]!["lossDb"]!.GetValue<double>(), 0.06); // 0.5 one way, 0.9 the other
        Assert.Equal(0.35, pair[1]!["mean"]!["lossDb"]!.GetValue<double>(), 0.06);

        async Task<string> Refused(EvidenceId other) => (await installer.Refused("GET", $"/api/traces/{id}/pair?otherId={other}&launchM=150&receiveM=100", new { })).Item2;
        Assert.Equal("not-other-side", await Refused(id));
        Assert.Equal("not-found", await Refused(EvidenceId.New()));
        var longer = await installer.File($"/api/ends/{far}/traces?launchM=100", Taken(0.5, 0.3, 1300));
        Assert.Equal("wavelength-differs", await Refused(longer["traceId"].Deserialize<EvidenceId>()));

        var via = await installer.Get($"/api/traces/{id}?launchM=150&patchM=60&via={c.Ends[1]}");
        Assert.Equal(4, via["ties"]!.AsArray().Count);
        Assert.Null(via["ties"]![3]!["event"]); // no such cable behind
        Assert.Equal("via", (await installer.Refused("GET", $"/api/traces/{id}?via={Guid.NewGuid()}", new { })).Item3);
    }

    private static async Task<string> Status(Caller caller, EndId end) => (await caller.Get($"/api/ends/{end}"))["state"]!["status"]!.GetValue<string>();

    private static async Task<(string, string)> Told(Caller caller, LedgerEvent e)
    {
        var outcome = (await (await caller.Post("/api/ledger", new[] { e })).Content.ReadFromJsonAsync<JsonNode>())!["events"]![0]!;
        return (outcome["outcome"]!.GetValue<string>(), outcome["refusal"]!["field"]!.GetValue<string>());
    }
}
