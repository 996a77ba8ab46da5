using Microsoft.Extensions.DependencyInjection;
using Microsoft.Extensions.Hosting;
using Rhabdon.Core.Handover;
using Rhabdon.Core.Scheduling;
using Rhabdon.Store;
using Xunit;

namespace Rhabdon.Server.Tests;

/// <summary>What waits in the database to be worked off: whose turn it is, what is asked anew meanwhile, and what a worker was at that came to no end. The workers themselves rest; the test is the worker.</summary>
public sealed class QueueTests
{
    private static readonly Instant Noon = Instant.FromUtc(2026, 11, 30, 12, 0);

    private static readonly LocalDate First = new(2026, 12, 7), Second = new(2026, 12, 14);

    private static readonly WeekWork Nothing = new(new([], [], [], []), [], []);

    private static readonly KeptPlan Plan = new(new(WeekOutcome.Best, [], 0, 0, 480, 480, 0, 0, 0, [], 1), [], []);

    private static async Task<OwnHost> Quiet()
    {
        var own = new OwnHost();
        await own.Host.Start(null);
        foreach (var worker in own.Host.Services.GetServices<IHostedService>().Where(s => s.GetType().Name is "WeekMaker" or "DossierMaker"))
        {
            await worker.StopAsync(TestContext.Current.CancellationToken);
        }

        return own;
    }

    [Fact]
    public async Task Companies_are_planned_side_by_side_and_the_weeks_of_one_after_another()
    {
        await using var own = await Quiet();
        var weeks = own.Host.Services.GetRequiredService<Weeks>();
        var (a, b) = (await own.Host.NewCompany(), await own.Host.NewCompany());
        Task Ask(TestCompany c, LocalDate monday, int second) => weeks.Ask(c.Id, monday, WeekWishes.None, 2, c.Person("lead1").PersonId, Noon.Plus(Duration.FromSeconds(second)));
        await Ask(a, First, 0);
        await Ask(a, Second, 1);
        await Ask(b, First, 2);
        var now = Noon.Plus(Duration.FromSeconds(3));
        var first = await weeks.Next(now);
        Assert.Equal([(a.Id, First), (b.Id, First), default], new[] { first, await weeks.Next(now), await weeks.Next(now) }.Select(n => n is null ? default : (n.CompanyId, n.Monday)));
        await weeks.Keep(first!, Nothing, Plan, null);
        Assert.Equal((a.Id, Second), await weeks.Next(now) is { } second ? (second.CompanyId, second.Monday) : default);
    }

    [Fact]
    public async Task What_comes_of_a_plan_that_was_asked_for_anew_is_kept_no_more()
    {
        await using var own = await Quiet();
        var weeks = own.Host.Services.GetRequiredService<Weeks>();
        var c = await own.Host.NewCompany();
        Task Ask(int second) => weeks.Ask(c.Id, First, WeekWishes.None, 2, c.Person("lead1").PersonId, Noon.Plus(Duration.FromSeconds(second)));
        await Ask(0);
        var overtaken = (await weeks.Next(Noon))!;
        await Ask(1);
        Assert.False(await weeks.Tell(overtaken, Nothing, Plan, Noon));
        await weeks.Keep(overtaken, Nothing, Plan, null);
        Assert.Equal((WeekStage.Waiting, null), await weeks.Find(c.Id, First) is { } w ? (w.Stage, w.Plan) : default);

        var next = (await weeks.Next(Noon))!;
        // The same while the second is at it: the first has nothing to say.
        await weeks.Keep(overtaken, Nothing, null, "week-empty");
        Assert.True(await weeks.Tell(next, Nothing, Plan, Noon));
        await weeks.Keep(next, Nothing, Plan, null);
        await weeks.Bind(overtaken, [new("splicer", 90)]);
        Assert.Equal((WeekStage.Done, 480, 0), await weeks.Find(c.Id, First) is { Plan: { } kept } done ? (done.Stage, kept.Plan.FinishMinute, kept.Binds!.Count) : default);
        Assert.NotNull(await weeks.Standing(c.Id, First));
    }

    [Fact]
    public async Task What_a_worker_was_at_that_told_nothing_for_half_a_minute_is_begun_again_and_the_third_time_said_to_have_failed()
    {
        await using var own = await Quiet();
        var (weeks, shelf) = (own.Host.Services.GetRequiredService<Weeks>(), own.Host.Services.GetRequiredService<DossierShelf>());
        var c = await own.Host.NewCompany();
        var (lead, dossier) = (c.Person("lead1").PersonId, DossierId.New());
        await weeks.Ask(c.Id, First, WeekWishes.None, 2, lead, Noon);
        await shelf.Ask(c.Id, dossier, c.JobId, new(DossierEdition.Customer), null, lead, Noon);
        var now = Noon;
        for (var turn = 1; turn <= 3; turn++)
        {
            Assert.True(await shelf.Waits(now));
            var (week, paper) = ((await weeks.Next(now))!, (await shelf.Next(now))!);
            // As long as it is told of, it is nobody else's.
            now = now.Plus(Duration.FromSeconds(25));
            Assert.True(await weeks.Tell(week, Nothing, null, now));
            Assert.True(await shelf.Tell(paper, 0.5, now));
            now = now.Plus(Duration.FromSeconds(25));
            Assert.Equal((null, null, false), (await weeks.Next(now), await shelf.Next(now), await shelf.Waits(now)));
            now = now.Plus(Duration.FromSeconds(6));
        }

        Assert.Equal((null, null), (await weeks.Next(now), await shelf.Next(now)));
        Assert.Equal((WeekStage.Failed, "week-tried"), await weeks.Find(c.Id, First) is { } w ? (w.Stage, w.Fault) : default);
        Assert.Equal(DossierStage.Failed, (await shelf.Find(c.Id, dossier))!.Stage);
        Assert.False(await shelf.Waits(now));
        // Asked for once more, it has its three turns again.
        await weeks.Ask(c.Id, First, WeekWishes.None, 2, lead, now);
        Assert.NotNull(await weeks.Next(now));
    }

    [Fact]
    public async Task A_dossier_that_was_stopped_stays_stopped_whatever_its_drawer_says_then()
    {
        await using var own = await Quiet();
        var shelf = own.Host.Services.GetRequiredService<DossierShelf>();
        var c = await own.Host.NewCompany();
        var (lead, stopped) = (c.Person("lead1").PersonId, DossierId.New());
        await shelf.Ask(c.Id, stopped, c.JobId, new(DossierEdition.Customer), null, lead, Noon);
        var drawn = (await shelf.Next(Noon))!;
        Assert.True(await shelf.Stop(c.Id, stopped));
        Assert.False(await shelf.Tell(drawn, 0.5, Noon));
        await shelf.Fail(drawn, "too late");
        Assert.Equal((DossierStage.Stopped, null), await shelf.Find(c.Id, stopped) is { } d ? (d.Stage, d.Fault) : default);
        Assert.Null(await shelf.Next(Noon.Plus(Duration.FromHours(1))));
    }
}
