using FluentValidation;
using Rhabdon.Server.Web;

namespace Rhabdon.Server.Inspection;

internal sealed class SimulateFaceShape : AbstractValidator<SimulateFaceRequest>
{
    /// <summary>For practice on a screen; more would keep the server for seconds.</summary>
    private const int MostPx = 2_000_000, MostMarks = 200;

    public SimulateFaceShape()
    {
        RuleFor(r => r.Optics).Must(o => o is null || (long)o.WidthPx * o.HeightPx <= MostPx).Refuse("simulated-too-large", ("mostPx", MostPx));
        RuleFor(r => r.Marks).Must(m => m is null || m.Count <= MostMarks).Refuse("too-many", ("most", MostMarks));
    }
}

internal sealed class CleaveSceneShape : AbstractValidator<Imaging.CleaveScene>
{
    private const int MostPx = 2_000_000;

    public CleaveSceneShape() => RuleFor(s => s.WidthPx).Must((s, width) => (long)width * s.HeightPx <= MostPx).Refuse("simulated-too-large", ("mostPx", MostPx));
}
