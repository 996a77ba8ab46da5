using Rhabdon.Core.Connectors;
using Rhabdon.Core.Ledger;
using Rhabdon.Core.Procedures;

namespace Rhabdon.Core.Kit;

/// <param name="Detail">Which film, by what least purity; null elsewhere.</param>
/// <param name="Uses">Tries, connectors, strokes, cleaves, arcs, shards: what it is worked out from.</param>
/// <param name="Amount">Pieces or millilitres to bring.</param>
/// <param name="Packs">That hold them;</param>
/// <param name="Left">with so much over.</param>
public sealed record SupplyNeed(SupplyKind Kind, string? Detail, double Uses, double Amount, int Packs, double Left, double Cost);

/// <summary>Adds up what connectors use besides their own parts, by what their procedures do.</summary>
internal sealed class SupplyCount(CompanyFigures company)
{
    private readonly Dictionary<(SupplyKind Kind, string? Detail), double> _uses = [];
    private readonly Dictionary<string, double> _sheetLife = new(StringComparer.Ordinal);
    private readonly Dictionary<TerminationMethod, int> _filled = [];

    /// <param name="connectors">That are packed.</param>
    /// <param name="tries">To be expected of them.</param>
    public void Add(RunTable table, int connectors, double tries)
    {
        var purity = table.Preflight.Where(i => i.Unit == "%").Max(i => i.Min);
        if (table.Tools.Any(t => t.Id == "wipes"))
        {
            Use(SupplyKind.Wipes, null, tries);
            Use(SupplyKind.AlcoholMl, purity is { } p ? string.Create(System.Globalization.CultureInfo.InvariantCulture, $"{p}") : null, tries);
        }

        if (table.Tools.Any(t => t.Id == "primer"))
        {
            Use(SupplyKind.PrimerMl, null, connectors);
        }

        if (table.Method is TerminationMethod.HeatCuredEpoxy or TerminationMethod.ColdCure)
        {
            _filled[table.Method] = _filled.GetValueOrDefault(table.Method) + connectors;
        }

        foreach (var count in table.States.Select(s => s.Count).Where(c => c?.Film is not null))
        {
            Use(SupplyKind.FilmSheet, count!.Film, (double)connectors * count.Max);
            _sheetLife[count.Film!] = Math.Min(count.SheetLimit ?? company.Of(SupplyKind.FilmSheet).Each, _sheetLife.GetValueOrDefault(count.Film!, double.MaxValue));
        }

        // A ribbon's act is one for all its strands.
        var acts = (double)connectors / table.Together;
        Use(SupplyKind.BladePosition, null, acts * table.States.Sum(s => s.Cleaves));
        Use(SupplyKind.BatteryCharge, null, acts * table.States.Sum(s => s.Arcs));
        Use(SupplyKind.ElectrodePair, null, acts * table.States.Sum(s => s.Arcs));
        Use(SupplyKind.SharpsContainer, null, (double)connectors * table.States.Sum(s => s.Shards));
    }

    public IReadOnlyList<SupplyNeed> Needs(Func<WearKind, int?> wearLeft)
    {
        foreach (var (method, connectors) in _filled)
        {
            Fill(method, connectors);
        }

        return [.. _uses.Where(u => u.Value > 0).OrderBy(u => u.Key.Kind).ThenBy(u => u.Key.Detail, StringComparer.Ordinal).Select(u => Need(u.Key.Kind, u.Key.Detail, u.Value, wearLeft)).Where(n => n.Amount > 0)];
    }

    /// <summary>What one connector uses up, by the price of each, without what is left over of packs.</summary>
    public static double CostEach(RunTable table, CompanyFigures company)
    {
        const int many = 100;
        var count = new SupplyCount(company with { Supplies = [.. Enum.GetValues<SupplyKind>().Select(k => company.Of(k) with { Pack = 1 })] });
        count.Add(table, many, many);
        return count.Needs(_ => 0).Sum(n => n.Kind == SupplyKind.SharpsContainer ? 0 : n.Cost) / many;
    }

    private SupplyNeed Need(SupplyKind kind, string? detail, double uses, Func<WearKind, int?> wearLeft)
    {
        var figure = company.Of(kind);
        var amount = kind switch
        {
            SupplyKind.Wipes => Math.Ceiling(uses * figure.Each),
            SupplyKind.AlcoholMl or SupplyKind.PrimerMl => uses * figure.Each,
            // Worked out by the mix.
            SupplyKind.AdhesiveMl or SupplyKind.AdhesivePacket or SupplyKind.Syringe or SupplyKind.Needle => uses,
            SupplyKind.FilmSheet => Pieces(uses, _sheetLife[detail!]),
            // What is in the tool already is used first.
            SupplyKind.BladePosition => Pieces(uses - Left(WearKind.CleavesOfPosition), figure.Each),
            SupplyKind.BatteryCharge => Pieces(uses - Left(WearKind.ArcsOfCharge), figure.Each),
            SupplyKind.ElectrodePair => Pieces(uses - Left(WearKind.ArcsOfElectrodes), figure.Each),
            _ => Pieces(uses, figure.Each),
        };
        var packs = (int)Math.Ceiling((amount / figure.Pack) - 1e-9);
        return new(kind, detail, uses, amount, packs, (packs * figure.Pack) - amount, packs * figure.Pack * figure.Price);

        double Left(WearKind wear) => wearLeft(wear) ?? figure.Each;
    }

    private static double Pieces(double uses, double each) => Math.Max(0, Math.Ceiling((uses / each) - 1e-9));

    /// <summary>Each mix has a syringe and a needle of its own, and what stays behind in them.</summary>
    private void Fill(TerminationMethod method, int connectors)
    {
        if (company.MixOf(method) is not { } mix)
        {
            return;
        }

        var mixes = AdhesivePlan.Of(new(connectors, mix.InjectMl, mix.DeadMl, mix.InjectMin, mix.PotLifeMin, mix.OvenSlots, mix.CureMin, mix.WarmUpMin)).Mixes;
        Use(SupplyKind.Syringe, null, mixes.Sum(m => Pieces(m.Connectors, company.Of(SupplyKind.Syringe).Each)));
        Use(SupplyKind.Needle, null, mixes.Sum(m => Pieces(m.Connectors, company.Of(SupplyKind.Needle).Each)));
        if (mix.PacketMl > 0)
        {
            Use(SupplyKind.AdhesivePacket, null, mixes.Sum(m => Pieces(m.Ml, mix.PacketMl)));
        }
        else
        {
            Use(SupplyKind.AdhesiveMl, null, mixes.Sum(m => m.Ml));
        }
    }

    private void Use(SupplyKind kind, string? detail, double uses) => _uses[(kind, detail)] = _uses.GetValueOrDefault((kind, detail)) + uses;
}
