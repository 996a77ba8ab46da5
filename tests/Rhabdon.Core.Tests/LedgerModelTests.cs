using CsCheck;
using Rhabdon.Core.Fiber;
using Rhabdon.Core.Ledger;
using Rhabdon.Tests;
using Xunit;

namespace Rhabdon.Core.Tests;

/// <summary>
/// Whatever three devices do, the ledger comes to the same in any order of arrival that keeps each device's own, nothing is lost, and
/// folding what was judged gives the very same state.
/// </summary>
public class LedgerModelTests
{
    private static LedgerModel Model() => new(EndStory.End, Repo.Wedge, Repo.Rules, new(FiberClass.OM3, 300, Connectors.Polish.UPC, Repo.Wedge.Method, Repo.Tia.Id, 2, 0), default);

    [Fact]
    public void Any_order_of_arrival_ends_alike() => LedgerModel.Stories.Sample(s =>
    {
        var model = Model();
        var queues = model.Queues(s.Steps, s.SkewMinutes);
        var random = new Random(s.Order);
        var first = model.NewDesk().Send(LedgerModel.Mixed(queues, _ => 0));
        foreach (var other in new[] { model.NewDesk().Send(LedgerModel.Mixed(queues, open => open.Count - 1)), model.NewDesk().Send(LedgerModel.Mixed(queues, open => random.Next(open.Count))) })
        {
            Assert.True(LedgerModel.Json(first.State) == LedgerModel.Json(other.State), $"{first}\n{other}");
        }
    }, iter: 300 * LedgerModel.More, threads: 1);

    [Fact]
    public void Folding_what_was_judged_gives_the_state_and_nothing_that_was_sent_is_lost() => LedgerModel.Stories.Sample(s =>
    {
        var model = Model();
        var queues = model.Queues(s.Steps, s.SkewMinutes);
        var random = new Random(s.Order);
        var sent = LedgerModel.Mixed(queues, open => random.Next(open.Count));
        // Sent again and again, as a device does that got no answer.
        var desk = model.NewDesk().Send(sent.SelectMany(e => random.Next(4) == 0 ? new[] { e, e } : [e]));
        Assert.Equal(sent.Select(e => e.Id).Order(), desk.Ledger.Concat(desk.Quarantine).Select(e => e.Id).Order());
        Assert.Equal(LedgerModel.Json(desk.State), LedgerModel.Json(Telling.Fold(EndStory.End, desk.Log)));

        // Through JSON and back, as the database keeps it; then another event on top, on either.
        var kept = desk.Log.Select(x => x with { Judged = Judged.Read(x.Judged.Write()) }).ToList();
        Assert.Equal(LedgerModel.Json(desk.State), LedgerModel.Json(Telling.Fold(EndStory.End, kept)));
    }, iter: 200 * LedgerModel.More, threads: 1);

}
