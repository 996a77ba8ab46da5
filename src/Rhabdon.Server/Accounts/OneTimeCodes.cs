using System.Security.Cryptography;
using Microsoft.AspNetCore.DataProtection;
using OtpNet;
using Rhabdon.Server.Reach;
using Rhabdon.Store;

namespace Rhabdon.Server.Accounts;

/// <summary>One-time codes of RFC 6238, as any authenticator makes them: six figures, half a minute, SHA-1. Each works once, one step early or late.</summary>
public sealed class OneTimeCodes(Codes codes, IDataProtectionProvider protection, Settings settings)
{
    private const int SecretBytes = 20, RecoveryCodes = 10, RecoveryGroups = 3, GroupLength = 4;

    /// <summary>Letters and figures that nobody mistakes for one another.</summary>
    private const string Letters = "abcdefghjkmnpqrstuvwxyz23456789";

    private static readonly VerificationWindow OneStep = new(previous: 1, future: 1);

    private readonly IDataProtector _protector = protection.CreateProtector("one-time codes");

    /// <summary>Begins: a secret that holds once a code of it has been given.</summary>
    public async Task<(string Secret, string Address)> Begin(CompanyId companyId, PersonId personId, string login, string company, CancellationToken cancel)
    {
        var secret = Base32Encoding.ToString(RandomNumberGenerator.GetBytes(SecretBytes));
        await codes.Begin(companyId, personId, _protector.Protect(secret), cancel);
        var label = Uri.EscapeDataString($"{company} ({settings.Names.FirstOrDefault() ?? "Rhabdon"})");
        return (secret, $"otpauth://totp/{label}:{Uri.EscapeDataString(login)}?secret={secret}&issuer={label}");
    }

    /// <returns>Codes for a lost telephone, told this once; null where the code does not fit.</returns>
    public async Task<IReadOnlyList<string>?> Confirm(CompanyId companyId, PersonId personId, string code, Instant now, CancellationToken cancel)
    {
        if ((await codes.Of(companyId, personId, cancel))?.Pending is not { } pending || StepOf(pending, code, now) is not { } step)
        {
            return null;
        }

        List<string> recovery = [.. Enumerable.Range(0, RecoveryCodes).Select(_ => string.Join('-', Enumerable.Range(0, RecoveryGroups).Select(_ => RandomNumberGenerator.GetString(Letters, GroupLength))))];
        await codes.Confirm(companyId, personId, step, recovery, now, cancel);
        return recovery;
    }

    /// <summary>Whether this is a code of the moment that was not used yet, or one of those for a lost telephone.</summary>
    public async Task<bool> Fits(CompanyId companyId, PersonId personId, string secret, string code, Instant now, CancellationToken cancel)
    {
        var typed = code.Trim().ToLowerInvariant();
        return StepOf(secret, typed, now) is { } step ? await codes.Use(companyId, personId, step, cancel) : await codes.UseRecovery(companyId, personId, typed, now, cancel);
    }

    /// <summary>The step of time that this is the code of; null where it is of none.</summary>
    private long? StepOf(string @protected, string code, Instant now)
    {
        try
        {
            var totp = new Totp(Base32Encoding.ToBytes(_protector.Unprotect(@protected)));
            return totp.VerifyTotp(now.ToDateTimeUtc(), code.Replace(" ", "", StringComparison.Ordinal), out var step, OneStep) ? step : null;
        }
        catch (CryptographicException)
        {
            // The keys that protected it are gone: nobody's code fits, until the office lets it be begun anew.
            return null;
        }
    }
}
