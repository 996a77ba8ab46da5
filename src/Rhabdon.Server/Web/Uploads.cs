using System.Buffers;
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

    /// <summary>Of a file that comes, this much is held in memory before it goes to disk.</summary>
    private const int InMemory = 64 * 1024;

    /// <summary>Above this a file is worked on alone.</summary>
    private const long Large = 16 * 1024 * 1024;

    /// <summary>Files in work at once: a picture may take some hundred megabytes.</summary>
    private const int Turns = 2;

    /// <summary>Room that the next file uses again. Not the shared pool, which keeps some for every thread.</summary>
    private static readonly ArrayPool<byte> Rooms = ArrayPool<byte>.Create((int)LargestPicture, Turns);

    private static readonly SemaphoreSlim Turn = new(Turns), Alone = new(1);

    /// <summary>Files that may be on their way at once: each lies on the server's disk until its turn is over.</summary>
    private static readonly SemaphoreSlim Places = new(64);

    /// <summary>Takes in one file and works on it when it is its turn. While it comes and waits it lies on disk, whoever sends it and however slowly; only the work has it in memory.</summary>
    /// <exception cref="ApiException">There is no file, it is too large, or too many are on their way.</exception>
    public static Task<T> Take<T>(HttpRequest request, string field, long largest, Func<ReadOnlyMemory<byte>, Task<T>> work) => Placed(field, async () =>
    {
        Allow(request, largest);
        // Only a real form: what a script sends by default calls itself one, too.
        await using var file = IsForm(request) ? await FormFile(request, field, largest) : await Body(request, field, largest);
        var cancel = request.HttpContext.RequestAborted;
        return file is null || file.Length == 0 ? throw new ApiException(400, Refusal.Of("file-missing", field))
            : file.Length > largest ? throw TooLarge(field, largest)
            : await InTurn(file.Length, () => InRoom([file], files => work(files[0]), cancel), cancel);
    });

    /// <summary>Takes in one file that is read from the disk, here and there, and never whole into memory: an archive.</summary>
    /// <exception cref="ApiException">There is no file, it is too large, or too many are on their way.</exception>
    public static Task<T> TakeStream<T>(HttpRequest request, string field, long largest, Func<Stream, Task<T>> work) => Placed(field, async () =>
    {
        Allow(request, largest);
        await using var file = IsForm(request) ? await FormFile(request, field, largest) : await Body(request, field, largest);
        return file is null || file.Length == 0 ? throw new ApiException(400, Refusal.Of("file-missing", field))
            : file.Length > largest ? throw TooLarge(field, largest)
            : await InTurn(file.Length, () => work(file), request.HttpContext.RequestAborted);
    });

    /// <summary>The same for the files of a form, in the order of their names.</summary>
    /// <exception cref="ApiException">One is missing or too large, the field says which; or too many are on their way.</exception>
    public static Task<T> TakeForm<T>(HttpRequest request, IReadOnlyList<string> names, long largest, Func<IReadOnlyList<ReadOnlyMemory<byte>>, Task<T>> work) => Placed(names[0], async () =>
    {
        Allow(request, largest * names.Count);
        if (!IsForm(request))
        {
            throw new ApiException(400, Refusal.Of("form-missing", names[0], ("names", string.Join(" and ", names))));
        }

        var form = await Form(request, names[0], largest);
        foreach (var name in names)
        {
            if (form.Files[name] is not { Length: > 0 })
            {
                throw new ApiException(400, Refusal.Of("form-file-missing", name, ("name", name)));
            }
        }

        var cancel = request.HttpContext.RequestAborted;
        return await InTurn(names.Sum(n => form.Files[n]!.Length), () => InRoom([.. names.Select(n => form.Files[n]!.OpenReadStream())], work, cancel), cancel);
    });

    /// <summary>Does what may take much memory or long, when it is its turn. Not within a turn.</summary>
    public static Task<T> InTurn<T>(Func<Task<T>> work, CancellationToken cancel) => InTurn(0, work, cancel);

    /// <param name="size">Of the file, in bytes: a large one is worked on alone.</param>
    private static async Task<T> InTurn<T>(long size, Func<Task<T>> work, CancellationToken cancel)
    {
        var turns = size > Large ? Turns : 1;
        // Who needs all turns takes them one after the other while no other such one does.
        await Alone.WaitAsync(cancel);
        try
        {
            for (var taken = 0; taken < turns; taken++)
            {
                try
                {
                    await Turn.WaitAsync(cancel);
                }
                catch when (taken > 0)
                {
                    Turn.Release(taken);
                    throw;
                }
            }
        }
        finally
        {
            Alone.Release();
        }

        try
        {
            return await Task.Run(work, cancel);
        }
        finally
        {
            if (turns > 1)
            {
                // What the work had is given back before the next one's: in the background, so that nobody waits for it.
                GC.Collect(GC.MaxGeneration, GCCollectionMode.Forced, blocking: false);
            }

            Turn.Release(turns);
        }
    }

    private static async Task<T> Placed<T>(string field, Func<Task<T>> take)
    {
        if (!await Places.WaitAsync(TimeSpan.Zero))
        {
            throw new ApiException(503, Refusal.Of("uploads-full", field));
        }

        using var counted = Figures.Upload();
        try
        {
            return await take();
        }
        finally
        {
            Places.Release();
        }
    }

    private static bool IsForm(HttpRequest request) => request.ContentType?.StartsWith("multipart/form-data", StringComparison.OrdinalIgnoreCase) == true;

    private static async Task<Stream?> FormFile(HttpRequest request, string field, long largest) =>
        (await Form(request, field, largest)).Files is { Count: > 0 } files ? files[0].OpenReadStream() : null;

    private static async Task<Stream> Body(HttpRequest request, string field, long largest)
    {
        request.EnableBuffering(InMemory, largest);
        var chunk = ArrayPool<byte>.Shared.Rent(InMemory);
        try
        {
            // Large pieces: each is a write to the disk, and many send at once.
            while (await request.Body.ReadAsync(chunk, request.HttpContext.RequestAborted) > 0)
            {
            }
        }
        catch (IOException e) when (e is not BadHttpRequestException && request.Body.Length >= largest)
        {
            throw TooLarge(field, largest);
        }
        finally
        {
            ArrayPool<byte>.Shared.Return(chunk);
        }

        request.Body.Position = 0;
        return request.Body;
    }

    /// <summary>Reads files into room that the next ones use again: arrays of their size are else given back late, and the server grows by each.</summary>
    private static async Task<T> InRoom<T>(IReadOnlyList<Stream> files, Func<IReadOnlyList<ReadOnlyMemory<byte>>, Task<T>> work, CancellationToken cancel)
    {
        var rooms = files.Select(f => Rooms.Rent((int)f.Length)).ToList();
        try
        {
            var read = new List<ReadOnlyMemory<byte>>();
            foreach (var (file, room) in files.Zip(rooms))
            {
                var bytes = room.AsMemory(0, (int)file.Length);
                await file.ReadExactlyAsync(bytes, cancel);
                read.Add(bytes);
            }

            return await work(read);
        }
        finally
        {
            rooms.ForEach(r => Rooms.Return(r));
        }
    }

    private static ApiException TooLarge(string field, long largest) => new(413, Refusal.Of("too-large", field, ("mostMb", largest / 1024 / 1024)));

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
}
