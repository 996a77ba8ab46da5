using MathNet.Numerics;
using Xunit;

namespace Rhabdon.Imaging.Tests;

/// <summary>The cladding's edge under blur, against the blur of a general-purpose library.</summary>
/// <remarks>Source: MathNet.Numerics, the error function: a step under a Gaussian blur is its integral.</remarks>
public class EdgeFitTests
{
    private const double Stride = 0.25;

    /// <summary>A profile of three levels with two blurred borders; noise as the middle of many rays leaves it.</summary>
    private static double[] Profile(double inside, double ring, double outside, double inner, double outer, double sigma, double noise = 0.4, int seed = 1, double length = 30)
    {
        var random = new Random(seed);
        double Behind(double x, double at) => 0.5 * (1 + SpecialFunctions.Erf((x - at) / (sigma * Math.Sqrt(2))));
        return [.. Enumerable.Range(0, (int)(length / Stride)).Select(i => i * Stride)
            .Select(x => inside + ((ring - inside) * Behind(x, inner)) + ((outside - ring) * Behind(x, outer)) + (noise * ((random.NextDouble() * 2) - 1)))];
    }

    [Theory]
    [InlineData(120, 165, 1.0)]
    [InlineData(150, 60, 1.6)]
    [InlineData(90, 100, 2.2)]
    public void A_step_lies_at_its_middle_with_its_blur(double inside, double outside, double sigma)
    {
        var fit = EdgeFit.To(Profile(inside, outside, outside, 14.3, 14.3, sigma), Stride);
        Assert.Equal(14.3, fit.Inner, 0.15);
        Assert.Equal(fit.Inner, fit.Outer);
        Assert.Equal(sigma, fit.Sigma, 0.2 * sigma);
    }

    [Theory]
    [InlineData(120, 30, 165, 5.0, 1.2)] // dark, between a bright ferrule and darker glass
    [InlineData(150, 40, 70, 4.0, 1.5)]
    [InlineData(110, 220, 60, 6.0, 1.8)] // a ring that shines
    [InlineData(100, 20, 200, 14.0, 1.0)] // as wide as half of what is looked at
    public void A_ring_is_told_from_the_edge_it_stands_on(double inside, double ring, double outside, double width, double sigma)
    {
        var fit = EdgeFit.To(Profile(inside, ring, outside, 10, 10 + width, sigma), Stride);
        Assert.Equal(10, fit.Inner, 0.35);
        Assert.Equal(10 + width, fit.Outer, 0.6);
        Assert.Equal(sigma, fit.Sigma, 0.4);
    }

    /// <summary>A ring thinner than its blur shows as a dent; the edge is the inner border all the same, not the dent's middle.</summary>
    [Fact]
    public void A_ring_thinner_than_its_blur_moves_the_edge_by_less_than_a_pixel()
    {
        for (var seed = 1; seed <= 8; seed++)
        {
            Assert.Equal(12, EdgeFit.To(Profile(110, 30, 180, 12, 14, 1.7, seed: seed), Stride).Inner, 1.0);
        }
    }

    [Fact]
    public void Noise_alone_makes_no_ring_of_a_step()
    {
        for (var seed = 1; seed <= 20; seed++)
        {
            var fit = EdgeFit.To(Profile(140, 160, 160, 15, 15, 1.2, noise: 1.5, seed: seed), Stride);
            Assert.Equal(0, fit.Outer - fit.Inner);
            Assert.Equal(15, fit.Inner, 0.4);
        }
    }
}
