using FluentValidation;
using Rhabdon.Server.Web;

namespace Rhabdon.Server.Traces;

internal sealed class BidirectionalShape : AbstractValidator<BidirectionalRequest>
{
    private const int MostEvents = 2000;
    private const double LongestM = 200_000, WidestM = 1000;

    public BidirectionalShape()
    {
        RuleFor(r => r.LengthM).Must(m => m is > 0 and <= LongestM).Refuse("out-of-range", ("most", LongestM));
        RuleFor(r => r.ToleranceM).Must(m => m is > 0 and <= WidestM).Refuse("out-of-range", ("most", WidestM));
        RuleFor(r => r.Forward).Must((r, forward) => forward.Count <= MostEvents && r.Backward.Count <= MostEvents).Refuse("too-many", ("most", MostEvents));
    }
}
