using System.Numerics;
using Plenk.Core.Tracing;

namespace Plenk.Demo;

/// <summary>The plunge platform over the steps, and a bather's locker on the walkway: what stands in BTH_0100 besides the hall.</summary>
public static class PlungePlatform
{
    public static readonly (Vector3 Min, Vector3 Max) Slab = (new(2.3f, -0.1f, -6.9f), new(3.9f, 0.04f, -5.3f)),
        Locker = (new(4.505f, 0, -4.75f), new(5.0f, 1.8f, -4.25f)),
        Door = (new(4.505f, 0.1f, -4.7f), new(4.52f, 1.72f, -4.3f));

    /// <summary>Foot, head and radius of each post.</summary>
    public static readonly (Vector3 Foot, Vector3 Head, float Radius)[] Posts =
    [
        (new(2.42f, -0.74f, -5.42f), new(2.42f, -0.1f, -5.42f), 0.045f),
        (new(2.42f, -1.83f, -6.78f), new(2.42f, -0.1f, -6.78f), 0.045f),
        (new(3.78f, -0.74f, -5.42f), new(3.78f, -0.1f, -5.42f), 0.045f),
        (new(3.78f, -1.83f, -6.78f), new(3.78f, -0.1f, -6.78f), 0.045f),
    ];

    /// <summary>Where the counterweight hangs at first: its foot.</summary>
    public static readonly Vector3 Weight = new(3.1f, 1.5f, -6.5f);

    /// <param name="platform">The slab and its posts are there too; else the locker alone.</param>
    public static IReadOnlyList<HallPiece> Build(bool platform)
    {
        var pieces = BathHall.Build().ToList();
        void Add(string name, Action<MeshBuilder> make)
        {
            var b = new MeshBuilder();
            make(b);
            pieces.Add(new(name, b.Build(), false));
        }
        if (platform)
        {
            Add("platform", b =>
            {
                b.Box(Slab.Min, Slab.Max, (int)Stuff.BasinTile);
                foreach (var (foot, head, radius) in Posts)
                {
                    b.Bar(foot, head, radius, 20, (int)Stuff.Rail);
                }
            });
        }
        Add("locker", b =>
        {
            b.Box(Locker.Min with { X = Door.Max.X }, Locker.Max, (int)Stuff.Cubicle);
            b.Box(Door.Min, Door.Max, (int)Stuff.Door);
            // Slits to air it.
            for (int i = 0; i < 5; i++)
            {
                float y = 1.42f + 0.045f * i;
                b.Box(new(Door.Min.X - 0.004f, y, -4.62f), new(Door.Min.X, y + 0.014f, -4.38f), (int)Stuff.Iron);
            }
            b.Box(new(Door.Min.X - 0.02f, 0.86f, -4.66f), new(Door.Min.X, 0.98f, -4.64f), (int)Stuff.Rail);
        });
        return pieces;
    }

    /// <summary>A cast counterweight with its eye, standing on its foot, metres.</summary>
    public static TriangleMesh Counterweight()
    {
        var b = new MeshBuilder();
        b.Turned(
            Vector3.Zero,
            [(0, 0), (0.15f, 0), (0.17f, 0.02f), (0.17f, 0.30f), (0.13f, 0.35f), (0.04f, 0.37f), (0.04f, 0.44f), (0, 0.44f)],
            40,
            0
        );
        return b.Build();
    }
}
