using Microsoft.Extensions.FileProviders;

namespace Rhabdon.Server.Web;

/// <summary>Serves the browser part. The page is filled with its nonce; built files carry a hash in their name and may be kept for good.</summary>
public static class Pages
{
    private static string? Folder(WebApplication app) => app.Configuration["web"] is { } web && File.Exists(Path.Combine(web, "index.html")) ? Path.GetFullPath(web) : null;

    public static void Use(WebApplication app)
    {
        if (Folder(app) is not { } folder)
        {
            return;
        }

        app.UseStaticFiles(new StaticFileOptions
        {
            FileProvider = new PhysicalFileProvider(Path.Combine(folder, "assets")),
            RequestPath = "/assets",
            OnPrepareResponse = c => c.Context.Response.Headers.CacheControl = "public, max-age=31536000, immutable",
        });
    }

    public static void Map(WebApplication app)
    {
        var page = Folder(app) is { } folder ? File.ReadAllText(Path.Combine(folder, "index.html")) : null;
        app.MapFallback(async (HttpContext http) =>
        {
            http.Response.Headers.CacheControl = "no-store";
            http.Response.ContentType = "text/html; charset=utf-8";
            await http.Response.WriteAsync(page?.Replace("__NONCE__", (string)http.Items[SecurityHeaders.Nonce]!, StringComparison.Ordinal)
                ?? "<!doctype html><title>Rhabdon</title><p>The browser part is not built. Start with ./rhabdon serve.");
        }).AllowAnonymous();
    }
}
