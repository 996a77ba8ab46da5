using OpenCvSharp;
using Rhabdon.Core;
using Rhabdon.Core.Inspection;
using Xunit;

namespace Rhabdon.Imaging.Tests;

public class RedLightTests
{
    private static readonly LightWindow Window = new(0.4, 0.4, 0.6, 0.6);

    /// <summary>A red glow in the middle of a dim bench, as a camera writes it: the sRGB curve over the light.</summary>
    /// <remarks>Source of the curve: IEC 61966-2-1, from memory.</remarks>
    private static byte[] Photo(double light, double bench = 0.02, string kind = ".png")
    {
        byte Value(double l) => (byte)Math.Round(255 * (l <= 0.0031308 ? 12.92 * l : (1.055 * Math.Pow(Math.Min(1, l), 1 / 2.4)) - 0.055));
        using var photo = new Mat(300, 400, MatType.CV_8UC3, new Scalar(Value(bench), Value(bench), Value(bench)));
        Cv2.Rectangle(photo, new Rect(160, 120, 80, 60), new Scalar(Value(bench), Value(bench), Value(bench + light)), -1);
        return photo.ImEncode(kind);
    }

    [Theory]
    [InlineData(0.6, 0.001, LightSeen.NoneVisible)]
    [InlineData(0.6, 0.09, LightSeen.ClearlyDimmer)] // 15 % of the light, though the grey value falls only to 42 %
    [InlineData(0.6, 0.24, LightSeen.StillBright)]
    [InlineData(0.6, 0.58, LightSeen.Unchanged)]
    public void The_share_of_light_is_told_not_that_of_grey_values(double before, double after, LightSeen says)
    {
        var glow = RedLight.Compare(Photo(before), Photo(after, kind: ".jpg"), Window);
        var (ratio, said, doubt) = RedLights.Compare(glow, LightLimitSet.Ours);
        Assert.Equal(after / before, ratio!.Value, 0.03);
        Assert.Equal((says, null), (said!.Value, doubt));
    }

    /// <summary>The glow comes through a window of a connector whose body is white and brightly lit.</summary>
    [Fact]
    public void A_white_body_about_the_glow_is_no_glow()
    {
        byte[] Lit(double glow)
        {
            using var small = Cv2.ImDecode(Photo(glow, 0.05), ImreadModes.Color);
            Cv2.Rectangle(small, new Rect(120, 90, 160, 120), new Scalar(220, 220, 220), 20);
            return small.ImEncode(".png");
        }

        var glow = RedLight.Compare(Lit(0.5), Lit(0.2), Window);
        Assert.Equal(0.4, glow.AfterLevel / glow.BeforeLevel, 0.03);
        Assert.Equal(1, glow.ExposureRatio, 0.1);
    }

    [Theory]
    [InlineData(0.001, 0.02, 0.001, 0.02, LightDoubt.NoGlow)]
    [InlineData(0.5, 0.02, 0.2, 0.06, LightDoubt.ExposureChanged)]
    [InlineData(0.98, 0.02, 0.97, 0.02, LightDoubt.Burnt)]
    public void Photos_that_cannot_be_compared_say_nothing(double before, double bench, double after, double benchAfter, LightDoubt doubt)
    {
        var glow = RedLight.Compare(Photo(before, bench), Photo(after, benchAfter), Window);
        var compared = RedLights.Compare(glow, LightLimitSet.Ours);
        Assert.Equal((null, doubt), (compared.Says, compared.Doubt!.Value));
    }

    [Fact]
    public void A_photo_or_window_that_cannot_be_used_is_named()
    {
        Assert.Equal("after", Assert.Throws<RefusedException>(() => RedLight.Compare(Photo(0.5), [1, 2, 3], Window)).Refusals[0].Field);
        Assert.Equal("window", Assert.Throws<RefusedException>(() => RedLight.Compare(Photo(0.5), Photo(0.5), new(0.6, 0.4, 0.4, 0.6))).Refusals[0].Field);
        Assert.Equal("window", Assert.Throws<RefusedException>(() => RedLight.Compare(Photo(0.5), Photo(0.5), new(0, 0, double.NaN, 1))).Refusals[0].Field);
    }
}
