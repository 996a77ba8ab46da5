using System.Net;
using System.Text.Json.Nodes;
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

    [Fact]
    public async Task What_does_not_fit_is_refused_with_field_and_reason()
    {
        var c = await host.NewCompany();
        var lead = await c.SignIn("lead1");
        var ends = $"/api/jobs/{c.JobId}/ends";
        Assert.Equal((HttpStatusCode.UnprocessableEntity, "apc-is-single-mode", "polish"), await lead.Refused("POST", ends, c.EndsBody(13, 14, 13, polish: "APC")));
        Assert.Equal((HttpStatusCode.UnprocessableEntity, "stub-class-differs", "stubClass"), await lead.Refused("POST", ends, c.EndsBody(13, 14, 13, stubClass: "OM1")));
        Assert.Equal((HttpStatusCode.BadRequest, "strand-range", "toStrand"), await lead.Refused("POST", ends, c.EndsBody(13, 25, 13)));
        Assert.Equal((HttpStatusCode.BadRequest, "port-range", "firstPort"), await lead.Refused("POST", ends, c.EndsBody(13, 20, 20)));
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
