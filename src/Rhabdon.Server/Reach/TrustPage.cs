using System.Net;
using QRCoder;

namespace Rhabdon.Server.Reach;

/// <summary>How a tablet comes to trust this server: the one page that is given over plain HTTP, because it is needed before HTTPS can be.</summary>
internal static class TrustPage
{
    private const string At = "/trust";

    public static bool Is(PathString path) => path.StartsWithSegments(At);

    public static void MapTrust(this WebApplication app)
    {
        app.MapGet(At, Show).AllowAnonymous().ExcludeFromDescription();
        app.MapGet($"{At}/rhabdon.crt", (IServiceProvider services) => services.GetService<OwnAuthority>() is { } own ? Results.Bytes(own.Certificate, "application/x-x509-ca-cert", "rhabdon.crt") : Results.NotFound()).AllowAnonymous().ExcludeFromDescription();
    }

    /// <summary>Where the app is, over HTTPS; null where it is not.</summary>
    public static string? Address(Settings settings, HttpRequest request) =>
        settings.Tls ? $"{(settings.Names.Count > 0 ? settings.Address : $"https://{request.Host.Host}:{settings.Port}")}/"
        : settings.TrustedProxies.Count > 0 && settings.Names.Count > 0 ? $"https://{Settings.Bracketed(settings.Names[0])}/" : null;

    /// <summary>Where this page is, for a device that does not trust us yet.</summary>
    public static string? TrustAddress(Settings settings) =>
        settings is { OwnAuthority: true, HttpPort: > 0 } ? $"http://{Settings.Bracketed(settings.Names[0])}{(settings.HttpPort == 80 ? "" : $":{settings.HttpPort}")}{At}" : null;

    /// <summary>A code that a tablet's camera reads, as SVG.</summary>
    public static string Code(string address)
    {
        using var data = QRCodeGenerator.GenerateQrCode(address, QRCodeGenerator.ECCLevel.M);
        using var code = new SvgQRCode(data);
        return code.GetGraphic(6, "#000000", "#ffffff", true, SvgQRCode.SizingMode.ViewBoxAttribute);
    }

    private static IResult Show(HttpContext http, Settings settings, IServiceProvider services)
    {
        http.Response.Headers.CacheControl = "no-store";
        var own = services.GetService<OwnAuthority>();
        var address = Address(settings, http.Request);
        var body = Words(address is null ? "none" : own is null ? "given" : "own");
        body = body.Replace("{address}", WebUtility.HtmlEncode(address), StringComparison.Ordinal).Replace("{print}", own?.Fingerprint, StringComparison.Ordinal);
        if (address is not null)
        {
            body = body.Replace("{code}", Code(TrustAddress(settings) ?? address), StringComparison.Ordinal).Replace("{appcode}", Code(address), StringComparison.Ordinal);
        }

        var page = Words("page").Replace("{nonce}", (string)http.Items[Web.SecurityHeaders.Nonce]!, StringComparison.Ordinal).Replace("{body}", body, StringComparison.Ordinal);
        return Results.Content(page, "text/html; charset=utf-8");
    }

    private static string Words(string name) => File.ReadAllText(Path.Combine(AppContext.BaseDirectory, "words", "en", "trust", $"{name}.html"));
}
