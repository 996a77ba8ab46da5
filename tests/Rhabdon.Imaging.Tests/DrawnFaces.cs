using Rhabdon.Core.Inspection;
using SkiaSharp;

namespace Rhabdon.Imaging.Tests;

/// <summary>An end face drawn by other means than the simulated microscope's, so that the reader is not only held to its own sibling.</summary>
/// <param name="CladdingPx">Diameter of the cladding.</param>
public sealed record DrawnFace(EndFaceClass Class, int Seed, byte[] File, double XPx, double YPx, double CladdingPx, string Look, IReadOnlyList<SeenFinding> Truth);

/// <summary>Draws end faces with a vector graphics library: other optics, other textures, other outlines of dirt and damage.</summary>
/// <remarks>Source: SkiaSharp, a general-purpose graphics library. What is drawn where is invented; sizes keep clear of the limits, where a verdict is anyone's.</remarks>
public static class DrawnFaces
{
    private static readonly double[] Limits = [2, 3, 5, 10];

    public static DrawnFace Draw(EndFaceClass of, int seed)
    {
        var random = new Random(unchecked((seed * 48271) + ((int)of * 69621) + 12345));
        double Between(double a, double b) => a + ((b - a) * random.NextDouble());
        bool Chance(double p) => random.NextDouble() < p;
        var (width, height) = random.Next(3) switch { 0 => (640, 480), 1 => (1280, 960), _ => (1600, 1200) };
        var cladding = width == 640 ? Between(200, 420) : Between(360, 900);
        var (x, y) = ((width / 2.0) + (Between(-0.3, 0.3) * Math.Max(0, width - cladding - 20)), (height / 2.0) + (Between(-0.3, 0.3) * Math.Max(0, height - cladding - 20)));
        double[] levels = random.Next(4) switch
        {
            0 => [Between(40, 80), Between(95, 150)], // a dark ferrule about bright glass
            1 => [Between(150, 220), Between(60, 110)],
            2 => [Between(110, 140), Between(150, 190)],
            _ => [Between(170, 200), Between(110, 150)],
        };
        var (ferrule, glass) = (levels[0], levels[1]);
        var ring = Chance(0.75) ? Between(0.6, 3.5) : 0;
        var ringLevel = Chance(0.85) ? Math.Min(ferrule, glass) * Between(0.1, 0.6) : Math.Min(240, Math.Max(ferrule, glass) * 1.2);
        var core = of == EndFaceClass.MmPc ? Chance(0.5) ? 50 : 62.5 : Between(8, 10);
        // Without light from the other end a core often looks darker than its cladding, more so on an angled face.
        var coreLevel = Math.Clamp(glass * (Chance(of == EndFaceClass.SmApc ? 0.5 : 0.35) ? Between(0.55, 0.88) : Between(1.12, 1.6)), 10, 245);
        // No core lies quite in the middle, nor is its edge quite sharp.
        var (coreX, coreY, coreRim) = ((float)Between(-0.3, 0.3), (float)Between(-0.3, 0.3), (float)Between(0.82, 0.999));
        var (blur, noise, shot) = (Between(0, 1.5), Between(0, 9), Chance(0.4));
        var dim = Between(0.45, 1.0);
        var look = $"ferrule {ferrule:0} glass {glass:0} ring {ring:0.0}@{ringLevel:0} core {core:0}@{coreLevel:0} blur {blur:0.0} noise {noise:0.0} dim {dim:0.00} {125 / cladding:0.00} µm/px";

        var perUm = (float)(cladding / 125);
        var info = new SKImageInfo(width, height, SKColorType.Rgba8888);
        using var surface = SKSurface.Create(info);
        var canvas = surface.Canvas;
        canvas.Clear(Level(ferrule));
        canvas.Translate((float)x + 0.5f, (float)y + 0.5f);
        canvas.Scale(perUm);
        Texture(canvas, random, ferrule);
        if (ring > 0)
        {
            Disc(canvas, 62.5 + ring, Level(ringLevel));
        }

        using (var paint = new SKPaint { IsAntialias = true })
        {
            // Glass that is a little brighter or darker toward its edge.
            var rim = glass * Between(0.95, 1.05);
            paint.Shader = SKShader.CreateRadialGradient(default, 62.5f, [Level(glass), Level(glass), Level(rim)], [0, 0.6f, 1], SKShaderTileMode.Clamp);
            canvas.DrawCircle(0, 0, 62.5f, paint);
            // Graded-index glass is brightest in its middle, a single-mode core is even.
            float[] rings = of == EndFaceClass.MmPc ? [0, 0.25f, 0.5f, 0.75f, 1] : [0, coreRim, 1];
            paint.Shader = SKShader.CreateRadialGradient(new(coreX, coreY), (float)core / 2,
                [.. rings.Select(r => Level(coreLevel + ((of == EndFaceClass.MmPc ? r * r : r > coreRim ? 1 : 0) * (glass - coreLevel) / 2)))], rings, SKShaderTileMode.Clamp);
            canvas.DrawCircle(coreX, coreY, (float)core / 2, paint);
        }

        var truth = new List<SeenFinding>();
        // Under one light the scratches of a face look much alike.
        var shining = Chance(0.35);
        foreach (var mark in Marks(random, of))
        {
            if (InFrame(mark, x, y, width, height, perUm) && truth.All(t => Clear(t, mark)))
            {
                truth.Add(mark);
                // Dirt takes its share of the light that is there.
                Mark(canvas, random, mark, mark.Kind != FindingKind.Scratch && mark.Reach().NearUm > 62.5 ? ferrule : glass, shining);
            }
        }

        Lighting(surface, random, of == EndFaceClass.SmApc, x, y, cladding, dim);
        return new(of, seed, Finished(surface, random, blur, noise, shot, info), x, y, cladding, look, truth);
    }

    /// <summary>A face with a dark core beside the middle, and where a width is given, two shining scratches that cross on it.</summary>
    public static byte[] Plain(EndFaceClass of, double coreOffUm, double scratchUm, out IReadOnlyList<SeenFinding> truth)
    {
        var (random, info) = (new Random(7), new SKImageInfo(1280, 960, SKColorType.Rgba8888));
        using var surface = SKSurface.Create(info);
        var canvas = surface.Canvas;
        canvas.Clear(Level(170));
        canvas.Translate(640, 480);
        canvas.Scale(4);
        Disc(canvas, 64, Level(30));
        Disc(canvas, 62.5, Level(120));
        canvas.Translate((float)coreOffUm, 0);
        Disc(canvas, of == EndFaceClass.MmPc ? 25 : 4.5, Level(95));
        canvas.Translate((float)-coreOffUm, 0);
        truth = scratchUm == 0 ? [] : [SeenFinding.Scratch(-40, -18, 36, 20, scratchUm), SeenFinding.Scratch(-30, 24, 34, -26, scratchUm)];
        foreach (var scratch in truth)
        {
            Mark(canvas, random, scratch, 120, shining: true);
        }

        return Finished(surface, random, 0.8, 5, true, info);
    }

    private static SKColor Level(double level, double opacity = 1)
    {
        var v = (byte)Math.Clamp(Math.Round(level), 0, 255);
        return new(v, v, v, (byte)Math.Round(255 * opacity));
    }

    private static void Disc(SKCanvas canvas, double radius, SKColor colour)
    {
        using var paint = new SKPaint { IsAntialias = true, Color = colour };
        canvas.DrawCircle(0, 0, (float)radius, paint);
    }

    /// <summary>Faint strokes of the ceramic, weaker than any finding.</summary>
    private static void Texture(SKCanvas canvas, Random random, double level)
    {
        using var paint = new SKPaint { IsAntialias = true, IsStroke = true };
        for (var i = 0; i < 500; i++)
        {
            paint.Color = Level(level + ((random.NextDouble() - 0.5) * 10), 0.5);
            paint.StrokeWidth = 0.4f + (float)random.NextDouble();
            var (tx, ty) = (((float)random.NextDouble() - 0.5f) * 500, ((float)random.NextDouble() - 0.5f) * 400);
            canvas.DrawLine(tx, ty, tx + (float)random.NextDouble() * 4, ty + (float)random.NextDouble() * 4, paint);
        }
    }

    private static IEnumerable<SeenFinding> Marks(Random random, EndFaceClass of)
    {
        double Between(double a, double b) => a + ((b - a) * random.NextDouble());
        var border = of == EndFaceClass.MmPc ? 32.5 : 12.5;
        // A third of the faces was dragged over grit: wide scratches through the middle, or several that cross.
        var dragged = random.Next(6);
        for (var i = dragged < 2 ? random.Next(1, 4) : 0; i > 0; i--)
        {
            var (away, half, turn, aim) = (dragged == 0 ? Between(0, 9) : Between(0, 45), Between(15, 55), Between(0, 2 * Math.PI), Between(0, Math.PI));
            var (cx, cy) = (away * Math.Cos(turn), away * Math.Sin(turn));
            var s = SeenFinding.Scratch(cx - (half * Math.Cos(aim)), cy - (half * Math.Sin(aim)), cx + (half * Math.Cos(aim)), cy + (half * Math.Sin(aim)), Size(random, dragged == 0 ? 1 : 3.5, 9));
            if (Math.Abs(s.Reach().NearUm - border) > 1.5 && Math.Abs(s.Reach().NearUm - 60) > 1.5 && Math.Abs(s.Reach().FarUm - 62.5) > 4)
            {
                yield return s;
            }
        }

        var count = random.Next(3) == 0 ? 0 : random.Next(1, 8);
        for (var i = 0; i < count; i++)
        {
            var kind = random.Next(10) switch { < 3 => FindingKind.Scratch, < 6 => FindingKind.Particle, 6 => FindingKind.Pit, 7 => FindingKind.Residue, 8 => FindingKind.Chip, _ => FindingKind.Crack };
            var turn = Between(0, 2 * Math.PI);
            if (kind == FindingKind.Scratch)
            {
                var (away, half, aim) = (Between(0, 50), Between(10, 50), Between(0, Math.PI));
                var (cx, cy) = (away * Math.Cos(turn), away * Math.Sin(turn));
                var s = SeenFinding.Scratch(cx - (half * Math.Cos(aim)), cy - (half * Math.Sin(aim)), cx + (half * Math.Cos(aim)), cy + (half * Math.Sin(aim)), Size(random, 1, 6));
                if (Math.Abs(s.Reach().NearUm - border) > 1.5 && Math.Abs(s.Reach().NearUm - 60) > 1.5 && Math.Abs(s.Reach().FarUm - 62.5) > 4)
                {
                    yield return s;
                }

                continue;
            }

            var size = kind switch { FindingKind.Pit => Size(random, 2.1, 4.5), FindingKind.Residue => Size(random, 7, 20), FindingKind.Chip => Size(random, 6, 18), FindingKind.Crack => Size(random, 12, 30), _ => Size(random, 2.1, 16) };
            var r = kind == FindingKind.Chip ? 61 : Between(0, 118);
            var spot = SeenFinding.Spot(kind, r * Math.Cos(turn), r * Math.Sin(turn), size);
            // Nobody tells a film that covers just the core from a core.
            if (of != EndFaceClass.MmPc && kind == FindingKind.Residue && r < 1.5 && size < 12)
            {
                continue;
            }

            if (kind == FindingKind.Chip || (Math.Abs(spot.Reach().NearUm - border) > 1.5 && (spot.Reach().FarUm < 57 || spot.Reach().NearUm > 67)))
            {
                yield return spot;
            }
        }
    }

    private static double Size(Random random, double from, double to)
    {
        double size;
        do
        {
            size = from + ((to - from) * random.NextDouble());
        }
        while (Limits.Any(l => Math.Abs(size - l) < Math.Max(0.4, 0.12 * l)));
        return size;
    }

    private static bool InFrame(SeenFinding f, double x, double y, int width, int height, double perUm)
    {
        bool At(double px, double py, double r) => x + ((px - r) * perUm) > 4 && y + ((py - r) * perUm) > 4 && x + ((px + r) * perUm) < width - 5 && y + ((py + r) * perUm) < height - 5;
        return f.Kind == FindingKind.Scratch ? At(f.X0Um!.Value, f.Y0Um!.Value, 3) && At(f.X1Um!.Value, f.Y1Um!.Value, 3) : At(f.XUm!.Value, f.YUm!.Value, f.SizeUm / 2);
    }

    private static bool Clear(SeenFinding a, SeenFinding b)
    {
        double Aim(SeenFinding s) => Math.Atan2(s.Y1Um!.Value - s.Y0Um!.Value, s.X1Um!.Value - s.X0Um!.Value);
        double From(SeenFinding line, SeenFinding spot) =>
            (line with { X0Um = line.X0Um - spot.XUm, X1Um = line.X1Um - spot.XUm, Y0Um = line.Y0Um - spot.YUm, Y1Um = line.Y1Um - spot.YUm }).Reach().NearUm - (spot.SizeUm / 2);
        return (a.Kind == FindingKind.Scratch, b.Kind == FindingKind.Scratch) switch
        {
            (true, true) => Math.Abs(Math.Sin(Aim(a) - Aim(b))) > 0.3,
            (true, false) => From(a, b) > 4,
            (false, true) => From(b, a) > 4,
            _ => double.Hypot(a.XUm!.Value - b.XUm!.Value, a.YUm!.Value - b.YUm!.Value) > ((a.SizeUm + b.SizeUm) / 2) + 4,
        };
    }

    private static void Mark(SKCanvas canvas, Random random, SeenFinding f, double light, bool shining)
    {
        double Between(double a, double b) => a + ((b - a) * random.NextDouble());
        using var paint = new SKPaint { IsAntialias = true, Color = Level(light * Between(0.15, 0.5)) };
        if (f.Kind == FindingKind.Scratch)
        {
            // Most scratches are dark, some shine.
            paint.Color = shining || random.Next(5) == 0 ? Level(Math.Min(250, light * Between(1.3, 1.9))) : Level(light * Between(0.3, 0.65));
            (paint.IsStroke, paint.StrokeWidth, paint.StrokeCap) = (true, (float)f.WidthUm!.Value, random.Next(2) == 0 ? SKStrokeCap.Butt : SKStrokeCap.Round);
            canvas.DrawLine((float)f.X0Um!, (float)f.Y0Um!, (float)f.X1Um!, (float)f.Y1Um!, paint);
            return;
        }

        canvas.Save();
        canvas.Translate((float)f.XUm!, (float)f.YUm!);
        canvas.RotateDegrees((float)Between(0, 360));
        var r = (float)f.DiameterUm! / 2;
        switch (f.Kind)
        {
            case FindingKind.Pit:
                canvas.DrawCircle(0, 0, r, paint);
                break;
            case FindingKind.Residue:
                // A film of something: flat, weaker, with a soft rim that is half as strong at its size.
                r *= 1.08f;
                paint.Shader = SKShader.CreateRadialGradient(default, r, [Level(light * 0.7), Level(light * 0.72), Level(light * 0.75, 0)], [0, 0.85f, 1], SKShaderTileMode.Clamp);
                canvas.DrawOval(0, 0, r, r * (float)Between(0.8, 1), paint);
                break;
            case FindingKind.Crack:
                (paint.IsStroke, paint.StrokeWidth) = (true, Math.Max(1f, r * 0.08f));
                var jags = Enumerable.Range(0, 7).Select(i => new SKPoint(-r + (r * i / 3), i is 0 or 5 or 6 ? 0 : (i % 2 == 0 ? 1 : -1) * r * (float)Between(0.14, 0.3))).ToArray();
                canvas.DrawPoints(SKPointMode.Polygon, jags, paint);
                break;
            default:
                // Corners on the circle, so that the circle around it is the size.
                var corners = random.Next(7, 12);
                using (var outline = new SKPathBuilder())
                {
                    outline.AddPoly([.. Enumerable.Range(0, corners).Select(i =>
                    {
                        var (turn, far) = (2 * Math.PI * i / corners, i % 3 == 0 ? r : r * (float)Between(0.85, 1));
                        return new SKPoint(far * (float)Math.Cos(turn), far * (float)Math.Sin(turn));
                    })], true);
                    using var path = outline.Detach();
                    canvas.DrawPath(path, paint);
                }

                break;
        }

        canvas.Restore();
    }

    /// <summary>A dim lamp, light from one side, darker corners; with an angled face a soft shadow over one side.</summary>
    private static void Lighting(SKSurface surface, Random random, bool angled, double x, double y, double cladding, double dim)
    {
        var canvas = surface.Canvas;
        canvas.ResetMatrix();
        using var paint = new SKPaint { BlendMode = SKBlendMode.Multiply };
        canvas.DrawColor(Level(255 * dim), SKBlendMode.Multiply);
        var turn = random.NextDouble() * 2 * Math.PI;
        var (dx, dy) = ((float)(Math.Cos(turn) * cladding), (float)(Math.Sin(turn) * cladding));
        var centre = new SKPoint((float)x, (float)y);
        paint.Shader = SKShader.CreateLinearGradient(centre - new SKPoint(dx, dy), centre + new SKPoint(dx, dy), [Level(255 * (0.75 + (0.25 * random.NextDouble()))), Level(255)], SKShaderTileMode.Clamp);
        canvas.DrawPaint(paint);
        paint.Shader = SKShader.CreateRadialGradient(centre, (float)(cladding * 1.6), [Level(255), Level(255), Level(255 * (0.7 + (0.3 * random.NextDouble())))], [0, 0.35f, 1], SKShaderTileMode.Clamp);
        canvas.DrawPaint(paint);
        if (angled)
        {
            var deep = 0.55 + (0.35 * random.NextDouble());
            var (ax, ay) = ((float)(Math.Sin(turn) * cladding), (float)(-Math.Cos(turn) * cladding));
            paint.Shader = SKShader.CreateLinearGradient(centre, centre + new SKPoint(ax, ay), [Level(255), Level(255 * deep)], [0.1f, 0.9f], SKShaderTileMode.Clamp);
            canvas.DrawPaint(paint);
        }
    }

    private static byte[] Finished(SKSurface surface, Random random, double blur, double noise, bool shot, SKImageInfo info)
    {
        using var sharp = surface.Snapshot();
        using var soft = SKSurface.Create(info);
        using (var paint = new SKPaint { ImageFilter = blur < 0.1 ? null : SKImageFilter.CreateBlur((float)blur, (float)blur, SKShaderTileMode.Clamp) })
        {
            soft.Canvas.DrawImage(sharp, 0, 0, SKSamplingOptions.Default, paint);
        }

        using var bitmap = new SKBitmap(info);
        using var snapshot = soft.Snapshot();
        snapshot.ReadPixels(info, bitmap.GetPixels(), bitmap.RowBytes, 0, 0);
        var bytes = bitmap.GetPixelSpan();
        var noisy = bytes.ToArray();
        for (var i = 0; i < noisy.Length; i += 4)
        {
            // A sum of uniform numbers comes near enough to a bell.
            var n = 0.0;
            for (var k = 0; k < 6; k++)
            {
                n += random.NextDouble() - 0.5;
            }

            // Some cameras are noisier where there is more light.
            var sigma = noise * (shot ? Math.Sqrt(bytes[i] / 100.0) : 1);
            noisy[i] = noisy[i + 1] = noisy[i + 2] = (byte)Math.Clamp(Math.Round(bytes[i] + (sigma * n * 1.414)), 0, 255);
        }

        using var image = SKImage.FromPixelCopy(info, noisy, info.RowBytes);
        // Noise does not compress: nobody waits for it to be tried.
        using var pixels = image.PeekPixels();
        return random.Next(4) == 0 ? image.Encode(SKEncodedImageFormat.Jpeg, 95).ToArray() : pixels.Encode(new SKPngEncoderOptions(SKPngEncoderFilterFlags.NoFilters, 1))!.ToArray();
    }
}
