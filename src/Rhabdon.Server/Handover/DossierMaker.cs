using System.Diagnostics;
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

/// <summary>Wakes whoever has dossiers drawn.</summary>
internal interface IDossierQueue
{
    void Wake();
}

/// <summary>Draws what was asked for, one at a time: pages are large while they are drawn.</summary>
internal sealed class DossierMaker(DossierShelf shelf, Store.Jobs jobs, EvidenceStore evidence, Letterheads letterheads, People people, SealKeys keys, Settings settings, TimeProvider clock, ILogger<DossierMaker> log) : QueueWorker<NextDossier>("Dossiers", 1, clock, log), IDossierQueue
{
    private static readonly TimeSpan BetweenWords = TimeSpan.FromSeconds(1);

    /// <summary>Of a trace on paper: more than there are dots across it tell nothing.</summary>
    private const int TracePoints = 700;

    private static readonly TimeSpan Look = TimeSpan.FromMilliseconds(300);

    /// <summary>Of a large book: as often the heap gives back what it keeps for later, or it would grow to twice of what it needs.</summary>
    private const double Part = 0.04;

    private const int ManyEnds = 300;

    private readonly TimeProvider _clock = clock;
    private readonly ILogger _log = log;

    protected override Task<NextDossier?> Next(CancellationToken cancel) => shelf.Next(_clock.GetCurrentInstant(), cancel);

    /// <summary>Draws all that waits, and what comes meanwhile and a little later.</summary>
    public async Task Finish(TimeSpan linger, CancellationToken cancel = default)
    {
        for (var idle = Stopwatch.StartNew(); idle.Elapsed < linger;)
        {
            if (await Next(cancel) is { } next)
            {
                await Make(next, cancel);
                idle.Restart();
            }
            else
            {
                await Task.Delay(Look, _clock, cancel);
            }
        }
    }

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
    private async Task<(Dossier Dossier, byte[] Data, Dictionary<EvidenceId, SeenFace> Seen)> Read(NextDossier next, Scope scope, Job job, CancellationToken cancel)
    {
        var source = await shelf.Source(scope, job, cancel);
        var dossier = Dossiers.Of(source, next.Choice);
        // Of a picture its place and scale alone are asked for: its findings are many.
        return (dossier, Dossiers.Bytes(dossier), source.Ends.SelectMany(e => e.State.Attempts).SelectMany(a => a.Looks).Select(l => l.Picture).OfType<SeenFace>().DistinctBy(p => p.PictureId).ToDictionary(p => p.PictureId, p => p with { Automatic = [], Final = [] }));
    }

    private async Task Draw(NextDossier next, Action<double> progress, CancellationToken cancel)
    {
        // Whoever asked could plan the job, and so sees all of it.
        var scope = new Scope(next.CompanyId, default, Role.Office, null);
        var job = await jobs.Find(scope, next.JobId, cancel) ?? throw new RefusedException(Refusal.Of("not-found", "jobId"));
        var (dossier, data, seen) = await Read(next, scope, job, cancel);
        var head = await letterheads.Of(next.CompanyId, cancel);
        var book = DossierBook.Of(dossier, new(new(head.Mark, head.Foot), $"{settings.Address}/check/", next.Handover, id => Shown(File(id), seen.GetValueOrDefault(id)), id => Line(File(id))));
        await using var pdf = new FileStream(Path.GetTempFileName(), FileMode.Create, FileAccess.ReadWrite, FileShare.None, 1 << 16, FileOptions.DeleteOnClose);
        var (large, given) = (dossier.Ends.Count > ManyEnds, 0.0);
        GiveBack(large);
        await Task.Run(() => BookPdf.Write(book, pdf, Drawn, cancel), cancel);
        GiveBack(large);
        var now = _clock.GetCurrentInstant();
        var seal = await keys.Sign(next.CompanyId, new(
            Seals.Format, await people.CompanyName(next.CompanyId, cancel), dossier.Job.Customer, dossier.Job.Site, dossier.Choice.Edition, next.Handover, Convert.ToHexStringLower(SHA256.HashData(data)), Convert.ToHexStringLower(await SHA256.HashDataAsync(pdf, cancel)), now, "", "", ""), cancel);
        await shelf.Keep(next, dossier.Summary, data, pdf, seal, now, cancel);

        void Drawn(double share)
        {
            progress(share);
            if (share >= given + Part || share == 1)
            {
                given = share;
                GiveBack(large);
            }
        }

        // Read when its page is drawn, on the drawing's own thread: all of them at once would be larger than the book.
        Evidence? File(EvidenceId id)
        {
            cancel.ThrowIfCancellationRequested();
            return evidence.Find(scope, id, cancel).GetAwaiter().GetResult();
        }
    }

    private static void GiveBack(bool large)
    {
        if (large)
        {
            GC.Collect(GC.MaxGeneration, GCCollectionMode.Aggressive, blocking: true, compacting: true);
        }
    }

    /// <summary>A picture as it is drawn. What cannot be read is named as missing on its page; the rest of the proof stands.</summary>
    private static byte[]? Shown(Evidence? kept, SeenFace? face)
    {
        try
        {
            return kept switch
            {
                null => null,
                { EndId: null } or { Kind: EvidenceKind.Photo } => PhotoCopy.ForPaper(kept.Bytes),
                _ => face is null ? null : FaceCrop.Jpeg(kept.Bytes, face.CentreXPx, face.CentreYPx, face.UmPerPx),
            };
        }
        catch (RefusedException)
        {
            return null;
        }
    }

    private static TraceLine? Line(Evidence? kept)
    {
        TraceCurve curve;
        try
        {
            if (kept is null)
            {
                return null;
            }

            curve = TraceCurve.Of(OtdrReader.Read(kept.Bytes, false));
        }
        catch (RefusedException)
        {
            return null;
        }

        var every = Math.Max(1, curve.LevelsDb.Length / TracePoints);
        var points = Enumerable.Range(0, curve.LevelsDb.Length).Where(i => i % every == 0).ToList();
        return new([.. points.Select(curve.At)], [.. points.Select(i => (double)curve.LevelsDb[i])], [.. TraceAnalysis.Read(curve, 0, 0).Events.Select(e => (e.DistanceM, e.LossDb))]);
    }
}
