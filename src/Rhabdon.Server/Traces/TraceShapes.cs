using FluentValidation;
using Rhabdon.Server.Web;

namespace Rhabdon.Server.Traces;

internal sealed class BidirectionalShape : AbstractValidator<BidirectionalRequest>
{
    private const int MostEvents = 2000;

    public BidirectionalShape()
    {
        RuleFor(r => r.LengthM).Must(m => m is > 0 and <= 200_000).Refuse("out-of-range", "The length must be above 0 and at most 200,000 m.");
        RuleFor(r => r.ToleranceM).Must(m => m is > 0 and <= 1000).Refuse("out-of-range", "The tolerance must be above 0 and at most 1,000 m.");
        RuleFor(r => r.Forward).Must((r, forward) => forward.Count <= MostEvents && r.Backward.Count <= MostEvents).Refuse("too-many", "At most 2,000 events a direction.");
    }
}
