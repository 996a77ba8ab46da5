using System.Globalization;
using CsvHelper;
using Microsoft.Extensions.DependencyInjection;
using Rhabdon.Core;
using Rhabdon.Core.Ledger;
using Xunit;

namespace Rhabdon.Server.Tests;

/// <summary>What is counted of all connectors follows the ledger by itself, and is made anew beside the old.</summary>
public sealed class FactTests(TestHost host)
{
    private Core.Procedures.RunTable Table => host.Services.GetRequiredService<Documents>().Rules.Table("wedge-locked-upc-3mm", 4);

    private async Task<EventId> Work(TestCompany c, Caller by, EndId end, BatchId batch)
    {
        var start = c.Event(end, EventKind.AttemptStarted, new AttemptStarted(Table.ProcedureId, Table.Version, batch));
        (await by.Post("/api/ledger", new[] { start, c.Event(end, EventKind.CheckAnswered, new CheckAnswered(start.Id.As<Ids.Run>(), Table.Start, "same")) with { At = start.At.Plus(Duration.FromSeconds(30)) } })).EnsureSuccessStatusCode();
        return start.Id;
    }

    private static async Task<List<Dictionary<string, string>>> Read(Caller office, string kind)
    {
        using var csv = new CsvReader(new StringReader(await office.Text($"/api/facts/{kind}")), CultureInfo.InvariantCulture);
        return [.. csv.GetRecords<dynamic>().Select(r => ((IDictionary<string, object>)r).ToDictionary(x => x.Key, x => (string)x.Value))];
    }

    /// <summary>Facts are some seconds behind; a test that waits for ever is no test.</summary>
    private async Task Until(string what, Func<Task<bool>> so)
    {
        for (var i = 0; i < 600; i++)
        {
            if (await so())
            {
                return;
            }

            await Task.Delay(100, TestContext.Current.CancellationToken);
        }

        Assert.Fail($"It never came to pass that {what}.");
    }

    private Task<bool> UpToDate(CompanyId company) => Task.Run(async () => await host.Scalar<long>("select count(*) from facts_due where company_id = $1", company) == 0
        && await host.Scalar<long>("select count(*) from projection where name = 'facts' and version = $1 and building is null", Core.Yield.Facts.Version) == 1);

    [Fact]
    public async Task Facts_follow_the_ledger_and_each_company_sees_its_own()
    {
        var (c, other) = (await host.NewCompany(), await host.NewCompany());
        var batch = BatchId.New();
        var installer = await c.SignIn("installer1");
        var run = await Work(c, installer, c.Ends[0], batch);
        await Until("both are counted", () => UpToDate(c.Id));
        var office = await c.SignIn("office");
        var attempt = Assert.Single(await Read(office, "attempts"));
        Assert.Equal((run.ToString(), "open", "wedge-locked", Wire.Name(Core.Connectors.ConnectorForm.SC), Wire.Name(Core.Connectors.Polish.UPC), c.Person("installer1").PersonId.ToString()),
            (attempt["run_id"], attempt["outcome"], attempt["method"], attempt["form"], attempt["polish"], attempt["person_id"]));
        Assert.Equal("30", Assert.Single(await Read(office, "acts"))["attended_s"]);

        // A second strand of the batch: what was done on the first says how long it took.
        await Work(c, installer, c.Ends[1], batch);
        await Until("the second is counted, too", () => UpToDate(c.Id));
        Assert.Equal(2, (await Read(office, "acts")).Count);
        Assert.Empty(await Read(await other.SignIn("office"), "attempts"));
        Assert.Equal(403, (int)(await installer.Send("GET", "/api/facts/attempts")).StatusCode);
        Assert.Equal((System.Net.HttpStatusCode.NotFound, "not-found", "kind"), await office.Refused("GET", "/api/facts/people"));
        Assert.Equal((System.Net.HttpStatusCode.NotFound, "not-found", "jobId"), await (await other.SignIn("office")).Refused("GET", $"/api/facts/acts?jobId={c.JobId}"));
    }

    [Fact]
    public async Task Times_are_learned_from_work_and_not_from_what_was_tapped_through_afterwards()
    {
        var c = await host.NewCompany();
        var installer = await c.SignIn("installer1");
        await Work(c, installer, c.Ends[0], BatchId.New());
        await Until("it is counted", () => UpToDate(c.Id));
        // The same once more, twelve times each: accepted after twelve minutes of hands, and in the half minute of somebody who writes down what is long done.
        foreach (var (more, seconds) in new[] { ("worked", 720.0), ("tapped", 30.0) })
        {
            await host.Scalar<long>("""
                with no as (select md5($2 || n)::uuid as id from generate_series(1, 12) n),
                     act as (insert into fact_act select (jsonb_populate_record(a, jsonb_build_object('run_id', no.id, 'event_id', no.id, 'attended_s', $3))).* from fact_act a, no where a.company_id = $1 and a.attended_s = 30 returning 1),
                     attempt as (insert into fact_attempt select (jsonb_populate_record(a, jsonb_build_object('run_id', no.id, 'outcome', 'accepted'))).* from fact_attempt a, no where a.company_id = $1 and a.outcome = 'open' returning 1)
                select (select count(*) from act) + (select count(*) from attempt)
                """, c.Id, more, seconds);
            var fit = await installer.Get("/api/week/fit?method=wedge-locked&ends=12&at=2026-12-01T15:10");
            Assert.Equal((12, 12.0), (fit["learnedOf"]!.GetValue<int>(), fit["eachMin"]!.GetValue<double>()));
        }
    }

    [Fact]
    public async Task An_end_that_cannot_be_read_keeps_the_facts_it_had_and_stops_nobody()
    {
        var c = await host.NewCompany();
        var installer = await c.SignIn("installer1");
        await Work(c, installer, c.Ends[0], BatchId.New());
        await Work(c, installer, c.Ends[1], BatchId.New());
        await Until("both are counted", () => UpToDate(c.Id));
        await host.Scalar<long>("with old as (update fact_attempt set form = 'old' where company_id = $1 returning 1) select count(*) from old", c.Id);
        await host.Scalar<long>("with bad as (update end_state set state = '{}' where company_id = $1 and end_id = $2 returning 1), due as (insert into facts_due (company_id, end_id) select company_id, end_id from end_state where company_id = $1) select count(*) from bad", c.Id, c.Ends[0]);
        await Until("nothing waits", () => UpToDate(c.Id));
        Assert.Equal([true, false], (await Read(await c.SignIn("office"), "attempts")).OrderBy(a => a["end_id"] == c.Ends[1].ToString()).Select(a => a["form"] == "old"));
    }

    [Fact]
    public async Task Facts_of_another_version_are_read_until_all_are_made_anew()
    {
        var c = await host.NewCompany();
        await Work(c, await c.SignIn("installer1"), c.Ends[0], BatchId.New());
        await Until("it is counted", () => UpToDate(c.Id));
        // As if an earlier version of the program had made them, and said otherwise.
        await host.Scalar<long>("with old as (update fact_attempt set version = 999, form = 'old' where company_id is not null returning 1), was as (update projection set version = 999 where name = 'facts') select count(*) from old");
        await Until("all are made anew and the old ones are gone", async () => await UpToDate(c.Id) && await host.Scalar<long>("select count(*) from fact_attempt where version = 999") == 0);
        Assert.NotEqual("old", Assert.Single(await Read(await c.SignIn("office"), "attempts"))["form"]);
    }
}
