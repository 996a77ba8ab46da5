using System.Net;
using System.Net.Http.Json;
using System.Text.Json.Nodes;
using Rhabdon.Core.Connectors;
using Rhabdon.Core.Fiber;
using Rhabdon.Core.Inspection;
using Rhabdon.Core.Ledger;
using Rhabdon.Core.Loss;
using Rhabdon.Core.Trace;
using Rhabdon.Imaging;
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
        var id = taken["pictureId"]!.GetValue<Guid>();
        var found = SeenFinding.Spot(FindingKind.Particle, 4, -6, 9);
        SeenFace Face(params SeenFinding[] final) => new(id, 960, 720, 0.3125, 480, 360, 400, [found], final);
        await SliceTests.Tell(installer, c.Event(end, EventKind.Inspected, new Inspected(run[0].Id, EndFaceClass.MmPc, "iec-61300-3-35", [], null, Face(found))));
        Assert.Equal("needs-decision", await Status(installer, end));
        await SliceTests.Tell(installer, c.Event(end, EventKind.Inspected, new Inspected(run[0].Id, EndFaceClass.MmPc, "iec-61300-3-35", [], null, Face())));
        Assert.Equal("to-measure", await Status(installer, end));
        var looks = (await installer.Get($"/api/ends/{end}"))["state"]!["attempts"]![0]!["looks"]!.AsArray();
        Assert.Equal([1, 0], looks.Select(l => l!["picture"]!["final"]!.AsArray().Count));
        Assert.All(looks, l => Assert.Single(l!["picture"]!["automatic"]!.AsArray()));

        var shown = await installer.Send("GET", $"/api/pictures/{id}");
        Assert.Equal("image/png", shown.Content.Headers.ContentType!.MediaType);
        Assert.Equal(HttpStatusCode.NotFound, (await (await c.SignIn("installer2")).Send("GET", $"/api/pictures/{id}")).StatusCode); // another crew's
        // A finding without a place is refused with its field; a list beside the picture's, too.
        Assert.Equal(("quarantined", "body.picture.final[0].xUm"), await Told(installer, c.Event(end, EventKind.Inspected, new Inspected(run[0].Id, EndFaceClass.MmPc, "iec-61300-3-35", [], null, Face(new SeenFinding(FindingKind.Pit, DiameterUm: 2))))));
        Assert.Equal(("quarantined", "body.findings"), await Told(installer, c.Event(end, EventKind.Inspected, new Inspected(run[0].Id, EndFaceClass.MmPc, "iec-61300-3-35", [new(Zone.A, FindingKind.Pit, 1)], null, Face()))));
        await Assert.ThrowsAsync<Npgsql.PostgresException>(() => host.Scalar<object>("update evidence set content_type = 'x' where company_id = $1 returning 1", c.Id));
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
        var id = kept["traceId"]!.GetValue<Guid>();
        Assert.Equal(Trace, await (await installer.Send("GET", $"/api/traces/{id}/file")).Content.ReadAsByteArrayAsync());
        Assert.Equal(2.6, (await installer.Get($"/api/traces/{id}/section?fromM=160&toM=240"))["dbPerKm"]!.GetValue<double>(), 0.2);
        var run = SliceTests.Run(c, end, 1);
        await SliceTests.Tell(installer, [.. run, c.Event(end, EventKind.Inspected, new Inspected(run[0].Id, EndFaceClass.MmPc, "iec-61300-3-35", []))]);
        await SliceTests.Tell(installer, c.Event(end, EventKind.Traced, new Traced(run[0].Id, id, 850, 0, 0.9, -42, 100, FiberMode.Multimode, Polish.UPC, "tia-568.3-d")));
        Assert.Equal("needs-decision", await Status(installer, end)); // 0.9 dB is over the 0.75 dB of a pair
        await SliceTests.Tell(installer, c.Event(end, EventKind.Traced, new Traced(run[0].Id, id, 850, 0, 0.3, -42, 100, FiberMode.Multimode, Polish.UPC, "tia-568.3-d")));
        Assert.Equal("to-measure", await Status(installer, end));
        Assert.Equal(("quarantined", "body.lossDb"), await Told(installer, c.Event(end, EventKind.Traced, new Traced(run[0].Id, id, 850, 0, 99, null, 100, FiberMode.Multimode, Polish.UPC, "tia-568.3-d"))));
    }

    [Fact]
    public async Task A_reading_on_an_old_reference_waits_for_the_lead_and_both_directions_are_kept()
    {
        var c = await host.NewCompany();
        var installer = await c.SignIn("installer1");
        var end = c.Ends[0];
        var run = SliceTests.Run(c, end, 1);
        await SliceTests.Tell(installer, [.. run, c.Event(end, EventKind.Inspected, new Inspected(run[0].Id, EndFaceClass.MmPc, "iec-61300-3-35", []))]);
        Measured At(double hoursOld, Direction direction, double loss) =>
            new(run[0].Id, "tia-568.3-d", FiberClass.OM3, 100, 2, 0, ReferenceMethod.OneCord, 850, -20, -20 - loss, 0.05, null, DateTimeOffset.UtcNow.AddHours(-hoursOld), direction);
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
            JsonNode.Parse(await (await installer.Post($"/api/panels/{c.PanelId}/readings/check", new { csv, columns, wavelengthNm = 850, referenceDbm = new Dictionary<string, double> { ["850"] = -20 } })).Content.ReadAsStringAsync())!["rows"]!.AsArray();
        var rows = await Rows("Address\tnm\tAttenuation\nS1-P1:3\t850\t0,42\ns1-p1:4\t850 nm\t1.9\nS1-P1:4\t850\t1.8\nS1-P1:99\t850\t1\nS1-P1:5\tred\t1\nS1-P1:5\t850\tmuch\nS1-P1:6\t1550\t0.5");
        Assert.Equal([null, null, "duplicate", "end-unknown", "wavelength-unknown", "number-bad", "wavelength-unknown"], rows.Select(r => r!["problem"]?["code"]!.GetValue<string>()));
        Assert.Equal(["pass", "fail"], rows.Take(2).Select(r => r!["judgement"]!["verdict"]!.GetValue<string>()));
        Assert.StartsWith("Row 4:", rows[2]!["problem"]!["message"]!.GetValue<string>());
        var dbm = Assert.Single(await Rows("port,power dBm\n7,-20.61"))!; // no wavelength column: the one beside the table holds
        Assert.Equal(0.61, dbm["judgement"]!["lossDb"]!.GetValue<double>(), 6);
        Assert.Equal((HttpStatusCode.UnprocessableEntity, "csv-empty", "csv"), await installer.Refused("POST", $"/api/panels/{c.PanelId}/readings/check", new { csv = "port,loss", wavelengthNm = 850 }));
        Assert.Equal((HttpStatusCode.UnprocessableEntity, "column-unknown", "columns.lossDb"), await installer.Refused("POST", $"/api/panels/{c.PanelId}/readings/check", new { csv = "port,loss\n1,1", columns = new { port = "port", lossDb = "gone" } }));
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
        Assert.Contains((await office.Get("/api/limits"))["loss"]!.AsArray(), s => s!["id"]!.GetValue<string>() == "house-tight-1");
        Assert.DoesNotContain((await (await (await host.NewCompany()).SignIn("office")).Get("/api/limits"))["loss"]!.AsArray(), s => s!["id"]!.GetValue<string>() == "house-tight-1");
        var (end, installer) = (c.Ends[0], await c.SignIn("installer1"));
        var run = SliceTests.Run(c, end, 1);
        await SliceTests.Tell(installer, [.. run, c.Event(end, EventKind.Inspected, new Inspected(run[0].Id, EndFaceClass.MmPc, "iec-61300-3-35", []))]);
        await SliceTests.Tell(installer, c.Event(end, EventKind.Measured, new Measured(run[0].Id, "house-tight-1", FiberClass.OM3, 100, 2, 0, ReferenceMethod.OneCord, 850, -20, -21, 0.05)));
        Assert.Equal("needs-decision", await Status(installer, end)); // 1.0 dB passes the standard, not the house
    }

    private static async Task<string> Status(Caller caller, Guid end) => (await caller.Get($"/api/ends/{end}"))["state"]!["status"]!.GetValue<string>();

    private static async Task<(string, string)> Told(Caller caller, LedgerEvent e)
    {
        var outcome = (await (await caller.Post("/api/ledger", new[] { e })).Content.ReadFromJsonAsync<JsonNode>())!["events"]![0]!;
        return (outcome["outcome"]!.GetValue<string>(), outcome["refusal"]!["field"]!.GetValue<string>());
    }
}
