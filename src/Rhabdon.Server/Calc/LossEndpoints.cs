using System.Security.Claims;
using Rhabdon.Core;
using Rhabdon.Core.Fiber;
using Rhabdon.Core.Loss;
using Rhabdon.Practice;
using Rhabdon.Server.Accounts;
using Rhabdon.Store;

namespace Rhabdon.Server.Calc;

/// <param name="LossDb">Channel loss by wavelength in nanometres.</param>
public sealed record ApplicationsRequest(FiberClass FiberClass, double LengthM, IReadOnlyDictionary<int, double> LossDb);

public sealed record ApplicationsAnswer(string Edition, IReadOnlyList<ApplicationFit> Applications);

public sealed record ReferenceRequest(ReferenceSet Reference, IReadOnlyList<int> WavelengthsNm, Instant Now);

public sealed record SuspectsRequest(IReadOnlyList<MeasuredSum> Sums, double PairLimitDb = 0.75);

/// <param name="ExcessForwardDb">Loss beyond what cable and good connectors show, one way.</param>
public sealed record MixUpRequest(FiberMode Mode, double ExcessForwardDb, double ExcessBackwardDb);

public sealed record MixUpAnswer(bool LooksLikeCoreMix, double CoreMixDb);

/// <param name="Hours">Since the source was switched on.</param>
/// <param name="Reading">Which reading it is: the same one shows the same.</param>
public sealed record SimulatedReadingRequest(SimulatedMeter Meter, int WavelengthNm, double LossDb, double Hours, int Reading);

public sealed record SimulatedReading(double ReadingDbm);

/// <summary>Calculators about loss: plain JSON in, plain JSON out, nothing kept.</summary>
public static class LossEndpoints
{
    public static void MapLoss(this RouteGroupBuilder api)
    {
        var calc = api.MapGroup("/calc");
        calc.MapPost("/applications", Carried).WithSummary("Which network applications a measured link carries. Length in metres, losses in dB.");
        calc.MapPost("/reference", (ReferenceRequest r) => (IReadOnlyList<ReferenceJudgement>)[.. r.WavelengthsNm.Take(20).Select(nm => References.Judge(r.Reference, nm, r.Now))])
            .WithSummary("Whether readings may rest on a reference: its age, drift, and what is missing.");
        calc.MapPost("/joint", (JointFaults j) => Budget.Of(j)).WithSummary("What an offset, a tilt, a gap or unlike fibers cost at one joint. Micrometres, degrees, dB.");
        calc.MapPost("/suspects", (SuspectsRequest r) => Suspects.Find(r.Sums, r.PairLimitDb)).WithSummary("From links that share connectors or cords: the loss of each with its uncertainty, and which to look at first. dB.");
        calc.MapPost("/mix-up", MixUp).WithSummary("Whether two directions look like 62.5 µm joined to 50 µm. dB.");
        calc.MapPost("/simulate/meter", (SimulatedReadingRequest r) => new SimulatedReading(r.Meter.ReadDbm(r.WavelengthNm, r.LossDb, r.Hours, r.Reading))).WithSummary("What a simulated source and meter show. dBm.");
    }

    private static async Task<ApplicationsAnswer> Carried(ApplicationsRequest r, ClaimsPrincipal user, Methods methods, CancellationToken cancel)
    {
        var set = (await methods.Rules(user.Scope(), cancel)).Applications.FirstOrDefault() ?? throw new RefusedException(Refusal.Of("limit-set-unknown", "applications"));
        return new(set.Edition, Applications.Carried(r.FiberClass, r.LengthM, r.LossDb, set));
    }

    private static MixUpAnswer MixUp(MixUpRequest r) => new(MixUps.LooksLikeCoreMix(r.Mode, r.ExcessForwardDb, r.ExcessBackwardDb), MixUps.CoreMixDb);
}
