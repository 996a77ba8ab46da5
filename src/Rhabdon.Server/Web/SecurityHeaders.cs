using System.Security.Cryptography;
using Microsoft.AspNetCore.Antiforgery;
using Rhabdon.Core;

namespace Rhabdon.Server.Web;

/// <summary>Headers that keep everything from outside out. Styles made in the browser carry the page's nonce.</summary>
public sealed class SecurityHeaders(RequestDelegate next)
{
    public const string Nonce = "rhabdon-nonce";

    public Task InvokeAsync(HttpContext http)
    {
        var nonce = Convert.ToBase64String(RandomNumberGenerator.GetBytes(18));
        http.Items[Nonce] = nonce;
        // Put on as the answer leaves, so that an answer begun anew for a fault has them, too.
        http.Response.OnStarting(() =>
        {
            var h = http.Response.Headers;
            h.ContentSecurityPolicy = "default-src 'self'; script-src 'self'; style-src 'self' 'nonce-" + nonce
                + "'; img-src 'self' data: blob:; font-src 'self'; connect-src 'self'; object-src 'none'; base-uri 'none'; form-action 'self'; frame-ancestors 'none'";
            h.XContentTypeOptions = "nosniff";
            h[Logs.RequestHeader] = http.TraceIdentifier;
            h["Referrer-Policy"] = "no-referrer";
            h["Cross-Origin-Opener-Policy"] = "same-origin";
            h["Cross-Origin-Resource-Policy"] = "same-origin";
            h["Permissions-Policy"] = "geolocation=(), microphone=(), payment=()";
            if (http.Request.Path.StartsWithSegments("/api") && h.CacheControl.Count == 0)
            {
                h.CacheControl = "no-store";
            }

            return Task.CompletedTask;
        });
        return next(http);
    }
}

/// <summary>Every write to the API carries the antiforgery token that the session gave out.</summary>
public sealed class WriteGuard(RequestDelegate next, IAntiforgery antiforgery)
{
    public async Task InvokeAsync(HttpContext http)
    {
        var reads = HttpMethods.IsGet(http.Request.Method) || HttpMethods.IsHead(http.Request.Method) || HttpMethods.IsOptions(http.Request.Method);
        if (!reads && !Accounts.TokenSignIn.Is(http.User) && http.Request.Path.StartsWithSegments("/api") && !await antiforgery.IsRequestValidAsync(http))
        {
            await Problems.Write(http, 400, new Refusal("antiforgery", "X-Rhabdon-Token", "The write did not carry this session's token. Reload and try again."));
            return;
        }

        await next(http);
    }
}
