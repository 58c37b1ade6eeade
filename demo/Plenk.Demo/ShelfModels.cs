using System.Numerics;
using Plenk.Core.Contact;
using Plenk.Core.Tracing;

namespace Plenk.Demo;

/// <summary>What lies on the demo's shelf: made here, in metres, each with its foot on y = 0.</summary>
public static class ShelfModels
{
    private static readonly Material Wood = new("wood", new(0.30f, 0.19f, 0.10f), 0, 0.8f) { Specular = 0.3f },
        Slat = new("slat", new(0.38f, 0.26f, 0.15f), 0, 0.8f) { Specular = 0.3f },
        Iron = new("iron", new(0.10f, 0.09f, 0.085f), 0, 0.55f),
        Grass = new("grass", new(0.12f, 0.19f, 0.05f), 0, 0.9f) { Specular = 0.1f },
        Dry = new("dry grass", new(0.30f, 0.26f, 0.12f), 0, 0.9f) { Specular = 0.1f },
        Cloth = new("cloth", new(0.13f, 0.16f, 0.21f), 0, 0.95f) { Specular = 0.1f },
        Skin = new("skin", new(0.46f, 0.30f, 0.22f), 0, 0.7f),
        Glow = new("glow", new(0.9f, 0.85f, 0.7f), 0, 0.5f) { Emission = new(6, 5, 3.2f) };

    /// <summary>A crate of slats, 0.6 m.</summary>
    public static (TriangleMesh Mesh, Material[] Materials) Crate()
    {
        const float half = 0.3f,
            slat = 0.11f,
            thick = 0.018f;
        var b = new MeshBuilder();
        b.Box(new(-half + thick, thick, -half + thick), new(half - thick, 2 * half - thick, half - thick), 2);
        for (int side = 0; side < 4; side++)
        {
            Matrix4x4 turn = Matrix4x4.CreateRotationY(side * MathF.PI / 2);
            for (int k = 0; k < 5; k++)
            {
                float y = 0.005f + k * (2 * half - slat - 0.01f) / 4;
                b.Box(new(-half, y, half - thick), new(half - thick, y + slat, half), k % 2, turn);
            }
            b.Box(new(-half, 0, half), new(-half + 0.09f, 2 * half, half + thick), 0, turn);
            b.Box(new(half - 0.09f - thick, 0, half), new(half - thick, 2 * half, half + thick), 0, turn);
        }
        for (int k = 0; k < 5; k++)
        {
            float z = -half + 0.005f + k * (2 * half - slat - 0.01f) / 4;
            b.Box(new(-half, 2 * half - thick, z), new(half, 2 * half, z + slat), k % 2);
        }
        return (b.Build(), [Wood, Slat, Iron]);
    }

    /// <summary>A barrel with three hoops, 0.95 m.</summary>
    public static (TriangleMesh Mesh, Material[] Materials) Barrel()
    {
        var b = new MeshBuilder();
        static float Radius(float y) => 0.27f + 0.07f * (1 - MathF.Pow((y - 0.475f) / 0.475f, 2));
        (float, float)[] staves = [.. Enumerable.Range(0, 13).Select(k => (Radius(0.95f * k / 12), 0.95f * k / 12))];
        b.Turned(default, [(0, 0), .. staves, (0.25f, 0.95f), (0.25f, 0.92f), (0, 0.92f)], 40, 0);
        foreach (float y in (float[])[0.12f, 0.42f, 0.76f])
        {
            b.Turned(
                default,
                [(Radius(y), y), (Radius(y) + 0.006f, y), (Radius(y + 0.05f) + 0.006f, y + 0.05f), (Radius(y + 0.05f), y + 0.05f)],
                40,
                1
            );
        }
        return (b.Build(), [Wood, Iron]);
    }

    /// <summary>A plank of 2.2 m, a little twisted.</summary>
    public static (TriangleMesh Mesh, Material[] Materials) Plank()
    {
        var b = new MeshBuilder();
        const int parts = 12;
        Vector3 At(int k, float x, float y)
        {
            float z = 2.2f * k / parts - 1.1f;
            return Vector3.Transform(new(x, y, z), Matrix4x4.CreateRotationZ(0.05f * z)) + new Vector3(0, 0.012f * z * z, 0);
        }
        for (int k = 0; k < parts; k++)
        {
            (float X, float Y)[] ring = [(-0.11f, 0), (0.11f, 0), (0.11f, 0.03f), (-0.11f, 0.03f)];
            for (int i = 0; i < 4; i++)
            {
                var (x0, y0) = ring[i];
                var (x1, y1) = ring[(i + 1) % 4];
                b.Quad(At(k, x0, y0), At(k, x1, y1), At(k + 1, x1, y1), At(k + 1, x0, y0), i == 2 ? 1 : 0);
            }
        }
        b.Quad(At(0, -0.11f, 0.03f), At(0, 0.11f, 0.03f), At(0, 0.11f, 0), At(0, -0.11f, 0), 0);
        b.Quad(At(parts, -0.11f, 0), At(parts, 0.11f, 0), At(parts, 0.11f, 0.03f), At(parts, -0.11f, 0.03f), 0);
        return (b.Build(), [Wood, Slat]);
    }

    /// <summary>A tuft of grass, 0.35 m, as grows in joints of paving.</summary>
    public static (TriangleMesh Mesh, Material[] Materials) Tuft()
    {
        var b = new MeshBuilder();
        for (int k = 0; k < 70; k++)
        {
            float turn = 2 * MathF.PI * Noise.Cell(k, 1, 3),
                lean = 0.15f + 0.75f * Noise.Cell(k, 2, 3),
                length = 0.16f + 0.22f * Noise.Cell(k, 3, 3),
                wide = 0.003f + 0.003f * Noise.Cell(k, 4, 3);
            Vector3 way = new(MathF.Sin(turn), 0, MathF.Cos(turn)),
                side = new(way.Z, 0, -way.X),
                foot = 0.05f * MathF.Sqrt(Noise.Cell(k, 5, 3)) * way;
            Vector3 At(float t) => foot + length * (t * Vector3.UnitY + lean * t * t * way - 0.35f * lean * t * t * Vector3.UnitY);
            for (int s = 0; s < 4; s++)
            {
                float t0 = s / 4f,
                    t1 = (s + 1) / 4f;
                Vector3 a = At(t0) - wide * (1 - t0) * side,
                    c = At(t0) + wide * (1 - t0) * side,
                    d = At(t1) + wide * (1 - t1) * side,
                    e = At(t1) - wide * (1 - t1) * side;
                int material = k % 5 == 0 ? 1 : 0;
                b.Quad(a, c, d, e, material);
                b.Quad(c, a, e, d, material);
            }
        }
        return (b.Build(), [Grass, Dry]);
    }

    /// <summary>A hand lamp with a wire cage, 0.34 m; its light hangs in it.</summary>
    public static (TriangleMesh Mesh, Material[] Materials) Lamp()
    {
        var b = new MeshBuilder();
        b.Turned(default, [(0, 0), (0.085f, 0), (0.085f, 0.05f), (0.06f, 0.06f), (0.05f, 0.07f), (0, 0.07f)], 24, 0);
        b.Turned(new(0, 0.07f, 0), [(0, 0), (0.038f, 0.02f), (0.044f, 0.07f), (0.034f, 0.12f), (0, 0.15f)], 20, 1);
        b.Turned(default, [(0, 0.235f), (0.07f, 0.235f), (0.045f, 0.275f), (0, 0.285f)], 24, 0);
        for (int k = 0; k < 6; k++)
        {
            var (s, c) = MathF.SinCos(k * MathF.PI / 3);
            b.Bar(new(0.07f * s, 0.055f, 0.07f * c), new(0.064f * s, 0.24f, 0.064f * c), 0.003f, 6, 0);
        }
        b.Ring(new(0, 0.31f, 0), Vector3.UnitX, Vector3.UnitY, 0.03f, 0.004f, 20, 6, 0);
        return (b.Build(), [Iron, Glow]);
    }

    /// <summary>A figure of rounded limbs, 1.75 m where it stands: for scale, and for shadows of people who were not there.</summary>
    public static (TriangleMesh Mesh, Material[] Materials) Figure(string stance)
    {
        // Hip height, and what bends: left and right hip, knee, shoulder, elbow, degrees forwards; how far the back leans.
        var (hip, back, legs, arms) = stance switch
        {
            "walking" => (0.89f, 4f, new[] { (26f, 4f), (-22f, -14f) }, new[] { (-24f, 12f), (26f, 22f) }),
            "sitting" => (0.48f, -4f, new[] { (86f, -88f), (80f, -84f) }, new[] { (28f, 40f), (24f, 46f) }),
            "crouching" => (0.42f, 28f, new[] { (98f, -128f), (20f, -112f) }, new[] { (40f, 30f), (60f, 20f) }),
            "reaching" => (0.9f, -3f, new[] { (3f, 0f), (-8f, -2f) }, new[] { (158f, 8f), (8f, 10f) }),
            _ => (0.91f, 0f, new[] { (2f, 0f), (-2f, 0f) }, new[] { (4f, 8f), (2f, 10f) }),
        };
        var b = new MeshBuilder();
        void Limb(Vector3 from, Vector3 to, float radius, int material)
        {
            b.Bar(from, to, radius, 14, material);
            Ball(from, radius, material);
            Ball(to, radius, material);
        }
        void Ball(Vector3 at, float radius, int material)
        {
            (float, float)[] profile =
            [
                .. Enumerable.Range(0, 9).Select(k => (radius * MathF.Sin(k * MathF.PI / 8), -radius * MathF.Cos(k * MathF.PI / 8))),
            ];
            b.Turned(at, profile, 14, material);
        }
        static Vector3 Forward(float degrees, float length) =>
            length * new Vector3(0, -MathF.Cos(degrees * MathF.PI / 180), MathF.Sin(degrees * MathF.PI / 180));
        Vector3 pelvis = new(0, hip, 0),
            neck = pelvis + Forward(180 - back, 0.52f);
        Limb(pelvis, pelvis + Forward(180 - back, 0.2f), 0.13f, 0);
        Limb(pelvis + Forward(180 - back, 0.25f), pelvis + Forward(180 - back, 0.4f), 0.145f, 0);
        b.Bar(neck, neck + Forward(180 - back / 2, 0.09f), 0.05f, 14, 1);
        Vector3 head = neck + Forward(180 - back / 2, 0.19f);
        Ball(head, 0.105f, 1);
        Ball(head + new Vector3(0, 0.04f, -0.01f), 0.1f, 2);
        for (int k = 0; k < 2; k++)
        {
            float side = k == 0 ? -1 : 1;
            Vector3 joint = pelvis + new Vector3(0.1f * side, -0.02f, 0),
                knee = joint + Forward(legs[k].Item1, 0.43f),
                ankle = knee + Forward(legs[k].Item1 + legs[k].Item2, 0.42f);
            Limb(joint, knee, 0.078f, 2);
            Limb(knee, ankle, 0.056f, 2);
            Limb(ankle + new Vector3(0, -0.02f, -0.03f), ankle + new Vector3(0, -0.02f, 0.14f), 0.038f, 3);
            Vector3 shoulder = neck + new Vector3(0.2f * side, -0.06f, 0),
                elbow = shoulder + Forward(arms[k].Item1, 0.29f),
                hand = elbow + Forward(arms[k].Item1 + arms[k].Item2, 0.26f);
            Limb(shoulder, elbow, 0.05f, 0);
            Limb(elbow, hand, 0.04f, 0);
            Ball(hand + 0.04f * Vector3.Normalize(hand - elbow), 0.045f, 1);
        }
        TriangleMesh made = b.Build();
        float low = made.Positions.Min(p => p.Y);
        return (
            made with
            {
                Positions = [.. made.Positions.Select(p => p - new Vector3(0, low, 0))],
            },
            [Cloth, Skin, new("dark", new(0.05f, 0.045f, 0.04f), 0, 0.9f), Iron]
        );
    }
}
