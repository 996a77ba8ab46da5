using Rhabdon.Store;

namespace Rhabdon.Server;

/// <summary>What is done before the first request. Each may be done again where the database was lost in the midst of it.</summary>
internal static class Preparation
{
    public static async Task Begin(IServiceProvider services)
    {
        await services.GetRequiredService<Projector>().Begin();
        await services.GetRequiredService<Methods>().FollowShipped();
    }

    /// <summary>Folds all ends again where an upgrade needs it, or it is asked for.</summary>
    public static async Task Fold(IServiceProvider services, bool asked)
    {
        var projector = services.GetRequiredService<Projector>();
        var upgraded = await projector.NeedsRebuild();
        if (!asked && !upgraded)
        {
            return;
        }

        // What an earlier version judged is taken over first: its verdicts stay.
        var unread = upgraded ? (await services.GetRequiredService<TakeOver>().Run()).SetAside : [];
        var (folded, still) = await projector.Rebuild();
        var aside = still.Select(a => unread.FirstOrDefault(u => u.EndId == a.EndId) is { Reason: not null } u ? u : a);
        if (folded > 0)
        {
            Console.WriteLine($"Folded {folded} ends again from the ledger.");
        }

        foreach (var (endId, reason) in aside)
        {
            Console.Error.WriteLine($"End {endId} was set aside, its entries cannot be read: {reason}");
        }
    }
}
