using Rhabdon.Core.Connectors;
using Rhabdon.Core.Fiber;
using Rhabdon.Core.Ledger;
using Rhabdon.Core.Planning;
using Rhabdon.Core.Procedures;

namespace Rhabdon.Core.Kit;

/// <summary>An end that is not accepted yet, as far as its kit hangs on it.</summary>
/// <param name="SlackLeftMm">Planned, less what is used up.</param>
/// <param name="ReachMm">From its panel to the bench.</param>
/// <param name="LoopTurns">Turns of the service loop that has to remain.</param>
public sealed record EndToMake(
    EndId EndId, string ProcedureId, int ProcedureVersion, TerminationMethod Method, ConnectorForm Form, Polish Polish, FiberMode Mode, FiberClass FiberClass, CableConstruction Construction, CordKind Cord,
    double SlackLeftMm, double ReachMm = 0, int LoopTurns = 0)
{
    /// <summary>What may still be cut off.</summary>
    public double SpareMm => SlackLeftMm - SlackReserve.Mm(ReachMm, LoopTurns);
}

/// <summary>So many of one part.</summary>
/// <param name="InPack">It comes with the connector.</param>
public sealed record PartNeed(string Part, string Name, int Count, bool InPack);

/// <param name="FirstPass">The chance that a connector is good at once, as the plan takes it;</param>
/// <param name="FirstPassLow">it lies between this</param>
/// <param name="FirstPassHigh">and this with nine chances in ten.</param>
/// <param name="Counted">Connectors of the company's own that it rests on, of the last of them; 0 where it is all assumption.</param>
/// <param name="Connectors">Its share of those that are enough for all; the spare ones stand with the largest group.</param>
/// <param name="ReworkMinutes">To be expected of all these ends.</param>
/// <param name="Parts">Of each connector, and one for each that is packed.</param>
/// <param name="Ask">What the calculator would be asked for these ends alone.</param>
public sealed record KitGroup(
    string ProcedureId, int ProcedureVersion, TerminationMethod Method, ConnectorForm Form, Polish Polish, FiberMode Mode, CableConstruction Construction, int Ends,
    double FirstPass, double FirstPassLow, double FirstPassHigh, long Counted, int Connectors, double ReworkMinutes, IReadOnlyList<PartNeed> Parts, KitAsk Ask);

public sealed record KitPack(string Name, int Size, int Count);

/// <summary>A part that lies in a pack and that these ends do not use.</summary>
/// <param name="For">What it would be for; null for any.</param>
/// <param name="Construction">What these ends are on.</param>
public sealed record SetAside(string Part, IReadOnlyList<CableConstruction>? For, CableConstruction Construction, int Count);

/// <summary>Connectors of one kind, for all ends that are served from the same packs.</summary>
/// <param name="Confidence">That they are enough.</param>
public sealed record KitConnector(
    TerminationMethod Method, ConnectorForm Form, Polish Polish, FiberMode Mode, IReadOnlyList<CableConstruction> Constructions, int Ends, int Connectors, double Confidence,
    IReadOnlyList<KitPack> Packs, int Left, IReadOnlyList<SetAside> SetAside, double Cost);

public enum RiskAct
{
    /// <summary>Another procedure costs less slack, or fails less.</summary>
    OtherMethod,
    /// <summary>A connector or a pigtail spliced on.</summary>
    SpliceOn,
    /// <summary>The one whose connectors are good at once most often.</summary>
    BestHand,
}

/// <param name="Risk">That is left with it.</param>
public sealed record RiskAdvice(RiskAct Act, double Risk, string? ProcedureId = null, TerminationMethod? Method = null, PersonId? PersonId = null);

/// <param name="SpareMm">What may still be cut off; below 0 where it no longer reaches.</param>
/// <param name="Risk">That it can no longer be worked before it is accepted.</param>
/// <param name="Advice">What makes it smaller, the best first.</param>
public sealed record SlackRisk(EndId EndId, double SlackLeftMm, double SpareMm, double Risk, IReadOnlyList<RiskAdvice> Advice);

/// <param name="Confidence">That all connectors are enough, for all ends together.</param>
/// <param name="FromCost">It follows from what a trip and a leftover cost; else it was chosen.</param>
/// <param name="Risks">Ends above the least risk, the highest first.</param>
/// <param name="Cost">Of connectors and supplies.</param>
public sealed record JobKit(double Confidence, bool FromCost, IReadOnlyList<KitGroup> Groups, IReadOnlyList<KitConnector> Connectors, IReadOnlyList<SupplyNeed> Supplies, IReadOnlyList<SlackRisk> Risks, double Cost);

/// <summary>What a company's own ledger says, as far as a kit asks.</summary>
/// <param name="OfMethod">How its last connectors by a method went.</param>
/// <param name="OfPeople">The same by person.</param>
/// <param name="WearLeft">What is left of the crew's tool; null where none is known.</param>
public sealed record KitFacts(Func<TerminationMethod, MethodCount> OfMethod, Func<TerminationMethod, IReadOnlyDictionary<PersonId, GoodAndBad>> OfPeople, Func<WearKind, int?> WearLeft);

/// <summary>Procedures as a company walks them.</summary>
/// <param name="Of">The table that an end is made by; null where it cannot be walked.</param>
/// <param name="For">All that would do for an end.</param>
public sealed record KitMethods(Func<EndToMake, RunTable?> Of, Func<EndToMake, IReadOnlyList<RunTable>> For);

/// <summary>What to bring for the ends that are not accepted yet, and which of them cannot afford a second try.</summary>
public static class JobKits
{
    /// <summary>The part that holds two connectors together.</summary>
    private const string PairClip = "pair-clip";

    private const double Low = 0.05, High = 0.95, UsualConfidence = 0.95;

    private sealed record Group(EndToMake First, IReadOnlyList<EndToMake> Ends, RunTable Table, MethodCount Own, Chance FirstPass, ReworkModel Model);

    /// <param name="confidence">Null: from cost, where a trip has a price, else 95 %.</param>
    public static JobKit Of(IReadOnlyList<EndToMake> ends, KitMethods methods, KitFacts facts, CompanyFigures company, double? confidence)
    {
        new Figures().Within("confidence", confidence ?? UsualConfidence, 0.5, 0.999).ThrowIfBad();
        var groups = Groups(ends, methods, facts).ToList();
        // Those that are served from the same packs are spare for each other.
        var pools = groups.GroupBy(g => (g.First.Method, g.First.Form, g.First.Polish, g.First.Mode, string.Join('|', company.PacksFor(g.First.Method, g.First.Construction).Select(p => p.Name)))).Select(p => p.ToList()).ToList();
        var fromCost = confidence is null && company.TripCost is not null;
        var each = Math.Pow(confidence ?? UsualConfidence, 1.0 / Math.Max(1, pools.Count));
        var (connectors, kitGroups, supplies) = (new List<KitConnector>(), new List<KitGroup>(), new SupplyCount(company));
        foreach (var pool in pools)
        {
            var packs = company.PacksFor(pool[0].First.Method, pool[0].First.Construction);
            var tally = pool.Select(g => Tally.Of(g.Model.Connectors(g.Ends.Count))).Aggregate((a, b) => a.And(b));
            var method = company.Of(pool[0].First.Method);
            var leftCost = method.ConnectorPrice * (method.Keeps ? company.HoldShare : 1);
            var need = fromCost ? tally.Cheapest(leftCost, company.TripCost!.Value) : tally.Enough(each);
            connectors.Add(Packed(pool, packs, need, tally.EnoughChance(need), method.ConnectorPrice, leftCost));
            foreach (var (g, share) in Shares(pool, need))
            {
                kitGroups.Add(Of(g, share, packs, each));
                supplies.Add(g.Table, share, (g.Model.ExpectedAttempts * g.Ends.Count) + Math.Max(0, share - (g.Model.ExpectedConnectors * g.Ends.Count)));
            }
        }

        var needs = supplies.Needs(facts.WearLeft);
        return new(
            connectors.Aggregate(1.0, (all, c) => all * c.Confidence), fromCost,
            [.. kitGroups.OrderBy(g => g.Method).ThenBy(g => g.ProcedureId, StringComparer.Ordinal).ThenBy(g => g.Construction)],
            [.. connectors.OrderBy(c => c.Method).ThenBy(c => c.Form).ThenBy(c => c.Polish)], needs,
            [.. groups.SelectMany(g => Risks(g, methods, facts, company.RiskShown)).OrderByDescending(r => r.Risk).ThenBy(r => r.SpareMm)],
            connectors.Sum(c => c.Cost) + needs.Sum(n => n.Cost));
    }

    private static IEnumerable<Group> Groups(IReadOnlyList<EndToMake> ends, KitMethods methods, KitFacts facts)
    {
        foreach (var g in ends.GroupBy(e => (e.ProcedureId, e.ProcedureVersion, e.Method, e.Form, e.Polish, e.Mode, e.Construction, e.Cord)))
        {
            if (methods.Of(g.First()) is { } table)
            {
                var own = facts.OfMethod(g.Key.Method);
                var firstPass = Experience.FirstPass(g.Key.Method, own);
                yield return new(g.First(), [.. g], table, own, firstPass, Experience.Model(table, firstPass, own));
            }
        }
    }

    /// <summary>What is enough for all, shared out: to each what it is expected to take, the spare ones with the largest.</summary>
    private static IEnumerable<(Group Group, int Share)> Shares(List<Group> pool, int need)
    {
        var shares = pool.Select(g => Math.Max(g.Ends.Count, (int)Math.Floor(g.Model.ExpectedConnectors * g.Ends.Count))).ToArray();
        var largest = Array.IndexOf(shares, shares.Max());
        shares[largest] += need - shares.Sum();
        return pool.Zip(shares);
    }

    private static KitGroup Of(Group g, int share, IReadOnlyList<ConnectorPack> packs, double confidence)
    {
        var e = g.First;
        bool In(Part p) => p.On || (packs.Count > 0 && packs.All(k => k.Holds.Any(h => h.Part == p.Id && h.Constructions?.Contains(e.Construction) != false)));
        return new(
            e.ProcedureId, e.ProcedureVersion, e.Method, e.Form, e.Polish, e.Mode, e.Construction, g.Ends.Count, g.FirstPass.Mean, g.FirstPass.Quantile(Low), g.FirstPass.Quantile(High), g.Own.All,
            share, g.Model.ExpectedReworkMinutes * g.Ends.Count, [.. g.Table.Parts.GroupBy(p => p.Id, StringComparer.Ordinal).Select(p => new PartNeed(p.Key, p.First().Name, p.Key == PairClip ? (share + 1) / 2 : share * p.Count(), In(p.First())))],
            new(g.Ends.Count, g.Model.FirstPass, Confidence: confidence, Packs: [.. packs.Select(p => p.Size).Distinct()], Shards: g.Model.Shards, Ladders: g.Model.Ladders));
    }

    private static KitConnector Packed(List<Group> pool, IReadOnlyList<ConnectorPack> packs, int need, double confidence, double price, double leftCost)
    {
        var bySize = packs.GroupBy(p => p.Size).ToDictionary(g => g.Key, g => g.MinBy(p => p.Price)!);
        var (counts, left) = ConnectorKit.Packed(need, [.. bySize.Values.Select(p => (p.Size, p.Price))], leftCost);
        // What a pack holds for other cables, or what this procedure has no part for, is named before it is searched for at the bench.
        var aside = from g in pool
                    from part in counts.SelectMany(c => bySize[c.Size].Holds).DistinctBy(h => (h.Part, string.Join(',', h.Constructions ?? [])))
                    where part.Constructions?.Contains(g.First.Construction) == false || g.Table.Parts.All(p => p.Id != part.Part)
                    group g.Ends.Count by (part, g.First.Construction) into same
                    select new SetAside(same.Key.part.Part, same.Key.part.Constructions, same.Key.Construction, same.Sum());
        var e = pool[0].First;
        return new(
            e.Method, e.Form, e.Polish, e.Mode, [.. pool.Select(g => g.First.Construction).Distinct().Order()], pool.Sum(g => g.Ends.Count), need, confidence,
            [.. counts.Select(c => new KitPack(bySize[c.Size].Name, c.Size, c.Count))], left, [.. aside.OrderBy(a => a.Part, StringComparer.Ordinal)],
            counts.Count == 0 ? need * price : counts.Sum(c => c.Count * bySize[c.Size].Price));
    }

    private static IEnumerable<SlackRisk> Risks(Group g, KitMethods methods, KitFacts facts, double shown)
    {
        List<(RiskAdvice Advice, Spread Slack)>? ways = null;
        var slack = g.Model.Slack();
        foreach (var e in g.Ends)
        {
            var risk = slack.Beyond(e.SpareMm);
            if (risk < shown)
            {
                continue;
            }

            ways ??= [.. Ways(g, methods, facts).Select(w => (w.Advice, w.Model.Slack()))];
            yield return new(e.EndId, e.SlackLeftMm, e.SpareMm, risk,
                [.. ways.Select(w => w.Advice with { Risk = w.Slack.Beyond(e.SpareMm) }).Where(a => a.Risk < risk / 2).OrderBy(a => a.Risk).DistinctBy(a => a.Act).Take(3)]);
        }
    }

    private static IEnumerable<(RiskAdvice Advice, ReworkModel Model)> Ways(Group g, KitMethods methods, KitFacts facts)
    {
        foreach (var table in methods.For(g.First).Where(t => t.ProcedureId != g.First.ProcedureId))
        {
            var own = facts.OfMethod(table.Method);
            yield return (new(table.Method is TerminationMethod.SpliceOn or TerminationMethod.PigtailSplice ? RiskAct.SpliceOn : RiskAct.OtherMethod, 0, table.ProcedureId, table.Method),
                Experience.Model(table, Experience.FirstPass(table.Method, own), own));
        }

        foreach (var (person, own) in facts.OfPeople(g.First.Method).OrderByDescending(p => Experience.OfPerson(g.FirstPass, p.Value).Mean).Take(1))
        {
            yield return (new(RiskAct.BestHand, 0, PersonId: person), g.Model with { FirstPass = Experience.OfPerson(g.FirstPass, own).Mean });
        }
    }
}
