using System.Numerics;
using Plenk.Core.Cameras;
using Plenk.Core.Sets;
using Plenk.Core.Tracing;

namespace Plenk.Core.Projection;

/// <summary>
/// What covers each pixel of a view: texels of the sharpest source to a pixel (0: nothing covers it, −1: no set is there), how much it is
/// stretched (1: evenly), and which source it is (−1: none).
/// </summary>
public sealed record CoverageMap(int Width, int Height, float[] Texels, float[] Stretch, int[] Source);

public static class CoverageView
{
    public static CoverageMap Of(IViewRays view, SetScene set, IReadOnlyList<SourceSight> sources, CancellationToken stop = default)
    {
        int w = view.Width,
            h = view.Height;
        var texels = new float[w * h];
        var stretch = new float[w * h];
        var index = new int[w * h];
        Parallel.For(0, h, Cores.Until(stop), y =>
        {
            for (int x = 0; x < w; x++)
            {
                int i = y * w + x;
                (texels[i], index[i]) = (-1, -1);
                if (!view.TryDirection(x, y, new(0.5f, 0.5f), out Vector3 d))
                {
                    continue;
                }
                var ray = new Ray(view.Origin, d);
                Hit hit = set.Scene.Intersect(ray, RayKinds.CameraSet);
                if (!hit.IsHit || !set.Pieces[set.PieceOf(hit)].Duties.WearsFootage)
                {
                    continue;
                }
                Vector3 p = ray.At(hit.T),
                    n = set.Instances[hit.Instance].FaceNormal(hit);
                if (Vector3.Dot(n, d) > 0)
                {
                    n = -n;
                }
                texels[i] = 0;
                for (int s = 0; s < sources.Count; s++)
                {
                    float density = sources[s].Density(p, n, set.PieceOf(hit));
                    // A pixel of this view is t · angle wide, and longer along the tilt; so is the source's.
                    float own = -Vector3.Dot(n, d) / (hit.T * view.PixelAngle(x, y)),
                        ratio = density / own;
                    if (ratio <= texels[i])
                    {
                        continue;
                    }
                    Vector3 to = Vector3.Normalize(sources[s].CameraToWorld.Position.ToSingle() - p);
                    (texels[i], index[i], stretch[i]) = (ratio, s, 1 / MathF.Max(0.01f, Vector3.Dot(n, to)));
                }
            }
        });
        return new(w, h, texels, stretch, index);
    }
}
