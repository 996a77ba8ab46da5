using Microsoft.Extensions.DependencyInjection;
using Rhabdon.Core;
using Rhabdon.Core.Ledger;
using Xunit;

namespace Rhabdon.Server.Tests;

/// <summary>The first screen: what is mine, what is next, will it be done; each role is told its own.</summary>
public sealed class TodayTests(TestHost host)
{
    private static readonly string[] Steps = ["planned", "atBench", "toLook", "toMeasure", "toAccept", "needsDecision", "toRemake", "accepted"];

    [Fact]
    public async Task Numbers_add_up_batches_are_mine_first_and_what_waits_says_why()
    {
        var c = await host.NewCompany();
        var (installer, lead) = (await c.SignIn("installer1"), await c.SignIn("lead1"));
        var batch = BatchId.New();
        await SliceTests.Tell(installer, c.Event(c.Ends[2], EventKind.AttemptStarted, new AttemptStarted("wedge-locked-upc-3mm", 4, batch)));
        await SliceTests.Tell(installer, c.Event(c.Ends[1], EventKind.AttemptStarted, new AttemptStarted("wedge-locked-upc-3mm", 4, batch)));
        await SliceTests.Tell(lead, c.Event(c.Ends[3], EventKind.AttemptStarted, new AttemptStarted("wedge-locked-upc-3mm", 4, BatchId.New()), by: "lead1"));
        var run = SliceTests.Run(c, c.Ends[0], 1);
        await SliceTests.Tell(installer, [.. run, c.Event(c.Ends[0], EventKind.Measured, SliceTests.Reading(run[0].Id.As<Ids.Run>(), 850, 4.2))]);

        var today = await installer.Get("/api/today");
        var job = today["jobs"]![0]!["job"]!;
        Assert.Equal(job["ends"]!.GetValue<long>(), Steps.Sum(s => job[s]!.GetValue<long>()));
        Assert.Equal((3, 1), (job["atBench"]!.GetValue<int>(), job["needsDecision"]!.GetValue<int>()));
        var batches = today["batches"]!.AsArray();
        Assert.Equal([(true, 2), (false, 1)], batches.Select(b => (b!["mine"]!.GetValue<bool>(), b["strands"]!.AsArray().Count)));
        Assert.Equal([true, false], (await lead.Get("/api/today"))["batches"]!.AsArray().Select(b => b!["mine"]!.GetValue<bool>()));
        var waits = today["waiting"]![0]!;
        Assert.Equal(("loss", 850, 4.2, "Installer 1"), (waits["why"]!["for"]!.GetValue<string>(), waits["why"]!["wavelengthNm"]!.GetValue<int>(), Math.Round(waits["why"]!["valueDb"]!.GetValue<double>(), 6), waits["byName"]!.GetValue<string>()));
        Assert.Equal(8, today["next"]![0]!["ends"]!.GetValue<int>());
        // What is under way on the panel, in numbers that are the job's.
        Assert.Equal(12, today["jobs"]![0]!["places"]!.AsArray().Sum(p => p!["ends"]!.GetValue<int>()));
    }

    [Fact]
    public async Task What_stands_in_the_way_is_said_in_one_tap_and_holds_until_another_lifts_it()
    {
        var c = await host.NewCompany();
        var (installer, lead) = (await c.SignIn("installer1"), await c.SignIn("lead1"));
        var blocked = c.Said(StreamKind.Job, c.JobId, StreamEventKind.Blocked, new Blocked(BlockReason.CableNotPulled));
        // What lifts it may arrive first, from another device: it waits.
        var lifted = c.Said(StreamKind.Job, c.JobId, StreamEventKind.BlockLifted, new BlockLifted(blocked.Id), "lead1");
        Assert.Equal(["note-empty"], StreamTests.Outcomes(await StreamTests.Send(installer, c.Said(StreamKind.Job, c.JobId, StreamEventKind.Blocked, new Blocked(BlockReason.Other)))));
        await StreamTests.Send(installer, blocked);
        var seen = (await lead.Get("/api/today"))["jobs"]![0]!["blocks"]!.AsArray();
        Assert.Equal(["cable-not-pulled"], seen.Select(b => b!["reason"]!.GetValue<string>()));
        await StreamTests.Send(lead, lifted);
        Assert.Empty((await installer.Get("/api/today"))["jobs"]![0]!["blocks"]!.AsArray());
        Assert.NotNull((await installer.Get($"/api/jobs/{c.JobId}/log"))["blocks"]![0]!["liftedAt"]);
    }

    [Fact]
    public async Task A_viewer_is_told_what_is_proven_by_space_and_nothing_of_the_crew()
    {
        var c = await host.NewCompany();
        var (office, installer, viewer) = (await c.SignIn("office"), await c.SignIn("installer1"), await c.SignIn("viewer"));
        (await office.Send("PUT", $"/api/jobs/{c.JobId}/viewers", new { personIds = new[] { c.Person("viewer").PersonId } })).EnsureSuccessStatusCode();
        await StreamTests.Send(installer, c.Said(StreamKind.Job, c.JobId, StreamEventKind.Blocked, new Blocked(BlockReason.NoPower)));
        await SliceTests.Accept(c, installer, c.Ends[0]);
        await host.Facts();

        for (var n = 0; n < 200 && await host.Scalar<long>("select count(*) from fact_attempt where company_id = $1 and accepted_at is not null", c.Id) == 0; n++)
        {
            await Task.Delay(50);
        }

        var today = await viewer.Get("/api/today");
        var job = today["jobs"]![0]!;
        Assert.Equal((0, 0, 0), (job["blocks"]!.AsArray().Count, job["places"]!.AsArray().Count, today["waiting"]!.AsArray().Count));
        var space = Assert.Single(job["proven"]!.AsArray())!;
        Assert.Equal((12, 1), (space["ends"]!.GetValue<int>(), space["accepted"]!.GetValue<int>()));
        Assert.Equal(space["worstLimitDb"]!.GetValue<double>() - space["worstLossDb"]!.GetValue<double>(), space["leastInHandDb"]!.GetValue<double>(), 9);
        var outlook = (await installer.Get("/api/today"))["jobs"]![0]!["outlook"]!;
        Assert.Equal((11, 1), (outlook["left"]!.GetValue<int>(), outlook["days"]!.AsArray().Sum(d => d!["count"]!.GetValue<int>())));
    }
}
