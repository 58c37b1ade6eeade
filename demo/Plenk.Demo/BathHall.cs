using System.Numerics;
using Plenk.Core.Tracing;

namespace Plenk.Demo;

/// <summary>One named part of the filmed hall. Pieces that the camera never needs to see only block light.</summary>
public sealed record HallPiece(string Name, TriangleMesh Mesh, bool OnlyBlocksLight);

public enum Stuff
{
    BasinTile,
    Deck,
    Coping,
    Plaster,
    Iron,
    Timber,
    Board,
    Cubicle,
    WindowFrame,
    Rail,
    Rubble,
    Concrete,
    Door,
    Chequer,
    Locker,
    Coat,
    Trousers,
    Skin,
    Boot,
    Mop,
}

/// <summary>
/// The drained bath of "Low Water": metres, +Y up, north −Z; y = 0 is the walkway around the basin. The basin's floor
/// slopes from 1.2 m below the walkway at its south end to 2.3 m at the north.
/// </summary>
public static class BathHall
{
    public const float BasinHalfWidth = 4,
        BasinSouth = 2,
        BasinNorth = -14;
    public const float ShallowDepth = 1.2f,
        DeepDepth = 2.3f;
    public const float RoofHeight = 8;

    /// <summary>Windows in the west wall: centre z, and the opening's half width, sill and head.</summary>
    public static readonly float[] WindowCentres = [4.6f, 1.2f, -2.2f, -5.6f, -9.0f, -12.4f, -15.6f];
    public const float WindowHalfWidth = 1.1f,
        WindowSill = 1.2f,
        WindowHead = 6.7f,
        WestWall = -7;

    public static readonly Vector3 TowardsSun = Vector3.Normalize(new Vector3(-0.80f, 0.56f, 0.22f));

    /// <summary>Where the diving bell stands.</summary>
    public const float BellX = 0.5f,
        BellZ = -4.2f;

    public static float FloorHeight(float z) => -ShallowDepth - (DeepDepth - ShallowDepth) * (BasinSouth - z) / (BasinSouth - BasinNorth);

    public static IReadOnlyList<HallPiece> Build()
    {
        var pieces = new List<HallPiece>();
        void Add(string name, bool onlyBlocks, Action<MeshBuilder> make)
        {
            var b = new MeshBuilder();
            make(b);
            pieces.Add(new(name, b.Build(), onlyBlocks));
        }
        static Vector3 V(float x, float y, float z) => new(x, y, z);
        const float w = BasinHalfWidth,
            s = BasinSouth,
            n = BasinNorth;

        Add("basin_floor", false, b =>
            b.Quad(
                V(-w, FloorHeight(s), s),
                V(w, FloorHeight(s), s),
                V(w, FloorHeight(n), n),
                V(-w, FloorHeight(n), n),
                (int)Stuff.BasinTile
            )
        );
        Add("basin_walls", false, b =>
        {
            b.Quad(V(-w, FloorHeight(s), s), V(-w, FloorHeight(n), n), V(-w, 0, n), V(-w, 0, s), (int)Stuff.BasinTile);
            b.Quad(V(w, FloorHeight(n), n), V(w, FloorHeight(s), s), V(w, 0, s), V(w, 0, n), (int)Stuff.BasinTile);
            b.Quad(V(w, FloorHeight(s), s), V(-w, FloorHeight(s), s), V(-w, 0, s), V(w, 0, s), (int)Stuff.BasinTile);
            b.Quad(V(-w, FloorHeight(n), n), V(w, FloorHeight(n), n), V(w, 0, n), V(-w, 0, n), (int)Stuff.BasinTile);
        });
        Add("walkway", false, b =>
        {
            const float e = 0.32f; // the coping lies on the rim
            b.Quad(V(-7, 0, 8), V(-w - e, 0, 8), V(-w - e, 0, -17), V(-7, 0, -17), (int)Stuff.Deck);
            b.Quad(V(w + e, 0, 8), V(7, 0, 8), V(7, 0, -17), V(w + e, 0, -17), (int)Stuff.Deck);
            b.Quad(V(-w - e, 0, 8), V(w + e, 0, 8), V(w + e, 0, s + e), V(-w - e, 0, s + e), (int)Stuff.Deck);
            b.Quad(V(-w - e, 0, n - e), V(w + e, 0, n - e), V(w + e, 0, -17), V(-w - e, 0, -17), (int)Stuff.Deck);
        });
        Add("coping", false, b =>
        {
            const float e = 0.32f,
                h = 0.05f,
                lip = 0.04f;
            b.Box(V(-w - e, -0.06f, n - e), V(-w + lip, h, s + e), (int)Stuff.Coping);
            b.Box(V(w - lip, -0.06f, n - e), V(w + e, h, s + e), (int)Stuff.Coping);
            b.Box(V(-w + lip, -0.06f, s - lip), V(w - lip, h, s + e), (int)Stuff.Coping);
            b.Box(V(-w + lip, -0.06f, n - e), V(w - lip, h, n + lip), (int)Stuff.Coping);
        });
        Add("steps", false, b =>
        {
            for (int i = 0; i < 6; i++)
            {
                float top = -0.24f * (i + 1);
                b.Box(V(2.2f, -2.4f, -6.2f + 0.32f * i), V(w - 0.001f, top, -6.2f + 0.32f * (i + 1)), (int)Stuff.BasinTile);
            }
        });
        Add("handrail", false, b =>
        {
            for (int i = 0; i < 2; i++)
            {
                float z = -6.0f + 1.75f * i,
                    foot = -0.24f * (1 + 5 * i);
                b.Bar(V(2.26f, foot - 0.05f, z), V(2.26f, foot + 0.95f, z), 0.022f, 12, (int)Stuff.Rail);
            }
            b.Bar(V(2.26f, 0.72f, -6.1f), V(2.26f, -0.52f, -4.2f), 0.024f, 12, (int)Stuff.Rail);
        });
        for (int i = 0; i < 5; i++)
        {
            Column($"column_east_{i + 1}", 5.2f, 0.2f - 3.3f * i);
        }
        Column("column_south_1", -4.45f, 2.62f);
        Column("column_south_2", 1.16f, 2.62f);
        Column("column_south_3", 5.2f, 2.62f);
        void Column(string name, float x, float z) =>
            Add(name, false, b =>
                b.Turned(
                    V(x, 0, z),
                    [
                        (0.165f, 0),
                        (0.165f, 0.10f),
                        (0.135f, 0.13f),
                        (0.135f, 0.20f),
                        (0.10f, 0.26f),
                        (0.085f, 0.60f),
                        (0.078f, 2.70f),
                        (0.105f, 2.76f),
                        (0.105f, 2.80f),
                        (0.08f, 2.86f),
                        (0.11f, 3.0f),
                        (0.20f, 3.14f),
                        (0.20f, 3.20f),
                    ],
                    32,
                    (int)Stuff.Iron
                )
            );
        Add("gallery", false, b =>
        {
            b.Box(V(4.95f, 3.2f, -17), V(7, 3.46f, 8), (int)Stuff.Timber);
            b.Box(V(-7, 3.2f, 2.5f), V(4.95f, 3.46f, 8), (int)Stuff.Timber);
            b.Box(V(-7, 3.2f, -17), V(4.95f, 3.46f, -15.3f), (int)Stuff.Timber);
        });
        Add("gallery_rail", false, b =>
        {
            b.Box(V(4.97f, 4.36f, -15.4f), V(5.05f, 4.44f, 2.5f), (int)Stuff.Iron);
            b.Box(V(4.99f, 3.56f, -15.4f), V(5.03f, 3.60f, 2.5f), (int)Stuff.Iron);
            for (float z = -15.3f; z < 2.5f; z += 0.16f)
            {
                b.Box(V(5.0f, 3.46f, z - 0.011f), V(5.022f, 4.40f, z + 0.011f), (int)Stuff.Iron);
            }
            b.Box(V(-7, 4.36f, -15.38f), V(5.05f, 4.44f, -15.30f), (int)Stuff.Iron);
            b.Box(V(-7, 3.56f, -15.36f), V(5.05f, 3.60f, -15.32f), (int)Stuff.Iron);
            for (float x = -6.9f; x < 5; x += 0.16f)
            {
                b.Box(V(x - 0.011f, 3.46f, -15.35f), V(x + 0.011f, 4.40f, -15.328f), (int)Stuff.Iron);
            }
        });
        Add("wall_east", false, b => b.Quad(V(7, 0, -17), V(7, 0, 8), V(7, RoofHeight, 8), V(7, RoofHeight, -17), (int)Stuff.Plaster));
        Add("wall_north", false, b =>
            b.Quad(V(-7, 0, -17), V(7, 0, -17), V(7, RoofHeight, -17), V(-7, RoofHeight, -17), (int)Stuff.Plaster)
        );
        Add("wall_south", true, b => b.Quad(V(7, 0, 8), V(-7, 0, 8), V(-7, RoofHeight, 8), V(7, RoofHeight, 8), (int)Stuff.Plaster));
        Add("wall_west", false, b =>
        {
            const float outer = WestWall - 0.4f;
            b.Box(V(outer, -0.1f, -17.4f), V(WestWall, WindowSill, 8.4f), (int)Stuff.Plaster);
            b.Box(V(outer, WindowHead, -17.4f), V(WestWall, RoofHeight + 0.2f, 8.4f), (int)Stuff.Plaster);
            float from = 8.4f;
            foreach (float z in WindowCentres)
            {
                b.Box(V(outer, WindowSill, z + WindowHalfWidth), V(WestWall, WindowHead, from), (int)Stuff.Plaster);
                from = z - WindowHalfWidth;
            }
            b.Box(V(outer, WindowSill, -17.4f), V(WestWall, WindowHead, from), (int)Stuff.Plaster);
        });
        Add("window_bars", false, b =>
        {
            foreach (float z in WindowCentres)
            {
                for (int i = -1; i <= 1; i++)
                {
                    b.Box(
                        V(-7.28f, WindowSill, z + i * 0.55f - 0.025f),
                        V(-7.22f, WindowHead, z + i * 0.55f + 0.025f),
                        (int)Stuff.WindowFrame
                    );
                }
                for (int i = 1; i <= 5; i++)
                {
                    float y = WindowSill + (WindowHead - WindowSill) * i / 6,
                        half = i == 4 ? 0.05f : 0.022f;
                    b.Box(V(-7.275f, y - half, z - WindowHalfWidth), V(-7.225f, y + half, z + WindowHalfWidth), (int)Stuff.WindowFrame);
                }
                b.Box(
                    V(-7.42f, WindowSill - 0.06f, z - WindowHalfWidth - 0.08f),
                    V(-6.86f, WindowSill + 0.005f, z + WindowHalfWidth + 0.08f),
                    (int)Stuff.Coping
                );
            }
        });
        Add("roof", true, b =>
            b.Quad(
                V(-7.4f, RoofHeight, -17.4f),
                V(7.4f, RoofHeight, -17.4f),
                V(7.4f, RoofHeight, 8.4f),
                V(-7.4f, RoofHeight, 8.4f),
                (int)Stuff.Timber
            )
        );
        Add("trusses", false, b =>
        {
            foreach (float z in (float[])[6.3f, 2.9f, -0.5f, -3.9f, -7.3f, -10.7f, -14.0f])
            {
                b.Box(V(-7, 7.0f, z - 0.09f), V(7, 7.22f, z + 0.09f), (int)Stuff.Timber);
                foreach (float x in (float[])[-4.2f, -1.4f, 1.4f, 4.2f])
                {
                    b.Box(V(x - 0.05f, 7.2f, z - 0.05f), V(x + 0.05f, 8, z + 0.05f), (int)Stuff.Timber);
                }
            }
        });
        Add("ceiling", false, b =>
            b.Quad(
                V(-7, RoofHeight - 0.02f, -17),
                V(7, RoofHeight - 0.02f, -17),
                V(7, RoofHeight - 0.02f, 8),
                V(-7, RoofHeight - 0.02f, 8),
                (int)Stuff.Board
            )
        );
        Add("cubicles", false, b =>
        {
            b.Box(V(6.15f, 0, -16.9f), V(6.98f, 2.15f, 1.2f), (int)Stuff.Cubicle);
            b.Box(V(6.08f, 2.15f, -16.9f), V(7, 2.24f, 1.26f), (int)Stuff.Coping);
        });
        Add("springboard_stand", false, b =>
        {
            b.Box(V(-0.75f, 0, -16.2f), V(0.75f, 0.55f, -14.5f), (int)Stuff.Concrete);
            b.Box(V(-0.55f, 0.55f, -16.2f), V(0.55f, 1.05f, -15.0f), (int)Stuff.Concrete);
            b.Bar(V(-0.3f, 0.5f, -14.65f), V(-0.3f, 1.06f, -14.65f), 0.035f, 12, (int)Stuff.Rail);
            b.Bar(V(0.3f, 0.5f, -14.65f), V(0.3f, 1.06f, -14.65f), 0.035f, 12, (int)Stuff.Rail);
            b.Bar(V(-0.34f, 1.06f, -14.65f), V(0.34f, 1.06f, -14.65f), 0.035f, 12, (int)Stuff.Rail);
            b.Box(V(-0.24f, 1.09f, -16.1f), V(0.24f, 1.14f, -12.7f), (int)Stuff.Timber);
        });
        Add("doors_north", false, b =>
        {
            b.Box(V(-3.9f, 0, -17), V(-2.5f, 2.5f, -16.93f), (int)Stuff.Door);
            b.Box(V(2.5f, 0, -17), V(3.9f, 2.5f, -16.93f), (int)Stuff.Door);
        });
        Add("bench", false, b =>
        {
            b.Box(V(-6.6f, 0.42f, -9), V(-6.15f, 0.47f, -4.5f), (int)Stuff.Timber);
            foreach (float z in (float[])[-8.8f, -6.75f, -4.7f])
            {
                b.Box(V(-6.55f, 0, z - 0.04f), V(-6.2f, 0.42f, z + 0.04f), (int)Stuff.Iron);
            }
        });
        Add("rubble", false, b =>
        {
            var random = new Random(7);
            for (int i = 0; i < 90; i++)
            {
                bool near = i < 60;
                float x = near ? -3.9f + MathF.Pow(random.NextSingle(), 2.2f) * 5 : -3 + 6.4f * random.NextSingle();
                float z = near ? -9 + 8 * random.NextSingle() : -13 + 14 * random.NextSingle();
                // Clear of where things will stand.
                if (MathF.Abs(x - 0.85f) < 1.0f && MathF.Abs(z - BellZ) < 1.0f)
                {
                    continue;
                }
                if (x > 2.1f && z is < -4.1f and > -6.4f)
                {
                    continue;
                }
                float size = 0.02f + 0.11f * MathF.Pow(random.NextSingle(), 3);
                Matrix4x4 turn = Matrix4x4.CreateFromYawPitchRoll(
                    6.28f * random.NextSingle(),
                    0.5f * (random.NextSingle() - 0.5f),
                    0.5f * (random.NextSingle() - 0.5f)
                );
                turn.Translation = V(x, FloorHeight(z) + size * 0.16f, z);
                var half = new Vector3(size, size * (0.12f + 0.3f * random.NextSingle()), size * (0.5f + 0.5f * random.NextSingle()));
                b.Box(-half, half, (int)Stuff.Rubble, turn);
            }
        });
        return pieces;
    }
}
