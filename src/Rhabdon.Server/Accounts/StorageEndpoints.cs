using System.Security.Claims;
using Rhabdon.Server.Reach;
using Rhabdon.Server.Web;
using Rhabdon.Store;

namespace Rhabdon.Server.Accounts;

/// <summary>What a company's pictures and traces take, of what they may.</summary>
/// <param name="NearlyFull">Four fifths are used: more room is to be asked for.</param>
public sealed record StorageView(long UsedBytes, long QuotaBytes, int Files, bool NearlyFull);

/// <summary>How this server is reached, for a tablet.</summary>
/// <param name="AppAddress">Over HTTPS; null where the server has none.</param>
/// <param name="TrustAddress">The page with the steps that let a tablet trust it; null where it needs none.</param>
/// <param name="AuthorityPrint">SHA-256 of the server's own authority, to compare; null where it has none.</param>
/// <param name="AppCode">The address as a code that a camera reads, in SVG.</param>
public sealed record ReachView(string? AppAddress, string? TrustAddress, string? AuthorityPrint, string? AppCode, string? TrustCode);

/// <summary>How the last backup went; whoever makes them leaves word of it. Why one failed is for whoever runs the server, and stands there.</summary>
/// <param name="At">When the last one was tried; null where none ever was.</param>
/// <param name="Ok">It was written, and read back whole.</param>
/// <param name="GoodAt">When one last was.</param>
/// <param name="Late">That is longer ago than a night.</param>
public sealed record BackupView(Instant? At, bool Ok, Instant? GoodAt, bool Late);

/// <summary>What runs here.</summary>
/// <param name="Commit">Of the source that it was built from; null where that is not known.</param>
public sealed record AboutView(string Version, string? Commit);

/// <summary>What the office has to know of the server itself.</summary>
public static class StorageEndpoints
{
    private const double Warned = 0.8;

    public static void MapStorage(this RouteGroupBuilder api)
    {
        api.MapGet("/storage", Storage).RequireAuthorization(Policies.Office).WithSummary("What the company's pictures and traces take, of what they may. Bytes.");
        api.MapGet("/backup", Backup).RequireAuthorization(Policies.Office).WithSummary("How the last backup went, and whether one is overdue.");
        api.MapGet("/about", About).WithSummary("The version that runs here.");
        api.MapGet("/reach", Reach).RequireAuthorization(Policies.Office).WithSummary("Where the app is for a tablet, and how it comes to trust the server.");
    }

    private static BackupView Backup(Settings settings, TimeProvider time)
    {
        var last = LastBackup.Read(settings.Backups);
        return new(last?.At, last?.Ok ?? false, last?.GoodAt, last?.GoodAt is not { } good || Instant.FromDateTimeOffset(time.GetUtcNow()) - good > LastBackup.Often);
    }

    private static AboutView About()
    {
        var of = System.Reflection.Assembly.GetExecutingAssembly().GetCustomAttributes(false).OfType<System.Reflection.AssemblyInformationalVersionAttribute>().Single().InformationalVersion.Split('+');
        return new(of[0], of.ElementAtOrDefault(1));
    }

    private static async Task<StorageView> Storage(ClaimsPrincipal user, IFiles files, Settings settings, CancellationToken cancel)
    {
        var (used, count) = await files.Taken(user.Scope().CompanyId, cancel);
        var quota = settings.EvidenceMb * 1024 * 1024;
        return new(used, quota, count, used >= quota * Warned);
    }

    private static ReachView Reach(HttpRequest request, Settings settings, IServiceProvider services)
    {
        var (app, trust) = (TrustPage.Address(settings, request), TrustPage.TrustAddress(settings));
        return new(app, trust, services.GetService<OwnAuthority>()?.Fingerprint, app is null ? null : TrustPage.Code(app), trust is null ? null : TrustPage.Code(trust));
    }
}
