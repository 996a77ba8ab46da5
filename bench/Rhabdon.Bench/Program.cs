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

// Rhabdon.Bench SERVER.dll PORT [kills N M]: starts the server on loopback, loads the demo and a large job, and prints ratios of one run;
// or kills the server N times and the database M times while six devices send, and says whether anything was lost, doubled or left half done.
// Rhabdon.Bench SERVER.dll PORT facts: all facts of the demo's year made anew, three times.
// Rhabdon.Bench SERVER.dll PORT sizes PORT2: intake into the empty database of RHABDON_DB and into the full one of RHABDON_DB_LARGE, in turn.
const int EventsPerRequest = 500;
const int Rounds = 7; // of both sides in turn; the median counts
const int RequestsPerRound = 20;
const int WarmUp = 150; // requests not counted, on both sides: a server works for weeks, its first second says nothing
const int Reads = 800;
const int WarmUpReads = 200;
var connectionString = Environment.GetEnvironmentVariable("RHABDON_DB")!;
var (serverDll, port) = (args[0], args[1]);

Run(args is [_, _, "facts"] ? "load-demo --year" : "load-demo").WaitForExit();
if (args is [_, _, "facts"])
{
    await FactsAnew();
    return 0;
}

if (args is [_, _, "sizes", var second])
{
    await Sizes(second);
    return 0;
}

if (args is [_, _, "kills", var ofServer, var ofDatabase])
{
    return await Kills(int.Parse(ofServer, System.Globalization.CultureInfo.InvariantCulture), int.Parse(ofDatabase, System.Globalization.CultureInfo.InvariantCulture)) ? 0 : 1;
}

using var server = Run($"serve --port {port}");
try
{
    using var http = new HttpClient(new HttpClientHandler { CookieContainer = new CookieContainer() }) { BaseAddress = new Uri($"http://127.0.0.1:{port}") };
    await Ready(http);
    await SignIn(http, "joss");
    await using var db = Database.Open(connectionString);
    var session = await http.GetFromJsonAsync<JsonNode>("/api/session");
    var actor = session!["person"]!["personId"].Deserialize<PersonId>();
    var (jobId, endIds) = await PlanLargeJob(http, "Load");
    var all = endIds.ToList();
    for (var more = 1; Batches(all, actor).Count < WarmUp + (Rounds * RequestsPerRound); more++)
    {
        all.AddRange((await PlanLargeJob(http, $"Load {more}")).Ends);
    }

    var batches = Batches(all, actor);
    await Intake(http, db, batches);
    await Reading(http, db, jobId, endIds[0]);
}
finally
{
    server.Kill();
    server.WaitForExit();
}

return 0;

// Six devices send at once. Server and database are killed in the midst of it, a killed server is started again as its supervisor would, and
// each device sends again what it had no answer to. Nothing that was answered may be gone, nothing may be there twice.
async Task<bool> Kills(int serverKills, int databaseKills)
{
    const int Writers = 6;
    var random = new Random(7);
    var postmaster = Environment.GetEnvironmentVariable("RHABDON_POSTMASTER")!; // its file postmaster.pid; tools/prove.sh brings it back
    Process? up = null;
    HttpClient Device() => new(new HttpClientHandler { CookieContainer = new CookieContainer() }) { BaseAddress = new Uri($"http://127.0.0.1:{port}"), Timeout = TimeSpan.FromSeconds(20) };
    async Task<Dictionary<EndId, string>> States(NpgsqlDataSource of)
    {
        await using var c = await of.OpenConnectionAsync();
        return (await c.QueryAsync<(EndId EndId, string State)>("select end_id, state::text from end_state")).ToDictionary(x => x.EndId, x => x.State);
    }

    void Serve() => up = Run($"serve --port {port} --sign-ins-per-minute 1000");
    Serve();
    using var planner = Device();
    await Ready(planner);
    await SignIn(planner, "joss");
    await using var db = Database.Open(connectionString);
    var actor = (await planner.GetFromJsonAsync<JsonNode>("/api/session"))!["person"]!["personId"].Deserialize<PersonId>();
    var work = new List<List<LedgerEvent[]>>();
    for (var writer = 0; writer < Writers; writer++)
    {
        work.Add(Batches((await PlanLargeJob(planner, $"Killed {writer}")).Ends, actor));
    }

    var answered = new System.Collections.Concurrent.ConcurrentBag<EventId>();
    var (unanswered, open) = (0, Writers);
    async Task Write(List<LedgerEvent[]> batches)
    {
        using var http = Device();
        var known = false;
        // Each batch is told in parts, so that kills fall between answers too.
        foreach (var batch in batches.SelectMany(b => b.Chunk(50)))
        {
            for (var sent = false; !sent;)
            {
                try
                {
                    if (!known)
                    {
                        await SignIn(http, "joss");
                        known = true;
                    }

                    (await http.PostAsJsonAsync("/api/ledger", batch, Wire.Json)).EnsureSuccessStatusCode();
                    sent = true;
                    foreach (var e in batch)
                    {
                        answered.Add(e.Id);
                    }
                }
                catch (Exception e) when (e is HttpRequestException or TaskCanceledException)
                {
                    Interlocked.Increment(ref unanswered);
                    await Task.Delay(100);
                }
            }
        }

        Interlocked.Decrement(ref open);
    }

    var writing = Task.WhenAll(work.Select(w => Task.Run(() => Write(w))));
    var (killed, cut, longest) = (0, 0, TimeSpan.Zero);
    var kinds = Enumerable.Repeat(false, serverKills).Concat(Enumerable.Repeat(true, databaseKills)).OrderBy(_ => random.Next()).ToList();
    foreach (var database in kinds)
    {
        await Task.Delay(random.Next(200, 1500));
        if (open == 0)
        {
            break;
        }

        var before = answered.Count;
        var gone = Stopwatch.StartNew();
        if (database)
        {
            Process.GetProcessById(int.Parse(File.ReadLines(postmaster).First(), System.Globalization.CultureInfo.InvariantCulture)).Kill();
            cut++;
        }
        else
        {
            up!.Kill();
            await up.WaitForExitAsync();
            Serve();
            killed++;
        }

        while (answered.Count == before && gone.Elapsed < TimeSpan.FromSeconds(60) && open > 0)
        {
            await Task.Delay(20);
        }

        longest = gone.Elapsed > longest ? gone.Elapsed : longest;
        if (up!.HasExited)
        {
            Console.WriteLine("the server ended by itself");
            return false;
        }
    }

    await writing;
    up!.Kill();
    await up.WaitForExitAsync();
    var all = work.SelectMany(w => w).SelectMany(b => b).Select(e => e.Id).ToHashSet();
    await using var c = await db.OpenConnectionAsync();
    var stored = (await c.QueryAsync<EventId>("select event_id from ledger where event_id = any(@ids)", new { ids = all.ToArray() })).ToList();
    var lost = answered.ToHashSet().Except(stored).Count();
    var doubled = stored.Count - stored.Distinct().Count();
    var judged = await c.ExecuteScalarAsync<long>("select count(distinct event_id) from judgement where event_id = any(@ids)", new { ids = all.ToArray() });
    var held = await c.ExecuteScalarAsync<long>("select count(*) from quarantine where settled_at is null");
    var states = await States(db);
    up = Run($"serve --port {port} --rebuild");
    await Ready(planner, 600); // it folds all again before it answers
    up.Kill();
    await up.WaitForExitAsync();
    var differing = (await States(db)).Count(x => states.GetValueOrDefault(x.Key) != x.Value);
    var whole = killed == serverKills && cut == databaseKills && lost == 0 && doubled == 0 && stored.Count == all.Count && judged == all.Count && held == 0 && differing == 0;
    Console.WriteLine($"{killed} kills of the server and {cut} of the database while {Writers} devices sent {all.Count} events, {unanswered} requests without an answer: "
        + $"{lost} answered and lost, {doubled} doubled, {stored.Count} stored, {judged} judged, {held} in quarantine, {differing} states that a rebuild makes otherwise; "
        + $"longest until an answer again {longest.TotalSeconds:0.0} s: {(whole ? "whole" : "NOT WHOLE")}");
    return whole;
}

// The same requests to a server whose company has just begun and to one whose company is ten million events old, in turn.
async Task FactsAnew()
{
    await using var db = Database.Open(connectionString);
    var facts = new FactBook(db);
    await using var c = await db.OpenConnectionAsync();
    var events = await c.ExecuteScalarAsync<long>("select count(*) from ledger");
    for (var round = 0; round < 4; round++)
    {
        var clock = Stopwatch.StartNew();
        do
        {
            await facts.Follow();
        }
        while (await c.ExecuteScalarAsync<bool>("select exists (select from facts_due) or exists (select from projection where name = 'facts' and (building is not null or version = 0))"));

        // The first of them makes what was due anyway, and is cold.
        if (round > 0)
        {
            var perSecond = events / clock.Elapsed.TotalSeconds;
            Console.WriteLine($"all facts made anew: {events} events in {clock.Elapsed.TotalSeconds:F1} s, {perSecond:F0} events/s; ten million would take {1e7 / perSecond / 60:F0} min without a rest, {1e7 / perSecond / 60 * 1.1:F0} min as a server that nobody sends to rests");
        }

        // As they are for a newer version of the program.
        await c.ExecuteAsync($"update projection set version = 0 where name = 'facts'; {string.Join("; ", FactBook.Kinds.Values.Append("yield_day").Select(table => $"update {table} set version = {-1 - round} where version > 0"))}");
    }
}

async Task Sizes(string secondPort)
{
    var sides = new List<(Process Server, HttpClient Http, List<LedgerEvent[]> Batches)>();
    foreach (var (database, at) in new[] { (connectionString, port), (Environment.GetEnvironmentVariable("RHABDON_DB_LARGE")!, secondPort) })
    {
        var up = Run($"serve --port {at}", database);
        var http = new HttpClient(new HttpClientHandler { CookieContainer = new CookieContainer() }) { BaseAddress = new Uri($"http://127.0.0.1:{at}") };
        await Ready(http);
        await SignIn(http, "joss");
        var actor = (await http.GetFromJsonAsync<JsonNode>("/api/session"))!["person"]!["personId"].Deserialize<PersonId>();
        var ends = new List<EndId>();
        for (var n = 0; Batches(ends, actor).Count < WarmUp + (Rounds * RequestsPerRound); n++)
        {
            ends.AddRange((await PlanLargeJob(http, $"Size {n}")).Ends);
        }

        sides.Add((up, http, Batches(ends, actor)));
    }

    async Task<double> Sent(int side, int from, int count)
    {
        var bodies = sides[side].Batches.Skip(from).Take(count).Select(b => JsonSerializer.SerializeToUtf8Bytes(b, Wire.Json)).ToList();
        return await Time(async () =>
        {
            foreach (var body in bodies)
            {
                await Post(sides[side].Http, body);
            }
        });
    }

    await Sent(0, 0, WarmUp);
    await Sent(1, 0, WarmUp);
    var slower = new List<double>();
    for (var round = 0; round < Rounds; round++)
    {
        var from = WarmUp + (round * RequestsPerRound);
        // Whoever goes first in one round goes second in the next.
        var first = round % 2;
        var times = new double[2];
        times[first] = await Sent(first, from, RequestsPerRound);
        times[1 - first] = await Sent(1 - first, from, RequestsPerRound);
        slower.Add(times[1] / times[0]);
    }

    foreach (var side in sides)
    {
        side.Server.Kill();
        await side.Server.WaitForExitAsync();
    }

    Console.WriteLine($"intake at this size takes {slower.Order().ElementAt(Rounds / 2):F2} of the time it takes empty (wanted 1.10 or less; {Rounds} rounds of {RequestsPerRound} requests of {EventsPerRequest} events in turn: {string.Join(", ", slower.Select(s => s.ToString("F2", System.Globalization.CultureInfo.InvariantCulture)))})");
}

Process Run(string arguments, string? database = null) =>
    Process.Start(new ProcessStartInfo("dotnet", $"\"{serverDll}\" {arguments}") { Environment = { ["RHABDON_DB"] = database ?? connectionString } })!;

static async Task Post(HttpClient http, byte[] batch)
{
    using var content = new ByteArrayContent(batch) { Headers = { ContentType = new("application/json") } };
    var response = await http.PostAsync("/api/ledger", content);
    var text = await response.Content.ReadAsStringAsync();
    if (!response.IsSuccessStatusCode || text.Contains("quarantined", StringComparison.Ordinal))
    {
        throw new InvalidOperationException(text[..Math.Min(text.Length, 500)]);
    }
}

static async Task Ready(HttpClient http, int seconds = 20)
{
    for (var i = 0; i < seconds * 10; i++)
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
static async Task<(JobId JobId, List<EndId> Ends)> PlanLargeJob(HttpClient http, string customer)
{
    async Task<JsonNode> Post(string path, object body)
    {
        var response = await http.PostAsJsonAsync(path, body, Wire.Json);
        var text = await response.Content.ReadAsStringAsync();
        return response.IsSuccessStatusCode ? JsonNode.Parse(text)! : throw new InvalidOperationException(text);
    }

    var job = (await Post("/api/jobs", new { customer, site = "Loopback", timeZone = "UTC", dueOn = "2026-12-31", limitSetId = "tia-568.3-d", crewId = (CrewId?)null }))["id"].Deserialize<JobId>();
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
                events.Add(new(id, end, 1, kind, SystemClock.Instance.GetCurrentInstant(), device, ++seq, actor, JsonSerializer.SerializeToElement(body, body.GetType(), Wire.Json)));
            }
        }
    }

    return [.. events.Chunk(EventsPerRequest).Where(b => b.Length == EventsPerRequest)];
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
    // The same events and their judgements into tables of the same shape with the same indexes and triggers.
    await using var c = await db.OpenConnectionAsync();
    await c.ExecuteAsync("create table ledger_copy (like ledger including all); create table judgement_copy (like judgement including all)");
    var judged = new Dictionary<EventId, string>();
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
            await w.WriteAsync(e.ActorId.Value, NpgsqlDbType.Uuid);
            await w.WriteAsync(e.EndId.Value, NpgsqlDbType.Uuid);
            await w.WriteAsync(e.Id.Value, NpgsqlDbType.Uuid);
            await w.WriteAsync(judged[e.Id], NpgsqlDbType.Jsonb);
            await w.WriteAsync(SystemClock.Instance.GetCurrentInstant(), NpgsqlDbType.TimestampTz);
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
                (e.ActorId.Value, NpgsqlDbType.Uuid), (e.Id.Value, NpgsqlDbType.Uuid), (e.EndId.Value, NpgsqlDbType.Uuid), (e.Attempt, NpgsqlDbType.Integer), (e.Kind.ToString(), NpgsqlDbType.Text),
                (e.At, NpgsqlDbType.TimestampTz), (e.DeviceId.Value, NpgsqlDbType.Uuid), (e.DeviceSeq, NpgsqlDbType.Bigint), (e.ActorId.Value, NpgsqlDbType.Uuid), (e.ActorId.Value, NpgsqlDbType.Uuid),
                (e.Body.GetRawText(), NpgsqlDbType.Jsonb), (SystemClock.Instance.GetCurrentInstant(), NpgsqlDbType.TimestampTz),
            })
            {
                await w.WriteAsync(value, type);
            }
        }

        await w.CompleteAsync();
    }

    async Task<(TimeSpan Http, TimeSpan Copy)> Round(IReadOnlyList<LedgerEvent[]> of)
    {
        var bodies = of.Select(batch => JsonSerializer.SerializeToUtf8Bytes(batch, Wire.Json)).ToList();
        var sent = Stopwatch.StartNew();
        foreach (var batch in bodies)
        {
            await Post(http, batch);
        }

        sent.Stop();
        foreach (var j in await c.QueryAsync<(EventId EventId, string Judged)>("select event_id, judged::text from judgement where event_id = any(@ids) order by seq", new { ids = of.SelectMany(b => b).Select(e => e.Id).ToArray() }))
        {
            judged[j.EventId] = j.Judged;
        }

        var copied = Stopwatch.StartNew();
        foreach (var batch in of)
        {
            await Copy(batch);
        }

        return (sent.Elapsed, copied.Elapsed);
    }

    await Round([.. batches.Take(WarmUp)]);
    var rounds = new List<(TimeSpan Http, TimeSpan Copy)>();
    foreach (var of in batches.Skip(WarmUp).Take(Rounds * RequestsPerRound).Chunk(RequestsPerRound))
    {
        rounds.Add(await Round(of));
    }

    var median = rounds.OrderBy(r => r.Copy / r.Http).ElementAt(Rounds / 2);
    const double N = RequestsPerRound * EventsPerRequest;
    Console.WriteLine($"Ledger intake, {EventsPerRequest} events a request, one client, {Rounds} rounds of {RequestsPerRound} requests with both in turn, after {WarmUp} requests:");
    Console.WriteLine($"  HTTP endpoint          {N / median.Http.TotalSeconds,9:F0} events/s");
    Console.WriteLine($"  raw COPY, same batches {N / median.Copy.TotalSeconds,9:F0} events/s   median ratio {median.Copy / median.Http:F2}  (wanted 0.30 or more; rounds {string.Join(", ", rounds.Select(r => $"{r.Copy / r.Http:F2} ({r.Http.TotalMilliseconds / RequestsPerRound:F1} ms, {r.Copy.TotalMilliseconds / RequestsPerRound:F1} ms)"))})");
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
