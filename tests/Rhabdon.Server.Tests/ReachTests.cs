using System.Net;
using System.Security.Cryptography;
using System.Security.Cryptography.X509Certificates;
using Rhabdon.Server.Reach;
using Xunit;

namespace Rhabdon.Server.Tests;

/// <summary>How the server is started, and by what others know it.</summary>
public sealed class ReachTests : IDisposable
{
    private readonly string _folder = Directory.CreateTempSubdirectory("rhabdon-reach-").FullName;

    private sealed class Clock(DateTimeOffset now) : TimeProvider
    {
        public DateTimeOffset Now { get; set; } = now;

        public override DateTimeOffset GetUtcNow() => Now;
    }

    public void Dispose() => Directory.Delete(_folder, true);

    private static Settings Read(string line, params (string, string)[] environment) =>
        Settings.Read(line.Split(' ', StringSplitOptions.RemoveEmptyEntries), environment.ToDictionary(e => e.Item1, e => e.Item2));

    [Fact]
    public void Settings_come_from_a_file_the_environment_and_the_line_the_later_over_the_earlier()
    {
        var file = Path.Combine(_folder, "rhabdon.json");
        File.WriteAllText(file, """{ "db": "Host=of-the-file", "port": 6001, "name": ["rack.example", "192.0.2.7"], "listen": "0.0.0.0", "trusted-proxies": "10.0.0.0/24, 192.0.2.9" }""");
        var s = Read($"--config {file} --port 6003", ("RHABDON_PORT", "6002"), ("RHABDON_DB", "Host=of-the-environment"), ("RHABDON_STORIES", "60"), ("PATH", "/bin"));
        Assert.Equal(("Host=of-the-environment", 6003, false), (s.Db, s.Port, s.Tls));
        Assert.Equal(["rack.example", "192.0.2.7", "localhost", "127.0.0.1", "[::1]"], s.Hosts);
        Assert.True(s.Secure); // a proxy that is trusted has HTTPS before it
        Assert.Contains(s.TrustedProxies, n => n.Contains(IPAddress.Parse("10.0.0.77")));
        Assert.DoesNotContain(s.TrustedProxies, n => n.Contains(IPAddress.Parse("192.0.2.8")));
        Assert.Equal("http://127.0.0.1:5080", Read("--db Host=x").Address);
        Assert.Equal("https://rack.example:5443", Read("--db Host=x --tls own --name rack.example --keys k").Address);
    }

    [Theory]
    [InlineData("--db Host=x --liste 0.0.0.0", "--liste")]
    [InlineData("--db Host=x --listen 0.0.0.0", "'name'")] // who is reached from outside says as what
    [InlineData("--db Host=x --listen here", "'listen'")]
    [InlineData("--db Host=x --port 70000", "'port'")]
    [InlineData("--db Host=x --tls self", "'tls'")]
    [InlineData("--db Host=x --tls own", "'name'")]
    [InlineData("--db Host=x --tls own --name rack.example", "'keys'")]
    [InlineData("--db Host=x --tls-cert c.pem", "'tls-key'")]
    [InlineData("--db Host=x --name a_b!", "'name'")]
    [InlineData("--db Host=x --trusted-proxies all", "'trusted-proxies'")]
    [InlineData("--db Host=x --metrics 9464", "'metrics'")]
    [InlineData("--port 5080", "'db'")]
    [InlineData("--db Hots=x", "'db'")]
    [InlineData("--db", "--db")]
    [InlineData("--config nowhere.json", "nowhere.json")]
    public void A_setting_that_cannot_be_used_is_named(string line, string named) => Assert.Contains(named, Assert.Throws<SettingException>(() => Read(line)).Message, StringComparison.Ordinal);

    [Fact]
    public void The_own_authority_is_made_once_and_its_certificate_is_renewed_by_itself()
    {
        var clock = new Clock(DateTimeOffset.UtcNow);
        using var first = new OwnAuthority(_folder, ["rack.example", "192.0.2.7"], clock);
        var (print, server) = (first.Fingerprint, first.Server.SerialNumber);
        Assert.True(Trusts(first, first.Server, clock.Now));
        Assert.Equal(["authority.key", "authority.pem", "server.key", "server.pem"], Directory.GetFiles(_folder).Select(Path.GetFileName).Order());
        Assert.All(Directory.GetFiles(_folder, "*.key"), f => Assert.True(OperatingSystem.IsLinux() && File.GetUnixFileMode(f) == (UnixFileMode.UserRead | UnixFileMode.UserWrite), f));

        using var again = new OwnAuthority(_folder, ["rack.example", "192.0.2.7"], clock); // after a restart
        Assert.Equal((print, server), (again.Fingerprint, again.Server.SerialNumber));

        clock.Now = clock.Now.AddDays(61);
        Assert.NotEqual(server, again.Server.SerialNumber);
        Assert.True(Trusts(again, again.Server, clock.Now.AddDays(80)));
        Assert.Equal(print, again.Fingerprint); // tablets go on trusting it

        using var moved = new OwnAuthority(_folder, ["other.example"], clock);
        Assert.NotEqual(print, moved.Fingerprint); // the authority is good for its names alone
    }

    /// <summary>Held against the platform's own check of chains, which follows RFC 5280.</summary>
    [Fact]
    public void Who_steals_the_authority_passes_for_nobody_else()
    {
        var clock = new Clock(DateTimeOffset.UtcNow);
        using var own = new OwnAuthority(_folder, ["rack.example"], clock);
        using var stolen = X509Certificate2.CreateFromPemFile(Path.Combine(_folder, "authority.pem"), Path.Combine(_folder, "authority.key"));
        Assert.True(Trusts(own, Signed(stolen, "rack.example"), clock.Now));
        Assert.False(Trusts(own, Signed(stolen, "bank.example"), clock.Now));
        Assert.False(Trusts(own, Signed(stolen, "203.0.113.5"), clock.Now));
    }

    private static X509Certificate2 Signed(X509Certificate2 authority, string name)
    {
        using var key = ECDsa.Create(ECCurve.NamedCurves.nistP256);
        var request = new CertificateRequest($"CN={name}", key, HashAlgorithmName.SHA256);
        var names = new SubjectAlternativeNameBuilder();
        if (IPAddress.TryParse(name, out var address))
        {
            names.AddIpAddress(address);
        }
        else
        {
            names.AddDnsName(name);
        }

        request.CertificateExtensions.Add(names.Build());
        return request.Create(authority, DateTimeOffset.UtcNow.AddMinutes(-5), DateTimeOffset.UtcNow.AddDays(9), [1, 2, 3]);
    }

    private static bool Trusts(OwnAuthority authority, X509Certificate2 server, DateTimeOffset at)
    {
        using var chain = new X509Chain();
        chain.ChainPolicy.TrustMode = X509ChainTrustMode.CustomRootTrust;
        chain.ChainPolicy.CustomTrustStore.Add(X509CertificateLoader.LoadCertificate(authority.Certificate));
        chain.ChainPolicy.RevocationMode = X509RevocationMode.NoCheck;
        chain.ChainPolicy.VerificationTime = at.UtcDateTime;
        return chain.Build(server);
    }
}
