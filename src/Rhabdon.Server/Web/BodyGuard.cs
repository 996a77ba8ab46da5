using System.Text.Json;
using Microsoft.AspNetCore.Http.Metadata;
using Rhabdon.Core;

namespace Rhabdon.Server.Web;

/// <summary>
/// Reads the tokens of a JSON body, and the words of a question, before anything is made of them: what no database can keep, or two readers would read in two ways, is refused with its field.
/// A zero byte in particular: where it met a statement that the driver was just preparing, the next one to ask the same was answered with 500.
/// </summary>
public sealed class BodyGuard(RequestDelegate next)
{
    public async Task InvokeAsync(HttpContext http)
    {
        if (http.Request.Query.Where(q => q.Value.Any(v => v?.Contains('\0') == true)).Select(q => q.Key)
            .Concat(http.Request.RouteValues.Where(r => r.Value is string text && text.Contains('\0')).Select(r => r.Key)).FirstOrDefault() is { } field)
        {
            await Problems.Write(http, 400, new Refusal("bad-text", field, "The text holds a character that cannot be kept."));
            return;
        }

        // JSON between systems is UTF-8 (RFC 8259): in another encoding, what is read here would not be what is read after.
        if (http.Request.HasJsonContentType() && http.Request.GetTypedHeaders().ContentType?.Charset.Value?.Trim('"') is { Length: > 0 } charset && !charset.Equals("utf-8", StringComparison.OrdinalIgnoreCase))
        {
            await Problems.Write(http, 415, Refusal.Of("charset", "request"));
            return;
        }

        // The ledger looks at each event on its own: one bad one never costs its neighbours.
        if (http.Request.HasJsonContentType() && http.GetEndpoint()?.Metadata.GetMetadata<IAcceptsMetadata>() is not null && http.GetEndpoint()?.Metadata.GetMetadata<EventBatchMark>() is null)
        {
            using var body = new MemoryStream();
            await http.Request.Body.CopyToAsync(body, http.RequestAborted);
            Refusal? fault = null;
            try
            {
                // The reader of the body passes over a mark of byte order, and so does this.
                var text = body.GetBuffer().AsSpan(0, (int)body.Length);
                fault = JsonText.Fault(text.StartsWith("\uFEFF"u8) ? text[3..] : text);
            }
            catch (JsonException)
            {
                // Said by the reader of the body, with its place.
            }

            if (fault is not null)
            {
                await Problems.Write(http, 400, fault);
                return;
            }

            body.Position = 0;
            http.Request.Body = body;
            await next(http);
            return;
        }

        await next(http);
    }
}

/// <summary>Marks the endpoint that takes events as they are.</summary>
public sealed class EventBatchMark;
