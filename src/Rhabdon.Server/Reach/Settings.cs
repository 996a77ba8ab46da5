using System.Globalization;
using System.Net;

namespace Rhabdon.Server.Reach;

/// <summary>A setting that cannot be used. Said to whoever starts the server.</summary>
public sealed class SettingException(string message) : Exception(message);

/// <summary>
/// How the server is started: from a file (<c>--config FILE</c>, JSON), from the environment (<c>RHABDON_TLS_CERT</c>) and from the command line (<c>--tls-cert</c>),
/// the later over the earlier, all by the same names.
/// </summary>
public sealed record Settings
{
    private static readonly HashSet<string> Known =
    [
        "db", "web", "keys", "config", "port", "listen", "name", "tls", "tls-cert", "tls-key", "http-port", "trusted-proxies", "metrics", "evidence-mb", "sign-ins-per-minute", "log-level", "log-file", "log-files", "ready", "backups",
    ];

    /// <summary>What the framework is told on the same line.</summary>
    private static readonly HashSet<string> Hosting = ["environment", "contentRoot", "applicationName"];

    private const string Prefix = "RHABDON_";

    /// <summary>Connection string of the database.</summary>
    public required string Db { get; init; }

    /// <summary>Folder of the built browser part.</summary>
    public string? Web { get; init; }

    /// <summary>Folder for keys: of cookies, and of the server's own authority.</summary>
    public string? Keys { get; init; }

    public IPAddress Listen { get; private init; } = IPAddress.Loopback;

    /// <summary>What the server is called by those who reach it: host names and addresses.</summary>
    public IReadOnlyList<string> Names { get; private init; } = [];

    public int Port { get; private init; }

    /// <summary>Where plain HTTP leads on to HTTPS, and where the page lies that a device needs before it trusts us. 0 for none.</summary>
    public int HttpPort { get; private init; }

    /// <summary>True where the server makes its certificate itself.</summary>
    public bool OwnAuthority { get; private init; }

    public string? TlsCert { get; private init; }

    public string? TlsKey { get; private init; }

    /// <summary>Who may say for whom they ask, and how.</summary>
    public IReadOnlyList<IPNetwork> TrustedProxies { get; private init; } = [];

    /// <summary>Where figures for Prometheus are given; null for nowhere.</summary>
    public IPEndPoint? Metrics { get; private init; }

    /// <summary>Most megabytes of pictures and traces that a company keeps.</summary>
    public long EvidenceMb { get; private init; } = 50_000;

    /// <summary>A file that tells where the server is, written once it answers.</summary>
    public string? Ready { get; private init; }

    /// <summary>The folder in which whoever makes backups leaves word of the last one (tools/dump.sh); null where nobody does.</summary>
    public string? Backups { get; private init; }

    public int SignInsPerMinute { get; private init; } = 30;

    public Serilog.Events.LogEventLevel LogLevel { get; private init; } = Serilog.Events.LogEventLevel.Warning;

    /// <summary>Null for the console, which a supervisor keeps.</summary>
    public string? LogFile { get; init; }

    /// <summary>How many files of a day each are kept.</summary>
    public int LogFiles { get; private init; } = 14;

    public bool Tls => OwnAuthority || TlsCert is not null;

    /// <summary>True where everything comes over HTTPS, here or at a proxy.</summary>
    public bool Secure => Tls || TrustedProxies.Count > 0;

    /// <summary>Where the app is, as a browser is told.</summary>
    public string Address => $"{(Tls ? "https" : "http")}://{Bracketed(Names.FirstOrDefault() ?? (Listen.Equals(IPAddress.Loopback) ? "127.0.0.1" : Listen.ToString()))}{(Port == (Tls ? 443 : 80) ? "" : $":{Port}")}";

    /// <summary>An address of IPv6 stands in brackets where a port may follow.</summary>
    public static string Bracketed(string host) => host.Contains(':', StringComparison.Ordinal) ? $"[{host}]" : host;

    /// <summary>Names that a request may ask for; empty where any may be.</summary>
    public IReadOnlyList<string> Hosts => Names.Count == 0 && IPAddress.IsLoopback(Listen) || Names.Count > 0 ? [.. Names.Select(Bracketed), "localhost", "127.0.0.1", "[::1]"] : [];

    /// <exception cref="SettingException">A setting is unknown, or cannot be used.</exception>
    public static Settings Read(IReadOnlyList<string> arguments, IReadOnlyDictionary<string, string> environment)
    {
        var said = new Dictionary<string, string>(StringComparer.Ordinal);
        var onLine = OnLine(arguments);
        var byEnvironment = environment.Where(e => e.Key.StartsWith(Prefix, StringComparison.Ordinal)).ToDictionary(e => e.Key[Prefix.Length..].ToLowerInvariant().Replace('_', '-'), e => e.Value, StringComparer.Ordinal);
        var file = onLine.GetValueOrDefault("config") ?? byEnvironment.GetValueOrDefault("config");
        foreach (var (name, value) in file is null ? [] : InFile(file))
        {
            said[name] = Known.Contains(name) ? value : throw new SettingException($"There is no setting '{name}', which stands in {file}.");
        }

        // The environment holds much that is not ours.
        foreach (var (name, value) in byEnvironment.Where(e => Known.Contains(e.Key)))
        {
            said[name] = value;
        }

        foreach (var (name, value) in onLine.Where(o => !Hosting.Contains(o.Key)))
        {
            said[name] = Known.Contains(name) ? value : throw new SettingException($"There is no setting '--{name}'.");
        }

        return Of(said);
    }

    private static Settings Of(Dictionary<string, string> said)
    {
        string? Text(string name) => said.GetValueOrDefault(name) is { Length: > 0 } v ? v : null;
        T Value<T>(string name, T otherwise, Func<string, T?> read, string wanted) where T : struct =>
            Text(name) is not { } text ? otherwise : read(text) ?? throw new SettingException($"'{name}' is {wanted}, not '{text}'.");
        int Number(string name, int otherwise, int least, int most) =>
            Value(name, otherwise, t => int.TryParse(t, NumberStyles.None, CultureInfo.InvariantCulture, out var n) && n >= least && n <= most ? n : null, $"a number from {least} to {most}");

        var own = Text("tls") switch { null => false, "own" => true, var other => throw new SettingException($"'tls' is own, or left out where tls-cert and tls-key are given; not '{other}'.") };
        var (cert, key) = (Text("tls-cert"), Text("tls-key"));
        if (cert is null != key is null)
        {
            throw new SettingException("'tls-cert' and 'tls-key' go together.");
        }

        if (own && cert is not null)
        {
            throw new SettingException("Either 'tls' is own, or 'tls-cert' and 'tls-key' are given.");
        }

        foreach (var file in new[] { cert, key }.OfType<string>().Where(f => !File.Exists(f)))
        {
            throw new SettingException($"There is no file {file}.");
        }

        var listen = Text("listen") switch
        {
            null or "localhost" => IPAddress.Loopback,
            "*" or "any" => IPAddress.IPv6Any,
            var text => IPAddress.TryParse(text, out var address) ? address : throw new SettingException($"'listen' is an address of this machine, or any; not '{text}'."),
        };
        IReadOnlyList<string> names = [.. List(Text("name")).Select(n => Uri.CheckHostName(n) == UriHostNameType.Unknown ? throw new SettingException($"'name' is a host name or an address, not '{n}'.") : n.ToLowerInvariant())];
        IReadOnlyList<IPNetwork> proxies = [.. List(Text("trusted-proxies")).Select(Network)];
        if (!IPAddress.IsLoopback(listen) && names.Count == 0)
        {
            throw new SettingException("Who listens to other machines has a name: give 'name', the host name or address by which they reach this one.");
        }

        if (own && names.Count == 0)
        {
            throw new SettingException("A certificate is made for a name: give 'name', the host name or address by which others reach this machine.");
        }

        if (own && Text("keys") is null)
        {
            throw new SettingException("The server's own authority needs a folder to keep its key in: give 'keys'.");
        }

        var tls = own || cert is not null;
        return new()
        {
            Db = Connection(Text("db") ?? throw new SettingException("Give 'db' (or RHABDON_DB), the database's connection string, or start with ./rhabdon.")),
            Web = Text("web"),
            Keys = Text("keys"),
            Listen = listen,
            Names = names,
            Port = Number("port", tls ? 5443 : 5080, 1, 65_535),
            HttpPort = tls ? Number("http-port", 5080, 0, 65_535) : 0,
            OwnAuthority = own,
            TlsCert = cert,
            TlsKey = key,
            TrustedProxies = proxies,
            Metrics = Text("metrics") is not { } m ? null : IPEndPoint.TryParse(m, out var at) && at.Port > 0 ? at : throw new SettingException($"'metrics' is an address with a port, such as 127.0.0.1:9464; not '{m}'."),
            EvidenceMb = Number("evidence-mb", 50_000, 1, 100_000_000),
            SignInsPerMinute = Number("sign-ins-per-minute", 30, 1, 1_000_000),
            LogLevel = Value<Serilog.Events.LogEventLevel>("log-level", Serilog.Events.LogEventLevel.Warning, t => Enum.TryParse<Serilog.Events.LogEventLevel>(t, true, out var l) && !int.TryParse(t, out _) ? l : null, "one of verbose, debug, information, warning, error, fatal"),
            LogFile = Text("log-file"),
            Ready = Text("ready"),
            Backups = Text("backups"),
            LogFiles = Number("log-files", 14, 1, 1000),
        };
    }

    private static string Connection(string text)
    {
        try
        {
            return new Npgsql.NpgsqlConnectionStringBuilder(text).ConnectionString.Length > 0 ? text : throw new SettingException("'db' is empty.");
        }
        catch (Exception e) when (e is ArgumentException or FormatException)
        {
            throw new SettingException($"'db' is a connection string such as Host=127.0.0.1;Username=rhabdon;Database=rhabdon. {e.Message}");
        }
    }

    private static IPNetwork Network(string text) =>
        IPNetwork.TryParse(text, out var network) ? network : IPAddress.TryParse(text, out var one) ? new(one, one.AddressFamily == System.Net.Sockets.AddressFamily.InterNetwork ? 32 : 128)
        : throw new SettingException($"'trusted-proxies' are addresses or networks such as 10.0.0.0/24, not '{text}'.");

    private static string[] List(string? text) => text?.Split([',', ' '], StringSplitOptions.RemoveEmptyEntries | StringSplitOptions.TrimEntries) ?? [];

    private static Dictionary<string, string> OnLine(IReadOnlyList<string> arguments)
    {
        var said = new Dictionary<string, string>(StringComparer.Ordinal);
        for (var i = 0; i < arguments.Count; i++)
        {
            var name = arguments[i].StartsWith("--", StringComparison.Ordinal) ? arguments[i][2..] : throw new SettingException($"'{arguments[i]}' is not a setting.");
            var cut = name.IndexOf('=', StringComparison.Ordinal);
            if (cut >= 0)
            {
                said[name[..cut]] = name[(cut + 1)..];
                continue;
            }

            said[name] = i + 1 < arguments.Count ? arguments[++i] : throw new SettingException($"'--{name}' needs a value.");
        }

        return said;
    }

    private static Dictionary<string, string> InFile(string file)
    {
        try
        {
            using var json = System.Text.Json.JsonDocument.Parse(File.ReadAllText(file), new() { CommentHandling = System.Text.Json.JsonCommentHandling.Skip, AllowTrailingCommas = true });
            return json.RootElement.EnumerateObject().ToDictionary(p => p.Name, p => p.Value.ValueKind == System.Text.Json.JsonValueKind.Array ? string.Join(',', p.Value.EnumerateArray()) : p.Value.ToString(), StringComparer.Ordinal);
        }
        catch (Exception e) when (e is IOException or UnauthorizedAccessException or System.Text.Json.JsonException or InvalidOperationException or ArgumentException)
        {
            throw new SettingException($"{file} cannot be read as settings: {e.Message}");
        }
    }
}
