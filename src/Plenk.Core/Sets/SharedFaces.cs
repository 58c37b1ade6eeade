using System.Numerics;
using Plenk.Core.Projection;
using Plenk.Core.Tracing;

namespace Plenk.Core.Sets;

/// <summary>Two pieces whose faces lie in one another, the same way round: which of them is seen there would be left to rounding.</summary>
/// <param name="First">Index of the piece that stands first in the list and is the one that is seen.</param>
public sealed record SharedFace(int First, int Second, double Area, Vector3 Place);

public static class SharedFaces
{
    /// <summary>Faces nearer than this count as one, metres.</summary>
    public const float Within = 3e-4f;

    /// <summary>Found at spots spread over all pieces; smaller than about a hundredth of a piece is not found.</summary>
    public static IReadOnlyList<SharedFace> Of(IReadOnlyList<TriangleMesh> meshes, IReadOnlyList<int> among)
    {
        var found = new Dictionary<(int, int), (double Area, Vector3 Place)>();
        MeshTree[] trees = [.. among.Select(i => new MeshTree(meshes[i]))];
        for (int a = 0; a < trees.Length; a++)
        {
            for (int b = 0; b < trees.Length; b++)
            {
                var margin = new Vector3(Within);
                if (a == b || !Meet(trees[a].Min - margin, trees[a].Max + margin, trees[b].Min, trees[b].Max))
                {
                    continue;
                }
                var other = new TraceScene([new TraceInstance(trees[b], Geometry.Similarity.Identity, RayKinds.CameraSet)]);
                double area = 0;
                Vector3 place = default;
                foreach (SetSpot s in SetSpots.Over(meshes[among[a]], among[a], 300))
                {
                    Hit hit = other.Intersect(new Ray(s.Point + s.Normal * Within, -s.Normal, 0, 2 * Within), RayKinds.CameraSet);
                    if (!hit.IsHit || Vector3.Dot(other.Instances[0].FaceNormal(hit), s.Normal) < 0.999f)
                    {
                        continue;
                    }
                    area += s.Area;
                    place = s.Point;
                }
                if (area <= 0)
                {
                    continue;
                }
                var key = among[a] < among[b] ? (among[a], among[b]) : (among[b], among[a]);
                // Each of them measures the same shared part; the finer spots are believed.
                if (!found.TryGetValue(key, out var known) || area < known.Area)
                {
                    found[key] = (area, place);
                }
            }
        }
        return [.. found.Select(f => new SharedFace(f.Key.Item1, f.Key.Item2, f.Value.Area, f.Value.Place)).OrderByDescending(f => f.Area)];
    }

    private static bool Meet(Vector3 aMin, Vector3 aMax, Vector3 bMin, Vector3 bMax) =>
        aMin.X <= bMax.X && aMax.X >= bMin.X && aMin.Y <= bMax.Y && aMax.Y >= bMin.Y && aMin.Z <= bMax.Z && aMax.Z >= bMin.Z;
}
