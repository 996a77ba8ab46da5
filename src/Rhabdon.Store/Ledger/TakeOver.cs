using System.Text.Json.Nodes;
using Npgsql;
using Rhabdon.Core.Ledger;
using Rhabdon.Core.Loss;

namespace Rhabdon.Store;

/// <summary>
/// Events of before judgements were kept: what the stored state of their end says is taken over as the judgement of all of them, once,
/// and marked so. Their verdicts stay as they were.
/// </summary>
public sealed class TakeOver(NpgsqlDataSource db, Rules rules)
{
    private const int BatchSize = 500;

    private sealed record Row(CompanyId CompanyId, EndId EndId, EventId EventId, string? State);

    /// <returns>How many ends were taken over, and those whose state could not be read.</returns>
    public async Task<Rebuilt> Run(CancellationToken cancel = default)
    {
        await using var c = await db.OpenConnectionAsync(cancel);
        var taken = 0;
        var aside = new List<(EndId EndId, string Reason)>();
        for (EndId? after = null; ;)
        {
            await using var t = await c.BeginTransactionAsync(cancel);
            var rows = (await c.Query<Row>(cancel, """
                select e.company_id, e.end_id, (select l.event_id from ledger l where l.company_id = e.company_id and l.stream_id = e.end_id order by l.seq desc limit 1) as event_id, s.state::text as state
                from cable_end e left join end_state s on s.company_id = e.company_id and s.end_id = e.end_id
                where (@after::uuid is null or e.end_id > @after)
                  and exists (select 1 from ledger l where l.company_id = e.company_id and l.stream_id = e.end_id)
                  and not exists (select 1 from judgement g where g.company_id = e.company_id and g.stream_id = e.end_id)
                order by e.end_id limit @BatchSize
                """, new { after, BatchSize }, t)).ToList();
            foreach (var company in rows.GroupBy(r => r.CompanyId))
            {
                var logs = await EventLog.Read(c, t, company.Key, [.. company.Select(r => r.EndId)], cancel);
                var entries = new List<Entry>();
                foreach (var row in company)
                {
                    try
                    {
                        var events = logs[row.EndId].Events;
                        entries.Add(new(events.First(e => e.Id == row.EventId), new TakenOver(Read(row, events)), Restart: true));
                    }
                    catch (Exception x) when (x is not (NpgsqlException or OperationCanceledException))
                    {
                        aside.Add((row.EndId, x.Message));
                    }
                }

                await EventLog.Write(c, t, company.Key, [], [.. entries.Select(JudgementRow.Of)], SystemClock.Instance.GetCurrentInstant(), cancel);
                taken += entries.Count;
            }

            await t.CommitAsync(cancel);
            if (rows.Count < BatchSize)
            {
                return new(taken, aside);
            }

            after = rows[^1].EndId;
        }
    }

    /// <summary>A state as an earlier version wrote it.</summary>
    private EndState Read(Row row, IReadOnlyList<LedgerEvent> events)
    {
        if (row.State is null)
        {
            return EndState.Empty(row.EndId);
        }

        var json = JsonNode.Parse(row.State)!;
        foreach (var loss in json["attempts"]!.AsArray().SelectMany(a => a!["losses"]!.AsArray()).Select(l => l!.AsObject()))
        {
            // There was one kind of marginal, and no far end had to be known.
            if (loss["judgement"]!["verdict"]!.GetValue<string>() == "marginal")
            {
                loss["judgement"]!["verdict"] = Core.Wire.Name(loss["judgement"]!["marginDb"]!.GetValue<double>() < 0 ? LossVerdict.MarginalOver : LossVerdict.MarginalUnder);
            }

            if (!loss.ContainsKey("farMade"))
            {
                loss["takenOver"] = true;
            }
        }

        var state = EndStates.Read(json.ToJsonString());
        return state with
        {
            Attempts = [.. state.Attempts.Select(a => a with { FinishedAt = a.FinishedAt ?? Finished(a, events), ProcedureVersion = rules.VersionOf(a.ProcedureId, a.ProcedureVersion, a.ProcedureHash) })],
            Devices = [.. events.GroupBy(e => e.DeviceId).OrderBy(g => g.Key).Select(g => new DeviceHeard(g.Key, g.Max(e => e.DeviceSeq)))],
        };
    }

    /// <summary>When a finished run was finished, where its state does not say it: with its last act or answer.</summary>
    private static Instant? Finished(AttemptState a, IReadOnlyList<LedgerEvent> events) => a.Position.Outcome != Core.Bench.RunOutcome.Finished ? null
        : events.Where(e => e.Kind is EventKind.StepDone or EventKind.CheckAnswered && e.Attempt == a.No).Select(e => (Instant?)e.At).Max() ?? a.StartedAt;
}
