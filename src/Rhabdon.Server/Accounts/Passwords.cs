using System.Security.Cryptography;
using System.Text;
using Rhabdon.Core;
using Rhabdon.Server.Web;

namespace Rhabdon.Server.Accounts;

/// <summary>
/// As NIST SP 800-63B has it, from memory: length is what counts, no kinds of letters are asked for, and what is tried first is refused:
/// what many use, with figures behind it or without, what is made of the person's own names, and the same few letters over and over.
/// </summary>
internal static class Passwords
{
    public const int Shortest = 10, Longest = 200;

    private const int ShortestWord = 6, MostFiguresBehind = 4, FewestLetters = 5, ShortestOwn = 3;

    private static readonly Lazy<HashSet<string>> TriedFirst = new(() =>
        [.. File.ReadLines(Path.Combine(AppContext.BaseDirectory, "words", "passwords-tried-first.txt")).Where(l => !l.StartsWith('#'))]);

    /// <param name="own">Names of the person and the company.</param>
    /// <exception cref="ApiException">It is one that is tried first.</exception>
    public static void Check(string password, params string[] own)
    {
        if (IsTriedFirst(password, own))
        {
            throw new ApiException(400, Refusal.Of("password-common", "password"));
        }
    }

    internal static bool IsTriedFirst(string password, params string[] own)
    {
        var plain = password.ToLowerInvariant();
        var word = plain.TrimEnd([.. "0123456789!.?*#$-_ "]);
        if (plain.Distinct().Count() < FewestLetters || IsListed(plain) || (word.Length >= ShortestWord && plain.Length - word.Length <= MostFiguresBehind && IsListed(word)))
        {
            return true;
        }

        var left = own.SelectMany(o => o.ToLowerInvariant().Split(' ', StringSplitOptions.RemoveEmptyEntries)).Where(o => o.Length >= ShortestOwn).OrderByDescending(o => o.Length)
            .Aggregate(plain, (rest, o) => rest.Replace(o, "", StringComparison.Ordinal));
        return left.Length < plain.Length && left.Count(char.IsLetterOrDigit) < ShortestWord;
    }

    private static bool IsListed(string word) => TriedFirst.Value.Contains(Convert.ToHexStringLower(SHA256.HashData(Encoding.UTF8.GetBytes(word)).AsSpan(0, 5)));
}
