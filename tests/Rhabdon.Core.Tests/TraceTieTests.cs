using Rhabdon.Core.Trace;
using Rhabdon.Instruments;
using Rhabdon.Practice;
using Xunit;

namespace Rhabdon.Core.Tests;

/// <summary>Events of a trace and the connectors that the job plans; and one fiber seen from both its ends.</summary>
public class TraceTieTests
{
    private static readonly EndId Near = EndId.New(), Far = EndId.New(), Next = EndId.New(), Last = EndId.New();

    private static readonly TraceLeg Trunk = new(Near, "LR-P1:3", Far, "SH-P2:3", 120);

    private static TraceEvent At(double metres, double loss = 0.3, TraceEventKind kind = TraceEventKind.Connector) => new(metres, loss, -45, kind, 0.01, false);

    [Fact]
    public void A_fibers_two_connectors_are_tied_by_distance_not_by_order()
    {
        // A splice on the way, a ghost behind the end, and a cable that is 3 m longer than planned.
        TraceEvent[] events = [At(0), At(60, 0.1, TraceEventKind.Splice), At(123), At(246, 0, TraceEventKind.Ghost)];
        var ties = TraceTies.Of(events, [Trunk], 2);
        Assert.Equal([(Near, (int?)0), (Far, 2)], ties.Select(t => (t.EndId, t.Event)));
        Assert.Equal([0.0, 3.0], ties.Select(t => t.OffM!.Value));
    }

    [Fact]
    public void A_connector_that_the_trace_does_not_show_is_tied_to_nothing()
    {
        var ties = TraceTies.Of([At(0), At(60, kind: TraceEventKind.End)], [Trunk], 2); // broken half-way
        Assert.Equal((120.0, null), (ties[1].PlannedM, ties[1].Event));
    }

    [Fact]
    public void Cables_behind_the_far_panel_are_tied_in_their_order()
    {
        var second = new TraceLeg(Next, "SH-P2:9", Last, "MH-P4:9", 80, PatchM: 5);
        var ties = TraceTies.Of([At(0), At(120), At(125.2), At(206)], [Trunk, second], 1);
        Assert.Equal([0, 1, 2, 3], ties.Select(t => t.Event));
        Assert.Equal([0.0, 120, 125, 205], ties.Select(t => t.PlannedM));
    }

    [Fact]
    public void Two_connectors_nearer_than_the_pulse_are_one_event()
    {
        var second = new TraceLeg(Next, "SH-P2:9", Last, "MH-P4:9", 80, PatchM: 2);
        Assert.Equal([0, 1, 1, 2], TraceTies.Of([At(0), At(121), At(202)], [Trunk, second], 10).Select(t => t.Event));
        // With a short pulse they are two, and the one that is missing is told.
        Assert.Single(TraceTies.Of([At(0), At(120.4), At(202)], [Trunk, second], 1), t => t.Event is null);
    }

    /// <summary>Glass that scatters more makes a joint look like a gain one way and like a loss the other; the mean is true.</summary>
    /// <remarks>Source: common practice; the mean of both directions takes out the step of backscatter.</remarks>
    [Fact]
    public void From_both_sides_a_gainer_is_what_it_is()
    {
        SimulatedLink Link(bool back) => new(1000, 0.35, [new(back ? 600 : 400, 0.15, BackscatterStepDb: back ? -0.4 : 0.4)], DynamicDb: 20);
        TraceReading Read(SimulatedLink link) => TraceAnalysis.Read(TraceCurve.Of(OtdrReader.Read(OtdrWriter.Write(SimulatedTraces.Make(link)))));
        var (forward, backward) = (Read(Link(false)), Read(Link(true)));
        Assert.Equal(TraceEventKind.Gainer, forward.Events[0].Kind);
        var joint = TraceAnalysis.Paired(forward.Events, backward.Events, 1000, 20)[0];
        Assert.Equal(-0.25, joint.ForwardDb!.Value, 0.03);
        Assert.Equal(0.55, joint.BackwardDb!.Value, 0.03);
        Assert.Equal(0.15, joint.Mean.LossDb, 0.03);
        Assert.Equal(TraceEventKind.Splice, joint.Mean.Kind);
    }

    [Fact]
    public void What_one_side_alone_saw_is_kept_with_half_its_loss()
    {
        var pair = TraceAnalysis.Paired([At(100, 0.4)], [At(700, 0.2)], 1000, 10);
        Assert.Equal([(100.0, 0.2, 0.4, null), (300, 0.1, null, (double?)0.2)], pair.Select(p => (p.Mean.DistanceM, p.Mean.LossDb, p.ForwardDb, p.BackwardDb)));
    }
}
