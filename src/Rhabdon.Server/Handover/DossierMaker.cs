using System.Security.Cryptography;
using Npgsql;
using Rhabdon.Core;
using Rhabdon.Core.Handover;
using Rhabdon.Core.Ledger;
using Rhabdon.Core.Trace;
using Rhabdon.Documents.Books;
using Rhabdon.Imaging;
using Rhabdon.Instruments;
using Rhabdon.Server.Reach;
using Rhabdon.Server.Web;
using Rhabdon.Store;

namespace Rhabdon.Server.Handover;

/// <summary>Draws what was asked for, one at a time: pages are large while they are drawn.</summary>
internal sealed class DossierMaker(DossierShelf shelf, Store.Jobs jobs, EvidenceStore evidence, Letterheads letterheads, People people, SealKeys keys, Settings settings, TimeProvider clock, ILogger<DossierMaker> log) : QueueWorker<NextDossier>("Dossiers", 1, clock, log)
{
    private static readonly TimeSpan BetweenWords = TimeSpan.FromSeconds(1);

    /// <summary>Of a trace on paper: more than there are dots across it tell nothing.</summary>
    private const int TracePoints = 700;

    private const double PicturesShare = 0.6;

    private readonly TimeProvider _clock = clock;
    private readonly ILogger _log = log;

    protected override Task<NextDossier?> Next(CancellationToken cancel) => shelf.Next(_clock.GetCurrentInstant(), cancel);

    protected override async Task Make(NextDossier next, CancellationToken cancel)
    {
        using var stopped = CancellationTokenSource.CreateLinkedTokenSource(cancel);
        var progress = 0.0;
        var telling = Tell();
        try
        {
            await Draw(next, p => progress = p, stopped.Token);
        }
        catch (OperationCanceledException) when (!cancel.IsCancellationRequested)
        {
            // Somebody stopped it: there is nothing to be said.
        }
        catch (Exception x) when (x is not (NpgsqlException or OperationCanceledException))
        {
            _log.LogWarning("Dossier {DossierId} failed: {Reason}", next.DossierId, x.ToString());
            await shelf.Fail(next, x is RefusedException r ? r.Message : "", cancel);
        }
        finally
        {
            await stopped.CancelAsync();
            await telling.ConfigureAwait(ConfigureAwaitOptions.SuppressThrowing);
        }

        async Task Tell()
        {
            while (!stopped.IsCancellationRequested)
            {
                await Task.Delay(BetweenWords, _clock, stopped.Token);
                if (!await shelf.Tell(next, progress, _clock.GetCurrentInstant(), stopped.Token))
                {
                    await stopped.CancelAsync();
                }
            }
        }
    }

    /// <summary>Apart from the drawing, so that what the ledger gave is let go before the pages are made.</summary>
    private async Task<(Dossier Dossier, byte[] Data, Dictionary<EvidenceId, SeenFace> Seen)> Read(NextDossier next, Scope scope, CancellationToken cancel)
    {
        var job = await jobs.Find(scope, next.JobId, cancel) ?? throw new RefusedException(Refusal.Of("not-found", "jobId"));
        var source = await shelf.Source(scope, job, cancel);
        var dossier = Dossiers.Of(source, next.Choice);
        // Of a picture its place and scale alone are asked for: its findings are many.
        return (dossier, Dossiers.Bytes(dossier), source.Ends.SelectMany(e => e.State.Attempts).SelectMany(a => a.Looks).Select(l => l.Picture).OfType<SeenFace>().DistinctBy(p => p.PictureId).ToDictionary(p => p.PictureId, p => p with { Automatic = [], Final = [] }));
    }

    private async Task Draw(NextDossier next, Action<double> progress, CancellationToken cancel)
    {
        // Whoever asked could plan the job, and so sees all of it.
        var scope = new Scope(next.CompanyId, default, Role.Office, null);
        var (dossier, data, seen) = await Read(next, scope, cancel);
        Dictionary<EvidenceId, byte[]> faces = [];
        Dictionary<EvidenceId, TraceLine> traces = [];
        foreach (var (i, file) in dossier.Files.Index())
        {
            cancel.ThrowIfCancellationRequested();
            if (await evidence.Find(scope, file.EvidenceId, cancel) is { } kept)
            {
                // A file that cannot be read is named as missing on its page; the rest of the proof stands.
                try
                {
                    if (kept.Kind == EvidenceKind.Trace)
                    {
                        traces[file.EvidenceId] = Line(OtdrReader.Read(kept.Bytes, false));
                    }
                    else if (kept.EndId is null || kept.Kind == EvidenceKind.Photo)
                    {
                        faces[file.EvidenceId] = PhotoCopy.ForPaper(kept.Bytes);
                    }
                    else if (seen.TryGetValue(file.EvidenceId, out var face))
                    {
                        faces[file.EvidenceId] = FaceCrop.Jpeg(kept.Bytes, face.CentreXPx, face.CentreYPx, face.UmPerPx);
                    }
                }
                catch (RefusedException)
                {
                }
            }

            progress(PicturesShare * (i + 1) / dossier.Files.Count);
        }

        var head = await letterheads.Of(next.CompanyId, cancel);
        var begin = dossier.Files.Count > 0 ? PicturesShare : 0;
        var book = DossierBook.Of(dossier, new(new(head.Mark, head.Foot), $"{settings.Address}/check/", next.Handover, faces.GetValueOrDefault, traces.GetValueOrDefault));
        var pdf = await Task.Run(() => BookPdf.Of(book, p => progress(begin + ((1 - begin) * p * 0.95)), cancel), cancel);
        var now = _clock.GetCurrentInstant();
        var seal = await keys.Sign(next.CompanyId, new(
            Seals.Format, await people.CompanyName(next.CompanyId, cancel), dossier.Job.Customer, dossier.Job.Site, dossier.Choice.Edition, next.Handover, Convert.ToHexStringLower(SHA256.HashData(data)), Convert.ToHexStringLower(SHA256.HashData(pdf)), now, "", "", ""), cancel);
        await shelf.Keep(next, dossier.Summary, data, pdf, seal, now, cancel);
    }

    private static TraceLine Line(OtdrFile file)
    {
        var curve = TraceCurve.Of(file);
        var every = Math.Max(1, curve.LevelsDb.Length / TracePoints);
        var points = Enumerable.Range(0, curve.LevelsDb.Length).Where(i => i % every == 0).ToList();
        return new([.. points.Select(curve.At)], [.. points.Select(i => (double)curve.LevelsDb[i])], [.. TraceAnalysis.Read(curve, 0, 0).Events.Select(e => (e.DistanceM, e.LossDb))]);
    }
}
