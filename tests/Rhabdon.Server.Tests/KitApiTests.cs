using System.Net;
using System.Net.Http.Json;
using System.Text.Json;
using System.Text.Json.Nodes;
using Microsoft.Extensions.DependencyInjection;
using Rhabdon.Core;
using Rhabdon.Core.Connectors;
using Rhabdon.Core.Fiber;
using Rhabdon.Core.Kit;
using Rhabdon.Core.Ledger;
using Xunit;

namespace Rhabdon.Server.Tests;

/// <summary>What to bring, by which method, what is loaded, and where a lot has been.</summary>
public sealed class KitApiTests(TestHost host)
{
    internal static KitItem Wedge { get; } = new(KitItemKind.Connector, TerminationMethod.WedgeLocked, ConnectorForm.SC, Polish.UPC, FiberMode.Multimode);

    [Fact]
    public async Task What_to_bring_follows_what_fails_at_the_bench()
    {
        var c = await host.NewCompany();
        var (installer, lead) = (await c.SignIn("installer1"), await c.SignIn("lead1"));
        async Task<System.Text.Json.Nodes.JsonNode> Kit(string more = "") => (await lead.Get($"/api/jobs/{c.JobId}/kit{more}"))["groups"]![0]!;
        var before = await Kit();
        Assert.Equal((12, 0), (before["ends"]!.GetValue<int>(), before["counted"]!.GetValue<int>()));
        foreach (var end in c.Ends.Take(2))
        {
            var begun = c.Event(end, EventKind.AttemptStarted, new AttemptStarted("wedge-locked-upc-3mm", 4));
            await SliceTests.Tell(installer, [begun, c.Event(end, EventKind.AttemptClosed, new AttemptClosed(begun.Id.As<Ids.Run>(), Core.Rework.ReworkReason.CleaveAngleOrChip, true))]);
        }

        await host.Facts();

        var after = await Kit();
        Assert.Equal((12, 2), (after["ends"]!.GetValue<int>(), after["counted"]!.GetValue<int>()));
        Assert.True(after["firstPass"]!.GetValue<double>() < before["firstPass"]!.GetValue<double>());
        Assert.True((await Kit("?confidence=0.99"))["connectors"]!.GetValue<int>() > after["ends"]!.GetValue<int>());
        Assert.Equal((HttpStatusCode.UnprocessableEntity, "figure-range", "confidence"), await lead.Refused("GET", $"/api/jobs/{c.JobId}/kit?confidence=1"));
        // The calculator comes to the same from the same figures.
        var asked = await (await lead.Post("/api/calc/kit", new { ends = 24, firstPass = 0.9, packs = new[] { 25 } })).Content.ReadAsStringAsync();
        Assert.Equal(2, System.Text.Json.Nodes.JsonNode.Parse(asked)!["packs"]![0]!["count"]!.GetValue<int>());
        Assert.Equal((HttpStatusCode.UnprocessableEntity, "figure-range", "rungs[0].tries"), await lead.Refused("POST", "/api/calc/kit", new { ends = 24, firstPass = 0.9, rungs = new[] { new { success = 0.5, tries = 0 } } }));
    }

    /// <summary>Prices change the cost, a trip's price the confidence; who saved on older figures is given both.</summary>
    [Fact]
    public async Task A_companys_own_prices_take_the_place_of_what_is_assumed()
    {
        var c = await host.NewCompany();
        var (office, lead) = (await c.SignIn("office"), await c.SignIn("lead1"));
        async Task<JsonNode> Kit() => await lead.Get($"/api/jobs/{c.JobId}/kit");
        var before = await Kit();
        Assert.False(before["fromCost"]!.GetValue<bool>());
        var usual = CompanyFigures.Usual;
        var own = usual with { Currency = "kr", TripCost = 5000, Packs = [.. usual.Packs.Select(p => p with { Price = p.Price * 2 })] };
        Assert.Equal(1, (await (await office.Send("PUT", "/api/company/figures", new { version = 0, figures = own })).Content.ReadFromJsonAsync<JsonNode>())!["version"]!.GetValue<int>());
        var after = await Kit();
        Assert.Equal((true, "kr"), (after["fromCost"]!.GetValue<bool>(), after["currency"]!.GetValue<string>()));
        Assert.True(after["confidence"]!.GetValue<double>() > 0.99 && after["cost"]!.GetValue<double>() > before["cost"]!.GetValue<double>() * 1.5);
        var late = await office.Send("PUT", "/api/company/figures", new { version = 0, figures = usual });
        Assert.Equal((HttpStatusCode.Conflict, 1), (late.StatusCode, (await late.Content.ReadFromJsonAsync<JsonNode>())!["current"]!["version"]!.GetValue<int>()));
        Assert.Equal((HttpStatusCode.UnprocessableEntity, "figure-range", "packs[0].size"), await office.Refused("PUT", "/api/company/figures", new { version = 1, figures = own with { Packs = [own.Packs[0] with { Size = 0 }] } }));
        Assert.Equal(2, (await (await office.Send("PUT", "/api/company/figures", new { version = 1, figures = usual })).Content.ReadFromJsonAsync<JsonNode>())!["version"]!.GetValue<int>());
    }

    /// <summary>What the comparison shows is what the calculator answers to the question that comes with it.</summary>
    [Fact]
    public async Task The_methods_of_a_job_are_compared_as_the_calculator_does()
    {
        var c = await host.NewCompany();
        var lead = await c.SignIn("lead1");
        var group = (await lead.Get($"/api/jobs/{c.JobId}/methods"))["groups"]![0]!;
        Assert.Equal((12, "wedge-locked-upc-3mm"), (group["ends"]!.GetValue<int>(), group["planned"]![0]!.GetValue<string>()));
        Assert.True(group["options"]!.AsArray().Count >= 3);
        var asked = await (await lead.Post("/api/calc/compare", group["ask"]!)).Content.ReadFromJsonAsync<JsonNode>();
        Assert.Equal(asked!.ToJsonString(), group["answer"]!.ToJsonString());
        var many = (await lead.Get($"/api/jobs/{c.JobId}/methods?ends=5000&limitDb=0.2"))["groups"]![0]!;
        Assert.NotEqual(group["answer"]!["choice"]!["name"]!.GetValue<string>(), many["answer"]!["choice"]!["name"]!.GetValue<string>());
        Assert.Equal((HttpStatusCode.UnprocessableEntity, "figure-range", "ends"), await lead.Refused("GET", $"/api/jobs/{c.JobId}/methods?ends=0"));
    }

    /// <summary>12 in the van by its count, 30 in the store; 5 of them loaded with their lot, one connector begun since.</summary>
    [Fact]
    public async Task What_is_loaded_leaves_the_store_and_what_is_made_leaves_the_van()
    {
        var c = await host.NewCompany();
        var (lead, installer, other) = (await c.SignIn("lead1"), await c.SignIn("installer1"), await c.SignIn("lead2"));
        var pick = (await lead.Get($"/api/jobs/{c.JobId}/kit"))["pick"]!.AsArray();
        Assert.Equal(12, pick[0]!["needed"]!.GetValue<double>());
        Assert.Equal(Wedge, pick[0]!["item"].Deserialize<KitItem>(Wire.Json));
        var id = StreamId.New();
        var made = c.Said(StreamKind.Pick, id, StreamEventKind.PickMade, new PickMade(c.Crews[0], [c.JobId], 0.95, pick.Deserialize<PickLine[]>(Wire.Json)!), "lead1");
        var loaded = c.Said(StreamKind.Pick, id, StreamEventKind.PickLoaded, new PickLoaded(0, 5, "W-2211", new(2027, 3, 1)));
        // What was loaded may arrive before the list that it speaks of: it waits for it.
        Assert.Equal(["stream-unknown"], StreamTests.Outcomes(await StreamTests.Send(installer, loaded)));
        Assert.Equal(["lead-says"], StreamTests.Outcomes(await StreamTests.Send(installer, c.Said(StreamKind.Pick, StreamId.New(), StreamEventKind.PickMade, new PickMade(c.Crews[0], [], 0.95, [new(Wedge, 1)])))));
        Assert.Equal(["kit-item"], StreamTests.Outcomes(await StreamTests.Send(lead, c.Said(StreamKind.Pick, StreamId.New(), StreamEventKind.PickMade, new PickMade(c.Crews[0], [], 0.95, [new(new(KitItemKind.Connector), 1)]), "lead1"))));
        Assert.Equal(["store-id"], StreamTests.Outcomes(await StreamTests.Send(lead, c.Said(StreamKind.Store, StreamId.New(), StreamEventKind.StoreCounted, new StoreCounted(Wedge, 1), "lead1"))));
        Assert.Equal(["stored", "stored"], StreamTests.Outcomes(await StreamTests.Send(lead, c.Said(StreamKind.Crew, c.Crews[0].As<Ids.Stream>(), StreamEventKind.StockCounted, new StockCounted(Wedge, 12), "lead1"),
            c.Said(StreamKind.Store, StoreState.Only, StreamEventKind.StoreCounted, new StoreCounted(Wedge, 30), "lead1"))));
        await StreamTests.Send(lead, made);
        await StreamTests.Send(installer, c.Said(StreamKind.Pick, id, StreamEventKind.PickLoaded, new PickLoaded(0, 5, "W-2211", new(2027, 3, 1))));
        await StreamTests.Send(installer, c.Event(c.Ends[0], EventKind.AttemptStarted, new AttemptStarted("wedge-locked-upc-3mm", 4)));
        await host.Facts();

        var list = await installer.Get($"/api/picks/{id}");
        Assert.Equal(("W-2211", 5.0), (list["pick"]!["lines"]![0]!["lotNumber"]!.GetValue<string>(), list["pick"]!["lines"]![0]!["loaded"]!.GetValue<double>()));
        var level = list["stock"]!.AsArray().Single(s => s!["item"].Deserialize<KitItem>(Wire.Json) == Wedge)!;
        Assert.Equal((16.0, 25.0), (level["van"]!.GetValue<double>(), level["store"]!.GetValue<double>()));
        Assert.Equal(HttpStatusCode.NotFound, (await other.Send("GET", $"/api/picks/{id}")).StatusCode);
        await StreamTests.Send(installer, c.Said(StreamKind.Pick, id, StreamEventKind.PickClosed, new PickClosed()));
        Assert.Empty((await installer.Get("/api/picks")).AsArray());
        Assert.Single((await installer.Get("/api/picks?all=true")).AsArray());
    }

    /// <summary>A lot and a tool that an attempt was made with lead to its end, for those who may see it.</summary>
    [Fact]
    public async Task A_recall_leads_from_a_lot_or_a_tool_to_every_end_that_it_touched()
    {
        var c = await host.NewCompany();
        var (lead, installer, other) = (await c.SignIn("lead1"), await c.SignIn("installer1"), await c.SignIn("lead2"));
        var tool = StreamId.New();
        await StreamTests.Send(lead, c.Said(StreamKind.Tool, tool, StreamEventKind.ToolAdded, new ToolAdded(c.Crews[0], ToolKind.Cleaver, "Cleaver"), "lead1"));
        var answer = new Core.Procedures.PreflightAnswer("sharps", SystemClock.Instance.GetCurrentInstant(), Lot: "A-17");
        await StreamTests.Send(installer, c.Event(c.Ends[3], EventKind.AttemptStarted, new AttemptStarted("wedge-locked-upc-3mm", 4, Preflight: [answer], ToolIds: [tool.As<Ids.Tool>()])));
        await StreamTests.Send(installer, c.Event(c.Ends[4], EventKind.AttemptStarted, new AttemptStarted("wedge-locked-upc-3mm", 4)));
        await host.Facts();
        foreach (var asked in new[] { "lot=A-17", $"toolId={tool}" })
        {
            Assert.Equal([c.Ends[3]], (await lead.Get($"/api/recall?{asked}"))["ends"]!.AsArray().Select(e => e!["endId"].Deserialize<EndId>()));
            Assert.Empty((await other.Get($"/api/recall?{asked}"))["ends"]!.AsArray());
        }

        Assert.Equal((HttpStatusCode.BadRequest, "lot-or-tool", "lot"), await lead.Refused("GET", "/api/recall"));
    }

    /// <summary>The last day that a cleaver's service holds is the last day: past it a run with no reason is kept and says so, with one it says the reason.</summary>
    [Fact]
    public async Task A_tool_past_its_day_is_said_of_a_run_that_gives_no_reason()
    {
        var c = await host.NewCompany();
        var (lead, installer) = (await c.SignIn("lead1"), await c.SignIn("installer1"));
        var today = Core.Planning.SiteDates.On(SystemClock.Instance.GetCurrentInstant(), "UTC");
        async Task<ToolId> Tool(LocalDate due)
        {
            var id = StreamId.New();
            await StreamTests.Send(lead, c.Said(StreamKind.Tool, id, StreamEventKind.ToolAdded, new ToolAdded(c.Crews[0], ToolKind.Cleaver, $"Cleaver {due}"), "lead1"),
                c.Said(StreamKind.Tool, id, StreamEventKind.ToolReset, new ToolReset(ToolResetKind.Serviced, null, due), "lead1"));
            return id.As<Ids.Tool>();
        }

        var (good, late) = (await Tool(today.PlusDays(2)), await Tool(today.PlusDays(-3)));
        async Task<(double Days, string? Why)> Begun(int n, ToolId tool, string? why)
        {
            Assert.Equal(["stored"], StreamTests.Outcomes(await StreamTests.Send(installer, c.Event(c.Ends[n], EventKind.AttemptStarted, new AttemptStarted("wedge-locked-upc-3mm", 4, ToolIds: [tool], InSpiteOf: why)))));
            var attempt = (await lead.Get($"/api/ends/{c.Ends[n]}"))["state"]!["attempts"]![0]!;
            return (attempt["deviations"]!.AsArray().Where(d => d!["kind"]!.GetValue<string>() == "tool-overdue").Sum(d => d!["actual"]!.GetValue<double>()), attempt["inSpiteOf"]?.GetValue<string>());
        }

        Assert.Equal((0, null), await Begun(0, good, null));
        var days = (await Begun(1, late, null)).Days;
        Assert.InRange(days, 2, 4); // by the day at the site
        Assert.Equal((0, "the spare one broke"), await Begun(2, late, "the spare one broke"));
    }

    /// <summary>The file read back by other libraries than those that wrote it (PdfPig; the platform's own ZIP and XML; CsvHelper) says what the API says.</summary>
    [Fact]
    public async Task The_list_is_the_same_on_paper_and_in_tables()
    {
        var c = await host.NewCompany();
        var lead = await c.SignIn("lead1");
        var kit = await lead.Get($"/api/jobs/{c.JobId}/kit");
        async Task<byte[]> File(string format) => await (await lead.Send("GET", $"/api/kit/file?format={format}&jobId={c.JobId}")).Content.ReadAsByteArrayAsync();
        var lines = kit["pick"]!.AsArray();
        using (var pdf = UglyToad.PdfPig.PdfDocument.Open(await File("pdf")))
        {
            var text = string.Join('\n', pdf.GetPages().Select(p => UglyToad.PdfPig.DocumentLayoutAnalysis.TextExtractor.ContentOrderTextExtractor.GetText(p)));
            Assert.Contains("What to bring", text, StringComparison.Ordinal);
            Assert.Contains("lint-free wipes", text, StringComparison.Ordinal);
            Assert.Contains("SC/UPC Multimode, Wedge-locked", text.Replace("\n", " ", StringComparison.Ordinal), StringComparison.Ordinal);
            Assert.True(pdf.TryGetBookmarks(out var bookmarks));
            Assert.Equal(["To load", "Connectors", "Supplies"], bookmarks!.Roots.Select(r => r.Title));
            Assert.All(pdf.GetPages().SelectMany(p => p.Letters).Select(l => l.FontName).Distinct(), name => Assert.Contains("+DejaVu", name, StringComparison.Ordinal)); // a subset, embedded
        }

        using (var book = new System.IO.Compression.ZipArchive(new MemoryStream(await File("xlsx"))))
        {
            System.Xml.Linq.XDocument Read(string name)
            {
                using var part = book.GetEntry(name)!.Open();
                return System.Xml.Linq.XDocument.Load(part);
            }

            Assert.Equal(["To load", "Connectors", "Supplies"], Read("xl/workbook.xml").Descendants().Where(e => e.Name.LocalName == "sheet").Select(e => e.Attribute("name")!.Value));
            var sheet = book.Entries.Single(e => e.FullName.StartsWith("xl/worksheets/sheet1", StringComparison.Ordinal)).FullName;
            var rows = Read(sheet).Descendants().Where(e => e.Name.LocalName == "row").ToList();
            Assert.Equal(lines.Count + 1, rows.Count);
            Assert.Contains(rows[1].Descendants(), v => v.Name.LocalName == "v" && v.Value == "12");
        }

        using var csv = new CsvHelper.CsvReader(new StreamReader(new MemoryStream(await File("csv"))), System.Globalization.CultureInfo.InvariantCulture);
        Assert.True(csv.Read() && csv.GetField(0) == "To load");
        Assert.True(csv.Read() && csv.GetField(0) == "Item");
        Assert.True(csv.Read() && csv.GetField<double>(1) == 12);
        Assert.Equal((HttpStatusCode.BadRequest, "unknown-choice", "format"), await lead.Refused("GET", $"/api/kit/file?format=doc&jobId={c.JobId}"));
    }

    /// <summary>A cell that a table program would take for a formula is text; a long word does not leave its column.</summary>
    [Fact]
    public void What_somebody_named_is_never_a_formula()
    {
        var paper = new Rhabdon.Documents.Paper("T", [], [new("A", [new("Name", 1), new("N", 1, true)], [["=HYPERLINK(\"x\")", -1.0], ["+1", 2.0], [new string('w', 300), null]])], "");
        var csv = System.Text.Encoding.UTF8.GetString(Rhabdon.Documents.Tables.Csv(paper));
        Assert.Contains("'=HYPERLINK", csv, StringComparison.Ordinal);
        Assert.Contains("'+1,2", csv, StringComparison.Ordinal);
        Assert.Contains(",-1\r\n", csv, StringComparison.Ordinal);
        using var pdf = UglyToad.PdfPig.PdfDocument.Open(Rhabdon.Documents.Printed.Pdf(paper, DateTimeOffset.UnixEpoch));
        Assert.All(pdf.GetPage(1).Letters, l => Assert.True(l.BoundingBox.Right <= pdf.GetPage(1).Width - 30));
    }
}
