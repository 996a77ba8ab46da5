using System.Globalization;
using Rhabdon.Core;
using Rhabdon.Core.Kit;
using Rhabdon.Documents;
using Rhabdon.Server.Web;

namespace Rhabdon.Server.Kit;

/// <summary>What to bring, as it is printed and as tables: the lines to load first, then what stands behind them.</summary>
internal static class KitPaper
{
    private static readonly PaperWords Words = new("kit");

    public static Paper Of(JobKitAnswer kit, IReadOnlyList<string> jobs, IReadOnlyDictionary<SpaceId, string> spaces, LocalDate today) => new(
        Words["title"], [.. jobs, Words.Say("said", ("chance", Math.Round(kit.Confidence * 100, 1)), ("ends", kit.Connectors.Sum(c => c.Ends)), ("day", today.ToString("uuuu-MM-dd", CultureInfo.InvariantCulture)))],
        [
            new(Words["load"], [new(Words["item"], 6), new(Words["amount"], 1.4, true), new(Words["space"], 1.4), new(Words["lot"], 2.4)],
                [.. kit.Pick.OrderBy(l => l.Item.Kind).ThenBy(l => l.SpaceId is null).ThenBy(l => l.SpaceId is { } s ? spaces.GetValueOrDefault(s) : "", StringComparer.Ordinal).Select(l => (IReadOnlyList<object?>)
                    [Name(l.Item), Math.Round(l.Needed, 1), l.SpaceId is { } s ? spaces.GetValueOrDefault(s) : l.Item.Kind == KitItemKind.Connector ? Words["spare"] : null, null])], Ticked: true),
            new(Words["connectors"], [new(Words["item"], 6), new(Words["ends"], 1, true), new(Words["bring"], 1, true), new(Words["packs"], 3)],
                [.. kit.Connectors.Select(c => (IReadOnlyList<object?>)
                    [$"{Name(new(KitItemKind.Connector, c.Method, c.Form, c.Polish, c.Mode))}; {string.Join(", ", c.Constructions.Select(x => Words.Term("construction", x)))}", (double)c.Ends, (double)c.Connectors,
                     string.Join(", ", c.Packs.Select(p => Words.Say("pack", ("count", p.Count), ("name", p.Name), ("size", p.Size))))])]),
            new(Words["supplies"], [new(Words["item"], 5), new(Words["amount"], 1.5, true), new(Words["why"], 4)],
                [.. kit.Supplies.Select(s => (IReadOnlyList<object?>)[Name(new(KitItemKind.Supply, Supply: s.Kind, Detail: s.Detail)), Math.Round(s.Amount, 1), Words.Say($"uses.{Wire.Name(s.Kind)}", ("uses", Math.Round(s.Uses)))])]),
        ], Words["foot"]);

    private static string Name(KitItem i) => i.Kind switch
    {
        KitItemKind.Connector => $"{Words.Term("form", i.Form!.Value)}/{i.Polish} {Words.Term("mode", i.Mode!.Value)}, {Words.Term("method", i.Method!.Value)}",
        KitItemKind.Part => $"{i.Part}, {Words.Term("construction", i.Construction!.Value)}",
        _ when i.Supply == SupplyKind.FilmSheet && i.Detail is not null => Words.Say("film-of", ("detail", i.Detail)),
        _ when i.Supply == SupplyKind.AlcoholMl && i.Detail is not null => Words.Say("alcohol-of", ("detail", i.Detail)),
        _ => Words.Term("supply", i.Supply!.Value),
    };
}
