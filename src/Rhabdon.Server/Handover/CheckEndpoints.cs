using System.Text.Json;
using System.Text.RegularExpressions;
using Rhabdon.Core;
using Rhabdon.Core.Handover;
using Rhabdon.Core.Ledger;
using Rhabdon.Server.Web;
using Rhabdon.Store;

namespace Rhabdon.Server.Handover;

/// <summary>What was sealed under a printed code, and what is otherwise now.</summary>
/// <param name="Seal">As it was signed.</param>
/// <param name="Proven">Of what was planned, when it was sealed.</param>
/// <param name="Changed">Connectors that are otherwise by now, at most 200.</param>
/// <param name="ChangedCount">How many there are.</param>
public sealed record SealedView(Seal Seal, int Proven, int Planned, IReadOnlyList<ChangedEnd> Changed, int ChangedCount);

/// <summary>Whoever holds a paper may ask whether it is what was sealed.</summary>
public static partial class CheckEndpoints
{
    private const int MostChanged = 200;

    public static void MapCheck(this RouteGroupBuilder api)
    {
        api.MapGet("/check/{code}", Check).AllowAnonymous().RequireRateLimiting(Setup.OpenLimit).WithSummary("What was sealed under a printed check code, and which connectors are otherwise by now.");
        api.MapGet("/check/keys/{keyId}", Key).AllowAnonymous().RequireRateLimiting(Setup.OpenLimit).WithSummary("Whose key a seal was signed with.");
    }

    private static async Task<IReadOnlyList<SealedView>> Check(string code, DossierShelf shelf, Store.Jobs jobs, CancellationToken cancel)
    {
        var letters = new string([.. code.Where(c => c is not ('-' or ' '))]).ToLowerInvariant();
        if (!Code().IsMatch(letters))
        {
            throw new ApiException(400, Refusal.Of("check-code-shape", "code"));
        }

        var found = new List<SealedView>();
        // The same data on paper again, as a copy beside a handover, is the same answer.
        foreach (var (companyId, made) in (await shelf.ByCode(letters, cancel)).DistinctBy(d => (d.CompanyId, d.Dossier.DataSha256)))
        {
            var scope = new Scope(companyId, default, Role.Office, null);
            if (await jobs.Find(scope, made.JobId, cancel) is { } job && await shelf.Data(companyId, made.DossierId, cancel) is { } data && JsonSerializer.Deserialize<Dossier>(data, Wire.Json) is { } then)
            {
                // Of a copy of exceptions, what was no exception then was not in it.
                var changed = DossierChanges.Between(then, Dossiers.Of(await shelf.Source(scope, job, cancel), made.Choice with { ExceptionsOnly = false })).Where(c => !made.Choice.ExceptionsOnly || !c.Changes.Contains(EndChange.Added)).ToList();
                found.Add(new(made.Seal!, then.Summary.Proven, then.Summary.Planned, [.. changed.Take(MostChanged)], changed.Count));
            }
        }

        return found.Count > 0 ? found : throw new ApiException(404, Refusal.Of("check-code-unknown", "code"));
    }

    private static async Task<KeyOwner> Key(string keyId, Letterheads letterheads, CancellationToken cancel) =>
        await letterheads.OwnerOf(keyId, cancel) is { } company ? new(keyId, company) : throw new ApiException(404, Refusal.Of("not-found", "keyId"));

    [GeneratedRegex("^[0-9a-f]{16}$")]
    private static partial Regex Code();
}

/// <param name="Company">Whose key it is, on this server.</param>
public sealed record KeyOwner(string KeyId, string Company);
