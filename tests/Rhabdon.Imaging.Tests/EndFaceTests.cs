using OpenCvSharp;
using Rhabdon.Core;
using Rhabdon.Core.Inspection;
using Rhabdon.Practice;
using Xunit;

namespace Rhabdon.Imaging.Tests;

public class EndFaceTests
{
    private static readonly EndFaceLimitSet Limits = YamlText.Read<EndFaceLimitSet>(File.ReadAllText(Path.Combine(AppContext.BaseDirectory, "limits", "end-face-iec-61300-3-35.yaml")));

    private static EndFaceReading Read(IReadOnlyList<FaceMark> marks, Optics optics, EndFaceClass of = EndFaceClass.SmUpc, double? umPerPx = null)
    {
        using var grey = Pictures.Grey(Microscope.Png(marks, optics));
        return EndFaceReader.Read(grey, of, umPerPx);
    }

    private static FaceMark Spot(double x, double y, double d, double contrast = 0.6) => new(SeenFinding.Spot(FindingKind.Particle, x, y, d), contrast);

    /// <summary>A smaller run of what ./rhabdon bench measures on 400 faces, with room for chance.</summary>
    [Fact]
    public void Faces_of_every_class_are_placed_found_and_graded() => Hold(48, 0.08, n =>
    {
        var s = FaceSamples.Draw((EndFaceClass)(n % 4), 1000 + n);
        return (s.Class, Microscope.Png(s.Marks, s.Optics), s.Optics.CentreXPx!.Value, s.Optics.CentreYPx!.Value, s.Optics.CladdingPx, s.Truth);
    });

    /// <summary>The reader is not tuned to its own simulator.</summary>
    /// <remarks>Source: SkiaSharp draws; see <see cref="DrawnFaces"/>. A third of these was dragged over grit: between wide scratches that cross, bits are seen that are none.</remarks>
    [Fact]
    public void Faces_that_a_graphics_library_drew_are_placed_found_and_graded() => Hold(40, 0.15, n =>
    {
        var d = DrawnFaces.Draw((EndFaceClass)(n % 4), 5000 + n);
        return (d.Class, d.File, d.XPx, d.YPx, d.CladdingPx, d.Truth);
    });

    private static void Hold(int count, double extraShare, Func<int, (EndFaceClass Class, byte[] File, double X, double Y, double CladdingPx, IReadOnlyList<SeenFinding> Truth)> draw)
    {
        int placed = 0, truths = 0, missed = 0, found = 0, extra = 0, same = 0, falseAccepts = 0;
        for (var n = 0; n < count; n++)
        {
            var (of, file, x, y, cladding, truth) = draw(n);
            using var grey = Pictures.Grey(file);
            var reading = EndFaceReader.Read(grey, of);
            Assert.True(reading.Gradable, $"{n}: {reading.Reason}");
            placed += double.Hypot(reading.CentreXPx - x, reading.CentreYPx - y) < 0.005 * cladding && Math.Abs((reading.CladdingDiameterPx / cladding) - 1) < 0.01 ? 1 : 0;
            var match = FindingMatch.Of(truth, reading.Findings);
            if (125 / cladding <= 0.35)
            {
                truths += truth.Count(f => f.SizeUm >= 2);
                missed += match.Missed.Count(i => truth[i].SizeUm >= 2);
                found += reading.Findings.Count(f => f.SizeUm >= 2);
                extra += match.Extra.Count(i => reading.Findings[i].SizeUm >= 2);
            }

            var (due, seen) = (SeenEndFaces.Grade(truth, of, Limits).Pass, SeenEndFaces.Grade(reading.Findings, of, Limits).Pass);
            same += due == seen ? 1 : 0;
            falseAccepts += seen && !due ? 1 : 0;
        }

        Assert.True(placed >= count - 1 && missed <= 0.05 * truths && extra <= extraShare * found && same >= count - 3 && falseAccepts <= 1,
            $"placed {placed}, missed {missed} of {truths}, extra {extra} of {found}, same {same} of {count}, false accepts {falseAccepts}");
    }

    [Fact]
    public void The_finding_that_decides_is_named_with_its_zone()
    {
        var reading = Read([Spot(3, -4, 6), Spot(40, 20, 3), Spot(-90, 30, 6)], new());
        var verdict = SeenEndFaces.Grade(reading.Findings, EndFaceClass.SmUpc, Limits);
        var breach = Assert.Single(verdict.DecidedBy);
        var decisive = reading.Findings[Assert.Single(breach.Findings)];
        Assert.Equal(Zone.A, breach.Zone);
        Assert.Equal((3.0, -4.0, 6.0), (decisive.XUm!.Value, decisive.YUm!.Value, decisive.DiameterUm!.Value), new Near(0.5));
    }

    [Fact]
    public void A_scratch_is_measured_end_to_end_and_across()
    {
        var found = Assert.Single(Read([new(SeenFinding.Scratch(-30, -20, 25, 30, 4), 0.5)], new()).Findings);
        Assert.Equal(FindingKind.Scratch, found.Kind);
        Assert.InRange(found.WidthUm!.Value, 3.5, 4.5);
        Assert.InRange(double.Hypot(found.X1Um!.Value - found.X0Um!.Value, found.Y1Um!.Value - found.Y0Um!.Value), 71, 80); // 74.3 long, with round ends of half its width
    }

    [Theory]
    [InlineData(NotGradable.Focus, 6.0, 1.0, 400.0)]
    [InlineData(NotGradable.Exposure, 0.8, 0.02, 400.0)]
    [InlineData(NotGradable.Exposure, 0.8, 4.0, 400.0)]
    [InlineData(NotGradable.OutsideFrame, 0.8, 1.0, 880.0)]
    public void A_poor_picture_is_never_guessed_at(NotGradable reason, double blurPx, double gain, double claddingPx)
    {
        var reading = Read([], new(BlurPx: blurPx, Gain: gain, CladdingPx: claddingPx, CentreXPx: claddingPx > 800 ? 330 : null));
        Assert.Equal((reason, 0), (reading.Reason!.Value, reading.Findings.Count));
    }

    [Fact]
    public void A_picture_without_a_fiber_is_none()
    {
        using var flat = new Mat(480, 640, MatType.CV_8UC1, Scalar.All(120));
        Cv2.Randn(flat, Scalar.All(120), Scalar.All(6));
        using var grey = Pictures.Grey(flat.ImEncode(".png"));
        Assert.Equal(NotGradable.NoFiber, EndFaceReader.Read(grey, EndFaceClass.SmUpc).Reason);
    }

    /// <summary>What turned sound faces away: a core beside the middle, a bright scratch across a dark core, wide ones that cross, noise at a core's edge.</summary>
    [Theory]
    [InlineData(EndFaceClass.SmApc, 0.4, 0.0)]
    [InlineData(EndFaceClass.SmUpc, 0.3, 0.0)]
    [InlineData(EndFaceClass.SmApc, 0.0, 2.5)]
    [InlineData(EndFaceClass.SmApc, 0.3, 4.2)]
    [InlineData(EndFaceClass.MmPc, 0.4, 6.6)]
    public void Nothing_is_made_up_about_a_core(EndFaceClass of, double coreOffUm, double scratchUm)
    {
        var file = DrawnFaces.Plain(of, coreOffUm, scratchUm, out var truth);
        using var grey = Pictures.Grey(file);
        var reading = EndFaceReader.Read(grey, of);
        Assert.Equal(truth.Count, reading.Findings.Count);
        Assert.All(reading.Findings, f => Assert.Equal(FindingKind.Scratch, f.Kind));
        // Two as wide as a single-mode core hide it all.
        Assert.Equal(of == EndFaceClass.MmPc ? 50 : 9, of != EndFaceClass.MmPc && scratchUm > 4 ? 9 : reading.CoreUm!.Value, 1.2);
    }

    [Fact]
    public void What_lies_outside_the_frame_is_said() => Assert.True(Read([], new(CladdingPx: 700)).ContactCut);

    [Theory]
    [InlineData(".png", 8, 1)]
    [InlineData(".png", 16, 1)]
    [InlineData(".png", 8, 3)]
    [InlineData(".bmp", 8, 1)]
    [InlineData(".jpg", 8, 1)]
    [InlineData(".tiff", 16, 1)]
    [InlineData(".tiff", 8, 3)]
    public void Every_kind_of_picture_reads_alike(string kind, int bits, int channels)
    {
        using var picture = Microscope.Picture([Spot(20, 10, 8)], new(WidthPx: 640, HeightPx: 480, CladdingPx: 300));
        using var converted = new Mat();
        picture.ConvertTo(converted, bits == 16 ? MatType.CV_16U : MatType.CV_8U, bits == 16 ? 257 : 1);
        if (channels == 3)
        {
            Cv2.CvtColor(converted, converted, ColorConversionCodes.GRAY2BGR);
        }

        var file = converted.ImEncode(kind);
        using var grey = Pictures.Grey(file);
        var found = Assert.Single(EndFaceReader.Read(grey, EndFaceClass.SmUpc).Findings, f => f.SizeUm > 3);
        Assert.Equal((20.0, 10.0, 8.0), (found.XUm!.Value, found.YUm!.Value, found.DiameterUm!.Value), new Near(0.6));
        var cut = Assert.Throws<RefusedException>(() => Pictures.Grey(file[..(file.Length / 2)]));
        Assert.Equal("image", cut.Refusals[0].Field);
    }

    [Fact]
    public void A_pixel_bomb_and_things_that_are_no_picture_are_refused_before_they_are_unpacked()
    {
        var png = Microscope.Png([], new(WidthPx: 64, HeightPx: 64, CladdingPx: 60));
        System.Buffers.Binary.BinaryPrimitives.WriteInt32BigEndian(png.AsSpan(16), 60_000);
        System.Buffers.Binary.BinaryPrimitives.WriteInt32BigEndian(png.AsSpan(20), 60_000);
        Assert.Equal("picture-too-large", Assert.Throws<RefusedException>(() => Pictures.Grey(png)).Refusals[0].Code);
        Assert.Equal("picture-kind", Assert.Throws<RefusedException>(() => Pictures.Grey("not a picture"u8.ToArray())).Refusals[0].Code);
        Assert.Equal("picture-kind", Assert.Throws<RefusedException>(() => Pictures.Grey([])).Refusals[0].Code);
        Assert.Equal("image", Assert.Throws<RefusedException>(() => Pictures.Grey([0xFF, 0xD8, 0xFF, 0xFF])).Refusals[0].Field); // a head that ends in its middle
    }

    /// <summary>The Hough search of a general-purpose library finds the same circle.</summary>
    /// <remarks>Source: OpenCV's HoughCircles.</remarks>
    [Fact]
    public void The_cladding_lies_where_a_Hough_search_finds_it()
    {
        var optics = new Optics(CladdingPx: 420, CentreXPx: 610, CentreYPx: 505);
        using var picture = Microscope.Picture([], optics);
        Cv2.GaussianBlur(picture, picture, new Size(0, 0), 1.5);
        var hough = Cv2.HoughCircles(picture, HoughModes.GradientAlt, 1.5, 400, 300, 0.8, 150, 300)[0];
        var ours = Read([], optics);
        Assert.Equal((hough.Center.X, (double)hough.Center.Y, hough.Radius * 2.0), (ours.CentreXPx, ours.CentreYPx, ours.CladdingDiameterPx), new Near(6));
    }

    [Fact]
    public void A_connector_that_was_turned_between_two_pictures_is_laid_on_itself_again()
    {
        // What cleaning leaves: two scratches and a chip, turned by 40° clockwise (x right, y down), under another light, with the dirt gone.
        FaceMark[] stays = [new(SeenFinding.Scratch(-45, 10, 30, 25, 2)), new(SeenFinding.Scratch(-20, -50, -10, 40, 1.5)), new(SeenFinding.Spot(FindingKind.Chip, 61, 8, 12)), Spot(80, 50, 7)];
        var turned = stays.Select(m => m with { Finding = Turned(m.Finding, 40) }).ToArray();
        using var before = Pictures.Grey(Microscope.Png([.. stays, Spot(10, -20, 9), Spot(-30, 30, 6)], new(NoiseLevels: 4)));
        using var now = Pictures.Grey(Microscope.Png(turned, new(NoiseLevels: 4, UnevenShare: 0.2, CentreXPx: 600, Seed: 2)));
        Assert.InRange(FaceTurn.Between(before, now, EndFaceClass.SmUpc)!.Value, 39, 41);

        using var clean = Pictures.Grey(Microscope.Png([], new(NoiseLevels: 4, Seed: 3)));
        Assert.Null(FaceTurn.Between(before, clean, EndFaceClass.SmUpc)); // nothing on it that tells
    }

    private static SeenFinding Turned(SeenFinding f, double degrees)
    {
        var (cos, sin) = (Math.Cos(degrees * Math.PI / 180), Math.Sin(degrees * Math.PI / 180));
        (double X, double Y) At(double? x, double? y) => ((x!.Value * cos) - (y!.Value * sin), (x.Value * sin) + (y.Value * cos));
        if (f.Kind != FindingKind.Scratch)
        {
            var (x, y) = At(f.XUm, f.YUm);
            return SeenFinding.Spot(f.Kind, x, y, f.SizeUm);
        }

        var (a, b) = (At(f.X0Um, f.Y0Um), At(f.X1Um, f.Y1Um));
        return SeenFinding.Scratch(a.X, a.Y, b.X, b.Y, f.SizeUm);
    }

    /// <summary>Three numbers that are each within a distance of the other three.</summary>
    private sealed class Near(double by) : IEqualityComparer<(double, double, double)>
    {
        public bool Equals((double, double, double) a, (double, double, double) b) => Math.Abs(a.Item1 - b.Item1) <= by && Math.Abs(a.Item2 - b.Item2) <= by && Math.Abs(a.Item3 - b.Item3) <= by;

        public int GetHashCode((double, double, double) value) => 0;
    }
}
