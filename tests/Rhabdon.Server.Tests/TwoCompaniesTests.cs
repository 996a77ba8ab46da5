using System.Text;
using System.Text.Json;
using System.Text.Json.Nodes;
using Microsoft.Extensions.DependencyInjection;
using Npgsql;
using Rhabdon.Core;
using Rhabdon.Core.Ledger;
using Rhabdon.Store;
using Xunit;

namespace Rhabdon.Server.Tests;

/// <summary>
/// Two companies that have the very same ids for everything: a query that forgets whose it is answers with the other's, or changes it. Every
/// question is asked with the second company beside the first and without it, and every write is made while the other must stay as it is.
/// </summary>
public class TwoCompaniesTests
{
    /// <summary>Rows of another company with the ids of this one; its words are others, so that a mix-up shows.</summary>
    private const string Twin = """
        do $$
        declare t record; cols text; vals text;
        begin
          set local session_replication_role = replica;
          for t in select c.table_name from information_schema.columns c join information_schema.tables b using (table_schema, table_name)
                   where c.table_schema = 'public' and c.column_name = 'company_id' and b.table_type = 'BASE TABLE' loop
            select string_agg(quote_ident(column_name), ', '),
                   string_agg(case when column_name = 'company_id' then quote_literal('{twin}') || '::uuid'
                                   when column_name in ('customer', 'site', 'login', 'reason', 'title') then quote_ident(column_name) || ' || '' of the other'''
                                   when column_name = 'hash' then 'sha256(hash)'
                                   when column_name = 'name' then 'name || '' of the other'''
                                   else quote_ident(column_name) end, ', ')
              into cols, vals from information_schema.columns
             where table_schema = 'public' and information_schema.columns.table_name = t.table_name and is_generated = 'NEVER' and is_identity = 'NO';
            execute format('insert into %I (%s) overriding user value select %s from %I where company_id = %L', t.table_name, cols, vals, t.table_name, '{own}');
          end loop;
        end $$;
        """;

    [Fact]
    public async Task Whoever_shares_all_ids_is_neither_read_nor_changed()
    {
        await using var own = new OwnHost();
        var host = own.Host;
        await host.Start(null);
        var c = await host.NewCompany();
        await Story(host, c);
        await using var db = NpgsqlDataSource.Create(host.ConnectionString);
        var ids = await Named(db, c);
        var office = await c.SignIn("office");
        // The audit goes on with every question: what stood there before is asked.
        var until = $"{DateTime.UtcNow:yyyy-MM-ddTHH:mm:ss.fffZ}";
        var alone = await Answers(office, c, ids, until);
        Assert.True(alone.Count(a => a.Value.StartsWith("200", StringComparison.Ordinal)) > 45, string.Join('\n', alone.Where(a => !a.Value.StartsWith("200", StringComparison.Ordinal)).Select(a => $"{a.Key}: {a.Value[..Math.Min(90, a.Value.Length)]}")));

        var twin = CompanyId.New();
        await db.CreateCommand(Twin.Replace("{twin}", twin.ToString()).Replace("{own}", c.Id.ToString())).ExecuteNonQueryAsync();
        foreach (var (asked, answer) in await Answers(office, c, ids, until))
        {
            // When it was asked is no part of what is told.
            string Told(string a) => System.Text.RegularExpressions.Regex.Replace(a, asked switch { "/api/today" => "^200 \\{\"at\":\"[^\"]*\"", "/api/week" => "\"minutes\":-?[0-9]+", _ => "(?!)" }, "");
            Assert.True(Told(alone[asked]) == Told(answer), $"{asked}: was {alone[asked]}\nis now {answer}");
        }

        var before = await Rows(db, twin);
        Assert.True(before.Count(t => t.Value != "") >= before.Count - 3, string.Join(' ', before.Where(t => t.Value == "").Select(t => t.Key)));
        foreach (var operation in AccessTests.Operations.Where(o => !o.StartsWith("GET", StringComparison.Ordinal) && !o.Contains("/session") && !o.Contains("/setup")))
        {
            var (method, path) = (operation.Split(' ')[0], Filled(operation.Split(' ')[1], c, ids));
            await office.Send(method, path, AccessTests.Body(operation, c));
        }

        var again = SliceTests.Run(c, c.Ends[3], 1);
        await SliceTests.Tell(await c.SignIn("installer1"), [.. again, c.Event(c.Ends[3], EventKind.Inspected, new Inspected(again[0].Id.As<Ids.Run>(), [])), c.Event(c.Ends[3], EventKind.Measured, SliceTests.Reading(again[0].Id.As<Ids.Run>(), 850, 0.5))]);
        await host.Facts();

        foreach (var (table, was) in before)
        {
            Assert.True(was == (await Rows(db, twin, table))[table], $"{table} of the other company has changed");
        }
    }

    /// <summary>Something of every kind that can be asked for.</summary>
    private static async Task Story(TestHost host, TestCompany c)
    {
        var (office, lead, installer) = (await c.SignIn("office"), await c.SignIn("lead1"), await c.SignIn("installer1"));
        var batch = BatchId.New();
        var run = SliceTests.Run(c, c.Ends[0], 1);
        await SliceTests.Tell(installer, [.. run, c.Event(c.Ends[0], EventKind.Inspected, new Inspected(run[0].Id.As<Ids.Run>(), [])), c.Event(c.Ends[0], EventKind.Measured, SliceTests.Reading(run[0].Id.As<Ids.Run>(), 850, 0.5))]);
        await SliceTests.Tell(installer, c.Event(c.Ends[1], EventKind.AttemptStarted, new AttemptStarted("wedge-locked-upc-3mm", 4, batch)));
        // One that is given up is counted in the days of yield.
        var failed = SliceTests.Run(c, c.Ends[2], 1);
        await SliceTests.Tell(installer, [.. failed, c.Event(c.Ends[2], EventKind.AttemptClosed, new AttemptClosed(failed[0].Id.As<Ids.Run>(), Core.Rework.ReworkReason.CleaveLength, true))]);
        await host.Facts();
        var face = await installer.Post("/api/calc/simulate/end-face", AccessTests.Body("POST /api/calc/simulate/end-face", c));
        await installer.File($"/api/ends/{c.Ends[0]}/pictures", Convert.FromBase64String(JsonDocument.Parse(await face.Content.ReadAsStringAsync()).RootElement.GetProperty("pngBase64").GetString()!));
        var trace = await installer.Post("/api/calc/simulate/trace", new { lengthM = 100, dbPerKm = 3, events = Array.Empty<object>() });
        await installer.File($"/api/ends/{c.Ends[0]}/traces", await trace.Content.ReadAsByteArrayAsync());
        StreamEvent Of(StreamKind kind, StreamEventKind what, object body, StreamId? id = null) => c.Said(kind, id ?? StreamId.New(), what, body, "lead1");
        (await lead.Post("/api/ledger", new[]
        {
            Of(StreamKind.Tool, StreamEventKind.ToolAdded, new ToolAdded(c.Crews[0], ToolKind.Cleaver, "Cleaver")), Of(StreamKind.Lot, StreamEventKind.LotOpened, new LotOpened(c.Crews[0], "Adhesive", "A-1")),
            Of(StreamKind.Instrument, StreamEventKind.InstrumentAdded, new InstrumentAdded(c.Crews[0], InstrumentKind.PowerMeter, "Meter", null, 0.1)),
            Of(StreamKind.Batch, StreamEventKind.ContainerCounted, new ContainerCounted(3, 1), batch.As<Ids.Stream>()), Of(StreamKind.Job, StreamEventKind.Delayed, new Delayed(DelayReason.Other, 30, null, "rain"), c.JobId.As<Ids.Stream>()),
            Of(StreamKind.Pick, StreamEventKind.PickMade, new PickMade(c.Crews[0], [c.JobId], 0.95, [new(KitApiTests.Wedge, 12, c.SpaceId)])),
            Of(StreamKind.Store, StreamEventKind.StoreCounted, new StoreCounted(KitApiTests.Wedge, 40), StoreState.Only), Of(StreamKind.Crew, StreamEventKind.StockCounted, new StockCounted(KitApiTests.Wedge, 4), c.Crews[0].As<Ids.Stream>()),
            Of(StreamKind.Job, StreamEventKind.Blocked, new Blocked(BlockReason.NoAccess, null, "the keeper has the key"), c.JobId.As<Ids.Stream>()),
        })).EnsureSuccessStatusCode();
        // What nobody planned waits in quarantine.
        await installer.Post("/api/ledger", new[] { c.Event(EndId.New(), EventKind.Noted, new Noted("of no end")) });
        foreach (var operation in new[] { "POST /api/jobs/{jobId}/modules", "POST /api/jobs/{jobId}/cords", "POST /api/jobs/{jobId}/chains", "POST /api/jobs/{jobId}/assignments", "POST /api/procedures/copies", "PUT /api/schools/{optionId}", "POST /api/tokens", "PUT /api/company/figures", "PUT /api/diagnosis/causes", "PUT /api/letterhead", "PUT /api/plans/mappings/{name}", "PUT /api/labels/sheets", "PUT /api/jobs/{jobId}/prices", "PUT /api/hours/{personId}/{day}", "PUT /api/week/figures", "POST /api/week/{monday}/plan" })
        {
            (await office.Send(operation.Split(' ')[0], AccessTests.Filled(operation.Split(' ')[1], c), AccessTests.Body(operation, c))).EnsureSuccessStatusCode();
        }

        while ((await office.Get("/api/week?on=2026-07-13"))["stage"]!.GetValue<string>() is not ("done" or "failed"))
        {
            await Task.Delay(100);
        }

        await HandoverTests.Paper(office, c, "company");
        var link = JsonNode.Parse(await (await office.Post($"/api/jobs/{c.JobId}/links", new { name = "The keeper", days = 30 })).Content.ReadAsStringAsync())!["address"]!.GetValue<string>();
        var opens = new HttpRequestMessage(HttpMethod.Get, "/api/shared");
        opens.Headers.Add("X-Rhabdon-Link", link.Split('#')[1]);
        (await office.SendAsIs(opens)).EnsureSuccessStatusCode();
        await host.Services.GetRequiredService<Codes>().Confirm(c.Id, c.Person("viewer").PersonId, 1, ["a code for a lost telephone"], SystemClock.Instance.GetCurrentInstant());
        (await office.Send("PUT", $"/api/jobs/{c.JobId}/viewers", new { personIds = new[] { c.Person("viewer").PersonId } })).EnsureSuccessStatusCode();
        const string Limits = "id: house-tight-1\ntitle: House\nedition: House, first\nsource: Our own\nspliceDb: 0.1\nconnections:\n  - { mode: multimode, endDb: 0.3, pairDb: 0.3 }\ncable:\n  - { fiberClass: OM3, wavelengthNm: 850, dbPerKm: 2.5 }\n";
        (await office.Post("/api/limits/own", new { kind = "loss", yaml = Limits })).EnsureSuccessStatusCode();
        await host.Facts();
    }

    /// <summary>Ids that the story made, by the name that a path has for them.</summary>
    private static async Task<Dictionary<string, string>> Named(NpgsqlDataSource db, TestCompany c)
    {
        async Task<string> One(string sql) => (await db.CreateCommand(sql.Replace("{own}", c.Id.ToString())).ExecuteScalarAsync())?.ToString() ?? throw new InvalidOperationException(sql);
        return new()
        {
            ["{pictureId}"] = await One("select evidence_id from evidence where company_id = '{own}' and lower(kind) = 'picture' limit 1"),
            ["{traceId}"] = await One("select evidence_id from evidence where company_id = '{own}' and lower(kind) = 'trace' order by evidence_id limit 1"),
            ["{quarantineId}"] = await One("select quarantine_id from quarantine where company_id = '{own}' limit 1"),
            ["{batchId}"] = await One("select stream_id from stream_state where company_id = '{own}' and stream = 'Batch' limit 1"),
            ["{procedureId}/{version}"] = await One("select procedure_id || '/' || version from own_procedure where company_id = '{own}' limit 1"),
            ["modules/{id}"] = "modules/" + await One("select module_id from module where company_id = '{own}' limit 1"),
            ["cords/{id}"] = "cords/" + await One("select cord_id from cord where company_id = '{own}' limit 1"),
            ["chains/{id}"] = "chains/" + await One("select chain_id from chain where company_id = '{own}' limit 1"),
            ["{dossierId}"] = await One("select dossier_id from dossier where company_id = '{own}' limit 1"),
            ["{linkId}"] = await One("select link_id from job_link where company_id = '{own}' limit 1"),
            ["{tokenId}"] = await One("select person_id from token where company_id = '{own}' limit 1"),
            ["{kind}"] = "attempts",
        };
    }

    private static string Filled(string path, TestCompany c, Dictionary<string, string> ids) => AccessTests.Filled(ids.Aggregate(path, (p, id) => p.Replace(id.Key, id.Value)), c);

    private static async Task<Dictionary<string, string>> Answers(Caller by, TestCompany c, Dictionary<string, string> ids, string until)
    {
        string[] lists = ["form=LC", "polish=UPC", "mode=multimode", "method=wedge-locked", "verdict=pass", "verdict=none", "status=accepted", "status=planned", "status=to-accept", "nearlyOut=true", "mine=true", $"jobId={c.JobId}", $"placeId={c.PanelId}", $"crewId={c.Crews[0]}", $"after={c.Ends[2]}"];
        var answers = new Dictionary<string, string>();
        foreach (var path in AccessTests.Operations.Where(o => o.StartsWith("GET", StringComparison.Ordinal) && !o.Contains("/session") && !o.Contains("/audit") && !o.Contains("/labels/test") && !o.Contains("/labels/file")).Select(o => Filled(o.Split(' ')[1], c, ids))
            .Concat(lists.Select(l => $"/api/ends?{l}")).Concat(["/api/jobs?find=office", $"/api/jobs?after={c.JobId}", "/api/people?find=lead", $"/api/audit?until={until}", "/api/facts/acts", "/api/facts/readings", "/api/facts/looks"]))
        {
            using var response = await by.Send("GET", path, null);
            answers[path] = $"{(int)response.StatusCode} {Encoding.UTF8.GetString(await response.Content.ReadAsByteArrayAsync())}";
        }

        return answers;
    }

    /// <summary>A sum over all rows of a company, by table.</summary>
    private static async Task<Dictionary<string, string>> Rows(NpgsqlDataSource db, CompanyId company, string? only = null)
    {
        var tables = new List<string>();
        await using (var reader = await db.CreateCommand("select distinct c.table_name from information_schema.columns c join information_schema.tables b using (table_schema, table_name) where c.table_schema = 'public' and c.column_name = 'company_id' and b.table_type = 'BASE TABLE'").ExecuteReaderAsync())
        {
            while (await reader.ReadAsync())
            {
                tables.Add(reader.GetString(0));
            }
        }

        var sums = new Dictionary<string, string>();
        foreach (var table in tables.Where(t => only is null || t == only))
        {
            sums[table] = (string)(await db.CreateCommand($"select coalesce(md5(string_agg(x::text, '|' order by x::text)), '') from \"{table}\" x where company_id = '{company}'").ExecuteScalarAsync())!;
        }

        return sums;
    }
}
