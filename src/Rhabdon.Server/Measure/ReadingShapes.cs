using FluentValidation;
using Rhabdon.Server.Web;

namespace Rhabdon.Server.Measure;

internal sealed class SplicesShape : AbstractValidator<SplicesRequest>
{
    private const int MostEnds = 1000;

    public SplicesShape()
    {
        RuleFor(r => r.Csv).Must(csv => csv.Length is > 0 and <= ReadingsShape.LongestCsv).Refuse("csv-size");
        RuleFor(r => r.EndIds).Must(ids => ids.Count is > 0 and <= MostEnds).Refuse("out-of-range", ("most", MostEnds));
    }
}

internal sealed class ReadingsShape : AbstractValidator<ReadingsRequest>
{
    internal const int LongestCsv = 1_000_000;

    public ReadingsShape() => RuleFor(r => r.Csv).Must(csv => csv.Length is > 0 and <= LongestCsv).Refuse("csv-size");
}
