using OpenCvSharp;
using Rhabdon.Core.Connectors;
using Rhabdon.Core.Inspection;
using Rhabdon.Practice;
using Xunit;

namespace Rhabdon.Imaging.Tests;

public class CleaveTests
{
    private static CleaveReading Read(CleaveScene scene)
    {
        using var grey = Pictures.Grey(CleaveReader.Png(scene));
        return CleaveReader.Read(grey);
    }

    [Theory]
    [InlineData(0, 0, 200)]
    [InlineData(1.2, 4, 160)]
    [InlineData(-2.6, -7, 300)]
    [InlineData(8, 2, 200)]
    public void The_angle_is_read_against_the_axis_however_the_fiber_lies(double angle, double axis, double fiberPx)
    {
        var r = Read(new(angle, AxisDeg: axis, FiberPx: fiberPx));
        Assert.Equal(angle, r.View!.AngleDeg, 0.25);
        Assert.Equal(125 / fiberPx, r.UmPerPx, 0.02);
    }

    [Fact]
    public void A_bright_fiber_reads_like_a_dark_one() => Assert.Equal(1.5, Read(new(1.5, FiberLevel: 190, GroundLevel: 60)).View!.AngleDeg, 0.25);

    [Theory]
    [InlineData(0.5, 0, 0, 0, true)]
    [InlineData(2.8, 0, 0, 0, false)]
    [InlineData(0.5, 8, 0, 0, false)]
    [InlineData(0.5, 0, 12, 0, false)]
    [InlineData(0.5, 0, 0, 3, false)]
    public void A_fusion_cleave_is_judged_by_angle_lip_chip_and_hackle(double angle, double lip, double chip, double rough, bool pass)
    {
        var verdict = Cleaves.Judge(Read(new(angle, lip, chip, rough)).View!, Cleaves.RuleFor(TerminationMethod.SpliceOn, Polish.UPC));
        Assert.Equal(pass, verdict.Pass);
        if (!pass)
        {
            Assert.Contains(lip > 0 ? CleaveFault.Lip : chip > 0 ? CleaveFault.Chip : rough > 0 ? CleaveFault.Hackle : CleaveFault.Angle, verdict.Faults);
        }
    }

    /// <summary>Whichever way the camera is held, the fiber may come in from any side; a large picture keeps its scale.</summary>
    [Theory]
    [InlineData(RotateFlags.Rotate90Clockwise)]
    [InlineData(RotateFlags.Rotate180)]
    [InlineData(RotateFlags.Rotate90Counterclockwise)]
    public void The_fiber_may_come_in_from_any_side(RotateFlags turn)
    {
        using var grey = Pictures.Grey(CleaveReader.Png(new(2.4, FiberPx: 500, WidthPx: 1600, HeightPx: 1200)));
        using var turned = new Mat();
        Cv2.Rotate(grey, turned, turn);
        var r = CleaveReader.Read(turned);
        Assert.Equal(2.4, Math.Abs(r.View!.AngleDeg), 0.25);
        Assert.Equal(0.25, r.UmPerPx, 0.01);
    }

    [Fact]
    public void An_angled_cleave_is_held_to_its_nominal()
    {
        var rule = Cleaves.RuleFor(TerminationMethod.WedgeLocked, Polish.APC);
        Assert.True(Cleaves.Judge(Read(new(7.6)).View!, rule).Pass);
        Assert.False(Cleaves.Judge(Read(new(0.3)).View!, rule).Pass);
    }

    [Fact]
    public void A_face_on_picture_is_no_side_view()
    {
        using var grey = Pictures.Grey(Microscope.Png([], new(WidthPx: 640, HeightPx: 480, CladdingPx: 300)));
        Assert.Null(CleaveReader.Read(grey).View);
    }
}
