using System.Net;
using System.Text;
using System.Text.Json.Nodes;
using Rhabdon.Core.Ledger;
using Xunit;

namespace Rhabdon.Server.Tests;

/// <summary>Plans that come in by file: looked at first, written whole or not at all, and the same again changes nothing.</summary>
public sealed class PlanFileTests(TestHost host)
{
    private const string Head = "Room;Room name;Panel;Ports;Port;Cable;Fibre;Construction;Strands;Length;Slack A;Slack B;Strand;Side;Connector;Polish;Method;Stub\n";

    private static string Row(int n, string room = "MR", string side = "A", string cable = "T-24", string polish = "UPC", string glass = "OM3", int? port = null, string length = "86,5", string stub = "OM3") =>
        $"{room};{(room == "MR" ? "Main room" : "Tower")};P1;24;{port ?? n};{cable};{glass};3.0 mm cordage;24;{length};600;450;{n};{side};SC;{polish};Wedge-locked;{stub}\n";

    private static Task<JsonNode> Bring(Caller caller, JobId job, string file, bool write = false) => caller.File($"/api/jobs/{job}/plan/file?write={(write ? "true" : "false")}", Encoding.UTF8.GetBytes(file));

    private static async Task<(TestCompany Company, Caller Lead, JobId Job)> Empty(TestHost host)
    {
        var c = await host.NewCompany();
        var lead = await c.SignIn("lead1");
        return (c, lead, new(await lead.Make("/api/jobs", c.JobBody())));
    }

    private static (int Added, int Changed, int Same, int Left) Counts(JsonNode p) => (p["added"]!.GetValue<int>(), p["changed"]!.GetValue<int>(), p["same"]!.GetValue<int>(), p["left"]!.GetValue<int>());

    private static IEnumerable<string> Faults(JsonNode p) => p["faults"]!.AsArray().Select(f => $"{f!["cell"]} {f["why"]!["code"]}");

    [Fact]
    public async Task A_file_is_looked_at_then_written_and_the_same_again_changes_nothing()
    {
        var (_, lead, job) = await Empty(host);
        var file = Head + string.Concat(Enumerable.Range(1, 12).Select(n => Row(n))) + string.Concat(Enumerable.Range(1, 12).Select(n => Row(n, "TR", "B")));
        var seen = await Bring(lead, job, file);
        Assert.Equal((24, 0, 0, 0), Counts(seen));
        Assert.Equal((2, false, 0), (seen["panels"]!.AsArray().Count, seen["written"]!.GetValue<bool>(), seen["noProcedure"]!.GetValue<int>()));
        Assert.Empty((await lead.Get($"/api/jobs/{job}/loom"))["ends"]!.AsArray());

        Assert.True((await Bring(lead, job, file, write: true))["written"]!.GetValue<bool>());
        var ends = (await lead.Get($"/api/ends?jobId={job}&limit=500"))!.AsArray();
        Assert.Equal((24, "MR-P1:1"), (ends.Count, ends.Select(e => e!["address"]!.GetValue<string>()).Min(StringComparer.Ordinal)));
        Assert.All(ends, e => Assert.Equal(("wedge-locked", "SC", "UPC"), (e!["method"]!.GetValue<string>(), e["form"]!.GetValue<string>(), e["polish"]!.GetValue<string>())));
        var cable = (await lead.Get($"/api/jobs/{job}"))["cables"]![0]!;
        Assert.Equal((86.5, 600, 450, 24), (cable["lengthM"]!.GetValue<double>(), cable["slackAMm"]!.GetValue<double>(), cable["slackBMm"]!.GetValue<double>(), cable["strandCount"]!.GetValue<int>()));
        Assert.Equal((0, 0, 24, 0), Counts(await Bring(lead, job, file, write: true)));

        // A changed file shows the difference first; ports that change places do not stand in each other's way; what it does not name stays.
        var other = Head + Row(1, port: 2) + Row(2, port: 1) + Row(13);
        Assert.Equal((1, 2, 0, 22), Counts(await Bring(lead, job, other)));
        await Bring(lead, job, other, write: true);
        Assert.Equal((0, 0, 3, 22), Counts(await Bring(lead, job, other)));
    }

    [Fact]
    public async Task Every_cell_that_cannot_be_is_named_and_with_one_of_them_nothing_is_written()
    {
        var (_, lead, job) = await Empty(host);
        var file = Head + Row(1) + Row(2, polish: "APC") + Row(3, glass: "OM9") + Row(25) + Row(5, port: 1) + Row(6, length: "90") + Row(1, "TR", "C");
        var answer = await Bring(lead, job, file, write: true);
        Assert.Equal(["G4 unknown-choice", "J7 said-otherwise", "N8 unknown-choice", "P3 said-otherwise"], Faults(answer).Order());
        Assert.False(answer["written"]!.GetValue<bool>());
        Assert.Empty((await lead.Get($"/api/jobs/{job}"))["panels"]!.AsArray());

        // What each row says is right, and they do not go together.
        Assert.Equal(["E3 twice-in-file", "M4 strand-range"], Faults(await Bring(lead, job, Head + Row(1) + Row(2, port: 1) + Row(25, port: 9))));
        Assert.Equal(["R2 stub-class-differs"], Faults(await Bring(lead, job, Head + Row(1, stub: "OM1"))));
        Assert.Equal(["space-code", "port"], (await Bring(lead, job, "Space name;Panel;Cable;Fibre;Construction;Length;Strand;Side;Connector;Polish;Method\nx;P1;T;OM3;drop;5;1;A;SC;UPC;hot-melt\n"))["unmapped"]!.AsArray().Select(x => x!.GetValue<string>()));
    }

    [Fact]
    public async Task What_somebody_has_begun_stays_as_it_is()
    {
        var c = await host.NewCompany();
        var (lead, installer) = (await c.SignIn("lead1"), await c.SignIn("installer1"));
        await SliceTests.Tell(installer, c.Event(c.Ends[0], EventKind.AttemptStarted, new AttemptStarted("wedge-locked-upc-3mm", 4, BatchId.New())));
        string Here(int strand, int port) => $"S1;Space;P1;24;{port};C1;OM3;cordage-3.0;24;100;500;500;{strand};A;SC;UPC;wedge-locked;OM3\n";
        Assert.Equal(["M2 worked-in-file"], Faults(await Bring(lead, c.JobId, Head + Here(1, 20), write: true)));
        Assert.Equal(["E2 port-held"], Faults(await Bring(lead, c.JobId, Head + Here(13, 5))));
        Assert.Equal((0, 0, 1, 11), Counts(await Bring(lead, c.JobId, Head + Here(1, 1))));
    }

    [Theory]
    [InlineData("", "file-missing")]
    [InlineData("PK\u0003\u0004 no sheet at all", "table-unread")]
    [InlineData("a;a\n1;2\n", "heading-twice")]
    [InlineData("only;headings\n", "rows-range")]
    public async Task What_is_no_table_is_refused(string file, string code)
    {
        var (_, lead, job) = await Empty(host);
        Assert.Equal(code, (await Bring(lead, job, file))["code"]!.GetValue<string>());
    }

    [Fact]
    public async Task The_template_opens_as_it_is_and_a_mapping_is_kept_by_name()
    {
        var (_, lead, job) = await Empty(host);
        foreach (var format in new[] { "xlsx", "csv" })
        {
            var file = await (await lead.Send("GET", $"/api/plans/template?format={format}")).Content.ReadAsByteArrayAsync();
            var seen = await lead.File($"/api/jobs/{job}/plan/file", file);
            Assert.Equal(((2, 0, 0, 0), 0), (Counts(seen), seen["faults"]!.AsArray().Count));
        }

        (await lead.Send("PUT", "/api/plans/mappings/Our planner", new { mapping = new { port = "Port no.", strand = "Core" } })).EnsureSuccessStatusCode();
        Assert.Equal("Core", (await lead.Get("/api/plans/columns"))["mappings"]![0]!["mapping"]!["strand"]!.GetValue<string>());
        var mapped = await lead.File($"/api/jobs/{job}/plan/file?mapping={Uri.EscapeDataString("{\"port\":\"no such\"}")}", Encoding.UTF8.GetBytes(Head + Row(1)));
        Assert.Equal(11, mapped["unmapped"]!.AsArray().Count);
        Assert.Equal((HttpStatusCode.BadRequest, "mapping-shape", "mapping"), await lead.Refused("POST", $"/api/jobs/{job}/plan/file?mapping=%5B"));
    }
}
