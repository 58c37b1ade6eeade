using System.Numerics;

namespace Plenk.Core.Tracing;

/// <summary>
/// The plain twin of <see cref="MeshTree"/>: the same watertight test, one triangle after another, no tree.
/// It is the oracle for the fast one: results are equal bit for bit.
/// </summary>
public static class ScalarTracer
{
    public static Hit Intersect(TriangleMesh mesh, in Ray ray)
    {
        Hit best = Hit.None with { T = ray.TMax };
        Vector3 d = ray.Direction,
            abs = Vector3.Abs(d);
        int kz =
            abs.X >= abs.Y && abs.X >= abs.Z ? 0
            : abs.Y >= abs.Z ? 1
            : 2;
        int kx = (kz + 1) % 3,
            ky = (kx + 1) % 3;
        if (d[kz] < 0)
        {
            (kx, ky) = (ky, kx);
        }
        float sx = d[kx] / d[kz],
            sy = d[ky] / d[kz],
            sz = 1 / d[kz];
        for (int i = 0; i < mesh.TriangleCount; i++)
        {
            var (a, b, c) = mesh.Triangle(i);
            (a, b, c) = (a - ray.Origin, b - ray.Origin, c - ray.Origin);
            float ax = a[kx] - sx * a[kz],
                ay = a[ky] - sy * a[kz];
            float bx = b[kx] - sx * b[kz],
                by = b[ky] - sy * b[kz];
            float cx = c[kx] - sx * c[kz],
                cy = c[ky] - sy * c[kz];
            float u = cx * by - cy * bx,
                v = ax * cy - ay * cx,
                w = bx * ay - by * ax;
            if (u == 0 || v == 0 || w == 0)
            {
                u = (float)((double)cx * by - (double)cy * bx);
                v = (float)((double)ax * cy - (double)ay * cx);
                w = (float)((double)bx * ay - (double)by * ax);
            }
            bool negative = u < 0 || v < 0 || w < 0,
                positive = u > 0 || v > 0 || w > 0;
            if (negative == positive)
            {
                continue;
            }
            float det = u + v + w;
            float t = (u * (sz * a[kz]) + v * (sz * b[kz]) + w * (sz * c[kz])) / det;
            if (t > ray.TMin && t < best.T)
            {
                float inverse = 1 / det;
                best = new Hit(t, v * inverse, w * inverse, i, 0);
            }
        }
        return best.IsHit ? best : Hit.None;
    }
}
