using Microsoft.AspNetCore.StaticFiles;
using Microsoft.Extensions.FileProviders;
using Microsoft.Extensions.Primitives;
using Rhabdon.Server.Reach;

namespace Rhabdon.Server.Web;

/// <summary>Serves the browser part. The page is filled with its nonce; built files carry a hash in their name and may be kept for good.</summary>
public static class Pages
{
    private static string? Folder(WebApplication app) => app.Services.GetRequiredService<Settings>().Web is { } web && File.Exists(Path.Combine(web, "index.html")) ? Path.GetFullPath(web) : null;

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

        // The service worker and what describes the app: asked anew each time, so that a new build is found.
        app.UseStaticFiles(new StaticFileOptions
        {
            FileProvider = new OnlyThese(new PhysicalFileProvider(folder), "/sw.js", "/manifest.webmanifest", "/icon.svg"),
            ContentTypeProvider = new FileExtensionContentTypeProvider { Mappings = { [".webmanifest"] = "application/manifest+json" } },
            OnPrepareResponse = c => c.Context.Response.Headers.CacheControl = "no-cache",
        });
    }

    public static void Map(WebApplication app)
    {
        var page = Folder(app) is { } folder ? File.ReadAllText(Path.Combine(folder, "index.html")) : null;
        async Task Page(HttpContext http)
        {
            http.Response.Headers.CacheControl = "no-store";
            http.Response.ContentType = "text/html; charset=utf-8";
            await http.Response.WriteAsync(page?.Replace("__NONCE__", (string)http.Items[SecurityHeaders.Nonce]!, StringComparison.Ordinal)
                ?? "<!doctype html><title>Rhabdon</title><p>The browser part is not built. Start with ./rhabdon serve.");
        }

        app.MapFallback(Page).AllowAnonymous();
        app.MapGet("/assets/{**gone}", () => Results.NotFound()).AllowAnonymous().ExcludeFromDescription(); // of an earlier version, whose page is still open somewhere
        if (Folder(app) is { } built)
        {
            // Whose work is in it, and in which version: told to those who use it, not to strangers.
            app.MapGet("/notices.json", () => Results.File(Path.Combine(built, "notices.json"), "application/json")).ExcludeFromDescription();
        }

        app.MapGet("/index.html", Page).AllowAnonymous().ExcludeFromDescription(); // as the service worker asks for it
    }

    /// <summary>Of a folder, only these files.</summary>
    private sealed class OnlyThese(IFileProvider inner, params string[] paths) : IFileProvider
    {
        public IDirectoryContents GetDirectoryContents(string subpath) => NotFoundDirectoryContents.Singleton;

        public IFileInfo GetFileInfo(string subpath) => paths.Contains(subpath) ? inner.GetFileInfo(subpath) : new NotFoundFileInfo(subpath);

        public IChangeToken Watch(string filter) => inner.Watch(filter);
    }
}
