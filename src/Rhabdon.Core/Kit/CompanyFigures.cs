using Rhabdon.Core.Connectors;
using Rhabdon.Core.Fiber;

namespace Rhabdon.Core.Kit;

/// <summary>What is used up beside connectors and their parts.</summary>
public enum SupplyKind
{
    Wipes, AlcoholMl, PrimerMl, AdhesiveMl, AdhesivePacket, Syringe, Needle, FilmSheet, BladePosition, BatteryCharge, ElectrodePair, SharpsContainer,
}

/// <param name="Each">How much one use takes: wipes and alcohol a try, primer a connector; for what wears, how many uses one serves: connectors a syringe and a needle, strokes a
/// sheet whose procedure says nothing, cleaves a blade position, arcs a charge or a pair of electrodes, shards a container. Adhesive goes by its mix.</param>
/// <param name="Price">Of one piece or millilitre.</param>
/// <param name="Pack">How many come together.</param>
public sealed record SupplyFigure(SupplyKind Kind, double Each, double Price, int Pack = 1);

/// <summary>What a method costs a company, and what it can do.</summary>
/// <param name="ToolPrice">Of one set of tools;</param>
/// <param name="ToolLifeEnds">which lasts for so many ends; 0 where it lasts.</param>
/// <param name="ToolOwned">True where it need not be bought.</param>
/// <param name="Minutes">Of hands for one connector, with looking, cleaning, testing and writing.</param>
/// <param name="LossMeanDb">Of a mated pair.</param>
/// <param name="Keeps">False where a connector that is left over has passed its day by the next job, as one that comes with its adhesive may.</param>
public sealed record MethodPrice(
    TerminationMethod Method, double ConnectorPrice, double ToolPrice, double ToolLifeEnds, bool ToolOwned, double Minutes, double LossMeanDb, double LossSdDb, bool Keeps = true);

/// <param name="Part">Id of a part of procedures: connector, boot, crimp-sleeve.</param>
/// <param name="Constructions">Which it is for; null for all.</param>
public sealed record PackedPart(string Part, IReadOnlyList<CableConstruction>? Constructions = null);

/// <summary>A pack that connectors come in.</summary>
/// <param name="Size">Connectors in it.</param>
/// <param name="Price">Of the pack.</param>
/// <param name="Constructions">Which it serves.</param>
/// <param name="Holds">Beside each connector.</param>
public sealed record ConnectorPack(string Name, TerminationMethod Method, int Size, double Price, IReadOnlyList<CableConstruction> Constructions, IReadOnlyList<PackedPart> Holds);

/// <summary>How adhesive is worked. Millilitres, minutes.</summary>
/// <param name="PacketMl">What one weighed packet gives; 0 where it comes by the millilitre.</param>
public sealed record MixFigures(TerminationMethod Method, double InjectMl, double DeadMl, double InjectMin, double PotLifeMin, int OvenSlots, double CureMin, double WarmUpMin, double PacketMl);

/// <summary>How hot-melt is worked: places in the oven, stands to cool on.</summary>
public sealed record MeltFigures(int OvenSlots, double HeatMin, double WarmUpMin, int CoolingStands, double CoolMin, double InsertMin);

/// <summary>What a company pays, and how long things take it. What is shipped are assumptions of ours, in a currency without a name; a company sets its own.</summary>
/// <param name="TripCost">Of driving back for a part; null where nobody said, and then 95 % is enough.</param>
/// <param name="HoldShare">What keeping a leftover costs, of its price; one that does not keep costs all of it.</param>
/// <param name="RiskShown">Ends that may run out of slack with this chance are pointed out.</param>
public sealed record CompanyFigures(
    string Currency, double WagePerHour, double? TripCost, double HoldShare, double RiskShown,
    IReadOnlyList<MethodPrice> Methods, IReadOnlyList<ConnectorPack> Packs, IReadOnlyList<SupplyFigure> Supplies, IReadOnlyList<MixFigures> Mixes, MeltFigures Melt)
{
    private const int MostPacks = 100, LargestPack = 5000;
    private const double MostPrice = 1e6;

    private static readonly CableConstruction[] Buffered = [CableConstruction.TightBuffer900], Cordage = [CableConstruction.Cordage16, CableConstruction.Cordage20, CableConstruction.Cordage30];

    /// <summary>Assumptions (ours): times all-in, tools at a bench's usual price, losses of mated pairs.</summary>
    public static CompanyFigures Usual { get; } = new(
        "", 40, null, 0.2, 0.05,
        [
            new(TerminationMethod.HeatCuredEpoxy, 5, 900, 0, false, 20, 0.20, 0.10),
            new(TerminationMethod.ColdCure, 6, 600, 0, false, 15, 0.22, 0.11),
            new(TerminationMethod.HotMelt, 8, 1_100, 0, false, 14, 0.22, 0.11),
            new(TerminationMethod.CamLocked, 18, 900, 0, false, 10, 0.28, 0.13),
            new(TerminationMethod.WedgeLocked, 17, 800, 0, false, 10, 0.28, 0.13),
            new(TerminationMethod.PlungerLocked, 16, 400, 0, false, 10, 0.30, 0.14),
            new(TerminationMethod.HardenedDrop, 30, 900, 0, false, 18, 0.30, 0.12),
            new(TerminationMethod.SpliceOn, 15, 6_000, 0, false, 11, 0.20, 0.08),
            new(TerminationMethod.PigtailSplice, 8, 6_000, 0, false, 12, 0.22, 0.08),
        ],
        [
            .. new[] { (TerminationMethod.WedgeLocked, 17.0), (TerminationMethod.CamLocked, 18), (TerminationMethod.ColdCure, 6), (TerminationMethod.HeatCuredEpoxy, 5), (TerminationMethod.HotMelt, 8) }.SelectMany(m => new[]
            {
                Pack("single", m.Item1, 1, m.Item2, Enum.GetValues<CableConstruction>()),
                Pack("box", m.Item1, 25, Math.Round(25 * 0.9 * m.Item2, 2), [.. Buffered, .. Cordage]),
            }),
            .. new[] { (TerminationMethod.PlungerLocked, 16.0), (TerminationMethod.HardenedDrop, 30), (TerminationMethod.SpliceOn, 15), (TerminationMethod.PigtailSplice, 8) }
                .Select(m => Pack("single", m.Item1, 1, m.Item2, Enum.GetValues<CableConstruction>())),
        ],
        [
            new(SupplyKind.Wipes, 3, 0.05, 90), new(SupplyKind.AlcoholMl, 1, 0.03, 100), new(SupplyKind.PrimerMl, 0.1, 0.6, 10), new(SupplyKind.AdhesiveMl, 0.05, 2, 10),
            new(SupplyKind.AdhesivePacket, 2, 6, 10), new(SupplyKind.Syringe, 12, 0.8, 10), new(SupplyKind.Needle, 12, 0.4, 10), new(SupplyKind.FilmSheet, 200, 1.2, 10),
            new(SupplyKind.BladePosition, 1_000, 6, 16), new(SupplyKind.BatteryCharge, 200, 0), new(SupplyKind.ElectrodePair, 5_000, 80), new(SupplyKind.SharpsContainer, 500, 4),
        ],
        [
            new(TerminationMethod.HeatCuredEpoxy, 0.03, 0.5, 1, 60, 12, 20, 6, 2),
            new(TerminationMethod.ColdCure, 0.05, 0.5, 1, 240, 1000, 0.5, 0, 0),
        ],
        new(6, 5, 6, 6, 6, 1));

    public MethodPrice Of(TerminationMethod method) => Methods.FirstOrDefault(m => m.Method == method) ?? Usual.Methods.First(m => m.Method == method);

    public SupplyFigure Of(SupplyKind kind) => Supplies.FirstOrDefault(s => s.Kind == kind) ?? Usual.Supplies.First(s => s.Kind == kind);

    public MixFigures? MixOf(TerminationMethod method) => Mixes.FirstOrDefault(m => m.Method == method) ?? Usual.Mixes.FirstOrDefault(m => m.Method == method);

    public IReadOnlyList<ConnectorPack> PacksFor(TerminationMethod method, CableConstruction construction) =>
        [.. Packs.Where(p => p.Method == method && p.Constructions.Contains(construction)).OrderBy(p => p.Size)];

    /// <exception cref="RefusedException">A figure cannot be; each by its field.</exception>
    public void Check()
    {
        var figures = new Figures().Require(Currency.Length <= 8 && !Currency.Any(char.IsControl), Refusal.Of("text-length", "currency", ("most", 8)))
            .Within("wagePerHour", WagePerHour, 0, 1e5).Within("tripCost", TripCost ?? 0, 0, MostPrice).Within("holdShare", HoldShare, 0, 1).Within("riskShown", RiskShown, 0.001, 1)
            .Require(Packs.Count <= MostPacks, Refusal.Of("figure-range", "packs", ("least", 0), ("most", MostPacks)));
        Once(figures, "methods", Methods.Select(m => m.Method));
        Once(figures, "supplies", Supplies.Select(s => s.Kind));
        Once(figures, "mixes", Mixes.Select(m => m.Method));
        foreach (var (i, m) in Methods.Index())
        {
            figures.Within($"methods[{i}].connectorPrice", m.ConnectorPrice, 0, MostPrice).Within($"methods[{i}].toolPrice", m.ToolPrice, 0, 1e7).Within($"methods[{i}].toolLifeEnds", m.ToolLifeEnds, 0, 1e9)
                .Within($"methods[{i}].minutes", m.Minutes, 0, 1440, above: true).Within($"methods[{i}].lossMeanDb", m.LossMeanDb, 0, 10).Within($"methods[{i}].lossSdDb", m.LossSdDb, 0, 10);
        }

        foreach (var (i, p) in Packs.Take(MostPacks).Index())
        {
            figures.Require(p.Name.Trim().Length is > 0 and <= 60 && !p.Name.Any(char.IsControl), Refusal.Of("name-length", $"packs[{i}].name", ("most", 60)))
                .Within($"packs[{i}].size", p.Size, 1, LargestPack).Within($"packs[{i}].price", p.Price, 0, MostPrice)
                .Require(p.Constructions.Count > 0, Refusal.Of("figure-range", $"packs[{i}].constructions", ("least", 1), ("most", Enum.GetValues<CableConstruction>().Length)))
                .Require(p.Holds.Count <= 20 && p.Holds.All(h => h.Part.Length is > 0 and <= 40), Refusal.Of("figure-range", $"packs[{i}].holds", ("least", 0), ("most", 20)));
        }

        foreach (var (i, s) in Supplies.Index())
        {
            figures.Within($"supplies[{i}].each", s.Each, 0, 1e6, above: true).Within($"supplies[{i}].price", s.Price, 0, MostPrice).Within($"supplies[{i}].pack", s.Pack, 1, LargestPack);
        }

        foreach (var (i, m) in Mixes.Index())
        {
            AdhesivePlan.Check(figures, new(1, m.InjectMl, m.DeadMl, m.InjectMin, m.PotLifeMin, m.OvenSlots, m.CureMin, m.WarmUpMin), $"mixes[{i}].");
            figures.Within($"mixes[{i}].packetMl", m.PacketMl, 0, 1000);
        }

        MeltPlan.Check(figures, Melt, "melt.");
        figures.ThrowIfBad();
    }

    private static void Once<T>(Figures figures, string field, IEnumerable<T> keys)
    {
        var seen = keys.ToList();
        figures.Require(seen.Distinct().Count() == seen.Count, Refusal.Of("figure-twice", field));
    }

    private static ConnectorPack Pack(string name, TerminationMethod method, int size, double price, IReadOnlyList<CableConstruction> constructions) => new(name, method, size, price, constructions,
        [
            new("connector"), new("boot", Cordage), new("boot", [.. Buffered, CableConstruction.FanOut900]),
            .. method is TerminationMethod.HeatCuredEpoxy or TerminationMethod.ColdCure or TerminationMethod.HotMelt ? [new("crimp-sleeve", Cordage), new("housing"), new PackedPart("dust-cap")] : Array.Empty<PackedPart>(),
        ]);
}
