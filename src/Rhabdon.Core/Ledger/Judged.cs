using System.Text.Json;
using System.Text.Json.Serialization;

namespace Rhabdon.Core.Ledger;

/// <summary>What the rules made of an event when they were asked. It is kept beside the event and folded without asking them again.</summary>
[JsonPolymorphic(TypeDiscriminatorPropertyName = "is")]
[JsonDerivedType(typeof(Kept), "kept")]
[JsonDerivedType(typeof(Voided), "voided")]
[JsonDerivedType(typeof(TakenOver), "taken-over")]
[JsonDerivedType(typeof(Begun), "begun")]
[JsonDerivedType(typeof(Moved), "moved")]
[JsonDerivedType(typeof(Strayed), "strayed")]
[JsonDerivedType(typeof(Timed), "timed")]
[JsonDerivedType(typeof(Counted), "counted")]
[JsonDerivedType(typeof(FaceGraded), "face")]
[JsonDerivedType(typeof(TraceJudged), "trace")]
[JsonDerivedType(typeof(CleaveJudged), "cleave")]
[JsonDerivedType(typeof(GlowJudged), "light")]
[JsonDerivedType(typeof(LossJudged), "loss")]
[JsonDerivedType(typeof(FarJudged), "far-end")]
[JsonDerivedType(typeof(WentBack), "went-back")]
[JsonDerivedType(typeof(GivenUp), "given-up")]
[JsonDerivedType(typeof(ContainerJudged), "container")]
public abstract record Judged
{
    private static readonly JsonSerializerOptions Json = Make();

    /// <returns>What was written; <see cref="Unreadable"/> for what this version does not know.</returns>
    public static Judged Read(string json)
    {
        try
        {
            return JsonSerializer.Deserialize<Judged>(json, Json)!;
        }
        catch (Exception x) when (x is JsonException or NotSupportedException)
        {
            return new Unreadable(x.Message);
        }
    }

    public string Write() => JsonSerializer.Serialize(this, Json);

    /// <summary>True when both say the same, in whatever order a database keeps the names.</summary>
    public bool Says(Judged other) => JsonElement.DeepEquals(JsonSerializer.SerializeToElement(this, Json), JsonSerializer.SerializeToElement(other, Json));

    private static JsonSerializerOptions Make()
    {
        var options = Wire.Configure(new(JsonSerializerDefaults.Web));
        // What an earlier version wrote is read by every later one.
        options.UnmappedMemberHandling = JsonUnmappedMemberHandling.Skip;
        options.RespectRequiredConstructorParameters = false;
        options.AllowOutOfOrderMetadataProperties = true;
        options.DefaultIgnoreCondition = JsonIgnoreCondition.WhenWritingDefault;
        return options;
    }
}

/// <summary>It holds as it was said; there was nothing to work out.</summary>
public sealed record Kept : Judged;

/// <summary>It no longer fits, because something was heard later that came before it. It stays in the ledger and does not count.</summary>
public sealed record Voided(string Code, string Field, string Message, IReadOnlyDictionary<string, object>? Args = null) : Judged
{
    public static Voided For(Refusal why) => new(why.Code, why.Field, why.Message, why.Args);

    public Refusal Why => new(Code, Field, Message, Args);
}

/// <summary>A later version wrote it: an end with such a line is not folded.</summary>
public sealed record Unreadable(string Why) : Judged;

/// <summary>What the state of an end said when judgements were first kept: everything up to this event, as it stood.</summary>
public sealed record TakenOver(EndState State) : Judged;

/// <summary>The device said other than the plan or the rulebook has it; these were used, and the difference is kept.</summary>
/// <param name="Field">Of the event's body.</param>
public sealed record Difference(string Field, string Said, string Planned);
