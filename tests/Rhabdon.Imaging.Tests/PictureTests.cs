using OpenCvSharp;
using Rhabdon.Core;
using Rhabdon.Core.Inspection;
using Rhabdon.Practice;
using Xunit;

namespace Rhabdon.Imaging.Tests;

/// <summary>Files as cameras and scripts send them, whole and not.</summary>
public class PictureTests
{
    private static readonly FaceMark[] Dirt = [new(SeenFinding.Spot(FindingKind.Particle, 14, -9, 7), 0.6)];

    private static byte[] File(string kind)
    {
        using var picture = Microscope.Picture(Dirt, new(WidthPx: 200, HeightPx: 160, CladdingPx: 120));
        return picture.ImEncode(kind);
    }

    /// <summary>Wherever a file is cut it is refused with its field, or what is missing was none of the picture.</summary>
    [Theory]
    [InlineData(".png")]
    [InlineData(".jpg")]
    [InlineData(".bmp")]
    [InlineData(".tiff")]
    public void A_file_cut_anywhere_is_refused_and_never_half_read(string kind)
    {
        var whole = File(kind);
        using var full = Pictures.Grey(whole);
        for (var cut = 0; cut < whole.Length; cut += Math.Max(1, whole.Length / 97))
        {
            try
            {
                using var read = Pictures.Grey(whole[..cut]);
                using var apart = new Mat();
                Cv2.Absdiff(full, read, apart);
                Assert.Equal(0, apart.Sum().Val0);
            }
            catch (RefusedException e)
            {
                Assert.Equal("image", e.Refusals[0].Field);
            }
        }
    }

    [Theory]
    [InlineData(1023)]
    [InlineData(4095)]
    [InlineData(16383)]
    [InlineData(65535)]
    public void Ten_twelve_and_fourteen_bits_in_sixteen_look_alike(int white)
    {
        using var eight = Microscope.Picture([], new(WidthPx: 200, HeightPx: 160, CladdingPx: 120));
        eight.Set(0, 0, (byte)255); // a burnt-out pixel, as any lit picture has
        using var deep = new Mat();
        eight.ConvertTo(deep, MatType.CV_16UC1, white / 255.0);
        using var grey = Pictures.Grey(deep.ImEncode(".png"));
        using var same = Pictures.Grey(eight.ImEncode(".png"));
        using var apart = new Mat();
        Cv2.Absdiff(grey, same, apart);
        Cv2.MinMaxLoc(apart, out _, out double most);
        Assert.InRange(most, 0, 0.6);
    }

    [Theory]
    [InlineData(1200, 40)]
    [InlineData(40, 1200)]
    public void A_strip_is_no_picture_of_a_face(int width, int height)
    {
        using var strip = new Mat(height, width, MatType.CV_8UC1, Scalar.All(90));
        Assert.Equal("picture-too-small", Assert.Throws<RefusedException>(() => Pictures.Grey(strip.ImEncode(".png"))).Refusals[0].Code);
    }

    [Theory]
    [InlineData(4000, 64)]
    [InlineData(64, 4000)]
    [InlineData(64, 64)]
    public void The_narrowest_pictures_are_looked_at_by_every_reader(int width, int height)
    {
        using var picture = new Mat(height, width, MatType.CV_8UC1);
        Cv2.Randu(picture, Scalar.All(0), Scalar.All(255));
        using var grey = Pictures.Grey(picture.ImEncode(".png"));
        Assert.NotNull(EndFaceReader.Read(grey, EndFaceClass.SmUpc).Reason);
        Assert.Null(CleaveReader.Read(grey).View);
        Assert.Null(FaceTurn.Between(grey, grey, EndFaceClass.SmUpc));
    }

    /// <summary>A marker that has no length: whoever takes what follows for one reads on elsewhere, and may find another frame than the decoder.</summary>
    [Fact]
    public void A_head_that_reader_and_decoder_would_read_differently_is_refused()
    {
        using var grey = new Mat(100, 200, MatType.CV_8UC1, Scalar.All(90));
        var jpeg = grey.ImEncode(".jpg");
        using (Pictures.Grey(jpeg)) { }

        Assert.Equal("picture-damaged", Assert.Throws<RefusedException>(() => Pictures.Grey([.. jpeg[..2], 0xFF, 0x01, .. jpeg[2..]])).Refusals[0].Code);
    }

    [Fact]
    public void A_colour_picture_keeps_its_channels_and_says_which_file_was_bad()
    {
        using var red = new Mat(80, 80, MatType.CV_8UC3, new Scalar(10, 20, 200));
        using var read = Pictures.Colour(red.ImEncode(".png"));
        Assert.Equal(new Vec3f(10, 20, 200), read.At<Vec3f>(40, 40));
        using var grey = Pictures.Colour(File(".png"));
        Assert.Equal(3, grey.Channels());
        Assert.Equal("before", Assert.Throws<RefusedException>(() => Pictures.Colour(File(".png")[..300], "before")).Refusals[0].Field);
    }

    /// <summary>A face that is scratched all over fails and is told so; that it has more strokes than are taken apart changes nothing of it.</summary>
    [Fact]
    public void A_worn_face_is_found_worn()
    {
        var random = new Random(5);
        double At() => (random.NextDouble() - 0.5) * 110;
        FaceMark[] worn = [.. Enumerable.Range(0, 40).Select(_ => new FaceMark(SeenFinding.Scratch(At(), At(), At(), At(), 1.5), 0.5))];
        using var grey = Pictures.Grey(Microscope.Png(worn, new(CladdingPx: 500)));
        var reading = EndFaceReader.Read(grey, EndFaceClass.SmUpc);
        Assert.True(reading.Findings.Count(f => f.Kind == FindingKind.Scratch) >= 12);
        var limits = YamlText.Read<EndFaceLimitSet>(System.IO.File.ReadAllText(Path.Combine(AppContext.BaseDirectory, "limits", "end-face-iec-61300-3-35.yaml")));
        Assert.False(SeenEndFaces.Grade(reading.Findings, EndFaceClass.SmUpc, limits).Pass);
    }

    /// <summary>A wide scratch hides most of a single-mode core: it is one finding, whatever of the core shows beside it.</summary>
    [Theory]
    [InlineData(200)]
    [InlineData(80)]
    public void What_shows_of_a_covered_core_is_no_finding_of_its_own(double coreLevel)
    {
        using var grey = Pictures.Grey(Microscope.Png([new(SeenFinding.Scratch(-40, -12, 38, 14, 5.6), 0.55)], new(CladdingPx: 560, CoreLevel: coreLevel, NoiseLevels: 4)));
        var found = Assert.Single(EndFaceReader.Read(grey, EndFaceClass.SmUpc).Findings);
        Assert.Equal(5.6, found.WidthUm!.Value, 0.7);
    }

    [Fact]
    public void A_disc_wider_than_any_core_that_lies_on_it_is_a_finding()
    {
        using var grey = Pictures.Grey(Microscope.Png([new(SeenFinding.Spot(FindingKind.Residue, 0, 0, 15), 0.45)], new(CladdingPx: 360, CoreLevel: 130)));
        Assert.Equal(15, Assert.Single(EndFaceReader.Read(grey, EndFaceClass.SmUpc).Findings).SizeUm, 1.5);
    }

    [Theory]
    [InlineData(1.0)]
    [InlineData(2.6)]
    public void A_crack_that_zigzags_is_one_crack_and_no_scratch(double blurPx)
    {
        for (var seed = 1; seed <= 6; seed++)
        {
            using var grey = Pictures.Grey(Microscope.Png([new(SeenFinding.Spot(FindingKind.Crack, 28, -16, 26), 0.7)], new(CladdingPx: 600, BlurPx: blurPx, NoiseLevels: 2, Seed: seed)));
            var found = Assert.Single(EndFaceReader.Read(grey, EndFaceClass.SmUpc).Findings, f => f.SizeUm > 3);
            Assert.Equal(FindingKind.Crack, found.Kind);
            Assert.Equal(26, found.SizeUm, 4.0);
        }
    }
}
