using System.Security.Cryptography;
using Microsoft.AspNetCore.DataProtection;
using Rhabdon.Core;
using Rhabdon.Core.Handover;
using Rhabdon.Store;

namespace Rhabdon.Server.Handover;

/// <summary>Seals with the company's own key, which is made when it is needed first and never leaves the server.</summary>
public sealed class SealKeys(Letterheads letterheads, IDataProtectionProvider protection, TimeProvider clock)
{
    private readonly IDataProtector _protector = protection.CreateProtector("seal keys");

    public async Task<Seal> Sign(CompanyId companyId, Seal seal, CancellationToken cancel)
    {
        foreach (var key in await letterheads.Keys(companyId, cancel))
        {
            using var known = ECDsa.Create();
            try
            {
                known.ImportPkcs8PrivateKey(Convert.FromBase64String(_protector.Unprotect(key.PrivateKey)), out _);
            }
            catch (CryptographicException)
            {
                // The server's own key is another than then: this one seals nothing new.
                continue;
            }

            return Seals.Sign(seal, known);
        }

        using var made = ECDsa.Create(ECCurve.NamedCurves.nistP256);
        var spki = made.ExportSubjectPublicKeyInfo();
        await letterheads.AddKey(companyId, new(Seals.KeyId(spki), spki, _protector.Protect(Convert.ToBase64String(made.ExportPkcs8PrivateKey()))), clock.GetCurrentInstant(), cancel);
        return Seals.Sign(seal, made);
    }
}
