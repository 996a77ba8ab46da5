using System.Reflection;
using System.Text.Json;
using System.Text.Json.Serialization;
using System.Text.Json.Serialization.Metadata;
using NodaTime.Text;

namespace Rhabdon.Core;

/// <summary>How Rhabdon's values are written in JSON, YAML and the database: camelCase, enum members by their trade name.</summary>
public static class Wire
{
    /// <summary>
    /// The one set of JSON options. Names are exact in case and stand once; a field that a type does not know is an error, so that a
    /// typing slip is never ignored, and so is one that is left out and has no default.
    /// </summary>
    public static readonly JsonSerializerOptions Json = Configure(new JsonSerializerOptions(JsonSerializerDefaults.Web));

    public static JsonSerializerOptions Configure(JsonSerializerOptions options)
    {
        options.Converters.Add(new JsonStringEnumConverter(JsonNamingPolicy.KebabCaseLower, allowIntegerValues: false));
        options.Converters.Add(new Instants());
        options.Converters.Add(new Dates());
        options.PropertyNameCaseInsensitive = false;
        options.AllowDuplicateProperties = false;
        options.UnmappedMemberHandling = JsonUnmappedMemberHandling.Disallow;
        options.RespectRequiredConstructorParameters = true;
        options.RespectNullableAnnotations = true;
        options.NumberHandling = JsonNumberHandling.Strict;
        options.DefaultIgnoreCondition = JsonIgnoreCondition.Never;
        options.TypeInfoResolver = new DefaultJsonTypeInfoResolver { Modifiers = { WithoutGaps } };
        return options;
    }

    /// <summary>An entry of a list is never null: that a type's own marks say of its fields, but not of what its lists hold.</summary>
    private static void WithoutGaps(JsonTypeInfo type)
    {
        if (type is { Kind: JsonTypeInfoKind.Enumerable, ElementType.IsValueType: false })
        {
            type.OnDeserialized = list =>
            {
                foreach (var entry in (System.Collections.IEnumerable)list)
                {
                    _ = entry ?? throw new JsonException("An entry of this list is null.");
                }
            };
        }
    }

    /// <summary>The written name of an enum member, as in <c>"cordage-3.0"</c>.</summary>
    public static string Name<T>(T value) where T : struct, Enum => Names<T>.ByValue[value];

    /// <summary>The enum member with this written name.</summary>
    /// <exception cref="FormatException">No member has that name.</exception>
    public static T Parse<T>(string name) where T : struct, Enum =>
        Names<T>.ByName.TryGetValue(name, out var value) ? value : throw new FormatException($"'{name}' is not a {typeof(T).Name}.");

    public static bool TryParse<T>(string name, out T value) where T : struct, Enum => Names<T>.ByName.TryGetValue(name, out value);

    private static class Names<T> where T : struct, Enum
    {
        public static readonly Dictionary<T, string> ByValue = Enum.GetValues<T>().ToDictionary(v => v, v =>
            typeof(T).GetField(v.ToString())!.GetCustomAttribute<JsonStringEnumMemberNameAttribute>()?.Name
            ?? JsonNamingPolicy.KebabCaseLower.ConvertName(v.ToString()));

        public static readonly Dictionary<string, T> ByName = ByValue.ToDictionary(p => p.Value, p => p.Key);
    }
}

/// <summary>Instants in JSON. One that says no zone would be read as the time of wherever this program runs, and is refused.</summary>
internal sealed class Instants : JsonConverter<Instant>
{
    public override Instant Read(ref Utf8JsonReader reader, Type type, JsonSerializerOptions options) =>
        reader.TokenType == JsonTokenType.String && reader.TryGetDateTimeOffset(out var at) && SaysZone(reader.ValueIsEscaped ? System.Text.Encoding.UTF8.GetBytes(reader.GetString()!) : reader.ValueSpan) ? Instant.FromDateTimeOffset(at)
        : throw new JsonException("An instant is written as in 2026-03-09T07:45:00Z, with its zone or offset.");

    public override void Write(Utf8JsonWriter writer, Instant at, JsonSerializerOptions options) => writer.WriteStringValue(InstantPattern.ExtendedIso.Format(at));

    private static bool SaysZone(ReadOnlySpan<byte> text) => text.Length > 6 && (text[^1] == 'Z' || text[^6] is (byte)'+' or (byte)'-');
}

/// <summary>Dates in JSON; whose they are, is said beside them.</summary>
internal sealed class Dates : JsonConverter<LocalDate>
{
    public override LocalDate Read(ref Utf8JsonReader reader, Type type, JsonSerializerOptions options) =>
        reader.TokenType == JsonTokenType.String && LocalDatePattern.Iso.Parse(reader.GetString()!) is { Success: true } date ? date.Value
        : throw new JsonException("A date is written as in 2026-03-09.");

    public override void Write(Utf8JsonWriter writer, LocalDate date, JsonSerializerOptions options) => writer.WriteStringValue(LocalDatePattern.Iso.Format(date));
}

/// <summary>Why Core says no: a stable code, the field it concerns, and its figures by name; words/ turns them into a sentence.</summary>
/// <param name="Message">The sentence, where the code has none in words/ yet; else empty until it is said.</param>
public sealed record Refusal(string Code, string Field, string Message = "", IReadOnlyDictionary<string, object>? Args = null)
{
    /// <summary>Without words: they are found by the code.</summary>
    public static Refusal Of(string code, string field, params (string Name, object Value)[] args) => new(code, field, "", args.Length == 0 ? null : args.ToDictionary(a => a.Name, a => a.Value));

    /// <summary>The same, about a row of a table.</summary>
    public Refusal InRow(int row) => this with { Args = new Dictionary<string, object>(Args ?? new Dictionary<string, object>()) { ["row"] = row } };

    /// <summary>What it says where nobody finds words for it, as in a log.</summary>
    [JsonIgnore]
    public string Plain => Message.Length > 0 ? Message : $"{Code} ({Field}{(Args is null ? "" : ": " + string.Join(", ", Args.Select(a => $"{a.Key} {a.Value}")))})";
}

/// <summary>Thrown where input breaks a rule of the job. Carries every refusal, not just the first.</summary>
public sealed class RefusedException(IReadOnlyList<Refusal> refusals) : Exception(string.Join(" ", refusals.Select(r => r.Plain)))
{
    public RefusedException(string code, string field, string message) : this([new Refusal(code, field, message)]) { }

    public RefusedException(Refusal refusal) : this([refusal]) { }

    public IReadOnlyList<Refusal> Refusals { get; } = refusals;
}
