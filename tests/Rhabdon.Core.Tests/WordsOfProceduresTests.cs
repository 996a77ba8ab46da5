using System.Collections;
using System.Text.Json;
using System.Text.Json.Nodes;
using Rhabdon.Core.Procedures;
using Xunit;

namespace Rhabdon.Core.Tests;

/// <summary>Whatever a procedure can say, the schema, the compare view, YAML and the validator know: a new word is found here when one of them forgets it.</summary>
public class WordsOfProceduresTests
{
    private static readonly JsonNode Full = JsonSerializer.SerializeToNode(Filled(typeof(ProcedureDocument), ""), Wire.Json)!;

    [Fact]
    public void The_schema_knows_every_word()
    {
        var schema = File.ReadAllText(Path.Combine(Repo.Root, "procedures", "procedure.schema.json"));
        Assert.All(Leaves(Full, "").SelectMany(l => l.Split('.')).Select(w => w.Split('[')[0]).Where(w => w.Length > 0).Distinct(), w => Assert.Contains($"\"{w}\":", schema, StringComparison.Ordinal));
    }

    [Fact]
    public void The_compare_view_tells_a_change_of_every_word()
    {
        var before = Full.Deserialize<ProcedureDocument>(Wire.Json)!;
        // A procedure is compared with another of whatever name and number.
        foreach (var path in Leaves(Full, "").Where(p => p is not (".id" or ".version")))
        {
            var changed = JsonNode.Parse(Full.ToJsonString())!;
            Change(changed, path);
            Assert.True(ProcedureDiff.Compare(before, changed.Deserialize<ProcedureDocument>(Wire.Json)!).Count > 0, path);
        }
    }

    [Fact]
    public void Yaml_keeps_every_word()
    {
        var document = Full.Deserialize<ProcedureDocument>(Wire.Json)!;
        var back = YamlText.OfJson<ProcedureDocument>(YamlText.ToJson(YamlText.Write(document)));
        Assert.Equal(Full.ToJsonString(), JsonSerializer.SerializeToNode(back, Wire.Json)!.ToJsonString());
    }

    [Fact]
    public void The_validator_looks_at_every_condition()
    {
        var whole = Repo.Newest.Single(d => d.Id == "wedge-locked-upc-3mm");
        var gone = new When("gone", ["x"]);
        ProcedureDocument[] each =
        [
            whole with { Steps = [.. whole.Steps.Select((s, i) => i == 0 ? s with { When = gone } : s)] }, whole with { Steps = [.. whole.Steps.Select((s, i) => i == 1 ? s with { Moves = [new("gone", ["x"], "bow")] } : s)] },
            whole with { Parts = [.. whole.Parts.Select(p => p with { When = gone })] }, whole with { Tools = [.. whole.Tools.Select(t => t with { When = gone })] },
            whole with { Prep = whole.Prep with { Points = [.. whole.Prep.Points.Select(p => p with { When = gone })] } }, whole with { Preflight = [.. whole.Preflight!.Select(p => p with { When = gone })] },
            whole with { Ladders = [.. whole.Ladders.Select(l => l with { Rungs = [.. l.Rungs.Select(r => r with { When = gone })] })] },
        ];
        Assert.All(each, d => Assert.Contains(ProcedureValidator.Faults(d), f => f.Code == "option-unknown" && (f.Field.EndsWith(".when", StringComparison.Ordinal) || f.Field.EndsWith(".moves", StringComparison.Ordinal))));
        Assert.Equal(Conditions(typeof(ProcedureDocument), []).Count(), each.Length);
    }

    /// <summary>The kinds of things in a procedure that may hold only where something is so.</summary>
    private static IEnumerable<Type> Conditions(Type t, HashSet<Type> seen) =>
        !seen.Add(t) ? [] : t.GetProperties().SelectMany(p => (p.PropertyType == typeof(When) ? [t] : Conditions(Item(p.PropertyType), seen)).Concat(p.PropertyType == typeof(IReadOnlyList<Move>) ? [typeof(Move)] : []));

    private static Type Item(Type t) => Nullable.GetUnderlyingType(t) is { } u ? u : t.IsGenericType ? t.GetGenericArguments()[0] is var i && i.Namespace!.StartsWith("Rhabdon", StringComparison.Ordinal) ? i : typeof(object) : t.Namespace!.StartsWith("Rhabdon", StringComparison.Ordinal) ? t : typeof(object);

    /// <summary>A value of a type in which nothing is left out.</summary>
    private static object Filled(Type t, string name)
    {
        t = Nullable.GetUnderlyingType(t) ?? t;
        if (t == typeof(string))
        {
            return $"a {name}";
        }

        if (t.IsEnum)
        {
            return Enum.GetValues(t).GetValue(1)!;
        }

        if (t == typeof(bool) || t == typeof(int) || t == typeof(double))
        {
            return Convert.ChangeType(1, t, System.Globalization.CultureInfo.InvariantCulture);
        }

        if (t.IsGenericType)
        {
            var list = (IList)Activator.CreateInstance(typeof(List<>).MakeGenericType(t.GetGenericArguments()[0]))!;
            list.Add(Filled(t.GetGenericArguments()[0], name));
            return list;
        }

        var constructor = t.GetConstructors().MaxBy(c => c.GetParameters().Length)!;
        return constructor.Invoke([.. constructor.GetParameters().Select(p => Filled(p.ParameterType, p.Name!))]);
    }

    private static IEnumerable<string> Leaves(JsonNode? node, string path) => node switch
    {
        JsonObject o => o.SelectMany(p => Leaves(p.Value, $"{path}.{p.Key}")),
        JsonArray a => a.SelectMany((x, i) => Leaves(x, $"{path}[{i}]")),
        _ => [path],
    };

    private static void Change(JsonNode root, string path)
    {
        var leaf = path.Split('.', StringSplitOptions.RemoveEmptyEntries).SelectMany(w => w.Split('[').Select(x => x.TrimEnd(']'))).Aggregate((JsonNode?)root, (n, w) => n is JsonArray a ? a[int.Parse(w, System.Globalization.CultureInfo.InvariantCulture)] : n![w])!;
        var enums = new[] { typeof(Phase), typeof(Tone), typeof(Caution), typeof(SlackCost), typeof(Drawing), typeof(PreflightAsk), typeof(Prep.Layer), typeof(Prep.Basis), typeof(Inspection.LightRule), typeof(Rework.ReworkReason), typeof(Fiber.FiberClass), typeof(Fiber.CableConstruction), typeof(Connectors.ConnectorForm), typeof(Connectors.Polish), typeof(Connectors.TerminationMethod) };
        var value = leaf.GetValueKind() switch
        {
            JsonValueKind.True => JsonValue.Create(false),
            JsonValueKind.Number => JsonValue.Create(2),
            _ when enums.FirstOrDefault(e => JsonSerializer.SerializeToNode(Enum.GetValues(e).GetValue(1), e, Wire.Json)!.GetValue<string>() == leaf.GetValue<string>()) is { } e => JsonSerializer.SerializeToNode(Enum.GetValues(e).GetValue(0), e, Wire.Json)!,
            _ => JsonValue.Create(leaf.GetValue<string>() + " more"),
        };
        leaf.ReplaceWith(value);
    }
}
