using System.Text.Json;
using Npgsql;
using Rhabdon.Core;
using Rhabdon.Core.Connectors;
using Rhabdon.Core.Diagnosis;
using Rhabdon.Core.Ledger;
using Rhabdon.Core.Rework;

namespace Rhabdon.Store;

/// <param name="Own">What the company says itself; null where it has said nothing.</param>
/// <param name="Cases">Connectors whose cause was confirmed at the bench, the last of them.</param>
/// <param name="Version">0 where the shipped tables hold.</param>
public sealed record CompanyCauses(OwnTables? Own, IReadOnlyList<ConfirmedCase> Cases, int Version)
{
    /// <summary>The tables as this company says them.</summary>
    public DiagnosisTables Said => DiagnosisTables.Shipped.Said(Own);

    /// <summary>The tables that hold for this company.</summary>
    public DiagnosisTables Tables => Said.Moved(Cases);
}

/// <summary>What is known of causes, signs and acts, as a company says it and as it was found.</summary>
public sealed class Causes(NpgsqlDataSource db)
{
    /// <summary>What was years ago says little of today (ours).</summary>
    private const int MostConfirmed = 2000, Days = 365;

    public async Task<CompanyCauses> Of(CompanyId companyId, CancellationToken cancel = default)
    {
        await using var c = await db.OpenConnectionAsync(cancel);
        var own = (await c.Query<(int Version, string Document)>(cancel, "select version, document::text from company_causes where company_id = @companyId", new { companyId })).ToList();
        var confirmed = await c.Query<(string Method, string Reason, string Seen, string Tried)>(cancel, """
            select method, reason, array_to_string(seen, ' '), array_to_string(tried, ' ') from fact_attempt
            where company_id = @companyId and version = (select version from projection where name = 'facts') and cause_confirmed and reason is not null
            order by started_at desc limit @MostConfirmed
            """, new { companyId, MostConfirmed });
        return new(own.Count == 0 ? null : JsonSerializer.Deserialize<OwnTables>(own[0].Document, Wire.Json), [.. confirmed.Select(r => new ConfirmedCase(
            DiagnosisTables.FamilyOf(Wire.Parse<TerminationMethod>(r.Method)), Wire.Parse<ReworkReason>(r.Reason),
            [.. Pairs(r.Seen).Select(p => new Observation(p[0], p[1]))], [.. Pairs(r.Tried).Select(p => new TriedAct(p[0], p[1] == "cured"))]))], own.Count == 0 ? 0 : own[0].Version);
    }

    private sealed record MadeRow(string? Lot, string Method, long Made, long Passed);

    /// <summary>What the record says of the things that these runs were made with, by run.</summary>
    public async Task<IReadOnlyDictionary<RunId, RunHistory>> HistoryOf(CompanyId companyId, IReadOnlyCollection<AttemptState> runs, CancellationToken cancel = default)
    {
        var toolIds = runs.SelectMany(r => r.ToolIds).Select(t => t.Value).Distinct().ToArray();
        var lots = runs.SelectMany(r => r.Preflight).Select(p => p.Lot).OfType<string>().Distinct(StringComparer.Ordinal).ToArray();
        if (toolIds.Length + lots.Length == 0)
        {
            return new Dictionary<RunId, RunHistory>();
        }

        await using var c = await db.OpenConnectionAsync(cancel);
        IReadOnlyList<ToolState> tools = toolIds.Length == 0 ? []
            : [.. (await c.Query<string>(cancel, "select state::text from stream_state where company_id = @companyId and stream = 'Tool' and stream_id = any(@toolIds)", new { companyId, toolIds })).Select(s => (ToolState)Streams.Read(s))];
        IReadOnlyList<MadeOf> made = lots.Length == 0 ? []
            : [.. (await c.Query<MadeRow>(cancel, """
                with days as (
                    select set_id, method, sum(made)::bigint as made, sum(passed)::bigint as passed from yield_day
                    where company_id = @companyId and version = (select version from projection where name = 'facts') and job_id is null and day >= current_date - @Days and made > 0 group by 1, 2)
                select null::text as lot, method, sum(made)::bigint as made, sum(passed)::bigint as passed from days group by 2
                union all
                select l.lot, d.method, sum(d.made)::bigint, sum(d.passed)::bigint
                from days d join yield_set s on s.company_id = @companyId and s.set_id = d.set_id cross join unnest(s.lots) as l (lot) where l.lot = any(@lots) group by 1, 2
                """, new { companyId, lots, Days })).Select(r => new MadeOf(r.Lot, r.Method, r.Made, r.Passed))];
        return runs.DistinctBy(r => r.RunId).ToDictionary(r => r.RunId, r => RunHistory.Of(r, tools, made));
    }

    private static IEnumerable<string[]> Pairs(string said) => said.Split(' ', StringSplitOptions.RemoveEmptyEntries).Select(p => p.Split('='));

    /// <returns>False when they have changed since the version that the change was made on.</returns>
    public async Task<bool> Save(CompanyId companyId, PersonId personId, OwnTables own, int onVersion, Instant now, CancellationToken cancel = default)
    {
        await using var c = await db.OpenConnectionAsync(cancel);
        var args = new { companyId, personId, document = JsonSerializer.Serialize(own, Wire.Json), onVersion, now };
        return await c.Run(cancel, """
            insert into company_causes (company_id, version, document, changed_by, changed_at) select @companyId, 1, @document::jsonb, @personId, @now where @onVersion = 0
            on conflict (company_id) do nothing
            """, args) == 1
            || (onVersion > 0 && await c.Run(cancel, "update company_causes set version = version + 1, document = @document::jsonb, changed_by = @personId, changed_at = @now where company_id = @companyId and version = @onVersion", args) == 1);
    }
}
