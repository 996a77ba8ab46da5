using System.Text.Json;

namespace Rhabdon.Core.Ledger;

/// <summary>Decides and folds the events of streams. Whatever the order of arrival, a stream ends alike: it is folded in the order in which things happened.</summary>
public static class Streams
{
    private static readonly Dictionary<StreamEventKind, StreamRule> Rules = new()
    {
        [StreamEventKind.ContainerCounted] = new ContainerCountedRule(),
        [StreamEventKind.ShardsFound] = new ShardsFoundRule(),
        [StreamEventKind.Assigned] = new AssignedRule(),
        [StreamEventKind.Delayed] = new DelayedRule(),
        [StreamEventKind.HandedOver] = new HandedOverRule(),
        [StreamEventKind.Blocked] = new BlockedRule(),
        [StreamEventKind.BlockLifted] = new BlockLiftedRule(),
        [StreamEventKind.KitSaid] = new KitSaidRule(),
        [StreamEventKind.ToolAdded] = new ToolAddedRule(),
        [StreamEventKind.ToolUsed] = new ToolUsedRule(),
        [StreamEventKind.ToolReset] = new ToolResetRule(),
        [StreamEventKind.ToolRetired] = new ToolRetiredRule(),
        [StreamEventKind.ToolCounterRead] = new ToolCounterReadRule(),
        [StreamEventKind.LotOpened] = new LotOpenedRule(),
        [StreamEventKind.LotFinished] = new LotFinishedRule(),
        [StreamEventKind.InstrumentAdded] = new InstrumentAddedRule(),
        [StreamEventKind.Calibrated] = new CalibratedRule(),
        [StreamEventKind.InstrumentRetired] = new InstrumentRetiredRule(),
        [StreamEventKind.StockCounted] = new StockCountedRule(),
        [StreamEventKind.StoreCounted] = new StoreCountedRule(),
        [StreamEventKind.PickMade] = new PickMadeRule(),
        [StreamEventKind.PickLoaded] = new PickLoadedRule(),
        [StreamEventKind.PickClosed] = new PickClosedRule(),
    };

    private static readonly JsonSerializerOptions Json = Make();

    /// <summary>True for an event that does not fit yet, and may once others have arrived.</summary>
    public static bool Waits(Refusal why) => why.Code == "stream-unknown";

    /// <exception cref="RefusedException">The event breaks a rule; nothing has changed.</exception>
    public static Judged Decide(StreamQuestion q)
    {
        if (Rules[q.Event.Kind].Stream != q.Event.Stream)
        {
            throw new RefusedException("stream-differs", "stream", $"'{Wire.Name(q.Event.Kind)}' is said of a {Wire.Name(Rules[q.Event.Kind].Stream)}.");
        }

        return Rules[q.Event.Kind].Decide(q);
    }

    /// <summary>One more event on a state that it comes after.</summary>
    public static StreamState Evolve(StreamState? state, StreamEvent e, Judged judged) => Rules[e.Kind].Evolve(state, e, judged);

    /// <summary>All of a stream's events, in whatever order.</summary>
    /// <param name="before">What was known before there were such events; null where nothing was.</param>
    /// <returns>Null where there is none.</returns>
    public static StreamState? Fold(IEnumerable<(StreamEvent Event, Judged Judged)> events, StreamState? before = null) =>
        events.OrderBy(x => x.Event, Order).Aggregate(before, (state, x) => Evolve(state, x.Event, x.Judged));

    /// <summary>True when an event comes after all that a state was folded from.</summary>
    public static bool ComesLast(StreamState? state, StreamEvent e) => state?.LastAt is not { } last || e.ToldAt > last;

    public static StreamState Read(string json) => JsonSerializer.Deserialize<StreamState>(json, Json)!;

    public static string Write(StreamState state) => JsonSerializer.Serialize(state, Json);

    /// <summary>By when it happened; what opens a stream is before all that was done with it.</summary>
    private static readonly Comparer<StreamEvent> Order = Comparer<StreamEvent>.Create((a, b) =>
        Opens(b.Kind).CompareTo(Opens(a.Kind)) is var opens and not 0 ? opens
        : a.ToldAt.CompareTo(b.ToldAt) is var at and not 0 ? at
        : a.DeviceId == b.DeviceId && a.DeviceSeq != b.DeviceSeq ? a.DeviceSeq.CompareTo(b.DeviceSeq)
        : a.Id.CompareTo(b.Id));

    private static bool Opens(StreamEventKind kind) => kind is StreamEventKind.ToolAdded or StreamEventKind.LotOpened or StreamEventKind.InstrumentAdded or StreamEventKind.PickMade;

    private static JsonSerializerOptions Make()
    {
        var options = Wire.Configure(new(JsonSerializerDefaults.Web));
        options.UnmappedMemberHandling = System.Text.Json.Serialization.JsonUnmappedMemberHandling.Skip;
        options.RespectRequiredConstructorParameters = false;
        options.AllowOutOfOrderMetadataProperties = true;
        return options;
    }
}
