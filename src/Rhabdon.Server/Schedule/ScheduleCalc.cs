using Rhabdon.Core;
using Rhabdon.Core.Scheduling;
using Rhabdon.Server.Web;

namespace Rhabdon.Server.Schedule;

/// <param name="Jobs">Each a list of operations, one after another.</param>
/// <param name="Seconds">At most, 1 to 60; left out, 10.</param>
public sealed record ShopAsk(IReadOnlyList<IReadOnlyList<ShopOperation>> Jobs, double? Seconds = null);

/// <param name="Seconds">At most, 1 to 60; left out, 10.</param>
public sealed record WeekAsk(IReadOnlyList<WeekPerson> People, IReadOnlyList<WeekTool> Tools, IReadOnlyList<WeekTask> Tasks, IReadOnlyList<Travel>? Travel = null, double? Seconds = null);

/// <param name="Ends">That were thought of, 1 to 96.</param>
/// <param name="Minutes">Until one has to leave.</param>
/// <param name="EachMin">What hands take for a connector, from the first cut to the tested end; <paramref name="SdMin"/>: how much that differs from one to another.</param>
/// <param name="CureMin">What a load of <paramref name="Slots"/> takes to cure; left out, nothing cures.</param>
public sealed record BatchFitAsk(int Ends, double Minutes, double EachMin, double SdMin, double CureMin = 0, int Slots = 1, double WarmUpMin = 0);

/// <summary>The solver for a shop's own scripts: plain JSON in, plain JSON out, nothing kept.</summary>
public static class ScheduleCalc
{
    private const double UsualSeconds = 10, MostSeconds = 60;

    public static void MapScheduleCalc(this RouteGroupBuilder api)
    {
        api.MapPost("/calc/job-shop", (ShopAsk r, Solving solving, CancellationToken cancel) => solving.Ask(stop => JobShops.Solve(r.Jobs, Within(r.Seconds), Solving.Workers, stop), cancel))
            .WithSummary("A job shop: when each operation of each job begins so that all is done as early as can be, and how early that can be at most. Durations are whole numbers of any one unit; one solve at a time.").Produces<ApiProblem>(429);
        api.MapPost("/calc/batch-fit", Fit).WithSummary("The largest batch that is cured, looked at and tested before one must leave, with its chance (at least 0.8), beside that of as many as were thought of. Minutes.");
        api.MapPost("/calc/week", (WeekAsk r, Solving solving, CancellationToken cancel) => solving.Ask(stop => new WeekSolver(new(r.People, r.Tools, r.Tasks, r.Travel ?? [])).Solve(Within(r.Seconds), Solving.Workers, null, stop), cancel))
            .WithSummary("Who does what when: people with hours and skills, shared tools, tasks of attended and unattended stretches. The least lateness, then the earliest finish, then the least way and waiting; with the bounds that it cannot go below. Minutes from the beginning of the plan; one solve at a time.").Produces<ApiProblem>(429);
    }

    private static BatchFit Fit(BatchFitAsk r)
    {
        static Refusal Range(string field, double least, double most) => Refusal.Of("figure-range", field, ("least", least), ("most", most));
        new Input().Require(r.Ends is >= 1 and <= 96, Range("ends", 1, 96)).Require(r.Minutes is >= 0 and <= 1440, Range("minutes", 0, 1440)).Require(r.EachMin is >= 0.1 and <= 240, Range("eachMin", 0.1, 240)).Require(r.SdMin is >= 0 and <= 240, Range("sdMin", 0, 240))
            .Require(r.CureMin is >= 0 and <= 1440, Range("cureMin", 0, 1440)).Require(r.Slots is >= 1 and <= 1000, Range("slots", 1, 1000)).Require(r.WarmUpMin is >= 0 and <= 240, Range("warmUpMin", 0, 240)).ThrowIfBad();
        return BatchFits.Of(r.Ends, r.Minutes, r.EachMin, r.SdMin, r.CureMin, r.Slots, r.WarmUpMin);
    }

    private static double Within(double? seconds)
    {
        new Input().Require(seconds is null or (>= 1 and <= MostSeconds), Refusal.Of("figure-range", "seconds", ("least", 1), ("most", MostSeconds))).ThrowIfBad();
        return seconds ?? UsualSeconds;
    }
}
