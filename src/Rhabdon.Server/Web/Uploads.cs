using Microsoft.AspNetCore.Http.Features;
using Microsoft.OpenApi;
using Rhabdon.Core;

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
        Allow(request, largest);
        using var to = new MemoryStream((int)Math.Clamp(request.ContentLength ?? 0, 0, largest));
        // Only a real form: what a script sends by default calls itself one, too.
        if (request.ContentType?.StartsWith("multipart/form-data", StringComparison.OrdinalIgnoreCase) == true)
        {
            var form = await Form(request, field, largest);
            if (form.Files.Count > 0)
            {
                await form.Files[0].CopyToAsync(to);
            }
        }
        else
        {
            await request.Body.CopyToAsync(to, request.HttpContext.RequestAborted);
        }

        return to.Length == 0 ? throw new ApiException(400, Refusal.Of("file-missing", field))
            : to.Length > largest ? throw new ApiException(413, Refusal.Of("too-large", field, ("mostMb", largest / 1024 / 1024)))
            : to.ToArray();
    }

    /// <summary>The files of a form, in the order of their names.</summary>
    /// <exception cref="ApiException">One is missing or too large; the field says which.</exception>
    public static async Task<IReadOnlyList<byte[]>> ReadForm(HttpRequest request, IReadOnlyList<string> names, long largest)
    {
        Allow(request, largest * names.Count);
        if (request.ContentType?.StartsWith("multipart/form-data", StringComparison.OrdinalIgnoreCase) != true)
        {
            throw new ApiException(400, Refusal.Of("form-missing", names[0], ("names", string.Join(" and ", names))));
        }

        var form = await Form(request, names[0], largest);
        var files = new List<byte[]>();
        foreach (var name in names)
        {
            using var to = new MemoryStream();
            if (form.Files[name] is { Length: > 0 } file)
            {
                await file.CopyToAsync(to);
            }

            files.Add(to.Length > 0 ? to.ToArray() : throw new ApiException(400, Refusal.Of("form-file-missing", name, ("name", name))));
        }

        return files;
    }

    private static async Task<IFormCollection> Form(HttpRequest request, string field, long largest)
    {
        try
        {
            return await request.ReadFormAsync(new FormOptions { MultipartBodyLengthLimit = largest }, request.HttpContext.RequestAborted);
        }
        catch (Exception e) when (e is InvalidDataException or (IOException and not BadHttpRequestException))
        {
            throw new ApiException(400, Refusal.Of("form-damaged", field));
        }
    }

    private static void Allow(HttpRequest request, long largest)
    {
        if (request.HttpContext.Features.Get<IHttpMaxRequestBodySizeFeature>() is { IsReadOnly: false } size)
        {
            size.MaxRequestBodySize = largest + (64 * 1024);
        }
    }

    /// <summary>Describes the body as a form with files.</summary>
    public static RouteHandlerBuilder TakesForm(this RouteHandlerBuilder endpoint, params string[] names) => endpoint.AddOpenApiOperationTransformer((operation, _, _) =>
    {
        var file = new OpenApiSchema { Type = JsonSchemaType.String, Format = "binary" };
        operation.RequestBody = new OpenApiRequestBody
        {
            Required = true,
            Content = new Dictionary<string, OpenApiMediaType>
            {
                ["multipart/form-data"] = new() { Schema = new OpenApiSchema { Type = JsonSchemaType.Object, Required = names.ToHashSet(), Properties = names.ToDictionary(n => n, IOpenApiSchema (_) => file) } },
            },
        };
        return Task.CompletedTask;
    });

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
