using System.Net;
using System.Net.WebSockets;
using System.Text;
using System.Text.Json;
using System.Text.Json.Nodes;
using Rhabdon.Core;
using Rhabdon.Core.Ledger;
using Xunit;

namespace Rhabdon.Server.Tests;

public class MethodTests(TestHost host)
{
    private const string Shipped = "wedge-locked-upc-3mm";

    private static async Task<JsonNode> Document(Caller c, string id, int version) => (await c.Get($"/api/procedures/{id}/{version}/document"))["document"]!;

    private static async Task<string> Copy(Caller c, string id, string from = Shipped)
    {
        (await c.Post("/api/procedures/copies", new { procedureId = from, version = 5, id, title = "Ours" })).EnsureSuccessStatusCode();
        return id;
    }

    [Fact]
    public async Task A_faulty_draft_is_kept_and_told_where_but_not_published()
    {
        var c = await host.NewCompany();
        var lead = await c.SignIn("lead1");
        var id = await Copy(lead, $"ours-{c.Tag}");
        var d = await Document(lead, id, 1);
        var glow = d["steps"]!.AsArray().First(s => s!["id"]!.GetValue<string>() == "glow")!;
        glow["check"]!["answers"]![1]!["ladder"] = null;
        var faults = JsonNode.Parse(await (await lead.Send("PUT", $"/api/procedures/{id}/1", new { document = d })).Content.ReadAsStringAsync())!.AsArray();
        Assert.Contains(faults, f => f!["field"]!.GetValue<string>() == "steps[glow].check.answers[bright]");
        Assert.Equal((HttpStatusCode.UnprocessableEntity, "answer-leads-nowhere", "steps[glow].check.answers[bright]"), await lead.Refused("POST", $"/api/procedures/{id}/1/publish", new { }));
        Assert.Null((await Document(lead, id, 1))["steps"]!.AsArray().First(s => s!["id"]!.GetValue<string>() == "glow")!["check"]!["answers"]![1]!["ladder"]);
    }

    [Fact]
    public async Task A_published_version_stays_and_ends_not_begun_follow_the_next_one()
    {
        var c = await host.NewCompany();
        var lead = await c.SignIn("lead1");
        var id = await Copy(lead, $"ours-{c.Tag}");
        (await lead.Post($"/api/procedures/{id}/1/publish", new { })).EnsureSuccessStatusCode();
        Assert.Equal((HttpStatusCode.Conflict, "published", "version"), await lead.Refused("PUT", $"/api/procedures/{id}/1", new { document = await Document(lead, id, 1) }));
        // New rows take the company's own procedure before a shipped one.
        var panel = await lead.Make($"/api/jobs/{c.JobId}/panels", new { spaceId = c.SpaceId, code = "P9", ports = 24, adapterForm = "SC", angled = false });
        var made = JsonNode.Parse(await (await lead.Post($"/api/jobs/{c.JobId}/ends", new { cableId = c.CableId, side = "B", fromStrand = 1, toStrand = 2, panelId = panel, firstPort = 1, form = "SC", polish = "UPC", mode = "multimode", method = "wedge-locked", stubClass = "OM3" }))
            .Content.ReadAsStringAsync())!;
        Assert.Equal(id, made["procedureId"]!.GetValue<string>());
        var ends = made["endIds"]!.AsArray().Select(e => e.Deserialize<EndId>()).ToArray();
        var started = c.Event(ends[0], EventKind.AttemptStarted, new AttemptStarted(id, 1), by: "lead1");
        (await lead.Post("/api/ledger", new[] { started })).EnsureSuccessStatusCode();

        (await lead.Post("/api/procedures/copies", new { procedureId = id, version = 1, id, title = "Ours, better" })).EnsureSuccessStatusCode();
        (await lead.Post($"/api/procedures/{id}/2/publish", new { })).EnsureSuccessStatusCode();
        var bench = await lead.Get($"/api/places/{panel}/bench");
        Assert.Equal([1, 2], bench["ends"]!.AsArray().Select(e => e!["procedureVersion"]!.GetValue<int>()));
        Assert.Equal(1, bench["ends"]![0]!["state"]!["attempts"]![0]!["procedureVersion"]!.GetValue<int>());
        Assert.Equal([1, 2], bench["tables"]!.AsArray().Select(t => t!["version"]!.GetValue<int>()).Distinct().Order());
        (await lead.Post("/api/ledger", new[] { c.Event(ends[0], EventKind.CheckAnswered, new CheckAnswered(started.Id.As<Ids.Run>(), "match", "same"), by: "lead1") })).EnsureSuccessStatusCode();

        // A copy of an older version is told of: what changed in the original since; and the trade's plain faults stop it from being published as it is.
        JsonNode Original(JsonNode list, string of) => list.AsArray().Single(p => p!["id"]!.GetValue<string>() == of && p["version"]!.GetValue<int>() == 1)!["original"]!;
        (await lead.Post("/api/procedures/copies", new { procedureId = Shipped, version = 4, id = id + "-old", title = "Ours of before" })).EnsureSuccessStatusCode();
        var lines = await lead.Get("/api/procedures");
        Assert.Equal((Shipped, 4, 5), (Original(lines, id + "-old")["id"]!.GetValue<string>(), Original(lines, id + "-old")["version"]!.GetValue<int>(), Original(lines, id + "-old")["newest"]!.GetValue<int>()));
        Assert.Null(lines.AsArray().Last(p => p!["id"]!.GetValue<string>() == id)!["original"]);
        Assert.Equal((HttpStatusCode.UnprocessableEntity, "never-stripped", "steps"), await lead.Refused("POST", $"/api/procedures/{id}-old/1/publish", new { }));

        // Another company knows nothing of it.
        var other = await (await host.NewCompany()).SignIn("office");
        Assert.Equal(HttpStatusCode.NotFound, (await other.Send("GET", $"/api/procedures/{id}/1")).StatusCode);
        Assert.DoesNotContain(id, (await other.Get("/api/procedures")).ToJsonString());
    }

    [Fact]
    public async Task A_copy_needs_a_name_of_its_own_and_yaml_that_is_none_is_refused()
    {
        var lead = await (await host.NewCompany()).SignIn("lead1");
        Assert.Equal((HttpStatusCode.BadRequest, "id-shipped", "id"), await lead.Refused("POST", "/api/procedures/copies", new { procedureId = Shipped, version = 4, id = "cold-cure-3mm", title = "X" }));
        Assert.Equal((HttpStatusCode.BadRequest, "id-shape", "id"), await lead.Refused("POST", "/api/procedures/copies", new { procedureId = Shipped, version = 4, id = "../../x", title = "X" }));
        foreach (var yaml in new[] { "", "a: [", "- 1", "{}", "? [a]\n: b", "id: &a [*a]", new string('[', 5000) })
        {
            Assert.Equal(HttpStatusCode.UnprocessableEntity, (await lead.Post("/api/procedures/import", new { yaml })).StatusCode);
        }

        var exported = (await lead.Get($"/api/procedures/{Shipped}/4/yaml"))["yaml"]!.GetValue<string>();
        var taken = await lead.Post("/api/procedures/import", new { yaml = exported.Replace(Shipped, "taken-in") });
        Assert.Equal("taken-in", JsonNode.Parse(await taken.Content.ReadAsStringAsync())!["id"]!.GetValue<string>());
    }

    [Fact]
    public async Task A_company_follows_its_school_and_the_run_says_which()
    {
        var c = await host.NewCompany();
        var lead = await c.SignIn("lead1");
        (await lead.Send("PUT", "/api/schools/vfl", new { choice = "without" })).EnsureSuccessStatusCode();
        Assert.Equal((HttpStatusCode.BadRequest, "choice-unknown", "choice"), await lead.Refused("PUT", "/api/schools/vfl", new { choice = "by-ear" }));
        var steps = (await lead.Get($"/api/procedures/{Shipped}/4"))["states"]!.AsArray().Select(s => s!["id"]!.GetValue<string>()).ToList();
        Assert.Contains("unlit", steps);
        Assert.DoesNotContain("glow", steps);
        Assert.Contains("glow", (await (await (await host.NewCompany()).SignIn("lead1")).Get($"/api/procedures/{Shipped}/4")).ToJsonString());
        var e = c.Event(c.Ends[0], EventKind.AttemptStarted, new AttemptStarted(Shipped, 4, BatchId.New(), new Dictionary<string, string> { ["vfl"] = "without" }), by: "lead1");
        (await lead.Post("/api/ledger", new[] { e })).EnsureSuccessStatusCode();
        var state = (await lead.Get($"/api/ends/{c.Ends[0]}"))["state"]!;
        Assert.Equal("without", state["attempts"]![0]!["schools"]!["vfl"]!.GetValue<string>());
    }

    [Fact]
    public async Task The_crews_kit_and_a_shard_mismatch_are_remembered_and_rebuilt_alike()
    {
        var c = await host.NewCompany();
        var installer = await c.SignIn("installer1");
        var batch = BatchId.New();
        var start = c.Event(c.Ends[0], EventKind.AttemptStarted, new AttemptStarted(Shipped, 4, batch, null, [new("alcohol-99", SystemClock.Instance.GetCurrentInstant(), Number: 99.7)]));
        var counted = c.Event(c.Ends[0], EventKind.ShardsCounted, new ShardsCounted(start.Id.As<Ids.Run>(), batch, 3, 2));
        (await installer.Post("/api/ledger", new[] { start, counted })).EnsureSuccessStatusCode();
        Assert.Equal(99.7, (await installer.Get($"/api/places/{c.PanelId}/bench"))["kit"]![0]!["number"]!.GetValue<double>());
        // As devices of before counted it, end by end: it is the batch's count all the same.
        Assert.Equal((batch, -1), ((await installer.Get("/api/batches/off"))[0]!["batch"]!["id"].Deserialize<BatchId>(), (await installer.Get($"/api/batches/{batch}"))["off"]!.GetValue<int>()));
    }

    [Fact]
    public async Task Only_who_may_see_a_job_hears_of_it_live()
    {
        Assert.Equal(HttpStatusCode.Unauthorized, (await (await host.Visit()).Send("GET", "/api/live")).StatusCode);
        var c = await host.NewCompany();
        var own = await Listen(await c.SignIn("lead1"), c.JobId);
        var foreign = await Listen(await (await host.NewCompany()).SignIn("office"), c.JobId);
        Assert.Contains("no such job among yours", foreign.Answer);
        Assert.DoesNotContain("error", own.Answer);
        (await (await c.SignIn("installer1")).Post("/api/ledger", new[] { c.Event(c.Ends[0], EventKind.Noted, new Noted("x")) })).EnsureSuccessStatusCode();
        Assert.Contains(c.JobId.ToString(), await Read(own.Socket));
    }

    [Fact]
    public async Task A_viewer_who_is_taken_off_a_job_stops_hearing_of_it_at_once()
    {
        var c = await host.NewCompany();
        var office = await c.SignIn("office");
        var viewers = $"/api/jobs/{c.JobId}/viewers";
        (await office.Send("PUT", viewers, new { personIds = new[] { c.Person("viewer").PersonId } })).EnsureSuccessStatusCode();
        var viewer = await c.SignIn("viewer");
        var (socket, answer) = await Listen(viewer, c.JobId);
        Assert.DoesNotContain("error", answer);
        (await office.Send("PUT", viewers, new { personIds = Array.Empty<PersonId>() })).EnsureSuccessStatusCode();
        (await (await c.SignIn("installer1")).Post("/api/ledger", new[] { c.Event(c.Ends[0], EventKind.Noted, new Noted("x")) })).EnsureSuccessStatusCode();
        string heard;
        try
        {
            heard = await Read(socket);
        }
        catch (Exception e) when (e is WebSocketException or IOException)
        {
            heard = ""; // the line is cut
        }

        Assert.DoesNotContain(c.JobId.ToString(), heard);
        Assert.Contains("no such job among yours", (await Listen(viewer, c.JobId)).Answer);
    }

    private async Task<(WebSocket Socket, string Answer)> Listen(Caller caller, JobId jobId)
    {
        var client = host.WebSockets();
        var cookies = caller.Cookies();
        client.ConfigureRequest = r => r.Headers.Cookie = cookies;
        var socket = await client.ConnectAsync(new Uri("ws://localhost/api/live"), CancellationToken.None);
        await Send(socket, """{"protocol":"json","version":1}""");
        await Read(socket);
        await Send(socket, $$"""{"type":1,"invocationId":"1","target":"Watch","arguments":["{{jobId}}"]}""");
        return (socket, await Read(socket));
    }

    private static Task Send(WebSocket socket, string json) => socket.SendAsync(Encoding.UTF8.GetBytes(json + "\u001e"), WebSocketMessageType.Text, true, CancellationToken.None);

    private static async Task<string> Read(WebSocket socket)
    {
        var buffer = new byte[4096];
        using var wait = new CancellationTokenSource(TimeSpan.FromSeconds(10));
        var got = await socket.ReceiveAsync(buffer, wait.Token);
        return Encoding.UTF8.GetString(buffer, 0, got.Count);
    }
}
