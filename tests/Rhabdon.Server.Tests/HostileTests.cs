using System.Diagnostics;
using System.Globalization;
using System.Text;
using System.Text.Json;
using System.Text.Json.Nodes;
using Npgsql;
using Rhabdon.Core;
using Xunit;

namespace Rhabdon.Server.Tests;

/// <summary>
/// Requests made from the API document itself, so that an endpoint is tried as soon as it exists: bodies with parts missing, null, of another kind,
/// huge, no number, badly encoded, doubled or deep, broken forms, addresses and questions of nonsense. ./rhabdon prove hostile sends 20,000.
/// </summary>
public class HostileTests(TestHost host)
{
    private static readonly int Tries = int.Parse(Environment.GetEnvironmentVariable("RHABDON_HOSTILE") ?? "500", CultureInfo.InvariantCulture);

    private static readonly string Deep = string.Concat(Enumerable.Repeat("""{"a":[""", 40)) + string.Concat(Enumerable.Repeat("]}", 40));

    /// <summary>What stands in the place of a part, as it is written.</summary>
    private static readonly string[] Instead =
    [
        "null", "true", "\"\"", "0", "-1", "1.5", "1e308", "-1e308", "1e400", "NaN", "-Infinity", "2147483648", "-99999999999999999999", "[]", "{}", "[null]", "[[]]", Deep,
        "\"\\u0000\"", "\"\\ud800\"", "\"\u202eabc\"", "\"2026-13-45\"", "\"9999-12-31T23:59:60Z\"", "\"00000000-0000-0000-0000-000000000000\"", "\"=1+1\"", "\"<b>\"",
        $"\"{new string('x', 3000)}\"", $"\"{new string('9', 400)}\"", $"[{string.Join(',', Enumerable.Repeat("0", 3000))}]", "\"@bytes\"",
    ];

    private static readonly string[] Words = ["", "x", "-1", "0", "99999999999999999999", "1e400", "NaN", "%00", "%ff", "..", "%2e%2e%2f", "null", "a%0d%0ab", "%F0%9F%90%A6", "00000000-0000-0000-0000-000000000000", new string('z', 900)];

    [Fact]
    public async Task Whoever_leaves_in_the_middle_of_an_answer_leaves_nothing_behind_for_the_next()
    {
        // As a thumb does that goes from page to page: some of the answers are not waited for, and every other one has to be whole.
        var c = await host.NewCompany();
        var installer = await c.SignIn("installer1");
        string[] paths = [$"/api/places/{c.PanelId}/bench", "/api/today", "/api/jobs/at-hand", $"/api/jobs/{c.JobId}/loom"];
        await Parallel.ForEachAsync(Enumerable.Range(0, Tries), new ParallelOptions { MaxDegreeOfParallelism = 12, CancellationToken = TestContext.Current.CancellationToken }, async (n, _) =>
        {
            using var leaves = new CancellationTokenSource(n % 2 == 0 ? Timeout.InfiniteTimeSpan : TimeSpan.FromMilliseconds(n % 60));
            try
            {
                using var answer = await installer.SendAsIs(new(HttpMethod.Get, paths[n % 7 % paths.Length]), leaves.Token);
                Assert.True(answer.IsSuccessStatusCode, $"{paths[n % 7 % paths.Length]}: {(int)answer.StatusCode}");
            }
            catch (OperationCanceledException) when (leaves.IsCancellationRequested)
            {
            }
        });
    }

    [Fact]
    public async Task Whatever_is_sent_wherever_the_answer_is_a_clear_one_and_nothing_of_a_refused_request_is_kept()
    {
        var c = await host.NewCompany();
        var office = await c.SignIn("office");
        var document = await office.Get("/openapi/v1.json");
        var operations = document["paths"]!.AsObject().SelectMany(p => p.Value!.AsObject().Select(m => (Path: p.Key, Method: m.Key.ToUpperInvariant(), Of: m.Value!))).ToList();
        await using var db = NpgsqlDataSource.Create(host.ConnectionString);
        var count = await Count(db);
        async Task<string[]> Kept()
        {
            await using var command = db.CreateCommand(count);
            command.Parameters.Add(new() { Value = c.Id.Value });
            return (string[])(await command.ExecuteScalarAsync())!;
        }

        var (wrong, refused, slowest, live) = (new List<string>(), 0, TimeSpan.Zero, 0L);
        var kept = await Kept();
        for (var i = 0; i < Tries; i++)
        {
            live = i == Tries / 4 ? LiveMb() : live;
            var chance = new Random(i);
            var (path, method, of) = operations[i % operations.Count];
            if (path is "/api/session" && method == "DELETE")
            {
                continue;
            }

            var request = new HttpRequestMessage(new(method), Address(path, of, c, chance)) { Content = Content(method, path, of, document, c, chance) };
            var sent = $"try {i}, {method} {request.RequestUri}"[..Math.Min(200, $"try {i}, {method} {request.RequestUri}".Length)];
            var watch = Stopwatch.StartNew();
            var response = await office.SendAsIs(request);
            var text = await response.Content.ReadAsStringAsync();
            slowest = watch.Elapsed > slowest ? watch.Elapsed : slowest;
            var status = (int)response.StatusCode;
            if (status >= 500 || watch.Elapsed > TimeSpan.FromSeconds(10))
            {
                wrong.Add($"{sent}: {status} after {watch.Elapsed.TotalSeconds:F1} s, {text[..Math.Min(300, text.Length)]}");
            }
            else if (status >= 400)
            {
                refused++;
                if (status is not (404 or 405) && string.IsNullOrEmpty(JsonNode.Parse(text)?["field"]?.GetValue<string>()))
                {
                    wrong.Add($"{sent}: {status} names no field: {text[..Math.Min(300, text.Length)]}");
                }

                if ((await Kept()).Except(kept).ToList() is { Count: > 0 } held)
                {
                    wrong.Add($"{sent}: {status}, and yet something was kept: now {string.Join(", ", held)}");
                }
            }

            if (path is "/api/people/{personId}/password" or "/api/session")
            {
                office = await c.SignIn("office");
            }

            kept = await Kept();
        }

        Assert.True(wrong.Count == 0, $"{wrong.Count} of {Tries}:\n{string.Join('\n', wrong.Take(20))}");
        Assert.True(refused > Tries / 3, $"only {refused} of {Tries} were refused: nothing is tried");
        var lived = LiveMb();
        Assert.True(lived - live <= 24, $"{live} MB live after a quarter of {Tries} requests, {lived} MB after all: something holds on to what it was sent");
        TestContext.Current.TestOutputHelper?.WriteLine($"{Tries} requests, {refused} refused, the slowest took {slowest.TotalSeconds:F2} s; live {live} MB after a quarter, {lived} MB after all; the process {Environment.WorkingSet / 1_000_000} MB");
    }

    /// <summary>Refused at the door: in a statement that the driver was just preparing it left the connection so that the next question was answered with 500 (seen once in 40,000).</summary>
    [Fact]
    public async Task A_zero_byte_in_a_question_never_comes_to_the_database()
    {
        var c = await host.NewCompany();
        var office = await c.SignIn("office");
        for (var i = 0; i < 20; i++)
        {
            Assert.Equal((System.Net.HttpStatusCode.BadRequest, "bad-text", "find"), await office.Refused("GET", "/api/jobs?find=%00"));
            (await office.Send("GET", "/api/jobs?find=tower")).EnsureSuccessStatusCode();
        }
    }

    /// <summary>What is still held once everything that nobody holds is gone.</summary>
    private static long LiveMb()
    {
        GC.Collect(GC.MaxGeneration, GCCollectionMode.Aggressive, true, true);
        GC.WaitForPendingFinalizers();
        return GC.GetTotalMemory(true) / 1_000_000;
    }

    /// <summary>Counts all that is kept of a company, over every table that holds companies' rows.</summary>
    private static async Task<string> Count(NpgsqlDataSource db)
    {
        // What was asked for before is drawn, sealed and reckoned meanwhile: that is no part of the request.
        await using var command = db.CreateCommand("""
            select 'select array[' || string_agg(format('(select %L || count(*) from %I where company_id = $1)', table_name || ' ', table_name), ',') || ']'
            from information_schema.columns join information_schema.tables using (table_schema, table_name)
            where table_schema = 'public' and column_name = 'company_id' and table_type = 'BASE TABLE' and table_name not in ('dossier_file', 'seal_key', 'yield_day', 'facts_due') and table_name not like 'fact\_%'
            """);
        return (string)(await command.ExecuteScalarAsync())!;
    }

    private static string Address(string path, JsonNode of, TestCompany c, Random chance)
    {
        var parameters = (of["parameters"]?.AsArray() ?? []).Select(p => (Name: p!["name"]!.GetValue<string>(), In: p["in"]!.GetValue<string>())).ToList();
        if (chance.Next(4) == 0)
        {
            foreach (var (name, _) in parameters.Where(p => p.In == "path"))
            {
                path = path.Replace($"{{{name}}}", Words[chance.Next(Words.Length)].Replace("%00", "%7f"));
            }
        }

        path = AccessTests.Filled(path, c);
        var asked = parameters.Where(p => p.In == "query" && chance.Next(2) == 0).Select(p => $"{p.Name}={Words[chance.Next(Words.Length)]}").ToList();
        return asked.Count == 0 ? path : $"{path.Split('?')[0]}?{string.Join('&', asked)}";
    }

    private static HttpContent? Content(string method, string path, JsonNode of, JsonNode document, TestCompany c, Random chance)
    {
        if (of["requestBody"]?["content"] is not JsonObject kinds)
        {
            return method == "GET" || chance.Next(3) > 0 ? null : Of(Encoding.UTF8.GetBytes("{}"), "application/json");
        }

        var kind = kinds.ElementAt(chance.Next(kinds.Count)).Key;
        if (!kind.Contains("json"))
        {
            return File(kind, chance);
        }

        var whole = chance.Next(2) == 0 ? JsonSerializer.SerializeToNode(AccessTests.Body($"{method} {path}", c), Wire.Json) : Whole(kinds[kind]!["schema"]!, document, chance, 0);
        var body = Broken(whole, chance);
        return chance.Next(20) switch
        {
            0 => Of(body[..chance.Next(body.Length + 1)], "application/json"),
            1 => Of(Encoding.Unicode.GetBytes(Encoding.UTF8.GetString(body)), "application/json; charset=utf-16"),
            2 => Of(body, "application/json; charset=nonsense"),
            3 => Of(body, "text/plain"),
            4 => Of([0xEF, 0xBB, 0xBF, .. body], "application/json"),
            5 => Of(Encoding.UTF8.GetBytes(Instead[chance.Next(Instead.Length)]), "application/json"),
            _ => Of(body, "application/json"),
        };
    }

    private static ByteArrayContent Of(byte[] body, string type)
    {
        var content = new ByteArrayContent(body);
        content.Headers.TryAddWithoutValidation("Content-Type", type);
        return content;
    }

    /// <summary>A file or a form that is none, or not the one that was asked for.</summary>
    private static ByteArrayContent File(string kind, Random chance)
    {
        var noise = new byte[chance.Next(4) * chance.Next(3000)];
        chance.NextBytes(noise);
        byte[][] heads = [[], [0x89, 0x50, 0x4E, 0x47, 0x0D, 0x0A, 0x1A, 0x0A], [0xFF, 0xD8, 0xFF], [0x49, 0x49, 42, 0], "Map\0"u8.ToArray()];
        byte[] file = [.. heads[chance.Next(heads.Length)], .. noise];
        var form = kind.Contains("multipart") || chance.Next(3) == 0;
        return form
            ? Of([.. "--b\r\nContent-Disposition: form-data; name=\""u8, .. Encoding.UTF8.GetBytes(chance.Next(2) == 0 ? "file" : new string('n', chance.Next(2000))), .. "\"; filename=\"\u00e9\\\"\0\"\r\n\r\n"u8, .. file, .. Encoding.ASCII.GetBytes(chance.Next(2) == 0 ? "\r\n--b--\r\n" : "")],
                chance.Next(4) == 0 ? "multipart/form-data" : "multipart/form-data; boundary=b")
            : Of(file, chance.Next(3) == 0 ? "text/plain" : kind);
    }

    /// <summary>The text of a body, with a few of its parts other than they should be.</summary>
    private static byte[] Broken(JsonNode? whole, Random chance)
    {
        var places = Count(whole);
        var hit = Enumerable.Range(0, chance.Next(1, 4)).Select(_ => chance.Next(places)).ToHashSet();
        var text = new StringBuilder();
        var at = 0;
        Write(whole);
        var bytes = Encoding.UTF8.GetBytes(text.ToString());
        // Bytes that are no letters of any encoding.
        var mark = bytes.AsSpan().IndexOf("@bytes"u8);
        if (mark >= 0)
        {
            (bytes[mark], bytes[mark + 1]) = (0xC3, 0x28);
        }

        return bytes;

        void Write(JsonNode? node)
        {
            if (hit.Contains(at++))
            {
                text.Append(Instead[chance.Next(Instead.Length)]);
                at += Count(node) - 1;
            }
            else if (node is JsonObject o)
            {
                text.Append('{');
                var first = true;
                foreach (var (name, value) in o)
                {
                    if (hit.Contains(at) && chance.Next(2) == 0)
                    {
                        at += Count(value); // left out
                        continue;
                    }

                    text.Append(first ? "" : ",").Append(JsonSerializer.Serialize(name)).Append(':');
                    first = false;
                    Write(value);
                    if (chance.Next(40) == 0)
                    {
                        text.Append(',').Append(JsonSerializer.Serialize(chance.Next(2) == 0 ? name : name.ToUpperInvariant())).Append(":1");
                    }
                }

                text.Append('}');
            }
            else if (node is JsonArray a)
            {
                text.Append('[');
                for (var i = 0; i < a.Count; i++)
                {
                    text.Append(i > 0 ? "," : "");
                    Write(a[i]);
                }

                text.Append(']');
            }
            else
            {
                text.Append(node?.ToJsonString() ?? "null");
            }
        }
    }

    private static int Count(JsonNode? node) => 1 + node switch
    {
        JsonObject o => o.Sum(p => Count(p.Value)),
        JsonArray a => a.Sum(Count),
        _ => 0,
    };

    /// <summary>Something that a shape allows, with the parts that may be left out, too.</summary>
    private static JsonNode? Whole(JsonNode schema, JsonNode document, Random chance, int deep)
    {
        if (schema["$ref"]?.GetValue<string>() is { } at)
        {
            return Whole(document["components"]!["schemas"]![at.Split('/')[^1]]!, document, chance, deep + 1);
        }

        if ((schema["oneOf"] ?? schema["anyOf"])?.AsArray() is { Count: > 0 } any)
        {
            return Whole(any[chance.Next(any.Count)]!, document, chance, deep + 1);
        }

        if (schema["enum"]?.AsArray() is { Count: > 0 } choices)
        {
            return choices[chance.Next(choices.Count)]?.DeepClone();
        }

        var type = schema["type"] is JsonArray several ? several.Select(t => t!.GetValue<string>()).ElementAt(chance.Next(several.Count)) : schema["type"]?.GetValue<string>();
        return deep > 12 ? null : type switch
        {
            "object" when schema["properties"] is JsonObject parts => new JsonObject(parts.Select(p => KeyValuePair.Create(p.Key, Whole(p.Value!, document, chance, deep + 1)))),
            "object" => new JsonObject { ["850"] = schema["additionalProperties"] is JsonObject of ? Whole(of, document, chance, deep + 1) : 1 },
            "array" => new JsonArray([.. Enumerable.Range(0, chance.Next(3)).Select(_ => Whole(schema["items"] ?? new JsonObject(), document, chance, deep + 1))]),
            "integer" => chance.Next(-1, 200),
            "number" => Math.Round((chance.NextDouble() * 200) - 20, 2),
            "boolean" => chance.Next(2) == 0,
            "string" => schema["format"]?.GetValue<string>() switch
            {
                "uuid" => Guid.Empty.ToString(),
                "date" => "2026-11-26",
                "date-time" => "2026-11-26T10:00:00Z",
                _ => new[] { "a", "SC", "one-cord", "OM3", "id: x" }[chance.Next(5)],
            },
            _ => null,
        };
    }
}
