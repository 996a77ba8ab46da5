namespace Rhabdon.Imaging;

/// <summary>The edge of the cladding in the middle light along all rays: one blurred step, or a ring of adhesive, dark or bright, between two of them.</summary>
/// <param name="Inner">Where the cladding ends, in pixels from the profile's start.</param>
/// <param name="Outer">Where the ring ends; the same where there is none.</param>
/// <param name="Sigma">Blur that lies on the edges, in pixels.</param>
internal readonly record struct EdgeFit(double Inner, double Outer, double Sigma)
{
    private static readonly double[] Sigmas = [0.8, 1.05, 1.35, 1.75, 2.3, 3, 4, 5.3, 7, 9.5];
    private const int Centres = 24;
    private static readonly double[] Widths = [0.06, 0.12, 0.2, 0.3, 0.42, 0.56, 0.72, 0.9];

    private readonly record struct Trial(double Cost, double Centre, double Width, double Sigma);

    public static EdgeFit To(double[] profile, double stride)
    {
        var span = profile.Length * stride;
        var step = Least(profile, stride, span, [0]);
        var ring = Least(profile, stride, span, [.. Widths.Select(w => w * span / 2)]);
        // A ring has three more numbers to fit with: it must explain clearly more, and be darker or brighter than both its sides.
        var (_, inside, level, outside) = Levels(profile, stride, ring.Centre, ring.Width, ring.Sigma, 1);
        var apart = Math.Max(2, 0.12 * Math.Abs(inside - outside));
        return ring.Cost < (0.6 * step.Cost) - 1e-9 && (level < Math.Min(inside, outside) - apart || level > Math.Max(inside, outside) + apart)
            ? new(ring.Centre - (ring.Width / 2), ring.Centre + (ring.Width / 2), ring.Sigma)
            : new(step.Centre, step.Centre, step.Sigma);
    }

    private static Trial Least(double[] profile, double stride, double span, double[] widths)
    {
        var none = new Trial(double.MaxValue, span / 2, 0, 1);
        var every = Math.Max(2, profile.Length / 48);
        Trial Better(Trial best, double centre, double width, double sigma) =>
            sigma > 0.5 && width <= 0.9 * span && (widths[0] == 0) == (width == 0) && width >= 0 && (Levels(profile, stride, centre, width, sigma, every).Cost * Wide(width, sigma)) is var cost && cost < best.Cost
                ? new(cost, centre, width, sigma) : best;

        // A sharp edge is found by the coarse steps only when one of them falls near it: sharp and soft ones are followed apart.
        var found = new List<Trial>();
        foreach (var soft in Sigmas.Chunk(4))
        {
            var best = none;
            foreach (var sigma in soft)
            {
                var centres = sigma < 1.5 ? 2 * Centres : Centres;
                foreach (var width in widths)
                {
                    for (var i = centres / 12; i <= centres - (centres / 12); i++)
                    {
                        best = Better(best, i * span / centres, width, sigma);
                    }
                }
            }

            found.Add(best);
        }

        every = Math.Max(2, profile.Length / 90);
        return found.Select(Refined).MinBy(t => t.Cost * Wide(t.Width, t.Sigma));

        Trial Refined(Trial coarse)
        {
            var best = coarse with { Cost = Levels(profile, stride, coarse.Centre, coarse.Width, coarse.Sigma, every).Cost * Wide(coarse.Width, coarse.Sigma) };
            for (var by = span / Centres / 2; by > 0.03; by /= 2)
            {
                for (var again = 0; again < 3; again++)
                {
                    var (_, centre, width, sigma) = best;
                    foreach (var (dc, dw, ds) in new (double, double, double)[] { (by, 0, 0), (-by, 0, 0), (0, by, 0), (0, -by, 0), (0, 0, by), (0, 0, -by), (0, -by, by), (0, by, -by), (by / 2, by, 0), (-by / 2, by, 0), (by / 2, -by, 0), (-by / 2, -by, 0) })
                    {
                        best = Better(best, centre + dc, widths[0] == 0 ? 0 : Math.Max(0.3, width + dw), sigma + (ds * 0.6));
                    }
                }
            }

            return best with { Cost = Levels(profile, stride, best.Centre, best.Width, best.Sigma, 1).Cost };
        }
    }

    /// <summary>Under a blur a narrow dark ring looks much like a wider, lighter one; adhesive is narrow and dark.</summary>
    private static double Wide(double width, double sigma) => 1 + (0.1 * Math.Min(width / sigma, 3));

    /// <summary>What remains when the three levels are chosen best: inside, ring, outside.</summary>
    private static (double Cost, double Inside, double Ring, double Outside) Levels(double[] profile, double stride, double centre, double width, double sigma, int every)
    {
        var (a, b) = ((centre - (width / 2)) / sigma, (centre + (width / 2)) / sigma);
        double ii = 0, ir = 0, io = 0, rr = 0, ro = 0, oo = 0, iy = 0, ry = 0, oy = 0, yy = 0;
        for (var k = 0; k < profile.Length; k += every)
        {
            var x = k * stride / sigma;
            var (y, into) = (profile[k], Share(x - a));
            var past = width == 0 ? into : Share(x - b);
            var (i, r, o) = (1 - into, into - past, past);
            (ii, ir, io, rr, ro, oo) = (ii + (i * i), ir + (i * r), io + (i * o), rr + (r * r), ro + (r * o), oo + (o * o));
            (iy, ry, oy, yy) = (iy + (i * y), ry + (r * y), oy + (o * y), yy + (y * y));
        }

        var det = (ii * oo) - (io * io);
        if (det < 1e-9)
        {
            return (double.MaxValue, 0, 0, 0);
        }

        // With the ring's level given, inside and outside are two unknowns.
        (double Cost, double Inside, double Ring, double Outside) With(double ring)
        {
            var (p, q) = (iy - (ring * ir), oy - (ring * ro));
            var (inside, outside) = (((p * oo) - (q * io)) / det, ((q * ii) - (p * io)) / det);
            var cost = yy - (2 * ((inside * iy) + (ring * ry) + (outside * oy))) + (inside * inside * ii) + (ring * ring * rr) + (outside * outside * oo)
                + (2 * ((inside * ring * ir) + (inside * outside * io) + (ring * outside * ro)));
            return (cost, inside, ring, outside);
        }

        if (width == 0)
        {
            return With(0);
        }

        // The cost is a parabola in the ring's level, which is no darker than black and no brighter than white.
        var (c0, c1, c2) = (With(0).Cost, With(100).Cost, With(200).Cost);
        var bend = (c2 - (2 * c1) + c0) / 2;
        return bend > 1e-9 ? With(Math.Clamp(100 * ((c0 - c1 + bend) / (2 * bend)), 0, 255)) : (double.MaxValue, 0, 0, 0);
    }

    /// <summary>The share of a blurred step that lies behind, to within 0.0002 of the normal distribution's.</summary>
    private static double Share(double x) => 1 / (1 + Math.Exp(-(1.5976 + (0.070566 * x * x)) * x));
}
