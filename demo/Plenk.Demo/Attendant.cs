using System.Numerics;
using Plenk.Core.Tracing;

namespace Plenk.Demo;

/// <summary>A made-up attendant who walks and pushes a mop: coat, cap, boots. His own space: metres, standing on y = 0, walking towards +X.</summary>
public static class Attendant
{
    private const float Stride = 1.25f,
        Hip = 0.90f,
        Shoulder = 1.40f;

    /// <param name="walked">How far he has walked, metres: the phase of his step.</param>
    public static TriangleMesh At(double walked)
    {
        var b = new MeshBuilder();
        float phase = (float)(2 * Math.PI * walked / Stride),
            bob = 0.018f * MathF.Cos(2 * phase);
        foreach (float side in (float[])[-1, 1])
        {
            Leg(b, phase + (side > 0 ? 0 : MathF.PI), 0.10f * side, bob);
        }
        // A long coat, a little open at its hem, and what is above it.
        b.Turned(
            new(0, bob, 0),
            [(0.235f, 0.52f), (0.215f, 0.72f), (0.19f, 0.98f), (0.205f, 1.20f), (0.225f, 1.34f), (0.15f, 1.45f), (0.062f, 1.47f)],
            28,
            (int)Stuff.Coat
        );
        b.Turned(
            new(0.015f, bob, 0),
            [(0.055f, 1.45f), (0.055f, 1.51f), (0.085f, 1.54f), (0.098f, 1.62f), (0.095f, 1.68f)],
            24,
            (int)Stuff.Skin
        );
        b.Turned(
            new(0.005f, bob, 0),
            [(0.104f, 1.665f), (0.112f, 1.70f), (0.128f, 1.735f), (0.118f, 1.755f), (0, 1.765f)],
            24,
            (int)Stuff.Coat
        );
        b.Box(new(0.06f, 1.668f + bob, -0.07f), new(0.168f, 1.682f + bob, 0.07f), (int)Stuff.Boot);
        // The mop goes to and fro before him; both hands are on its pole.
        float push = 0.10f * MathF.Sin(phase * 0.5f);
        Vector3 head = new(0.95f + push, 0.035f, 0.05f),
            grip = new(0.16f + 0.5f * push, 1.22f, 0.02f),
            top = grip + Vector3.Normalize(grip - head) * 0.16f;
        b.Bar(head, top, 0.014f, 10, (int)Stuff.Timber);
        for (int i = -5; i <= 5; i++)
        {
            b.Bar(
                head + new Vector3(0, 0.03f, 0.012f * i),
                new(head.X + 0.03f * MathF.Sin(i * 2.1f + phase), 0.012f, head.Z + 0.036f * i),
                0.022f,
                8,
                (int)Stuff.Mop
            );
        }
        Vector3 along = Vector3.Normalize(grip - head);
        Arm(b, new(0.02f, Shoulder - 0.03f + bob, -0.20f), grip + along * 0.05f);
        Arm(b, new(0.02f, Shoulder - 0.03f + bob, 0.20f), grip - along * 0.28f);
        return b.Build();
    }

    private static void Leg(MeshBuilder b, float phase, float z, float bob)
    {
        float swing = MathF.Sin(phase),
            lift = MathF.Max(0, MathF.Cos(phase)) * 0.09f;
        Vector3 hip = new(0, Hip + bob, z),
            ankle = new(0.31f * swing, 0.10f + lift, z);
        Vector3 knee = Between(hip, ankle, 0.45f, 0.44f, Vector3.UnitX);
        b.Bar(hip, knee, 0.082f, 14, (int)Stuff.Trousers);
        b.Bar(knee, ankle, 0.062f, 14, (int)Stuff.Trousers);
        b.Box(new(ankle.X - 0.07f, ankle.Y - 0.10f, z - 0.048f), new(ankle.X + 0.19f, ankle.Y - 0.015f, z + 0.048f), (int)Stuff.Boot);
        b.Bar(ankle - Vector3.UnitY * 0.05f, ankle + Vector3.UnitY * 0.12f, 0.064f, 14, (int)Stuff.Boot);
    }

    private static void Arm(MeshBuilder b, Vector3 shoulder, Vector3 hand)
    {
        Vector3 elbow = Between(shoulder, hand, 0.31f, 0.30f, new(-0.4f, -1, shoulder.Z > 0 ? 0.5f : -0.5f));
        b.Bar(shoulder, elbow, 0.058f, 12, (int)Stuff.Coat);
        b.Bar(elbow, hand, 0.046f, 12, (int)Stuff.Coat);
        b.Bar(hand - new Vector3(0.03f, 0, 0), hand + new Vector3(0.04f, 0, 0), 0.042f, 12, (int)Stuff.Skin);
    }

    /// <summary>The joint between two ends with two lengths, bent towards a side.</summary>
    private static Vector3 Between(Vector3 from, Vector3 to, float first, float second, Vector3 towards)
    {
        Vector3 d = to - from;
        float length = MathF.Min(d.Length(), (first + second) * 0.999f),
            along = (length * length + first * first - second * second) / (2 * length);
        Vector3 axis = Vector3.Normalize(d),
            side = towards - axis * Vector3.Dot(towards, axis);
        return from + axis * along + Vector3.Normalize(side) * MathF.Sqrt(MathF.Max(0, first * first - along * along));
    }
}
