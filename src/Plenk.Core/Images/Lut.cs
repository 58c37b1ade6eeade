using System.Numerics;

namespace Plenk.Core.Images;

/// <summary>
/// A lookup table: a curve per channel, or a cube of colours with red running fastest. Between its places it is linear; in a cube
/// by the tetrahedron the colour falls into (Kasson, Nin, Plouffe and Hafner 1995). Beyond its domain the nearest end holds.
/// </summary>
public sealed record Lut(int Size, bool IsCube, Vector3 DomainMin, Vector3 DomainMax, Vector3[] Values)
{
    public Vector3 Apply(Vector3 code)
    {
        Vector3 at = Vector3.Clamp((code - DomainMin) / (DomainMax - DomainMin), Vector3.Zero, Vector3.One) * (Size - 1);
        return IsCube ? Cube(at) : new(Curve(at.X, 0), Curve(at.Y, 1), Curve(at.Z, 2));
    }

    private float Curve(float at, int channel)
    {
        int i = Math.Min((int)at, Size - 2);
        float a = Values[i][channel],
            b = Values[i + 1][channel];
        return a + (b - a) * (at - i);
    }

    private Vector3 Cube(Vector3 at)
    {
        int x = Math.Min((int)at.X, Size - 2),
            y = Math.Min((int)at.Y, Size - 2),
            z = Math.Min((int)at.Z, Size - 2);
        float r = at.X - x,
            g = at.Y - y,
            b = at.Z - z;
        int dx = 1,
            dy = Size,
            dz = Size * Size,
            o = x + Size * (y + Size * z);
        Vector3 low = Values[o],
            high = Values[o + dx + dy + dz];
        // From the dark corner to the light one along the axes in the order of their fractions.
        var (first, second, f1, f2, f3) =
            r >= g
                ? g >= b
                    ? (dx, dx + dy, r, g, b)
                    : r >= b
                        ? (dx, dx + dz, r, b, g)
                        : (dz, dz + dx, b, r, g)
                : r >= b
                    ? (dy, dy + dx, g, r, b)
                    : g >= b
                        ? (dy, dy + dz, g, b, r)
                        : (dz, dz + dy, b, g, r);
        Vector3 a = Values[o + first],
            c = Values[o + second];
        return low + f1 * (a - low) + f2 * (c - a) + f3 * (high - c);
    }
}
