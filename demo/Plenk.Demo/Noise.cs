using System.Numerics;
using Plenk.Core.Tracing;

namespace Plenk.Demo;

/// <summary>Seeded value noise; 0..1.</summary>
public static class Noise
{
    public static float Cell(int x, int y, int z) =>
        (Sampling.Hash((uint)x * 73856093u ^ Sampling.Hash((uint)y * 19349663u ^ Sampling.Hash((uint)z * 83492791u))) >> 8)
        * (1f / 16777216);

    /// <summary>A lattice of 64³ random values; noise repeats after 64 cells, far beyond what one octave shows of itself.</summary>
    private static readonly float[] Lattice = MakeLattice();

    private static float[] MakeLattice()
    {
        var lattice = new float[64 * 64 * 64];
        for (int i = 0; i < lattice.Length; i++)
        {
            lattice[i] = Cell(i & 63, (i >> 6) & 63, i >> 12);
        }
        return lattice;
    }

    public static float Value(Vector3 p)
    {
        int x = (int)MathF.Floor(p.X),
            y = (int)MathF.Floor(p.Y),
            z = (int)MathF.Floor(p.Z);
        float u = p.X - x,
            v = p.Y - y,
            w = p.Z - z;
        u = u * u * (3 - 2 * u);
        v = v * v * (3 - 2 * v);
        w = w * w * (3 - 2 * w);
        int x0 = x & 63,
            x1 = (x + 1) & 63,
            y0 = (y & 63) << 6,
            y1 = ((y + 1) & 63) << 6,
            z0 = (z & 63) << 12,
            z1 = ((z + 1) & 63) << 12;
        float[] l = Lattice;
        float a = Mix(l[z0 | y0 | x0], l[z0 | y0 | x1], u),
            b = Mix(l[z0 | y1 | x0], l[z0 | y1 | x1], u);
        float c = Mix(l[z1 | y0 | x0], l[z1 | y0 | x1], u),
            d = Mix(l[z1 | y1 | x0], l[z1 | y1 | x1], u);
        return Mix(Mix(a, b, v), Mix(c, d, v), w);
    }

    private static float Mix(float a, float b, float t) => a + (b - a) * t;

    public static float Fractal(Vector3 p, int octaves)
    {
        float sum = 0,
            amplitude = 0.5f,
            total = 0;
        for (int i = 0; i < octaves; i++)
        {
            sum += amplitude * Value(p);
            total += amplitude;
            amplitude *= 0.5f;
            p = p * 2.03f + new Vector3(17.3f, 31.7f, 5.1f);
        }
        return sum / total;
    }

    /// <summary>Thin wandering lines: 1 on a line, 0 away from it.</summary>
    public static float Cracks(Vector3 p, float width, int octaves = 4)
    {
        float d = MathF.Abs(Fractal(p, octaves) - 0.5f);
        return Math.Clamp(1 - d / width, 0, 1);
    }

    public static float Step(float low, float high, float x)
    {
        float t = Math.Clamp((x - low) / (high - low), 0, 1);
        return t * t * (3 - 2 * t);
    }
}
