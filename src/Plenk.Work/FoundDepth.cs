using System.Numerics;
using Plenk.Core;
using Plenk.Core.Cameras;
using Plenk.Core.Sets;
using Plenk.Core.Shots;
using Plenk.Core.Tracing;
using Plenk.Store;

namespace Plenk.Work;

/// <summary>Depth found in the footage: read, held against the set, and what it hides.</summary>
public sealed class FoundDepth(ShotEngine engine, IMedia media)
{
    private readonly Cache<DepthMap> _depths = new(Sizes.Of);

    /// <summary>The found depth of a frame, less sure spots left out; null where there is none.</summary>
    public DepthMap? DepthOf(ShotDocument shot, int frame)
    {
        if (shot.Depth?.Frames.FirstOrDefault(f => f.Frame == frame) is not { } own)
        {
            return null;
        }
        return _depths.Get($"{own.Media}/{shot.Depth.LeastConfidence}", () =>
        {
            DepthMap map = DepthFile.Read(media.Read(own.Media), $"the depth of {frame}");
            float[] depth = [.. map.Depth.Select((d, i) => map.Confidence[i] >= shot.Depth.LeastConfidence ? d : float.PositiveInfinity)];
            return map with { Depth = depth };
        });
    }

    /// <summary>The found depth of a frame against the set's, where both are: (found − set) ÷ set.</summary>
    public DepthDifference DepthAgainstSet(ShotDocument shot, int frame)
    {
        DepthMap map = DepthOf(shot, frame) ?? throw new ShotFault($"Frame {frame} has no depth yet. Make it at step 3.");
        SetScene set = engine.Place.Set(Hanging.At(shot, frame));
        RayGrid grid = engine.Grid(shot, frame, map.Width, map.Height);
        var relative = new float[map.Depth.Length];
        var piece = new int[map.Depth.Length];
        Parallel.For(0, map.Height, Cores.All, y =>
        {
            for (int x = 0; x < map.Width; x++)
            {
                int i = y * map.Width + x;
                (relative[i], piece[i]) = (float.NaN, -1);
                if (!float.IsFinite(map.Depth[i]) || !grid.TryDirection(x, y, new(0.5f, 0.5f), out Vector3 d))
                {
                    continue;
                }
                Hit hit = set.Scene.Intersect(new Ray(grid.Origin, d), RayKinds.CameraSet);
                if (!hit.IsHit)
                {
                    continue;
                }
                float own = grid.DepthOf(grid.Origin + hit.T * d);
                (relative[i], piece[i]) = (map.Depth[i] / own - 1, set.PieceOf(hit));
            }
        });
        return new(map.Width, map.Height, relative, piece, [.. set.Pieces.Select(p => p.Name)]);
    }

    internal float[]? HideDistance(ShotDocument shot, int frame, RayGrid grid)
    {
        if (DepthOf(shot, frame) is not { } map)
        {
            return null;
        }
        DepthMap small = map.Width == grid.Width && map.Height == grid.Height ? map : map.Resized(grid.Width, grid.Height);
        var distance = new float[grid.Width * grid.Height];
        for (int y = 0; y < grid.Height; y++)
        {
            for (int x = 0; x < grid.Width; x++)
            {
                int i = y * grid.Width + x;
                // Along the ray: the depth is along the camera's axis.
                distance[i] =
                    float.IsFinite(small.Depth[i]) && grid.TryDirection(x, y, new(0.5f, 0.5f), out Vector3 d)
                        ? small.Depth[i] / Math.Max(1e-3f, grid.DepthOf(grid.Origin + d))
                        : float.PositiveInfinity;
            }
        }
        return distance;
    }
}
