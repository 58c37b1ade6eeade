using System.Numerics;
using Plenk.Core.Cameras;
using Plenk.Core.Images;
using Plenk.Core.Sets;
using Plenk.Core.Tracing;

namespace Plenk.Core.Projection;

/// <summary>What a thing hides in one frame, taken from others in which the place behind it was seen.</summary>
public static class CleanFrame
{
    /// <summary>
    /// Every pixel of the hole whose spot on the set other frames show takes the median of what they show, a channel at a time.
    /// <paramref name="left"/>: pixels of the hole that no frame shows, or that have no set behind them; they keep their values.
    /// </summary>
    /// <param name="others">Those frames' pictures with what hides the place left out of them.</param>
    public static FloatImage FromFrames(
        FloatImage picture,
        bool[] hole,
        IViewRays camera,
        SetScene set,
        IReadOnlyList<Projector> others,
        out bool[] left,
        CancellationToken stop = default,
        Action<double>? progress = null
    )
    {
        int w = picture.Width,
            h = picture.Height,
            done = 0;
        if (camera.Width != w || camera.Height != h || hole.Length != w * h)
        {
            throw new ArgumentException("picture, hole and camera are of one size");
        }
        FloatImage result = picture.Copy();
        bool[] open = [.. hole];
        Parallel.For(0, h, Cores.Until(stop), y =>
        {
            var seen = new Vector3[others.Count];
            var values = new float[others.Count];
            for (int x = 0; x < w; x++)
            {
                int i = y * w + x;
                if (!hole[i] || !camera.TryDirection(x, y, new(0.5f, 0.5f), out Vector3 d))
                {
                    continue;
                }
                var ray = new Ray(camera.Origin, d);
                Hit hit = set.Scene.Intersect(ray, RayKinds.CameraSet);
                if (!hit.IsHit)
                {
                    continue;
                }
                Vector3 n = set.Instances[hit.Instance].FaceNormal(hit);
                if (Vector3.Dot(n, d) > 0)
                {
                    n = -n;
                }
                var (u, v) = ProjectedView.Footprint(d, n, hit.T * camera.PixelAngle(x, y));
                int count = 0;
                foreach (Projector other in others)
                {
                    Sighting s = other.See(ray.At(hit.T), n, set.PieceOf(hit), u, v);
                    if (s.Reach > 0.5f)
                    {
                        seen[count++] = s.Rgb;
                    }
                }
                if (count == 0)
                {
                    continue;
                }
                for (int c = 0; c < 3; c++)
                {
                    for (int k = 0; k < count; k++)
                    {
                        values[k] = seen[k][c];
                    }
                    result.Data[3 * i + c] = Median(values.AsSpan(0, count));
                }
                open[i] = false;
            }
            progress?.Invoke((double)Interlocked.Increment(ref done) / h);
        });
        left = open;
        return result;
    }

    /// <summary>The middle value, of an even number the mean of the two; the span is sorted by it.</summary>
    public static float Median(Span<float> values)
    {
        if (values.Length == 0)
        {
            throw new ArgumentException("no values");
        }
        values.Sort();
        int m = values.Length / 2;
        return values.Length % 2 == 1 ? values[m] : (values[m - 1] + values[m]) / 2;
    }
}
