using System.Text.RegularExpressions;

namespace Rhabdon.Core.Planning;

/// <summary>What somebody types to find an end by its label: a panel or a cable, or the beginning of one, and the port or strand where they say it.</summary>
/// <param name="Code">As far as it was typed, without spaces around it.</param>
/// <param name="Number">Port of the panel, strand of the cable; null for all of them.</param>
/// <param name="Side">A or B of the cable; null for both.</param>
public sealed partial record EndLabel(string Code, int? Number, char? Side)
{
    /// <summary>As labels are written: <c>MR-P1:7</c>, <c>MR-P1:3.12</c>, <c>C01:7A</c>; and as people say them: <c>C01 7 A</c>.</summary>
    public static EndLabel Read(string text)
    {
        var typed = text.Trim();
        var m = Whole().Match(typed);
        return m.Success && int.TryParse(m.Groups["no"].ValueSpan, out var number)
            ? new(m.Groups["code"].Value.Trim(), number, m.Groups["side"].Success ? char.ToUpperInvariant(m.Groups["side"].ValueSpan[0]) : null)
            : new(typed, null, null);
    }

    [GeneratedRegex("""^(?<code>.*\S)\s*[:\s]\s*(?<no>[0-9]{1,6})(\.[0-9]{1,3})?\s*(?<side>[ABab])?$""", RegexOptions.CultureInvariant, 200)]
    private static partial Regex Whole();
}
