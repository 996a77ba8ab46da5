using System.Collections.Concurrent;
using System.Text.RegularExpressions;
using Rhabdon.Core;
using Rhabdon.Store;

namespace Rhabdon.Server.Accounts;

/// <summary>
/// Writes down who did what: every write that was done, every export, and what a role was not allowed. What the ledger keeps itself, and what only
/// computes, is left out; a new endpoint is in unless it says otherwise here.
/// </summary>
public sealed partial class AuditTrail(RequestDelegate next, Audit audit, TimeProvider clock, ILogger<AuditTrail> log)
{
    private static readonly Duration Again = Duration.FromMinutes(1);

    /// <summary>A screen that asks in vain over and over is written down once a minute.</summary>
    private readonly ConcurrentDictionary<(PersonId Person, string What), Instant> _refused = new();

    public async Task InvokeAsync(HttpContext http)
    {
        await next(http);
        if (http.User.Identity?.IsAuthenticated == true && Operation(http) is { } what && (http.Response.StatusCode < 400 || IsNewRefusal(http, what)))
        {
            await Add(http, http.User.Scope().CompanyId, http.User.Scope().PersonId, what, http.Response.StatusCode);
        }
    }

    /// <summary>Sign-ins have nobody signed in yet: the endpoint says whose they are.</summary>
    public static Task AddSignIn(Audit audit, HttpContext http, Credentials person, int status, Instant now) =>
        audit.Add(person.CompanyId, person.PersonId, "POST /api/session", status, new Dictionary<string, string>(), Device.Address(http), Device.Name(http), now);

    private async Task Add(HttpContext http, CompanyId companyId, PersonId personId, string what, int status)
    {
        try
        {
            var about = http.Request.RouteValues.Where(v => v.Value is not null).ToDictionary(v => v.Key, v => v.Value!.ToString()!);
            await audit.Add(companyId, personId, what, status, about, Device.Address(http), Device.Name(http), clock.GetCurrentInstant());
        }
        catch (Npgsql.NpgsqlException e)
        {
            // It is done already; that it was not written down is for whoever keeps the server.
            log.LogError(e, "{What} of {Person} is not in the audit", what, personId);
        }
    }

    private bool IsNewRefusal(HttpContext http, string what)
    {
        if (http.Response.StatusCode != StatusCodes.Status403Forbidden)
        {
            return false;
        }

        var (key, now) = ((http.User.Scope().PersonId, what), clock.GetCurrentInstant());
        if (_refused.TryGetValue(key, out var last) && now - last < Again)
        {
            return false;
        }

        _refused[key] = now;
        return true;
    }

    /// <summary>The operation's name; null for what is not written down.</summary>
    private static string? Operation(HttpContext http)
    {
        if (http.GetEndpoint() is not RouteEndpoint { RoutePattern.RawText: { } pattern } || !pattern.StartsWith("/api/", StringComparison.Ordinal))
        {
            return null;
        }

        var path = Constraint().Replace(pattern, "}");
        var reads = HttpMethods.IsGet(http.Request.Method) || HttpMethods.IsHead(http.Request.Method);
        var isExport = path.StartsWith("/api/facts/", StringComparison.Ordinal);
        var keptElsewhere = path is "/api/ledger" or "/api/session" && !HttpMethods.IsDelete(http.Request.Method) || Computes().IsMatch(path);
        return (reads && !isExport && http.Response.StatusCode != StatusCodes.Status403Forbidden) || keptElsewhere ? null : $"{http.Request.Method} {path}";
    }

    [GeneratedRegex(@":[a-z]+\}")]
    private static partial Regex Constraint();

    /// <summary>Calculators, judgements beforehand and evidence, which the ledger names.</summary>
    [GeneratedRegex("^/api/calc/|/check$|/judge/|/(pictures|photos|cleaves|red-light|traces)$|^/api/live")]
    private static partial Regex Computes();
}
