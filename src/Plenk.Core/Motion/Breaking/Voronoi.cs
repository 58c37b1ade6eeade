using System.Numerics;
using Plenk.Core.Algebra;
using Plenk.Core.Geometry;
using Plenk.Core.Tracing;

namespace Plenk.Core.Motion.Breaking;

/// <summary>A solid cut into the cells of seeds (Voronoi 1908): each has what lies nearer to its seed than to any other.</summary>
public static class Voronoi
{
    /// <summary>Candidates of a seed, of which the one that is furthest from the others is taken (Mitchell 1991).</summary>
    private const int Candidates = 8;

    /// <param name="material">Of the faces that a cut makes.</param>
    public static IReadOnlyList<Solid> Cells(Solid whole, IReadOnlyList<Vec3> seeds, int material)
    {
        var cells = new Solid[seeds.Count];
        Parallel.For(0, seeds.Count, Cores.All, i =>
        {
            Solid? cell = whole;
            foreach (int j in Enumerable.Range(0, seeds.Count).Where(j => j != i).OrderBy(j => (seeds[j] - seeds[i]).LengthSquared))
            {
                Vec3 way = seeds[j] - seeds[i];
                double far = way.Length;
                // Beyond twice its furthest corner no seed takes anything away.
                if (far / 2 > cell.Faces.Max(f => f.Corners.Max(c => (c.At - seeds[i]).Length)))
                {
                    break;
                }
                Vec3 n = way / far;
                cell = cell.Below(n, Vec3.Dot(n, seeds[i] + way / 2), material);
                if (cell is null)
                {
                    break;
                }
            }
            cells[i] = cell ?? new([]);
        });
        return cells;
    }

    /// <summary>Seeds within a solid, denser around a spot.</summary>
    /// <param name="struck">Null: as dense everywhere.</param>
    /// <param name="cracks">Lines on its surface that faces between cells follow, each two places or more; null: none.</param>
    public static IReadOnlyList<Vec3> Seeds(
        Solid whole,
        int count,
        int seed,
        Vec3? struck,
        IReadOnlyList<IReadOnlyList<Vec3>>? cracks = null
    )
    {
        var tree = new MeshTree(whole.Mesh(Vec3.Zero));
        var scene = new TraceScene([new(tree, Similarity.Identity, RayKinds.CameraSet)]);
        Vector3 size = tree.Max - tree.Min;
        double extent = size.Length();
        uint state = HashMix.Of((uint)seed ^ 0x51ED270Bu);
        float Next()
        {
            state = HashMix.Of(state + 0x9E3779B9u);
            return (state >> 8) * (1f / 16777216);
        }
        Vec3 Inside()
        {
            for (int k = 0; k < 10_000; k++)
            {
                Vector3 p = tree.Min + size * new Vector3(Next(), Next(), Next());
                if (IsInside(scene, p))
                {
                    return Vec3.From(p);
                }
            }
            // So thin that hardly a spot of its bounds lies in it: on a face, a hair inwards.
            SolidFace f = whole.Faces[(int)(Next() * whole.Faces.Count) % whole.Faces.Count];
            Vec3 middle = f.Corners.Aggregate(Vec3.Zero, (s, c) => s + c.At) / f.Corners.Length;
            return middle - 1e-5 * extent * f.Normal.Normalized();
        }
        // How large cells are meant to be there: a third of that at the spot, growing outwards.
        double Wide(Vec3 p) => struck is { } s ? 0.12 + (p - s).Length / extent : 1;
        CrackSeeds? along = cracks is { Count: > 0 } ? CrackSeeds.Of(whole, scene, count, cracks) : null;
        List<Vec3> seeds = [.. (along?.Seeds ?? []).Where(p => IsInside(scene, p.ToSingle()))];
        int without = 0;
        while (seeds.Count < count)
        {
            Vec3 best = default;
            double furthest = -1;
            for (int k = 0; k < Candidates; k++)
            {
                Vec3 p = Inside();
                for (int again = 0; again < Candidates && along?.IsNear(p) == true; again++)
                {
                    p = Inside();
                }
                double near =
                    along?.IsNear(p) == true ? -0.5
                    : seeds.Count == 0 ? 1
                    : seeds.Min(s => (s - p).Length) / Wide(p);
                if (near > furthest)
                {
                    (best, furthest) = (p, near);
                }
            }
            seeds.Add(best);
            if (along?.IsNear(best) != true)
            {
                continue;
            }
            // There is no room but beside a crack: one on either side of it, or none.
            Vec3 across = along.Across(best);
            if (seeds.Count < count && IsInside(scene, across.ToSingle()))
            {
                seeds.Add(across);
                continue;
            }
            seeds.RemoveAt(seeds.Count - 1);
            if (++without > Candidates)
            {
                break;
            }
        }
        return seeds;
    }

    private static bool IsInside(TraceScene scene, Vector3 p)
    {
        Vector3 d = Vector3.Normalize(new(0.5773f, 0.5931f, 0.5613f));
        int crossings = 0;
        var ray = new Ray(p, d);
        for (int k = 0; k < 256; k++)
        {
            Hit hit = scene.Intersect(ray, RayKinds.CameraSet);
            if (!hit.IsHit)
            {
                break;
            }
            crossings++;
            ray = ray.Beyond(hit);
        }
        return crossings % 2 == 1;
    }
}
