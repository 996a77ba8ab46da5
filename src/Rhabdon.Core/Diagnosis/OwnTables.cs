using Rhabdon.Core.Rework;

namespace Rhabdon.Core.Diagnosis;

/// <param name="Cures">By cause, 0 to 1; one that is not there is as shipped.</param>
/// <param name="Renews">Of an act that makes the connector anew.</param>
public sealed record OwnAct(double? Minutes = null, double? Parts = null, double? SlackMm = null, double? Renews = null, IReadOnlyDictionary<ReworkReason, double>? Cures = null);

/// <summary>What a company says itself in the place of what is shipped. What it does not name stays as shipped.</summary>
/// <param name="Causes">How often each is the cause, by family.</param>
/// <param name="Signs">By sign and cause, how often each of its values is seen; <c>usual</c> for causes that the sign does not name.</param>
public sealed record OwnTables(
    IReadOnlyDictionary<ReworkReason, IReadOnlyDictionary<GlassFamily, double>>? Causes = null,
    IReadOnlyDictionary<string, IReadOnlyDictionary<string, IReadOnlyList<double>>>? Signs = null,
    IReadOnlyDictionary<string, OwnAct>? Acts = null)
{
    public const string Usual = "usual";
}

/// <param name="Cured">It was accepted after that, with nothing else tried.</param>
public sealed record TriedAct(string Act, bool Cured);

/// <summary>A connector of which somebody found out what ailed it.</summary>
/// <param name="Seen">Before anything was tried.</param>
public sealed record ConfirmedCase(GlassFamily Family, ReworkReason Cause, IReadOnlyList<Observation> Seen, IReadOnlyList<TriedAct> Tried);

public sealed partial record DiagnosisTables
{
    /// <summary>What said shares of causes are worth against causes that were confirmed, in connectors.</summary>
    public const double AssumedWeight = 40;

    /// <summary>What a said row of a sign, or a said chance of an act, is worth against connectors of that cause (ours).</summary>
    public const double AssumedRowWeight = 20;

    /// <summary>A share that no row may go below, so that no single look rules a cause out for good.</summary>
    private const double LeastShare = 0.001;

    /// <summary>These tables as a company says them.</summary>
    public DiagnosisTables Said(OwnTables? own)
    {
        if (own is null)
        {
            return this;
        }

        IReadOnlyList<double> Row(Sign sign, string cause, IReadOnlyList<double> shipped) =>
            own.Signs?.GetValueOrDefault(sign.Id)?.GetValueOrDefault(cause) is { } row ? [.. row.Select(p => p / row.Sum())] : shipped;
        return this with
        {
            Causes = Causes.ToDictionary(c => c.Key, c => (IReadOnlyDictionary<GlassFamily, double>)c.Value.ToDictionary(
                f => f.Key, f => own.Causes?.GetValueOrDefault(c.Key)?.TryGetValue(f.Key, out var share) == true ? share : f.Value)),
            Signs = [.. Signs.Select(s => s with
            {
                Usual = Row(s, OwnTables.Usual, s.Usual),
                Given = s.Given.Keys.Union((own.Signs?.GetValueOrDefault(s.Id)?.Keys ?? []).Where(k => k != OwnTables.Usual).Select(Wire.Parse<ReworkReason>))
                    .ToDictionary(c => c, c => Row(s, Wire.Name(c), s.Given.GetValueOrDefault(c) ?? s.Usual)),
            })],
            Acts = [.. Acts.Select(a => own.Acts?.GetValueOrDefault(a.Id) is not { } o ? a : a with
            {
                Minutes = o.Minutes ?? a.Minutes, Parts = o.Parts ?? a.Parts, SlackMm = o.SlackMm ?? a.SlackMm, Renews = o.Renews ?? a.Renews,
                Cures = a.Cures.Keys.Union(o.Cures?.Keys ?? []).ToDictionary(c => c, c => o.Cures?.TryGetValue(c, out var p) == true ? p : a.Cures[c]),
            })],
        };
    }

    /// <summary>These tables as confirmed causes have moved them: shares of causes, what was seen of each, and what cured it.</summary>
    public DiagnosisTables Moved(IReadOnlyList<ConfirmedCase> cases)
    {
        if (cases.Count == 0)
        {
            return this;
        }

        var sums = Enum.GetValues<GlassFamily>().ToDictionary(f => f, f => Causes.Values.Sum(c => c.GetValueOrDefault(f)));
        var confirmed = cases.CountBy(c => (c.Family, c.Cause)).ToDictionary();
        var seen = cases.SelectMany(c => c.Seen, (c, o) => (o.Sign, c.Cause, o.Value)).ToLookup(x => (x.Sign, x.Cause), x => x.Value);
        var tried = cases.SelectMany(c => c.Tried, (c, t) => (t.Act, c.Cause, t.Cured)).ToLookup(x => (x.Act, x.Cause), x => x.Cured);
        return this with
        {
            Causes = Causes.ToDictionary(c => c.Key, c => (IReadOnlyDictionary<GlassFamily, double>)c.Value.ToDictionary(f => f.Key, f => (AssumedWeight * f.Value / sums[f.Key]) + confirmed.GetValueOrDefault((f.Key, c.Key)))),
            Signs = [.. Signs.Select(s => s with
            {
                Given = s.Given.Keys.Union(Causes.Keys.Where(c => seen.Contains((s.Id, c)))).ToDictionary(c => c, c => Moved(s, s.Given.GetValueOrDefault(c) ?? s.Usual, [.. seen[(s.Id, c)]])),
            })],
            Acts = [.. Acts.Select(a => a with
            {
                Cures = a.Cures.Keys.Union(Causes.Keys.Where(c => tried.Contains((a.Id, c)))).ToDictionary(c => c, c => Share(Cures(a, c), [.. tried[(a.Id, c)]])),
            })],
        };
    }

    private static IReadOnlyList<double> Moved(Sign sign, IReadOnlyList<double> row, IReadOnlyList<string> seen)
    {
        // A value of another version of the program says nothing.
        IReadOnlyList<double> counts = [.. sign.Values.Select(v => (double)seen.Count(s => s == v))];
        return counts.Sum() == 0 ? row : [.. row.Zip(counts, (p, n) => ((AssumedRowWeight * p) + n) / (AssumedRowWeight + counts.Sum()))];
    }

    private static double Share(double said, IReadOnlyList<bool> cured) => ((AssumedRowWeight * said) + cured.Count(c => c)) / (AssumedRowWeight + cured.Count);

    /// <exception cref="RefusedException">A share, a row or an act that cannot be; each by its field.</exception>
    public void Check(OwnTables own)
    {
        var figures = new Figures();
        foreach (var (cause, families) in own.Causes ?? new Dictionary<ReworkReason, IReadOnlyDictionary<GlassFamily, double>>())
        {
            figures.Require(families is not null, Refusal.Of("cause-not-of-family", $"causes.{Wire.Name(cause)}"));
            foreach (var (family, share) in families ?? new Dictionary<GlassFamily, double>())
            {
                var field = $"causes.{Wire.Name(cause)}.{Wire.Name(family)}";
                figures.Require(Causes.GetValueOrDefault(cause)?.ContainsKey(family) == true, Refusal.Of("cause-not-of-family", field)).Within(field, share, LeastShare, 1);
            }
        }

        foreach (var (id, rows) in own.Signs ?? new Dictionary<string, IReadOnlyDictionary<string, IReadOnlyList<double>>>())
        {
            var sign = Signs.FirstOrDefault(s => s.Id == id);
            figures.Require(sign is not null && rows is not null, Refusal.Of("sign-unknown", $"signs.{id}", ("sign", id)));
            if (sign is null || rows is null)
            {
                continue;
            }

            foreach (var (cause, row) in rows)
            {
                Row(figures, sign, $"signs.{id}.{cause}", cause, row);
            }
        }

        foreach (var (id, act) in own.Acts ?? new Dictionary<string, OwnAct>())
        {
            var field = $"acts.{id}";
            var shipped = Acts.FirstOrDefault(a => a.Id == id);
            figures.Require(shipped is not null && act is not null, Refusal.Of("act-unknown", field, ("act", id), ("acts", string.Join(", ", Acts.Select(a => a.Id)))));
            if (shipped is null || act is null)
            {
                continue;
            }

            figures.Within($"{field}.minutes", act.Minutes ?? 1, 0.1, 10_000).Within($"{field}.parts", act.Parts ?? 0, 0, 10_000).Within($"{field}.slackMm", act.SlackMm ?? 0, 0, 10_000)
                .Within($"{field}.renews", act.Renews ?? 0, 0, 1).Require(act.Renews is null || shipped.Renews is not null, Refusal.Of("act-renews-nothing", $"{field}.renews"));
            foreach (var (cause, p) in act.Cures ?? new Dictionary<ReworkReason, double>())
            {
                figures.Require(Causes.ContainsKey(cause), Refusal.Of("cause-not-of-family", $"{field}.cures.{Wire.Name(cause)}")).Within($"{field}.cures.{Wire.Name(cause)}", p, 0, 1);
            }
        }

        figures.ThrowIfBad();
    }

    private void Row(Figures figures, Sign sign, string field, string cause, IReadOnlyList<double>? row)
    {
        figures.Require(cause == OwnTables.Usual || (Wire.TryParse<ReworkReason>(cause, out var c) && Causes.ContainsKey(c)), Refusal.Of("cause-not-of-family", field))
            .Require(row?.Count == sign.Values.Count, Refusal.Of("sign-row-length", field, ("values", string.Join(", ", sign.Values))));
        foreach (var (i, p) in (row ?? []).Take(sign.Values.Count).Index())
        {
            figures.Within($"{field}[{i}]", p, LeastShare, 1);
        }
    }
}
