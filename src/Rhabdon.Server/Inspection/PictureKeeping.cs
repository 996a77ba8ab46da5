using System.Security.Claims;
using Rhabdon.Core;
using Rhabdon.Core.Ledger;
using Rhabdon.Imaging;
using Rhabdon.Server.Accounts;
using Rhabdon.Server.Web;
using Rhabdon.Store;

namespace Rhabdon.Server.Inspection;

/// <summary>Keeps pictures, and lets in what waited for them.</summary>
public sealed class PictureKeeping(EvidenceStore evidence, Intake intake, TimeProvider clock)
{
    /// <summary>Keeps a picture under the id that its device gave it, and lets in what waited for it.</summary>
    public async Task<EvidenceId> Keep(Holder of, ClaimsPrincipal user, ReadOnlyMemory<byte> picture, EvidenceId? given, KeptEvidence? read = null, EvidenceKind kind = EvidenceKind.Picture, CancellationToken cancel = default)
    {
        new Input().Require(given is null || given.Value.Version == 7, Refusal.Of("id-version", "id")).ThrowIfBad();
        var (scope, now) = (user.Scope(), clock.GetCurrentInstant());
        var id = await evidence.Keep(scope.CompanyId, scope.PersonId, given, of, kind, Pictures.ContentType(picture.Span), picture, now, read, cancel);
        if (given is not null && of.EndId is not null)
        {
            await intake.TellWaiting(scope, now, cancel);
        }

        return id;
    }

    /// <exception cref="ApiException">There is no such end among this person's.</exception>
    internal static async Task<EndPlan> Seen(EndId endId, ClaimsPrincipal user, Store.Records records, CancellationToken cancel = default) =>
        await records.Find(user.Scope(), endId, cancel) ?? throw new ApiException(404, Refusal.Of("not-found", "endId"));
}
