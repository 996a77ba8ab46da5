using System.Net;
using System.Text.Json.Nodes;
using Npgsql;
using Rhabdon.Store;
using Xunit;

namespace Rhabdon.Server.Tests;

/// <summary>What whoever runs the server relies on: backups, versions, where the database is, and room for files.</summary>
public sealed class UpkeepTests(TestHost host) : IDisposable
{
    private readonly string _folder = Directory.CreateTempSubdirectory("rhabdon-upkeep-").FullName;

    public void Dispose() => Directory.Delete(_folder, true);

    private async Task<Caller> Office(TestCompany c, params (string, string)[] settings)
    {
        var office = await host.VisitWith(settings);
        (await office.Post("/api/session", new { login = $"office-{c.Tag}", password = TestHost.Password })).EnsureSuccessStatusCode();
        await office.TakeToken();
        return office;
    }

    [Fact]
    public async Task The_office_is_told_whether_the_last_backup_was_good_and_whether_one_is_overdue()
    {
        var office = await Office(await host.NewCompany(), ("backups", _folder));
        async Task<(bool Ok, bool Late)> Told(string? word)
        {
            if (word is not null)
            {
                await File.WriteAllTextAsync(Path.Combine(_folder, "last.json"), word);
            }

            var b = await office.Get("/api/backup");
            return (b["ok"]!.GetValue<bool>(), b["late"]!.GetValue<bool>());
        }

        static string Ago(int hours) => DateTimeOffset.UtcNow.AddHours(-hours).ToString("yyyy-MM-dd'T'HH:mm:ss'Z'", System.Globalization.CultureInfo.InvariantCulture);
        string Word(bool ok, int at, int? good) => $$"""{"at":"{{Ago(at)}}","ok":{{(ok ? "true" : "false")}},"goodAt":{{(good is { } g ? $"\"{Ago(g)}\"" : "null")}},"file":"x","bytes":7,"events":3,"seconds":1,"problem":null}""";
        Assert.Equal((false, true), await Told(null));
        Assert.Equal((true, false), await Told(Word(true, 8, 8)));
        Assert.Equal((true, true), await Told(Word(true, 27, 27)));
        Assert.Equal((false, false), await Told(Word(false, 1, 25)));
        Assert.Equal((false, true), await Told(Word(false, 1, null)));
        Assert.Equal((false, true), await Told("{ half a wo"));
    }

    [Fact]
    public async Task The_version_that_is_shown_is_the_one_that_the_changes_tell_of_on_top()
    {
        var root = AppContext.BaseDirectory;
        while (!File.Exists(Path.Combine(root, "CHANGELOG.md")))
        {
            root = Path.GetDirectoryName(root)!;
        }

        var top = (await File.ReadAllLinesAsync(Path.Combine(root, "CHANGELOG.md"))).First(l => l.StartsWith("## ", StringComparison.Ordinal))[3..].Split(',')[0];
        Assert.Equal(top, (await (await (await host.NewCompany()).SignIn("viewer")).Get("/api/about"))["version"]!.GetValue<string>());
    }

    [Fact]
    public async Task A_database_that_a_newer_version_has_been_at_is_left_alone()
    {
        await using var own = new OwnHost();
        await own.Host.InitializeAsync();
        Database.Migrate(own.Host.ConnectionString); // once more is nothing
        await using var db = NpgsqlDataSource.Create(own.Host.ConnectionString);
        await using (var later = db.CreateCommand("insert into schemaversions (scriptname, applied) values ('Rhabdon.Store.Migrations.9999_later.sql', now())"))
        {
            await later.ExecuteNonQueryAsync();
        }

        Assert.Contains("9999_later", Assert.Throws<NewerDatabaseException>(() => Database.Migrate(own.Host.ConnectionString)).Message, StringComparison.Ordinal);
    }

    [Fact]
    public void Where_the_database_is_is_said_to_the_shell_and_no_password_breaks_out_of_it()
    {
        var said = DatabaseAddress.ForShell("Host=/run/postgresql;Username=rhabdon;Database=rhabdon;Password=it's; $(touch x);SSL Mode=VerifyFull".Replace("it's; $(touch x)", "\"it's; $(touch x)\""));
        var shell = System.Diagnostics.Process.Start(new System.Diagnostics.ProcessStartInfo("sh", ["-c", said + "printf '%s|%s|%s|%s|%s' \"$PGHOST\" \"$PGUSER\" \"$PGDATABASE\" \"$PGPASSWORD\" \"$PGSSLMODE\""]) { RedirectStandardOutput = true })!;
        Assert.Equal("/run/postgresql|rhabdon|rhabdon|it's; $(touch x)|verify-full", shell.StandardOutput.ReadToEnd());
    }

    [Fact]
    public async Task What_no_longer_fits_is_refused_with_words_and_what_is_there_is_still_read()
    {
        var c = await host.NewCompany();
        var office = await Office(c, ("evidence-mb", "1"));
        byte[] Grey(int side)
        {
            using var noise = new OpenCvSharp.Mat(side, side, OpenCvSharp.MatType.CV_8UC1);
            OpenCvSharp.Cv2.Randu(noise, 0, 255);
            return noise.ToBytes(".png");
        }

        var kept = (await office.File($"/api/ends/{c.Ends[0]}/photos", Grey(600), "image/png"))["pictureId"]!.GetValue<string>();
        using var large = new ByteArrayContent(Grey(1000)) { Headers = { ContentType = new("image/png") } };
        var refused = await office.SendContent($"/api/ends/{c.Ends[0]}/photos", large);
        Assert.Equal(HttpStatusCode.InsufficientStorage, refused.StatusCode);
        var words = JsonNode.Parse(await refused.Content.ReadAsStringAsync())!;
        Assert.Equal("storage-full", words["code"]!.GetValue<string>());
        Assert.NotEmpty(words["title"]!.GetValue<string>());
        Assert.Equal(HttpStatusCode.OK, (await office.Send("GET", $"/api/pictures/{kept}", null)).StatusCode);
    }
}
