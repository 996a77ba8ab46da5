using Rhabdon.Core.Diagnosis;
using Rhabdon.Core.Fiber;
using Rhabdon.Core.Inspection;
using Rhabdon.Core.Ledger;
using Rhabdon.Core.Rework;
using Xunit;

namespace Rhabdon.Core.Tests;

/// <summary>What many ends have in common is found, and chance is not. Common practice: one bad reference, one reel, one cord, one puck.</summary>
public class SharedCauseTests
{
    private static readonly Instant Morning = Instant.FromUtc(2026, 11, 2, 8, 0);

    /// <summary>An end that was read with so much loss, so many minutes after the morning.</summary>
    private static WorkedEnd Read(int no, double lossDb, int minute, int reference = 0, string cable = "K-1", string? lot = null, bool dirty = false)
    {
        var story = new EndStory(Repo.Wedge).Start().WalkTo();
        story = (dirty ? story.Look(new Finding(Zone.B, FindingKind.Particle, 30)) : story.Look()).Measure(850, lossDb);
        var run = story.State.Current!;
        var at = Morning + Duration.FromMinutes(minute);
        return new(new(new Guid(no, 0, 0, new byte[8])), $"P:{no}", CableId.New(), cable, FiberClass.OM3, run with
        {
            ToolIds = [],
            Preflight = lot is null ? [] : [new("adhesive", at, lot)],
            Looks = [.. run.Looks.Select(l => l with { At = at })],
            Losses = [.. run.Losses.Select(l => l with { At = at, Reading = l.Reading with { ReferenceAt = Morning + Duration.FromHours(reference) } })],
        });
    }

    [Fact]
    public void A_bad_reference_or_a_reel_is_one_cause_of_many()
    {
        var good = Enumerable.Range(1, 14).Select(i => Read(i, 0.4, i)).ToList();
        var bad = Enumerable.Range(20, 6).Select(i => Read(i, 2.6, i, reference: 1)).ToList();
        var found = OneCauses.Of([.. good, .. bad]);
        Assert.Equal((SharedThing.Reference, "new-reference", 6, 6, 0, 14), found.Select(f => (f.Thing, f.Act, f.Bad, f.All, f.ElsewhereBad, f.ElsewhereAll)).Single());
        Assert.Equal(bad.Select(b => b.EndId).Order(), found[0].Ends.Order());

        // Five of the six are also of one cable: the reference explains them already.
        Assert.Equal(SharedThing.Reference, OneCauses.Of([.. good, .. bad.Select((b, i) => i < 5 ? b with { CableCode = "K-9" } : b)]).Single().Thing);
        var reel = OneCauses.Of([.. good, .. Enumerable.Range(20, 4).Select(i => Read(i, 2.6, i, cable: "K-2")), .. Enumerable.Range(30, 2).Select(i => Read(i, 0.4, i, cable: "K-2"))]);
        Assert.Equal((SharedThing.Cable, "K-2", "read-class", 4, 6), reel.Select(f => (f.Thing, f.Key, f.Act, f.Bad, f.All)).Single());
        // Two bad ones among twenty, of different things, are two bad ones.
        Assert.Empty(OneCauses.Of([.. good, Read(20, 2.6, 20, lot: "A"), Read(21, 2.6, 21, lot: "B"), Read(22, 0.4, 22, lot: "A")]));
        Assert.Empty(OneCauses.Of([]));
    }

    /// <summary>The classic: port 7 was dirty, the cord carried it to 8 to 11.</summary>
    [Fact]
    public void A_cord_carries_dirt_from_the_port_that_was_dirty_to_those_read_after_it()
    {
        var ends = Enumerable.Range(1, 14).Select(i => Read(i, i is >= 8 and <= 11 ? 0.68 : 0.4, i, dirty: i == 7)).ToList();
        var trail = Assert.Single(OneCauses.Trails(ends));
        Assert.Equal("P:7", ends.Single(e => e.EndId == trail.From).Address);
        Assert.Equal(["P:8", "P:9", "P:10", "P:11"], trail.To.Select(t => ends.Single(e => e.EndId == t).Address));
        Assert.Equal(0.28, trail.MoreDb, 6);
        Assert.Empty(OneCauses.Trails([.. ends.Select((_, i) => Read(i + 1, 0.4, i, dirty: i == 6))]));
    }

    private static PicturedFace Face(int no, double cx, double cy, params (double X, double Y, double Size)[] spots) =>
        new(new(new Guid(no, 0, 0, new byte[8])), Morning, 0.5, cx, cy, [.. spots.Select(s => SeenFinding.Spot(FindingKind.Pit, s.X, s.Y, s.Size))]);

    /// <summary>Seeded faces, each put in somewhere else and some way round: a mark of the scope stays where it is in the picture, one of the puck on the face.</summary>
    [Fact]
    public void A_mark_of_the_scope_is_told_from_one_of_the_puck()
    {
        var random = new Random(20261127);
        (double X, double Y, double Size) Own() => ((random.NextDouble() * 160) - 80, (random.NextDouble() * 160) - 80, 3 + random.NextDouble());
        (double X, double Y) Centre() => (500 + (80 * random.NextDouble()), 400 + (80 * random.NextDouble()));
        var scope = Enumerable.Range(1, 8).Select(i =>
        {
            var (cx, cy) = Centre();
            return Face(i, cx, cy, Own(), Own(), ((620 - cx) * 0.5, (455 - cy) * 0.5, 6));
        }).ToList();
        var found = SharedMarks.Of(scope).Single();
        Assert.Equal((SharedMarkKind.Scope, 8), (found.Kind, found.Ends.Count));
        Assert.Equal((620.0, 455.0), (Math.Round(found.XPx!.Value), Math.Round(found.YPx!.Value)));

        var puck = Enumerable.Range(1, 8).Select(i =>
        {
            var ((cx, cy), turn) = (Centre(), random.NextDouble() * 2 * Math.PI);
            (double, double, double) Turned(double r, double a) => (r * Math.Cos(a + turn), r * Math.Sin(a + turn), 5);
            return Face(i, cx, cy, Own(), Turned(48, 0.4), Turned(31, 2.1));
        }).ToList();
        var face = SharedMarks.Of(puck).Single();
        Assert.Equal((SharedMarkKind.Faces, 8), (face.Kind, face.Ends.Count));
        Assert.Contains(Math.Round(face.RadiusUm!.Value), new[] { 48.0, 31 });

        Assert.Empty(SharedMarks.Of([.. Enumerable.Range(1, 8).Select(i => Face(i, Centre().X, Centre().Y, Own(), Own(), Own()))]));
        var twin = Face(1, 500, 400, Own(), Own(), Own(), Own());
        Assert.Equal(SharedMarkKind.SamePicture, SharedMarks.Of([twin, twin with { EndId = new(new Guid(2, 0, 0, new byte[8])) }]).Single().Kind);
    }

    [Fact]
    public void The_last_minutes_go_to_the_ends_that_are_weakest_for_their_minutes()
    {
        (EndState, double, double) Accepted(double lossDb, double slackMm = 500)
        {
            var story = new EndStory(Repo.Wedge).Start().WalkTo().Look().Measure(850, lossDb).Measure(1300, 0.3);
            story.Tell(EventKind.Accepted, new Accepted(story.RunId));
            return (story.State, slackMm, 80);
        }

        var strong = Accepted(0.4);
        var limit = strong.Item1.Current!.Losses[0].Judgement.Limit.LimitDb!;
        var near = Accepted(limit - 0.03);
        var weak = WeakEnds.Of([strong, near, Accepted(limit - 0.03, 10)], 6);
        Assert.Equal([Weakness.NoPicture], weak[^1].Why);
        Assert.Equal(Weakness.MarginUntold, weak[0].Why[0]);
        Assert.Equal(Weakness.NoSlack, weak[0].Why[^1]);
        // Five minutes for the first; one is left, and a look alone takes two.
        Assert.Equal([true, false, false], weak.Select(w => w.InTime));
        Assert.All(WeakEnds.Of([near], 40), w => Assert.True(w.InTime));
        Assert.Empty(WeakEnds.Of([(new EndStory(Repo.Wedge).Start().State, 100, 80)], 40));
    }

    /// <summary>Seeded: a face turned, wiped and struck once more is the one that was accepted; another one is not; and chance does not make them alike.</summary>
    [Fact]
    public void A_face_that_is_looked_at_again_is_told_from_another_by_its_lasting_marks()
    {
        var random = new Random(62);
        List<SeenFinding> Face(int marks) => [.. Enumerable.Range(0, marks).Select(_ => (R: 60 * Math.Sqrt(random.NextDouble()), A: 2 * Math.PI * random.NextDouble()))
            .Select(m => SeenFinding.Spot(FindingKind.Pit, m.R * Math.Cos(m.A), m.R * Math.Sin(m.A), 1.5))];
        SeenFinding Turned(SeenFinding f, double by) => SeenFinding.Spot(f.Kind, (f.XUm!.Value * Math.Cos(by)) - (f.YUm!.Value * Math.Sin(by)) + random.NextDouble() - 0.5, (f.XUm!.Value * Math.Sin(by)) + (f.YUm!.Value * Math.Cos(by)) + random.NextDouble() - 0.5, 1.6);
        FaceAgain Of(List<SeenFinding> then, List<SeenFinding> now) => FacesAgain.Compare(default, Morning, then, now);
        var (same, other) = (0, 0);
        for (var i = 0; i < 300; i++)
        {
            var (then, by) = (Face(5), 2 * Math.PI * random.NextDouble());
            var again = Of([.. then, SeenFinding.Spot(FindingKind.Particle, 3, 40, 8)], [.. then.Take(4).Select(f => Turned(f, by)), SeenFinding.Scratch(-20, 3, 31, 8, 2)]);
            same += again is { Match: FaceMatch.Same, Of: 5 } && Math.Abs(Math.IEEERemainder((again.TurnedDeg * Math.PI / 180) - by, 2 * Math.PI)) < 0.2 ? 1 : 0;
            other += Of(then, Face(5)).Match == FaceMatch.Same ? 1 : 0;
        }

        Assert.InRange(same, 290, 300);
        Assert.InRange(other, 0, 2);
        Assert.Equal(FaceMatch.Untold, Of(Face(1), Face(4)).Match);
        Assert.Equal((FaceMatch.Other, 0), (Of([.. Face(4)], []).Match, Of([.. Face(4)], []).New));
        // Sixty marks on either lie on each other somewhere, and say nothing.
        Assert.NotEqual(FaceMatch.Same, Of(Face(60), Face(60)).Match);
    }
}
