using System.Globalization;
using System.Text.RegularExpressions;

namespace Rhabdon.Core.Procedures;

/// <summary>Lengths inside a procedure's words, written <c>{254 mm}</c> or <c>{10 in}</c>, so that whoever reads them chooses the unit.</summary>
public static partial class Words
{
    private const double LongestMm = 20_000;

    /// <summary>What is wrong with the lengths in a text; empty when nothing is.</summary>
    public static IEnumerable<Refusal> Faults(string? text, string field)
    {
        if (text is null)
        {
            yield break;
        }

        foreach (Match m in Braces().Matches(text))
        {
            var unit = m.Groups["unit"].Value;
            var known = double.TryParse(m.Groups["number"].Value, NumberStyles.AllowDecimalPoint, CultureInfo.InvariantCulture, out var n) && unit is "mm" or "in";
            if (!known || n <= 0 || (unit == "in" ? n * 25.4 : n) > LongestMm)
            {
                yield return new("text-length", field, $"'{m.Value}' is no length: write it as {{254 mm}} or {{10 in}}.");
            }
        }
    }

    [GeneratedRegex(@"\{(?<number>[^ }]*) ?(?<unit>[^}]*)\}?")]
    private static partial Regex Braces();
}
