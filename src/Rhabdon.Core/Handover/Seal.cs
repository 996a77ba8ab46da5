using System.Globalization;
using System.Security.Cryptography;
using System.Text;
using System.Text.Json;
using NodaTime.Text;

namespace Rhabdon.Core.Handover;

/// <summary>What lies beside a dossier: which file and which data it is, signed by the company's own key.</summary>
/// <param name="Format">Name and version of this shape; see docs/formats.</param>
/// <param name="Handover">Its number; null for a copy that was not handed over.</param>
/// <param name="DataSha256">Of the dossier's data, in hexadecimal; its first characters are the printed check code.</param>
/// <param name="FileSha256">Of the PDF, in hexadecimal.</param>
/// <param name="KeyId">The first half of the SHA-256 of the public key, in hexadecimal.</param>
/// <param name="PublicKey">SubjectPublicKeyInfo of an ECDSA key on P-256, in Base64.</param>
/// <param name="Signature">ECDSA with SHA-256 over <see cref="Seals.Message"/>, r and s of 32 bytes each, in Base64.</param>
public sealed record Seal(
    string Format, string Company, string Customer, string Site, DossierEdition Edition, int? Handover, string DataSha256, string FileSha256, Instant SealedAt, string KeyId, string PublicKey, string Signature);

/// <summary>What a check found.</summary>
public enum SealFinding
{
    /// <summary>The signature is the key's, and the file is the one that was sealed.</summary>
    Whole,
    /// <summary>The file is another than the one that was sealed.</summary>
    OtherFile,
    /// <summary>The data are others than those that were sealed.</summary>
    OtherData,
    /// <summary>The seal's own words were changed, or the key is not the one that signed.</summary>
    BadSignature,
    /// <summary>It is no seal that can be read.</summary>
    NoSeal,
}

/// <summary>Seals and their checking, with the platform's own ECDSA.</summary>
public static class Seals
{
    public const string Format = "rhabdon-seal/1";

    /// <summary>The bytes that are signed: each field on its line, so that whoever has a library can check it.</summary>
    public static byte[] Message(Seal s) => Encoding.UTF8.GetBytes(string.Join('\n', new[]
    {
        s.Format, s.Company, s.Customer, s.Site, Wire.Name(s.Edition), s.Handover?.ToString(CultureInfo.InvariantCulture) ?? "-", s.DataSha256, s.FileSha256, InstantPattern.ExtendedIso.Format(s.SealedAt), s.KeyId,
    }));

    /// <param name="publicKey">SubjectPublicKeyInfo.</param>
    public static string KeyId(byte[] publicKey) => Convert.ToHexStringLower(SHA256.HashData(publicKey))[..32];

    /// <summary>Signs; the fields of key and signature are filled in.</summary>
    public static Seal Sign(Seal seal, ECDsa key)
    {
        var spki = key.ExportSubjectPublicKeyInfo();
        var named = seal with { Format = Format, KeyId = KeyId(spki), PublicKey = Convert.ToBase64String(spki) };
        return named with { Signature = Convert.ToBase64String(key.SignData(Message(named), HashAlgorithmName.SHA256)) };
    }

    /// <param name="file">The PDF; null where it is not at hand.</param>
    /// <param name="data">The dossier's data; null where they are not at hand.</param>
    /// <param name="trusted">The key id that is known to be the company's; null where nobody knows, and the seal's own key is taken.</param>
    public static SealFinding Check(Seal seal, byte[]? file, byte[]? data, string? trusted = null)
    {
        try
        {
            using var key = ECDsa.Create();
            var spki = Convert.FromBase64String(seal.PublicKey);
            key.ImportSubjectPublicKeyInfo(spki, out var read);
            if (seal.Format != Format || read != spki.Length || key.KeySize != 256 || KeyId(spki) != seal.KeyId || (trusted is not null && trusted != seal.KeyId)
                || !key.VerifyData(Message(seal), Convert.FromBase64String(seal.Signature), HashAlgorithmName.SHA256))
            {
                return SealFinding.BadSignature;
            }
        }
        catch (Exception e) when (e is FormatException or CryptographicException)
        {
            return SealFinding.BadSignature;
        }

        return file is not null && Convert.ToHexStringLower(SHA256.HashData(file)) != seal.FileSha256 ? SealFinding.OtherFile
            : data is not null && Convert.ToHexStringLower(SHA256.HashData(data)) != seal.DataSha256 ? SealFinding.OtherData
            : SealFinding.Whole;
    }

    /// <returns>Null where it is none.</returns>
    public static Seal? Read(ReadOnlySpan<byte> json)
    {
        try
        {
            return JsonSerializer.Deserialize<Seal>(json, Wire.Json);
        }
        catch (JsonException)
        {
            return null;
        }
    }
}
