using System.Net;
using System.Net.Http.Json;
using System.Text.Json;
using System.Text.Json.Nodes;
using Microsoft.AspNetCore.Hosting;
using Microsoft.AspNetCore.Identity;
using Microsoft.AspNetCore.Mvc.Testing;
using Microsoft.AspNetCore.Mvc.Testing.Handlers;
using Microsoft.Extensions.DependencyInjection;
using Npgsql;
using Rhabdon.Core;
using Rhabdon.Core.Ledger;
using Rhabdon.Store;
using Xunit;

[assembly: AssemblyFixture(typeof(Rhabdon.Server.Tests.TestHost))]

namespace Rhabdon.Server.Tests;

/// <summary>The whole server on a database of its own, on the PostgreSQL that ./rhabdon test started.</summary>
public sealed class TestHost : IAsyncLifetime
{
    public const string Password = "correct horse 9";
    private readonly string _database = $"t_{Guid.NewGuid():N}";
    private Factory? _factory;

    public string ConnectionString { get; private set; } = "";

    public IServiceProvider Services => _factory!.Services;

    public ValueTask InitializeAsync() => Start(null);

    /// <param name="dump">SQL of an earlier version's database, which the server then opens.</param>
    /// <param name="seen">Asked of the database before the server opens it.</param>
    public async ValueTask Start(string? dump, Func<NpgsqlDataSource, Task>? seen = null)
    {
        var cluster = Environment.GetEnvironmentVariable("RHABDON_TEST_DB")
            ?? throw new InvalidOperationException("No database: run ./rhabdon test, or set RHABDON_TEST_DB to a PostgreSQL server.");
        await using var admin = NpgsqlDataSource.Create(cluster);
        await admin.CreateCommand($"create database {_database}").ExecuteNonQueryAsync();
        ConnectionString = new NpgsqlConnectionStringBuilder(cluster) { Database = _database }.ConnectionString;
        if (dump is not null)
        {
            await using var old = NpgsqlDataSource.Create(ConnectionString);
            await using (var script = old.CreateCommand(dump))
            {
                await script.ExecuteNonQueryAsync();
            }

            await seen!(old);
        }

        _factory = new Factory(ConnectionString, ("sign-ins-per-minute", "100000"));
        _ = _factory.Services; // starts it here, before tests ask for it side by side
    }

    /// <summary>Once the facts have come as far as the ledger, whoever makes them: the server's own follower may be at it.</summary>
    public async Task Facts()
    {
        await using var db = NpgsqlDataSource.Create(ConnectionString);
        await using var due = db.CreateCommand("select exists (select from facts_due)");
        do
        {
            await Services.GetRequiredService<FactBook>().Follow(TestContext.Current.CancellationToken);
        }
        while ((bool)(await due.ExecuteScalarAsync(TestContext.Current.CancellationToken))!);
    }

    public async ValueTask DisposeAsync()
    {
        if (_factory is not null)
        {
            await _factory.DisposeAsync();
        }
    }

    /// <summary>A visitor with cookies of their own and the token of their session.</summary>
    public async Task<Caller> Visit(bool withToken = true)
    {
        var caller = Caller.Of(_factory!);
        if (withToken)
        {
            await caller.TakeToken();
        }

        return caller;
    }

    public Microsoft.AspNetCore.TestHost.WebSocketClient WebSockets() => _factory!.Server.CreateWebSocketClient();

    public async Task<Caller> SignIn(string login)
    {
        var caller = await Visit();
        (await caller.Post("/api/session", new { login, password = Password })).EnsureSuccessStatusCode();
        await caller.TakeToken();
        return caller;
    }

    /// <summary>A new company with an office, two crews with lead and installer each, a viewer, and a planned job of the first crew.</summary>
    public async Task<TestCompany> NewCompany()
    {
        var tag = Guid.NewGuid().ToString("N")[..8];
        var people = Services.GetRequiredService<People>();
        var hash = Services.GetRequiredService<IPasswordHasher<string>>().HashPassword("", Password);
        var companyId = CompanyId.New();
        await people.SetUp(companyId, $"Company {tag}", PersonId.New(), "Office", $"office-{tag}", hash, onlyFirst: false);
        CrewId[] crews = [CrewId.New(), CrewId.New()];
        for (var i = 0; i < 2; i++)
        {
            await people.AddCrew(companyId, crews[i], $"Crew {i + 1}");
            await people.AddPerson(companyId, PersonId.New(), crews[i], $"Lead {i + 1}", $"lead{i + 1}-{tag}", Role.Lead, hash);
            await people.AddPerson(companyId, PersonId.New(), crews[i], $"Installer {i + 1}", $"installer{i + 1}-{tag}", Role.Installer, hash);
        }

        await people.AddPerson(companyId, PersonId.New(), null, "Viewer", $"viewer-{tag}", Role.Viewer, hash);
        var company = new TestCompany(this, companyId, tag, crews, [.. await people.List(companyId, null, null, null, 1000)]);
        await company.PlanJob();
        return company;
    }

    /// <summary>The office of a company that has nothing yet.</summary>
    public async Task<Caller> EmptyCompany()
    {
        var (companyId, tag) = (CompanyId.New(), Guid.NewGuid().ToString("N")[..8]);
        await Services.GetRequiredService<People>().SetUp(companyId, $"Company {tag}", PersonId.New(), "Office", $"office-{tag}", Services.GetRequiredService<IPasswordHasher<string>>().HashPassword("", Password), onlyFirst: false);
        return await SignIn($"office-{tag}");
    }

    public async Task<T> Scalar<T>(string sql, params object[] parameters)
    {
        await using var db = NpgsqlDataSource.Create(ConnectionString);
        await using var command = db.CreateCommand(sql);
        foreach (var p in parameters)
        {
            command.Parameters.Add(new() { Value = IsId(p.GetType()) ? ((dynamic)p).Value : p });
        }

        var value = (await command.ExecuteScalarAsync())!;
        return IsId(typeof(T)) ? (T)Activator.CreateInstance(typeof(T), value)! : (T)value;
    }

    private static bool IsId(Type type) => type.IsGenericType && type.GetGenericTypeDefinition() == typeof(Id<>);

    /// <summary>A visitor of a second server on the same database, with these settings, and else those that the product has.</summary>
    public async Task<Caller> VisitWith(params (string Name, string Value)[] settings)
    {
        var caller = Caller.Of(new Factory(ConnectionString, settings));
        await caller.TakeToken();
        return caller;
    }

    private sealed class Factory(string connectionString, params (string Name, string Value)[] settings) : WebApplicationFactory<Program>
    {
        protected override void ConfigureWebHost(IWebHostBuilder builder)
        {
            builder.UseSetting("db", connectionString);
            foreach (var (name, value) in settings)
            {
                builder.UseSetting(name, value);
            }
        }
    }
}

public sealed class Caller(HttpClient http, CookieContainer jar)
{
    public static Caller Of(WebApplicationFactory<Program> server)
    {
        var jar = new CookieContainer();
        return new(server.CreateDefaultClient(new CookieContainerHandler(jar)), jar);
    }

    /// <summary>The cookies as a browser would send them.</summary>
    public string Cookies() => jar.GetCookieHeader(http.BaseAddress!);

    public async Task TakeToken()
    {
        var session = await http.GetFromJsonAsync<JsonNode>("/api/session");
        http.DefaultRequestHeaders.Remove("X-Rhabdon-Token");
        http.DefaultRequestHeaders.Add("X-Rhabdon-Token", session!["token"]!.GetValue<string>());
    }

    public Task<HttpResponseMessage> Send(string method, string path, object? body = null) =>
        http.SendAsync(new(new(method), path) { Content = body is null ? null : JsonContent.Create(body, options: Wire.Json) });

    /// <summary>Sends a file as it is, and reads the answer; what is refused comes back as the problem.</summary>
    public async Task<JsonNode> File(string path, byte[] bytes, string contentType = "application/octet-stream")
    {
        var content = new ByteArrayContent(bytes);
        content.Headers.ContentType = new(contentType);
        return JsonNode.Parse(await (await http.PostAsync(path, content)).Content.ReadAsStringAsync())!;
    }

    public Task<HttpResponseMessage> SendContent(string path, HttpContent content) => http.PostAsync(path, content);

    public Task<HttpResponseMessage> SendRaw(string method, string path, string json) =>
        http.SendAsync(new(new(method), path) { Content = new StringContent(json, new System.Net.Http.Headers.MediaTypeHeaderValue("application/json")) });

    public Task<HttpResponseMessage> SendAsIs(HttpRequestMessage request, CancellationToken cancel = default) => http.SendAsync(request, cancel);

    public Task<HttpResponseMessage> SendWithCookies(string path, string cookies)
    {
        var request = new HttpRequestMessage(HttpMethod.Get, path);
        request.Headers.Add("Cookie", cookies);
        return http.SendAsync(request);
    }

    public Task<HttpResponseMessage> SendText(string path, string json) => http.PostAsync(path, new StringContent(json, new System.Net.Http.Headers.MediaTypeHeaderValue("application/json")));

    public Task<HttpResponseMessage> Post(string path, object body) => Send("POST", path, body);

    public Task<string> Text(string path) => http.GetStringAsync(path);

    public async Task<JsonNode> Get(string path) => JsonNode.Parse(await http.GetStringAsync(path))!;

    /// <summary>The status, the code and the field of a request that is refused.</summary>
    public async Task<(HttpStatusCode Status, string Code, string Field)> Refused(string method, string path, object? body = null)
    {
        var response = await Send(method, path, body);
        var problem = JsonNode.Parse(await response.Content.ReadAsStringAsync())!;
        return (response.StatusCode, problem["code"]!.GetValue<string>(), problem["field"]!.GetValue<string>());
    }

    public async Task<Guid> Make(string path, object body)
    {
        var response = await Post(path, body);
        var text = await response.Content.ReadAsStringAsync();
        Assert.True(response.IsSuccessStatusCode, text);
        return JsonNode.Parse(text)!["id"]!.GetValue<Guid>();
    }
}

public sealed class TestCompany(TestHost host, CompanyId companyId, string tag, CrewId[] crews, Person[] people)
{
    private long _seq;

    public CompanyId Id => companyId;

    public string Tag => tag;

    public CrewId[] Crews => crews;

    public JobId JobId { get; private set; }

    public SpaceId SpaceId { get; private set; }

    public PanelId PanelId { get; private set; }

    public CableId CableId { get; private set; }

    public EndId[] Ends { get; private set; } = [];

    public DeviceId Device { get; } = DeviceId.New();

    public Person Person(string login) => people.First(p => p.Login == $"{login}-{tag}");

    public Task<Caller> SignIn(string login) => host.SignIn($"{login}-{tag}");

    public async Task PlanJob()
    {
        var office = await SignIn("office");
        JobId = new(await office.Make("/api/jobs", JobBody()));
        SpaceId = new(await office.Make($"/api/jobs/{JobId}/spaces", new { code = "S1", name = "Space" }));
        PanelId = new(await office.Make($"/api/jobs/{JobId}/panels", new { spaceId = SpaceId, code = "P1", ports = 24, adapterForm = "SC", angled = false }));
        CableId = new(await office.Make($"/api/jobs/{JobId}/cables", CableBody("C1")));
        var made = await office.Post($"/api/jobs/{JobId}/ends", EndsBody());
        Ends = [.. JsonNode.Parse(await made.Content.ReadAsStringAsync())!["endIds"]!.AsArray().Select(e => e.Deserialize<EndId>())];
        Assert.Equal(12, Ends.Length);
    }

    public object JobBody(string timeZone = "Europe/London", string dueOn = "2026-12-01", string limitSetId = "tia-568.3-d", CrewId? crewId = null) =>
        new { customer = "Customer", site = "Site", timeZone, dueOn, limitSetId, crewId = crewId ?? crews[0] };

    public object JobChange(int version, string site = "Site", string dueOn = "2026-12-01") =>
        new { customer = "Customer", site, timeZone = "Europe/London", dueOn, limitSetId = "tia-568.3-d", crewId = crews[0], version };

    public static object CableBody(string code, int strandCount = 24, double lengthM = 100) =>
        new { code, fiberClass = "OM3", construction = "cordage-3.0", strandCount, lengthM, slackAMm = 500, slackBMm = 500 };

    public object EndsBody(int from = 1, int to = 12, int firstPort = 1, string polish = "UPC", string stubClass = "OM3", string side = "A") =>
        new { cableId = CableId, side, fromStrand = from, toStrand = to, panelId = PanelId, firstPort, form = "SC", polish, mode = "multimode", method = "wedge-locked", stubClass };

    public Rhabdon.Core.Ledger.LedgerEvent Event(EndId endId, Rhabdon.Core.Ledger.EventKind kind, object body, int attempt = 1, string by = "installer1") =>
        new(EventId.New(), endId, attempt, kind, SystemClock.Instance.GetCurrentInstant(), Device, Interlocked.Increment(ref _seq), Person(by).PersonId, JsonSerializer.SerializeToElement(body, Wire.Json));

    /// <summary>Something of a batch, a job, a crew, a tool, a lot or an instrument.</summary>
    public Rhabdon.Core.Ledger.StreamEvent Said<TKind>(Rhabdon.Core.Ledger.StreamKind stream, Id<TKind> id, Rhabdon.Core.Ledger.StreamEventKind kind, object body, string by = "installer1", Instant? at = null) =>
        new(EventId.New(), stream, id.As<Ids.Stream>(), kind, at ?? SystemClock.Instance.GetCurrentInstant(), Device, Interlocked.Increment(ref _seq), Person(by).PersonId, JsonSerializer.SerializeToElement(body, Wire.Json));
}

/// <summary>A server on a database that no other test sees.</summary>
internal sealed class OwnHost : IAsyncDisposable
{
    public TestHost Host { get; } = new();

    public ValueTask DisposeAsync() => Host.DisposeAsync();
}
