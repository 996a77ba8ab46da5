using System.Security.Claims;
using Rhabdon.Core;
using Rhabdon.Core.Inspection;
using Rhabdon.Imaging;
using Rhabdon.Server.Accounts;
using Rhabdon.Server.Web;
using Rhabdon.Store;

namespace Rhabdon.Server.Inspection;

/// <summary>Keeps pictures, and lets in what waited for them.</summary>
public sealed class PictureKeeping(EvidenceStore evidence, Intake intake, TimeProvider clock)
{
    /// <summary>Keeps a picture under the id that its device gave it, and lets in what waited for it.</summary>
    public async Task<EvidenceId> Keep(Holder of, ClaimsPrincipal user, byte[] picture, EvidenceId? given, IReadOnlyList<SeenFinding>? found = null, CancellationToken cancel = default)
    {
        new Input().Require(given is null || given.Value.Version == 7, "id-version", "id", "A picture's id is a UUID of version 7.").ThrowIfBad();
        var (scope, now) = (user.Scope(), clock.GetCurrentInstant());
        var id = await evidence.Keep(scope.CompanyId, scope.PersonId, given, of, EvidenceKind.Picture, Pictures.ContentType(picture), picture, now, found, cancel);
        if (given is not null && of.EndId is not null)
        {
            await intake.TellWaiting(scope, now, cancel);
        }

        return id;
    }

    /// <exception cref="ApiException">There is no such end among this person's.</exception>
    internal static async Task<EndPlan> Seen(EndId endId, ClaimsPrincipal user, Store.Records records, CancellationToken cancel = default) =>
        await records.Find(user.Scope(), endId, cancel) ?? throw new ApiException(404, "not-found", "endId", "There is no such end among yours.");
}
