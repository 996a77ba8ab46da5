using System.Net;
using System.Text.Json.Nodes;
using Rhabdon.Core;
using Rhabdon.Core.Ledger;
using Xunit;

namespace Rhabdon.Server.Tests;

/// <summary>Yield over HTTP: who sees what, who is named, and that what is counted is what was made.</summary>
public sealed class YieldApiTests(TestHost host)
{
    /// <summary>Three given up by the first crew's installer and one by its lead, none by the second crew.</summary>
    private async Task<TestCompany> Worked()
    {
        var c = await host.NewCompany();
        foreach (var (login, ends) in new[] { ("installer1", c.Ends.Take(3)), ("lead1", c.Ends.Skip(3).Take(1)) })
        {
            var who = await c.SignIn(login);
            foreach (var end in ends)
            {
                var begun = c.Event(end, EventKind.AttemptStarted, new AttemptStarted("wedge-locked-upc-3mm", 4, Preflight: [new("sharps", SystemClock.Instance.GetCurrentInstant(), Lot: "A-17")]), by: login);
                await StreamTests.Send(who, begun);
                await StreamTests.Send(who, c.Event(end, EventKind.AttemptClosed, new AttemptClosed(begun.Id.As<Ids.Run>(), Core.Rework.ReworkReason.CleaveAngleOrChip, true), by: login));
            }
        }

        await host.Facts();
        return c;
    }

    private static (long, long) Made(JsonNode yield) => (yield["made"]!.GetValue<long>(), yield["passed"]!.GetValue<long>());

    [Fact]
    public async Task Everybody_sees_their_own_leads_their_crews_the_office_all()
    {
        var c = await Worked();
        var (office, lead, installer, other, viewer) = (await c.SignIn("office"), await c.SignIn("lead1"), await c.SignIn("installer1"), await c.SignIn("lead2"), await c.SignIn("viewer"));
        Assert.Equal([(4L, 0L), (4, 0), (3, 0), (0, 0)], new[] { Made(await office.Get("/api/yield")), Made(await lead.Get("/api/yield")), Made(await installer.Get("/api/yield")), Made(await other.Get("/api/yield")) });
        Assert.Equal(HttpStatusCode.Forbidden, (await viewer.Send("GET", "/api/yield")).StatusCode);
        var group = (await lead.Get("/api/yield?by=lot"))["groups"]!.AsArray().Single()!;
        Assert.Equal(("A-17", 4, 0.0), (group["key"]!.GetValue<string>(), group["rate"]!["made"]!.GetValue<int>(), group["rate"]!["rate"]!.GetValue<double>()));
        var reason = (await lead.Get("/api/yield"))["reasons"]!.AsArray().Single()!;
        Assert.Equal(("cleave-angle-or-chip", 4), (reason["reason"]!.GetValue<string>(), reason["count"]!.GetValue<int>()));
        Assert.Equal(4, (await lead.Get("/api/yield/ends?by=lot&key=A-17")).AsArray().Count);
        Assert.Empty((await other.Get("/api/yield/ends?by=lot&key=A-17")).AsArray());
        Assert.Equal((0L, 0L), Made(await lead.Get("/api/yield?method=cold-cure")));
        Assert.Equal((0L, 0L), Made(await lead.Get("/api/yield?from=2001-01-01&to=2001-12-31")));
        Assert.Equal((HttpStatusCode.BadRequest, "days-order", "from"), await lead.Refused("GET", "/api/yield?from=2026-02-01&to=2026-01-01"));
        var csv = await (await lead.Send("GET", "/api/yield/file?by=method")).Content.ReadAsStringAsync();
        Assert.Contains("wedge-locked,4,0,0,0,", csv.TrimStart('\ufeff'));
        // By two keys at once, held against each other, and one by one by their losses.
        var crossed = (await lead.Get("/api/yield?by=lot&and=method"))["crossed"]!["cells"]!.AsArray().Single()!;
        Assert.Equal(("A-17", "wedge-locked", 4), (crossed["key"]!.GetValue<string>(), crossed["and"]!.GetValue<string>(), crossed["made"]!.GetValue<int>()));
        Assert.Equal(4, (await lead.Get("/api/yield/ends?by=lot&key=A-17&and=method&andKey=wedge-locked")).AsArray().Count);
        Assert.Empty((await lead.Get("/api/yield/ends?by=lot&key=A-17&and=method&andKey=cold-cure")).AsArray());
        Assert.Equal((HttpStatusCode.BadRequest, "name-length", "andKey"), await lead.Refused("GET", "/api/yield/ends?by=lot&key=A-17&and=method"));
        Assert.False((await lead.Get("/api/yield/compare?by=lot&key=A-17&other=A-18"))["enough"]!.GetValue<bool>());
        Assert.All((await lead.Get("/api/yield?by=school"))["groups"]!.AsArray(), g => Assert.Contains("=", g!["key"]!.GetValue<string>()));
        var losses = await lead.Get("/api/yield/losses?by=lot");
        Assert.Equal(losses["counted"]!.GetValue<int>(), losses["found"]!["groups"]!.AsArray().Sum(g => g!["count"]!.GetValue<int>()));
        Assert.Equal((0L, 0L), Made(await other.Get("/api/yield?by=lot&and=tool")));
        // The days count what the facts are, whatever was made anew meanwhile.
        Assert.True(await host.Scalar<bool>("""
            select (select row(sum(made), sum(passed), sum(accepted), sum(parts_lost), round(sum(rework_minutes)::numeric, 6))::text from yield_day where company_id = $1 and job_id is null)
                 = (select row(count(*), count(*) filter (where first_pass), count(*) filter (where outcome = 'accepted'), sum(parts_lost), round(sum(rework_minutes)::numeric, 6))::text from fact_attempt where company_id = $1 and outcome <> 'open')
            """, c.Id.Value));
        Assert.Equal(await host.Scalar<decimal>("select sum(made) from yield_day where company_id = $1 and job_id is null", c.Id.Value), await host.Scalar<decimal>("select sum(made) from yield_day where company_id = $1 and job_id is not null", c.Id.Value));
        // One field finds the lot, for whoever sees its connectors.
        Assert.Contains((await lead.Get("/api/search?find=a-1")).AsArray(), h => (h!["kind"]!.GetValue<string>(), h["name"]!.GetValue<string>()) == ("lot", "A-17"));
        Assert.DoesNotContain((await other.Get("/api/search?find=a-1")).AsArray(), h => h!["kind"]!.GetValue<string>() == "lot");
        Assert.DoesNotContain((await installer.Get("/api/search?find=in")).AsArray(), h => h!["kind"]!.GetValue<string>() == "person");
        Assert.Equal((HttpStatusCode.BadRequest, "figure-range", "find"), await lead.Refused("GET", "/api/search?find=a"));
        Assert.Empty((await office.Get("/api/yield/findings")).AsArray()); // four are never spoken of
    }

    [Fact]
    public async Task People_are_named_only_where_the_company_says_so_and_oneself_always()
    {
        var c = await Worked();
        var (office, lead, installer) = (await c.SignIn("office"), await c.SignIn("lead1"), await c.SignIn("installer1"));
        async Task<string[]> Named(Caller who) => [.. (await who.Get("/api/yield?by=person"))["groups"]!.AsArray().Select(g => g!["name"]?.GetValue<string>() ?? "–")];
        Assert.Equal(["–", "–"], await Named(office));
        Assert.Single(await Named(lead), n => n != "–");
        Assert.Single(await Named(installer), n => n != "–");
        var installerId = (await installer.Get("/api/session"))["person"]!["personId"]!.GetValue<string>();
        Assert.DoesNotContain(installerId, (await (await lead.Send("GET", "/api/yield?by=person")).Content.ReadAsStringAsync()));
        Assert.Equal((HttpStatusCode.Forbidden, "people-not-named", "key"), await lead.Refused("GET", $"/api/yield/ends?by=person&key={installerId}"));
        foreach (var (query, field) in new[] { ("?by=crew&and=person", "and"), ("/losses?by=person", "by"), ($"/compare?by=person&key={installerId}&other={installerId}", "by"), ($"/ends?by=crew&key=x&and=person&andKey={installerId}", "andKey") })
        {
            Assert.Equal((HttpStatusCode.Forbidden, "people-not-named", field), await lead.Refused("GET", $"/api/yield{query}"));
        }

        (await office.Send("PUT", "/api/yield/settings", new { namesPeople = true })).EnsureSuccessStatusCode();
        Assert.DoesNotContain("–", await Named(office));
        Assert.Equal(3, (await lead.Get($"/api/yield/ends?by=person&key={installerId}")).AsArray().Count);
    }

    /// <summary>A shard that a container lacks is the connectors' that made it; rework costs what time and part do; a confirmed cause moves what is taken for likely.</summary>
    [Fact]
    public async Task Shards_cost_and_confirmed_causes_are_counted_by_group()
    {
        var c = await host.NewCompany();
        var (installer, office) = (await c.SignIn("installer1"), await c.SignIn("office"));
        var (batch, bench) = (BatchId.New(), new StreamTests(host));
        var runs = c.Ends.Take(2).Select(e => bench.Run(c, e, batch)).ToList();
        var made = bench.Table.States.Sum(s => s.Shards);
        await StreamTests.Send(installer, [.. runs.SelectMany(r => r)]);
        await StreamTests.Send(installer, c.Said(StreamKind.Batch, batch, StreamEventKind.ContainerCounted, new ContainerCounted(2 * made, (2 * made) - 1)));
        var run = runs[0][0].Id.As<Ids.Run>();
        await StreamTests.Send(installer, c.Event(c.Ends[0], EventKind.AttemptClosed, new AttemptClosed(run, Core.Rework.ReworkReason.CleaveAngleOrChip, true)), c.Event(c.Ends[0], EventKind.CauseConfirmed, new CauseConfirmed(run, Core.Rework.ReworkReason.CleaveLength)));
        await host.Facts();
        // One of the two came to an end; the shard may be of either, and both are of this method.
        var group = (await office.Get("/api/yield?by=method"))["groups"]!.AsArray().Single()!;
        Assert.Equal((1, 1.0), (group["rate"]!["made"]!.GetValue<int>(), group["shardsMissing"]!.GetValue<double>()));
        var price = (await office.Get("/api/company/figures"))["figures"]!;
        var part = price["methods"]!.AsArray().Single(m => m!["method"]!.GetValue<string>() == "wedge-locked")!["connectorPrice"]!.GetValue<double>();
        Assert.Equal((group["reworkMinutes"]!.GetValue<double>() * price["wagePerHour"]!.GetValue<double>() / 60) + (group["partsLost"]!.GetValue<int>() * part), group["reworkCost"]!.GetValue<double>(), 6);
        Assert.True(group["reworkCost"]!.GetValue<double>() > 0);
        Assert.Equal(group["reworkCost"]!.GetValue<double>(), (await office.Get("/api/yield"))["reasons"]!.AsArray().Single()!["cost"]!.GetValue<double>(), 6);

        var tables = await office.Get("/api/diagnosis/causes");
        var cause = tables["causes"]!.AsArray().Single(x => (x!["cause"]!.GetValue<string>(), x["family"]!.GetValue<string>()) == ("cleave-length", "stub"))!;
        Assert.Equal(1, cause["confirmed"]!.GetValue<int>());
        Assert.Equal((HttpStatusCode.UnprocessableEntity, "sign-row-length", "signs.class.usual"), await office.Refused("PUT", "/api/diagnosis/causes", new { version = 0, signs = new { @class = new { usual = new[] { 0.5 } } } }));
        (await office.Send("PUT", "/api/diagnosis/causes", new { version = 0, acts = new { clean = new { minutes = 9 } } })).EnsureSuccessStatusCode();
        // A part that is left out stays as it is.
        (await office.Send("PUT", "/api/diagnosis/causes", new { version = 1, signs = new { @class = new { usual = new[] { 0.5, 0.5 } } } })).EnsureSuccessStatusCode();
        var now = await office.Get("/api/diagnosis/causes");
        Assert.Equal((2, 9.0, true), (now["version"]!.GetValue<int>(), now["acts"]![0]!["minutes"]!.GetValue<double>(), now["acts"]![0]!["own"]!.GetValue<bool>()));
        Assert.Equal(0.5, now["signs"]!.AsArray().Single(s => s!["sign"]!.GetValue<string>() == "class")!["rows"]![0]!["share"]![1]!.GetValue<double>());
    }
}
