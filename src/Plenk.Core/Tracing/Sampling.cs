using System.Numerics;
using Plenk.Core.Algebra;

namespace Plenk.Core.Tracing;

/// <summary>
/// Seeded low-discrepancy points: the first two Sobol dimensions with hash-based Owen scrambling and index shuffling
/// (Burley, "Practical hash-based Owen scrambling", JCGT 2020). The same index, dimension pair and seed give the same
/// point on any machine and in any order of evaluation.
/// </summary>
public static class Sampling
{
    /// <summary>Point <paramref name="index"/> of the sequence that belongs to (seed, pair), in [0, 1)².</summary>
    public static Vector2 Point(uint index, uint seed, uint pair)
    {
        uint s = Hash(seed ^ Hash(pair + 0x9E3779B9u));
        // All in reversed bits, where the scramble works: the first dimension is then the index itself, the second Pascal's
        // triangle of it.
        uint i = ReverseBits(Scramble(ReverseBits(index), s));
        uint x = ReverseBits(Scramble(i, Hash(s + 1)));
        uint y = ReverseBits(Scramble(Pascal(i), Hash(s + 2)));
        return new Vector2((x >> 8) * (1f / 16777216), (y >> 8) * (1f / 16777216));
    }

    /// <inheritdoc cref="HashMix.Of"/>
    public static uint Hash(uint x) => HashMix.Of(x);

    public static uint PixelSeed(int x, int y, uint seed) => Hash((uint)x + Hash((uint)y + Hash(seed)));

    /// <summary>Cosine-weighted direction about a unit normal (Malley's method).</summary>
    public static Vector3 CosineHemisphere(Vector3 normal, Vector2 u)
    {
        Vector2 d = Disk(u);
        var (tangent, bitangent) = Frame(normal);
        float z = MathF.Sqrt(MathF.Max(0, 1 - d.LengthSquared()));
        return Vector3.Normalize(tangent * d.X + bitangent * d.Y + normal * z);
    }

    /// <summary>Direction uniform over the solid angle of a cone about a unit axis.</summary>
    public static Vector3 Cone(Vector3 axis, float cosHalfAngle, Vector2 u)
    {
        float z = 1 - u.X * (1 - cosHalfAngle);
        float r = MathF.Sqrt(MathF.Max(0, 1 - z * z));
        var (sin, cos) = ElementaryF.SinCos(2 * MathF.PI * u.Y);
        var (tangent, bitangent) = Frame(axis);
        return Vector3.Normalize(tangent * (r * cos) + bitangent * (r * sin) + axis * z);
    }

    /// <summary>Square to disk, equal area (Shirley &amp; Chiu 1997).</summary>
    public static Vector2 Disk(Vector2 u)
    {
        float a = 2 * u.X - 1,
            b = 2 * u.Y - 1;
        if (a == 0 && b == 0)
        {
            return default;
        }
        float r,
            phi;
        if (MathF.Abs(a) > MathF.Abs(b))
        {
            (r, phi) = (a, MathF.PI / 4 * (b / a));
        }
        else
        {
            (r, phi) = (b, MathF.PI / 2 - MathF.PI / 4 * (a / b));
        }
        var (sin, cos) = ElementaryF.SinCos(phi);
        return new Vector2(r * cos, r * sin);
    }

    /// <summary>Two unit vectors that make a right-handed frame with n (Duff et al., JCGT 2017).</summary>
    public static (Vector3 Tangent, Vector3 Bitangent) Frame(Vector3 n)
    {
        float sign = MathF.CopySign(1, n.Z);
        float a = -1 / (sign + n.Z),
            b = n.X * n.Y * a;
        return (new Vector3(1 + sign * n.X * n.X * a, sign * b, -sign * n.X), new Vector3(b, sign + n.Y * n.Y * a, -n.Y));
    }

    private static uint ReverseBits(uint x)
    {
        x = ((x >> 1) & 0x55555555u) | ((x & 0x55555555u) << 1);
        x = ((x >> 2) & 0x33333333u) | ((x & 0x33333333u) << 2);
        x = ((x >> 4) & 0x0F0F0F0Fu) | ((x & 0x0F0F0F0Fu) << 4);
        return System.Buffers.Binary.BinaryPrimitives.ReverseEndianness(x);
    }

    /// <summary>
    /// Second Sobol dimension in reversed bits: the index times Pascal's triangle modulo 2, by five foldings (Ahmed, "An
    /// implementation algorithm of 2D Sobol sequence fast, elegant, and compact", EGSR 2024).
    /// </summary>
    private static uint Pascal(uint i)
    {
        i ^= (i & 0xAAAAAAAAu) >> 1;
        i ^= (i & 0xCCCCCCCCu) >> 2;
        i ^= (i & 0xF0F0F0F0u) >> 4;
        i ^= (i & 0xFF00FF00u) >> 8;
        return i ^ (i >> 16);
    }

    /// <summary>Owen's scrambling of reversed bits: the Laine–Karras permutation with Vegdahl's constants, as given by Burley.</summary>
    private static uint Scramble(uint x, uint seed)
    {
        x ^= x * 0x3D20ADEAu;
        x += seed;
        x *= (seed >> 16) | 1;
        x ^= x * 0x05526C56u;
        return x ^ (x * 0x53A22864u);
    }
}
