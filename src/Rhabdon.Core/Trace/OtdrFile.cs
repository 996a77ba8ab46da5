namespace Rhabdon.Core.Trace;

/// <summary>An optical time-domain trace as Telcordia SR-4731 keeps it. Values stand in the file's own units, so that nothing is lost by reading and writing;
/// <see cref="OtdrUnits"/> turns them into metres and decibels. Quoted from memory: docs/numbers.md#trace.</summary>
/// <param name="Issue">1 or 2: the edition that the file was read from. Files are written as issue 2.</param>
/// <param name="Others">Blocks that the standard leaves to the maker, as they came.</param>
public sealed record OtdrFile(
    int Issue, GenParams General, SupParams Supplier, FxdParams Fixed, KeyEvents Events, LnkParams Links, DataPts Data, IReadOnlyList<OtherBlock> Others)
{
    /// <summary>True when the file carried the right checksum, false when it differs, null when it carried none.</summary>
    public bool? ChecksumHolds { get; init; }
}

public sealed record OtherBlock(string Name, ushort Revision, byte[] Bytes);

/// <param name="BuildCondition">BC as built, CC as it is, RC as repaired, OT other.</param>
/// <param name="UserOffset100ps">One-way time by which the user moved the zero point.</param>
public sealed record GenParams(
    string Language, string CableId, string FiberId, short FiberType, short WavelengthNm, string LocationA, string LocationB, string CableCode, string BuildCondition,
    int UserOffset100ps, int UserOffsetDistance, string Operator, string Comment);

public sealed record SupParams(string Supplier, string Mainframe, string MainframeSerial, string Module, string ModuleSerial, string Software, string Other);

/// <param name="WavelengthTenthNm">Actual wavelength, tenths of a nanometre.</param>
/// <param name="AcquisitionOffset100ps">One-way time of the first point from the front panel.</param>
/// <param name="Pulses">One for each pulse width used.</param>
/// <param name="GroupIndex">Group index × 100,000.</param>
/// <param name="BackscatterTenthDb">Backscatter coefficient for a pulse of 1 ns, tenths of a decibel below zero.</param>
/// <param name="AveragingTenthS">Averaging time, tenths of a second.</param>
/// <param name="NoiseFloorMilliDb">Thousandths of a decibel below zero.</param>
/// <param name="TraceType">ST standard, RT reverse, DT difference, RF reference.</param>
public sealed record FxdParams(
    uint UnixSeconds, string DistanceUnit, short WavelengthTenthNm, int AcquisitionOffset100ps, int AcquisitionOffsetDistance, IReadOnlyList<OtdrPulse> Pulses,
    int GroupIndex, short BackscatterTenthDb, int Averages, ushort AveragingTenthS, int Range100ps, int RangeDistance, int FrontPanelOffset100ps,
    ushort NoiseFloorMilliDb, short NoiseFloorScale, ushort FirstPointMilliDb, ushort LossThresholdMilliDb, ushort ReflectanceThresholdMilliDb, ushort EndThresholdMilliDb,
    string TraceType, int WindowX1, int WindowY1, int WindowX2, int WindowY2);

/// <param name="SpacingE14S">One-way time between points, 10⁻¹⁴ s.</param>
public sealed record OtdrPulse(short WidthNs, int SpacingE14S, int Points);

public sealed record KeyEvents(IReadOnlyList<KeyEvent> Events, int TotalLossMilliDb, int LossStart100ps, int LossEnd100ps, ushort ReturnLossMilliDb, int ReturnLossStart100ps, int ReturnLossEnd100ps);

/// <param name="Time100ps">One-way time from the front panel.</param>
/// <param name="LeadInMilliDbPerKm">Attenuation of the fiber before it.</param>
/// <param name="Code">Six characters: reflective or not, how found, landmark.</param>
/// <param name="Technique">Two characters: how the loss was measured.</param>
public sealed record KeyEvent(
    short Number, int Time100ps, short LeadInMilliDbPerKm, short LossMilliDb, int ReflectanceMilliDb, string Code, string Technique,
    int EndOfPrevious, int Start, int End, int StartOfNext, int Peak, string Comment);

public sealed record LnkParams(IReadOnlyList<Landmark> Landmarks);

public sealed record Landmark(
    short Number, string Code, int Time100ps, short RelatedEvent, int Longitude, int Latitude, short FiberCorrection,
    int SheathEntering, int SheathLeaving, string SheathUnit, short ModeFieldHundredthUm, string Comment);

/// <param name="Scales">The points, in runs that share a scale factor.</param>
public sealed record DataPts(IReadOnlyList<DataRun> Scales);

/// <param name="ScaleThousandth">Factor for the values, in thousandths.</param>
/// <param name="Points">Thousandths of a decibel below the top of the scale.</param>
public sealed record DataRun(short ScaleThousandth, ushort[] Points);

/// <summary>The file's units in metres, nanoseconds and decibels.</summary>
public static class OtdrUnits
{
    public const double LightMPerS = 299_792_458;

    /// <summary>Distance that a one-way time stands for: d = c·t / n.</summary>
    public static double DistanceM(double oneWayS, double groupIndex) => LightMPerS * oneWayS / groupIndex;

    public static double GroupIndex(this OtdrFile file) => file.Fixed.GroupIndex / 100_000.0;

    public static double SpacingM(this OtdrFile file) => DistanceM(file.Fixed.Pulses[0].SpacingE14S * 1e-14, file.GroupIndex());

    public static double FirstPointM(this OtdrFile file) => DistanceM(file.Fixed.AcquisitionOffset100ps * 1e-10, file.GroupIndex());

    public static double BackscatterDb(this OtdrFile file) => -Math.Abs(file.Fixed.BackscatterTenthDb) / 10.0;

    /// <summary>Levels in decibels, one-way; the higher, the more light.</summary>
    public static float[] LevelsDb(this OtdrFile file)
    {
        var levels = new float[file.Data.Scales.Sum(s => s.Points.Length)];
        var at = 0;
        foreach (var run in file.Data.Scales)
        {
            var factor = -run.ScaleThousandth / 1_000_000f;
            var to = levels.AsSpan(at, run.Points.Length);
            for (var i = 0; i < to.Length; i++)
            {
                to[i] = run.Points[i] * factor;
            }

            at += run.Points.Length;
        }

        return levels;
    }
}
