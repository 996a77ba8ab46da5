using System.IO.Compression;
using System.Security.Cryptography;
using System.Text.Json;
using Rhabdon.Core;
using Rhabdon.Core.Handover;
using Rhabdon.Documents;
using Rhabdon.Store;

namespace Rhabdon.Server.Handover;

/// <summary>A file of an archive.</summary>
/// <param name="Of">The end that it is of; null for what is of the whole job.</param>
public sealed record ArchivedFile(string Path, long Bytes, string Sha256, EndId? Of);

/// <summary>What lies in an archive.</summary>
public sealed record ArchiveManifest(string Format, string Company, string Customer, string Site, DossierEdition Edition, int? Handover, IReadOnlyList<ArchivedFile> Files);

/// <summary>All of a dossier in one ZIP: paper, seal, data, tables, and pictures and traces as they came, with a manifest that names each by its hash.</summary>
internal sealed class DossierArchive(EvidenceStore evidence, DossierShelf shelf, JobPacks packs)
{
    public const string Format = "rhabdon-archive/1";

    public const string RecordPath = "record.json", ManifestPath = "manifest.json", DossierPath = "dossier.json";

    /// <summary>The same for every file, so that the same dossier gives the same archive.</summary>
    private static readonly DateTimeOffset Timeless = new(1980, 1, 1, 0, 0, 0, TimeSpan.Zero);

    public async Task Write(Scope scope, MadeDossier made, Stream to, CancellationToken cancel)
    {
        var data = (await shelf.Data(scope.CompanyId, made.DossierId, cancel))!;
        var dossier = JsonSerializer.Deserialize<Dossier>(data, Wire.Json)!;
        var files = new List<ArchivedFile>();
        using var zip = new ZipArchive(to, ZipArchiveMode.Create, leaveOpen: true);

        async Task AddParts(string path, IAsyncEnumerable<byte[]> parts, EndId? of, bool packed)
        {
            var entry = zip.CreateEntry(path, packed ? CompressionLevel.Optimal : CompressionLevel.NoCompression);
            entry.LastWriteTime = Timeless;
            await using var into = await entry.OpenAsync(cancel);
            using var hash = IncrementalHash.CreateHash(HashAlgorithmName.SHA256);
            var length = 0L;
            await foreach (var part in parts)
            {
                await into.WriteAsync(part, cancel);
                hash.AppendData(part);
                length += part.Length;
            }

            files.Add(new(path, length, Convert.ToHexStringLower(hash.GetHashAndReset()), of));
        }

        Task Add(string path, byte[] bytes, EndId? of = null, bool packed = true) => AddParts(path, new[] { bytes }.ToAsyncEnumerable(), of, packed);

        await AddParts("dossier.pdf", shelf.Pdf(scope.CompanyId, made.DossierId, cancel), of: null, packed: false);
        await Add("dossier.seal.json", JsonSerializer.SerializeToUtf8Bytes(made.Seal, Wire.Json));
        await Add(DossierPath, data);
        await Add("tables.xlsx", Tables.Xlsx(DossierTables.Of(dossier)), packed: false);
        foreach (var table in Enum.GetValues<DossierTable>())
        {
            await Add($"tables/{Wire.Name(table)}.csv", Tables.Csv(DossierTables.Of(dossier, table)));
        }

        var whose = dossier.Ends.SelectMany(e => e.Traces.Select(t => (EvidenceId?)t.TraceId).Concat([e.Face?.BeforeId, e.Face?.PictureId]).OfType<EvidenceId>().Select(id => (Id: id, End: e)))
            .GroupBy(x => x.Id).ToDictionary(g => g.Key, g => g.First().End);
        foreach (var file in dossier.Files)
        {
            if (await evidence.Find(scope, file.EvidenceId, cancel) is { } kept && whose.TryGetValue(file.EvidenceId, out var end))
            {
                var at = Path(end.Address);
                await Add(kept.Kind == EvidenceKind.Trace ? $"traces/{at}_{file.EvidenceId}.sor" : $"pictures/{at}_{file.EvidenceId}.{Suffix(kept.ContentType)}", kept.Bytes, end.EndId, packed: kept.Kind == EvidenceKind.Trace);
            }
        }

        foreach (var photo in dossier.Photos)
        {
            if (await evidence.Find(scope, photo.EvidenceId, cancel) is { } kept)
            {
                await Add($"photos/{Path(photo.Of ?? "site")}_{photo.EvidenceId}.{Suffix(kept.ContentType)}", kept.Bytes, packed: false);
            }
        }

        // The company's own edition of the whole job holds its record, too: it goes into another company's books as it stands in these.
        if (made.Choice is { Edition: DossierEdition.Company, SpaceIds: null, PlaceIds: null })
        {
            var pack = await packs.Pack(scope.CompanyId, made.JobId, made.Choice.Names, cancel);
            var there = files.Select(f => f.Sha256).ToHashSet();
            foreach (var row in pack.Rows["evidence"].EnumerateArray())
            {
                if (await evidence.Find(scope, new EvidenceId(row.GetProperty("evidence_id").GetGuid()), cancel) is { } kept && there.Add(Convert.ToHexStringLower(SHA256.HashData(kept.Bytes))))
                {
                    await Add($"record/{kept.EvidenceId}.{(kept.Kind == EvidenceKind.Trace ? "sor" : Suffix(kept.ContentType))}", kept.Bytes, kept.EndId, packed: kept.Kind == EvidenceKind.Trace);
                }
            }

            await Add(RecordPath, JsonSerializer.SerializeToUtf8Bytes(pack, Wire.Json));
        }

        var manifest = new ArchiveManifest(Format, dossier.Company, dossier.Job.Customer, dossier.Job.Site, made.Choice.Edition, made.Handover, files.ToList());
        await Add(ManifestPath, JsonSerializer.SerializeToUtf8Bytes(manifest, Wire.Json));
    }

    /// <summary>As any file system takes it.</summary>
    private static string Path(string address) => new([.. address.Select(c => char.IsLetterOrDigit(c) || c is '-' or '.' ? c : '_')]);

    private static string Suffix(string contentType) => contentType.Split('/')[^1] switch { "jpeg" => "jpg", var kind => kind };
}
