using System.Net;
using System.Text.Json.Nodes;
using System.Xml.Linq;
using OpenCvSharp;
using Rhabdon.Core.Handover;
using UglyToad.PdfPig;
using Xunit;

namespace Rhabdon.Server.Tests;

/// <summary>Labels at true scale, measured and read from the file by another library than the one that wrote it (PdfPig, OpenCV's reader of codes).</summary>
public sealed class LabelTests(TestHost host)
{
    private const double MmPerPoint = 25.4 / 72;

    private static async Task<byte[]> File(Caller caller, string path)
    {
        var response = await caller.Send("GET", path);
        Assert.True(response.IsSuccessStatusCode, await response.Content.ReadAsStringAsync());
        return await response.Content.ReadAsByteArrayAsync();
    }

    [Fact]
    public async Task A_sheet_lies_where_its_packet_says_to_a_tenth_of_a_millimetre()
    {
        var c = await host.NewCompany();
        var lead = await c.SignIn("lead1");
        foreach (var sheet in LabelSheet.Usual)
        {
            Assert.Empty(sheet.Faults("sheet"));
            using var pdf = PdfDocument.Open(await File(lead, $"/api/labels/test?sheet={Uri.EscapeDataString(sheet.Name)}"));
            var page = pdf.GetPage(1);
            Assert.Equal((sheet.PageWidthMm, sheet.PageHeightMm), (page.Width * MmPerPoint, page.Height * MmPerPoint), Within(0.1));
            var boxes = page.Paths.Where(p => p.IsStroked).Select(p => p.GetBoundingRectangle()).OfType<UglyToad.PdfPig.Core.PdfRectangle>()
                .Select(b => (X: b.Left * MmPerPoint, Y: (page.Height - b.Top) * MmPerPoint, Width: b.Width * MmPerPoint, Height: b.Height * MmPerPoint))
                .Where(b => Math.Abs(b.Width - sheet.LabelWidthMm) < 0.1 && Math.Abs(b.Height - sheet.LabelHeightMm) < 0.1).ToList();
            Assert.Equal(sheet.PerPage, boxes.Count);
            for (var i = 0; i < boxes.Count; i++)
            {
                var (_, x, y) = sheet.Place(i, 1);
                Assert.Equal((x, y), (boxes[i].X, boxes[i].Y), Within(0.1));
            }
        }

        // The rulers are as long as they say.
        using var measured = PdfDocument.Open(await File(lead, $"/api/labels/test?sheet={Uri.EscapeDataString(LabelSheet.Usual[0].Name)}"));
        Assert.Contains(measured.GetPage(1).Paths.Select(p => p.GetBoundingRectangle()), b => b is { } line && Math.Abs((line.Width * MmPerPoint) - 100) < 0.1 && line.Height < 0.1);
    }

    private static Comparer Within(double mm) => new(mm);

    private sealed class Comparer(double mm) : IEqualityComparer<(double, double)>
    {
        public bool Equals((double, double) a, (double, double) b) => Math.Abs(a.Item1 - b.Item1) <= mm && Math.Abs(a.Item2 - b.Item2) <= mm;

        public int GetHashCode((double, double) of) => 0;
    }

    [Fact]
    public async Task Each_label_says_which_end_it_is_and_its_code_opens_that_record()
    {
        var c = await host.NewCompany();
        var lead = await c.SignIn("lead1");
        var count = await lead.Get($"/api/jobs/{c.JobId}/labels");
        Assert.Equal((12, 1, "S1-P1:1|C1 1A blue"), (count["labels"]!.GetValue<int>(), count["pages"]!.GetValue<int>(), string.Join('|', count["example"]!.AsArray())));
        var sheet = LabelSheet.Usual[1];
        using var pdf = PdfDocument.Open(await File(lead, $"/api/jobs/{c.JobId}/labels/file?sheet={Uri.EscapeDataString(sheet.Name)}&start=5"));
        var page = pdf.GetPage(1);
        for (var i = 0; i < 12; i++)
        {
            var (_, x, y) = sheet.Place(i, 5);
            Assert.EndsWith($"/handover/{c.Ends[i]}", Code(page, x, y, sheet));
            var words = string.Concat(page.Letters.Where(l => In(l.StartBaseLine.X * MmPerPoint, (page.Height - l.StartBaseLine.Y) * MmPerPoint, x, y, sheet)).Select(l => l.Value));
            Assert.StartsWith($"S1-P1:{i + 1}C1", words.Replace(" ", "", StringComparison.Ordinal));
        }

        // What was taken off before stays empty.
        Assert.DoesNotContain(page.Letters, l => In(l.StartBaseLine.X * MmPerPoint, (page.Height - l.StartBaseLine.Y) * MmPerPoint, 0, 0.5, sheet));
        var svg = XDocument.Parse(System.Text.Encoding.UTF8.GetString(await File(lead, $"/api/jobs/{c.JobId}/labels/file?format=svg&kind=strand")));
        Assert.Equal(("210mm", "0 0 210 297"), (svg.Root!.Attribute("width")!.Value, svg.Root.Attribute("viewBox")!.Value));
        Assert.Contains(svg.Descendants(), e => e.Value == "C1:12A");
        Assert.Contains(svg.Descendants(), e => e.Value == "AQ");
    }

    [Theory]
    [InlineData("template=%7Bspace%7D-%7Bpanel%7D", "labels-alike", "template")]
    [InlineData("template=%7Brack%7D", "template-field", "template")]
    [InlineData("template=a%0Ab%0Ac%0Ad%0Ae", "template-length", "template")]
    [InlineData("sheet=none", "sheet-unknown", "sheet")]
    [InlineData("start=66", "figure-range", "start")]
    [InlineData("kind=shelf", "unknown-choice", "kind")]
    public async Task Labels_that_cannot_be_are_refused_by_their_field(string asked, string code, string field)
    {
        var c = await host.NewCompany();
        Assert.Equal((HttpStatusCode.BadRequest, code, field), await (await c.SignIn("lead1")).Refused("GET", $"/api/jobs/{c.JobId}/labels?{asked}"));
    }

    [Fact]
    public async Task A_sheet_is_edited_by_whoever_plans_and_one_that_its_page_does_not_hold_is_refused()
    {
        var c = await host.NewCompany();
        var lead = await c.SignIn("lead1");
        JsonObject Sheet(string name, double width) => new() { ["name"] = name, ["pageWidthMm"] = 100, ["pageHeightMm"] = 50, ["columns"] = 2, ["rows"] = 1, ["labelWidthMm"] = width, ["labelHeightMm"] = 40, ["marginLeftMm"] = 5, ["marginTopMm"] = 5, ["gapXMm"] = 2, ["gapYMm"] = 0 };
        (await lead.Send("PUT", "/api/labels/sheets", new { sheets = new[] { Sheet("Rack labels", 44) } })).EnsureSuccessStatusCode();
        Assert.Equal("Rack labels", (await lead.Get("/api/labels/sheets"))["sheets"]![0]!["name"]!.GetValue<string>());
        Assert.Equal(6, (await lead.Get($"/api/jobs/{c.JobId}/labels"))["pages"]!.GetValue<int>());
        Assert.Equal((HttpStatusCode.BadRequest, "labels-beyond-page", "sheets[0].pageWidthMm"), await lead.Refused("PUT", "/api/labels/sheets", new { sheets = new[] { Sheet("Rack labels", 60) } }));
        Assert.Equal((HttpStatusCode.BadRequest, "sheet-name-twice", "sheets"), await lead.Refused("PUT", "/api/labels/sheets", new { sheets = new[] { Sheet("A", 40), Sheet("a ", 40) } }));
    }

    private static bool In(double xMm, double yMm, double left, double top, LabelSheet sheet) => xMm >= left && xMm <= left + sheet.LabelWidthMm && yMm >= top && yMm <= top + sheet.LabelHeightMm;

    private static string Code(UglyToad.PdfPig.Content.Page page, double x, double y, LabelSheet sheet)
    {
        const double PxPerMm = 12;
        using var label = new Mat((int)(sheet.LabelHeightMm * PxPerMm), (int)(sheet.LabelWidthMm * PxPerMm), MatType.CV_8UC1, Scalar.White);
        foreach (var b in page.Paths.Where(p => p.IsFilled && p.FillColor?.ToRGBValues() is (0, 0, 0)).Select(p => p.GetBoundingRectangle()).OfType<UglyToad.PdfPig.Core.PdfRectangle>()
            .Where(b => In(b.Left * MmPerPoint, (page.Height - b.Top) * MmPerPoint, x, y, sheet)))
        {
            var (left, top) = (((b.Left * MmPerPoint) - x) * PxPerMm, (((page.Height - b.Top) * MmPerPoint) - y) * PxPerMm);
            Cv2.Rectangle(label, new Point(left, top), new Point(left + (b.Width * MmPerPoint * PxPerMm) - 1, top + (b.Height * MmPerPoint * PxPerMm) - 1), Scalar.Black, -1);
        }

        using var reader = new QRCodeDetector();
        return reader.DetectAndDecode(label, out _);
    }
}
