using System.Formats.Asn1;
using System.Net;
using System.Security.Cryptography;
using System.Security.Cryptography.X509Certificates;

namespace Rhabdon.Server.Reach;

/// <summary>
/// The server's own authority, made once, and the certificate that it gives to the server, renewed by itself. A device that trusts the authority trusts it for the
/// server's names alone: its certificate says so, and browsers keep to it.
/// </summary>
public sealed class OwnAuthority : IDisposable
{
    private static readonly TimeSpan AuthorityLives = TimeSpan.FromDays(3650), ServerLives = TimeSpan.FromDays(90), RenewBefore = TimeSpan.FromDays(30), Ago = TimeSpan.FromHours(1);

    private readonly string _folder;
    private readonly IReadOnlyList<string> _names;
    private readonly TimeProvider _clock;
    private readonly X509Certificate2 _authority;
    private readonly Lock _renewing = new();
    private volatile X509Certificate2 _server;

    /// <param name="folder">Where the keys are kept, for this user alone.</param>
    /// <param name="names">Host names and addresses of the server.</param>
    public OwnAuthority(string folder, IReadOnlyList<string> names, TimeProvider clock)
    {
        (_folder, _names, _clock) = (folder, names, clock);
        Directory.CreateDirectory(folder);
        File.SetUnixFileMode(folder, UnixFileMode.UserRead | UnixFileMode.UserWrite | UnixFileMode.UserExecute);
        _authority = Kept("authority") is { } kept && Names(kept).SequenceEqual(Sorted(names)) && kept.NotAfter > Now.UtcDateTime + ServerLives ? kept : MakeAuthority();
        _server = Kept("server") is { } mine && mine.Issuer == _authority.Subject && Names(mine).SequenceEqual(Sorted(names)) && SignedBy(mine) ? mine : MakeServer();
    }

    /// <summary>The authority as devices take it in.</summary>
    public byte[] Certificate => _authority.Export(X509ContentType.Cert);

    /// <summary>To compare by eye, on both devices.</summary>
    public string Fingerprint => string.Join(' ', _authority.GetCertHashString(HashAlgorithmName.SHA256).Chunk(4).Select(c => new string(c)));

    /// <summary>The server's certificate of the moment.</summary>
    public X509Certificate2 Server
    {
        get
        {
            if (_server.NotAfter.ToUniversalTime() - Now.UtcDateTime < RenewBefore)
            {
                lock (_renewing)
                {
                    if (_server.NotAfter.ToUniversalTime() - Now.UtcDateTime < RenewBefore)
                    {
                        _server = MakeServer();
                    }
                }
            }

            return _server;
        }
    }

    private DateTimeOffset Now => _clock.GetUtcNow();

    public void Dispose() => _authority.Dispose();

    private X509Certificate2 MakeAuthority()
    {
        using var key = ECDsa.Create(ECCurve.NamedCurves.nistP256);
        var request = new CertificateRequest($"CN=Rhabdon at {_names[0]}, OU={Convert.ToHexString(RandomNumberGenerator.GetBytes(4))}", key, HashAlgorithmName.SHA256);
        request.CertificateExtensions.Add(new X509BasicConstraintsExtension(true, true, 0, true));
        request.CertificateExtensions.Add(new X509KeyUsageExtension(X509KeyUsageFlags.KeyCertSign | X509KeyUsageFlags.CrlSign, true));
        request.CertificateExtensions.Add(new X509SubjectKeyIdentifierExtension(request.PublicKey, false));
        request.CertificateExtensions.Add(OnlyFor(_names));
        request.CertificateExtensions.Add(Alternatives(_names));
        using var made = request.CreateSelfSigned(Now - Ago, Now + AuthorityLives);
        return Keep("authority", made, key);
    }

    private X509Certificate2 MakeServer()
    {
        using var key = ECDsa.Create(ECCurve.NamedCurves.nistP256);
        var request = new CertificateRequest($"CN={_names[0]}", key, HashAlgorithmName.SHA256);
        request.CertificateExtensions.Add(new X509BasicConstraintsExtension(false, false, 0, true));
        request.CertificateExtensions.Add(new X509KeyUsageExtension(X509KeyUsageFlags.DigitalSignature, true));
        request.CertificateExtensions.Add(new X509EnhancedKeyUsageExtension([new Oid("1.3.6.1.5.5.7.3.1", "serverAuth")], false));
        request.CertificateExtensions.Add(new X509SubjectKeyIdentifierExtension(request.PublicKey, false));
        request.CertificateExtensions.Add(X509AuthorityKeyIdentifierExtension.CreateFromCertificate(_authority, true, false));
        request.CertificateExtensions.Add(Alternatives(_names));
        using var bare = request.Create(_authority, Now - Ago, Now + ServerLives, RandomNumberGenerator.GetBytes(16));
        return Keep("server", bare, key);
    }

    private static X509Extension Alternatives(IReadOnlyList<string> names)
    {
        var builder = new SubjectAlternativeNameBuilder();
        foreach (var name in names)
        {
            if (IPAddress.TryParse(name, out var address))
            {
                builder.AddIpAddress(address);
            }
            else
            {
                builder.AddDnsName(name);
            }
        }

        return builder.Build();
    }

    /// <summary>Name constraints of RFC 5280, 4.2.1.10: whoever steals the authority's key can pass for nobody else than this server.</summary>
    private static X509Extension OnlyFor(IReadOnlyList<string> names)
    {
        var der = new AsnWriter(AsnEncodingRules.DER);
        using (der.PushSequence())
        using (der.PushSequence(new Asn1Tag(TagClass.ContextSpecific, 0)))
        {
            // With no address permitted, addresses would be free: each kind is bounded.
            var addresses = names.Select(n => IPAddress.TryParse(n, out var a) ? a : null).OfType<IPAddress>().DefaultIfEmpty(IPAddress.Loopback);
            foreach (var address in addresses)
            {
                using (der.PushSequence())
                {
                    var bytes = address.GetAddressBytes();
                    der.WriteOctetString([.. bytes, .. Enumerable.Repeat((byte)255, bytes.Length)], new Asn1Tag(TagClass.ContextSpecific, 7));
                }
            }

            foreach (var name in names.Where(n => !IPAddress.TryParse(n, out _)).DefaultIfEmpty("rhabdon.invalid"))
            {
                using (der.PushSequence())
                {
                    der.WriteCharacterString(UniversalTagNumber.IA5String, name, new Asn1Tag(TagClass.ContextSpecific, 2));
                }
            }
        }

        return new X509Extension("2.5.29.30", der.Encode(), critical: true);
    }

    private static IEnumerable<string> Names(X509Certificate2 certificate)
    {
        var alternatives = certificate.Extensions.OfType<X509SubjectAlternativeNameExtension>().FirstOrDefault();
        return alternatives is null ? [] : Sorted([.. alternatives.EnumerateDnsNames(), .. alternatives.EnumerateIPAddresses().Select(a => a.ToString())]);
    }

    private static IEnumerable<string> Sorted(IEnumerable<string> names) => names.Select(n => IPAddress.TryParse(n, out var a) ? a.ToString() : n).Distinct().Order(StringComparer.Ordinal);

    private bool SignedBy(X509Certificate2 server)
    {
        using var chain = new X509Chain();
        chain.ChainPolicy.TrustMode = X509ChainTrustMode.CustomRootTrust;
        chain.ChainPolicy.CustomTrustStore.Add(_authority);
        chain.ChainPolicy.RevocationMode = X509RevocationMode.NoCheck;
        chain.ChainPolicy.VerificationFlags = X509VerificationFlags.IgnoreNotTimeValid;
        return chain.Build(server);
    }

    private X509Certificate2? Kept(string name)
    {
        var (certificate, key) = (Path.Combine(_folder, $"{name}.pem"), Path.Combine(_folder, $"{name}.key"));
        if (!File.Exists(certificate) || !File.Exists(key))
        {
            return null;
        }

        try
        {
            return X509Certificate2.CreateFromPemFile(certificate, key);
        }
        catch (CryptographicException)
        {
            return null; // half written, or somebody else's: made anew
        }
    }

    private X509Certificate2 Keep(string name, X509Certificate2 certificate, ECDsa key)
    {
        var file = Path.Combine(_folder, $"{name}.key");
        File.Delete(file);
        using (var to = new FileStream(file, new FileStreamOptions { Mode = FileMode.CreateNew, Access = FileAccess.Write, UnixCreateMode = UnixFileMode.UserRead | UnixFileMode.UserWrite }))
        using (var text = new StreamWriter(to))
        {
            text.Write(key.ExportPkcs8PrivateKeyPem());
        }

        File.WriteAllText(Path.Combine(_folder, $"{name}.pem"), certificate.ExportCertificatePem());
        return Kept(name)!;
    }
}
