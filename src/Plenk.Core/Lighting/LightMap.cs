using System.Numerics;
using Plenk.Core.Images;
using Plenk.Core.Sets;
using Plenk.Core.Tracing;

namespace Plenk.Core.Lighting;

/// <summary>
/// The light of the plate over a surface's texture, as an element gets it: what is seen divided by it is the colour that shows the same there.
/// </summary>
public static class LightMap
{
    /// <summary>So many places a side of a tile, at the most, and so many samples each, with so many rays to what is all around.</summary>
    private const int Places = 160,
        Samples = 8,
        Rays = 12;

    /// <param name="mesh">In the world, with texture coordinates 0..1 of its tiles.</param>
    /// <param name="tileOf">By triangle.</param>
    /// <param name="side">Of a tile, texels.</param>
    /// <returns>A tile each: linear RGB irradiance at its places; what lies on no triangle has that of its neighbours, or 0.</returns>
    public static FloatImage[] Of(
        SetScene set,
        LightRig rig,
        SkyOpenings? openings,
        TriangleMesh mesh,
        IReadOnlyList<int> tileOf,
        int tiles,
        int side,
        uint seed,
        CancellationToken stop = default
    )
    {
        int many = Math.Min(side, Places);
        var maps = new FloatImage[tiles];
        for (int tile = 0; tile < tiles; tile++)
        {
            var owner = new (int Triangle, Vector3 Point)[many * many];
            Array.Fill(owner, (-1, default));
            for (int t = 0; t < mesh.TriangleCount; t++)
            {
                if (tileOf[t] == tile)
                {
                    Lay(owner, many, mesh, t);
                }
            }
            var map = maps[tile] = new FloatImage(many, many, 3);
            var known = new bool[many * many];
            Parallel.For(0, many * many, Cores.Until(stop), i =>
            {
                var (t, point) = owner[i];
                if (t < 0)
                {
                    return;
                }
                Vector3 sum = default,
                    normal = mesh.FaceNormal(t);
                for (int s = 0; s < Samples; s++)
                {
                    sum += SpotIrradiance.At(set, rig, openings, point, normal, Rays, (uint)(i * Samples + s), seed, ofElements: true);
                }
                Vector3 mean = sum / Samples;
                Span<float> p = map.Pixel(i % many, i / many);
                (p[0], p[1], p[2]) = (mean.X, mean.Y, mean.Z);
                known[i] = true;
            });
            Extend(map, known, 3);
        }
        return maps;
    }

    /// <summary>Straight between the four places around a spot of a tile, 0..1.</summary>
    public static Vector3 At(FloatImage map, float u, float v)
    {
        float x = Math.Clamp(u * map.Width - 0.5f, 0, map.Width - 1),
            y = Math.Clamp(v * map.Height - 0.5f, 0, map.Height - 1);
        int x0 = (int)x,
            y0 = (int)y,
            x1 = Math.Min(x0 + 1, map.Width - 1),
            y1 = Math.Min(y0 + 1, map.Height - 1);
        Vector3 Of(int i, int j)
        {
            Span<float> p = map.Pixel(i, j);
            return new(p[0], p[1], p[2]);
        }
        return Vector3.Lerp(Vector3.Lerp(Of(x0, y0), Of(x1, y0), x - x0), Vector3.Lerp(Of(x0, y1), Of(x1, y1), x - x0), y - y0);
    }

    private static void Lay((int, Vector3)[] owner, int many, TriangleMesh mesh, int t)
    {
        var (a, b, c) = mesh.Triangle(t);
        Vector2 Place(int k) => many * mesh.TextureCoordinates![mesh.Indices[3 * t + k]];
        Vector2 pa = Place(0),
            e1 = Place(1) - pa,
            e2 = Place(2) - pa,
            low = Vector2.Min(pa, Vector2.Min(pa + e1, pa + e2)),
            high = Vector2.Max(pa, Vector2.Max(pa + e1, pa + e2));
        float det = e1.X * e2.Y - e1.Y * e2.X;
        if (det == 0)
        {
            return;
        }
        for (int y = Math.Max(0, (int)low.Y - 1); y <= Math.Min(many - 1, (int)high.Y + 1); y++)
        {
            for (int x = Math.Max(0, (int)low.X - 1); x <= Math.Min(many - 1, (int)high.X + 1); x++)
            {
                Vector2 d = new Vector2(x + 0.5f, y + 0.5f) - pa;
                float u = (d.X * e2.Y - d.Y * e2.X) / det,
                    v = (e1.X * d.Y - e1.Y * d.X) / det;
                if (u >= -1e-3f && v >= -1e-3f && u + v <= 1.001f)
                {
                    owner[y * many + x] = (t, a + u * (b - a) + v * (c - a));
                }
            }
        }
    }

    /// <summary>Places beside those that are known get the mean of their neighbours, ring after ring.</summary>
    private static void Extend(FloatImage map, bool[] known, int rings)
    {
        for (int ring = 0; ring < rings; ring++)
        {
            var next = (bool[])known.Clone();
            for (int i = 0; i < known.Length; i++)
            {
                if (known[i])
                {
                    continue;
                }
                int x = i % map.Width,
                    y = i / map.Width,
                    count = 0;
                Vector3 sum = default;
                for (int dy = -1; dy <= 1; dy++)
                {
                    for (int dx = -1; dx <= 1; dx++)
                    {
                        int u = x + dx,
                            v = y + dy;
                        if (u >= 0 && v >= 0 && u < map.Width && v < map.Height && known[v * map.Width + u])
                        {
                            Span<float> q = map.Pixel(u, v);
                            sum += new Vector3(q[0], q[1], q[2]);
                            count++;
                        }
                    }
                }
                if (count > 0)
                {
                    Span<float> p = map.Pixel(x, y);
                    (p[0], p[1], p[2]) = (sum.X / count, sum.Y / count, sum.Z / count);
                    next[i] = true;
                }
            }
            known = next;
        }
    }
}
