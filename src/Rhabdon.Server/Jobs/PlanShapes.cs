using FluentValidation;
using NodaTime.Text;
using Rhabdon.Core.Connectors;
using Rhabdon.Core.Fiber;
using Rhabdon.Core.Planning;
using Rhabdon.Server.Web;

namespace Rhabdon.Server.Jobs;

/// <summary>What is said of a job, whether it is new or changed.</summary>
public interface IJobFields
{
    string Customer { get; }

    string Site { get; }

    string TimeZone { get; }

    string DueOn { get; }

    string? Number { get; }
}

internal abstract class JobShape<T> : AbstractValidator<T> where T : IJobFields
{
    protected JobShape()
    {
        RuleFor(r => r.Customer).OneLine(120);
        RuleFor(r => r.Site).OneLine(120);
        RuleFor(r => r.TimeZone).Must(SiteDates.Knows).Refuse("time-zone-unknown");
        RuleFor(r => r.DueOn).Must(d => LocalDatePattern.Iso.Parse(d).Success).Refuse("date-shape");
        RuleFor(r => r.Number).OneLine(40).When(r => !string.IsNullOrWhiteSpace(r.Number));
    }
}

internal sealed class NewJobShape : JobShape<JobRequest>;

internal sealed class JobChangeShape : JobShape<JobChange>;

public interface ISpaceFields
{
    string Code { get; }

    string Name { get; }
}

internal abstract class SpaceShape<T> : AbstractValidator<T> where T : ISpaceFields
{
    protected SpaceShape()
    {
        RuleFor(r => r.Code).OneLine(12);
        RuleFor(r => r.Name).OneLine(60);
    }
}

internal sealed class NewSpaceShape : SpaceShape<NewSpace>;

internal sealed class SpaceChangeShape : SpaceShape<SpaceChange>;

public interface IPanelFields
{
    string Code { get; }

    int Ports { get; }

    ConnectorForm AdapterForm { get; }

    bool Angled { get; }

    double? ReachMm { get; }

    int? LoopTurns { get; }
}

internal abstract class PanelShape<T> : AbstractValidator<T> where T : IPanelFields
{
    protected PanelShape()
    {
        RuleFor(r => r.Code).OneLine(12);
        RuleFor(r => r.Ports).InclusiveBetween(1, Plans.MaxPorts).Refuse("out-of-range", ("most", Plans.MaxPorts));
        RuleFor(r => r.ReachMm).Must(mm => mm is null or (>= 0 and <= 100_000)).Refuse("figure-range", ("least", 0), ("most", 100_000));
        RuleFor(r => r.LoopTurns).Must(n => n is null or (>= 0 and <= 20)).Refuse("figure-range", ("least", 0), ("most", 20));
        RuleFor(r => r.Angled).Must((r, angled) => !angled || r.AdapterForm != ConnectorForm.ST).Refuse("st-is-not-angled");
    }
}

internal sealed class NewPanelShape : PanelShape<NewPanel>;

internal sealed class PanelChangeShape : PanelShape<PanelChange>;

internal sealed class NewCableShape : AbstractValidator<NewCable>
{
    public NewCableShape()
    {
        RuleFor(r => r.Code).OneLine(20);
        RuleFor(r => r.LengthM).Must((r, length) => length is not null || r.OrderedLengthMm is not null).Refuse("missing");
    }
}

internal sealed class ModuleShape : AbstractValidator<ModuleFields>
{
    public const int MostFibers = 144;

    private const double MostLossDb = 10;

    public ModuleShape()
    {
        RuleFor(r => r.Code).OneLine(20);
        RuleFor(r => r.Fibers).InclusiveBetween(1, MostFibers).Refuse("out-of-range", ("most", MostFibers));
        RuleFor(r => r.LossDb).Must(db => db is null or (>= 0 and <= MostLossDb)).Refuse("out-of-range", ("most", MostLossDb));
    }
}

internal sealed class CordShape : AbstractValidator<CordFields>
{
    private const double LongestM = 1000;

    public CordShape()
    {
        RuleFor(r => r.Code).OneLine(20);
        RuleFor(r => r.Fibers).InclusiveBetween(1, ModuleShape.MostFibers).Refuse("out-of-range", ("most", ModuleShape.MostFibers));
        RuleFor(r => r.LengthM).Must(m => m is > 0 and <= LongestM).Refuse("out-of-range", ("most", LongestM));
        RuleFor(r => r.PolishA).Must(Fits).Refuse("apc-is-single-mode");
        RuleFor(r => r.PolishB).Must(Fits).Refuse("apc-is-single-mode");
    }

    private static bool Fits(CordFields r, Polish polish) => polish != Polish.APC || r.FiberClass.Mode() == FiberMode.SingleMode;
}

internal sealed class ChainShape : AbstractValidator<ChainFields>
{
    public ChainShape() => RuleFor(r => r.Code).OneLine(20);
}

internal sealed class AssignmentShape : AbstractValidator<AssignmentRequest>
{
    public AssignmentShape()
    {
        RuleFor(r => r.PlaceId).Must((r, place) => place is not null || r.BatchId is not null || r.EndIds is not null).Refuse("missing");
        RuleFor(r => r.ToPort).Must((r, to) => to is null || r.FromPort is null || r.FromPort <= to).Refuse("port-range");
    }
}
