using Rhabdon.Core.Bench;
using Rhabdon.Core.Planning;
using Rhabdon.Core.Procedures;

namespace Rhabdon.Core.Ledger;

/// <summary>A run begins on this end. Its run id is the id of this event. The procedure's version stays with it for good.</summary>
/// <param name="BatchId">The batch at the bench that it belongs to; the strands of a batch share it.</param>
/// <param name="Schools">Which school is followed, by option.</param>
/// <param name="ProcedureHash">Of the procedure's structure, as the run table names it.</param>
/// <param name="Preflight">What was so before the first cut.</param>
/// <param name="ToolIds">The cleaver, oven, splicer and what else of the crew's tools it is made with.</param>
/// <param name="InSpiteOf">Why a tool whose service or calibration is overdue is used all the same.</param>
public sealed record AttemptStarted(
    string ProcedureId, int ProcedureVersion, BatchId? BatchId = null, IReadOnlyDictionary<string, string>? Schools = null, IReadOnlyList<PreflightAnswer>? Preflight = null, string? ProcedureHash = null,
    IReadOnlyList<ToolId>? ToolIds = null, string? InSpiteOf = null);

/// <param name="Schools">What is followed of each option that the procedure has.</param>
public sealed record Begun(RunPosition Position, Phase Phase, IReadOnlyDictionary<string, string> Schools, int ProcedureVersion, string ProcedureHash) : Judged
{
    /// <summary>The pre-flight as the crew said it, where the device's copy differs; null where it does not.</summary>
    public IReadOnlyList<PreflightAnswer>? Cited { get; init; }

    /// <summary>Tools whose service or calibration was overdue on that day, without a reason why they were used; null where there was none.</summary>
    public IReadOnlyList<Deviation>? Overdue { get; init; }
}

internal sealed class AttemptStartedRule : EventRule<AttemptStarted, Begun>
{
    private const int MostTools = 20;

    protected override IEnumerable<Refusal> Faults(AttemptStarted body) =>
        [.. PreflightAnsweredRule.Faults(body.Preflight ?? []), .. body.ToolIds is { Count: > MostTools } ? new[] { OutOf("body.toolIds", $"A run names at most {MostTools} tools.") } : [],
         .. body.InSpiteOf is { Length: > PreflightAnsweredRule.LongestReason } ? new[] { Refusal.Of("text-length", "body.inSpiteOf", ("most", PreflightAnsweredRule.LongestReason)) } : []];

    protected override Judged Decide(Question q, AttemptStarted body)
    {
        var (state, e) = (q.State, q.Event);
        var table = q.Rules.Table(body.ProcedureId, (q.Before as Begun)?.ProcedureVersion ?? q.Rules.VersionOf(body.ProcedureId, body.ProcedureVersion, body.ProcedureHash), q.Plan.Schools(body.Schools));
        if (body.Preflight?.FirstOrDefault(a => table.Preflight.All(i => i.Id != a.ItemId)) is { } unknown)
        {
            throw new RefusedException("preflight-unknown", "body.preflight", $"This procedure asks for no '{unknown.ItemId}'.");
        }

        if (q.Plan.Tools is { } tools && body.ToolIds?.FirstOrDefault(id => !tools.ContainsKey(id)) is { Value: var tool } && tool != Guid.Empty)
        {
            throw new RefusedException(Refusal.Of("tool-unknown", "body.toolIds", ("tool", tool)));
        }

        var last = state.Attempts.LastOrDefault();
        var due = last is null ? 1 : last.Open ? last.No : last.No + 1;
        // A device with no signal numbers its attempt by what it knew; what it did is kept beside what others did meanwhile.
        var late = e.Attempt < due && state.Attempts.All(a => a.No != e.Attempt || a.DeviceId != e.DeviceId);
        if (e.Attempt != due && !late)
        {
            throw new RefusedException("attempt-number", "attempt", $"The next attempt on this end is number {due}, not {e.Attempt}.");
        }

        if (state.Attempts.LastOrDefault(a => a.Open && a.DeviceId == e.DeviceId) is { } own)
        {
            throw new RefusedException("attempt-open", "attempt", own.AcceptedAt is not null
                ? "This end is accepted. Close that attempt, with the reason, before making it again."
                : $"Attempt {own.No} is still open on this device. Finish it or close it first.");
        }

        var said = q.Before is Begun begun ? begun.Cited : Cited(q, body.Preflight ?? []);
        return new Begun(RunPosition.At(table), table.State(table.Start)!.Phase, table.Schools.ToDictionary(s => s.Option, s => s.Choice), table.Version, table.Hash)
        {
            Cited = said,
            Overdue = q.Before is Begun was ? was.Overdue : Overdue(q, body, table.Start),
        };
    }

    private static IReadOnlyList<Deviation>? Overdue(Question q, AttemptStarted body, string stepId)
    {
        var today = SiteDates.On(q.Event.At, q.Plan.TimeZone);
        var late = string.IsNullOrWhiteSpace(body.InSpiteOf) && q.Plan.Tools is { } tools
            ? (body.ToolIds ?? []).Distinct().Select(id => tools.GetValueOrDefault(id)).OfType<LocalDate>().Where(due => due < today).ToList()
            : [];
        return late.Count == 0 ? null : [.. late.Select(due => new Deviation(q.Event.Id, stepId, DeviationKind.ToolOverdue, Period.DaysBetween(due, today), 0))];
    }

    /// <summary>What a run cites of its crew's kit is as the crew said it.</summary>
    private static IReadOnlyList<PreflightAnswer>? Cited(Question q, IReadOnlyList<PreflightAnswer> answers)
    {
        if (q.Plan.Kit is not { } kit)
        {
            return null;
        }

        IReadOnlyList<PreflightAnswer> cited = [.. answers.Select(a =>
            a.SaidIn is not { } id ? a
            : kit.TryGetValue(id, out var said) && said.ItemId == a.ItemId ? said with { SaidIn = id }
            : throw new RefusedException(Refusal.Of("kit-unknown", "body.preflight", ("item", a.ItemId))))];
        return cited.SequenceEqual(answers) ? null : cited;
    }

    protected override EndState Evolve(EndState state, LedgerEvent e, AttemptStarted body, Begun judged)
    {
        var attempt = new AttemptState
        {
            No = e.Attempt,
            RunId = e.Id.As<Ids.Run>(),
            ProcedureId = body.ProcedureId,
            ProcedureVersion = judged.ProcedureVersion,
            ProcedureHash = judged.ProcedureHash,
            Schools = judged.Schools,
            BatchId = body.BatchId,
            ToolIds = [.. (body.ToolIds ?? []).Distinct()],
            InSpiteOf = body.InSpiteOf,
            StartedBy = e.ActorId,
            DeviceId = e.DeviceId,
            LastDeviceId = e.DeviceId,
            StartedAt = e.At,
            Position = judged.Position,
            Phase = judged.Phase,
            Preflight = judged.Cited ?? body.Preflight ?? [],
            Deviations = judged.Overdue ?? [],
        };
        return state with { Attempts = [.. state.Attempts.Append(attempt).OrderBy(a => a.No).ThenBy(a => a.StartedAt).ThenBy(a => a.RunId)] };
    }
}
