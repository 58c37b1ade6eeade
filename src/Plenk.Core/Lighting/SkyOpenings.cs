using System.Numerics;
using Plenk.Core.Sets;
using Plenk.Core.Tracing;

namespace Plenk.Core.Lighting;

/// <summary>
/// Where the sky is seen from inside a set: the box around the set is divided into cells, and each cell remembers how often
/// rays from the set's surfaces leave through it. Sky directions are then drawn partly by the cosine, partly through those
/// cells, and weighted by the mixture's density (the balance heuristic of Veach &amp; Guibas 1995, one sample), so the
/// answer stays exact and the noise of a hall with windows falls by an order of magnitude.
/// </summary>
public sealed class SkyOpenings
{
    private const int Cells = 40;
    private const float CosineShare = 0.35f;
    private readonly Vector3 _min,
        _size;
    private readonly float[] _cumulative; // by cell, six faces of Cells × Cells
    private readonly float[] _density; // probability of a cell ÷ its area

    private SkyOpenings(Vector3 min, Vector3 size, float[] cumulative, float[] density) =>
        (_min, _size, _cumulative, _density) = (min, size, cumulative, density);

    /// <summary>Null for an empty set and for one from which no ray leaves: the cosine alone serves then.</summary>
    public static SkyOpenings? Find(SetScene set, uint seed)
    {
        if (set.Instances.Count == 0)
        {
            return null;
        }
        Vector3 pad = (set.Max - set.Min) * 0.01f + new Vector3(0.01f);
        Vector3 min = set.Min - pad,
            size = set.Max - set.Min + 2 * pad;
        var counts = new float[6 * Cells * Cells];
        TriangleMesh[] meshes = [.. set.Meshes.Zip(set.Pieces).Where(p => !p.Second.Duties.OnlyBlocksLight).Select(p => p.First)];
        var areas = new List<(TriangleMesh Mesh, int Triangle, float Cumulative)>();
        float total = 0;
        foreach (TriangleMesh m in meshes)
        {
            for (int i = 0; i < m.TriangleCount; i++)
            {
                var (a, b, c) = m.Triangle(i);
                total += Vector3.Cross(b - a, c - a).Length() / 2;
                areas.Add((m, i, total));
            }
        }
        if (!(total > 0))
        {
            return null;
        }
        int escaped = 0;
        const int points = 6000,
            rays = 16;
        for (uint k = 0; k < points; k++)
        {
            float pick = (k + 0.5f) / points * total;
            int low = 0,
                high = areas.Count - 1;
            while (low < high)
            {
                int mid = (low + high) / 2;
                if (areas[mid].Cumulative < pick)
                {
                    low = mid + 1;
                }
                else
                {
                    high = mid;
                }
            }
            var (mesh, triangle, _) = areas[low];
            Vector2 u = Sampling.Point(k, seed, 11);
            if (u.X + u.Y > 1)
            {
                u = Vector2.One - u;
            }
            var (a, b, c) = mesh.Triangle(triangle);
            Vector3 n = mesh.FaceNormal(triangle);
            Vector3 p = a + (b - a) * u.X + (c - a) * u.Y;
            for (uint j = 0; j < rays; j++)
            {
                Vector3 side = (j & 1) == 0 ? n : -n;
                Vector3 d = Sampling.CosineHemisphere(side, Sampling.Point(k * rays + j, seed, 12));
                if (!set.Scene.Occluded(new Ray(p + side * 1e-3f, d), RayKinds.LightSet))
                {
                    (int cell, _, _) = CellOf(min, size, p, d);
                    counts[cell]++;
                    escaped++;
                }
            }
        }
        if (escaped == 0)
        {
            return null;
        }
        // Seldom-met openings may have been missed by chance: neighbours of a cell share a little.
        var spread = (float[])counts.Clone();
        for (int f = 0; f < 6; f++)
        {
            for (int y = 0; y < Cells; y++)
            {
                for (int x = 0; x < Cells; x++)
                {
                    float v = counts[(f * Cells + y) * Cells + x] * 0.15f;
                    if (v == 0)
                    {
                        continue;
                    }
                    if (x > 0)
                    {
                        spread[(f * Cells + y) * Cells + x - 1] += v;
                    }
                    if (x < Cells - 1)
                    {
                        spread[(f * Cells + y) * Cells + x + 1] += v;
                    }
                    if (y > 0)
                    {
                        spread[(f * Cells + y - 1) * Cells + x] += v;
                    }
                    if (y < Cells - 1)
                    {
                        spread[(f * Cells + y + 1) * Cells + x] += v;
                    }
                }
            }
        }
        float sum = spread.Sum(),
            running = 0;
        var cumulative = new float[spread.Length];
        var density = new float[spread.Length];
        for (int i = 0; i < spread.Length; i++)
        {
            running += spread[i] / sum;
            cumulative[i] = running;
            density[i] = spread[i] / sum / CellArea(size, i / (Cells * Cells));
        }
        cumulative[^1] = 1;
        return new(min, size, cumulative, density);
    }

    /// <summary>
    /// A direction for the sky's irradiance at a point with a normal: factor = cos / (π pdf), so that the irradiance of a
    /// uniform sky of radiance L is the mean of π L · factor · visible. Factor 0: nothing to gain that way.
    /// </summary>
    public (Vector3 Direction, float Factor) Sample(Vector3 p, Vector3 n, Vector2 u)
    {
        Vector3 d;
        if (u.X < CosineShare)
        {
            d = Sampling.CosineHemisphere(n, new Vector2(u.X / CosineShare, u.Y));
        }
        else
        {
            float pick = (u.X - CosineShare) / (1 - CosineShare);
            int cell = Math.Min(FirstFrom(pick), _cumulative.Length - 1);
            float before = cell > 0 ? _cumulative[cell - 1] : 0,
                width = _cumulative[cell] - before;
            float s = width > 0 ? Math.Clamp((pick - before) / width, 0, 1) : 0.5f;
            int face = cell / (Cells * Cells),
                x = cell % Cells,
                y = cell / Cells % Cells,
                axis = face >> 1;
            Vector3 target = default;
            target[axis] = (face & 1) == 0 ? _min[axis] : _min[axis] + _size[axis];
            int a = (axis + 1) % 3,
                b = (axis + 2) % 3;
            target[a] = _min[a] + _size[a] * (x + s) / Cells;
            target[b] = _min[b] + _size[b] * (y + u.Y) / Cells;
            d = Vector3.Normalize(target - p);
        }
        float cos = Vector3.Dot(n, d);
        return cos > 0 ? (d, cos / (MathF.PI * Density(p, n, d))) : (d, 0);
    }

    /// <summary>
    /// The cell whose cumulative share is a value, or the first beyond it: the library's binary search without its calls.
    /// </summary>
    private int FirstFrom(float value)
    {
        float[] shares = _cumulative;
        int low = 0,
            high = shares.Length - 1;
        while (low <= high)
        {
            int middle = low + ((high - low) >> 1);
            float share = shares[middle];
            if (share == value)
            {
                return middle;
            }
            if (share < value)
            {
                low = middle + 1;
            }
            else
            {
                high = middle - 1;
            }
        }
        return low;
    }

    /// <summary>How densely directions are drawn around one, a steradian; above the surface.</summary>
    public float Density(Vector3 p, Vector3 n, Vector3 d)
    {
        var (at, distance, cosFace) = CellOf(_min, _size, p, d);
        return CosineShare * Vector3.Dot(n, d) / MathF.PI
            + (1 - CosineShare) * _density[at] * distance * distance / MathF.Max(cosFace, 1e-6f);
    }

    private static float CellArea(Vector3 size, int face)
    {
        int axis = face >> 1;
        return size[(axis + 1) % 3] * size[(axis + 2) % 3] / (Cells * Cells);
    }

    private static (int Cell, float Distance, float Cos) CellOf(Vector3 min, Vector3 size, Vector3 p, Vector3 d)
    {
        float nearest = float.PositiveInfinity;
        int face = 0;
        for (int axis = 0; axis < 3; axis++)
        {
            if (MathF.Abs(d[axis]) < 1e-12f)
            {
                continue;
            }
            bool far = d[axis] > 0;
            float t = ((far ? min[axis] + size[axis] : min[axis]) - p[axis]) / d[axis];
            if (t < nearest)
            {
                (nearest, face) = (t, axis * 2 + (far ? 1 : 0));
            }
        }
        nearest = MathF.Max(nearest, 0);
        Vector3 q = p + d * nearest - min;
        int main = face >> 1,
            a = (main + 1) % 3,
            b = (main + 2) % 3;
        int x = Math.Clamp((int)(q[a] / size[a] * Cells), 0, Cells - 1),
            y = Math.Clamp((int)(q[b] / size[b] * Cells), 0, Cells - 1);
        return ((face * Cells + y) * Cells + x, nearest, MathF.Abs(d[main]));
    }
}
