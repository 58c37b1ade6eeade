using System.Numerics;
using Plenk.Core.Tracing;

namespace Plenk.Demo;

/// <summary>Six lockers on a wheeled frame; its own space: metres, standing on y = 0, front towards +X.</summary>
public static class LockerTrolley
{
    public const float HalfWidth = 0.62f,
        HalfDepth = 0.27f,
        Foot = 0.20f,
        Top = 1.52f;

    public static TriangleMesh Build()
    {
        var b = new MeshBuilder();
        b.Box(new(-HalfDepth, Foot, -HalfWidth), new(HalfDepth, Top, HalfWidth), (int)Stuff.Locker);
        b.Box(new(-HalfDepth - 0.03f, Foot - 0.06f, -HalfWidth - 0.03f), new(HalfDepth + 0.03f, Foot, HalfWidth + 0.03f), (int)Stuff.Rail);
        foreach (float z in (float[])[-0.5f, 0.5f])
        {
            foreach (float x in (float[])[-0.2f, 0.2f])
            {
                b.Bar(new(x - 0.02f, 0.075f, z), new(x + 0.02f, 0.075f, z), 0.075f, 20, (int)Stuff.Rail);
            }
        }
        b.Bar(new(-0.2f, 1.0f, HalfWidth + 0.09f), new(0.2f, 1.0f, HalfWidth + 0.09f), 0.018f, 12, (int)Stuff.Rail);
        foreach (float x in (float[])[-0.2f, 0.2f])
        {
            b.Bar(new(x, 1.0f, HalfWidth - 0.01f), new(x, 1.0f, HalfWidth + 0.09f), 0.014f, 10, (int)Stuff.Rail);
        }
        // Things left on top.
        b.Box(new(-0.16f, Top, -0.42f), new(0.12f, Top + 0.14f, -0.12f), (int)Stuff.Timber);
        b.Turned(new(0.02f, Top, 0.3f), [(0.09f, 0), (0.12f, 0.22f), (0.125f, 0.23f), (0.115f, 0.23f)], 24, (int)Stuff.Rail);
        return b.Build();
    }
}
