using System.Text.Json;
using Microsoft.Extensions.DependencyInjection;
using Rhabdon.Core;
using Rhabdon.Core.Ledger;
using Rhabdon.Store;
using Xunit;

namespace Rhabdon.Server.Tests;

/// <summary>How jobs stand is counted with each change, and is what counting the ends would say: for every company of every test that runs beside this one.</summary>
public sealed class TotalsTests(TestHost host)
{
    private const string Differing = """
        select count(*) from (
            select j.company_id, j.job_id, coalesce(t.ends, 0) as ends, coalesce(t.accepted, 0) as accepted, coalesce(t.needs_decision, 0) as needs_decision, coalesce(t.to_remake, 0) as to_remake, coalesce(t.at_bench, 0) as at_bench, coalesce(t.to_look, 0) as to_look, coalesce(t.to_measure, 0) as to_measure, coalesce(t.to_accept, 0) as to_accept
            from job j left join job_total t using (company_id, job_id)
            except
            select j.company_id, j.job_id, (select count(*) from cable_end e where e.company_id = j.company_id and e.job_id = j.job_id),
                   count(s.*) filter (where s.status = 'Accepted'), count(s.*) filter (where s.status = 'NeedsDecision'), count(s.*) filter (where s.status = 'ToRemake'), count(s.*) filter (where s.status = 'AtBench'),
                   count(s.*) filter (where s.status = 'ToLook'), count(s.*) filter (where s.status = 'ToMeasure'), count(s.*) filter (where s.status = 'ToAccept')
            from job j left join end_state s using (company_id, job_id) group by j.company_id, j.job_id) x
        """;

    [Fact]
    public async Task They_are_what_counting_would_say_and_are_made_again_where_another_version_made_them()
    {
        var c = await host.NewCompany();
        var installer = await c.SignIn("installer1");
        await SliceTests.Tell(installer, [.. SliceTests.Run(c, c.Ends[0], 1)]);
        var begun = c.Event(c.Ends[1], EventKind.AttemptStarted, new AttemptStarted("wedge-locked-upc-3mm", 4));
        await SliceTests.Tell(installer, begun);
        async Task<(long, long)> Job() => (await installer.Get("/api/jobs/at-hand"))[0]! is var j ? (j["ends"]!.GetValue<long>(), j["atBench"]!.GetValue<long>()) : default;
        Assert.Equal((12, 1), await Job());
        Assert.Equal(0, await host.Scalar<long>(Differing));

        // A database of before knows none of it, or has it wrong; other writers go on meanwhile.
        await host.Scalar<long>("with gone as (delete from projection where name = 'job-totals'), wrong as (update job_total set at_bench = 7, ends = 3 where company_id = $1 returning 1) select count(*) from wrong", c.Id);
        Assert.Equal((3, 7), await Job());
        await Task.WhenAll(host.Services.GetRequiredService<JobTotals>().BuildWhereOld(), SliceTests.Tell(installer, [.. SliceTests.Run(c, c.Ends[2], 1)]));
        Assert.Equal((12, 1), await Job());
        Assert.Equal(0, await host.Scalar<long>(Differing));
    }

    [Fact]
    public async Task A_run_names_tools_that_there_are_and_waits_for_one_that_has_not_arrived()
    {
        var c = await host.NewCompany();
        var (installer, lead) = (await c.SignIn("installer1"), await c.SignIn("lead1"));
        var tool = ToolId.New();
        var begun = c.Event(c.Ends[0], EventKind.AttemptStarted, new AttemptStarted("wedge-locked-upc-3mm", 4, ToolIds: [tool]));
        var answer = (await installer.Post("/api/ledger", new[] { begun })).Content;
        var line = JsonDocument.Parse(await answer.ReadAsStringAsync()).RootElement.GetProperty("events")[0];
        Assert.Equal(("quarantined", "tool-unknown"), (line.GetProperty("outcome").GetString(), line.GetProperty("refusal").GetProperty("code").GetString()));
        (await lead.Post("/api/ledger", new[] { c.Said(StreamKind.Tool, tool.As<Ids.Stream>(), StreamEventKind.ToolAdded, new ToolAdded(c.Crews[0], ToolKind.Cleaver, "Cleaver 3"), "lead1") })).EnsureSuccessStatusCode();
        var run = (await installer.Get($"/api/ends/{c.Ends[0]}"))["state"]!["attempts"]![0]!;
        Assert.Equal(tool.ToString(), run["toolIds"]![0]!.GetValue<string>());
        await host.Facts();
        for (var n = 0; n < 200 && await host.Scalar<long>("select count(*) from fact_attempt where company_id = $1 and tool_ids = array[$2::uuid]", c.Id, tool.Value) == 0; n++)
        {
            await Task.Delay(50);
        }

        Assert.Equal(1, await host.Scalar<long>("select count(*) from fact_attempt where company_id = $1 and tool_ids = array[$2::uuid]", c.Id, tool.Value));
    }
}
