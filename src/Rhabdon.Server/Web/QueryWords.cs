using Rhabdon.Core;
namespace Rhabdon.Server.Web;

/// <summary>Words of closed lists in a query string.</summary>
public static class QueryWords
{
    /// <returns>Null where nothing was said.</returns>
    /// <exception cref="ApiException">There is no such word; the field is named.</exception>
    public static T? Choice<T>(string field, string? name) where T : struct, Enum
    {
        try
        {
            return string.IsNullOrEmpty(name) ? null : Core.Wire.Parse<T>(name);
        }
        catch (FormatException)
        {
            throw new ApiException(400, Refusal.Of("unknown-choice", field, ("name", name ?? ""), ("choices", string.Join(", ", Enum.GetValues<T>().Select(Core.Wire.Name)))));
        }
    }

    /// <summary>A day in a query string, as 2026-11-27.</summary>
    /// <returns>Null where nothing was said.</returns>
    public static LocalDate? Day(string field, string? text) => string.IsNullOrEmpty(text) ? null
        : NodaTime.Text.LocalDatePattern.Iso.Parse(text) is { Success: true, Value: var day } && day.Year is > 1999 and < 2200 ? day
        : throw new ApiException(400, Refusal.Of("date-shape", field));
}
