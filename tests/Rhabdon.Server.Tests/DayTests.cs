using System.Net;
using System.Text;
using System.Text.Json.Nodes;
using MiniExcelLibs;
using Rhabdon.Core.Ledger;
using UglyToad.PdfPig;
using Xunit;

namespace Rhabdon.Server.Tests;

/// <summary>The day of a site, hours, an invoice's lines and an instrument's folder, over the API; files read back by other libraries (PdfPig, MiniExcel).</summary>
public sealed class DayTests(TestHost host)
{
    [Fact]
    public async Task A_day_is_told_from_the_ledger_and_hours_are_the_persons_to_correct()
    {
        var c = await host.NewCompany();
        var (office, lead, installer, other) = (await c.SignIn("office"), await c.SignIn("lead1"), await c.SignIn("installer1"), await c.SignIn("installer2"));
        await SliceTests.Accept(c, installer, c.Ends[0]);
        await SliceTests.Accept(c, installer, c.Ends[1]);
        await SliceTests.Tell(installer, [.. SliceTests.Run(c, c.Ends[2], 1)]);
        (await lead.Post("/api/ledger", new[] { c.Said(StreamKind.Job, c.JobId, StreamEventKind.Blocked, new Blocked(BlockReason.NoAccess, null, "the keeper has the key"), "lead1") })).EnsureSuccessStatusCode();

        var day = await lead.Get($"/api/jobs/{c.JobId}/day");
        Assert.Equal((3, 2, 2, 12), (day["begun"]!.GetValue<int>(), day["accepted"]!.GetValue<int>(), day["acceptedByThen"]!.GetValue<int>(), day["planned"]!.GetValue<int>()));
        Assert.Equal("Installer 1", Assert.Single(day["people"]!.AsArray())!["name"]!.GetValue<string>());
        Assert.Equal("the keeper has the key", Assert.Single(day["blocks"]!.AsArray())!["note"]!.GetValue<string>());
        Assert.Equal(0, (await lead.Get($"/api/jobs/{c.JobId}/day?on=2026-01-02"))["begun"]!.GetValue<int>());
        using var pdf = PdfDocument.Open(await Bytes(lead, $"/api/jobs/{c.JobId}/day/file"));
        var text = string.Join(' ', pdf.GetPages().SelectMany(p => p.GetWords()).Select(w => w.Text));
        Assert.Contains("3 connectors begun, 2 accepted", text);
        Assert.Contains("the keeper has the key", text);

        // Hours: one's own; the lead corrects the crew's; no one else's.
        var on = day["on"]!.GetValue<string>();
        var worked = Assert.Single((await installer.Get("/api/hours")).AsArray())!;
        Assert.Equal(("Installer 1", on, 2, null), (worked["name"]!.GetValue<string>(), worked["day"]!.GetValue<string>(), worked["accepted"]!.GetValue<int>(), worked["saidMinutes"]));
        Assert.Empty((await other.Get("/api/hours")).AsArray());
        var me = c.Person("installer1").PersonId;
        Assert.Equal(HttpStatusCode.NotFound, (await other.Send("PUT", $"/api/hours/{me}/{on}", new { minutes = 1 })).StatusCode);
        (await installer.Send("PUT", $"/api/hours/{me}/{on}", new { minutes = 455, note = "=with the boat" })).EnsureSuccessStatusCode();
        Assert.Equal((455, "Installer 1"), (await lead.Get("/api/hours")).AsArray().Single(d => d!["personId"]!.GetValue<string>() == me.ToString()) is { } said ? (said["countedMinutes"]!.GetValue<int>(), said["saidBy"]!.GetValue<string>()) : default);
        Assert.Contains("'=with the boat", Encoding.UTF8.GetString(await Bytes(office, "/api/hours/file?format=csv")));
        (await lead.Send("PUT", $"/api/hours/{me}/{on}", new { minutes = (int?)null })).EnsureSuccessStatusCode();
        Assert.Null((await installer.Get("/api/hours"))[0]!["saidMinutes"]);
        foreach (var (path, field) in new[] { ("2026-13-01", "day"), ("2199-01-01", "day") })
        {
            Assert.Contains($"\"{field}\"", await (await installer.Send("PUT", $"/api/hours/{me}/{path}", new { minutes = 1 })).Content.ReadAsStringAsync());
        }

        Assert.Equal(HttpStatusCode.BadRequest, (await office.Send("GET", "/api/hours?from=2026-01-01&to=2026-12-01", null)).StatusCode);
    }

    [Fact]
    public async Task Accepted_connectors_are_asked_for_by_their_price()
    {
        var c = await host.NewCompany();
        var (office, installer) = (await c.SignIn("office"), await c.SignIn("installer1"));
        await SliceTests.Accept(c, installer, c.Ends[0]);
        Assert.Equal(1, (await office.Get($"/api/jobs/{c.JobId}/progress"))["unpriced"]!.GetValue<int>());
        object Price(double price) => new { currency = "EUR", units = new[] { new { method = "wedge-locked", form = "SC", polish = "UPC", mode = "multimode", price } } };
        (await office.Send("PUT", $"/api/jobs/{c.JobId}/prices", Price(21.5))).EnsureSuccessStatusCode();
        Assert.Equal(HttpStatusCode.BadRequest, (await office.Send("PUT", $"/api/jobs/{c.JobId}/prices", Price(-1))).StatusCode);
        var invoice = await office.Get($"/api/jobs/{c.JobId}/progress");
        Assert.Equal((21.5m, 0m, 0), (invoice["amount"]!.GetValue<decimal>(), invoice["before"]!.GetValue<decimal>(), invoice["unpriced"]!.GetValue<int>()));
        using var book = new MemoryStream(await Bytes(office, $"/api/jobs/{c.JobId}/progress/file?format=xlsx"));
        var row = book.Query(useHeaderRow: true).Cast<IDictionary<string, object>>().Single();
        Assert.Equal((12.0, 1.0, 21.5), (Convert.ToDouble(row["Planned"]), Convert.ToDouble(row["In this time"]), Convert.ToDouble(row["Amount"])));
    }

    [Fact]
    public async Task Names_go_out_to_an_instrument_and_its_files_find_their_ends()
    {
        var c = await host.NewCompany();
        var installer = await c.SignIn("installer1");
        var names = Encoding.UTF8.GetString(await Bytes(installer, $"/api/jobs/{c.JobId}/folder/names")).Split("\r\n");
        Assert.StartsWith("name,address,", names[0].TrimStart('\uFEFF'), StringComparison.Ordinal);
        Assert.StartsWith("S1-P1-1,", names[1], StringComparison.Ordinal);
        var now = SystemClock.Instance.GetCurrentInstant();
        await SliceTests.Tell(installer, [.. SliceTests.Run(c, c.Ends[4], 1)]);
        var answer = JsonNode.Parse(await (await installer.Post($"/api/jobs/{c.JobId}/folder/check", new
        {
            files = new object[] { new { name = "S1_P1_02.sor" }, new { name = "DSC001.jpg", takenAt = now }, new { name = "meter.csv", text = "Port;Loss\nS1-P1-3;0.31\nS1-P1-4;0.28\n" }, new { name = "late.jpg", takenAt = now + Duration.FromHours(3) } },
        })).Content.ReadAsStringAsync())!["files"]!.AsArray();
        Assert.Equal((c.Ends[1].ToString(), "name"), (answer[0]!["endId"]!.GetValue<string>(), answer[0]!["by"]!.GetValue<string>()));
        Assert.Equal((c.Ends[4].ToString(), "time"), (answer[1]!["endId"]!.GetValue<string>(), answer[1]!["by"]!.GetValue<string>()));
        Assert.Equal((c.PanelId.ToString(), 2), (answer[2]!["places"]![0]!["placeId"]!.GetValue<string>(), answer[2]!["places"]![0]!["rows"]!.GetValue<int>()));
        Assert.Null(answer[3]!["endId"]);
        foreach (var body in new object[] { new { files = Array.Empty<object>() }, new { files = new[] { new { name = "" } } }, new { files = new[] { new { name = "a.sor" } }, withinMinutes = 1e9 } })
        {
            Assert.Equal(HttpStatusCode.BadRequest, (await installer.Post($"/api/jobs/{c.JobId}/folder/check", body)).StatusCode);
        }

        Assert.Equal(HttpStatusCode.UnprocessableEntity, (await installer.Post($"/api/jobs/{c.JobId}/folder/check", new { files = new[] { new { name = "a.sor" } }, template = "{nothing}" })).StatusCode);

        Assert.Equal(HttpStatusCode.BadRequest, (await installer.Send("GET", $"/api/jobs/{c.JobId}/folder/names?template=%7Bnothing%7D", null)).StatusCode);
    }

    private static async Task<byte[]> Bytes(Caller by, string path)
    {
        var response = await by.Send("GET", path, null);
        Assert.True(response.IsSuccessStatusCode, await response.Content.ReadAsStringAsync());
        return await response.Content.ReadAsByteArrayAsync();
    }
}
