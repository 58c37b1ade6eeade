using System.Numerics;
using Plenk.Core.Tracing;

namespace Plenk.Demo;

/// <summary>
/// The brass diving bell: a flared, riveted dome with four ports, hoops, a crown with its eye and a chain. Metres, its rim
/// stands on y = 0 and its axis is +Y. Materials: 0 brass, 1 dark iron, 2 glass.
/// </summary>
public static class BellModel
{
    public const float Height = 1.75f;

    public static readonly (string Name, Vector3 BaseColor, float Metallic, float Roughness)[] Materials =
    [
        ("brass", new(0.56f, 0.37f, 0.15f), 1, 0.38f),
        ("iron", new(0.11f, 0.10f, 0.095f), 0, 0.6f),
        ("glass", new(0.02f, 0.035f, 0.035f), 0, 0.12f),
    ];

    public static TriangleMesh Build()
    {
        var b = new MeshBuilder();
        const int sides = 64;
        (float Radius, float Height)[] profile =
        [
            (0.60f, 0),
            (0.62f, 0.015f),
            (0.62f, 0.07f),
            (0.585f, 0.10f),
            (0.565f, 0.30f),
            (0.54f, 0.60f),
            (0.515f, 0.88f),
            (0.49f, 1.06f),
            (0.44f, 1.22f),
            (0.36f, 1.36f),
            (0.25f, 1.46f),
            (0.13f, 1.515f),
            (0.12f, 1.54f),
            (0.12f, 1.58f),
            (0.06f, 1.60f),
            (0, 1.605f),
        ];
        b.Turned(default, profile, sides, 0);
        b.Turned(
            default,
            [.. profile.Take(12).Reverse().Select(p => (MathF.Max(0, p.Radius - 0.025f), MathF.Max(0.012f, p.Height - 0.012f)))],
            sides,
            1
        );
        b.Turned(default, [(0.575f, 0.012f), (0.60f, 0)], sides, 0);
        float Radius(float y)
        {
            int k = Array.FindIndex(profile, p => p.Height >= y);
            var (r0, y0) = profile[k - 1];
            var (r1, y1) = profile[k];
            return r0 + (r1 - r0) * (y - y0) / (y1 - y0);
        }
        foreach (float y in (float[])[0.34f, 1.02f])
        {
            float r = Radius(y);
            b.Turned(
                default,
                [(r - 0.01f, y - 0.035f), (r + 0.014f, y - 0.03f), (r + 0.010f, y + 0.03f), (r - 0.012f, y + 0.035f)],
                sides,
                0
            );
            for (int i = 0; i < 28; i++)
            {
                Rivet(y, 2 * MathF.PI * i / 28, r + 0.011f);
            }
        }
        for (int i = 0; i < 32; i++)
        {
            Rivet(0.045f, 2 * MathF.PI * (i + 0.5f) / 32, 0.618f);
        }
        void Rivet(float y, float angle, float r)
        {
            var (s, c) = MathF.SinCos(angle);
            var outwards = new Vector3(s, 0, c);
            b.Bar(outwards * (r - 0.01f) + Vector3.UnitY * y, outwards * (r + 0.010f) + Vector3.UnitY * y, 0.013f, 6, 0);
        }
        for (int i = 0; i < 4; i++)
        {
            var (s, c) = MathF.SinCos(2 * MathF.PI * i / 4 + 0.5f);
            var n = new Vector3(s, 0, c);
            const float y = 0.70f;
            Vector3 centre = n * (Radius(y) + 0.012f) + Vector3.UnitY * y;
            var side = new Vector3(c, 0, -s);
            b.Bar(centre - n * 0.05f, centre + n * 0.012f, 0.125f, 32, 2);
            b.Ring(centre + n * 0.012f, side, Vector3.UnitY, 0.135f, 0.024f, 36, 10, 0);
            for (int k = 0; k < 8; k++)
            {
                var (ks, kc) = MathF.SinCos(2 * MathF.PI * k / 8);
                Vector3 at = centre + (side * kc + Vector3.UnitY * ks) * 0.135f;
                b.Bar(at, at + n * 0.042f, 0.011f, 6, 1);
            }
            // Bars across the glass.
            b.Bar(centre + n * 0.03f - Vector3.UnitY * 0.12f, centre + n * 0.03f + Vector3.UnitY * 0.12f, 0.008f, 6, 0);
            b.Bar(centre + n * 0.03f - side * 0.12f, centre + n * 0.03f + side * 0.12f, 0.008f, 6, 0);
        }
        b.Ring(new Vector3(0, 1.66f, 0), Vector3.UnitX, Vector3.UnitY, 0.065f, 0.018f, 28, 10, 1);
        // The chain goes up link by link to the roof.
        for (int i = 0; i < 70; i++)
        {
            Vector3 centre = new(0.012f * MathF.Sin(i * 1.3f), 1.775f + i * 0.105f, 0.010f * MathF.Cos(i * 0.9f));
            Vector3 across = i % 2 == 0 ? Vector3.UnitX : Vector3.UnitZ;
            b.Ring(centre, across * 0.72f, Vector3.UnitY * 1.25f, 0.05f, 0.0115f, 14, 6, 1);
        }
        return b.Build();
    }
}
