using System.Numerics;

namespace Plenk.Demo;

/// <summary>
/// The entrance hall: it shares the bath's west front and its windows; a chequered floor, a flight of steps to the doors of
/// the bath, a ticket counter. Metres, +Y up; straight edges along all three axes.
/// </summary>
public static class EntranceHall
{
    public const float East = 0.6f,
        North = -7.2f,
        South = 5;

    public static IReadOnlyList<HallPiece> Build()
    {
        List<HallPiece> pieces =
        [
            .. BathHall.Build().Where(p => p.Name is "wall_west" or "window_bars" or "roof" or "trusses" or "ceiling"),
        ];
        void Add(string name, bool onlyBlocks, Action<MeshBuilder> make)
        {
            var b = new MeshBuilder();
            make(b);
            pieces.Add(new(name, b.Build(), onlyBlocks));
        }
        static Vector3 V(float x, float y, float z) => new(x, y, z);
        const float h = BathHall.RoofHeight;
        Add("floor", false, b => b.Quad(V(-7, 0, South), V(East, 0, South), V(East, 0, North), V(-7, 0, North), (int)Stuff.Chequer));
        Add("wall_east", false, b =>
            b.Quad(V(East, 0, North), V(East, 0, South), V(East, h, South), V(East, h, North), (int)Stuff.Plaster)
        );
        Add("wall_north", false, b => b.Quad(V(-7, 0, North), V(East, 0, North), V(East, h, North), V(-7, h, North), (int)Stuff.Plaster));
        Add("wall_south", true, b => b.Quad(V(East, 0, South), V(-7, 0, South), V(-7, h, South), V(East, h, South), (int)Stuff.Plaster));
        Add("steps", false, b =>
        {
            for (int i = 0; i < 4; i++)
            {
                b.Box(V(-4.4f, 0.17f * i, North), V(-1.0f, 0.17f * (i + 1), North + 1.75f - 0.35f * i), (int)Stuff.Coping);
            }
        });
        Add("doors", false, b =>
        {
            b.Box(V(-3.9f, 0.68f, North), V(-1.5f, 3.3f, North + 0.05f), (int)Stuff.Door);
            b.Box(V(-4.1f, 0.68f, North), V(-3.9f, 3.5f, North + 0.14f), (int)Stuff.WindowFrame);
            b.Box(V(-1.5f, 0.68f, North), V(-1.3f, 3.5f, North + 0.14f), (int)Stuff.WindowFrame);
            b.Box(V(-4.1f, 3.3f, North), V(-1.3f, 3.5f, North + 0.16f), (int)Stuff.WindowFrame);
        });
        Add("counter", false, b =>
        {
            b.Box(V(-0.75f, 0, -4.6f), V(East, 1.08f, -0.8f), (int)Stuff.Cubicle);
            b.Box(V(-0.85f, 1.08f, -4.7f), V(East, 1.14f, -0.7f), (int)Stuff.Timber);
            foreach (float z in (float[])[-4.6f, -2.7f, -0.86f])
            {
                b.Box(V(-0.72f, 1.14f, z), V(-0.66f, 2.5f, z + 0.06f), (int)Stuff.Timber);
            }
            b.Box(V(-0.74f, 2.5f, -4.64f), V(-0.64f, 2.62f, -0.76f), (int)Stuff.Timber);
        });
        Add("skirting", false, b =>
        {
            b.Box(V(East - 0.03f, 0, -0.7f), V(East, 0.22f, South), (int)Stuff.Timber);
            b.Box(V(-7, 0, North), V(-4.4f, 0.22f, North + 0.03f), (int)Stuff.Timber);
            b.Box(V(-1.0f, 0, North), V(East, 0.22f, North + 0.03f), (int)Stuff.Timber);
        });
        Add("beam", false, b => b.Box(V(-7, 4.4f, North), V(East, 4.62f, North + 0.12f), (int)Stuff.WindowFrame));
        Add("bench", false, b =>
        {
            b.Box(V(-6.7f, 0.43f, -4.2f), V(-6.25f, 0.49f, -1.2f), (int)Stuff.Timber);
            foreach (float z in (float[])[-4.1f, -2.7f, -1.35f])
            {
                b.Box(V(-6.65f, 0, z), V(-6.3f, 0.43f, z + 0.06f), (int)Stuff.Iron);
            }
        });
        return pieces;
    }
}
