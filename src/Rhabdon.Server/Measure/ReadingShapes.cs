using FluentValidation;
using Rhabdon.Server.Web;

namespace Rhabdon.Server.Measure;

internal sealed class ReadingsShape : AbstractValidator<ReadingsRequest>
{
    private const int LongestCsv = 1_000_000;

    public ReadingsShape() => RuleFor(r => r.Csv).Must(csv => csv.Length is > 0 and <= LongestCsv).Refuse("csv-size");
}
