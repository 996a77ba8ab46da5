using System.Text.Json;
using Rhabdon.Core;
using Rhabdon.Core.Ledger;

namespace Rhabdon.Store;

/// <summary>How a folded state is kept as JSON. What it computes from itself is written too, for readers, and passed over when read back.</summary>
public static class EndStates
{
    public static readonly JsonSerializerOptions Json = Make();

    public static EndState Read(string json) => JsonSerializer.Deserialize<EndState>(json, Json)!;

    public static string Write(EndState state) => JsonSerializer.Serialize(state, Json);

    private static JsonSerializerOptions Make()
    {
        var options = Wire.Configure(new JsonSerializerOptions(JsonSerializerDefaults.Web));
        options.UnmappedMemberHandling = System.Text.Json.Serialization.JsonUnmappedMemberHandling.Skip;
        options.RespectRequiredConstructorParameters = false;
        return options;
    }
}
