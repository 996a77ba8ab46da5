using FluentValidation;
using Rhabdon.Server.Web;

namespace Rhabdon.Server.Procedures;

internal sealed class ProcedureCopyShape : AbstractValidator<ProcedureCopy>
{
    public ProcedureCopyShape() => RuleFor(r => r.Title).OneLine(120);
}
