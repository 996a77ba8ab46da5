using System.Text.Json;
using System.Text.RegularExpressions;
using Microsoft.AspNetCore.Diagnostics;
using Npgsql;
using Rhabdon.Core;
using Rhabdon.Store;

namespace Rhabdon.Server.Web;

/// <summary>Thrown by an endpoint that says no.</summary>
public sealed class ApiException(int status, IReadOnlyList<Refusal> refusals) : Exception(refusals[0].Plain)
{
    public ApiException(int status, Refusal refusal) : this(status, [refusal]) { }

    public int Status { get; } = status;

    public IReadOnlyList<Refusal> Refusals { get; } = refusals;

    /// <summary>What is there now, where a change was made on something older.</summary>
    public object? Current { get; init; }

    /// <summary>When to try again, where that helps.</summary>
    public int? RetryAfterS { get; init; }
}

/// <summary>Turns what went wrong into a problem document with a code, the field, and words.</summary>
public sealed partial class Problems(ILogger<Problems> log) : IExceptionHandler
{
    private static readonly Dictionary<string, Refusal> Taken = new()
    {
        ["person_login"] = new("taken", "login", "Somebody has this sign-in name already."),
        ["crew_company_id_name_key"] = new("taken", "name", "There is a crew of this name already."),
        ["space_company_id_job_id_code_key"] = new("taken", "code", "This job has a space with this code already."),
        ["panel_company_id_space_id_code_key"] = new("taken", "code", "This space has a panel with this code already."),
        ["cable_company_id_job_id_code_key"] = new("taken", "code", "This job has a cable with this code already."),
        ["job_number"] = new("taken", "number", "There is a job of this number already."),
        ["module_company_id_job_id_code_key"] = new("taken", "code", "This job has a module with this code already."),
        ["cord_company_id_job_id_code_key"] = new("taken", "code", "This job has a cord with this code already."),
        ["chain_company_id_job_id_code_key"] = new("taken", "code", "This job has a chain with this code already."),
        ["cable_end_company_id_cable_id_strand_side_key"] = new("taken", "fromStrand", "One of these strands has a connector planned at this end already."),
        ["cable_end_company_id_panel_id_port_position_key"] = new("taken", "firstPort", "One of these ports is taken already."),
    };

    public async ValueTask<bool> TryHandleAsync(HttpContext http, Exception exception, CancellationToken cancel)
    {
        var (status, refusals) = exception switch
        {
            ApiException a => (a.Status, a.Refusals),
            RefusedException r => (422, r.Refusals),
            BadHttpRequestException { InnerException: JsonException j } => (400, Faults(j)),
            BadHttpRequestException b when Parameter().Match(b.Message) is { Success: true } p => (400, [new("bad-request", p.Groups[1].Value, $"'{p.Groups[1].Value}' is missing or cannot be read.")]),
            BadHttpRequestException { StatusCode: 413 } => (413, [Refusal.Of("request-too-large", "request", ("mostMb", (http.Features.Get<Microsoft.AspNetCore.Http.Features.IHttpMaxRequestBodySizeFeature>()?.MaxRequestBodySize ?? Setup.LargestRequest) / 1024 / 1024))]),
            BadHttpRequestException b => (b.StatusCode, [new("bad-request", "request", b.Message)]),
            InvalidDataException => (400, [new("form-damaged", "request", "The form cannot be read, or a file in it is too large.")]),
            PostgresException { SqlState: PostgresErrorCodes.UniqueViolation } p when Taken.TryGetValue(p.ConstraintName ?? "", out var r) => (409, [r]),
            PostgresException { SqlState: PostgresErrorCodes.UniqueViolation } => (409, [new("taken", "id", "There is one like this already.")]),
            PostgresException { SqlState: PostgresErrorCodes.ForeignKeyViolation } => (409, [new("in-use", "id", "Something else rests on this, or what it rests on is not there.")]),
            PostgresException { SqlState: "22021" or "22P05" } => (400, new Refusal[] { new("bad-text", "request", "The text holds a character that cannot be kept.") }),
            PostgresException { SqlState: PostgresErrorCodes.LockNotAvailable } => (503, [Refusal.Of("busy", "request")]),
            StorageFullException full => (507, [Refusal.Of("storage-full", "request", ("mostMb", full.MostMb))]),
            NpgsqlException n when Away.Is(n) => (503, [Refusal.Of("database-away", "request")]),
            _ => (500, (IReadOnlyList<Refusal>)[new("server-fault", "request", "Something broke here. Nothing of this request was kept; try again.")]),
        };
        if (status == 500)
        {
            // A stranger fills no log: of what they broke, one line.
            log.LogError(http.User.Identity?.IsAuthenticated == true ? exception : null, "{Method} {Path} failed: {Kind}: {Reason}", http.Request.Method, http.Request.Path.ToUriComponent(), exception.GetType().Name, exception.Message);
        }

        if (status == 503)
        {
            log.LogWarning("{Method} {Path} cannot be done now: {Reason}", http.Request.Method, http.Request.Path.ToUriComponent(), exception.Message);
        }

        if ((status == 503 ? Away.RetryAfterS : (exception as ApiException)?.RetryAfterS) is { } seconds)
        {
            http.Response.Headers.RetryAfter = seconds.ToString(System.Globalization.CultureInfo.InvariantCulture);
        }

        await Write(http, status, (exception as ApiException)?.Current, [.. refusals]);
        return true;
    }

    public static Task Write(HttpContext http, int status, params Refusal[] refusals) => Write(http, status, null, refusals);

    private static Task Write(HttpContext http, int status, object? current, Refusal[] refusals)
    {
        refusals = [.. refusals.Select(r => r with { Message = Sentences.English.Say(r) })];
        http.Response.StatusCode = status;
        return http.Response.WriteAsJsonAsync(
            new ApiProblem(status, refusals[0].Message, refusals[0].Code, refusals[0].Field, refusals, current, status >= 500 ? http.TraceIdentifier : null), Wire.Json, "application/problem+json");
    }

    /// <summary>What a body lacks, each with its field; or the one place where it does not fit.</summary>
    private static IReadOnlyList<Refusal> Faults(JsonException j)
    {
        var at = j.Path is { Length: > 2 } p ? p[2..] : "";
        var missing = j.Message.IndexOf("missing required properties", StringComparison.Ordinal) is var cut and >= 0
            ? Quoted().Matches(j.Message[cut..]).Select(m => m.Groups[1].Value).ToList() : [];
        if (missing.Count > 0)
        {
            return [.. missing.Select(name => new Refusal("missing", at.Length > 0 ? $"{at}.{name}" : name, $"'{name}' is missing."))];
        }

        return [new("body-shape", at.Length > 0 ? at : "body", Unmapped().Match(j.Message) is { Success: true } u ? $"There is no field '{u.Groups[1].Value}' here." : Reason(j))];
    }

    [GeneratedRegex("'([^']+)'")]
    private static partial Regex Quoted();

    [GeneratedRegex("JSON property '([^']*)' could not be mapped")]
    private static partial Regex Unmapped();

    [GeneratedRegex("parameter \"[^ ]+ ([A-Za-z0-9]+)\"")]
    private static partial Regex Parameter();

    private static string Reason(JsonException j)
    {
        var cut = j.Message.IndexOf(" Path:", StringComparison.Ordinal);
        return cut > 0 ? j.Message[..cut] : j.Message;
    }
}

/// <summary>Problem document of RFC 9457, with the trade's reasons beside it.</summary>
/// <param name="Code">Stable word for the first reason.</param>
/// <param name="Field">The field it concerns.</param>
/// <param name="Refusals">Every reason, each with its code, field and words.</param>
/// <param name="Current">What is there now, where a change was made on something older; else null.</param>
/// <param name="RequestId">Where something broke here: under which id it stands in the server's logs; else null.</param>
public sealed record ApiProblem(int Status, string Title, string Code, string Field, IReadOnlyList<Refusal> Refusals, object? Current = null, string? RequestId = null);

/// <summary>Collects what is wrong with a request where it meets what is there, before anything is done. What can be said of it by itself, its shape says.</summary>
public sealed class Input
{
    private readonly List<Refusal> _faults = [];

    public Input Require(bool holds, Refusal otherwise)
    {
        if (!holds)
        {
            _faults.Add(otherwise);
        }

        return this;
    }

    /// <exception cref="ApiException">Something was wrong.</exception>
    public void ThrowIfBad()
    {
        if (_faults.Count > 0)
        {
            throw new ApiException(400, _faults);
        }
    }
}
