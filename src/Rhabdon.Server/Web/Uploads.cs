using Microsoft.AspNetCore.Http.Features;
using Microsoft.OpenApi;

namespace Rhabdon.Server.Web;

/// <summary>Files that are sent as they are, or as the first file of a form.</summary>
public static class Uploads
{
    /// <summary>20 megapixels of 16-bit colour.</summary>
    public const long LargestPicture = 128 * 1024 * 1024;

    public const long LargestTrace = 16 * 1024 * 1024;

    /// <summary>Pictures in work at once: each may take some hundred megabytes.</summary>
    private static readonly SemaphoreSlim Work = new(2);

    /// <exception cref="ApiException">There is no file, or it is too large.</exception>
    public static async Task<byte[]> Read(HttpRequest request, string field, long largest)
    {
        if (request.HttpContext.Features.Get<IHttpMaxRequestBodySizeFeature>() is { IsReadOnly: false } size)
        {
            size.MaxRequestBodySize = largest + 64 * 1024;
        }

        using var to = new MemoryStream((int)Math.Clamp(request.ContentLength ?? 0, 0, largest));
        // Only a real form: what a script sends by default calls itself one, too.
        if (request.ContentType?.StartsWith("multipart/form-data", StringComparison.OrdinalIgnoreCase) == true)
        {
            var form = await request.ReadFormAsync(new FormOptions { MultipartBodyLengthLimit = largest }, request.HttpContext.RequestAborted);
            if (form.Files.Count > 0)
            {
                await form.Files[0].CopyToAsync(to);
            }
        }
        else
        {
            await request.Body.CopyToAsync(to, request.HttpContext.RequestAborted);
        }

        return to.Length == 0 ? throw new ApiException(400, "file-missing", field, "Send the file's bytes.")
            : to.Length > largest ? throw new ApiException(413, "too-large", field, $"The file is larger than {largest / 1024 / 1024} MB.")
            : to.ToArray();
    }

    /// <summary>Describes the body as a file; whatever the caller calls it, it is read.</summary>
    public static RouteHandlerBuilder TakesFile(this RouteHandlerBuilder endpoint) => endpoint.AddOpenApiOperationTransformer((operation, _, _) =>
    {
        operation.RequestBody = new OpenApiRequestBody
        {
            Required = true,
            Content = new Dictionary<string, OpenApiMediaType> { ["application/octet-stream"] = new() { Schema = new OpenApiSchema { Type = JsonSchemaType.String, Format = "binary" } } },
        };
        return Task.CompletedTask;
    });

    /// <summary>Works on a picture when it is its turn.</summary>
    public static async Task<T> InTurn<T>(Func<T> work, CancellationToken cancel)
    {
        await Work.WaitAsync(cancel);
        try
        {
            return await Task.Run(work, cancel);
        }
        finally
        {
            Work.Release();
        }
    }
}
