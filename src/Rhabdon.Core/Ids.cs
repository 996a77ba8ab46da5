using System.Globalization;
using System.Text.Json;
using System.Text.Json.Serialization;

namespace Rhabdon.Core;

/// <summary>
/// The id of one kind of thing, so that the compiler tells an end's from a job's. Written everywhere as <c>EndId</c>, <c>JobId</c> and so on:
/// the names stand in Directory.Build.props, the kinds in <see cref="Ids"/>. In JSON and in the database it is a UUID as any other.
/// </summary>
/// <param name="Value">The UUID. All zeros stand for nothing, as where the server itself speaks and no device does.</param>
[JsonConverter(typeof(IdConverters))]
public readonly record struct Id<TKind>(Guid Value) : IComparable<Id<TKind>>
{
    /// <summary>A new id; ids made later sort later.</summary>
    public static Id<TKind> New() => new(Guid.CreateVersion7());

    /// <summary>A new id that sorts by the instant given.</summary>
    public static Id<TKind> New(Instant at) => new(Guid.CreateVersion7(at.ToDateTimeOffset()));

    /// <summary>The version of the UUID; devices make those of version 7.</summary>
    public int Version => Value.Version;

    /// <exception cref="FormatException">The text is no UUID.</exception>
    public static Id<TKind> Parse(string text) => new(Guid.Parse(text));

    public static bool TryParse(string? text, IFormatProvider? provider, out Id<TKind> id)
    {
        var read = Guid.TryParse(text, provider, out var value);
        id = new(value);
        return read;
    }

    public int CompareTo(Id<TKind> other) => Value.CompareTo(other.Value);

    /// <summary>The same id in the place of another kind, where one thing is meant by both: a batch's stream has the batch's id.</summary>
    public Id<TOther> As<TOther>() => new(Value);

    public override string ToString() => Value.ToString();
}

/// <summary>What there are ids of. None of these is ever made: they only tell ids apart.</summary>
public abstract class Ids
{
    public abstract class Company;
    public abstract class Person;
    public abstract class Crew;
    public abstract class SignIn;
    public abstract class Device;
    public abstract class Job;
    public abstract class Space;
    public abstract class Panel;
    public abstract class Cable;
    public abstract class Module;
    public abstract class Cord;
    public abstract class Chain;

    /// <summary>The cable, module or cord that is a part of a chain.</summary>
    public abstract class Part;

    /// <summary>Where ends are worked side by side: a panel, or the cable of a jumper.</summary>
    public abstract class Place;

    public abstract class End;
    public abstract class Run;
    public abstract class Batch;
    public abstract class Tool;
    public abstract class Lot;
    public abstract class Instrument;
    public abstract class Event;

    /// <summary>The end, batch, job, crew, tool, lot or instrument whose stream it is.</summary>
    public abstract class Stream;

    public abstract class Evidence;
    public abstract class Quarantine;
    public abstract class Dossier;

    /// <summary>What lets somebody without an account look at one job.</summary>
    public abstract class Link;

    /// <summary>All of them.</summary>
    public static readonly IReadOnlyList<Type> Kinds = typeof(Ids).GetNestedTypes();
}

internal sealed class IdConverters : JsonConverterFactory
{
    public override bool CanConvert(Type type) => type.IsGenericType && type.GetGenericTypeDefinition() == typeof(Id<>);

    public override JsonConverter CreateConverter(Type type, JsonSerializerOptions options) =>
        (JsonConverter)Activator.CreateInstance(typeof(Converter<>).MakeGenericType(type.GenericTypeArguments))!;

    private sealed class Converter<TKind> : JsonConverter<Id<TKind>>
    {
        public override Id<TKind> Read(ref Utf8JsonReader reader, Type type, JsonSerializerOptions options) =>
            reader.TokenType == JsonTokenType.String && reader.TryGetGuid(out var value) ? new(value) : throw new JsonException("An id is a UUID.");

        public override void Write(Utf8JsonWriter writer, Id<TKind> id, JsonSerializerOptions options) => writer.WriteStringValue(id.Value);

        public override Id<TKind> ReadAsPropertyName(ref Utf8JsonReader reader, Type type, JsonSerializerOptions options) =>
            Guid.TryParse(reader.GetString(), CultureInfo.InvariantCulture, out var value) ? new(value) : throw new JsonException("An id is a UUID.");

        public override void WriteAsPropertyName(Utf8JsonWriter writer, Id<TKind> id, JsonSerializerOptions options) =>
            writer.WritePropertyName(id.Value.ToString());
    }
}
