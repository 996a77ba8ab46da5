using System.Diagnostics;
using System.Net;
using System.Net.Http.Json;
using System.Text.Json;
using System.Text.Json.Nodes;
using Dapper;
using Npgsql;
using NpgsqlTypes;
using Rhabdon.Core;
using Rhabdon.Core.Bench;
using Rhabdon.Core.Ledger;
using Rhabdon.Core.Procedures;
using Rhabdon.Server;
using Rhabdon.Store;

// Rhabdon.Bench SERVER.dll PORT: starts the server on loopback, loads the demo and a large job, and prints ratios of one run.
const int EventsPerRequest = 200;
const int Requests = 100;
const int WarmUp = 5; // requests not counted, on both sides
const int Reads = 800;
const int WarmUpReads = 200;
var connectionString = Environment.GetEnvironmentVariable("RHABDON_DB")!;
var (serverDll, port) = (args[0], args[1]);

Run("load-demo").WaitForExit();
using var server = Run($"serve --port {port}");
try
{
    using var http = new HttpClient(new HttpClientHandler { CookieContainer = new CookieContainer() }) { BaseAddress = new Uri($"http://127.0.0.1:{port}") };
    await Ready(http);
    await SignIn(http, "joss");
    await using var db = NpgsqlDataSource.Create(connectionString);
    var session = await http.GetFromJsonAsync<JsonNode>("/api/session");
    var actor = session!["person"]!["personId"].Deserialize<PersonId>();
    var (jobId, endIds) = await PlanLargeJob(http);
    var batches = Batches(endIds, actor);
    await Intake(http, db, batches);
    await Reading(http, db, jobId, endIds[0]);
}
finally
{
    server.Kill();
    server.WaitForExit();
}

Process Run(string arguments) => Process.Start(new ProcessStartInfo("dotnet", $"\"{serverDll}\" {arguments}"))!;

static async Task Ready(HttpClient http)
{
    for (var i = 0; i < 200; i++)
    {
        try
        {
            (await http.GetAsync("/api/session")).EnsureSuccessStatusCode();
            return;
        }
        catch (HttpRequestException)
        {
            await Task.Delay(100);
        }
    }

    throw new TimeoutException("The server did not start.");
}

static async Task SignIn(HttpClient http, string login)
{
    async Task Token()
    {
        var session = await http.GetFromJsonAsync<JsonNode>("/api/session");
        http.DefaultRequestHeaders.Remove("X-Rhabdon-Token");
        http.DefaultRequestHeaders.Add("X-Rhabdon-Token", session!["token"]!.GetValue<string>());
    }

    await Token();
    (await http.PostAsJsonAsync("/api/session", new { login, password = "lantern-room-9" })).EnsureSuccessStatusCode();
    await Token();
}

// A job of 1152 ends: two cables of 288 strands, both sides.
static async Task<(JobId JobId, List<EndId> Ends)> PlanLargeJob(HttpClient http)
{
    async Task<JsonNode> Post(string path, object body)
    {
        var response = await http.PostAsJsonAsync(path, body, Wire.Json);
        var text = await response.Content.ReadAsStringAsync();
        return response.IsSuccessStatusCode ? JsonNode.Parse(text)! : throw new InvalidOperationException(text);
    }

    var job = (await Post("/api/jobs", new { customer = "Load", site = "Loopback", timeZone = "UTC", dueOn = "2026-12-31", limitSetId = "tia-568.3-d", crewId = (CrewId?)null }))["id"].Deserialize<JobId>();
    var space = (await Post($"/api/jobs/{job}/spaces", new { code = "S", name = "Space" }))["id"].Deserialize<SpaceId>();
    var ends = new List<EndId>();
    foreach (var code in new[] { "A", "B" })
    {
        var cable = (await Post($"/api/jobs/{job}/cables", new { code, fiberClass = "OM3", construction = "cordage-3.0", strandCount = 288, lengthM = 100, slackAMm = 900, slackBMm = 900 }))["id"].Deserialize<CableId>();
        foreach (var side in new[] { "A", "B" })
        {
            var panel = (await Post($"/api/jobs/{job}/panels", new { spaceId = space, code = code + side, ports = 288, adapterForm = "SC", angled = false }))["id"].Deserialize<CableId>();
            var made = await Post($"/api/jobs/{job}/ends", new { cableId = cable, side, fromStrand = 1, toStrand = 288, panelId = panel, firstPort = 1, form = "SC", polish = "UPC", mode = "multimode", method = "wedge-locked", stubClass = "OM3" });
            ends.AddRange(made["endIds"]!.AsArray().Select(e => e.Deserialize<EndId>()));
        }
    }

    return (job, ends);
}

// What a crew sends: whole runs, twelve ends side by side, in requests of 200 events.
static List<LedgerEvent[]> Batches(List<EndId> ends, PersonId actor)
{
    var table = Documents.Load(AppContext.BaseDirectory).Rules.Table("wedge-locked-upc-3mm", 4);
    var device = DeviceId.New();
    var seq = 0L;
    var events = new List<LedgerEvent>();
    foreach (var twelve in ends.Chunk(12))
    {
        var runs = twelve.Select(end => (End: end, Story: Story(table).GetEnumerator())).ToList();
        var runIds = new Dictionary<EndId, RunId>();
        for (var open = true; open;)
        {
            open = false;
            foreach (var (end, story) in runs)
            {
                if (!story.MoveNext())
                {
                    continue;
                }

                open = true;
                var id = EventId.New();
                runIds.TryAdd(end, id.As<Ids.Run>());
                var (kind, body) = story.Current(runIds[end]);
                events.Add(new(id, end, 1, kind, DateTimeOffset.UtcNow, device, ++seq, actor, JsonSerializer.SerializeToElement(body, body.GetType(), Wire.Json)));
            }
        }
    }

    return [.. events.Chunk(EventsPerRequest).Take(Requests)];
}

static IEnumerable<Func<RunId, (EventKind, object)>> Story(RunTable table)
{
    yield return _ => (EventKind.AttemptStarted, new AttemptStarted(table.ProcedureId, table.Version));
    for (var position = RunPosition.At(table); position.StateId is { } id;)
    {
        var state = table.State(id)!;
        var input = state.On.Keys.First();
        yield return state.Question is null
            ? run => (EventKind.StepDone, new StepDone(run, id, null, state.Count?.Min))
            : run => (EventKind.CheckAnswered, new CheckAnswered(run, id, input));
        position = RunWalk.Advance(table, position, id, input).Position;
    }
}

static async Task Intake(HttpClient http, NpgsqlDataSource db, List<LedgerEvent[]> batches)
{
    var timeHttp = new Stopwatch();
    foreach (var (batch, i) in batches.Select((b, i) => (b, i)))
    {
        if (i == WarmUp)
        {
            timeHttp.Start();
        }

        var response = await http.PostAsJsonAsync("/api/ledger", batch, Wire.Json);
        var text = await response.Content.ReadAsStringAsync();
        if (!response.IsSuccessStatusCode || text.Contains("quarantined", StringComparison.Ordinal))
        {
            throw new InvalidOperationException(text[..Math.Min(text.Length, 500)]);
        }
    }

    timeHttp.Stop();

    // The same events and their judgements into tables of the same shape with the same indexes and triggers.
    await using var c = await db.OpenConnectionAsync();
    await c.ExecuteAsync("create table ledger_copy (like ledger including all); create table judgement_copy (like judgement including all)");
    var judged = (await c.QueryAsync<(EventId EventId, string Judged)>("select event_id, judged::text from judgement order by seq")).GroupBy(j => j.EventId).ToDictionary(g => g.Key, g => g.Last().Judged);
    async Task Copy(IReadOnlyList<LedgerEvent> events)
    {
        await using var t = await c.BeginTransactionAsync();
        await CopyEvents(events);
        await CopyJudgements(events);
        await t.CommitAsync();
    }

    async Task CopyJudgements(IReadOnlyList<LedgerEvent> events)
    {
        await using var w = await c.BeginBinaryImportAsync("copy judgement_copy (company_id, stream_id, event_id, judged, made_at) from stdin (format binary)");
        foreach (var e in events)
        {
            await w.StartRowAsync();
            await w.WriteAsync(e.ActorId, NpgsqlDbType.Uuid);
            await w.WriteAsync(e.EndId, NpgsqlDbType.Uuid);
            await w.WriteAsync(e.Id, NpgsqlDbType.Uuid);
            await w.WriteAsync(judged[e.Id], NpgsqlDbType.Jsonb);
            await w.WriteAsync(DateTime.UtcNow, NpgsqlDbType.TimestampTz);
        }

        await w.CompleteAsync();
    }

    async Task CopyEvents(IEnumerable<LedgerEvent> events)
    {
        await using var w = await c.BeginBinaryImportAsync("copy ledger_copy (company_id, event_id, stream_id, attempt, kind, at, device_id, device_seq, actor_id, sender_id, body, received_at) from stdin (format binary)");
        foreach (var e in events)
        {
            await w.StartRowAsync();
            foreach (var (value, type) in new (object, NpgsqlDbType)[]
            {
                (e.ActorId, NpgsqlDbType.Uuid), (e.Id, NpgsqlDbType.Uuid), (e.EndId, NpgsqlDbType.Uuid), (e.Attempt, NpgsqlDbType.Integer), (e.Kind.ToString(), NpgsqlDbType.Text),
                (e.At.UtcDateTime, NpgsqlDbType.TimestampTz), (e.DeviceId, NpgsqlDbType.Uuid), (e.DeviceSeq, NpgsqlDbType.Bigint), (e.ActorId, NpgsqlDbType.Uuid), (e.ActorId, NpgsqlDbType.Uuid),
                (e.Body.GetRawText(), NpgsqlDbType.Jsonb), (DateTime.UtcNow, NpgsqlDbType.TimestampTz),
            })
            {
                await w.WriteAsync(value, type);
            }
        }

        await w.CompleteAsync();
    }

    var timeCopy = new Stopwatch();
    foreach (var (batch, i) in batches.Select((b, i) => (b, i)))
    {
        if (i == WarmUp)
        {
            timeCopy.Start();
        }

        await Copy(batch);
    }

    timeCopy.Stop();
    await c.ExecuteAsync("truncate ledger_copy, judgement_copy");
    var timeWhole = Stopwatch.StartNew();
    await Copy([.. batches.Skip(WarmUp).SelectMany(b => b)]);
    timeWhole.Stop();
    var n = batches.Skip(WarmUp).Sum(b => b.Length);
    Console.WriteLine($"Ledger intake, {n} events, {EventsPerRequest} a request, one client:");
    Console.WriteLine($"  HTTP endpoint          {n / timeHttp.Elapsed.TotalSeconds,9:F0} events/s");
    Console.WriteLine($"  raw COPY, same batches {n / timeCopy.Elapsed.TotalSeconds,9:F0} events/s   ratio {timeCopy.Elapsed / timeHttp.Elapsed:F2}  (wanted 0.30 or more)");
    Console.WriteLine($"  raw COPY, one batch    {n / timeWhole.Elapsed.TotalSeconds,9:F0} events/s   ratio {timeWhole.Elapsed / timeHttp.Elapsed:F2}");
}

static async Task Reading(HttpClient http, NpgsqlDataSource db, JobId jobId, EndId endId)
{
    await using var c = await db.OpenConnectionAsync();
    var scope = await c.QuerySingleAsync("select j.company_id, j.crew_id, p.person_id from job j join person p on p.company_id = j.company_id and p.login = 'joss' where j.job_id = @jobId", new { jobId });
    object Of(object more)
    {
        var p = new DynamicParameters(more);
        p.AddDynamicParams(new { CompanyId = (Guid)scope.company_id, PersonId = (Guid)scope.person_id, Office = false, Viewer = false, WorkCrewId = (Guid)scope.crew_id, MayPlan = true });
        return p;
    }

    await Compare("A job's loom, 1152 ends", http, $"/api/jobs/{jobId}/loom", c, (Jobs.FindSql, Of(new { jobId })), (Records.LoomSql, Of(new { jobId })));
    await Compare("An end's record", http, $"/api/ends/{endId}/record", c, (Records.FindSql, Of(new { endId })), (Rhabdon.Store.EventLog.HistorySql, Of(new { endIds = new[] { endId } })), (Rhabdon.Store.EventLog.LogSql, Of(new { endIds = new[] { endId } })));
}

// The same SQL, in the same order, its rows read and thrown away.
static async Task Compare(string what, HttpClient http, string path, NpgsqlConnection c, params (string Sql, object Parameters)[] queries)
{
    var overHttp = new List<double>();
    var raw = new List<double>();
    for (var i = 0; i < Reads; i++)
    {
        overHttp.Add(await Time(async () => await http.GetByteArrayAsync(path)));
        raw.Add(await Time(async () =>
        {
            foreach (var (sql, parameters) in queries)
            {
                await using var reader = await c.ExecuteReaderAsync(sql, parameters);
                var row = new object[reader.FieldCount];
                while (await reader.ReadAsync())
                {
                    reader.GetValues(row);
                }
            }
        }));
    }

    double P95(List<double> ms) => ms.Skip(WarmUpReads).Order().ElementAt((int)((Reads - WarmUpReads) * 0.95));
    var (h, r) = (P95(overHttp), P95(raw));
    Console.WriteLine($"{what}: p95 over HTTP {h:F2} ms, same SQL raw {r:F2} ms: {h / r:F2}×, {h - r:+0.00} ms  (wanted at most 2×, or +2 ms where that is larger)");
}

static async Task<double> Time(Func<Task> act)
{
    var watch = Stopwatch.StartNew();
    await act();
    return watch.Elapsed.TotalMilliseconds;
}
