using System.Security.Cryptography.X509Certificates;
using Microsoft.AspNetCore.HttpOverrides;
using Microsoft.Extensions.Primitives;
using Rhabdon.Core;
using Rhabdon.Server.Web;

namespace Rhabdon.Server.Reach;

/// <summary>Where the server listens, by which names it answers, and whom it believes.</summary>
public static class Reaching
{
    private static readonly TimeSpan Hsts = TimeSpan.FromDays(365);

    public static void AddReach(this WebApplicationBuilder builder, Settings settings)
    {
        builder.Services.AddSingleton(settings);
        if (settings.OwnAuthority)
        {
            builder.Services.AddSingleton(p => new OwnAuthority(Path.Combine(settings.Keys!, "tls"), settings.Names, p.GetRequiredService<TimeProvider>()));
        }

        builder.Services.Configure<ForwardedHeadersOptions>(o =>
        {
            o.ForwardedHeaders = ForwardedHeaders.XForwardedFor | ForwardedHeaders.XForwardedProto | ForwardedHeaders.XForwardedHost;
            o.KnownProxies.Clear();
            o.KnownIPNetworks.Clear();
            foreach (var network in settings.TrustedProxies)
            {
                o.KnownIPNetworks.Add(network);
            }
        });
        builder.WebHost.ConfigureKestrel(k =>
        {
            k.AddServerHeader = false;
            k.Listen(settings.Listen, settings.Port, l =>
            {
                if (settings.Tls)
                {
                    l.UseHttps(h => h.ServerCertificateSelector = Selector(settings, k.ApplicationServices));
                }
            });
            if (settings.HttpPort > 0)
            {
                k.Listen(settings.Listen, settings.HttpPort);
            }

            if (settings.Metrics is { } metrics)
            {
                k.Listen(metrics);
            }
        });
    }

    /// <summary>Before anything else: who asks, by which name, and whether it is to be over HTTPS.</summary>
    public static void UseReach(this WebApplication app)
    {
        var settings = app.Services.GetRequiredService<Settings>();
        if (settings.TrustedProxies.Count > 0)
        {
            app.UseForwardedHeaders();
        }

        var hosts = settings.Hosts.Select(h => new StringSegment(h)).ToList();
        app.Use(async (http, next) =>
        {
            // Another name than ours is a page of somebody else's that was led here.
            if (hosts.Count > 0 && !HostString.MatchesAny(http.Request.Host.Value, hosts))
            {
                await Problems.Write(http, 421, Refusal.Of("host-unknown", "Host"));
                return;
            }

            if (settings.HttpPort > 0 && http.Connection.LocalPort == settings.HttpPort && !http.Request.IsHttps && !TrustPage.Is(http.Request.Path))
            {
                var at = settings.Port == 443 ? http.Request.Host.Host : $"{http.Request.Host.Host}:{settings.Port}";
                http.Response.Redirect($"https://{at}{http.Request.Path}{http.Request.QueryString}", permanent: false, preserveMethod: true);
                return;
            }

            if (settings.Secure && http.Request.IsHttps)
            {
                http.Response.Headers.StrictTransportSecurity = $"max-age={(long)Hsts.TotalSeconds}";
            }
            else if (settings.Secure && !http.Request.Path.StartsWithSegments("/health") && http.Connection.LocalPort != settings.Metrics?.Port && !TrustPage.Is(http.Request.Path))
            {
                // Who comes past the proxy, or by one that is not named: no cookie goes over that.
                await Problems.Write(http, 421, Refusal.Of("https-only", "X-Forwarded-Proto"));
                return;
            }

            await next();
        });
    }

    /// <summary>A certificate that is renewed, by us or by somebody's tool, holds from the next connection on.</summary>
    private static Func<Microsoft.AspNetCore.Connections.ConnectionContext?, string?, X509Certificate2?> Selector(Settings settings, IServiceProvider services)
    {
        if (settings.OwnAuthority)
        {
            var own = services.GetRequiredService<OwnAuthority>();
            return (_, _) => own.Server;
        }

        var given = new GivenCertificate(settings.TlsCert!, settings.TlsKey!);
        return (_, _) => given.Current;
    }

    private sealed class GivenCertificate(string certificate, string key)
    {
        private readonly Lock _reading = new();
        private X509Certificate2? _current;
        private DateTime _of;

        public X509Certificate2 Current
        {
            get
            {
                lock (_reading)
                {
                    var written = File.GetLastWriteTimeUtc(certificate);
                    if (_current is null || written != _of)
                    {
                        try
                        {
                            (_current, _of) = (X509Certificate2.CreateFromPemFile(certificate, key), written);
                        }
                        catch (Exception) when (_current is not null)
                        {
                            // Half replaced: the one before holds until both files fit.
                        }
                    }

                    return _current;
                }
            }
        }
    }
}
