using Rhabdon.Core;
using Rhabdon.Core.Scheduling;
using Rhabdon.Server.Web;

namespace Rhabdon.Server.Schedule;

/// <param name="Jobs">Each a list of operations, one after another.</param>
/// <param name="Seconds">At most, 1 to 60; left out, 10.</param>
public sealed record ShopAsk(IReadOnlyList<IReadOnlyList<ShopOperation>> Jobs, double? Seconds = null);

/// <param name="Seconds">At most, 1 to 60; left out, 10.</param>
public sealed record WeekAsk(IReadOnlyList<WeekPerson> People, IReadOnlyList<WeekTool> Tools, IReadOnlyList<WeekTask> Tasks, IReadOnlyList<Travel>? Travel = null, double? Seconds = null);

/// <summary>The solver for a shop's own scripts: plain JSON in, plain JSON out, nothing kept.</summary>
public static class ScheduleCalc
{
    private const double UsualSeconds = 10, MostSeconds = 60;

    public static void MapScheduleCalc(this RouteGroupBuilder api)
    {
        api.MapPost("/calc/job-shop", (ShopAsk r, Solving solving, CancellationToken cancel) => solving.Ask(stop => JobShops.Solve(r.Jobs, Within(r.Seconds), Solving.Workers, stop), cancel))
            .WithSummary("A job shop: when each operation of each job begins so that all is done as early as can be, and how early that can be at most. Durations are whole numbers of any one unit; one solve at a time.").Produces<ApiProblem>(429);
        api.MapPost("/calc/week", (WeekAsk r, Solving solving, CancellationToken cancel) => solving.Ask(stop => new WeekSolver(new(r.People, r.Tools, r.Tasks, r.Travel ?? [])).Solve(Within(r.Seconds), Solving.Workers, null, stop), cancel))
            .WithSummary("Who does what when: people with hours and skills, shared tools, tasks of attended and unattended stretches. The least lateness, then the earliest finish, then the least way and waiting; with the bounds that it cannot go below. Minutes from the beginning of the plan; one solve at a time.").Produces<ApiProblem>(429);
    }

    private static double Within(double? seconds)
    {
        new Input().Require(seconds is null or (>= 1 and <= MostSeconds), Refusal.Of("figure-range", "seconds", ("least", 1), ("most", MostSeconds))).ThrowIfBad();
        return seconds ?? UsualSeconds;
    }
}
