using System.IO.Compression;
using System.Net;
using System.Security.Cryptography;
using System.Text;
using System.Text.Json.Nodes;
using OpenCvSharp;
using Rhabdon.Core.Handover;
using Rhabdon.Core.Ledger;
using UglyToad.PdfPig;
using UglyToad.PdfPig.DocumentLayoutAnalysis.TextExtractor;
using Xunit;

namespace Rhabdon.Server.Tests;

/// <summary>The proof of a job: on paper, sealed, by a link; read back by other libraries than those that wrote it (PdfPig, OpenCV's reader of codes, the platform's ECDSA).</summary>
public sealed class HandoverTests(TestHost host)
{
    /// <summary>Asks for a dossier and waits until it is drawn.</summary>
    internal static async Task<JsonNode> Paper(Caller caller, TestCompany c, string edition, bool names = false, bool exceptionsOnly = false, EventId? handover = null)
    {
        var asked = await Read(await caller.Post($"/api/jobs/{c.JobId}/dossiers", new { edition, names, exceptionsOnly, pictures = true, handover }));
        for (var n = 0; n < 600; n++)
        {
            var now = await caller.Get($"/api/dossiers/{asked["dossierId"]}");
            if (now["stage"]!.GetValue<string>() is not ("waiting" or "drawing"))
            {
                Assert.Equal("done", now["stage"]!.GetValue<string>());
                return now;
            }

            await Task.Delay(100);
        }

        throw new TimeoutException("The dossier was not drawn within a minute.");
    }

    private static async Task<JsonNode> Read(HttpResponseMessage response)
    {
        var text = await response.Content.ReadAsStringAsync();
        Assert.True(response.IsSuccessStatusCode, text);
        return JsonNode.Parse(text)!;
    }

    private static async Task<byte[]> File(Caller caller, JsonNode paper, string what) => await (await caller.Send("GET", $"/api/dossiers/{paper["dossierId"]}/{what}")).Content.ReadAsByteArrayAsync();

    private static string Text(PdfDocument pdf) => string.Join('\n', pdf.GetPages().Select(p => ContentOrderTextExtractor.GetText(p)));

    [Fact]
    public async Task The_paper_says_what_the_ledger_says_and_the_same_ledger_gives_the_same_bytes()
    {
        var c = await host.NewCompany();
        var (lead, installer) = (await c.SignIn("lead1"), await c.SignIn("installer1"));
        foreach (var end in c.Ends.Take(3))
        {
            await SliceTests.Accept(c, installer, end);
        }

        var (first, again, own) = (await Paper(lead, c, "customer"), await Paper(lead, c, "customer"), await Paper(lead, c, "company", names: true));
        var (pdf, data) = (await File(lead, first, "file"), JsonNode.Parse(await File(lead, first, "data"))!);
        Assert.Equal(pdf, await File(lead, again, "file"));
        Assert.Equal((3, 12), (data["summary"]!["proven"]!.GetValue<int>(), data["summary"]!["planned"]!.GetValue<int>()));

        using var book = PdfDocument.Open(pdf);
        var text = Text(book);
        Assert.Contains("3 of 12 connectors are proven", text);
        foreach (var end in data["ends"]!.AsArray().Where(e => e!["status"]!.GetValue<string>() == "accepted"))
        {
            Assert.Contains(end!["address"]!.GetValue<string>(), text);
            foreach (var loss in end["losses"]!.AsArray())
            {
                Assert.Contains(FormattableString.Invariant($"{loss!["lossDb"]!.GetValue<double>():0.00} / {loss["limitDb"]!.GetValue<double>():0.00}"), text);
            }
        }

        // The customer's names nobody and counts no attempts; the company's own says both.
        using var ours = PdfDocument.Open(await File(lead, own, "file"));
        Assert.Equal((false, true), (text.Contains("Installer 1"), Text(ours).Contains("Installer 1")));
        Assert.Equal((false, true), (text.Contains("Attempts"), Text(ours).Contains("Attempts")));
        Assert.DoesNotContain("Installer 1", data.ToJsonString());

        // For those who listen, for those who look things up, and wherever it is opened.
        Assert.True(book.Structure.Catalog.CatalogDictionary.ContainsKey(UglyToad.PdfPig.Tokens.NameToken.Create("StructTreeRoot")));
        Assert.True(book.TryGetBookmarks(out var bookmarks));
        Assert.Contains(bookmarks.Roots, b => b.Title == "S1-P1");
        Assert.Equal(("Customer, Site", $"rhabdon-dossier/1 sha256 {first["checkCode"]!.GetValue<string>().Replace("-", "", StringComparison.Ordinal).ToLowerInvariant()}"), (book.Information.Title, book.Information.Keywords![..("rhabdon-dossier/1 sha256 ".Length + 16)]));
        Assert.All(book.GetPages(), p => Assert.Contains($"Page {p.Number} of {book.NumberOfPages}", ContentOrderTextExtractor.GetText(p)));
        Assert.All(book.GetPages().SelectMany(p => p.Letters).Select(l => l.FontName).Distinct(), f => Assert.Matches("^[A-Z]{6}\\+DejaVu", f));

        // The printed code, read off the page as a camera does.
        Assert.EndsWith($"/check/{first["checkCode"]}", Code(book.GetPage(1)));
    }

    /// <summary>Draws the dark squares of a page and reads the QR code in them.</summary>
    private static string Code(UglyToad.PdfPig.Content.Page page)
    {
        const double Scale = 4;
        using var sheet = new Mat((int)(page.Height * Scale), (int)(page.Width * Scale), MatType.CV_8UC1, Scalar.White);
        foreach (var box in page.Paths.Where(p => p.IsFilled && p.FillColor?.ToRGBValues() is (0, 0, 0)).Select(p => p.GetBoundingRectangle()).OfType<UglyToad.PdfPig.Core.PdfRectangle>())
        {
            Cv2.Rectangle(sheet, new Point(box.Left * Scale, (page.Height - box.Top) * Scale), new Point((box.Right * Scale) - 1, ((page.Height - box.Bottom) * Scale) - 1), Scalar.Black, -1);
        }

        using var reader = new QRCodeDetector();
        return reader.DetectAndDecode(sheet, out _);
    }

    [Fact]
    public async Task A_seal_holds_for_what_was_sealed_and_for_nothing_else()
    {
        var c = await host.NewCompany();
        var lead = await c.SignIn("lead1");
        await SliceTests.Accept(c, await c.SignIn("installer1"), c.Ends[0]);
        var paper = await Paper(lead, c, "customer");
        var (pdf, data, seal) = (await File(lead, paper, "file"), await File(lead, paper, "data"), Seals.Read(await File(lead, paper, "seal"))!);
        Assert.Equal(SealFinding.Whole, Seals.Check(seal, pdf, data));

        // By the platform's own library, as docs/formats tells it, and not by ours.
        using var key = ECDsa.Create();
        key.ImportSubjectPublicKeyInfo(Convert.FromBase64String(seal.PublicKey), out _);
        var message = string.Join('\n', seal.Format, seal.Company, seal.Customer, seal.Site, "customer", "-", Convert.ToHexStringLower(SHA256.HashData(data)), Convert.ToHexStringLower(SHA256.HashData(pdf)),
            NodaTime.Text.InstantPattern.ExtendedIso.Format(seal.SealedAt), Convert.ToHexStringLower(SHA256.HashData(Convert.FromBase64String(seal.PublicKey)))[..32]);
        Assert.True(key.VerifyData(Encoding.UTF8.GetBytes(message), Convert.FromBase64String(seal.Signature), HashAlgorithmName.SHA256));

        var changed = (byte[])pdf.Clone();
        changed[changed.Length / 2] ^= 1;
        Assert.Equal(SealFinding.OtherFile, Seals.Check(seal, changed, data));
        Assert.Equal(SealFinding.OtherData, Seals.Check(seal, pdf, [.. data, (byte)' ']));
        Assert.Equal(SealFinding.BadSignature, Seals.Check(seal with { Customer = "Somebody else" }, pdf, data));
        using var forger = ECDsa.Create(ECCurve.NamedCurves.nistP256);
        Assert.Equal(SealFinding.BadSignature, Seals.Check(Seals.Sign(seal, forger), pdf, data, trusted: seal.KeyId));
        Assert.Equal(SealFinding.BadSignature, Seals.Check(seal with { PublicKey = "no key" }, pdf, data));

        // Whose key it is, anybody may ask; another paper is sealed with the same.
        var owner = await (await host.Visit()).Get($"/api/check/keys/{seal.KeyId}");
        Assert.Equal(seal.Company, owner["company"]!.GetValue<string>());
        Assert.Equal(seal.KeyId, Seals.Read(await File(lead, await Paper(lead, c, "company"), "seal"))!.KeyId);
    }

    [Fact]
    public async Task Whoever_holds_the_paper_is_told_what_has_changed_since()
    {
        var c = await host.NewCompany();
        var (lead, installer, anybody) = (await c.SignIn("lead1"), await c.SignIn("installer1"), await host.Visit());
        await SliceTests.Accept(c, installer, c.Ends[0]);
        var code = (await Paper(lead, c, "customer"))["checkCode"]!.GetValue<string>();
        var before = (await anybody.Get($"/api/check/{code.ToLowerInvariant()}"))[0]!;
        Assert.Equal((1, 12, 0), (before["proven"]!.GetValue<int>(), before["planned"]!.GetValue<int>(), before["changedCount"]!.GetValue<int>()));

        await SliceTests.Accept(c, installer, c.Ends[1]);
        (await (await c.SignIn("office")).Send("DELETE", $"/api/jobs/{c.JobId}/plan/end/{c.Ends[11]}")).EnsureSuccessStatusCode();
        var after = (await anybody.Get($"/api/check/{code}"))[0]!;
        Assert.Equal(["S1-P1:2 proven", "S1-P1:12 dropped"], after["changed"]!.AsArray().Select(x => $"{x!["address"]} {string.Join(' ', x["changes"]!.AsArray())}"));

        Assert.Equal((HttpStatusCode.BadRequest, "check-code-shape", "code"), await anybody.Refused("GET", "/api/check/12-34"));
        Assert.Equal((HttpStatusCode.NotFound, "check-code-unknown", "code"), await anybody.Refused("GET", "/api/check/FFFF-0000-FFFF-0000"));
    }

    [Fact]
    public async Task A_link_opens_one_job_to_look_at_until_it_ends_or_is_revoked()
    {
        var c = await host.NewCompany();
        var (lead, installer, anybody) = (await c.SignIn("lead1"), await c.SignIn("installer1"), await host.Visit());
        await SliceTests.Accept(c, installer, c.Ends[0]);
        await SliceTests.Tell(installer, c.Event(c.Ends[1], EventKind.AttemptStarted, new AttemptStarted("wedge-locked-upc-3mm", 4, BatchId.New())));
        var made = await Read(await lead.Post($"/api/jobs/{c.JobId}/links", new { name = "The keeper", days = 30 }));
        var secret = made["address"]!.GetValue<string>().Split('#')[1];
        async Task<HttpResponseMessage> Open(string path, string with)
        {
            var request = new HttpRequestMessage(HttpMethod.Get, path);
            request.Headers.Add("X-Rhabdon-Link", with);
            return await anybody.SendAsIs(request);
        }

        var shared = await Read(await Open("/api/shared", secret));
        var ends = shared["dossier"]!["ends"]!.AsArray();
        Assert.Equal((12, 1), (ends.Count, ends.Count(e => e!["losses"]!.AsArray().Count > 0)));
        Assert.DoesNotContain("Installer", shared.ToJsonString());
        Assert.All(ends, e => Assert.Null(e!["attempts"]));
        Assert.Equal("none", ends[1]!["verdict"]!.GetValue<string>());

        // What was handed over is there on paper; a copy is not.
        var copy = await Paper(lead, c, "customer");
        var said = c.Said(StreamKind.Job, c.JobId, StreamEventKind.HandedOver, new HandedOver("The keeper"), "lead1");
        await StreamTests.Send(lead, said);
        var handed = await Paper(lead, c, "customer", handover: said.Id);
        Assert.Equal(1, handed["handover"]!.GetValue<int>());
        Assert.Equal([handed["dossierId"]!.GetValue<Guid>()], (await Read(await Open("/api/shared", secret)))["papers"]!.AsArray().Select(p => p!["dossierId"]!.GetValue<Guid>()));
        Assert.Equal(HttpStatusCode.OK, (await Open($"/api/shared/papers/{handed["dossierId"]}", secret)).StatusCode);
        Assert.Equal(HttpStatusCode.NotFound, (await Open($"/api/shared/papers/{copy["dossierId"]}", secret)).StatusCode);
        Assert.Equal(HttpStatusCode.NotFound, (await Open("/api/shared", secret[..^1] + (secret[^1] == 'A' ? 'B' : 'A'))).StatusCode);

        var line = (await lead.Get($"/api/jobs/{c.JobId}/links"))[0]!;
        Assert.Equal(("The keeper", 2), (line["name"]!.GetValue<string>(), line["opened"]!.GetValue<int>()));
        Assert.Equal(2, (await lead.Get($"/api/jobs/{c.JobId}/links/{made["linkId"]}/openings")).AsArray().Count);
        (await lead.Send("DELETE", $"/api/jobs/{c.JobId}/links/{made["linkId"]}")).EnsureSuccessStatusCode();
        Assert.Equal(HttpStatusCode.NotFound, (await Open("/api/shared", secret)).StatusCode);
        var late = (await Read(await lead.Post($"/api/jobs/{c.JobId}/links", new { name = "Late", days = 1 })))["address"]!.GetValue<string>().Split('#')[1];
        await host.Scalar<int>("with t as (update job_link set expires_at = now() - interval '1 second' where company_id = $1 and name = 'Late' returning 1) select count(*)::int from t", c.Id);
        Assert.Equal(HttpStatusCode.NotFound, (await Open("/api/shared", late)).StatusCode);
        Assert.Equal((HttpStatusCode.BadRequest, "figure-range", "days"), await lead.Refused("POST", $"/api/jobs/{c.JobId}/links", new { name = "X", days = 401 }));
    }

    [Fact]
    public async Task Before_it_is_handed_over_it_is_said_what_is_open_and_afterwards_what_has_changed()
    {
        var c = await host.NewCompany();
        var (lead, installer) = (await c.SignIn("lead1"), await c.SignIn("installer1"));
        await SliceTests.Accept(c, installer, c.Ends[0]);
        await SliceTests.Tell(installer, c.Event(c.Ends[1], EventKind.AttemptStarted, new AttemptStarted("wedge-locked-upc-3mm", 4, BatchId.New())));
        var checks = (await lead.Get($"/api/jobs/{c.JobId}/handover"))["checks"]!.AsArray().ToDictionary(x => x!["kind"]!.GetValue<string>(), x => x!["count"]!.GetValue<int>());
        Assert.Equal((10, 1, 1, 0), (checks["open"], checks["at-bench"], checks["no-picture"], checks["marginal"]));

        var first = c.Said(StreamKind.Job, c.JobId, StreamEventKind.HandedOver, new HandedOver("The keeper"), "lead1");
        await StreamTests.Send(lead, first);
        await Paper(lead, c, "customer", handover: first.Id);
        await SliceTests.Accept(c, installer, c.Ends[2]);
        var since = await lead.Get($"/api/jobs/{c.JobId}/handover");
        Assert.Equal(["S1-P1:3"], since["sinceLast"]!.AsArray().Select(x => x!["address"]!.GetValue<string>()));
        var second = c.Said(StreamKind.Job, c.JobId, StreamEventKind.HandedOver, new HandedOver("The keeper's mate"), "lead1");
        await StreamTests.Send(lead, second);
        await Paper(lead, c, "customer", handover: second.Id);
        var both = (await lead.Get($"/api/jobs/{c.JobId}/handover"))["handovers"]!.AsArray();
        Assert.Equal([(2, "The keeper's mate", 2, 1), (1, "The keeper", 1, null)], both.Select(h => (h!["no"]!.GetValue<int>(), h["to"]!.GetValue<string>(), h["proven"]!.GetValue<int>(), h["changed"]?.GetValue<int>())));
        Assert.Equal((HttpStatusCode.BadRequest, "handover-unknown", "handover"), await lead.Refused("POST", $"/api/jobs/{c.JobId}/dossiers", new { edition = "customer", handover = EventId.New() }));
    }

    private static async Task<HttpResponseMessage> Carry(Caller to, byte[] zip) =>
        await to.SendAsIs(new(HttpMethod.Post, "/api/jobs/archive") { Content = new ByteArrayContent(zip) { Headers = { ContentType = new("application/zip") } } });

    [Fact]
    public async Task An_archive_gives_an_empty_company_the_same_record_and_the_same_dossier_to_the_byte()
    {
        var c = await host.NewCompany();
        var (lead, installer) = (await c.SignIn("lead1"), await c.SignIn("installer1"));
        foreach (var end in c.Ends.Take(2))
        {
            await SliceTests.Accept(c, installer, end);
        }

        await SliceTests.Tell(installer, c.Event(c.Ends[2], EventKind.AttemptStarted, new AttemptStarted("wedge-locked-upc-3mm", 4, BatchId.New())));
        await StreamTests.Send(lead, c.Said(StreamKind.Job, c.JobId, StreamEventKind.HandedOver, new HandedOver("The keeper"), "lead1"));
        await installer.File($"/api/panels/{c.PanelId}/pictures", Cv2.ImEncode(".png", new Mat(400, 600, MatType.CV_8UC3, Scalar.White), out var png) ? png : [], "image/png");
        Assert.Equal(1L, await host.Scalar<long>("select count(*) from evidence where company_id = $1", c.Id));
        var own = await Paper(lead, c, "company", names: true);
        var zip = await File(lead, own, "archive");

        var to = await host.EmptyCompany();
        var carried = await Read(await Carry(to, zip));
        Assert.Equal((12, true), (carried["ends"]!.GetValue<int>(), carried["sameDossier"]!.GetValue<bool>()));
        var again = await Read(await to.Post($"/api/jobs/{carried["jobId"]}/dossiers", new { edition = "company", names = true, pictures = true }));
        JsonNode paper;
        do
        {
            await Task.Delay(100);
            paper = await to.Get($"/api/dossiers/{again["dossierId"]}");
        }
        while (paper["stage"]!.GetValue<string>() is "waiting" or "drawing");
        Assert.Equal(await File(lead, own, "data"), await File(to, paper, "data"));
        Assert.Equal(await File(lead, own, "file"), await File(to, paper, "file"));
        // What was carried over carries on: the archive of the archive is the record again.
        // Of each end, and of each of the rest, in the same order.
        static IEnumerable<string> Told(byte[] zip) => Part(zip, "record.json")["events"]!.AsArray().GroupBy(e => (e!["event"]!["endId"] ?? e["event"]!["streamId"])!.ToString()).OrderBy(g => g.Key, StringComparer.Ordinal).SelectMany(g => g.Select(e => e!.ToJsonString()));
        Assert.Equal(Told(zip), Told(await File(to, paper, "archive")));
        Assert.Equal(await host.Scalar<long>("select count(*) from ledger where company_id = $1", c.Id), carried["events"]!.GetValue<int>());
        Assert.Single((await to.Get($"/api/jobs/{carried["jobId"]}/handover"))["handovers"]!.AsArray());

        // Whoever worked there has a name here, and no way in; the sealed paper names the company that sealed it.
        Assert.DoesNotContain("Installer 1", (await to.Get("/api/people")).ToJsonString());
        Assert.NotEqual(Seals.Read(await File(lead, own, "seal"))!.Company, Seals.Read(await File(to, paper, "seal"))!.Company);

        // Not twice, not the customer's, and nothing of what cannot be.
        static async Task<string> Why(HttpResponseMessage r) => JsonNode.Parse(await r.Content.ReadAsStringAsync())! is var said ? $"{(int)r.StatusCode} {said["code"]} {said["field"]}" : "";
        Assert.Equal("422 record-company-filled archive", await Why(await Carry(to, zip)));
        var third = await host.EmptyCompany();
        Assert.Equal("422 record-missing archive", await Why(await Carry(third, await File(lead, await Paper(lead, c, "customer"), "archive"))));
        Assert.Equal("422 record-format archive", await Why(await Carry(third, png)));
        Assert.Equal("422 record-format archive", await Why(await Carry(third, [0x50, 0x4b, 0x03]))); // Shorter than the end of any ZIP.
        Assert.Equal("422 record-damaged events.3", await Why(await Carry(third, With(zip, r => r["events"]![3]!["event"]!["attempt"] = 7))));
        Assert.Equal("422 record-damaged rows.panel", await Why(await Carry(third, With(zip, r => r["rows"]!["panel"]![0]!["ports"] = "many"))));
        Assert.Equal("422 record-damaged rows.space", await Why(await Carry(third, With(zip, r => r["rows"]!["job"]!.AsArray().Clear()))));
        Assert.Equal("422 record-damaged files", await Why(await Carry(third, With(zip, r => r["rows"]!["evidence"]![0]!["content_hash"] = "\\x" + new string('0', 64)))));
        // What unpacks to more than it may (a hundred times as much as was sent), and to other than it says.
        Assert.Equal("422 record-damaged record.json", await Why(await Carry(third, Swollen(zip, 161 << 20))));
        var lies = Swollen(zip, 1 << 20);
        foreach (var says in new[] { (1 << 20) - 1, (1 << 20) + 1 })
        {
            foreach (var at in Enumerable.Range(0, lies.Length - 4).Where(i => BitConverter.ToInt32(lies, i) is (1 << 20) - 1 or 1 << 20 or (1 << 20) + 1).ToList())
            {
                BitConverter.GetBytes(says).CopyTo(lies, at);
            }

            Assert.StartsWith("422 record-damaged record.json", await Why(await Carry(third, lies)));
        }

        Assert.Empty((await third.Get("/api/jobs")).AsArray());
        (await Carry(third, zip)).EnsureSuccessStatusCode();
    }

    private static JsonNode Part(byte[] zip, string path)
    {
        using var read = new ZipArchive(new MemoryStream(zip));
        return JsonNode.Parse(read.GetEntry(path)!.Open())!;
    }

    /// <summary>The same archive with a record of so many blanks.</summary>
    private static byte[] Swollen(byte[] zip, int bytes)
    {
        using var to = new MemoryStream();
        to.Write(zip);
        using (var into = new ZipArchive(to, ZipArchiveMode.Update, leaveOpen: true))
        {
            into.GetEntry("record.json")!.Delete();
            using var entry = into.CreateEntry("record.json").Open();
            var blanks = new byte[1 << 20];
            Array.Fill(blanks, (byte)' ');
            for (var n = 0; n < bytes; n += blanks.Length)
            {
                entry.Write(blanks);
            }
        }

        return to.ToArray();
    }

    /// <summary>The same archive with something else in its record.</summary>
    private static byte[] With(byte[] zip, Action<JsonNode> change)
    {
        var record = Part(zip, "record.json");
        change(record);
        using var to = new MemoryStream();
        to.Write(zip);
        using (var into = new ZipArchive(to, ZipArchiveMode.Update, leaveOpen: true))
        {
            into.GetEntry("record.json")!.Delete();
            using var entry = into.CreateEntry("record.json").Open();
            entry.Write(Encoding.UTF8.GetBytes(record.ToJsonString()));
        }

        return to.ToArray();
    }

    /// <summary>A photo that says where it was taken and how the telephone was held (EXIF: orientation 6, and a maker's note).</summary>
    [Fact]
    public async Task A_photo_is_kept_upright_and_without_what_its_file_says_of_place_and_camera()
    {
        var c = await host.NewCompany();
        var (lead, installer) = (await c.SignIn("lead1"), await c.SignIn("installer1"));
        await SliceTests.Accept(c, installer, c.Ends[0]);
        using var scene = new Mat(120, 200, MatType.CV_8UC3, new Scalar(40, 40, 200));
        Cv2.Rectangle(scene, new Rect(0, 0, 100, 120), new Scalar(200, 60, 40), -1);
        Cv2.ImEncode(".jpg", scene, out var jpeg);
        byte[] exif = [0xFF, 0xE1, 0, 0x48, .. "Exif\0\0MM\0*"u8, 0, 0, 0, 8, 0, 2, 0x01, 0x12, 0, 3, 0, 0, 0, 1, 0, 6, 0, 0, 0x01, 0x0F, 0, 2, 0, 0, 0, 20, 0, 0, 0, 38, 0, 0, 0, 0, .. "54.5N 1.2W telephone"u8, .. new byte[4]];
        exif[3] = (byte)(exif.Length - 2);
        var kept = await installer.File($"/api/panels/{c.PanelId}/pictures", [.. jpeg[..2], .. exif, .. jpeg[2..]], "image/jpeg");
        var line = (await lead.Get($"/api/panels/{c.PanelId}/evidence"))[0]!;
        Assert.Equal((kept["pictureId"]!.GetValue<Guid>(), "image/jpeg"), (line["evidenceId"]!.GetValue<Guid>(), line["contentType"]!.GetValue<string>()));
        var stored = await host.Scalar<byte[]>("select f.bytes from evidence e join file f on f.company_id = e.company_id and f.content_hash = e.content_hash where e.company_id = $1 and e.panel_id is not null", c.Id);
        Assert.Equal(-1, stored.AsSpan().IndexOf("telephone"u8));
        using var upright = Cv2.ImDecode(stored, ImreadModes.Color);
        Assert.Equal((120, 200), (upright.Width, upright.Height));
        var top = upright.At<Vec3b>(20, 60);
        Assert.True(top.Item0 > 150 && top.Item2 < 90, $"{top.Item0} {top.Item1} {top.Item2}");

        // On paper where it was chosen, and else not.
        var asked = await Read(await lead.Post($"/api/jobs/{c.JobId}/dossiers", new { edition = "customer", photos = true }));
        JsonNode made;
        do
        {
            await Task.Delay(100);
            made = await lead.Get($"/api/dossiers/{asked["dossierId"]}");
        }
        while (made["stage"]!.GetValue<string>() is "waiting" or "drawing");
        using var book = PdfDocument.Open(await File(lead, made, "file"));
        Assert.Single(book.GetPages().SelectMany(p => p.GetImages()));
        Assert.Contains("Photos", Text(book));
        using var without = PdfDocument.Open(await File(lead, await Paper(lead, c, "customer"), "file"));
        Assert.Empty(without.GetPages().SelectMany(p => p.GetImages()));
    }

    [Fact]
    public async Task A_companys_mark_is_kept_as_a_picture_and_nothing_else_of_its_file()
    {
        var c = await host.NewCompany();
        var office = await c.SignIn("office");
        using var mark = new Mat(120, 400, MatType.CV_8UC4, new Scalar(91, 96, 13, 0));
        Cv2.Rectangle(mark, new Rect(40, 30, 120, 60), new Scalar(91, 96, 13, 255), -1);
        Cv2.ImEncode(".png", mark, out var png);
        var hidden = Encoding.ASCII.GetBytes("<script>alert(1)</script>");
        var content = new ByteArrayContent([.. png, .. hidden]);
        content.Headers.ContentType = new("image/png");
        (await office.SendAsIs(new(HttpMethod.Put, "/api/letterhead/mark") { Content = content })).EnsureSuccessStatusCode();
        var kept = await (await office.Send("GET", "/api/letterhead/mark")).Content.ReadAsByteArrayAsync();
        Assert.Equal(-1, kept.AsSpan().IndexOf(hidden));
        using var read = Cv2.ImDecode(kept, ImreadModes.Color);
        // What let the ground through is white, as paper is.
        Assert.Equal((new Vec3b(255, 255, 255), new Vec3b(91, 96, 13)), (read.At<Vec3b>(5, 5), read.At<Vec3b>(60, 100)));
        (await office.Send("PUT", "/api/letterhead", new { foot = "By the harbour, Gullrock" })).EnsureSuccessStatusCode();
        using var book = PdfDocument.Open(await File(office, await Paper(office, c, "company"), "file"));
        Assert.Single(book.GetPage(1).GetImages());
        Assert.Contains("By the harbour, Gullrock", Text(book));
        Assert.Equal((HttpStatusCode.BadRequest, "name-length", "foot"), await office.Refused("PUT", "/api/letterhead", new { foot = new string('x', 161) }));
    }
}
