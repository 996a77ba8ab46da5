using OpenCvSharp;

namespace Rhabdon.Imaging;

/// <summary>The middle lines of a patch: the pixels that lie no nearer to its outline than those beside them.</summary>
internal sealed class Ridge
{
    private readonly byte[] _inside;
    private readonly int _left, _top, _wide, _high;

    /// <param name="rowPx">Width of the picture that the patch's indices count by.</param>
    public Ridge(List<Dot> patch, int rowPx)
    {
        (_left, _top) = (patch.Min(d => d.Index % rowPx) - 1, patch.Min(d => d.Index / rowPx) - 1);
        (_wide, _high) = (patch.Max(d => d.Index % rowPx) - _left + 2, patch.Max(d => d.Index / rowPx) - _top + 2);
        (_inside, RowPx) = (new byte[_wide * _high], rowPx);
        foreach (var d in patch)
        {
            _inside[At(d)] = 255;
        }

        using var mask = Mat.FromPixelData(_high, _wide, MatType.CV_8UC1, _inside);
        using var far = new Mat();
        Cv2.DistanceTransform(mask, far, DistanceTypes.L2, DistanceTransformMasks.Precise);
        var depth = far.AsSpan<float>().ToArray();
        Dots = [.. patch.Where(d => IsTop(depth, At(d)))];
    }

    public int RowPx { get; }

    /// <summary>What lies on the ridge.</summary>
    public List<Dot> Dots { get; }

    private int At(Dot d) => (((d.Index / RowPx) - _top) * _wide) + (d.Index % RowPx) - _left;

    private bool IsTop(float[] depth, int i)
    {
        // On a slope of the distance the next pixel inward is a whole pixel deeper.
        var most = depth[i] + 0.6f;
        return depth[i - 1] < most && depth[i + 1] < most && depth[i - _wide] < most && depth[i + _wide] < most
            && depth[i - _wide - 1] < most + 0.25f && depth[i - _wide + 1] < most + 0.25f && depth[i + _wide - 1] < most + 0.25f && depth[i + _wide + 1] < most + 0.25f;
    }

    /// <summary>How far a straight line through a dot stays inside the patch, to both sides, in micrometres; short gaps do not end it.</summary>
    public (double From, double To) Run(Dot from, double ux, double uy, double px, double gapUm)
    {
        var (x, y) = ((from.Index % RowPx) - _left, (from.Index / RowPx) - _top);
        double Reach(int sign)
        {
            var (last, step) = (0.0, 0.7);
            for (var t = step; (t - last) * px <= gapUm; t += step)
            {
                var (cx, cy) = ((int)Math.Round(x + (sign * t * ux)), (int)Math.Round(y + (sign * t * uy)));
                if (cx < 0 || cy < 0 || cx >= _wide || cy >= _high)
                {
                    break;
                }

                last = _inside[(cy * _wide) + cx] != 0 ? t : last;
            }

            return last * px;
        }

        return (-Reach(-1), Reach(1));
    }
}
