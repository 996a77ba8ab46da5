using Rhabdon.Core.Handover;

namespace Rhabdon.Server.Handover;

/// <summary>Checks files against their seal without a database or a network.</summary>
public sealed class CheckCommand(string[] files)
{
    public const string Usage = "rhabdon-server check SEAL.json [FILE.pdf] [DATA.json] [--key KEYID]";

    public static CheckCommand? Find(string[] args) => args is ["check", ..] ? new(args[1..]) : null;

    /// <returns>0 where all is whole, 1 where it is not, 2 where it cannot be told.</returns>
    public int Run(TextWriter says)
    {
        var key = files.SkipWhile(f => f != "--key").Skip(1).FirstOrDefault();
        Seal? seal = null;
        byte[]? pdf = null, data = null;
        foreach (var path in files.Where(f => f != "--key" && f != key))
        {
            byte[] bytes;
            try
            {
                bytes = File.ReadAllBytes(path);
            }
            catch (Exception e) when (e is IOException or UnauthorizedAccessException or ArgumentException)
            {
                says.WriteLine($"rhabdon: {path} cannot be read: {e.Message}");
                return 2;
            }

            if (bytes.AsSpan().StartsWith("%PDF"u8))
            {
                pdf = bytes;
            }
            else if (Seals.Read(bytes) is { Format: Seals.Format } read)
            {
                seal = read;
            }
            else
            {
                data = bytes;
            }
        }

        if (seal is null)
        {
            says.WriteLine($"rhabdon: there is no seal among these files. {Usage}");
            return 2;
        }

        var finding = Seals.Check(seal, pdf, data, key);
        says.WriteLine(finding switch
        {
            SealFinding.Whole when pdf is null && data is null => "The seal is whole. Name the PDF or the data with it to check them.",
            SealFinding.Whole => "Whole: it is what was sealed, to the byte.",
            SealFinding.OtherFile => "Not whole: this PDF is another than the one that was sealed.",
            SealFinding.OtherData => "Not whole: these data are others than those that were sealed.",
            _ => "Not whole: the seal was changed, or another key signed it.",
        });
        if (finding != SealFinding.BadSignature)
        {
            says.WriteLine($"Sealed {seal.SealedAt} by {seal.Company} for {seal.Customer}, {seal.Site}; key {seal.KeyId}{(key is null ? ": compare it with the company's, or give --key" : "")}.");
        }

        return finding == SealFinding.Whole ? 0 : 1;
    }
}
