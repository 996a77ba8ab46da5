using Rhabdon.Core.Diagnosis;
using Rhabdon.Core.Fiber;
using Rhabdon.Core.Inspection;

namespace Rhabdon.Practice;

/// <summary>
/// A connector at one end of a link as a body: what lies on its face, how its glass is cut and met, how the cable lies, what the meter was set to. What is seen of it follows from that
/// by physics, and acts change the body, not a table. Losses are the usual first-order formulas of a joint (end separation, tilt, core and aperture mismatch, covered core), from memory;
/// how often a hand errs is ours. The same random source gives the same connector.
/// </summary>
public sealed class SimulatedConnector
{
    private const double Glass = 1.46, MultimodeCoreUm = 50, MultimodeNa = 0.2, SingleModeFieldUm = 9.2;

    /// <summary>A core of 62.5 µm and 0.275 beside one of 50 µm and 0.2, into the smaller one, all modes filled.</summary>
    private static readonly double WrongClassDb = (20 * Math.Log10(62.5 / MultimodeCoreUm)) + (20 * Math.Log10(0.275 / MultimodeNa));

    private readonly Random _random;
    private readonly bool _multimode;
    private List<(FaceMark Mark, bool Stuck)> _dirt = [];
    private List<FaceMark> _scratches = [];
    private FaceMark? _chip;
    private bool _fused, _broken;
    private double _pairDb, _farDb, _gapUm, _spliceDb, _bendDb, _referenceDb;

    private SimulatedConnector(GlassFamily family, bool multimode, Random random)
    {
        (_random, _multimode, _fused, Family) = (random, multimode, family == GlassFamily.Fused, family);
        _farDb = Between(0.08, 0.35);
        Make();
        // What lies elsewhere than in the connector.
        WrongClass = multimode && Chance(0.012);
        _bendDb = Chance(0.03) ? Between(0.6, 4) : 0;
        _referenceDb = Chance(0.02) ? Between(0.7, 1.6) : 0;
    }

    public GlassFamily Family { get; }

    /// <summary>Light comes from a larger core than it goes into, as long as nobody has read the prints.</summary>
    public bool WrongClass { get; private set; }

    /// <summary>As it was cut last, off square.</summary>
    public double CleaveDeg { get; private set; }

    public FiberClass FiberClass => _multimode ? FiberClass.OM3 : FiberClass.OS2;

    public IReadOnlyList<FaceMark> Face => [.. _dirt.Select(d => d.Mark), .. _scratches, .. _chip is { } chip ? [chip] : Array.Empty<FaceMark>()];

    /// <summary>One that a hand has just made, good or not.</summary>
    public static SimulatedConnector Made(GlassFamily family, bool multimode, Random random) => new(family, multimode, random);

    /// <summary>What the meter shows of the link, with its reference as it is.</summary>
    /// <param name="back">From the far side.</param>
    public double LossDb(int wavelengthNm, bool back) =>
        Math.Round(_pairDb + _farDb + JointDb() + (WrongClass && !back ? WrongClassDb * (wavelengthNm is 850 or 1310 ? 1 : 0.85) : 0) + BendDb(wavelengthNm) + _referenceDb + Noise(0.02), 2);

    /// <summary>What red light escapes where the glass is met, as a share of what comes in.</summary>
    public double RedEscape => Math.Clamp(1 - Math.Pow(10, -(JointDb() + (_fused ? 0 : 0.05)) / 10) + Noise(0.03), 0, 1);

    /// <summary>Red light leaks where the splice is, behind the connector.</summary>
    public bool LeaksBehind => _fused && _spliceDb > 0.3;

    /// <summary>Fresnel's reflection where glass ends in air; cut at an angle, most of it leaves the core.</summary>
    public double ReflectanceDb => _gapUm > 3 || _broken ? -15 - (CleaveDeg * 3) + Noise(1) : Covered() > 0.02 ? Between(-33, -24) : Between(-52, -40);

    /// <summary>The reading jumps while somebody moves the cable.</summary>
    public bool Moves => _bendDb > 0 ? Chance(0.85) : _broken && Chance(0.5);

    /// <summary>Where a trace sees the loss.</summary>
    public string Where => _referenceDb > JointDb() + _bendDb ? "elsewhere" : _bendDb + (_fused ? _spliceDb : 0) > (JointDb() - (_fused ? _spliceDb : 0)) ? "behind-it" : "at-connector";

    /// <summary>A reference that is off spoils all that were read with it; others fail by themselves.</summary>
    public bool NeighbourBad() => _referenceDb > 0 || Chance(0.06);

    /// <summary>Does something to it.</summary>
    /// <param name="act">As the diagnosis names it.</param>
    public void Do(string act)
    {
        switch (act)
        {
            case "clean":
                _dirt = [.. _dirt.Where(d => !Chance(d.Stuck ? 0.3 : 0.88))];
                break;
            case "reseat":
                _gapUm = Chance(0.65) ? Between(0, 3) : _gapUm;
                break;
            case "open-tray":
                _bendDb = Chance(0.9) ? 0 : _bendDb;
                break;
            case "new-reference":
                _referenceDb = Chance(0.97) ? 0 : _referenceDb;
                break;
            case "more-polish":
                _scratches = [.. _scratches.Where(s => !Chance(s.Finding.SizeUm < 3 ? 0.85 : 0.4))];
                _dirt = [.. _dirt.Where(_ => !Chance(0.6))];
                break;
            case "re-cleave":
                Cut();
                _dirt = [.. _dirt.Where(_ => !Chance(0.4))];
                break;
            case "splice-on":
                _fused = true;
                Make();
                break;
            case "replace":
                Make();
                // Who takes a new part from its bag reads what is printed on it, mostly.
                WrongClass = WrongClass && Chance(0.5);
                break;
            case "re-pull":
                (WrongClass, _bendDb) = (false, 0);
                Make();
                break;
            default:
                break;
        }
    }

    private void Make()
    {
        _pairDb = Between(0.08, 0.35);
        _dirt = [.. Enumerable.Range(0, Chance(0.14) ? _random.Next(1, 5) : 0).Select(_ => (new FaceMark(SpotOf(FindingKind.Particle, Between(5, 28), 45), Between(0.4, 0.8)), Chance(0.2)))];
        var polished = Family == GlassFamily.Polished && !_fused;
        _scratches = [.. Enumerable.Range(0, polished && Chance(0.07) ? _random.Next(1, 4) : 0).Select(_ => new FaceMark(Scratch(Between(1.5, 5)), 0.6))];
        _chip = Chance(polished ? 0.03 : 0.008) ? new(SpotOf(FindingKind.Chip, Between(8, 25), 20), 0.7) : null;
        _broken = Chance(polished ? 0.015 : 0.012);
        _spliceDb = !_fused ? 0 : Chance(0.07) ? Between(0.4, 2.2) : Between(0.01, 0.08);
        (CleaveDeg, _gapUm) = (0, 0);
        if (!polished)
        {
            Cut();
        }
    }

    private void Cut()
    {
        CleaveDeg = Chance(0.09) ? Between(2.5, 7) : Math.Abs(Noise(0.5));
        _gapUm = _fused ? 0 : Chance(0.1) ? Between(25, 140) : Between(0, 3);
        // An end that leans is spliced badly.
        _spliceDb = _fused && CleaveDeg > 2.5 ? Between(0.3, 1.5) : _spliceDb;
    }

    /// <summary>Where this connector's glass is met, without what its mating costs anyway.</summary>
    private double JointDb()
    {
        var radius = (_multimode ? MultimodeCoreUm : SingleModeFieldUm) / 2;
        var apart = _multimode
            ? -10 * Math.Log10(Math.Max(0.05, 1 - (_gapUm * MultimodeNa / (4 * radius * Glass))))
            : 10 * Math.Log10(1 + Math.Pow(_gapUm * 1.4 / (2 * Math.PI * Glass * radius * radius), 2));
        var tilt = _fused ? 0 : CleaveDeg * Math.PI / 180;
        var leaning = _multimode
            ? -10 * Math.Log10(Math.Max(0.05, 1 - (Glass * tilt / (Math.PI * MultimodeNa))))
            : 4.34 * Math.Pow(Math.PI * Glass * radius * tilt / 1.4, 2) / 4;
        var air = _gapUm > 3 ? 0.32 : 0;
        return apart + leaning + air - (10 * Math.Log10(Math.Max(0.02, 1 - Covered()))) + _spliceDb + (_broken ? 9 : 0);
    }

    /// <summary>The share of the core that marks take the light of; what stands up keeps the faces apart besides.</summary>
    private double Covered()
    {
        var core = (_multimode ? MultimodeCoreUm : SingleModeFieldUm) / 2;
        double Of(FaceMark m)
        {
            var f = m.Finding;
            if (f.Kind == FindingKind.Scratch)
            {
                return Math.Min(0.2, f.SizeUm / core * 0.15);
            }

            var (away, radius) = (double.Hypot(f.XUm!.Value, f.YUm!.Value), f.SizeUm / 2);
            return away > core + radius ? 0.015 * radius / 10 : Math.Min(1, radius * radius / (core * core)) * Math.Min(1, (core + radius - away) / (2 * Math.Min(core, radius)));
        }

        return Math.Min(0.98, Face.Sum(m => Of(m) * (m.Finding.Kind == FindingKind.Particle ? 1 : m.Contrast)));
    }

    private double BendDb(int wavelengthNm) => wavelengthNm switch { 1550 => _bendDb, 1310 => _bendDb * 0.15, 1300 => _bendDb * 0.8, _ => _bendDb * 0.45 };

    private SeenFinding SpotOf(FindingKind kind, double sizeUm, double withinUm)
    {
        var (r, a) = (withinUm * Math.Sqrt(_random.NextDouble()), 2 * Math.PI * _random.NextDouble());
        return SeenFinding.Spot(kind, r * Math.Cos(a), r * Math.Sin(a), sizeUm);
    }

    private SeenFinding Scratch(double widthUm)
    {
        var (a, off) = (2 * Math.PI * _random.NextDouble(), Between(-15, 15));
        return SeenFinding.Scratch((40 * Math.Cos(a)) - (off * Math.Sin(a)), (40 * Math.Sin(a)) + (off * Math.Cos(a)), (-40 * Math.Cos(a)) - (off * Math.Sin(a)), (-40 * Math.Sin(a)) + (off * Math.Cos(a)), widthUm);
    }

    private double Between(double a, double b) => a + ((b - a) * _random.NextDouble());

    private bool Chance(double p) => _random.NextDouble() < p;

    private double Noise(double sd) => sd * Math.Sqrt(-2 * Math.Log(1 - _random.NextDouble())) * Math.Cos(2 * Math.PI * _random.NextDouble());
}
