using System.IO.Compression;
using System.Security.Claims;
using System.Security.Cryptography;
using System.Text.Json;
using Rhabdon.Core;
using Rhabdon.Core.Handover;
using Rhabdon.Core.Procedures;
using Rhabdon.Imaging;
using Rhabdon.Server.Accounts;
using Rhabdon.Server.Measure;
using Rhabdon.Server.Web;
using Rhabdon.Store;

namespace Rhabdon.Server.Handover;

/// <summary>What became of a record that was brought in.</summary>
/// <param name="From">The company whose record it is.</param>
/// <param name="SameDossier">The dossier of it comes out of these books as it lies in the archive, to the byte; false where the record has grown since that was drawn.</param>
public sealed record CarriedAnswer(JobId JobId, string From, int Ends, int Events, int Files, bool SameDossier);

/// <summary>A job's whole record, out of an archive into the books of an empty company.</summary>
public static class CarryEndpoints
{
    private const long LargestArchive = 2L * 1024 * 1024 * 1024;

    public static void MapCarriedJobs(this RouteGroupBuilder api)
    {
        api.MapPost("/jobs/archive", Bring).RequireAuthorization(Policies.Office).TakesFile()
            .WithSummary("Bring in a job with its whole record: the ZIP of a company's own dossier, into a company that has no jobs yet; all of it or nothing, at most 2 GB.")
            .WithDescription("What was said is said again, event by event, and judged anew. People come with their names and cannot sign in.");
    }

    private static Task<CarriedAnswer> Bring(HttpRequest request, ClaimsPrincipal user, JobCarrier carrier, CancellationToken cancel) =>
        Uploads.TakeStream(request, "archive", LargestArchive, file => carrier.Bring(user.Scope(), file, cancel));
}

/// <summary>Reads an archive, and brings the record in it into a company's books.</summary>
internal sealed class JobCarrier(JobPacks packs, DossierShelf shelf, Store.Jobs jobs, TimeProvider clock)
{
    /// <summary>Unpacked: of the record (some 12,000 connectors; in memory it is several times as large), and of one picture or trace.</summary>
    private const long LargestRecord = 160L * 1024 * 1024, LargestFile = Uploads.LargestPicture;

    private const int MostFiles = 100_000;

    /// <exception cref="RefusedException">It is no archive with a record, or something in it cannot be.</exception>
    public async Task<CarriedAnswer> Bring(Scope office, Stream file, CancellationToken cancel)
    {
        using var zip = Open(file);
        var pack = await Part<JobPack>(zip, DossierArchive.RecordPath, cancel);
        var manifest = await Part<ArchiveManifest>(zip, DossierArchive.ManifestPath, cancel);
        if (pack.Format != JobPacks.Format || manifest.Format != DossierArchive.Format)
        {
            throw new RefusedException(Refusal.Of("record-format", "archive"));
        }

        Check(pack);
        // The mark is made safe as any that is sent.
        pack = pack with { Mark = pack.Mark is { } mark ? CompanyMark.Png(mark) : null };
        var paths = manifest.Files.GroupBy(f => f.Sha256).ToDictionary(g => g.Key, g => g.First().Path);
        var carried = await packs.Unpack(office, pack, async hash =>
        {
            // By its hash and not by its name: what lies there under the name may be another.
            if (!paths.TryGetValue(hash, out var path) || zip.GetEntry(path) is not { } entry)
            {
                return null;
            }

            var bytes = await Bytes(entry, LargestFile, cancel);
            return Convert.ToHexStringLower(SHA256.HashData(bytes)) == hash ? bytes : null;
        }, clock.GetCurrentInstant(), cancel);

        var then = zip.GetEntry(DossierArchive.DossierPath) is { } dossier ? await Bytes(dossier, LargestRecord, cancel) : [];
        return new(carried.JobId, pack.Company, carried.Ends, carried.Events, carried.Files, await Same(office, carried.JobId, then, cancel));
    }

    private async Task<bool> Same(Scope office, JobId jobId, byte[] then, CancellationToken cancel)
    {
        try
        {
            return JsonSerializer.Deserialize<Dossier>(then, Wire.Json) is { Choice: { } choice } && await jobs.Find(office, jobId, cancel) is { } job
                && Dossiers.Bytes(Dossiers.Of(await shelf.Source(office, job, cancel), choice)).AsSpan().SequenceEqual(then);
        }
        catch (JsonException)
        {
            return false;
        }
    }

    /// <summary>What the company would work by is held to what is asked of its own.</summary>
    private static void Check(JobPack pack)
    {
        if (pack.Company is not { Length: > 0 and <= 200 } || pack.Foot is not { Length: <= 200 } || pack.Events is null || pack.Rows is null)
        {
            throw new RefusedException(Refusal.Of("record-format", "archive"));
        }

        IEnumerable<JsonElement> Rows(string table) => pack.Rows.TryGetValue(table, out var rows) && rows.ValueKind == JsonValueKind.Array ? rows.EnumerateArray() : [];
        try
        {
            foreach (var (i, row) in Rows("own_procedure").Index())
            {
                var document = row.GetProperty("document").Deserialize<ProcedureDocument>(Wire.Json)!;
                if (ProcedureValidator.Faults(document) is [var fault, ..])
                {
                    throw new RefusedException(Refusal.Of("record-damaged", $"rows.own_procedure.{i}", ("why", fault.Plain)));
                }
            }

            foreach (var row in Rows("own_limit_set"))
            {
                LimitEndpoints.Checked(JsonSerializer.Deserialize<LimitKind>(row.GetProperty("kind").GetRawText(), Wire.Json), row.GetProperty("document").GetRawText());
            }
        }
        catch (Exception x) when (x is JsonException or KeyNotFoundException or InvalidOperationException)
        {
            throw new RefusedException(Refusal.Of("record-damaged", "rows", ("why", x.Message)));
        }
    }

    private const int ShortestZip = 22;

    private static ZipArchive Open(Stream file)
    {
        // What is shorter than a ZIP's own end is looked for before its beginning.
        if (file.Length < ShortestZip)
        {
            throw new RefusedException(Refusal.Of("record-format", "archive"));
        }

        try
        {
            var zip = new ZipArchive(file, ZipArchiveMode.Read, leaveOpen: true);
            return zip.Entries.Count <= MostFiles ? zip : throw new RefusedException(Refusal.Of("record-format", "archive"));
        }
        catch (InvalidDataException)
        {
            throw new RefusedException(Refusal.Of("record-format", "archive"));
        }
    }

    private static async Task<T> Part<T>(ZipArchive zip, string path, CancellationToken cancel)
    {
        var entry = zip.GetEntry(path) ?? throw new RefusedException(Refusal.Of("record-missing", "archive"));
        try
        {
            return JsonSerializer.Deserialize<T>(await Bytes(entry, LargestRecord, cancel), Wire.Json) ?? throw new RefusedException(Refusal.Of("record-format", path));
        }
        catch (JsonException x)
        {
            throw new RefusedException(Refusal.Of("record-damaged", path, ("why", x.Message)));
        }
    }

    /// <summary>What unpacks to more than it may, or to other than it says, is damaged.</summary>
    private static async Task<byte[]> Bytes(ZipArchiveEntry entry, long most, CancellationToken cancel)
    {
        try
        {
            if (entry.Length > most)
            {
                throw new RefusedException(Refusal.Of("record-damaged", entry.FullName, ("why", "It is too large.")));
            }

            await using var from = await entry.OpenAsync(cancel);
            var bytes = new byte[entry.Length];
            await from.ReadExactlyAsync(bytes, cancel);
            return await from.ReadAsync(new byte[1], cancel) == 0 ? bytes : throw new RefusedException(Refusal.Of("record-damaged", entry.FullName, ("why", "It is larger than it says.")));
        }
        catch (Exception x) when (x is InvalidDataException or EndOfStreamException)
        {
            throw new RefusedException(Refusal.Of("record-damaged", entry.FullName, ("why", x.Message)));
        }
    }
}
