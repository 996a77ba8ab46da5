namespace Rhabdon.Core.Inspection;

/// <summary>A face as a picture shows it.</summary>
/// <param name="Marks">Where they lie on the face, with its centre and scale to bring them back to the picture.</param>
public sealed record PicturedFace(EndId EndId, Instant At, double UmPerPx, double CentreXPx, double CentreYPx, IReadOnlyList<SeenFinding> Marks)
{
    internal IReadOnlyList<(double X, double Y, double SizeUm)> Spots => [.. Marks.Where(m => m.Kind != FindingKind.Scratch).Select(m => (m.XUm!.Value, m.YUm!.Value, m.SizeUm))];

    internal (double X, double Y) Pixel((double X, double Y, double SizeUm) s) => (CentreXPx + (s.X / UmPerPx), CentreYPx + (s.Y / UmPerPx));
}

public enum SharedMarkKind
{
    /// <summary>At the same place of many pictures, wherever the fiber lies in them: dirt in the scope.</summary>
    Scope,
    /// <summary>At the same place of many faces once they are turned onto each other: the puck, the film or the cleaner.</summary>
    Faces,
    /// <summary>Two ends show the very same picture.</summary>
    SamePicture,
}

/// <param name="Ends">Whose pictures show it.</param>
/// <param name="Of">Pictures that were looked through.</param>
/// <param name="XPx">Where in the picture, for the scope.</param>
/// <param name="RadiusUm">How far from the fiber's centre, for faces.</param>
public sealed record SharedMark(SharedMarkKind Kind, IReadOnlyList<EndId> Ends, int Of, double? XPx = null, double? YPx = null, double? RadiusUm = null);

/// <summary>Marks that many pictures share: whether they are the scope's, the tool's or the face's own.</summary>
public static class SharedMarks
{
    private const int LeastPictures = 4, MostPictures = 200;

    /// <summary>The same pixel, and the same place of a face, as far as centres and edges are found (ours).</summary>
    private const double SamePx = 8, SameUm = 2, SameTurn = 0.06;

    /// <summary>Fibers lie where the hand put them: at one place of all pictures nothing tells scope and face apart.</summary>
    private const double LeastMovedPx = 12;

    private const double LeastShare = 0.6;

    /// <summary>Marks that have to agree before two pictures are taken for one, and turned faces for marked alike.</summary>
    private const int LeastMarks = 4, LeastTurned = 2;

    public static IReadOnlyList<SharedMark> Of(IReadOnlyList<PicturedFace> faces)
    {
        var of = faces.TakeLast(MostPictures).ToList();
        var same = Twins(of).ToList();
        return [.. same, .. Scope(of) is { } scope ? [scope] : Array.Empty<SharedMark>(), .. Turned(of) is { } turned ? [turned] : Array.Empty<SharedMark>()];
    }

    /// <summary>The very same marks at the very same pixels, and nothing else: no picture serves two ports.</summary>
    private static IEnumerable<SharedMark> Twins(List<PicturedFace> faces) =>
        from i in Enumerable.Range(0, faces.Count)
        from k in Enumerable.Range(i + 1, faces.Count - i - 1)
        where faces[i].EndId != faces[k].EndId && faces[i].Spots.Count >= LeastMarks && faces[i].Spots.Count == faces[k].Spots.Count
            && faces[i].Spots.All(a => faces[k].Spots.Any(b => Near(faces[i].Pixel(a), faces[k].Pixel(b), 1) && Math.Abs(a.SizeUm - b.SizeUm) <= 0.02 * a.SizeUm))
        select new SharedMark(SharedMarkKind.SamePicture, [faces[i].EndId, faces[k].EndId], faces.Count);

    private static SharedMark? Scope(List<PicturedFace> faces)
    {
        var all = faces.SelectMany(f => f.Spots.Select(s => (Face: f, At: f.Pixel(s)))).ToList();
        SharedMark? best = null;
        foreach (var mark in all)
        {
            Effort.Spend(all.Count);
            var with = all.Where(o => Near(o.At, mark.At, SamePx)).Select(o => o.Face).Distinct().ToList();
            if (with.Count >= Math.Max(LeastPictures, LeastShare * faces.Count) && with.Count > (best?.Ends.Count ?? 0) && Moved(with))
            {
                best = new(SharedMarkKind.Scope, [.. with.Select(f => f.EndId).Distinct()], faces.Count, mark.At.X, mark.At.Y);
            }
        }

        return best?.Ends.Count >= LeastPictures ? best : null;
    }

    private static bool Moved(List<PicturedFace> faces) =>
        faces.Max(f => f.CentreXPx) - faces.Min(f => f.CentreXPx) >= LeastMovedPx || faces.Max(f => f.CentreYPx) - faces.Min(f => f.CentreYPx) >= LeastMovedPx;

    /// <summary>Faces of which two marks or more lie at the same radii and at the same angle to each other, whichever way round each was put in.</summary>
    private static SharedMark? Turned(List<PicturedFace> faces)
    {
        var polar = faces.Select(f => (Face: f, Spots: f.Spots.Select(s => (R: double.Hypot(s.X, s.Y), A: Math.Atan2(s.Y, s.X))).Where(s => s.R > 2 * SameUm).ToList())).Where(f => f.Spots.Count >= LeastTurned).ToList();
        SharedMark? best = null;
        foreach (var (face, spots) in polar)
        {
            foreach (var (a, b) in from a in spots from b in spots where a != b select (a, b))
            {
                Effort.Spend(polar.Count);
                var with = polar.Where(o => o.Spots.Any(p => Math.Abs(p.R - a.R) <= SameUm && o.Spots.Any(q => Math.Abs(q.R - b.R) <= SameUm && Turn(q.A - p.A, b.A - a.A) <= SameTurn))).Select(o => o.Face).ToList();
                var ends = with.Select(f => f.EndId).Distinct().ToList();
                if (ends.Count >= Math.Max(LeastPictures, LeastShare * faces.Count) && ends.Count > (best?.Ends.Count ?? 0) && (!SamePixels(with, face, a) || !Moved(with)))
                {
                    best = new(SharedMarkKind.Faces, ends, faces.Count, RadiusUm: a.R);
                }
            }
        }

        return best;
    }

    /// <summary>What stands at one pixel of all of them is the scope's, not the faces'.</summary>
    private static bool SamePixels(List<PicturedFace> with, PicturedFace face, (double R, double A) mark)
    {
        var at = face.Pixel((mark.R * Math.Cos(mark.A), mark.R * Math.Sin(mark.A), 1));
        return with.All(f => f.Spots.Any(s => Near(f.Pixel(s), at, SamePx)));
    }

    private static double Turn(double a, double b) => Math.Abs(Math.IEEERemainder(a - b, 2 * Math.PI));

    private static bool Near((double X, double Y) a, (double X, double Y) b, double within) => double.Hypot(a.X - b.X, a.Y - b.Y) <= within;
}
