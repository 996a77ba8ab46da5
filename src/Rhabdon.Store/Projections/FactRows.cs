using System.Globalization;
using Npgsql;
using Rhabdon.Core;
using Rhabdon.Core.Connectors;
using Rhabdon.Core.Fiber;
using Rhabdon.Core.Yield;

namespace Rhabdon.Store;

/// <summary>What is planned of an end, as far as it is counted by.</summary>
internal sealed record FactPlan(EndId EndId, JobId JobId, SpaceId? SpaceId, PlaceId PlaceId, CrewId CrewId, TerminationMethod Method, ConnectorForm Form, Polish Polish, FiberMode Mode, CableConstruction Construction)
{
    public const string Sql = """
        select e.end_id, e.job_id, p.space_id, e.place_id, e.crew_id, e.method, e.form, e.polish, e.mode, k.construction
        from cable_end e
        join cable k on k.company_id = @companyId and k.cable_id = e.cable_id
        left join panel p on p.company_id = @companyId and p.panel_id = e.panel_id
        where e.company_id = @companyId and e.end_id = any(@ends)
        """;
}

/// <summary>What every fact is counted by.</summary>
/// <param name="CrewId">Whose the end was when the run began.</param>
internal sealed record FactKey(CompanyId CompanyId, AttemptFact Run, FactPlan Plan, CrewId CrewId)
{
    public const string Columns = "company_id, version, end_id, run_id, attempt, job_id, space_id, place_id, crew_id, person_id, method, form, polish, mode, construction, procedure_id, procedure_version";

    public async Task Put(Sql.Row row, PersonId personId)
    {
        await row.Put(CompanyId.Value);
        await row.Put(Facts.Version);
        await row.Put(Plan.EndId.Value);
        await row.Put(Run.RunId.Value);
        await row.Put(Run.Attempt);
        await row.Put(Plan.JobId.Value);
        await row.Put(Plan.SpaceId?.Value);
        await row.Put(Plan.PlaceId.Value);
        await row.Put(CrewId.Value);
        await row.Put(personId.Value);
        await row.Put(Wire.Name(Plan.Method));
        await row.Put(Wire.Name(Plan.Form));
        await row.Put(Wire.Name(Plan.Polish));
        await row.Put(Wire.Name(Plan.Mode));
        await row.Put(Wire.Name(Plan.Construction));
        await row.Put(Run.ProcedureId);
        await row.Put(Run.ProcedureVersion);
    }
}

/// <summary>Writes facts into their tables.</summary>
internal static class FactRows
{
    /// <summary>Puts these facts in the place of all that this version had made of their ends.</summary>
    public static async Task Write(
        NpgsqlConnection c, NpgsqlTransaction t, CompanyId companyId, EndId[] ends, IReadOnlyCollection<(FactKey Key, AttemptFact Fact)> attempts, IReadOnlyCollection<(FactKey Key, ActFact Fact)> acts,
        IReadOnlyCollection<(FactKey Key, ReadingFact Fact)> readings, IReadOnlyCollection<(FactKey Key, LookFact Fact)> looks, CancellationToken cancel)
    {
        await c.Run(cancel, """
            delete from fact_attempt where company_id = @companyId and version = @Version and end_id = any(@ends);
            delete from fact_act where company_id = @companyId and version = @Version and end_id = any(@ends);
            delete from fact_reading where company_id = @companyId and version = @Version and end_id = any(@ends);
            delete from fact_look where company_id = @companyId and version = @Version and end_id = any(@ends);
            """, new { companyId, Facts.Version, ends }, t);
        await c.Copy(cancel, $"copy fact_attempt ({FactKey.Columns}, schools, lots, tool_ids, batch_id, started_at, finished_at, accepted_at, given_up_at, outcome, first_pass, reason, cause_confirmed, loops, rework_minutes, slack_mm, parts_lost, shards, cleaves, arcs, acts, acts_together, timers_short, seen, tried) from stdin (format binary)", attempts,
            async (row, x) =>
            {
                var f = x.Fact;
                await x.Key.Put(row, f.PersonId);
                await row.Put([.. f.Schools.OrderBy(s => s.Key, StringComparer.Ordinal).Select(s => string.Create(CultureInfo.InvariantCulture, $"{s.Key}={s.Value}"))]);
                await row.Put([.. f.Lots]);
                await row.Put([.. f.ToolIds.Select(x => x.Value)]);
                await row.Put(f.BatchId?.Value);
                await row.Put(f.StartedAt);
                await row.Put(f.FinishedAt);
                await row.Put(f.AcceptedAt);
                await row.Put(f.GivenUpAt);
                await row.Put(Wire.Name(f.Outcome));
                await row.Put(f.FirstPass);
                await row.Put(f.Reason is { } r ? Wire.Name(r) : null);
                await row.Put(f.CauseConfirmed);
                await row.Put(f.Loops);
                await row.Put(f.ReworkMinutes);
                await row.Put(f.SlackMm);
                await row.Put(f.PartsLost);
                await row.Put(f.Shards);
                await row.Put(f.Cleaves);
                await row.Put(f.Arcs);
                await row.Put(f.Acts);
                await row.Put(f.ActsTogether);
                await row.Put(f.TimersShort);
                await row.Put([.. f.Seen.Select(o => $"{o.Sign}={o.Value}")]);
                await row.Put([.. f.Tried.Select(t => $"{t.Act}={(t.Cured ? "cured" : "not")}")]);
            });
        await c.Copy(cancel, $"copy fact_act ({FactKey.Columns}, event_id, step_id, input, at, attended_s, together, timer_short, went_back) from stdin (format binary)", acts,
            async (row, x) =>
            {
                var f = x.Fact;
                await x.Key.Put(row, f.PersonId);
                await row.Put(f.EventId.Value);
                await row.Put(f.StepId);
                await row.Put(f.Input);
                await row.Put(f.At);
                await row.Put(f.AttendedS);
                await row.Put(f.Together);
                await row.Put(f.TimerShort);
                await row.Put(f.WentBack);
            });
        await c.Copy(cancel, $"copy fact_reading ({FactKey.Columns}, event_id, kind, at, wavelength_nm, loss_db, limit_db, reflectance_db, verdict, direction, instrument_id) from stdin (format binary)", readings,
            async (row, x) =>
            {
                var f = x.Fact;
                await x.Key.Put(row, f.PersonId);
                await row.Put(f.EventId.Value);
                await row.Put(Wire.Name(f.Kind));
                await row.Put(f.At);
                await row.Put(f.WavelengthNm);
                await row.Put(f.LossDb);
                await row.Put(f.LimitDb);
                await row.Put(f.ReflectanceDb);
                await row.Put(f.Verdict is { } v ? Wire.Name(v) : null);
                await row.Put(f.Direction is { } d ? Wire.Name(d) : null);
                await row.Put(f.InstrumentId?.Value);
            });
        await c.Copy(cancel, $"copy fact_look ({FactKey.Columns}, event_id, kind, at, verdict, findings, by_picture) from stdin (format binary)", looks,
            async (row, x) =>
            {
                var f = x.Fact;
                await x.Key.Put(row, f.PersonId);
                await row.Put(f.EventId.Value);
                await row.Put(Wire.Name(f.Kind));
                await row.Put(f.At);
                await row.Put(Wire.Name(f.Verdict));
                await row.Put(f.Findings);
                await row.Put(f.ByPicture);
            });
    }
}
