using System.Net;
using System.Text;
using System.Text.Json.Nodes;
using Rhabdon.Core.Ledger;
using Xunit;

namespace Rhabdon.Server.Tests;

/// <summary>The week: planned in the background from what is left, wishes held, what stands in the way left out, and each person told their own part.</summary>
public sealed class WeekTests(TestHost host)
{
    private static string NextMonday()
    {
        var today = SystemClock.Instance.GetCurrentInstant().InUtc().Date;
        return NodaTime.Text.LocalDatePattern.Iso.Format(today.PlusDays(8 - (int)today.DayOfWeek));
    }

    private static async Task<JsonNode> Planned(Caller by, string monday, object? ask = null)
    {
        (await by.Post($"/api/week/{monday}/plan", ask ?? new { seconds = 2 })).EnsureSuccessStatusCode();
        for (var n = 0; n < 1800; n++)
        {
            var now = await by.Get($"/api/week?on={monday}");
            if (now["stage"]!.GetValue<string>() is "done" or "failed")
            {
                return now;
            }

            await Task.Delay(100);
        }

        throw new TimeoutException("The week was not planned within three minutes.");
    }

    [Fact]
    public async Task A_week_is_planned_from_what_is_left_and_everybody_is_told_their_part()
    {
        var c = await host.NewCompany();
        var (lead, installer, office) = (await c.SignIn("lead1"), await c.SignIn("installer1"), await c.SignIn("office"));
        await SliceTests.Accept(c, installer, c.Ends[0]);
        var monday = NextMonday();
        Assert.Null((await lead.Get($"/api/week?on={monday}"))["stage"]);
        var week = await Planned(lead, monday);
        // Eleven of twelve are left, and tested together: the usual hours, batches of at most 12, ten minutes each with the test's two apart. The panel is opened.
        var labels = week["work"]!["labels"]!.AsArray();
        Assert.Equal([("make", 11), ("test", 11)], labels.Select(l => (l!["kind"]!.GetValue<string>(), l["ends"]!.GetValue<int>())));
        Assert.Equal([88, 22], week["work"]!["problem"]!["tasks"]!.AsArray().Select(t => t!["stretches"]!.AsArray().Sum(s => s!["minutes"]!.GetValue<int>())));
        var plan = week["plan"]!["plan"]!;
        Assert.Equal(("best", 450 + 88 + 22), (plan["outcome"]!.GetValue<string>(), plan["finishMinute"]!.GetValue<int>()));

        // What is dragged stays; the other follows.
        var (make, me) = (labels[0]!["id"]!.GetValue<string>(), c.Person("installer1").PersonId.ToString());
        var dragged = await Planned(lead, monday, new { seconds = 2, wishes = new { pins = new Dictionary<string, object> { [make] = new { start = 1440 + 780, people = new[] { me } } }, closed = new Dictionary<string, int>() } });
        Assert.Equal([1440 + 780, 1440 + 780 + 88], dragged["plan"]!["plan"]!["tasks"]!.AsArray().Select(t => t!["stretches"]![0]!["from"]!.GetValue<int>()));
        Assert.Equal(make, (await installer.Get("/api/week/mine"))[0]!["label"]!["id"]!.GetValue<string>());
        var calendar = Encoding.UTF8.GetString(await (await installer.Send("GET", "/api/week/mine/calendar", null)).Content.ReadAsByteArrayAsync());
        Assert.Contains("SUMMARY:11 connectors at S1-P1\r\n", calendar);
        Assert.All(calendar.Split("\r\n"), l => Assert.True(Encoding.UTF8.GetByteCount(l) <= 75));

        // A wish for the middle of the night cannot be: it is named, and everybody's part stays that of the plan before.
        var night = await Planned(lead, monday, new { seconds = 2, wishes = new { pins = new Dictionary<string, object> { [make] = new { start = 120 } }, closed = new Dictionary<string, int>() } });
        Assert.Equal(("impossible", make), (night["plan"]!["plan"]!["outcome"]!.GetValue<string>(), night["plan"]!["plan"]!["conflict"]![0]!.GetValue<string>()));

        Assert.Equal(make, (await installer.Get("/api/week/mine"))[0]!["label"]!["id"]!.GetValue<string>());

        // A closed space waits until it is open; what is blocked is in no plan at all.
        var closed = await Planned(lead, monday, new { seconds = 2, wishes = new { pins = new Dictionary<string, object>(), closed = new Dictionary<string, int> { ["S1"] = 2 * 1440 } } });
        Assert.True(closed["plan"]!["plan"]!["tasks"]!.AsArray().All(t => t!["stretches"]![0]!["from"]!.GetValue<int>() >= 2 * 1440));
        (await lead.Post("/api/ledger", new[] { c.Said(StreamKind.Job, c.JobId, StreamEventKind.Blocked, new Blocked(BlockReason.NoAccess), "lead1") })).EnsureSuccessStatusCode();
        Assert.Equal(("failed", "week-empty"), await Planned(lead, monday, new { seconds = 1 }) is var none ? (none["stage"]!.GetValue<string>(), none["fault"]!.GetValue<string>()) : default);
        Assert.Empty((await installer.Get("/api/week/mine")).AsArray());

        Assert.Equal((HttpStatusCode.BadRequest, "monday-shape", "monday"), await lead.Refused("POST", "/api/week/2026-07-14/plan", new { }));
        Assert.Equal((HttpStatusCode.BadRequest, "figure-range", "seconds"), await lead.Refused("POST", $"/api/week/{monday}/plan", new { seconds = 1e9 }));
        var figures = (await office.Get("/api/week"))["figures"]!;
        figures["batchEnds"] = 1000;
        Assert.Equal(HttpStatusCode.UnprocessableEntity, (await office.Send("PUT", "/api/week/figures", new { version = 0, figures })).StatusCode);
        figures["batchEnds"] = 6;
        (await office.Send("PUT", "/api/week/figures", new { version = 0, figures })).EnsureSuccessStatusCode();
        Assert.Equal(HttpStatusCode.Conflict, (await office.Send("PUT", "/api/week/figures", new { version = 0, figures })).StatusCode);
    }

    [Fact]
    public async Task A_batch_late_in_the_day_is_cut_to_what_is_done_before_its_hands_leave()
    {
        var c = await host.NewCompany();
        var (installer, office) = (await c.SignIn("installer1"), await c.SignIn("office"));
        // Nothing is learned: ten minutes each (the office's figure), a fifth of it from one to another; the day ends at 16:30. Six are 60 ± 4.9 of 80 minutes, seven 70 ± 5.3: 0.97; eight 80: one half.
        var fit = await installer.Get("/api/week/fit?method=wedge-locked&ends=12&at=2026-12-01T15:10");
        Assert.Equal((990, 7, 10.0, 0), (fit["leavesAtMin"]!.GetValue<int>(), fit["fit"]!["ends"]!.GetValue<int>(), fit["eachMin"]!.GetValue<double>(), fit["learnedOf"]!.GetValue<int>()));
        Assert.InRange(fit["fit"]!["chance"]!.GetValue<double>(), 0.965, 0.975);
        Assert.Equal(12, (await installer.Get("/api/week/fit?method=wedge-locked&ends=12&at=2026-12-01T15:10&until=18:30"))["fit"]!["ends"]!.GetValue<int>());
        Assert.Null((await installer.Get("/api/week/fit?method=wedge-locked&ends=12&at=2026-12-06T15:10"))["fit"]); // A Sunday.
        // Whoever goes home at noon leaves at noon.
        var figures = (await office.Get("/api/week"))["figures"]!;
        figures["people"] = new JsonArray(new JsonObject { ["personId"] = c.Person("installer1").PersonId.ToString(), ["toMin"] = 720, ["away"] = new JsonArray("2026-12-02"), ["methods"] = new JsonArray("cold-cure") });
        (await office.Send("PUT", "/api/week/figures", new { version = 0, figures })).EnsureSuccessStatusCode();
        Assert.Equal(720, (await installer.Get("/api/week/fit?method=wedge-locked&ends=12&at=2026-12-01T08:00"))["leavesAtMin"]!.GetValue<int>());
        Assert.Null((await installer.Get("/api/week/fit?method=wedge-locked&ends=12&at=2026-12-02T08:00"))["leavesAtMin"]);
        foreach (var (query, field) in new[] { ("ends=3&at=2026-12-01T15:10", "method"), ("method=wedge-locked&ends=3&at=now", "at"), ("method=wedge-locked&ends=3&at=2026-12-01T15:10&until=25:00", "until"), ("method=wedge-locked&ends=0&at=2026-12-01T15:10", "ends") })
        {
            Assert.Equal((HttpStatusCode.BadRequest, field), await installer.Refused("GET", $"/api/week/fit?{query}") is var (status, _, at) ? (status, at) : default);
        }
    }

    [Fact]
    public async Task The_solver_answers_a_shops_own_scripts_and_refuses_what_cannot_be()
    {
        var c = await host.NewCompany();
        var installer = await c.SignIn("installer1");
        async Task<JsonNode> Ask(string path, object body) => JsonNode.Parse(await (await installer.Post($"/api/calc/{path}", body)).Content.ReadAsStringAsync())!;
        // Two jobs on two machines, each needs the other's first: 3 + 2 and 2 + 4 come to 7 by hand (0-2-6 and 2-5, 6-8 is 8; 0-3, 3-5; 3-5, 5-9 is 9; best 2-5 on m0, 0-2 on m1).
        var shop = await Ask("job-shop", new { jobs = new[] { new[] { new { machine = 0, duration = 3 }, new { machine = 1, duration = 2 } }, [new { machine = 1, duration = 2 }, new { machine = 0, duration = 4 }] }, seconds = 5 });
        Assert.Equal((7, 7, true), (shop["makespan"]!.GetValue<int>(), shop["lowerBound"]!.GetValue<int>(), shop["proven"]!.GetValue<bool>()));
        foreach (var (path, body, field) in new (string, object, string)[]
        {
            ("job-shop", new { jobs = Array.Empty<object>() }, "jobs"), ("job-shop", new { jobs = new[] { new[] { new { machine = 0, duration = 0 } } } }, "jobs[0][0].duration"),
            ("week", new { people = Array.Empty<object>(), tools = Array.Empty<object>(), tasks = new[] { new { id = "a", stretches = new[] { new { minutes = 5, tool = "oven" } } } } }, "tasks[0].stretches[0].tool"),
            ("week", new { people = Array.Empty<object>(), tools = Array.Empty<object>(), tasks = new[] { new { id = "a", stretches = new[] { new { minutes = 5 } }, after = new[] { "a" } } } }, "tasks"),
        })
        {
            Assert.Equal((HttpStatusCode.UnprocessableEntity, field), await installer.Refused("POST", $"/api/calc/{path}", body) is var (status, _, at) ? (status, at) : default);
        }
    }
}
