using FluentValidation;
using Rhabdon.Server.Web;

namespace Rhabdon.Server.Handover;

internal sealed class NewLinkShape : AbstractValidator<NewLink>
{
    public NewLinkShape()
    {
        RuleFor(r => r.Name).OneLine(80);
        RuleFor(r => r.Days).Must(LinkEndpoints.Holds).Refuse("figure-range", ("least", 1), ("most", 400));
    }
}

internal sealed class LetterheadShape : AbstractValidator<LetterheadFoot>
{
    private const int LongestFoot = 160;

    public LetterheadShape() => RuleFor(r => r.Foot).Must(f => f.Length <= LongestFoot && !f.Any(char.IsControl)).Refuse("name-length", ("most", LongestFoot));
}
