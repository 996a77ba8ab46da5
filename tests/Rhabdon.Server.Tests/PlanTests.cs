using System.Net;
using System.Text.Json;
using System.Text.Json.Nodes;
using Microsoft.Extensions.DependencyInjection;
using Rhabdon.Core;
using Rhabdon.Core.Ledger;
using Rhabdon.Core.Rework;
using Xunit;

namespace Rhabdon.Server.Tests;

public class PlanTests(TestHost host)
{
    [Fact]
    public async Task Ends_get_address_strand_colour_prep_card_and_far_end()
    {
        var c = await host.NewCompany();
        var lead = await c.SignIn("lead1");
        var panelB = await lead.Make($"/api/jobs/{c.JobId}/panels", new { spaceId = c.SpaceId, code = "P2", ports = 24, adapterForm = "SC", angled = false });
        var body = JsonNode.Parse(System.Text.Json.JsonSerializer.Serialize(c.EndsBody(side: "B"), Rhabdon.Core.Wire.Json))!;
        body["panelId"] = panelB;
        (await lead.Post($"/api/jobs/{c.JobId}/ends", body)).EnsureSuccessStatusCode();
        var end = await lead.Get($"/api/ends/{c.Ends[4]}");
        Assert.Equal("S1-P1:5", end["address"]!.GetValue<string>());
        Assert.Equal("slate", end["strand"]!["colour"]!.GetValue<string>()); // TIA-598, from memory: 5 is slate
        Assert.Equal("S1-P2:5", end["farAddress"]!.GetValue<string>());
        Assert.Equal("wedge-locked-upc-3mm", end["procedureId"]!.GetValue<string>());
        Assert.Equal(29.5, end["prep"]!["shardMm"]!["nominalMm"]!.GetValue<double>()); // common practice: 40 bare, cleaved at 10.5
        Assert.Equal(6, end["slack"]!["cutOffsLeft"]!.GetValue<int>()); // 500 mm of slack, 80 a time
    }

    /// <summary>Before, each of them had to be changed or taken out alone.</summary>
    [Fact]
    public async Task A_row_of_ends_is_changed_moved_and_taken_out_in_one_go_but_for_what_was_begun()
    {
        var c = await host.NewCompany();
        var lead = await c.SignIn("lead1");
        (await lead.Post("/api/ledger", new[] { c.Event(c.Ends[0], EventKind.AttemptStarted, new AttemptStarted("wedge-locked-upc-3mm", 5), by: "lead1") })).EnsureSuccessStatusCode();
        object Row(int from, int to, object? more = null)
        {
            var row = JsonSerializer.SerializeToNode(more ?? new { }, Wire.Json)!.AsObject();
            (row["cableId"], row["side"], row["fromStrand"], row["toStrand"]) = (c.CableId.ToString(), "A", from, to);
            return row;
        }

        async Task<(int, string)> Done(string what, object row)
        {
            var answer = JsonNode.Parse(await (await lead.Post($"/api/jobs/{c.JobId}/ends/{what}", row)).Content.ReadAsStringAsync())!;
            return (answer["ends"]!.GetValue<int>(), string.Join(",", answer["worked"]!.AsArray().Select(w => w!.ToString())));
        }

        // Another method for all of them: the one that was begun stays, and each gets the procedure that fits now.
        Assert.Equal((11, "1"), await Done("change", Row(1, 12, new { method = "cold-cure" })));
        var (begun, other) = (await lead.Get($"/api/ends/{c.Ends[0]}"), await lead.Get($"/api/ends/{c.Ends[3]}"));
        Assert.Equal(("wedge-locked", "cold-cure", "cold-cure-3mm"), (begun["method"]!.GetValue<string>(), other["method"]!.GetValue<string>(), other["procedureId"]!.GetValue<string>()));
        Assert.Null(other["stubClass"]);
        // One port on, onto their own ports, is no clash; onto the port of the one that stays, it is, and nothing moves.
        Assert.Equal((11, ""), await Done("change", Row(2, 12, new { panelId = c.PanelId, firstPort = 3 })));
        Assert.Equal("S1-P1:5", (await lead.Get($"/api/ends/{c.Ends[3]}"))["address"]!.GetValue<string>());
        Assert.Equal("taken", (await lead.Refused("POST", $"/api/jobs/{c.JobId}/ends/change", Row(2, 12, new { panelId = c.PanelId, firstPort = 1 }))).Code);
        Assert.Equal((HttpStatusCode.BadRequest, "row-too-long", "firstPort"), await lead.Refused("POST", $"/api/jobs/{c.JobId}/ends/change", Row(2, 12, new { panelId = c.PanelId, firstPort = 20 })));
        Assert.Equal(HttpStatusCode.UnprocessableEntity, (await lead.Refused("POST", $"/api/jobs/{c.JobId}/ends/change", Row(2, 12, new { mode = "single-mode" }))).Status);
        Assert.Equal("S1-P1:5", (await lead.Get($"/api/ends/{c.Ends[3]}"))["address"]!.GetValue<string>());
        Assert.Equal((4, "1"), await Done("remove", Row(1, 5)));
        // What is planned next: after the last port that is taken, on the strands that have no connector.
        var drawing = await lead.Get($"/api/jobs/{c.JobId}/drawing");
        var panel = drawing["panels"]!.AsArray().Single(p => p!["panelId"]!.GetValue<string>() == c.PanelId.ToString())!;
        Assert.Equal((8, 14), (panel["taken"]!.GetValue<int>(), panel["nextPort"]!.GetValue<int>()));
        var side = drawing["sides"]!.AsArray().Single(x => x!["cableId"]!.GetValue<string>() == c.CableId.ToString() && x["side"]!.GetValue<string>() == "A")!;
        Assert.Equal("2–5 13–24", string.Join(" ", side["unplanned"]!.AsArray().Select(r => $"{r!["from"]}–{r["to"]}")));
        Assert.Equal("no-ends-there", (await lead.Refused("POST", $"/api/jobs/{c.JobId}/ends/remove", Row(2, 5))).Code);
    }

    [Fact]
    public async Task Ends_are_found_by_their_label_and_day_and_come_in_the_order_that_was_asked_for()
    {
        var c = await host.NewCompany();
        var lead = await c.SignIn("lead1");
        async Task<string> Ends(string query) => string.Join(" ", (await lead.Get($"/api/ends?{query}")).AsArray().Select(e => e!["address"]!.GetValue<string>()));
        Assert.Equal("S1-P1:7", await Ends("find=s1-p1:7"));
        Assert.Equal("S1-P1:7", await Ends("find=C1%207%20a"));
        Assert.Equal("", await Ends("find=C1%207%20b"));
        Assert.Equal("", await Ends("find=S1%25"));
        Assert.Equal(12, (await Ends("find=s1-")).Split(' ').Length);
        // Begun one after the other: the newest comes first, page by page, and what was not begun is not among them.
        foreach (var (end, hours) in new[] { (c.Ends[4], 3), (c.Ends[1], 1), (c.Ends[8], 2) })
        {
            var at = c.Event(end, EventKind.AttemptStarted, new AttemptStarted("wedge-locked-upc-3mm", 5), by: "lead1");
            (await lead.Post("/api/ledger", new[] { at with { At = at.At - NodaTime.Duration.FromHours(hours) } })).EnsureSuccessStatusCode();
        }

        Assert.Equal("S1-P1:2 S1-P1:9", await Ends("order=newest&limit=2"));
        Assert.Equal("S1-P1:5", await Ends($"order=newest&limit=2&after={c.Ends[8]}"));
        Assert.Equal(12, (await Ends($"order=in-hand&jobId={c.JobId}")).Split(' ').Length);
        Assert.Equal("order", (await lead.Refused("GET", "/api/ends?order=in-hand")).Field);
        Assert.Equal(3, (await Ends("from=2000-01-01")).Split(' ').Length);
        Assert.Equal("", await Ends("to=2020-01-01"));
        Assert.Equal((HttpStatusCode.BadRequest, "date-shape", "from"), await lead.Refused("GET", "/api/ends?from=yesterday"));
    }

    /// <summary>Before, an MPO could begin in the middle of a ribbon, and the far ends of its twelve strands all had one address.</summary>
    [Fact]
    public async Task An_array_connector_takes_whole_ribbons_and_each_of_its_strands_has_its_own_far_end()
    {
        var c = await host.NewCompany();
        var lead = await c.SignIn("lead1");
        var cable = await lead.Make($"/api/jobs/{c.JobId}/cables", new { code = "R", fiberClass = "OM3", construction = "ribbon-12", strandCount = 24, lengthM = 100, slackAMm = 900, slackBMm = 900 });
        async Task<object> Row(string panel, string side, int from, int to) => new
        {
            cableId = cable,
            side,
            fromStrand = from,
            toStrand = to,
            firstPort = 1,
            form = "MPO",
            polish = "PC",
            mode = "multimode",
            method = "pigtail-splice",
            stubClass = "OM3",
            panelId = panel.Length == 36 ? panel : (await lead.Make($"/api/jobs/{c.JobId}/panels", new { spaceId = c.SpaceId, code = panel, ports = 4, adapterForm = "MPO", angled = false })).ToString(),
        };
        var near = await lead.Post($"/api/jobs/{c.JobId}/ends", await Row("M1", "A", 1, 24));
        var ends = JsonNode.Parse(await near.Content.ReadAsStringAsync())!["endIds"]!.AsArray();
        (await lead.Post($"/api/jobs/{c.JobId}/ends", await Row("M2", "B", 1, 24))).EnsureSuccessStatusCode();
        var seventh = await lead.Get($"/api/ends/{ends[18]}");
        Assert.Equal(("S1-M1:2.7", "S1-M2:2.7"), (seventh["address"]!.GetValue<string>(), seventh["farAddress"]!.GetValue<string>()));
        Assert.Equal((HttpStatusCode.BadRequest, "mpo-whole-ribbon", "fromStrand"), await lead.Refused("POST", $"/api/jobs/{c.JobId}/ends", await Row("M3", "A", 7, 18)));
    }

    /// <summary>Before, every strand above 12 was shown with a tracer, and all cables of a job with the same colours.</summary>
    [Fact]
    public async Task Each_cable_has_its_own_units_and_colours()
    {
        var c = await host.NewCompany();
        var lead = await c.SignIn("lead1");
        object Cable(string code, int unitSize, string[]? colourOrder = null) =>
            new { code, fiberClass = "OM3", construction = "cordage-3.0", strandCount = 24, lengthM = 100, slackAMm = 500, slackBMm = 500, unitSize, colourOrder };
        string[] turned = ["aqua", "rose", "violet", "yellow", "black", "red", "white", "slate", "brown", "green", "orange", "blue"];
        var loose = await lead.Make($"/api/jobs/{c.JobId}/cables", Cable("LOOSE", 24));
        var other = await lead.Make($"/api/jobs/{c.JobId}/cables", Cable("TURNED", 12, turned));
        var cables = (await lead.Get($"/api/jobs/{c.JobId}/loom"))["cables"]!.AsArray().ToDictionary(x => x!["cableId"].Deserialize<CableId>(), x => x!["strands"]![12]!);
        (string, bool, string) Strand13(CableId cable) => (cables[cable]["colour"]!.GetValue<string>(), cables[cable]["tracer"]!.GetValue<bool>(), cables[cable]["unitColour"]!.GetValue<string>());
        Assert.Equal(("blue", false, "orange"), Strand13(c.CableId));
        Assert.Equal(("blue", true, "blue"), Strand13(new(loose)));
        Assert.Equal(("aqua", false, "rose"), Strand13(new(other)));
        Assert.Equal((HttpStatusCode.UnprocessableEntity, "out-of-range", "unitSize"), await lead.Refused("POST", $"/api/jobs/{c.JobId}/cables", Cable("BAD", 10)));
        Assert.Equal((HttpStatusCode.UnprocessableEntity, "colour-order", "colourOrder"), await lead.Refused("POST", $"/api/jobs/{c.JobId}/cables", Cable("BAD", 12, ["blue"])));
        Assert.True((await lead.Get("/api/calc/strands/13?unitSize=24"))["tracer"]!.GetValue<bool>());
        Assert.Equal("unitSize", (await lead.Refused("GET", "/api/calc/strands/13?unitSize=7")).Field);
    }

    /// <summary>Before, the second of two who changed a job wrote over the first without a word.</summary>
    [Fact]
    public async Task Two_changes_of_one_job_do_not_write_over_each_other()
    {
        var c = await host.NewCompany();
        var (lead, office) = (await c.SignIn("lead1"), await c.SignIn("office"));
        var first = JsonNode.Parse(await (await lead.Send("PUT", $"/api/jobs/{c.JobId}", c.JobChange(1, site: "Fog signal house"))).Content.ReadAsStringAsync())!;
        Assert.Equal((2, "Fog signal house"), (first["version"]!.GetValue<int>(), first["site"]!.GetValue<string>()));
        var late = await office.Send("PUT", $"/api/jobs/{c.JobId}", c.JobChange(1, dueOn: "2027-01-31"));
        var problem = JsonNode.Parse(await late.Content.ReadAsStringAsync())!;
        Assert.Equal((HttpStatusCode.Conflict, "changed-meanwhile", "Fog signal house"), (late.StatusCode, problem["code"]!.GetValue<string>(), problem["current"]!["site"]!.GetValue<string>()));
        Assert.Equal("2026-12-01", (await lead.Get($"/api/jobs/{c.JobId}"))["job"]!["dueOn"]!.GetValue<string>()); // nothing of the second was kept
        var both = await Task.WhenAll(Enumerable.Range(0, 6).Select(i => (i % 2 == 0 ? lead : office).Send("PUT", $"/api/jobs/{c.JobId}", c.JobChange(2, site: $"Site {i}"))));
        Assert.Single(both, r => r.IsSuccessStatusCode);
        Assert.Equal("version", (await lead.Refused("PUT", $"/api/jobs/{c.JobId}", c.JobBody())).Field);
    }

    [Fact]
    public async Task Where_no_procedure_fits_it_is_said_with_the_nearest_and_ends_not_begun_follow_what_ships()
    {
        var c = await host.NewCompany();
        var lead = await c.SignIn("lead1");
        // A plunger-locked connector goes on cordage, and nobody ships a procedure for it.
        var made = JsonNode.Parse(await (await lead.Post($"/api/jobs/{c.JobId}/ends", new { cableId = c.CableId, side = "A", fromStrand = 13, toStrand = 14, panelId = c.PanelId, firstPort = 13, form = "SC", polish = "UPC", mode = "multimode", method = "plunger-locked", stubClass = "OM3" })).Content.ReadAsStringAsync())!;
        Assert.Null(made["procedureId"]);
        Assert.Equal(("plunger-locked-900", "construction"), (made["nearest"]![0]!["id"]!.GetValue<string>(), made["nearest"]![0]!["differs"]!.AsArray().Single()!.GetValue<string>()));
        var unfit = made["endIds"]![0].Deserialize<EndId>();
        Assert.Equal(3, (await lead.Get($"/api/ends/{unfit}/nearest")).AsArray().Count);
        Assert.Empty((await lead.Get($"/api/ends/{c.Ends[0]}/nearest")).AsArray());

        // As if they had been planned with the version before: one is begun and stays with it, the other follows what ships, and what had none gets one.
        var run = c.Event(c.Ends[0], EventKind.AttemptStarted, new AttemptStarted("wedge-locked-upc-3mm", 5), by: "lead1");
        (await lead.Post("/api/ledger", new[] { run })).EnsureSuccessStatusCode();
        await host.Scalar<long>("with u as (update cable_end set procedure_version = 4 where company_id = $1 and procedure_id = 'wedge-locked-upc-3mm' returning 1) select count(*) from u", c.Id);
        await host.Scalar<long>("with u as (update cable_end set procedure_id = null, procedure_version = null where company_id = $1 and end_id = $2 returning 1) select count(*) from u", c.Id, c.Ends[2]);
        await host.Scalar<long>("with u as (update shipped_version set version = 4 where procedure_id = 'wedge-locked-upc-3mm' returning 1) select count(*) from u");
        await host.Services.GetRequiredService<Store.Methods>().FollowShipped();
        var bench = (await lead.Get($"/api/places/{c.PanelId}/bench"))["ends"]!.AsArray();
        Assert.Equal([4, 5, 5], bench.Take(3).Select(e => e!["procedureVersion"]!.GetValue<int>()));
        Assert.Equal("wedge-locked-upc-3mm", bench[2]!["procedureId"]!.GetValue<string>());
        Assert.Null(bench.Single(e => e!["endId"].Deserialize<EndId>() == unfit)!["procedureId"]);
    }

    [Fact]
    public async Task A_duplex_jumper_has_its_clip_checked_and_its_ordered_length_after_a_cut_off()
    {
        var c = await host.NewCompany();
        var (lead, installer) = (await c.SignIn("lead1"), await c.SignIn("installer1"));
        object Cable(double? toleranceMm) => new { code = $"J{Guid.NewGuid():N}"[..8], fiberClass = "OM3", construction = "cordage-3.0", strandCount = 2, slackAMm = 60, slackBMm = 0, orderedLengthMm = 3000, orderedToleranceMm = toleranceMm };
        Assert.Equal("jumper-tolerance", (await lead.Refused("POST", $"/api/jobs/{c.JobId}/cables", Cable(-1))).Code);
        var cable = JsonNode.Parse(await (await lead.Post($"/api/jobs/{c.JobId}/cables", Cable(20))).Content.ReadAsStringAsync())!["id"]!.GetValue<Guid>();
        await lead.Post($"/api/jobs/{c.JobId}/ends", new { cableId = cable, side = "A", fromStrand = 1, toStrand = 2, panelId = (Guid?)null, firstPort = 1, form = "SC", polish = "UPC", mode = "multimode", method = "cold-cure", stubClass = (string?)null });
        async Task<JsonNode> Bench() => await installer.Get($"/api/places/{cable}/bench");
        var bench = await Bench();
        var end = bench["ends"]![0]!["endId"].Deserialize<EndId>();
        Assert.Equal("duplex", bench["ends"]![0]!["answers"]!["cord"]!.GetValue<string>());
        var table = Assert.Single(bench["tables"]!.AsArray())!;
        Assert.Contains(table["states"]!.AsArray(), s => s!["id"]!.GetValue<string>() == "pair-cord");
        Assert.Equal((3060, 0), (Jumper(bench, "lengthMm"), Jumper(bench, "shortByMm")));

        // Whatever the device says of the end, the plan answers for it; each cut-off takes 50 mm of both strands of the side.
        for (var attempt = 1; attempt <= 2; attempt++)
        {
            var start = c.Event(end, EventKind.AttemptStarted, new AttemptStarted("cold-cure-3mm", table["version"]!.GetValue<int>(), null, new Dictionary<string, string> { ["form"] = "ST", ["cord"] = "none" }), attempt);
            await SliceTests.Tell(installer, start, c.Event(end, EventKind.AttemptClosed, new AttemptClosed(start.Id.As<Ids.Run>(), ReworkReason.CoreChippedOrCracked, true), attempt));
        }

        bench = await Bench();
        var schools = bench["ends"]![0]!["state"]!["attempts"]![0]!["schools"]!;
        Assert.Equal(("SC", "duplex"), (schools["form"]!.GetValue<string>(), schools["cord"]!.GetValue<string>()));
        Assert.Equal((2960, 20), (Jumper(bench, "lengthMm"), Jumper(bench, "shortByMm")));
        static double Jumper(JsonNode bench, string field) => bench["jumper"]![field]!.GetValue<double>();
    }

    [Fact]
    public async Task What_does_not_fit_is_refused_with_field_and_reason()
    {
        var c = await host.NewCompany();
        var lead = await c.SignIn("lead1");
        var ends = $"/api/jobs/{c.JobId}/ends";
        Assert.Equal((HttpStatusCode.UnprocessableEntity, "apc-is-single-mode", "polish"), await lead.Refused("POST", ends, c.EndsBody(13, 14, 13, polish: "APC")));
        Assert.Equal((HttpStatusCode.UnprocessableEntity, "stub-class-differs", "stubClass"), await lead.Refused("POST", ends, c.EndsBody(13, 14, 13, stubClass: "OM1")));
        Assert.Equal((HttpStatusCode.BadRequest, "strand-range", "toStrand"), await lead.Refused("POST", ends, c.EndsBody(13, 25, 13)));
        Assert.Equal((HttpStatusCode.BadRequest, "row-too-long", "firstPort"), await lead.Refused("POST", ends, c.EndsBody(13, 20, 20)));
        Assert.Equal((HttpStatusCode.Conflict, "taken", "firstPort"), await lead.Refused("POST", ends, c.EndsBody(13, 14, 12)));
        Assert.Equal((HttpStatusCode.Conflict, "taken", "fromStrand"), await lead.Refused("POST", ends, c.EndsBody(12, 13, 13)));
        Assert.Equal((HttpStatusCode.UnprocessableEntity, "out-of-range", "strandCount"), await lead.Refused("POST", $"/api/jobs/{c.JobId}/cables", TestCompany.CableBody("C2", 289)));
        Assert.Equal((HttpStatusCode.UnprocessableEntity, "out-of-range", "lengthM"), await lead.Refused("POST", $"/api/jobs/{c.JobId}/cables", TestCompany.CableBody("C2", 12, -1)));
        Assert.Equal((HttpStatusCode.Conflict, "taken", "code"), await lead.Refused("POST", $"/api/jobs/{c.JobId}/cables", TestCompany.CableBody("C1")));
        Assert.Equal((HttpStatusCode.BadRequest, "time-zone-unknown", "timeZone"), await lead.Refused("POST", "/api/jobs", c.JobBody(timeZone: "Moon/Base")));
        Assert.Equal((HttpStatusCode.BadRequest, "date-shape", "dueOn"), await lead.Refused("POST", "/api/jobs", c.JobBody(dueOn: "2026-02-30")));
        Assert.Equal((HttpStatusCode.BadRequest, "body-shape", "angled"), await lead.Refused("POST", $"/api/jobs/{c.JobId}/panels", new { spaceId = c.SpaceId, code = "P9", ports = 4, adapterForm = "SC", angled = "maybe" }));
        Assert.Equal((HttpStatusCode.BadRequest, "unknown-choice", "form"), await lead.Refused("GET", "/api/ends?form=XX"));
        Assert.Equal(12, (await lead.Get($"/api/ends?jobId={c.JobId}")).AsArray().Count); // nothing of all that was kept
    }

    [Fact]
    public async Task Lists_are_paged_by_key_and_filtered()
    {
        var c = await host.NewCompany();
        var lead = await c.SignIn("lead1");
        var first = (await lead.Get("/api/ends?limit=5")).AsArray();
        var second = (await lead.Get($"/api/ends?limit=50&after={first[^1]!["endId"]}")).AsArray();
        Assert.Equal(c.Ends.Select(e => e.ToString()), first.Concat(second).Select(e => e!["endId"]!.GetValue<string>()));
        Assert.Empty((await lead.Get("/api/ends?form=LC")).AsArray());
        Assert.Equal(12, (await lead.Get("/api/ends?form=SC&polish=UPC&mode=multimode&method=wedge-locked&status=planned&verdict=none")).AsArray().Count);
    }

    [Fact]
    public async Task A_lead_plans_for_their_own_crew_only_and_worked_ends_stay()
    {
        var c = await host.NewCompany();
        var lead2 = await c.SignIn("lead2");
        var job = await lead2.Make("/api/jobs", c.JobBody(crewId: c.Crews[0]));
        Assert.Equal(c.Crews[1].ToString(), (await lead2.Get($"/api/jobs/{job}"))["job"]!["crewId"]!.GetValue<string>());
        var lead1 = await c.SignIn("lead1");
        (await (await c.SignIn("installer1")).Post("/api/ledger", new[] { c.Event(c.Ends[0], Core.Ledger.EventKind.Noted, new Core.Ledger.Noted("seen")) })).EnsureSuccessStatusCode();
        Assert.Equal((HttpStatusCode.Conflict, "not-removed", "id"), await lead1.Refused("DELETE", $"/api/jobs/{c.JobId}/plan/end/{c.Ends[0]}"));
        (await lead1.Send("DELETE", $"/api/jobs/{c.JobId}/plan/end/{c.Ends[1]}")).EnsureSuccessStatusCode();
        Assert.Equal(11, (await lead1.Get($"/api/ends?jobId={c.JobId}")).AsArray().Count);
    }
}
